"""The data of a site's pages, read when a page needs it; rows of databases some at a time."""

from __future__ import annotations

import os

from untor.data import SQLITE, ReadOptions, load
from untor.data.sqlite_file import Database
from untor.data.xml_file import XmlNode
from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.wording import with_article
from untor.errors import DataError, MissingValue
from untor.runtime.attributes import dot

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping
    from typing import Any

    from untor.site.settings import DataFiles, PageEntry


class DataFolder:
    """Data files, each read once for all the pages that use it; ``base`` is the folder that their paths are in."""

    def __init__(self, base: str = "") -> None:
        self._base = base
        self._loaded: dict[object, dict[str, object]] = {}
        self._databases: dict[object, Database] = {}

    def close(self) -> None:
        """Close the databases."""
        for database in self._databases.values():
            database.close()

    def dataset(self, entry: PageEntry) -> Dataset:
        """Return the data of an entry. Raises ``DataError``."""
        return Dataset(self, entry.data, entry.query, entry.types, entry.values)

    def loaded(self, name: str, file: str, types: Mapping[str, str]) -> dict[str, object]:
        """Return the names and values of a data file other than a database."""
        key = name, file, tuple(sorted(types.items()))
        if key not in self._loaded:
            self._loaded[key] = load(os.path.join(self._base, file), name or None, ReadOptions({}, types))
        return self._loaded[key]

    def database(self, file: str, queries: Mapping[str, str]) -> Database:
        """Return a database, open."""
        key = file, tuple(sorted(queries.items()))
        if key not in self._databases:
            self._databases[key] = Database(os.path.join(self._base, file), queries)
        return self._databases[key]


class Dataset:
    """The values of one entry by their names; later files come before earlier ones, and an entry's own values first."""

    def __init__(
        self,
        folder: DataFolder,
        files: DataFiles,
        queries: Mapping[str, str],
        types: Mapping[str, str],
        values: Mapping[str, object],
    ) -> None:
        self._values: dict[str, object] = {}
        self._tables: dict[str, Database] = {}
        for name, file in files:
            if file.lower().endswith(SQLITE):
                database = folder.database(file, queries)
                if name:
                    self._values[name] = database
                else:
                    self._tables |= dict.fromkeys(database.queries, database)
                    for table in database.queries:
                        self._values.pop(table, None)
            else:
                found = folder.loaded(name, file, _known_types(file, types))
                self._values |= found
                for known in found:
                    self._tables.pop(known, None)
        for name in values:
            self._tables.pop(name, None)
        self._values |= values

    @property
    def names(self) -> set[str]:
        """The names that there are values for."""
        return {*self._values, *self._tables}

    def value(self, name: str) -> object:
        """Return a value; a table or the rows of a query as a list, read now. Raises ``DataError``."""
        if name in self._tables:
            self._values[name] = self._tables.pop(name).table(name)
        value = self._values[name]
        if isinstance(value, Database):
            value = self._values[name] = {table: value.table(table) for table in value.queries}
        return value

    def records(self, each: str) -> tuple[Iterable[object], int]:
        """Return the records of a name, which may have dots in it, and how many there are. Raises ``DataError``."""
        name, *steps = each.split(".")
        if name in self._tables and not steps:
            return self._tables[name].rows(name), self._tables[name].count(name)
        if name not in self.names:
            near = suggestion(
                name, self.names, f"There is {', '.join(sorted(self.names))}." if self.names else "There is no data."
            )
            raise _wrong(f'each = "{each}": no value is named "{name}". {near}'.rstrip("."))
        value = self._values[name] if name not in self._tables else None
        if isinstance(value, Database) and len(steps) == 1 and steps[0] in value.queries:
            return value.rows(steps[0]), value.count(steps[0])
        value = self.value(name)
        for number, step in enumerate(steps):
            try:
                value = dot(value, step)
            except MissingValue:
                owner = ".".join([name, *steps[:number]])
                near = suggestion(step, value) if isinstance(value, dict) else ""
                raise _wrong(f'each = "{each}": {owner} has no "{step}". {near}'.rstrip(". ")) from None
        if isinstance(value, list | tuple | XmlNode):
            return value, len(value)
        raise _wrong(f'each = "{each}" must be a list, not {with_article(type(value).__name__)}')


def counted_records(records: Any) -> tuple[Iterator[object], int | None]:
    """Return records that were passed from Python, and how many there are where that is known."""
    return iter(records), len(records) if hasattr(records, "__len__") else None


def _known_types(file: str, types: Mapping[str, str]) -> Mapping[str, str]:
    """Only the columns of tables of text have types."""
    return types if file.lower().endswith((".csv", ".tsv")) else {}


def _wrong(trouble: str) -> DataError:
    return DataError(Problem("data-unreadable", trouble=trouble))
