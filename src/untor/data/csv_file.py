"""CSV and TSV data files (RFC 4180): a list of rows, each a mapping from the names in the first line."""

from __future__ import annotations

import csv
import io
import json
from datetime import date, datetime
from decimal import Decimal, InvalidOperation

from untor.data.reading import MOST_VALUES, offset_of, text_of, wrong
from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.wording import counted
from untor.errors import DataError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.diagnostics.source import Source

MOST_COLUMNS = 16_384
"""How many columns a file may have; as many as spreadsheets do."""

_TRUE, _FALSE = frozenset({"true", "yes", "1"}), frozenset({"false", "no", "0"})


_SAID = {
    "field larger than field limit": f"a cell is longer than {csv.field_size_limit():,} characters",
    "unexpected end of data": "a quote that begins here is never closed",
    "',' expected after '\"'": "after the closing quote of a cell, a comma or the end of the line is expected",
    "'\t' expected after '\"'": "after the closing quote of a cell, a tab or the end of the line is expected",
}
"""The messages of Python's reader, and ours."""


def _bool(text: str) -> bool:
    if text.lower() not in _TRUE | _FALSE:
        raise ValueError(text)
    return text.lower() in _TRUE


TYPES: dict[str, Callable[[str], object]] = {
    "str": str,
    "int": int,
    "float": float,
    "decimal": Decimal,
    "bool": _bool,
    "date": date.fromisoformat,
    "datetime": datetime.fromisoformat,
    "json": json.loads,
}
"""Types that a column can be read as; an empty cell is ``None`` for all but text."""


def read_csv(octets: bytes, name: str, types: Mapping[str, str]) -> list[dict[str, object]]:
    """Return the rows of a file with commas between the cells. Raises ``DataError`` with its line."""
    return _read(octets, name, types, ",")


def read_tsv(octets: bytes, name: str, types: Mapping[str, str]) -> list[dict[str, object]]:
    """Return the rows of a file with tabs between the cells. Raises ``DataError`` with its line."""
    return _read(octets, name, types, "\t")


def _read(octets: bytes, name: str, types: Mapping[str, str], delimiter: str) -> list[dict[str, object]]:
    source = text_of(octets, name)
    shape = "CSV" if delimiter == "," else "TSV"
    if "\0" in source.text:
        raise wrong(source, source.text.index("\0"), shape, "it contains a NUL character")
    reader = csv.reader(io.StringIO(source.text, newline=""), delimiter=delimiter, strict=True)
    rows: list[dict[str, object]] = []
    names: list[str] = []
    line = 1
    try:
        for cells in reader:
            if not cells:
                pass
            elif not names:
                names = _names(source, cells, shape)
                _known(names, types, name)
            elif len(cells) != len(names):
                count = counted(len(cells), "cell")
                trouble = f"this row has {count}, and the first line {len(names)}"
                remedy = "A cell with the delimiter, a quote or a line break in it must be in double quotes."
                raise wrong(source, offset_of(source, line), shape, trouble, remedy)
            elif len(rows) * len(names) >= MOST_VALUES:
                trouble = f"it has more than {MOST_VALUES:,} cells"
                raise wrong(source, offset_of(source, line), f"{shape} that can be read", trouble)
            else:
                pairs = zip(names, cells, strict=True)
                rows.append({key: _typed(source, line, key, cell, types.get(key, "str")) for key, cell in pairs})
            line = reader.line_num + 1
    except csv.Error as error:
        trouble = _SAID.get(str(error).partition(" (")[0], str(error))
        raise wrong(source, offset_of(source, line), shape, trouble) from None
    return rows


def _names(source: Source, cells: list[str], shape: str) -> list[str]:
    if len(cells) > MOST_COLUMNS:
        trouble = f"it has {len(cells):,} columns, and at most {MOST_COLUMNS:,} are read"
        raise wrong(source, 0, f"{shape} that can be read", trouble)
    names: dict[str, int] = {}
    for number, cell in enumerate(cells, 1):
        name = cell.strip()
        if not name:
            raise wrong(source, 0, shape, f"column {number} has no name in the first line")
        if name in names:
            raise wrong(source, 0, shape, f"two columns are named {name!r} in the first line")
        names[name] = number
    return list(names)


def _known(names: list[str], types: Mapping[str, str], file: str) -> None:
    for column in types:
        if column not in names:
            near = suggestion(column, names, f"It has {', '.join(names)}.")
            raise DataError(Problem("data-unreadable", trouble=f'{file} has no column "{column}". {near}'.rstrip(".")))


def _typed(source: Source, line: int, name: str, cell: str, kind: str) -> object:
    if kind == "str":
        return cell
    if not cell.strip():
        return None
    try:
        return TYPES[kind](cell.strip())
    except (ValueError, InvalidOperation, RecursionError):
        start = offset_of(source, line)
        what = f"{cell[:40]!r} in the column {name!r} is not a valid {kind}"
        raise wrong(source, max(source.text.find(cell, start), start), "a table of such types", what) from None
