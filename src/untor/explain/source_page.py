"""The source of a page's templates as a page: each value marked by its kind of context, with details beside it."""

from __future__ import annotations

from dataclasses import dataclass, field
from importlib.resources import files

from untor.analysis.analyser import surroundings_of
from untor.engine.engine import Engine
from untor.explain.descriptions import KINDS, Kind
from untor.language.scanner import Scanner
from untor.loading.version import VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import TemplateIR
    from untor.compiler.compiler import Compiler
    from untor.diagnostics.source import Source
    from untor.engine.template import Template
    from untor.explain.printed_values import PrintedValue
    from untor.language.scanner import Mark


@dataclass(frozen=True, slots=True)
class Segment:
    """A piece of a line: text, a step, or a value; of a value, all that it is in this page."""

    look: str
    text: str
    values: list[PrintedValue] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class SourceLine:
    """A line of a template, with the values that begin in it."""

    number: int
    segments: list[Segment]
    values: list[PrintedValue]


@dataclass(frozen=True, slots=True)
class File:
    """A template."""

    name: str
    lines: list[SourceLine]
    count: int


@dataclass(frozen=True, slots=True)
class Legend:
    """A kind of context and how many values of the page are of that kind."""

    look: str
    kind: Kind
    count: int


def explained_template() -> Template:
    """Return the template of the page, which is rendered with ``explained_context``."""
    return Engine(str(files("untor.explain") / "templates")).template("explained")


def explained_context(compiler: Compiler, planned: TemplateIR, values: list[PrintedValue]) -> dict[str, object]:
    """Return what the page shows: all templates that a page is made of and has values in."""
    sources = [planned.source, *(compiler.reading(name).source for name in planned.dependencies)]
    shown = [_file(source, values) for source in dict.fromkeys(sources)]
    legend = [Legend(look, kind, sum(value.kind == look for value in values)) for look, kind in KINDS.items()]
    return {
        "page": planned.source.name,
        "files": [file for file in shown if file.count or file.name == planned.source.name],
        "legend": [entry for entry in legend if entry.count],
        "signs": {look: kind.sign for look, kind in KINDS.items()},
        "trusted": [value for value in values if value.kind == "trusted"],
        "total": len(values),
        "version": VERSION,
    }


def _file(source: Source, values: list[PrintedValue]) -> File:
    """Cut a template into lines and these into segments."""
    at: dict[tuple[int, int], list[PrintedValue]] = {}
    for value in values:
        if value.placement.template == source.name:
            at.setdefault((value.placement.line, value.placement.column), []).append(value)
    lines: list[SourceLine] = [SourceLine(number, [], []) for number in range(1, len(source.starts) + 1)]
    for mark in Scanner(source, surroundings_of(source)).scan():
        here = at.get(source.position(mark.start), []) if mark.kind == "print" else []
        first = source.position(mark.start)[0]
        lines[first - 1].values.extend(here)
        for offset, text in enumerate(_split(source, mark)):
            if text:
                lines[first - 1 + offset].segments.append(Segment(_look(mark, here), text, here))
    if lines and not lines[-1].segments:
        lines.pop()
    return File(source.name, lines, sum(len(found) for found in at.values()))


def _look(mark: Mark, here: list[PrintedValue]) -> str:
    if mark.kind == "print":
        kinds = {value.kind for value in here}
        return kinds.pop() if len(kinds) == 1 else "several" if kinds else "unused"
    return mark.kind if mark.kind in {"text", "step"} else "dropped"


def _split(source: Source, mark: Mark) -> list[str]:
    """Return the text of a mark line by line, without the line breaks."""
    if mark.start == mark.end:
        return []
    first, last = source.position(mark.start)[0], source.position(mark.end - 1)[0]
    parts = []
    for number in range(first, last + 1):
        start = max(mark.start, source.starts[number - 1])
        end = min(mark.end, source.starts[number] if number < len(source.starts) else len(source.text))
        parts.append(source.text[start:end].rstrip("\r\n"))
    return parts
