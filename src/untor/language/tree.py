"""The nodes of a template's tree; ``start`` and ``end`` are offsets in the source."""

from __future__ import annotations

from dataclasses import dataclass, field

from untor.language.keywords import PLURAL_FORM

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator


@dataclass(slots=True)
class Node:
    """Anything with a place in the source."""

    start: int
    end: int


# --- expressions ---------------------------------------------------------------------------------------------------


@dataclass(slots=True)
class Expression(Node):
    """Something with a value."""


@dataclass(slots=True)
class Constant(Expression):
    """A literal: text, number, ``True``, ``False`` or ``None``."""

    value: str | float | bool | None


@dataclass(slots=True)
class Name(Expression):
    """A name from a loop, a ``let`` or the context."""

    name: str


@dataclass(slots=True)
class ListDisplay(Expression):
    """``[a, b]``."""

    items: list[Expression]


@dataclass(slots=True)
class DictDisplay(Expression):
    """``{key: value}``."""

    items: list[tuple[Expression, Expression]]


@dataclass(slots=True)
class Attribute(Expression):
    """``owner.name``; ``name_start`` is the offset of the name after the dot."""

    owner: Expression
    name: str
    name_start: int


@dataclass(slots=True)
class Item(Expression):
    """``owner[index]``."""

    owner: Expression
    index: Expression


@dataclass(slots=True)
class Slice(Expression):
    """``first:last:step`` between the brackets of an item."""

    first: Expression | None
    last: Expression | None
    step: Expression | None


@dataclass(slots=True)
class Maybe(Expression):
    """``value?``: the value, or nothing when its last step is missing."""

    value: Expression


@dataclass(slots=True)
class Otherwise(Expression):
    """``value ?? fallback``."""

    value: Expression
    fallback: Expression


@dataclass(slots=True)
class Unary(Expression):
    """``-a``, ``+a`` or ``not a``."""

    operator: str
    operand: Expression


@dataclass(slots=True)
class Binary(Expression):
    """``a + b`` and the like, also ``and`` and ``or``."""

    left: Expression
    operator: str
    right: Expression


@dataclass(slots=True)
class Comparisons(Expression):
    """``a < b <= c``: the first operand, then each operator with its operand."""

    first: Expression
    rest: list[tuple[str, Expression]]


@dataclass(slots=True)
class Conditional(Expression):
    """``then if test else otherwise``."""

    test: Expression
    then: Expression
    otherwise: Expression


@dataclass(slots=True)
class Call(Expression):
    """``function(arguments, key=argument)``."""

    function: Expression
    arguments: list[Expression]
    named: dict[str, Expression]


@dataclass(slots=True)
class Filter(Expression):
    """``value | name(arguments, key=argument)``."""

    value: Expression
    name: str
    name_start: int
    arguments: list[Expression]
    named: dict[str, Expression]


@dataclass(slots=True)
class Unreadable(Expression):
    """An expression with a problem, so that nothing is known of its value; ``parts`` are the names in it."""

    parts: list[Name]


# --- steps ---------------------------------------------------------------------------------------------------------


@dataclass(slots=True)
class Text(Node):
    """Fixed text of the template."""

    text: str


@dataclass(slots=True)
class Letters(Node):
    """Text of a translation: nothing in it means anything but itself."""

    text: str


@dataclass(slots=True)
class Print(Node):
    """``{= expression =}``."""

    expression: Expression


@dataclass(slots=True)
class Let(Node):
    """``<! let name = expression !>``; ``name_start`` is the offset of the name."""

    name: str
    expression: Expression
    name_start: int = 0


@dataclass(slots=True)
class Block(Node):
    """A step with content; ``start`` and ``end`` are those of its opening mark."""

    word: str


@dataclass(slots=True)
class Branch:
    """One branch of an ``if``; without a test, the ``else``. ``start`` and ``end`` are those of its mark."""

    start: int
    end: int
    test: Expression | None
    body: list[Node] = field(default_factory=list)


@dataclass(slots=True)
class If(Block):
    """``if``, ``elif``, ``else``."""

    branches: list[Branch]


@dataclass(slots=True)
class For(Block):
    """A loop; ``between`` and ``empty`` are the contents of its ``between`` and ``else``, ``None`` without one.

    ``content_end`` is where what is done for each item ends: its ``else`` or ``end``. ``name_starts`` are the offsets
    of the names, ``position_start`` is that of the position's.
    """

    names: list[str]
    iterable: Expression
    condition: Expression | None
    position: str | None
    body: list[Node] = field(default_factory=list)
    empty: list[Node] | None = None
    between: list[Node] | None = None
    content_end: int = 0
    name_starts: tuple[int, ...] = ()
    position_start: int = 0


@dataclass(slots=True)
class Say(Block):
    """A message that can be translated.

    ``about`` distinguishes it from others with the same words; ``name`` is that of the counted value, ``count``.
    ``kind`` is what its text is read as: ``markup``, ``text`` (with character references) or ``raw``. ``plural`` is the
    content of its ``else``, whose mark is at ``plural_place``; ``None`` without one. ``name_start`` is the offset of
    the name.
    """

    name: str
    count: Expression | None
    about: str
    kind: str
    body: list[Node] = field(default_factory=list)
    plural: list[Node] | None = None
    plural_place: tuple[int, int] = (0, 0)
    name_start: int = 0


