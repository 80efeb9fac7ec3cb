"""Filters for text."""

from __future__ import annotations

from untor.escape import NotPrintable, TrustedHTML, printed
from untor.escape.html import text as escaped
from untor.escape.kinds import ARRAY, FRAME, ITERATOR, MAPPING, ROW, SEQUENCE, SET, kind_of
from untor.escape.lazy_patterns import pattern
from untor.runtime.filter_error import FilterProblem, unfit

_SEVERAL = frozenset({ARRAY, FRAME, ITERATOR, MAPPING, ROW, SEQUENCE, SET})
# A code point that continues the one before it: combining marks, variation selectors, joiners, skin tones, tags; a pair
# of regional indicators, and Hangul written letter by letter (UAX #29, as far as names and sentences need it).
_EXTEND = (
    "[\u0300-\u036f\u0483-\u0489\u0591-\u05bd\u05bf\u05c1\u05c2\u0610-\u061a\u064b-\u065f\u0670\u06d6-\u06dc\u093a-\u093c"
    "\u093e-\u094f\u0981-\u0983\u09bc-\u09cd\u0a01-\u0a4d\u0b01-\u0b4d\u0bbe-\u0bcd\u0c3e-\u0c4d\u0cbc-\u0ccd\u0d3e-\u0d4d"
    "\u0e31\u0e33-\u0e3a\u0e47-\u0e4e\u1ab0-\u1aff\u1dc0-\u1dff\u200c\u20d0-\u20ff\u302a-\u302f\u3099\u309a\ufe00-\ufe0f"
    "\ufe20-\ufe2f\U0001f3fb-\U0001f3ff\U000e0020-\U000e007f\U000e0100-\U000e01ef]"
)
_GRAPHEME = pattern(
    f"(?s)\r\n|(?:[\U0001f1e6-\U0001f1ff]{{2}}|[\u1100-\u115f]+[\u1160-\u11a7]+[\u11a8-\u11ff]*|.)(?:{_EXTEND}|\u200d.)*"
)
_EXTENDING = pattern(_EXTEND)
_LETTERS = pattern(r"[^\W_]+")
_LAST_WORD = pattern(r"\s+\S*\Z")
_WORD = pattern(r"\w+(?:['\u2019]\w+)*")
_LINE_BREAK = pattern(r"\r\n|[\n\r\x0b\x0c\x85\u2028\u2029]")
_PARAGRAPH_BREAK = pattern(r"\n(?:[^\S\n]*\n)+")


def _text(value: object) -> str:
    try:
        return printed(value)
    except NotPrintable:
        if kind_of(value) in _SEVERAL:
            raise unfit("text", value) from None
        raise


def _argument(value: object, name: str) -> str:
    if not isinstance(value, str):
        raise FilterProblem(f"{name} must be text.")
    return value


def text_(value: object) -> str:
    """Return the value as it would be printed, as text: an ID that is a number compares with what a form sends."""
    return _text(value)


def upper(value: object) -> str:
    """Return the text in upper case."""
    return _text(value).upper()


def lower(value: object) -> str:
    """Return the text in lower case."""
    return _text(value).lower()


def capital(value: object) -> str:
    """Return the text with its first letter capitalized; the rest is unchanged."""
    text = _text(value)
    return text[:1].title() + text[1:]


def title(value: object) -> str:
    """Return the text with each word's first letter capitalized; the rest is unchanged."""
    return _WORD.sub(lambda word: word[0][:1].title() + word[0][1:], _text(value))


def strip(value: object, characters: str | None = None) -> str:
    """Return the text without white space at its ends, or without some characters there."""
    text = _text(value)
    return text.strip() if characters is None else text.strip(_argument(characters, "what is stripped"))


def replace(value: object, old: str, new: str) -> str:
    """Return the text with each ``old`` in it replaced by ``new``."""
    if not _argument(old, "what is replaced"):
        raise FilterProblem("what is replaced must not be empty.")
    return _text(value).replace(old, _argument(new, "the replacement"))


def split(value: object, separator: str | None = None) -> list[str]:
    """Return the parts of the text between separators, without one between white space."""
    text = _text(value)
    if separator is None:
        return text.split()
    if not _argument(separator, "the separator"):
        raise FilterProblem("the separator must not be empty.")
    return text.split(separator)


def words(value: object) -> list[str]:
    """Return the words of the text, without the punctuation around them."""
    return _WORD.findall(_text(value))


def lines(value: object) -> TrustedHTML:
    """Return the text escaped, with ``<br>`` for each line break."""
    parts = [escaped(line) for line in _LINE_BREAK.split(_text(value))]
    return TrustedHTML("<br>\n".join(parts), reason="escaped by the filter lines")


def paragraphs(value: object) -> TrustedHTML:
    """Return the text escaped, in a ``<p>`` for each paragraph, with ``<br>`` for single line breaks.

    Paragraphs are separated by empty lines.
    """
    text = _LINE_BREAK.sub("\n", _text(value))
    blocks = [block.strip() for block in _PARAGRAPH_BREAK.split(text)]
    made = [f"<p>{'<br>'.join(escaped(line.strip()) for line in block.splitlines())}</p>" for block in blocks if block]
    return TrustedHTML("\n".join(made), reason="escaped by the filter paragraphs")


def slug(value: object) -> str:
    """Return the text as a part of an address: lower case, letters without accents, hyphens between the words."""
    from unicodedata import normalize  # noqa: PLC0415  only for this filter

    plain = "".join(char for char in normalize("NFKD", _text(value).casefold()) if not _EXTENDING.match(char))
    return "-".join(_LETTERS.findall(normalize("NFC", plain)))


def clip(value: object, n: int) -> str:
    """Return at most ``n`` characters of the text, whole words where possible, with "…" for what is left out.

    Characters are what readers take for one: a letter keeps its accents.
    """
    if isinstance(n, bool) or not isinstance(n, int) or n < 1:
        raise FilterProblem("the length must be an integer from 1.")
    text = _text(value)
    if len(text) <= n:
        return text
    characters = _GRAPHEME.findall(text)
    if len(characters) <= n:
        return text
    text_kept = "".join(characters[: n - 1])
    if not characters[n - 1].isspace():
        words = _LAST_WORD.search(text_kept)
        text_kept = text_kept[: words.start()] if words and words.start() else text_kept
    return text_kept.rstrip() + "…"
