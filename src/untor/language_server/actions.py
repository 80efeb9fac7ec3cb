"""Quick fixes: the hints of problems as edits, and notes that accept a rule."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lsprotocol import types as lsp

from untor.check.suppressions import ACCEPTABLE

if TYPE_CHECKING:
    from untor.diagnostics.edits import Edit
    from untor.diagnostics.problem import Problem
    from untor.language_server.workspace import Document, EditedSite


def actions(document: Document, start: int, end: int) -> list[lsp.CodeAction]:
    """Return what can be done about the problems between two offsets."""
    found: list[lsp.CodeAction] = []
    for problem in document.site.kept.problems(document.name):
        if problem.source is None or problem.source.text != document.source.text:
            continue
        if problem.start <= end and problem.end >= start:
            edits = problem.edits
            is_only = len(edits) == 1
            found += [_action(document, problem, _title(document, each), each, is_preferred=is_only) for each in edits]
            if problem.code in ACCEPTABLE:
                found.append(_accepting(document, problem))
    return found


def _title(document: Document, edit: Edit) -> str:
    old = document.source.text[edit.start : edit.end]
    if not edit.text:
        return f"Remove {_short(old)}"
    if not old:
        return f"Insert {_short(edit.text)}"
    return f"Write {_short(edit.text)}"


def _short(text: str) -> str:
    words = " ".join(text.split())
    return words if len(words) <= 40 else f"{words[:39]}…"  # noqa: PLR2004  of a menu


def _accepting(document: Document, problem: Problem) -> lsp.CodeAction:
    """Return the action that accepts a rule for the line of a problem; its author writes the reason."""
    from untor.diagnostics.edits import Edit  # noqa: PLC0415

    source = document.source
    line = source.position(problem.start)[0]
    start = source.starts[line - 1]
    indent = source.line(line)[: len(source.line(line)) - len(source.line(line).lstrip())]
    line_break = "\r\n" if "\r\n" in source.text else "\n"
    note = f"{indent}<! note accept {problem.code}: why this is right here !>{line_break}"
    edit = Edit(start, start, note)
    return _action(document, problem, f"Accept {problem.code} in this line", edit, is_preferred=False)


def _action(document: Document, problem: Problem, title: str, edit: Edit, *, is_preferred: bool) -> lsp.CodeAction:
    change = lsp.TextEdit(document.range(edit.start, edit.end), edit.text)
    return lsp.CodeAction(
        title,
        kind=lsp.CodeActionKind.QuickFix,
        diagnostics=[diagnostic(problem, document.site)],
        is_preferred=is_preferred,
        edit=lsp.WorkspaceEdit(changes={document.uri: [change]}),
    )


_SEVERITIES = {
    "error": lsp.DiagnosticSeverity.Error,
    "warning": lsp.DiagnosticSeverity.Warning,
    "note": lsp.DiagnosticSeverity.Information,
}
_UNNECESSARY = frozenset({"input-unread", "accept-unused", "message-unused"})


def diagnostic(problem: Problem, site: EditedSite) -> lsp.Diagnostic:
    """Return a problem as editors show it."""
    source = problem.source
    assert source is not None  # noqa: S101  it is one of a template
    related = [
        lsp.DiagnosticRelatedInformation(
            lsp.Location(site.uri(other.path), site.positions.range(other, start, end)), message
        )
        for message, other, start, end in problem.related
        if other.path
    ]
    return lsp.Diagnostic(
        site.positions.range(source, problem.start, max(problem.end, problem.start + 1)),
        f"{problem.message}\n{problem.hint}".rstrip(),
        severity=_SEVERITIES[problem.kind.severity],
        code=problem.code,
        source="untor",
        tags=[lsp.DiagnosticTag.Unnecessary] if problem.code in _UNNECESSARY else None,
        related_information=related or None,
    )
