"""JSON data files (RFC 8259)."""

from __future__ import annotations

import json

from untor.data.reading import text_of, wrong

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
        return json.loads(source.text)
    except json.JSONDecodeError as error:
        raise wrong(source, error.pos, "JSON", error.msg.lower(), _HINTS.get(error.msg, "")) from None
    except RecursionError:
        raise wrong(source, 0, "JSON that can be read", "it is nested too deeply") from None
    except ValueError as error:
        raise wrong(source, 0, "JSON that can be read", str(error)) from None
