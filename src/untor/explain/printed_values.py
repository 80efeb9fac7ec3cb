"""The values of a page: where each is in the source, its context, its filters and escaping."""

from __future__ import annotations

import re
from dataclasses import dataclass

from untor.check.type_rules import known_of
from untor.diagnostics.source import Source
from untor.escape import ESCAPERS
from untor.explain.descriptions import in_order, kind_of_context
from untor.inference.pages import PageTypes
from untor.language import tree
from untor.language.expressions import ExpressionParser
from untor.language.tokens import SyntaxProblem
from untor.types.model import ANY, shown

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Placement, TemplateIR
    from untor.compiler.compiler import Compiler


@dataclass(frozen=True, slots=True)
class PrintedValue:
    """One value in one place; ``done`` lists its filters and escaping functions, in order.

    ``type`` is its type before the escaping; empty where it is not known.
    """

    number: int
    placement: Placement
    kind: str
    done: tuple[str, ...]
    type: str = ""

    @property
    def context(self) -> str:
        """The name of the context, and what it is in, from the outside in."""
        return context_in_words(self.placement)


_STEP = re.compile(r"(element|attribute) (\S+)")
_SHOWN = {"element": "<{}>", "attribute": 'attribute "{}"'}


def context_in_words(placement: Placement) -> str:
    """Return the name of a placement's context, and what it is in, from the outside in."""
    *around, last = placement.path
    if not placement.context.endswith(last.lower().replace(" ", "-")):
        around.append(last)
    steps = [(step, _STEP.fullmatch(step)) for step in around]
    shown = [_SHOWN[match[1]].format(match[2]) if match else step for step, match in steps]
    words = " \N{SINGLE RIGHT-POINTING ANGLE QUOTATION MARK} ".join(shown)
    if placement.context.endswith("attribute") and words.startswith("attribute "):
        return f"{placement.context} {words.removeprefix('attribute ')}"
    return f"{placement.context} in {words}" if words else placement.context


def values_of(compiler: Compiler, planned: TemplateIR) -> list[PrintedValue]:
    """Return the values of a page, numbered in its order."""
    types = PageTypes(planned, known_of(compiler.settings), lambda *_, **__: None)
    types.walk()
    known = {placement: "" if kind == ANY else shown(kind) for placement, kind in types.printed.items()}
    return [value_of(number, each, known.get(each, "")) for number, each in enumerate(planned.placements, 1)]


def values_as_data(page: str, values: list[PrintedValue]) -> dict[str, object]:
    """Return the values of a page for programs."""
    rows = [
        {
            "template": value.placement.template,
            "line": value.placement.line,
            "column": value.placement.column,
            "expression": value.placement.expression,
            "type": value.type or None,
            "context": value.placement.context,
            "path": value.placement.path,
            "escapers": value.placement.escapers,
            "done": value.done,
            "reason": value.placement.reason,
        }
        for value in values
    ]
    return {"page": page, "values": rows}


def value_of(number: int, placement: Placement, kind: str) -> PrintedValue:
    """Return how the value of a placement is filtered and escaped; ``kind`` is its type, empty if not known."""
    if placement.reason is not None and placement.context == "text":
        steps = (*_filters(placement)[:-1], f"printed unescaped, because: {placement.reason}")
        return PrintedValue(number, placement, "trusted", steps, kind)
    escaped = [ESCAPERS[name].words for name in in_order(placement.escapers) or ("plain",)]
    return PrintedValue(number, placement, kind_of_context(placement.context), (*_filters(placement), *escaped), kind)


def _filters(placement: Placement) -> list[str]:
    """Return the filters at the end of an expression, first applied first."""
    return [f"filter {shown}" for _, shown in chain(placement.expression)[1:]]


def chain(expression: str) -> list[tuple[str, str]]:
    """Return an expression up to each of the filters at its end: all of it so far, and what was added."""
    source = Source("expression", expression)
    try:
        node = ExpressionParser(source, 0, len(expression)).expression()
    except SyntaxProblem:  # a placement's expression has been read before
        return [(expression, expression)]
    steps: list[tuple[str, str]] = []
    while isinstance(node, tree.Filter):
        if node.value.start > node.start:  # in brackets of its own
            return [*chain(expression[node.start + 1 : node.end - 1].strip()), *reversed(steps)]
        steps.append((expression[: node.end], expression[node.name_start : node.end]))
        node = node.value
    first = expression[node.start : node.end]
    return [(first, first), *reversed(steps)]
