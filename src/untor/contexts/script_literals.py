"""The value of a string or template literal (ECMAScript §12.9.4.1 SV, §12.9.6.1 TV)."""

from __future__ import annotations

import re

_ESCAPE = re.compile(
    r"\\(?:x([0-9A-Fa-f]{2})|u([0-9A-Fa-f]{4})|u\{([0-9A-Fa-f]+)\}|([0-3]?[0-7]{1,2})|(\r\n|[\n\r\u2028\u2029])|([\s\S]))"
)
_SINGLE = {"b": "\b", "t": "\t", "n": "\n", "v": "\v", "f": "\f", "r": "\r"}
_LARGEST = 0x10FFFF


def decoded(text: str) -> str:
    """Return the string that the text of a literal means; it has no unfinished escape sequence at its end."""
    return _ESCAPE.sub(_character, text) if "\\" in text else text


def _character(match: re.Match[str]) -> str:
    code = match[1] or match[2] or match[3]
    if code:
        return chr(min(int(code, 16), _LARGEST))
    if match[4]:
        return chr(int(match[4], 8))
    if match[5]:
        return ""
    return _SINGLE.get(match[6], match[6])
