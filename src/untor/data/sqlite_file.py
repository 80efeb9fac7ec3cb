"""SQLite databases: each table as a list of rows, or what queries ask for; opened for reading only."""

from __future__ import annotations

import sqlite3
from contextlib import contextmanager
from pathlib import Path

from untor.data.reading import MOST_VALUES
from untor.diagnostics.problem import Problem
from untor.errors import DataError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping
    from typing import Self

ENDINGS = (".sqlite", ".sqlite3", ".db")
_READING = frozenset(
    {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE},
)
_STEPS = 20_000_000
"""How many instructions of its machine a query may take; more come from joins without a condition."""

_AT_A_TIME = 256
"""How many rows of a query are read at a time; the limit of instructions is for each such batch."""

_CLOSED_FUNCTIONS = frozenset({"load_extension", "readfile", "writefile", "edit", "fts3_tokenizer"})

_TABLES = "select name from sqlite_master where type in ('table', 'view') and name not like 'sqlite_%' order by name"


def read_sqlite(path: str, queries: Mapping[str, str]) -> dict[str, object]:
    """Return tables, or the rows of queries, by name, each row a mapping. Raises ``DataError``."""
    with Database(path, queries) as database:
        return {name: database.table(name) for name in database.queries}


class Database:
    """A database, open for reading: ``queries`` by name, or without any, its tables and views.

    Raises ``DataError``, as its methods do.
    """

    def __init__(self, path: str, queries: Mapping[str, str]) -> None:
        file = Path(path)
        self.path = path
        self._left = 0
        """How many thousand instructions may be taken until the next batch of rows."""
        if not file.is_file():
            raise _unreadable(f"{path}: no such file or directory")
        with self._explained():
            self._connection = sqlite3.connect(f"{file.resolve().as_uri()}?mode=ro", uri=True)
        try:
            with self._explained():
                self._connection.row_factory = sqlite3.Row
                tables = [row[0] for row in self._connection.execute(_TABLES)]
                self._connection.set_authorizer(_authorize)
                self._connection.set_progress_handler(self._tick, 1000)
        except DataError:
            self._connection.close()
            raise
        self.queries = dict(queries) or {name: f"select * from {_quoted(name)}" for name in tables}  # noqa: S608  quoted

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close the database; rows that have not been read yet are not available afterwards."""
        self._connection.close()

    def table(self, name: str) -> list[dict[str, object]]:
        """Return all rows of a query."""
        rows: list[dict[str, object]] = []
        for row in self.rows(name):
            if len(rows) == MOST_VALUES:
                raise _unreadable(f'the query "{name}" has more than {MOST_VALUES:,} rows')
            rows.append(row)
        return rows

    def rows(self, name: str) -> Iterator[dict[str, object]]:
        """Yield the rows of a query, some at a time, so that memory does not grow with them."""
        cursor = self._execute(name, self.queries[name])
        while True:
            with self._explained(name):
                self._left = _STEPS // 1000
                batch = cursor.fetchmany(_AT_A_TIME)
            if not batch:
                return
            yield from map(dict, batch)

    def count(self, name: str) -> int:
        """Return how many rows a query has."""
        query = self.queries[name].strip().rstrip(";")
        cursor = self._execute(name, f"select count(*) from ({query}\n)")  # noqa: S608  it only reads
        with self._explained(name):
            return int(cursor.fetchone()[0])

    def _tick(self) -> int:
        self._left -= 1
        return int(self._left < 0)

    def _execute(self, name: str, query: str) -> sqlite3.Cursor:
        self._left = _STEPS // 1000
        with self._explained(name):
            return self._connection.execute(query)

    @contextmanager
    def _explained(self, name: str = "") -> Iterator[None]:
        """Turn errors of SQLite into those of data files."""
        try:
            yield
        except (sqlite3.Error, sqlite3.Warning) as error:
            trouble = str(error)
            if not name:
                is_other = getattr(error, "sqlite_errorname", "") == "SQLITE_NOTADB"
                raise _unreadable(
                    f"{self.path} is not an SQLite database" if is_other else f"{self.path}: {error}"
                ) from None
            if "not authorized" in trouble or "prohibited" in trouble or "authorization denied" in trouble:
                trouble = "it would change the database or reach out of it; queries only read"
            elif "interrupted" in trouble:
                trouble = "it takes too long"
            raise _unreadable(f'the query "{name}" cannot be run: {trouble}') from None


def _quoted(name: str) -> str:
    return f'"{name.replace(chr(34), chr(34) * 2)}"'


def _authorize(action: int, first: str | None, second: str | None, *_: object) -> int:
    if action == sqlite3.SQLITE_FUNCTION and (second or first or "").lower() in _CLOSED_FUNCTIONS:
        return sqlite3.SQLITE_DENY
    return sqlite3.SQLITE_OK if action in _READING else sqlite3.SQLITE_DENY


def _unreadable(trouble: str) -> DataError:
    return DataError(Problem("data-unreadable", trouble=trouble))
