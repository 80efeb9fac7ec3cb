"""What one value becomes, step by step, in each context in which a page prints it."""

from __future__ import annotations

import logging
from typing import NamedTuple

from untor.analysis.ir import PrintValue, UrlValue, all_operations
from untor.diagnostics.source import Source
from untor.diagnostics.wording import shortened
from untor.errors import error_of
from untor.escape import ESCAPERS
from untor.escape.url import URL
from untor.explain.descriptions import in_order
from untor.explain.printed_values import chain, context_in_words
from untor.language import tree
from untor.language.expressions import ExpressionParser
from untor.language.parser import ParsedTemplate
from untor.language.tokens import SyntaxProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.analysis.ir import TemplateIR
    from untor.compiler.compiler import Compiler


_LONGEST = 200


class Step(NamedTuple):
    """One thing done to a value, and what it is then, as text."""

    what: str
    result: str


class Journey(NamedTuple):
    """What escaping makes of a value in places of one kind: where they are, in words and by line."""

    places: tuple[str, ...]
    lines: tuple[str, ...]
    steps: list[Step]


def evaluate(compiler: Compiler, expression: str, context: Mapping[str, object]) -> object:
    """Return the value of an expression of the template language.

    Raises ``MarkError`` for one that cannot be read, and what rendering raises.
    """
    source = Source("expression", expression)
    try:
        parser = ExpressionParser(source, 0, len(expression))
        node = parser.expression()
        parser.finish()
    except SyntaxProblem as found:
        raise error_of(found.problem) from None
    steps: list[object] = []

    def keep(value: object) -> str:
        steps.append(value)
        return ""

    show = tree.Name(0, len(expression), "_show")
    mark = tree.Print(0, len(expression), tree.Call(0, len(expression), show, [node], {}))
    planned = compiler.analysed(ParsedTemplate(source, [mark]))
    if planned.problems:
        raise error_of(planned.problems[0])
    compiler.function(planned, "render", helpers={"_show": keep})(context)
    return steps[0]


def filtered(compiler: Compiler, expression: str, context: Mapping[str, object]) -> list[Step]:
    """Return the value itself, and its result after each filter of its expression."""
    return [Step(added, _shown(evaluate(compiler, whole, context))) for whole, added in chain(expression)]


def journeys(compiler: Compiler, planned: TemplateIR, expression: str, context: Mapping[str, object]) -> list[Journey]:
    """Return what escaping makes of an expression's value in the places of a page.

    Those are the places where the page prints this very expression; where it prints it nowhere, all of them.
    """
    operations = [each for each in all_operations(planned.body) if isinstance(each, PrintValue | UrlValue)]
    same = [each for each in operations if each.placement.expression == expression]
    value = evaluate(compiler, expression, context)
    journeys: dict[tuple[str, ...], list[PrintValue | UrlValue]] = {}
    for operation in same or operations:
        journeys.setdefault(operation.placement.escapers, []).append(operation)
    return [
        Journey(
            tuple(dict.fromkeys(context_in_words(each.placement) for each in group)),
            tuple(dict.fromkeys(f"{each.placement.template}:{each.placement.line}" for each in group)),
            _escaped(compiler, group[0], value),
        )
        for group in journeys.values()
    ]


def _escaped(compiler: Compiler, operation: PrintValue | UrlValue, value: object) -> list[Step]:
    """Return the steps of escaping, each with its result."""
    functions = compiler.escapers
    names = in_order(operation.placement.escapers) or ("plain",)
    if isinstance(operation, UrlValue) and operation.kind == URL:
        pieces = functions[f"{names[0]}-pieces"]
        return [Step(ESCAPERS[names[0]].words, _result(lambda: pieces([(URL, value, "")])))]
    before = operation.before if isinstance(operation, PrintValue) else ()
    after = operation.after if isinstance(operation, PrintValue) else ()
    steps: list[Step] = []
    for name in names:
        function = functions[name]
        if name == "embedded-attribute":
            inner = functions[names[0]]
            text = _result(lambda: function(*before, value, inner))  # noqa: B023  called at once
        elif steps:
            text = _result(lambda: function(steps[-1].result))  # noqa: B023
        else:
            given = (value,) if len(names) > 1 else (*before, value, *after)
            text = _result(lambda: function(*given))  # noqa: B023
        steps.append(Step(ESCAPERS[name].words, text))
    return steps


def _result(make: Callable[[], str]) -> str:
    """Return what an escaping function makes, or why it makes nothing."""
    logger = logging.getLogger("untor.blocked")
    logger.disabled = True
    try:
        return make()
    except Exception as error:  # noqa: BLE001  a value may fail in any way
        return f"({error})"
    finally:
        logger.disabled = False


def _shown(value: object) -> str:
    """Show a value with its type, shortened."""
    return f"{shortened(repr(value), _LONGEST)} ({type(value).__name__})"
