"""Rules about types: what the values of a page are, as far as it is declared, and what cannot be done with them."""

from __future__ import annotations

from dataclasses import replace

from untor.diagnostics.problem import Problem, suggestion
from untor.inference.pages import Known, PageTypes

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import TemplateIR
    from untor.compiler.settings import CompilerSettings
    from untor.diagnostics.source import Source


def known_of(settings: CompilerSettings) -> Known:
    """Return what an engine declares."""
    values = settings.everywhere
    lenient, calls_methods = settings.lenient, settings.calls_methods
    return Known(settings.types, settings.inputs, values, settings.filters, lenient, calls_methods)


def find(planned: TemplateIR, known: Known, part: str = "") -> list[Problem]:
    """Return what the types of a page's values rule out, each place once; of a part, it has its own values."""
    found: dict[object, Problem] = {}

    def report(  # noqa: PLR0917  a place has three
        code: str,
        source: Source,
        start: int,
        end: int,
        related: list[tuple[str, Source, int, int]],
        names: tuple[str, ...] | None = None,
        **words: object,
    ) -> None:
        place = code, source.name, start, end
        if place in found:
            return
        if names is not None:
            near = suggestion(str(words["name"]), names) or (f"It has {', '.join(names[:12])}." if names else "")
            words["near"] = near or "It has no attributes that a page reads."
        found[place] = Problem(code, source, start, end, **words).beside(*related)  # type: ignore[arg-type]

    PageTypes(planned, replace(known, inputs={}) if part else known, report).walk()
    return list(found.values())
