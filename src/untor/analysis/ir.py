"""The intermediate representation: what a template does when it is rendered; ``codegen`` turns it into code."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.diagnostics.problem import Problem
    from untor.diagnostics.source import Source
    from untor.language import tree


class Placement(NamedTuple):
    """Where a value of a template is printed, and its escaping.

    ``line`` and ``column`` count from 1 (columns in code points); ``path`` goes from the outermost place to the
    innermost; ``escapers`` are named in the order they are applied; ``reason`` is that of a trusted value.
    """

    template: str
    line: int
    column: int
    expression: str
    context: str
    path: tuple[str, ...]
    escapers: tuple[str, ...]
    reason: str | None = None

    @property
    def where(self) -> str:
        """The place in words, from the outside in."""
        return " \N{SINGLE RIGHT-POINTING ANGLE QUOTATION MARK} ".join(self.path)


Placement.__module__ = "untor"


@dataclass(slots=True)
class Operation:
    """One thing to do."""


@dataclass(slots=True)
class FixedText(Operation):
    """Print fixed text."""

    text: str


@dataclass(slots=True)
class Nonce(Operation):
    """Print the nonce attribute of a script, style or link, when the page is answered with one.

    ``content`` is ``script`` or ``style`` when the element's own text runs, which then begins after the end of the tag,
    ``foreign`` when it is text of SVG or XML; ``start`` is the place in ``source``.
    """

    tag: str
    content: str
    source: Source
    start: int
    own: bool
    """Whether the template gives the element a nonce itself, which is left alone."""


@dataclass(slots=True)
class InlineEnd(Operation):
    """The end of the text of a script or style; prints nothing."""


@dataclass(slots=True)
class PrintValue(Operation):
    """Print a value through escaping functions; the first is called with ``before``, the value and ``after``."""

    expression: tree.Expression
    escapers: tuple[str, ...]
    placement: Placement
    before: tuple[str, ...] = ()
    after: tuple[str, ...] = ()


@dataclass(slots=True)
class UrlFixed(Operation):
    """Fixed text of a URL: its source, and how a browser reads it."""

    raw: str
    plain: str


@dataclass(slots=True)
class UrlValue(Operation):
    """A value in a URL; ``kind`` is one of ``untor.escape.url``."""

    kind: int
    expression: tree.Expression
    placement: Placement


@dataclass(slots=True)
class UrlJoin(Operation):
    """Collect the pieces of a URL, decide on the whole, and print it; errors about it point at ``start`` to ``end``."""

    escaper: str
    body: list[Operation]
    start: int
    end: int


@dataclass(slots=True)
class Bind(Operation):
    """Give a value a name until the end of the enclosing block."""

    node: tree.Let


@dataclass(slots=True)
class Choice(Operation):
    """Do the first branch whose test is true."""

    branches: list[tuple[tree.Branch, list[Operation]]]


@dataclass(slots=True)
class Loop(Operation):
    """Do the body for each item; ``uses`` are the attributes of the position that are read."""

    node: tree.For
    uses: frozenset[str]
    body: list[Operation]
    empty: list[Operation]


@dataclass(slots=True)
class Scope(Operation):
    """Do several things with names of their own."""

    body: list[Operation]


@dataclass(slots=True)
class PassedArgument:
    """A value given to a function: the name there, the expression here and the type that is checked."""

    name: str
    value: tree.Expression
    parameter: tree.Parameter | None


@dataclass(slots=True)
class Function:
    """A piece of a page that is called: a template or part with its parameters, or content for a slot.

    ``closure`` marks content, which sees the names of the function that it is defined in. ``context`` says whether
    names that are bound nowhere are those of the page's context, or only the engine's globals. ``slots`` are the
    contents that it is given, by the names they have in the code.
    """

    name: str
    source: Source
    parameters: list[tree.Parameter]
    context: bool = False
    closure: bool = False
    recursive: bool = False
    plain: bool = False
    """Whether it makes a piece of a URL, which is never sent off before the whole is known."""
    body: list[Operation] = field(default_factory=list)
    slots: list[str] = field(default_factory=list)


@dataclass(slots=True)
class CallFunction(Operation):
    """Call another template or part; ``closures`` are the contents for its slots, defined right before."""

    function: Function
    given: list[PassedArgument]
    node: tree.Node
    closures: list[Function] = field(default_factory=list)


@dataclass(slots=True)
class SlotCall(Operation):
    """Print the content of a slot; ``closures`` is the slot's own content, where the other one has a ``fallback``."""

    name: str
    content: Function
    closures: list[Function] = field(default_factory=list)

    @property
    def plain(self) -> bool:
        """Return whether the content is a piece of a URL."""
        return self.content.plain


@dataclass(slots=True)
class TemplateIR:
    """All that is known about a template when it is compiled."""

    source: Source
    main: Function
    functions: list[Function] = field(default_factory=list)
    inputs: tuple[str, ...] = ()
    dependencies: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    problems: list[Problem] = field(default_factory=list)
    nonces: bool = False
    """Whether there is an element that a nonce belongs to."""
    has_messages: bool = False
    untranslated: list[Problem] = field(default_factory=list)
    """What keeps translations from being printed."""

    @property
    def body(self) -> list[Operation]:
        """What the page does first."""
        return self.main.body

    @property
    def placements(self) -> list[Placement]:
        """The placement of each value, in the order of the page."""
        placements = (
            operation.placement
            for operation in all_operations(self.body)
            if isinstance(operation, PrintValue | UrlValue)
        )
        return list(dict.fromkeys(placements))


def all_operations(body: list[Operation]) -> Iterator[Operation]:
    """Yield each operation, in the order of the page; a function's where it is first called."""
    seen: set[int] = set()

    def walk(operations: list[Operation]) -> Iterator[Operation]:
        for operation in operations:
            yield operation
            match operation:
                case UrlJoin(body=inner) | Scope(body=inner):
                    yield from walk(inner)
                case Choice():
                    for _, branch in operation.branches:
                        yield from walk(branch)
                case Loop():
                    yield from walk(operation.body)
                    yield from walk(operation.empty)
                case CallFunction():
                    if id(operation.function) not in seen:
                        seen.add(id(operation.function))
                        yield from walk(operation.function.body)
                case SlotCall():
                    yield from walk(operation.content.body)

    yield from walk(body)
