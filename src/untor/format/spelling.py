"""How the inside of a mark is written: the blanks between its tokens, the quotes of its strings."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from untor.language.tokens import Token

_OPENING = frozenset({"(", "[", "{"})
_CLOSING = frozenset({")", "]", "}"})
_ENDS_VALUE = frozenset({")", "]", "}", "?"})
_CONSTANTS = frozenset({"True", "False", "None"})
_DECLARING = frozenset({"takes", "part"})
_NAMING = frozenset({"let", "say"})


class Line(NamedTuple):
    """A line of a mark: its text, and whether it begins with a closing bracket."""

    text: str
    closes: bool


def lines_of(tokens: list[Token], word: str, text: str, quote: str) -> list[Line]:
    """Return the tokens of a mark as they are written, in the lines that they are in; ``word`` is a step's keyword."""
    lines: list[Line] = []
    written: list[str] = []
    closes = False
    brackets: list[str] = []
    for number, token in enumerate(tokens):
        before = tokens[number - 1] if number else None
        begins = before is None or "\n" in (gap := text[before.end : token.start]) or "\r" in gap
        if before is not None and begins:
            lines.append(Line("".join(written), closes))
            written = []
        if not written:
            closes = token.text in _CLOSING
        elif before is not None and _is_apart(tokens, number, word, brackets):
            written.append(" ")
        written.append(_quoted(token, quote))
        if token.kind == "operator" and token.text in _OPENING:
            brackets.append(token.text)
        elif token.kind == "operator" and token.text in _CLOSING and brackets:
            brackets.pop()
    return [*lines, Line("".join(written), closes)]


def _quoted(token: Token, quote: str) -> str:
    """Return a token with the preferred quotes, where no quote or escape is in it."""
    inner = token.text[1:-1]
    if token.kind == "string" and not {'"', "'", "\\"}.intersection(inner):
        return f"{quote}{inner}{quote}"
    return token.text


def _is_apart(tokens: list[Token], number: int, word: str, brackets: list[str]) -> bool:
    """Return whether there is a blank between a token and the one before it."""
    before, token = tokens[number - 1], tokens[number]
    if "operator" not in {before.kind, token.kind}:
        return True
    left = before.text if before.kind == "operator" else ""
    right = token.text if token.kind == "operator" else ""
    if left in _OPENING or right in _CLOSING or right in {",", "?"}:
        return False
    if "." in {left, right}:
        # A number would take a dot beside it for its own.
        return "number" in {before.kind, token.kind}
    if left == ",":
        return True
    if right in {"(", "["}:
        return not (_is_value(tokens, number - 1) or left in _ENDS_VALUE)
    if ":" in {left, right}:
        return left == ":" and (not brackets or brackets[-1] != "[" or _is_typed(word, brackets))
    if "=" in {left, right}:
        return (word in _NAMING and not brackets) or _is_declaring(word, brackets)
    return not _is_sign(tokens, number - 1)


def _is_typed(word: str, brackets: list[str]) -> bool:
    """Return whether a colon here is followed by a type."""
    return word in _DECLARING and brackets in ([], ["("])


def _is_declaring(word: str, brackets: list[str]) -> bool:
    """Return whether an equals sign here is followed by the default of a parameter."""
    return (word == "takes" and not brackets) or (word == "part" and brackets == ["("])


def _is_value(tokens: list[Token], number: int) -> bool:
    """Return whether a bracket after a token calls it, or reads an item of it."""
    token = tokens[number]
    if token.kind == "word":
        return number > 0 and tokens[number - 1].text == "."
    return token.kind in {"name", "string"}


def _is_sign(tokens: list[Token], number: int) -> bool:
    """Return whether a token is a sign before a number or value, not an operator between two."""
    token = tokens[number]
    if token.text not in {"-", "+"} or token.kind != "operator":
        return False
    if number == 0:
        return True
    before = tokens[number - 1]
    is_value = before.kind in {"name", "number", "string"} or before.text in _ENDS_VALUE or before.text in _CONSTANTS
    return not is_value
