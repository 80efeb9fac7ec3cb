"""What the readers of data files share: UTF-8, limits, and their error messages."""

from __future__ import annotations

import re

from untor.diagnostics.problem import Problem
from untor.errors import DataError, MarkError
from untor.loading.loader import decoded

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

DEEPEST = 200
"""How deep lists and mappings of a data file may be nested."""

MOST_DIGITS = 4300
"""How many digits an integer of a data file may have; Python's own limit (CVE-2020-10735)."""

MOST_VALUES = 2_000_000
"""How many values a data file may hold once all that it refers to is written out."""


def text_of(octets: bytes, name: str) -> Source:
    """Return a data file as text. Raises ``DataError`` for what is not UTF-8."""
    try:
        return decoded(octets, name, None)
    except MarkError as error:
        problem = error.problem
        trouble = error.message.partition(": ")[2].rstrip(".")
        words = {"format": "UTF-8", "trouble": trouble, "remedy": "Save the file as UTF-8."}
        raise DataError(Problem("data-syntax", problem.source, problem.start, problem.end, **words)) from None


def wrong(source: Source, start: int, shape: str, trouble: str, remedy: str = "") -> DataError:
    """Return the exception for something wrong at an offset of a data file; ``shape`` is what the file is not."""
    start = min(start, max(len(source.text) - 1, 0))
    words = {"format": shape, "trouble": trouble, "remedy": remedy}
    return DataError(Problem("data-syntax", source, start, start + 1, **words))


def too_deep(source: Source, shape: str, start: int = 0) -> DataError:
    """Return the exception for what is nested deeper than is read."""
    return wrong(source, start, f"{shape} that can be read", f"it is nested more than {DEEPEST} levels deep")


_LONG_INTEGER = re.compile(rf"(?<![\w.])[+-]?(?:[0-9]_?){{{MOST_DIGITS},}}[0-9]")


def too_long(source: Source, shape: str) -> DataError:
    """Return the exception for an integer with more digits than are read."""
    found = _LONG_INTEGER.search(source.text)
    return wrong(
        source,
        found.start() if found else 0,
        f"{shape} that can be read",
        f"an integer has more than {MOST_DIGITS:,} digits",
    )


def offset_of(source: Source, line: int, column: int = 1) -> int:
    """Return the offset of a line and a column, both from 1."""
    starts = source.starts
    return starts[min(max(line, 1), len(starts)) - 1] + column - 1


def needs(package: str, shape: str) -> DataError:
    """Return the exception for a format whose package is not installed."""
    trouble = f'{shape} needs the package {package}: pip install "untor[data]"'
    return DataError(Problem("data-unreadable", trouble=trouble))
