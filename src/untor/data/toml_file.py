"""TOML data files (TOML 1.0)."""

from __future__ import annotations

import re
import tomllib

from untor.data.reading import offset_of, text_of, wrong

_PLACE = re.compile(r" \(at (?:line (\d+), column (\d+)|end of document)\)$")


def read_toml(octets: bytes, name: str) -> object:
    """Return the table of a TOML file. Raises ``DataError`` with line and column."""
    source = text_of(octets, name)
    try:
        return tomllib.loads(source.text)
    except tomllib.TOMLDecodeError as error:
        message = str(error)
        match = _PLACE.search(message)
        trouble = _PLACE.sub("", message)
        place = offset_of(source, int(match[1]), int(match[2])) if match and match[1] else len(source.text)
        is_missing = trouble == "Invalid value" and source.text[:place].rstrip(" \t")[-1:] in {"=", ",", "["}
        said = "a value is missing" if is_missing else trouble[:1].lower() + trouble[1:]
        raise wrong(source, place, "TOML", said) from None
    except RecursionError:
        raise wrong(source, 0, "TOML that can be read", "it is nested too deeply") from None
