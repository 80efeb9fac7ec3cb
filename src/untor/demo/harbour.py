"""The harbour's records, and the SQLite database that they come from."""

from __future__ import annotations

import json
import math
import sqlite3
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from importlib.resources import files
from typing import TypedDict

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from collections.abc import Iterator
    from typing import Any, Self

TODAY = date(2031, 5, 17)
"""The day that the demo's pages are about."""

LOG_LINES = 10_000
"""How many lines the harbour's log has."""

_SCHEMA = """
create table vessels (id integer primary key, name text not null, kind text not null, registry text not null,
  length real not null, skipper text not null, website text, email text, flag text not null);
create table berths (code text primary key, quay text not null, depth real not null, x real not null, y real not null);
create table calls (id integer primary key, vessel integer not null references vessels, berth text references berths,
  arrives text not null, cargo text, waiting integer not null);
create table messages (id integer primary key, vessel integer not null references vessels, author text not null,
  posted text not null, text text not null, urgent integer not null default 0);
create table invoices (number text primary key, vessel integer not null references vessels, issued text not null,
  due text not null, paid integer not null);
create table services (invoice text not null references invoices, service text not null, quantity real not null,
  price text not null, note text);
create table tides (at text primary key, height real not null);
create table log (id integer primary key, at text not null, source text not null, level text not null,
  text text not null);
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
    """A place at a quay, with its place on the map."""

    code: str
    quay: str
    depth: float
    x: float
    y: float


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
    urgent: bool = False


@dataclass(frozen=True, slots=True)
class Service:
    """A line of an invoice; the price is that of one."""

    service: str
    quantity: float
    price: Decimal
    note: str | None

    @property
    def amount(self) -> Decimal:
        """Quantity times price, in whole cents."""
        return (Decimal(str(self.quantity)) * self.price).quantize(Decimal("0.01"))


@dataclass(frozen=True, slots=True)
class Invoice:
    """What a vessel owes the harbour office, in euro."""

    number: str
    vessel: Vessel
    issued: date
    due: date
    paid: bool
    services: list[Service] = field(default_factory=list)

    @property
    def total(self) -> Decimal:
        """The sum of all lines."""
        return sum((service.amount for service in self.services), Decimal())


@dataclass(frozen=True, slots=True)
class Tide:
    """The height of the water over chart datum at a time, in metres."""

    at: datetime
    height: float


class Place(TypedDict):
    """A berth on the map, and the vessel that lies there today."""

    berth: Berth
    vessel: Vessel | None


class Turn(TypedDict):
    """High or low water, and its place in the chart."""

    tide: Tide
    high: bool
    x: float
    y: float


@dataclass(frozen=True, slots=True)
class Entry:
    """A line of the harbour's log."""

    at: str
    source: str
    level: str
    text: str


def make_database(path: str | os.PathLike[str]) -> None:
    """Make the harbour's database from the data that ships with the package. The file must not exist."""
    connection = sqlite3.connect(path)
    try:
        connection.executescript(_SCHEMA)
        for table in ("vessels", "berths", "calls", "messages", "invoices", "services"):
            rows = shipped(table)
            columns = ", ".join(rows[0])
            values = ", ".join(f":{column}" for column in rows[0])
            connection.executemany(f"insert into {table} ({columns}) values ({values})", rows)  # noqa: S608  our names
        connection.executemany("insert into tides values (?, ?)", _tides())
        names = [row["name"] for row in shipped("vessels")]
        connection.executemany("insert into log (at, source, level, text) values (?, ?, ?, ?)", _log(names))
        connection.commit()
    finally:
        connection.close()


def shipped(name: str) -> Any:
    """Return what a data file of the package holds."""
    return json.loads((files("untor.demo") / "data" / f"{name}.json").read_text("utf-8"))


def _tides() -> Iterator[tuple[str, float]]:
    """Yield the tide of the day, every half hour: the moon's tide and a little of the sun's."""
    start = datetime.combine(TODAY, datetime.min.time())
    for half in range(49):
        hours = half / 2
        moon = 1.55 * math.cos(2 * math.pi * (hours - 3.1) / 12.42)
        sun = 0.35 * math.cos(2 * math.pi * (hours - 0.4) / 12.0)
        yield (start + timedelta(hours=hours)).isoformat("T", "minutes"), round(2.9 + moon + sun, 2)


