"""Data files for the command line, a module for each format; none of them runs code or reads another file."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from untor.data.csv_file import read_csv, read_tsv
from untor.data.json_file import read_json
from untor.data.sqlite_file import ENDINGS as SQLITE
from untor.data.sqlite_file import read_sqlite
from untor.data.toml_file import read_toml
from untor.data.xml_file import read_xml
from untor.data.yaml_file import read_yaml
from untor.diagnostics.problem import Problem
from untor.errors import DataError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

__all__ = ["MOST_BYTES", "READERS", "SQLITE", "ReadOptions", "load"]

MOST_BYTES = 64 * 1024 * 1024
"""How large a data file may be; a database may be larger."""


class ReadOptions(NamedTuple):
    """Options for reading files: SQL queries by name, and types of CSV columns by name."""

    queries: Mapping[str, str] = {}
    types: Mapping[str, str] = {}


READERS: dict[str, Callable[[bytes, str, ReadOptions], object]] = {
    ".json": lambda octets, name, _: read_json(octets, name),
    ".toml": lambda octets, name, _: read_toml(octets, name),
    ".yaml": lambda octets, name, _: read_yaml(octets, name),
    ".yml": lambda octets, name, _: read_yaml(octets, name),
    ".csv": lambda octets, name, wanted: read_csv(octets, name, wanted.types),
    ".tsv": lambda octets, name, wanted: read_tsv(octets, name, wanted.types),
    ".xml": lambda octets, name, _: read_xml(octets, name),
}
"""What reads a data file, by its ending."""


def load(path: str, name: str | None = None, wanted: ReadOptions = ReadOptions()) -> dict[str, object]:  # noqa: B008  never changed
    """Return the names and values that a data file gives; ``-`` is standard input, as JSON.

    A file that holds a mapping gives its names, XML that of its root element, a database its tables or what its queries
    are named; any other value gets ``name``, or the file's stem as its name. With a ``name``, it holds everything.
    Raises ``DataError``.
    """
    ending, stem = (".json", "data") if path == "-" else (Path(path).suffix.lower(), Path(path).stem)
    if ending in SQLITE:
        found: object = read_sqlite(path, wanted.queries)
    elif ending in READERS:
        found = READERS[ending](_octets(path), path, wanted)
    else:
        known = ", ".join([*READERS, *SQLITE])
        trouble = f"{path} has none of the endings {known}, which decide how it is read"
        raise DataError(Problem("data-unreadable", trouble=trouble))
    if isinstance(found, dict) and (name is None or ending == ".xml"):
        return found if name is None else {name: next(iter(found.values()))}
    return {name or stem: found}


def _octets(path: str) -> bytes:
    try:
        if path == "-":
            import sys  # noqa: PLC0415  only here

            octets = sys.stdin.buffer.read(MOST_BYTES + 1)
        else:
            with Path(path).open("rb") as file:
                octets = file.read(MOST_BYTES + 1)
    except OSError as error:
        trouble = f"{path}: {(error.strerror or str(error)).lower()}"
        raise DataError(Problem("data-unreadable", trouble=trouble)) from None
    if len(octets) > MOST_BYTES:
        raise DataError(Problem("data-unreadable", trouble=f"{path} is larger than {MOST_BYTES // 1024 // 1024} MiB"))
    return octets
