"""What the words of marks are, for editors that read no grammar."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.language.tokens import KEYWORDS
from untor.language.unreadable import tokens_before

if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.language.scanner import Mark
    from untor.language.tokens import Token
    from untor.language_server.workspace import Document

TYPES = ("keyword", "variable", "parameter", "property", "function", "string", "number", "operator", "comment", "type")
"""The protocol's names, in the order of their numbers."""

_WORDS = {"for": {"as"}, "include": {"from"}, "use": {"from"}}
_TYPED = frozenset({"takes", "part"})


def semantic_tokens(document: Document) -> list[int]:
    """Return five numbers for each token: lines and columns from the one before, length, type, modifiers."""
    source, positions = document.source, document.site.positions
    numbers: list[int] = []
    line = column = 0
    for start, end, kind in sorted(_tokens(document)):
        for piece_start, piece_end in _lines(source.text, start, end):
            first, last = positions.position(source, piece_start), positions.position(source, piece_end)
            at = first.character - (column if first.line == line else 0)
            numbers += [first.line - line, at, last.character - first.character, TYPES.index(kind), 0]
            line, column = first.line, first.character
    return numbers


def _lines(text: str, start: int, end: int) -> Iterator[tuple[int, int]]:
    """Yield the pieces of a span without line breaks."""
    at = start
    for line in text[start:end].splitlines(keepends=True):
        stripped = line.rstrip("\r\n\v\f\x1c\x1d\x1e\x85\u2028\u2029")
        if stripped:
            yield at, at + len(stripped)
        at += len(line)


def _tokens(document: Document) -> Iterator[tuple[int, int, str]]:
    for mark in document.marks:
        if mark.kind in {"text", "nothing"}:
            continue
        if mark.word == "note":
            yield mark.start, mark.end, "comment"
        elif mark.kind == "print":
            yield mark.start, mark.start + 2, "operator"
            yield from _expression(document, mark)
            if not mark.is_torn:
                yield mark.end - 2, mark.end, "operator"
        elif mark.kind == "step":
            yield mark.start, (mark.inner_start if mark.word != "end-verbatim" else mark.end), "keyword"
            yield from _expression(document, mark)
            if not mark.is_torn and mark.word != "end-verbatim":
                yield mark.inner_end, mark.end, "keyword"


def _expression(document: Document, mark: Mark) -> Iterator[tuple[int, int, str]]:
    tokens = tokens_before(document.source, mark.inner_start, mark.inner_end)[:-1]
    in_type = False
    for number, token in enumerate(tokens):
        before = tokens[number - 1].text if number else ""
        after = tokens[number + 1].text if number + 1 < len(tokens) else ""
        if mark.word in _TYPED and token.text in {":", ",", "="}:
            in_type = token.text == ":" or (token.text == "," and in_type and _is_in_brackets(tokens[:number]))
        yield token.start, token.end, _kind(document, mark, token, (before, after), in_type=in_type)


def _is_in_brackets(tokens: list[Token]) -> bool:
    return sum((token.text == "[") - (token.text == "]") for token in tokens) > 0


def _kind(document: Document, mark: Mark, token: Token, around: tuple[str, str], *, in_type: bool) -> str:
    before, after = around
    if token.kind in {"string", "number", "operator"}:
        return token.kind
    if before == ".":
        return "property"
    if in_type:
        return "type"
    if before == "|":
        return "function"
    word = mark.word.removesuffix("-else")
    is_word = token.kind == "word" and token.text in KEYWORDS
    if is_word or token.text in _WORDS.get(word, ()) or (word in {"end", "slot"} and token.text in {"else", "end"}):
        return "keyword"
    if word in {"slot", "into", "end"}:
        return "property" if word != "end" else "keyword"
    if after == "(" or (word in {"include", "use", "part"} and token.start == _first(document, mark)):
        return "function"
    binding = document.names.starting(token.start)
    is_argument = after == "=" and word in {"include", "use", "layout"}
    return "parameter" if is_argument or (binding is not None and binding.kind == "parameter") else "variable"


def _first(document: Document, mark: Mark) -> int:
    """Return where the first word of a step begins."""
    inner = document.source.text[mark.inner_start : mark.inner_end]
    return mark.inner_end - len(inner.lstrip())
