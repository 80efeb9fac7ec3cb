"""Character references (HTML §13.2.5.72 to 13.2.5.80): their text, and whether one is unfinished."""

from __future__ import annotations

import re
from html.entities import html5

_ENDING = re.compile(r"&(?:#[xX]?[0-9A-Fa-f]*|[A-Za-z][A-Za-z0-9]*)?\Z")
_IN_ATTRIBUTE = re.compile(r"&(?:#[0-9]+;?|#[xX][0-9A-Fa-f]+;?|[A-Za-z][A-Za-z0-9]*;?)")
_LAST = 0x10FFFF
_MOST_DIGITS = 4000
_WINDOWS_1252 = {
    code: bytes([code]).decode("cp1252") for code in range(0x80, 0xA0) if code not in {0x81, 0x8D, 0x8F, 0x90, 0x9D}
}
_LEGACY = tuple(sorted((name for name in html5 if not name.endswith(";")), key=len, reverse=True))


def unfinished(text: str) -> str:
    """Return the character reference that a text ends in the middle of; empty when there is none."""
    match = _ENDING.search(text, max(0, len(text) - 64))
    return match[0] if match else ""


def neutral(reference: str) -> str | None:
    """Return how to write an unfinished reference so that its meaning does not depend on what follows.

    ``None`` when its meaning depends on what comes next: a numeric reference, or a name that counts
    without its semicolon, like ``&amp`` (HTML §13.2.5.73).
    """
    if reference.startswith("&#") or reference[1:].startswith(_LEGACY):
        return None
    return "&amp;" + reference[1:]


def _numeric(reference: str) -> str:
    """Return the character of a numeric reference (HTML §13.2.5.80)."""
    digits = reference[2:].rstrip(";")
    code = int(digits[1:], 16) if digits[0] in "xX" else int(digits) if len(digits) < _MOST_DIGITS else _LAST + 1
    if not 0 < code <= _LAST or 0xD800 <= code <= 0xDFFF:  # noqa: PLR2004  surrogates
        return "\ufffd"
    # "If the number is one of the numbers in the first column of the following table": that of windows-1252.
    return _WINDOWS_1252.get(code, chr(code))


def attribute_text(raw: str) -> str:
    """Return what a browser reads an attribute value as (HTML §13.2.5.73, the rules for attributes)."""
    if "&" not in raw:
        return raw

    def decoded(match: re.Match[str]) -> str:
        reference = match[0]
        if reference[1] == "#" or reference.endswith(";"):
            whole = html5.get(reference[1:]) if reference[1] != "#" else _numeric(reference)
            if whole is not None:
                return whole
        # "If the character reference was consumed as part of an attribute, and the last character matched is not a
        # semicolon, and the next input character is either an equals sign or an ASCII alphanumeric" it is unchanged.
        name = reference[1:]
        following = raw[match.end() : match.end() + 1]
        if name in html5 and following != "=":
            return html5[name]
        return reference

    return _IN_ATTRIBUTE.sub(decoded, raw)