def _log(names: list[str]) -> Iterator[tuple[str, str, str, str]]:
    """Yield the lines of the log; some have a vessel's name in them, whatever it is."""
    start = datetime.combine(TODAY, datetime.min.time())
    reports = ("radar: {} in sight", "{} reports in", "lock gate moved", "gauge: {:.2f} m", "{} asks for a pilot")
    for number in range(LOG_LINES):
        text = reports[number % 5]
        text = text.format(number % 500 / 100) if "{:" in text else text.format(names[number // 5 % len(names)])
        at = start + timedelta(seconds=8 * number)
        level = "warning" if number % 97 == 0 else "note"
        yield at.isoformat(" "), ("radar", "radio", "lock", "gauge", "radio")[number % 5], level, text


class Harbour:
    """Reads and writes the harbour's database."""

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

    def vessel(self, number: int) -> Vessel | None:
        """Return a vessel by its number."""
        row = self._connection.execute("select * from vessels where id = ?", (number,)).fetchone()
        return Vessel(**row) if row else None

    def berths(self) -> list[Berth]:
        """Return the berths, in the order of the map."""
        return [Berth(**row) for row in self._connection.execute("select * from berths order by y, x")]

    def calls(self, vessel: int | None = None) -> list[Call]:
        """Return the calls, of one vessel or of all, in order of arrival."""
        vessels = {found.id: found for found in self.vessels()}
        berths = {berth.code: berth for berth in self.berths()}
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
            "select * from messages where ? is null or vessel = ? order by posted, id", (vessel, vessel)
        )
        return [_message(row) for row in rows]

    def post(self, vessel: int, author: str, text: str, posted: datetime, *, urgent: bool) -> None:
        """Put a message on the notice board."""
        self._connection.execute(
            "insert into messages (vessel, author, posted, text, urgent) values (?, ?, ?, ?, ?)",
            (vessel, author, posted.isoformat("T", "minutes"), text, urgent),
        )
        self._connection.commit()

    def found(self, words: str, kind: str) -> tuple[list[Vessel], list[Message]]:
        """Return the vessels (of a kind, or of any) and the messages that have some words in them."""
        folded = words.casefold()
        vessels = [
            vessel
            for vessel in self.vessels()
            if (not kind or vessel.kind == kind)
            and folded in f"{vessel.name} {vessel.registry} {vessel.skipper}".casefold()
        ]
        messages = [each for each in self.messages() if folded in f"{each.author} {each.text}".casefold()]
        return vessels, messages if folded and not kind else []

    def invoices(self) -> list[Invoice]:
        """Return the invoices with their lines, by number."""
        vessels = {found.id: found for found in self.vessels()}
        services: dict[str, list[Service]] = {}
        for row in self._connection.execute("select * from services order by rowid"):
            line = Service(row["service"], row["quantity"], Decimal(row["price"]), row["note"])
            services.setdefault(row["invoice"], []).append(line)
        return [
            Invoice(
                row["number"],
                vessels[row["vessel"]],
                date.fromisoformat(row["issued"]),
                date.fromisoformat(row["due"]),
                bool(row["paid"]),
                services.get(row["number"], []),
            )
            for row in self._connection.execute("select * from invoices order by number")
        ]

    def tides(self) -> list[Tide]:
        """Return the tide of the day, every half hour."""
        rows = self._connection.execute("select * from tides order by at")
        return [Tide(datetime.fromisoformat(row["at"]), row["height"]) for row in rows]


def _message(row: sqlite3.Row) -> Message:
    return Message(row["author"], datetime.fromisoformat(row["posted"]), row["text"], bool(row["urgent"]))


@contextmanager
def _connected(path: str | os.PathLike[str]) -> Iterator[sqlite3.Connection]:
    connection = sqlite3.connect(path, check_same_thread=False)
    try:
        yield connection
    finally:
        connection.close()


def log_of(path: str | os.PathLike[str]) -> Iterator[Entry]:
    """Yield the lines of the harbour's log as the database hands them out, never all at once."""
    with _connected(path) as connection:
        for row in connection.execute("select at, source, level, text from log order by id"):
            yield Entry(*row)
