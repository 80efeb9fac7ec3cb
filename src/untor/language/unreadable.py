"""What stands in a tree for an expression with a problem, so that the rest can be looked at."""

from __future__ import annotations

from untor.language import tree
from untor.language.tokens import SyntaxProblem, tokens

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Collection

    from untor.diagnostics.source import Source
    from untor.language.scanner import Mark
    from untor.language.tokens import Token


def unreadable(source: Source, mark: Mark, bound: Collection[str] = ()) -> tree.Unreadable:
    """Return what stands for the expression of a mark: the names that can be recognised in it, but those it binds."""
    names: list[tree.Name] = []
    before = ""
    for token in tokens_before(source, mark.inner_start, mark.inner_end):
        is_name = token.kind == "name" and before not in {".", "|"} and not token.text.startswith("_")
        if is_name and token.text not in bound:
            names.append(tree.Name(token.start, token.end, token.text))
        before = token.text
    return tree.Unreadable(mark.inner_start, max(mark.inner_end, mark.inner_start), names)


def tokens_before(source: Source, start: int, end: int) -> list[Token]:
    """Return the tokens of a part of a source, those before the first that cannot be read where there is one."""
    try:
        return tokens(source, start, max(start, end))
    except SyntaxProblem as found:
        stop = found.problem.start
    try:
        return tokens(source, start, max(start, stop))
    except SyntaxProblem:
        return tokens(source, start, start)