def said(node: Say, singular: list[Node] | None = None, plural: list[Node] | None = None) -> list[Node]:
    """Return what a message does when it is not translated, as other nodes; or the same with other contents."""
    body = node.body if singular is None else singular
    plural = node.plural if plural is None else plural
    if node.count is None:
        return body
    let = Let(node.start, node.end, node.name, node.count, node.name_start)
    if plural is None:
        return [let, *body]
    return [let, choice(node, "", [body, plural])]


def choice(node: Say, locale: str, forms: list[list[Node]]) -> If:
    """Return the step that prints one of a message's forms, by the number and the rules of a locale."""
    place = node.start, node.end
    number = Name(*place, node.name)
    branches = []
    for index, form in enumerate(forms):
        which = Filter(*place, number, PLURAL_FORM, node.start, [Constant(*place, locale)], {})
        test = Comparisons(*place, which, [("==", Constant(*place, index))])
        mark = node.plural_place if index and not locale else place
        branches.append(Branch(*mark, test if index < len(forms) - 1 else None, form))
    return If(*place, node.word, branches)


# --- pieces put together -------------------------------------------------------------------------------------------


@dataclass(slots=True)
class Argument(Node):
    """``name=value`` of a call of another template; ``name`` alone is short for ``name=name``."""

    name: str
    value: Expression


@dataclass(slots=True)
class Annotation(Node):
    """A type, as ``takes`` and ``part`` write it: a name, and what is in its brackets; ``|`` is a union.

    A value of ``Literal`` has no name.
    """

    name: str
    arguments: list[Annotation] = field(default_factory=list)
    value: str | float | bool | None = None


@dataclass(slots=True)
class Parameter(Node):
    """What a template or part takes: name, type and default.

    ``type`` is what is checked when a value is passed: empty for any, several with ``|`` between them, ``*`` for what
    is given to a template that does not say what it takes. ``annotation`` is the whole type; ``default`` is ``None``
    for none.
    """

    name: str
    type: str
    default: Expression | None
    optional: bool = False
    """Whether the value may be ``None``."""
    annotation: Annotation | None = None


@dataclass(slots=True)
class Target(Node):
    """Which template or part is called: a part of this file, of another file, or a whole file.

    ``file_start`` and ``file_end`` are the offsets of the file's name, with its quotes.
    """

    part: str
    file: str
    file_start: int = 0
    file_end: int = 0

    def __str__(self) -> str:
        return self.part or self.file


@dataclass(slots=True)
class Layout(Node):
    """``layout "NAME" ARG, …``; it is torn when its arguments could not all be read."""

    target: Target
    arguments: list[Argument]
    is_torn: bool = False


@dataclass(slots=True)
class Takes(Node):
    """``takes NAME: TYPE = EXPR, …``; it is torn when not all of them could be read."""

    parameters: list[Parameter]
    is_torn: bool = False


@dataclass(slots=True)
class Include(Block):
    """``include "NAME" ARG, …``, and ``use`` with content for its slots; torn when not all arguments could be read."""

    target: Target
    arguments: list[Argument]
    body: list[Node] = field(default_factory=list)
    is_torn: bool = False


@dataclass(slots=True)
class Into(Block):
    """Content for a slot; ``name_start`` is the offset of its name."""

    name: str
    body: list[Node] = field(default_factory=list)
    name_start: int = 0


@dataclass(slots=True)
class Slot(Block):
    """Where content goes; ``fallback`` is ``None`` without an ``else``. ``name_start`` is the offset of its name."""

    name: str
    fallback: list[Node] | None
    name_start: int = 0


@dataclass(slots=True)
class Fallback(Node):
    """The slot's own fallback content, inside an ``into``."""


@dataclass(slots=True)
class Part(Block):
    """A reusable piece of this file; ``name_start`` is the offset of its name."""

    name: str
    parameters: list[Parameter]
    body: list[Node] = field(default_factory=list)
    name_start: int = 0


def children(node: Expression) -> Iterator[Expression]:
    """Yield the direct parts of an expression, in the order they are written."""
    match node:
        case ListDisplay():
            yield from node.items
        case DictDisplay():
            for pair in node.items:
                yield from pair
        case Attribute(owner=part) | Maybe(value=part) | Unary(operand=part):
            yield part
        case Item(owner=first, index=second) | Otherwise(value=first, fallback=second):
            yield from (first, second)
        case Binary(left=first, right=second):
            yield from (first, second)
        case Slice():
            yield from (part for part in (node.first, node.last, node.step) if part is not None)
        case Comparisons():
            yield node.first
            yield from (part for _, part in node.rest)
        case Conditional():
            yield from (node.then, node.test, node.otherwise)
        case Call():
            yield node.function
            yield from node.arguments
            yield from node.named.values()
        case Filter():
            yield node.value
            yield from node.arguments
            yield from node.named.values()
        case Unreadable():
            yield from node.parts


def inside(node: Node) -> list[Node]:
    """Return the nodes directly inside a step."""
    match node:
        case If():
            return [inner for branch in node.branches for inner in branch.body]
        case For():
            return [*node.body, *(node.between or []), *(node.empty or [])]
        case Say():
            return said(node)
        case Slot():
            return node.fallback or []
        case Include() | Into() | Part():
            return node.body
    return []
