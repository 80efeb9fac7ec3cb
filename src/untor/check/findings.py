"""What the checker reports, as plain data."""

from __future__ import annotations

import hashlib
import os
import re
from dataclasses import dataclass, field
from pathlib import Path

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Placement
    from untor.diagnostics.problem import Problem
    from untor.diagnostics.source import Source


_NUMBER = re.compile(r"\d+")


@dataclass(frozen=True, slots=True, order=True)
class Related:
    """Another place of a finding: ``message`` describes it."""

    __module__ = "untor"

    path: str
    line: int
    column: int
    message: str


@dataclass(frozen=True, slots=True, order=True)
class Finding:
    """One thing that is wrong or risky.

    ``path`` is the file as seen from the current folder, ``name`` the template's name. Lines and columns count from 1,
    columns in code points; the end is the first place after the finding. ``code`` is a row of the table of problems or
    of rules, ``severity`` its ``error``, ``warning`` or ``note``. ``fingerprint`` stays the same when lines move.
    """

    __module__ = "untor"

    path: str
    line: int
    column: int
    code: str
    name: str = field(compare=False)
    end_line: int = field(compare=False)
    end_column: int = field(compare=False)
    severity: str = field(compare=False)
    message: str
    hint: str = field(compare=False)
    excerpt: str = field(compare=False, repr=False)
    fingerprint: str = field(compare=False, repr=False)
    related: tuple[Related, ...] = field(default=(), compare=False)

    def __str__(self) -> str:
        hint = [f"  {line}" for line in self.hint.splitlines()]
        return "\n".join([f"{self.path}:{self.line}:{self.column}: {self.message} [{self.code}]", self.excerpt, *hint])


@dataclass(slots=True)
class Checked:
    """The result of one check: findings in the order of files and lines, and what they were found in."""

    findings: list[Finding] = field(default_factory=list)
    templates: int = 0
    trusted: list[tuple[str, Placement]] = field(default_factory=list)
    """Each value printed as trusted, with the path of its template."""
    accepted: int = 0
    """How many findings were accepted, each with a reason."""


def shown(source: Source) -> str:
    """Return the path of a source as seen from the current folder, its name where it is in no file."""
    if source.path is None:
        return source.name
    path = Path(source.path)
    try:
        return path.absolute().relative_to(Path.cwd()).as_posix()
    except ValueError:
        return Path(os.path.normpath(path)).as_posix()


def finding_of(problem: Problem, where: Source | None = None) -> Finding:
    """Return the finding that a problem is; ``where`` is used if it has no source."""
    source = problem.source or where
    if source is None:
        raise ValueError("a finding is in a template")
    line, column = source.position(problem.start)
    end_line, end_column = source.position(max(problem.end, problem.start + 1))
    excerpt = source.excerpt(problem.start, problem.end)
    text = source.line(line).strip()
    same = sum(source.line(before).strip() == text for before in range(1, line)) if len(source.starts) < 5000 else 0  # noqa: PLR2004
    # Numbers in the message may be lines, which move.
    message = _NUMBER.sub("", problem.message)
    octets = "\0".join([problem.code, source.name, text, str(same), message]).encode("utf-8", "replace")
    related = tuple(
        Related(shown(other), *other.position(start), message) for message, other, start, _ in problem.related
    )
    return Finding(
        path=shown(source),
        line=line,
        column=column,
        code=problem.code,
        name=source.name,
        end_line=end_line,
        end_column=end_column,
        severity=problem.kind.severity,
        message=problem.message,
        hint=problem.hint,
        excerpt=excerpt,
        fingerprint=hashlib.sha256(octets).hexdigest()[:32],
        related=related,
    )
