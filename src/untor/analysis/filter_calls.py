"""Calls of filters, as far as they can be judged when a template is compiled: their arguments and their constants."""

from __future__ import annotations

import inspect
from types import FunctionType
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

from untor.diagnostics.hints import CALLS
from untor.diagnostics.problem import Problem, suggestion
from untor.filters import SAMPLES
from untor.language import tree
from untor.runtime.filter_error import FilterProblem

if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

    from untor.diagnostics.source import Source


def wrong_arguments(source: Source, node: tree.Filter, function: Callable[..., object]) -> Problem | None:
    """Return the problem of arguments that a filter does not have, or has and does not get."""
    signature = _signature(function)
    if signature is None:
        return None
    parameters = _parameters(signature)
    if parameters is None:
        place = node.name_start, node.name_start + len(node.name)
        return _problem(source, node, signature, place, "takes no value", "The value is a filter's first argument.")
    kinds = {parameter.kind for parameter in parameters}
    names = [each.name for each in parameters if each.kind not in {each.VAR_POSITIONAL, each.VAR_KEYWORD}]
    by_place = [each.name for each in parameters if each.kind in {each.POSITIONAL_ONLY, each.POSITIONAL_OR_KEYWORD}]
    for name, value in node.named.items():
        start = source.text.rfind(name, node.name_start, value.start)
        place = start, start + len(name)
        if name not in names and not any(kind.name == "VAR_KEYWORD" for kind in kinds):
            near = suggestion(name, names)
            return _problem(source, node, signature, place, f'has no argument "{name}"', near)
        if name in by_place[: len(node.arguments)]:
            return _problem(source, node, signature, place, f'gets the argument "{name}" twice')
    if len(node.arguments) > len(by_place) and not any(kind.name == "VAR_POSITIONAL" for kind in kinds):
        extra = node.arguments[len(by_place)]
        count = f"at most {len(by_place)}" if by_place else "no"
        arguments = "argument" if len(by_place) == 1 else "arguments"
        trouble = f"takes {count} {arguments} {'without a name' if len(names) > len(by_place) else ''}".rstrip()
        return _problem(source, node, signature, (extra.start, extra.end), trouble)
    given = {*by_place[: len(node.arguments)], *node.named}
    for each in parameters:
        if each.name in names and each.name not in given and each.default is each.empty:
            place = node.name_start, node.name_start + len(node.name)
            return _problem(source, node, signature, place, f'requires the argument "{each.name}"')
    return None


_signatures: WeakKeyDictionary[FunctionType, inspect.Signature] = WeakKeyDictionary()
"""Those of functions, which take longer to find out than all else of a call."""


def _signature(function: Callable[..., object]) -> inspect.Signature | None:
    """Return the signature of a filter; ``None`` if it is not known."""
    if isinstance(function, FunctionType) and function in _signatures:
        return _signatures[function]
    try:
        signature = inspect.signature(function)
    except Exception:  # noqa: BLE001  of some functions of Python itself nothing is known; classes may do anything
        return None
    if isinstance(function, FunctionType):
        _signatures[function] = signature
    return signature


def _problem(  # noqa: PLR0917  all of one message
    source: Source,
    node: tree.Filter,
    signature: inspect.Signature,
    place: tuple[int, int],
    trouble: str,
    near: str = "",
) -> Problem:
    shape = f"value | {node.name}{_arguments(signature)}"
    example = CALLS.get(node.name)
    hint = near or (f"Write {example}. It takes {shape}." if example else f"It takes {shape}.")
    return Problem("filter-arguments", source, *place, hint=hint, word=node.name, trouble=trouble, shape=shape)


def wrong_constants(source: Source, node: tree.Filter, function: Callable[..., object]) -> Problem | None:
    """Return the problem of constants that a built-in filter can do nothing with, whatever the value is."""
    arguments = [*node.arguments, *node.named.values()]
    if node.name not in SAMPLES or not arguments or not all(map(_is_constant, arguments)):
        return None
    named = {name: _value(each) for name, each in node.named.items()}
    values = map(_value, node.arguments)
    try:
        function(SAMPLES[node.name](), *values, **named)
    except (FilterProblem, TypeError) as error:
        start, end = arguments[0].start, max(each.end for each in arguments)
        return Problem("filter-constant", source, start, end, word=node.name, trouble=str(error))
    return None


def _is_constant(node: tree.Expression) -> bool:
    while isinstance(node, tree.Unary) and node.operator == "-":
        node = node.operand
    return isinstance(node, tree.Constant)


def _value(node: tree.Expression) -> Any:
    if isinstance(node, tree.Unary):
        return -_value(node.operand)
    assert isinstance(node, tree.Constant)  # noqa: S101  nothing else is constant
    return node.value


def _parameters(signature: inspect.Signature) -> list[inspect.Parameter] | None:
    """Return the parameters of a filter after the value; ``None`` if it can't take a value."""
    parameters = [*signature.parameters.values()]
    if not parameters or parameters[0].kind in {inspect.Parameter.KEYWORD_ONLY, inspect.Parameter.VAR_KEYWORD}:
        return None
    return parameters if parameters[0].kind is inspect.Parameter.VAR_POSITIONAL else parameters[1:]


def _arguments(signature: inspect.Signature) -> str:
    """Show the arguments of a filter as a template writes them, without the value."""
    shown = []
    for parameter in _parameters(signature) or ():
        if parameter.kind is parameter.VAR_POSITIONAL:
            shown.append(f"{parameter.name}, …")
        elif parameter.kind is parameter.VAR_KEYWORD:
            shown.append("…=…")
        elif parameter.default is not parameter.empty:
            shown.append(f"{parameter.name}={parameter.default!r}")
        else:
            shown.append(f"{parameter.name}=…" if parameter.kind is parameter.KEYWORD_ONLY else parameter.name)
    return f"({', '.join(shown)})" if shown else ""
