"""The tokens of expressions and of the keywords of steps."""

from __future__ import annotations

import re
from typing import NamedTuple

from untor.diagnostics import hints
from untor.diagnostics.problem import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

KEYWORDS = frozenset({"and", "or", "not", "in", "is", "if", "else", "True", "False", "None"})
"""Words that cannot be names of data (after a dot they can)."""

_TOKEN = re.compile(
    r"""
    \s*+
    (?:
        (?P<name>[^\W\d]\w*)
      | (?P<number>(?:\d[\d_]*\.?[\d_]*|\.\d[\d_]*)(?:[eE][+-]?\d+)?\w*)
      | (?P<string>"(?:[^"\\\r\n]|\\.)*"|'(?:[^'\\\r\n]|\\.)*')
      | (?P<operator>\?\?|//|[=!<>]=|[-+*/%|<>.,:?()\[\]{}=])
      | (?P<end>\Z)
    )
    """,
    re.VERBOSE,
)
_NUMBER = re.compile(r"(?:\d+(?:_\d+)*\.?(?:\d+(?:_\d+)*)?|\.\d+(?:_\d+)*)(?:[eE][+-]?\d+)?")
_ESCAPE = re.compile(r"\\(?:x([0-9a-fA-F]{2})|u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})|(.))", re.DOTALL)
_SIMPLE = {"n": "\n", "r": "\r", "t": "\t", "\\": "\\", '"': '"', "'": "'"}
_LAST_CODE_POINT = 0x10FFFF
_MOST_DIGITS = 300

_FORMAT = "Format specifications are not supported: write value | number(2)."


class Token(NamedTuple):
    """One token: its kind (name, word, number, string, operator or end), its text and its place."""

    kind: str
    text: str
    start: int
    end: int


class SyntaxProblem(Exception):  # noqa: N818  never leaves the reader
    """Stops the reading of one mark; the reader goes on at the next."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(problem)
        self.problem = problem


def tokens(source: Source, start: int, end: int) -> list[Token]:
    """Cut a part of the source into tokens, an ``end`` token last. Raises ``SyntaxProblem``."""
    tokens: list[Token] = []
    position = start
    while match := _TOKEN.match(source.text, position, end):
        kind = match.lastgroup or ""
        text = match[kind]
        if kind == "end":
            tokens.append(Token(kind, text, end, end))
            return tokens
        begin, position = match.span(kind)
        if kind == "name":
            kind = "word" if text in KEYWORDS else "name"
        elif kind == "number" and not _NUMBER.fullmatch(text):
            hint = _FORMAT if source.text[begin - 1 : begin] == ":" else None
            raise SyntaxProblem(Problem("number-bad", source, begin, position, hint=hint, number=text))
        tokens.append(Token(kind, text, begin, position))
    while source.text[position].isspace():
        position += 1
    raise SyntaxProblem(_unreadable(source, position, end))


def _unreadable(source: Source, position: int, end: int) -> Problem:
    text = source.text
    if text[position] in "\"'":
        return Problem("string-unclosed", source, position, end, quote=text[position])
    return unexpected_text(source, position) or Problem(
        "expression-unexpected", source, position, position + 1, found=f'"{text[position]}"', expected=""
    )


_CONVERSION = re.compile(r"![rsa]\b")


def unexpected_text(source: Source, position: int) -> Problem | None:
    """Return the problem of an operator or a sign of another language that is at a place, if there is one."""
    text = source.text
    if match := _CONVERSION.match(text, position):
        hint = "Conversions like !r are not supported: values are printed as text."
        return Problem(
            "expression-unexpected", source, position, match.end(), hint=hint, found=f'"{match[0]}"', expected=""
        )
    for length in (3, 2, 1):
        for start in range(max(position - length + 1, 0), position + 1):
            spelling = text[start : start + length]
            if spelling in hints.OPERATORS and (length > 1 or start == position):
                words = {"found": f'"{spelling}"', "expected": ""}
                hint = hints.OPERATORS[spelling]
                return Problem("expression-unexpected", source, start, start + length, hint=hint, **words)
    return None


def string_value(source: Source, token: Token) -> str:
    """Return the value of a string literal. Raises ``SyntaxProblem`` for an unknown escape."""
    body = token.text[1:-1]
    if "\\" not in body:
        return body

    def replaced(match: re.Match[str]) -> str:
        digits = match[1] or match[2] or match[3]
        if digits and int(digits, 16) <= _LAST_CODE_POINT:
            return chr(int(digits, 16))
        if match[4] in _SIMPLE:
            return _SIMPLE[match[4]]
        place = token.start + 1 + match.start()
        raise SyntaxProblem(Problem("string-escape", source, place, place + len(match[0]), escape=match[0]))

    return _ESCAPE.sub(replaced, body)


def number_value(source: Source, token: Token) -> float:
    """Return the value of a number literal (an ``int`` or a ``float``)."""
    text = token.text.replace("_", "")
    if len(text) > _MOST_DIGITS or (text.isdigit() and len(text) > 1 and text[0] == "0" and text.strip("0")):
        raise SyntaxProblem(Problem("number-bad", source, token.start, token.end, number=token.text[:20]))
    return int(text) if text.isdigit() else float(text)
