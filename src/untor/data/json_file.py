"""JSON data files (RFC 8259)."""

from __future__ import annotations

import json
import re

from untor.data.reading import DEEPEST, text_of, too_deep, too_long, wrong

_BRACKETS = re.compile(r'"(?:[^"\\]|\\.)*+"|[\[\]{}]', re.DOTALL)
_NO_BRACKETS = re.compile(r'"(?:[^"\\]|\\.)*+"|[^"\[\]{}]++', re.DOTALL)

_HINTS = {
    "Expecting property name enclosed in double quotes": (
        'Names are in double quotes: {"name": …}, with no comma at the end.'
    ),
    "Expecting value": "A value is text in double quotes, a number, true, false, null, a list or a mapping.",
    "Expecting ',' delimiter": "Put a comma between two items, or the closing bracket after the last.",
    "Expecting ':' delimiter": 'A name is followed by a colon: "name": value.',
    "Extra data": "A file holds one value; put several into a list.",
    "Invalid control character at": "Write \\n for a line break in a text.",
    "Unterminated string starting at": "Close the text with a double quote.",
}


def read_json(octets: bytes, name: str) -> object:
    """Return the value of a JSON file. Raises ``DataError`` with line and column."""
    source = text_of(octets, name)
    try:
        value = json.loads(source.text)
    except json.JSONDecodeError as error:
        raise wrong(source, error.pos, "JSON", error.msg.lower(), _HINTS.get(error.msg, "")) from None
    except RecursionError:
        raise too_deep(source, "JSON", _deep_place(source.text)) from None
    except ValueError:
        raise too_long(source, "JSON") from None
    if _is_deep(source.text):
        raise too_deep(source, "JSON", _deep_place(source.text))
    return value


def _is_deep(text: str) -> bool:
    """Return whether a JSON text is nested deeper than is read: brackets are left when the inner ones are gone."""
    brackets = _NO_BRACKETS.sub("", text).replace("{", "[").replace("}", "]")
    for _ in range(DEEPEST):
        if not brackets:
            return False
        brackets = brackets.replace("[]", "")
    return bool(brackets)


def _deep_place(text: str) -> int:
    """Return where a text is nested deeper than is read."""
    depth = 0
    for found in _BRACKETS.finditer(text):
        depth += {"[": 1, "{": 1, "]": -1, "}": -1}.get(found[0], 0)
        if depth > DEEPEST:
            return found.start()
    return 0
