"""Accepted findings: rules turned off in place by a ``note``, or for the whole site in its settings."""

from __future__ import annotations

import re

from untor.diagnostics.problem import CODES, Problem, suggestion
from untor.diagnostics.rules import ABOUT_CHECKING, RULES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping

    from untor.diagnostics.source import Source
    from untor.language.parser import ParsedTemplate
    from untor.language.scanner import Mark

_ACCEPT = re.compile(r"\s*accept\s+(?P<code>[\w-]+)\s*(?::(?P<reason>.*))?", re.DOTALL)
_ALONE = re.compile(r"[ \t]*(?:<!\s*note\b(?:(?!!>).)*!>[ \t]*)+", re.DOTALL)
ACCEPTABLE = RULES.keys() - ABOUT_CHECKING


def why_not(code: str) -> str:
    """Say why a code cannot be accepted; empty when it can."""
    if code in ACCEPTABLE:
        return ""
    if code in CODES:
        return f'"{code}" is an error, not a rule: the template cannot be rendered until it is fixed.'
    return suggestion(code, ACCEPTABLE, f"Rules are {', '.join(sorted(ACCEPTABLE))}.")


class Suppressions:
    """The findings that are accepted, by place and for the whole site; it knows which were used."""

    def __init__(self, readings: Iterable[ParsedTemplate], accepted: Mapping[str, str | Mapping[str, str]]) -> None:
        self.everywhere = {code for code, reason in accepted.items() if isinstance(reason, str)}
        self.folders = {folder: {*codes} for folder, codes in accepted.items() if not isinstance(codes, str)}
        self.notes: dict[tuple[str, int, str], Mark] = {}
        self.used: set[tuple[str, int]] = set()
        self.problems: list[Problem] = []
        self.sources: dict[str, Source] = {}
        self.count = 0
        for reading in readings:
            self.sources[reading.source.name] = reading.source
            for note in reading.notes:
                self._take(reading.source, note)

    def _take(self, source: Source, note: Mark) -> None:
        match = _ACCEPT.match(source.text[note.inner_start : note.inner_end])
        if match is None:
            return
        code = match["code"]
        start = note.inner_start + match.start("code")
        place = (source, start, start + len(code))
        if trouble := why_not(code):
            self.problems.append(Problem("accept-unknown", *place, word=code, near=trouble))
        elif not (match["reason"] or "").strip():
            self.used.add((source.name, note.start))
            self.problems.append(Problem("accept-reason", *place, word=code))
        for line in _lines(source, note):
            self.notes[source.name, line, code] = note

    def takes(self, problem: Problem) -> bool:
        """Return whether a problem is accepted."""
        if problem.code not in ACCEPTABLE or problem.source is None:
            return False
        line = problem.source.position(problem.start)[0]
        note = self.notes.get((problem.source.name, line, problem.code))
        if note is not None:
            self.used.add((problem.source.name, note.start))
        name = problem.source.name
        in_folder = any(problem.code in codes for folder, codes in self.folders.items() if name.startswith(folder))
        accepted = note is not None or problem.code in self.everywhere or in_folder
        self.count += accepted
        return accepted

    def left_over(self) -> Iterator[Problem]:
        """Yield the problems of the notes themselves, last of all those that nothing was found for."""
        yield from self.problems
        for (name, _, code), note in self.notes.items():
            if (name, note.start) not in self.used and code in ACCEPTABLE:
                self.used.add((name, note.start))
                yield Problem("accept-unused", self.sources[name], note.start, note.end, word=code)


def _lines(source: Source, note: Mark) -> Iterator[int]:
    """Yield the lines that a note counts for: its own; alone in its line, also the next line that is not a note."""
    first, last = source.position(note.start)[0], source.position(note.end - 1)[0]
    yield from range(first, last + 1)
    text = "\n".join(source.line(line) for line in range(first, last + 1))
    if _ALONE.fullmatch(text):
        line = last + 1
        while line <= len(source.starts) and (not source.line(line).strip() or _ALONE.fullmatch(source.line(line))):
            line += 1
        yield line
