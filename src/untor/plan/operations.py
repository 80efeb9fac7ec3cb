"""What a template does when it is rendered: the plan that ``build`` turns into Python."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.language import tree
    from untor.problems import Problem
    from untor.source import Source


class Placement(NamedTuple):
    """Where one value of a template lands and what is done to it.

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


@dataclass(slots=True)
class Operation:
    """One thing to do."""


@dataclass(slots=True)
class Constant(Operation):
    """Print fixed text."""

    text: str


@dataclass(slots=True)
class Emit(Operation):
    """Print a value through an escaping function, called with ``before``, the value and ``after``."""

    expression: tree.Expression
    escaper: str
    placement: Placement
    before: tuple[str, ...] = ()
    after: tuple[str, ...] = ()


@dataclass(slots=True)
class UrlFixed(Operation):
    """Fixed text of a URL, as it stands in the page and as a browser reads it."""

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
    """Collect the pieces of a URL, decide on the whole, and print it."""

    escaper: str
    body: list[Operation]


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
class Plan:
    """All that is known about a template when it is compiled."""

    source: Source
    body: list[Operation] = field(default_factory=list)
    inputs: tuple[str, ...] = ()
    problems: list[Problem] = field(default_factory=list)

    @property
    def placements(self) -> list[Placement]:
        """The placement of each value, in the order of the page."""
        return [operation.placement for operation in every(self.body) if isinstance(operation, Emit | UrlValue)]


def every(body: list[Operation]) -> Iterator[Operation]:
    """Yield each operation, in the order of the page."""
    for operation in body:
        yield operation
        if isinstance(operation, UrlJoin):
            yield from every(operation.body)
        elif isinstance(operation, Choice):
            for _, branch in operation.branches:
                yield from every(branch)
        elif isinstance(operation, Loop):
            yield from every(operation.body)
            yield from every(operation.empty)
