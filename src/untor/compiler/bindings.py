"""What generated code reads and calls, by name."""

from __future__ import annotations

from functools import partial

from untor.escape import MISSING, printed
from untor.escape.accelerated import accelerated, codegen_names, configure
from untor.runtime import async_iteration, attributes, iteration, parameter_types
from untor.runtime.tracebacks import has_no_location, replacement_for
from untor.runtime.truth import truth

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.codegen.compiled import CompiledCode
    from untor.compiler.settings import CompilerSettings
    from untor.diagnostics.source import Source
    from untor.escape import Escapers
    from untor.runtime.calls import Calls

_RUNTIME = {
    "MISSING": MISSING,
    "NONCE": parameter_types.NONCE,
    "ahead": iteration.ahead,
    "ahead_async": async_iteration.ahead_async,
    "check": parameter_types.check,
    "collected": async_iteration.collected,
    "dot": accelerated(attributes.dot),
    "dot_data": accelerated(attributes.dot_data),
    "dot_data_maybe": attributes.dot_data_maybe,
    "dot_maybe": attributes.dot_maybe,
    "direct": attributes.direct_types,
    "each": iteration.each,
    "each_async": async_iteration.each_async,
    "enumerate_async": async_iteration.enumerate_async,
    "given": attributes.given,
    "is_awaitable": async_iteration.is_awaitable,
    "item": attributes.item,
    "item_maybe": attributes.item_maybe,
    "missing_name": attributes.missing_name,
    "modulo": attributes.modulo,
    "none_is_missing": attributes.none_is_missing,
    "pairs": iteration.pairs,
    "pairs_async": async_iteration.pairs_async,
    "plain_values": attributes.plain_values,
    "printed": printed,
    "sized": iteration.sized,
    "sized_async": async_iteration.sized_async,
    "takes_missing": parameter_types.takes_missing,
    "truth": truth,
    **codegen_names(),
}
"""The same for every template."""

configure(
    direct=attributes.direct_types,
    plain=attributes.plain_values,
    missing=MISSING,
    truth=truth,
    each=iteration.each,
    pairs=iteration.pairs,
    rest=iteration.rest,
    has_no_location=has_no_location,
)


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
    known = {**settings.filters, **filters}
    everywhere = {**settings.helpers, **settings.globals, **helpers}
    return {
        **_RUNTIME,
        **{f"e_{name.replace('-', '_')}": escapers[name] for name in built.escapers},
        **{f"f_{name}": known[name] for name in built.filters},
        **{f"g_{name}": everywhere.get(name, MISSING) for name in built.globals},
        "callee": calls.callee,
        "callee_of": calls.callee_of,
        "everywhere": everywhere,
        "merge": partial(attributes.merge, everywhere),
        "trouble": partial(replacement_for, sources=sources, calls=built.calls, reads=built.reads),
        "__name__": "untor.page",
        "__loader__": _SourceLines(next(iter(sources.values()))),
        "__untor_sources__": sources,
    }


class _SourceLines:
    """Gives Python's tracebacks the lines of a template that is in no file."""

    def __init__(self, source: Source) -> None:
        self.source = source

    def get_source(self, name: str) -> str:  # noqa: ARG002  the signature that linecache calls
        """Return the text of the template."""
        return self.source.text
