"""What generated code reads and calls, by name."""

from __future__ import annotations

from collections import ChainMap
from functools import partial

from untor.escape import ESCAPERS, MISSING, printed
from untor.escape.accelerated import configure, program
from untor.escape.kinds import is_absent, plain_types
from untor.escape.reports import reports
from untor.escape.truth import truth
from untor.runtime import async_iteration, attributes, deferred, iteration, parameter_checks, places, rendering
from untor.runtime.comparison import compare
from untor.runtime.compiled import without_steps
from untor.runtime.tracebacks import SourceLines, failed, replacement_for

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from typing import Any

    from untor.compiler.settings import CompilerSettings
    from untor.escape import Escapers
    from untor.escape._extension import Program
    from untor.runtime.calls import Calls
    from untor.runtime.compiled import CompiledCode, CompiledProgram

_RUNTIME = {
    "_MISSING": MISSING,
    "_NONCE": parameter_checks.NONCE,
    "_ahead": iteration.ahead,
    "_ahead_async": async_iteration.ahead_async,
    "_check": parameter_checks.check,
    "_compare": compare,
    "_computed": deferred.computed_in,
    "_collected": async_iteration.collected,
    "_dot": attributes.dot,
    "_dot_data": attributes.dot_data,
    "_dot_data_maybe": attributes.dot_data_maybe,
    "_dot_maybe": attributes.dot_maybe,
    "_counted": iteration.counted,
    "_each": iteration.each,
    "_each_async": async_iteration.each_async,
    "_enumerate_async": async_iteration.enumerate_async,
    "_is_absent": is_absent,
    "_is_awaitable": async_iteration.is_awaitable,
    "_is_chunk": rendering.is_chunk,
    "_item": attributes.item,
    "_item_maybe": attributes.item_maybe,
    "_modulo": attributes.modulo,
    "_none_is_missing": attributes.none_is_missing,
    "_pairs": iteration.pairs,
    "_pairs_async": async_iteration.pairs_async,
    "_plain_objects": attributes.plain_objects,
    "_plain_types": plain_types,
    "_printed": printed,
    "_sized": iteration.sized,
    "_sized_async": async_iteration.sized_async,
    "_truth": truth,
    **{
        f"_{each.__name__}": each
        for each in (Exception, deferred.Deferred, bool, dict, enumerate, float, int, len, list, slice, str, type)
    },
}
"""The same for every template."""

_OF_LETTER = {row.letter: name for name, row in ESCAPERS.items() if row.letter}

configure(
    direct=attributes.direct_types,
    items=attributes.item_types,
    both=attributes.both_types,
    rows=attributes.row_types,
    dot=attributes.dot,
    plain=plain_types,
    missing=MISSING,
    truth=truth,
    each=iteration.each,
    pairs=iteration.pairs,
    item=attributes.item,
    printed=printed,
    not_there=attributes.not_there,
    compare=compare,
    is_absent=is_absent,
    reported=places.reported,
    reports=reports,
    only_data=attributes.only_data,
    collected=async_iteration.collected,
    computed=deferred.computed,
    deferred=deferred.Deferred,
)


def _of_engine(
    settings: CompilerSettings,
    helpers: Mapping[str, Callable[..., object]],
    filters: Mapping[str, Callable[..., object]],
) -> tuple[Mapping[str, Callable[..., object]], dict[str, object]]:
    """Return the filters, and the names that every page sees."""
    return ChainMap({**filters}, settings.filters, settings.translator.filters), {**settings.everywhere, **helpers}


def namespace(
    built: CompiledCode,
    settings: CompilerSettings,
    escapers: Escapers,
    calls: Calls,
    *,
    helpers: Mapping[str, Callable[..., object]],
    filters: Mapping[str, Callable[..., object]],
) -> dict[str, object]:
    """Return the global names of one template's code; ``helpers`` and ``filters`` come before those of the settings."""
    sources = built.sources
    all_filters, everywhere = _of_engine(settings, helpers, filters)
    read = {name: everywhere[name] for name in built.inputs if name in everywhere}

    def among_all(raises: Callable[[str, Any], object]) -> Callable[[str, Any], object]:
        """Let an error suggest the engine's names as well, of which the page's context has only those it reads."""
        return lambda name, scope: raises(name, scope if isinstance(scope, tuple) else {**everywhere, **scope})

    return {
        **_RUNTIME,
        **{f"_e_{name.replace('-', '_')}": escapers[name] for name in built.escapers},
        **{f"_f_{name}": all_filters[name] for name in built.filters},
        **{f"_g_{name}": everywhere.get(name, MISSING) for name in built.globals},
        "_callee": calls.callee,
        "_callee_of": calls.callee_of,
        "_everywhere": read,
        "_merge": partial(attributes.merge, read),
        "_missing_name": among_all(attributes.missing_name),
        "_takes_missing": among_all(parameter_checks.takes_missing),
        "_trouble": partial(replacement_for, sources=sources, calls=built.calls),
        "__name__": "untor.page",
        "__loader__": SourceLines(next(iter(sources.values()))),
        "__untor_sources__": sources,
        "__untor_loops__": built.loops,
    }


def loaded(
    compiled: CompiledProgram,
    settings: CompilerSettings,
    escapers: Escapers,
    calls: Calls,
    *,
    helpers: Mapping[str, Callable[..., object]],
    filters: Mapping[str, Callable[..., object]],
) -> Program:
    """Return a program with all that it calls; ``helpers`` and ``filters`` come before those of the settings."""
    all_filters, everywhere = _of_engine(settings, helpers, filters)
    kinds: dict[str, Callable[[str], object]] = {
        "runtime": lambda name: _RUNTIME[f"_{name}"],
        "escaper": escapers.__getitem__,
        "filter": all_filters.__getitem__,
        "global": lambda name: everywhere.get(name, MISSING),
        "calls": lambda name: getattr(calls, name),
        "web": lambda _: {"http", "https"} <= escapers.schemes,
    }
    for letter in {letter for _, letters, _ in compiled.joins for letter in letters}:
        if name := _OF_LETTER.get(chr(letter)):
            escapers[name]  # which is installed when it is first requested
    constants = list(compiled.constants)
    for number, link in compiled.links.items():
        kind, _, name = link.partition(":")
        constants[number] = kinds[kind](name)
    return program(
        compiled.code,
        tuple([sizes for _, sizes, *_ in compiled.functions]),
        compiled.joins,
        compiled.names,
        tuple(constants),
        compiled.inputs,
        tuple([everywhere.get(name, MISSING) for name in compiled.inputs]),
        parameter_checks.NONCE,
        (
            partial(attributes.merge, everywhere),
            parameter_checks.missing,
            partial(failed, without_steps(compiled)),
            calls.callee,
            tuple(calls.helpers.values()),
        ),
    )
