"""SQLite databases: each table as a list of rows, or what queries ask for; opened for reading only."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from untor.data.reading import MOST_VALUES
from untor.diagnostics.problem import Problem
from untor.errors import DataError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping

ENDINGS = (".sqlite", ".sqlite3", ".db")
_READING = frozenset(
    {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE},
)
_STEPS = 20_000_000
"""How many instructions of its machine a query may take; more come from joins without a condition."""

_CLOSED_FUNCTIONS = frozenset({"load_extension", "readfile", "writefile", "edit", "fts3_tokenizer"})


def read_sqlite(path: str, queries: Mapping[str, str]) -> dict[str, object]:
    """Return tables, or the rows of queries, by name, each row a mapping. Raises ``DataError``."""
    file = Path(path)
    if not file.is_file():
        raise _unreadable(f"{path}: no such file or directory")
    try:
        connection = sqlite3.connect(f"{file.resolve().as_uri()}?mode=ro", uri=True)
    except sqlite3.Error as error:
        raise _unreadable(f"{path}: {error}") from None
    try:
        connection.row_factory = sqlite3.Row
        tables = [row[0] for row in connection.execute(_TABLES)]
        connection.set_authorizer(_authorize)
        queries_to_run = queries or {name: f'select * from "{name.replace(chr(34), chr(34) * 2)}"' for name in tables}  # noqa: S608
        return {name: _rows(connection, name, query) for name, query in queries_to_run.items()}
    except sqlite3.Error as error:
        is_other = error.sqlite_errorname == "SQLITE_NOTADB" if hasattr(error, "sqlite_errorname") else False
        raise _unreadable(f"{path} is not an SQLite database" if is_other else f"{path}: {error}") from None
    finally:
        connection.close()


_TABLES = "select name from sqlite_master where type in ('table', 'view') and name not like 'sqlite_%' order by name"


def _rows(connection: sqlite3.Connection, name: str, query: str) -> list[dict[str, object]]:
    left = _STEPS // 1000

    def tick() -> int:
        nonlocal left
        left -= 1
        return int(left < 0)

    connection.set_progress_handler(tick, 1000)
    try:
        cursor = connection.execute(query)
        rows = [dict(row) for row in cursor.fetchmany(MOST_VALUES)]
    except (sqlite3.Error, sqlite3.Warning) as error:
        trouble = str(error)
        if "not authorized" in trouble or "prohibited" in trouble or "authorization denied" in trouble:
            trouble = "it would change the database or reach out of it; queries only read"
        elif "interrupted" in trouble:
            trouble = "it takes too long"
        raise _unreadable(f'the query "{name}" cannot be run: {trouble}') from None
    if cursor.fetchone() is not None:
        raise _unreadable(f'the query "{name}" has more than {MOST_VALUES:,} rows')
    return rows


def _authorize(action: int, first: str | None, second: str | None, *_: object) -> int:
    if action == sqlite3.SQLITE_FUNCTION and (second or first or "").lower() in _CLOSED_FUNCTIONS:
        return sqlite3.SQLITE_DENY
    return sqlite3.SQLITE_OK if action in _READING else sqlite3.SQLITE_DENY


def _unreadable(trouble: str) -> DataError:
    return DataError(Problem("data-unreadable", trouble=trouble))
