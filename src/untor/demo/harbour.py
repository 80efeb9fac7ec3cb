"""The harbour's records, and the SQLite database that they come from."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from datetime import date, datetime
from importlib.resources import files

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from typing import Self

TODAY = date(2031, 5, 17)
"""The day that the demo's pages are about."""

_SCHEMA = """
create table vessels (id integer primary key, name text not null, kind text not null, registry text not null,
  length real not null, skipper text not null, website text, email text, flag text not null);
create table berths (code text primary key, quay text not null, depth real not null);
create table calls (id integer primary key, vessel integer not null references vessels, berth text references berths,
  arrives text not null, cargo text, waiting integer not null);
create table messages (id integer primary key, vessel integer not null references vessels, author text not null,
  posted text not null, text text not null);
"""


@dataclass(frozen=True, slots=True)
class Vessel:
    """A ship or boat."""

    id: int
    name: str
    kind: str
    registry: str
    length: float
    skipper: str
    website: str | None
    email: str | None
    flag: str


@dataclass(frozen=True, slots=True)
class Berth:
    """A place at a quay."""

    code: str
    quay: str
    depth: float


@dataclass(frozen=True, slots=True)
class Call:
    """A visit of a vessel, at a berth or waiting for one."""

    id: int
    vessel: Vessel
    berth: Berth | None
    arrives: datetime
    cargo: str | None
    waiting: bool


@dataclass(frozen=True, slots=True)
class Message:
    """What a skipper wrote for the notice board."""

    author: str
    posted: datetime
    text: str


def make_database(path: str | os.PathLike[str]) -> None:
    """Make the harbour's database from the data that ships with the package. The file must not exist."""
    connection = sqlite3.connect(path)
    try:
        connection.executescript(_SCHEMA)
        for table in ("vessels", "berths", "calls", "messages"):
            rows = json.loads((files("untor.demo") / "data" / f"{table}.json").read_text("utf-8"))
            columns = ", ".join(rows[0])
            values = ", ".join(f":{column}" for column in rows[0])
            connection.executemany(f"insert into {table} ({columns}) values ({values})", rows)  # noqa: S608  our names
        connection.commit()
    finally:
        connection.close()


class Harbour:
    """Reads the harbour's database."""

    def __init__(self, path: str | os.PathLike[str]) -> None:
        self._connection = sqlite3.connect(path)
        self._connection.row_factory = sqlite3.Row

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._connection.close()

    def vessels(self) -> list[Vessel]:
        """Return all vessels, by number."""
        return [Vessel(**row) for row in self._connection.execute("select * from vessels order by id")]

    def calls(self, vessel: int | None = None) -> list[Call]:
        """Return the calls, of one vessel or of all, in order of arrival."""
        vessels = {found.id: found for found in self.vessels()}
        berths = {row["code"]: Berth(**row) for row in self._connection.execute("select * from berths")}
        rows = self._connection.execute(
            "select * from calls where ? is null or vessel = ? order by arrives", (vessel, vessel)
        )
        return [
            Call(
                row["id"],
                vessels[row["vessel"]],
                berths.get(row["berth"]),
                datetime.fromisoformat(row["arrives"]),
                row["cargo"],
                bool(row["waiting"]),
            )
            for row in rows
        ]

    def messages(self, vessel: int | None = None) -> list[Message]:
        """Return the notice board's messages, of one vessel's skipper or of all, in the order they were posted."""
        rows = self._connection.execute(
            "select * from messages where ? is null or vessel = ? order by posted", (vessel, vessel)
        )
        return [Message(row["author"], datetime.fromisoformat(row["posted"]), row["text"]) for row in rows]
