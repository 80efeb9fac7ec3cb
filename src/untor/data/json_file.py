"""JSON data files (RFC 8259)."""

from __future__ import annotations

import json

from untor.errors import DataError, MarkError
from untor.folders import decoded
from untor.problems import Problem

_HINTS = {
    "Expecting property name enclosed in double quotes": (
        'Names stand in double quotes: {"name": …}, with no comma at the end.'
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
    try:
        source = decoded(octets, name, None)
    except MarkError as error:
        problem = error.problem
        words = {
            "format": "UTF-8",
            "trouble": error.message.partition(": ")[2].rstrip("."),
            "remedy": "Save the file as UTF-8.",
        }
        raise DataError(Problem("data-syntax", problem.source, problem.start, problem.end, **words)) from None
    try:
        return json.loads(source.text)
    except json.JSONDecodeError as error:
        words = {"format": "JSON", "trouble": error.msg.lower(), "remedy": _HINTS.get(error.msg, "")}
        raise DataError(Problem("data-syntax", source, error.pos, error.pos + 1, **words)) from None
    except RecursionError:
        words = {"format": "JSON that can be read", "trouble": "it is nested too deeply", "remedy": ""}
        raise DataError(Problem("data-syntax", source, 0, 1, **words)) from None
