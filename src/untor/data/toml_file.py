"""TOML data files (TOML 1.0)."""

from __future__ import annotations

import re
import tomllib

from untor.data.reading import DEEPEST, offset_of, text_of, too_deep, too_long, wrong

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

_PLACE = re.compile(r" \(at (?:line (\d+), column (\d+)|end of document)\)$")

_TOKENS = re.compile(
    r'''(?P<text>"""(?:[^\\]|\\.)*?"""|\'\'\'.*?\'\'\'|\#[^\n]*)|(?P<part>"(?:[^"\\\n]|\\.)*+"|'[^'\n]*+'|[\w-]++)'''
    r"|(?P<dot>\.)|(?P<blank>[ \t]+)|(?P<other>.)",
    re.DOTALL,
)
"""TOML as far as keys have to be told from other text: strings, comments, the parts of keys and the dots between."""


def read_toml(octets: bytes, name: str) -> object:
    """Return the table of a TOML file. Raises ``DataError`` with line and column."""
    source = text_of(octets, name)
    _check_keys(source)
    try:
        table = tomllib.loads(source.text)
    except tomllib.TOMLDecodeError as error:
        message = str(error)
        match = _PLACE.search(message)
        trouble = _PLACE.sub("", message)
        place = offset_of(source, int(match[1]), int(match[2])) if match and match[1] else len(source.text)
        is_missing = trouble == "Invalid value" and source.text[:place].rstrip(" \t")[-1:] in {"=", ",", "["}
        said = "a value is missing" if is_missing else trouble[:1].lower() + trouble[1:]
        raise wrong(source, place, "TOML", said) from None
    except RecursionError:
        raise too_deep(source, "TOML") from None
    except ValueError:
        raise too_long(source, "TOML") from None
    _check_depth(table, source)
    return table


def _check_depth(table: dict[str, object], source: Source) -> None:
    """Refuse what is nested deeper than is read: tables that headers name one by one, and lists."""
    level: list[object] = [table]
    for _ in range(DEEPEST):
        parts = (each.values() if isinstance(each, dict) else each for each in level)
        level = [part for inner in parts for part in inner if isinstance(part, dict | list)]  # type: ignore[attr-defined]
        if not level:
            return
    raise too_deep(source, "TOML")


def _check_keys(source: Source) -> None:
    """Refuse keys of too many parts before they are read: each part is a table in that before it."""
    if all(line.count(".") < DEEPEST for line in source.text.splitlines()):
        return
    parts = 0
    for token in _TOKENS.finditer(source.text):
        kind = token.lastgroup
        parts = parts + 1 if kind == "dot" else parts if kind in {"part", "blank"} else 0
        if parts >= DEEPEST:
            raise too_deep(source, "TOML", token.start())
