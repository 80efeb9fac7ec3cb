"""The values of a page: where each stands in the source, where it lands, what is done to it."""

from __future__ import annotations

from dataclasses import dataclass

from untor.diagnostics.source import Source
from untor.explain.descriptions import WORDS, in_order, kind_of_context
from untor.language import tree
from untor.language.expressions import Parser
from untor.language.tokens import ProblemFound

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Placement


@dataclass(frozen=True, slots=True)
class Value:
    """One value in one place; ``done`` is what is done to it, in order, filters first."""

    number: int
    placement: Placement
    kind: str
    done: tuple[str, ...]


def values_of(placements: list[Placement]) -> list[Value]:
    """Return the values of a page, numbered in its order."""
    return [_value(number, placement) for number, placement in enumerate(placements, 1)]


def _value(number: int, placement: Placement) -> Value:
    if placement.reason is not None and placement.context == "text":
        done = (*_filters(placement)[:-1], f"printed as it is, because: {placement.reason}")
        return Value(number, placement, "trusted", done)
    escaped = [WORDS[name] for name in in_order(placement.escapers) or ("plain",)]
    return Value(number, placement, kind_of_context(placement.context), (*_filters(placement), *escaped))


def _filters(placement: Placement) -> list[str]:
    """Return the filters at the end of an expression, first applied first."""
    return [f"filter {shown}" for _, shown in chain(placement.expression)[1:]]


def chain(expression: str) -> list[tuple[str, str]]:
    """Return an expression up to each of the filters at its end: all of it so far, and what was added."""
    source = Source("expression", expression)
    try:
        node = Parser(source, 0, len(expression)).expression()
    except ProblemFound:  # a placement's expression has been read before
        return [(expression, expression)]
    steps: list[tuple[str, str]] = []
    while isinstance(node, tree.Filter):
        steps.append((expression[: node.end], expression[node.name_start : node.end]))
        node = node.value
    first = expression[node.start : node.end]
    return [(first, first), *reversed(steps)]
