"""The arguments of filters and helpers against the annotations of their parameters."""

from __future__ import annotations

import inspect
from typing import TYPE_CHECKING, NamedTuple

from untor.inference.assignable import is_assignable
from untor.types.annotations import hints_of, type_of
from untor.types.model import ANY, NONE, without_none

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping, Sequence

    from untor.language import tree
    from untor.types.model import Type

    Given = tuple[tree.Expression, Type]
    """An argument and its type."""


class Misfit(NamedTuple):
    """An argument of another type than its parameter has."""

    node: tree.Expression
    name: str
    wanted: Type
    kind: Type


def misfits(
    function: Callable[..., object], given: Sequence[Given], named: Mapping[str, Given], *, is_filter: bool
) -> Iterator[Misfit]:
    """Yield the arguments that do not fit; the first one of a filter is its value, which is never ``None`` there."""
    inner = inspect.unwrap(function)
    hints, _ = hints_of(getattr(inner, "func", inner)) if callable(inner) else ({}, ())
    if not hints:
        return
    try:
        parameters = list(inspect.signature(function).parameters.values())
    except (ValueError, TypeError):
        return
    positional = [each for each in parameters if each.kind in {each.POSITIONAL_ONLY, each.POSITIONAL_OR_KEYWORD}]
    pairs = [*zip(positional, given, strict=False)]
    pairs += [(each, named[each.name]) for each in parameters if each.name in named]
    for number, (parameter, (node, kind)) in enumerate(pairs):
        wanted = type_of(hints.get(parameter.name, object))
        passed = without_none(kind) if is_filter and number == 0 and kind != NONE else kind
        if wanted != ANY and not is_assignable(passed, wanted):
            yield Misfit(node, parameter.name, wanted, passed)
