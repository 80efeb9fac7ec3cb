"""Data files for the command line."""

from __future__ import annotations

from pathlib import Path

from untor.data.json_file import read_json
from untor.errors import DataError
from untor.problems import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

READERS: dict[str, Callable[[bytes, str], object]] = {".json": read_json}
"""What reads a data file, by its ending."""


def load(path: str, name: str | None = None) -> dict[str, object]:
    """Return the names and values that a data file gives; ``-`` is standard input, as JSON.

    A file that holds a mapping gives its names; any other value gets ``name``, or the file's stem as its name.
    With a ``name``, it holds everything. Raises ``DataError``.
    """
    if path == "-":
        import sys  # noqa: PLC0415  only here

        octets, ending, stem = sys.stdin.buffer.read(), ".json", "data"
    else:
        file = Path(path)
        ending, stem = file.suffix.lower(), file.stem
        if ending not in READERS:
            known = ", ".join(READERS)
            trouble = f"{path} ends in none of {known}, and the ending tells how to read it"
            raise DataError(Problem("data-unreadable", trouble=trouble))
        try:
            octets = file.read_bytes()
        except OSError as error:
            trouble = f"{path}: {(error.strerror or str(error)).lower()}"
            raise DataError(Problem("data-unreadable", trouble=trouble)) from None
    value = READERS[ending](octets, path)
    if isinstance(value, dict) and name is None:
        return value
    return {name or stem: value}
