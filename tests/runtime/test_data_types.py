"""Values of every type that views hand over, in every use of a value: a table with each outcome.

``python tests/runtime/test_data_types.py`` writes the table anew, to be read before it is believed.
"""

from __future__ import annotations

import asyncio
import dataclasses
import gc
import os
import re
import sqlite3
import subprocess
import sys
import xml.etree.ElementTree as ET
from array import array
from collections import ChainMap, Counter, OrderedDict, UserDict, UserList, defaultdict, deque, namedtuple
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum, Flag, IntEnum, StrEnum
from fractions import Fraction
from functools import lru_cache, partial
from ipaddress import ip_address, ip_network
from pathlib import Path, PurePosixPath
from types import MappingProxyType, SimpleNamespace
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import UUID
from zoneinfo import ZoneInfo

import attrs
import msgspec
import numpy as np
import pandas as pd
import polars as pl
import pydantic
import pytest
import sqlalchemy as sa
from pydantic import v1
from sqlalchemy import orm
from support import cases

from untor import Engine, UntorError

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

TABLE = Path(__file__).parent.parent / "cases/data_types.txt"


# --- types ---------------------------------------------------------------------------------------------------------------


@dataclasses.dataclass
class Berth:
    """A data class with a field that is none of the page's, and one of the class."""

    code: str = "A4"
    tons: int = 5
    _secret: str = "s3cret"  # noqa: S105
    most: ClassVar[int] = 9


@dataclasses.dataclass(slots=True, frozen=True)
class Slotted:
    """A data class with slots, which cannot change."""

    code: str = "A4"
    tons: int = 5


@dataclasses.dataclass
class Spoken:
    """A data class with a text of its own."""

    code: str = "A4"

    def __str__(self) -> str:
        return f"berth {self.code}"


@dataclasses.dataclass(repr=False)
class Represented:
    """A data class whose ``__repr__`` somebody wrote."""

    code: str = "A4"

    def __repr__(self) -> str:
        return f"berth {self.code}!"


@attrs.define
class Attrs:
    """A class of attrs."""

    code: str = "A4"
    tons: int = 5


class Struct(msgspec.Struct):
    """A structure of msgspec."""

    code: str = "A4"
    tons: int = 5


class Model(pydantic.BaseModel):
    """A model of pydantic, with a field that is left out of its data, and one that is computed."""

    code: str = "A4"
    tons: int = 5
    password_hash: str = pydantic.Field(default="s3cret", exclude=True)

    @pydantic.computed_field  # type: ignore[prop-decorator]
    @property
    def label(self) -> str:
        """What is painted on it."""
        return f"Berth {self.code}"


class Open(pydantic.BaseModel, extra="allow"):
    """A model that takes other fields, too."""

    code: str = "A4"


class First(v1.BaseModel):
    """A model of the first version of pydantic."""

    code: str = "A4"
    tons: int = 5
    password_hash: str = v1.Field("s3cret", exclude=True)


class Numbers(pydantic.RootModel[list[int]]):
    """A model that is a list."""


class Base(orm.DeclarativeBase):
    """The tables of the harbour."""


class Vessel(Base):
    """A vessel in the database."""

    __tablename__ = "vessels"
    id: orm.Mapped[int] = orm.mapped_column(primary_key=True)
    code: orm.Mapped[str]
    calls: orm.Mapped[list[Call]] = orm.relationship(back_populates="vessel")


class Call(Base):
    """A call of a vessel."""

    __tablename__ = "calls"
    id: orm.Mapped[int] = orm.mapped_column(primary_key=True)
    vessel_id: orm.Mapped[int] = orm.mapped_column(sa.ForeignKey("vessels.id"))
    vessel: orm.Mapped[Vessel] = orm.relationship(back_populates="calls")


class Record:
    """A row as asyncpg has it: read by name and by number, gone through by value."""

    def __init__(self, **columns: object) -> None:
        self._columns = columns

    def keys(self) -> Iterator[str]:
        """Return the names of the columns."""
        return iter(self._columns)

    def __getitem__(self, key: str | int) -> object:
        return list(self._columns.values())[key] if isinstance(key, int) else self._columns[key]

    def __iter__(self) -> Iterator[object]:
        return iter(self._columns.values())

    def __len__(self) -> int:
        return len(self._columns)


class Colour(Enum):
    """An enumeration."""

    RED = "red"


class Level(IntEnum):
    """One of numbers."""

    HIGH = 5


class Word(StrEnum):
    """One of text."""

    RED = "red"


class Old(str, Enum):  # noqa: UP042
    """One of text, as it was written before there was one for it."""

    RED = "red"


class Rights(Flag):
    """One of bits."""

    READ = 1
    WRITE = 4


class Choices(Enum):
    """One of lists."""

    FEW = [5, 7]  # noqa: RUF012  what a member has


def endless_member() -> Any:
    """Return a member of an enumeration whose value leads back to it."""

    class Endless(Enum):
        ONE = [1]  # noqa: RUF012

    Endless.ONE._value_ = Endless.ONE  # type: ignore[assignment]
    return Endless.ONE


class Broken:
    """An object whose property has a mistake in it."""

    @property
    def code(self) -> str:
        """Fail, as a property does that reads an attribute which is not there."""
        return self.codes  # type: ignore[attr-defined, no-any-return]

    def __str__(self) -> str:
        return "broken"


class Silent:
    """An object without a text of its own."""

    code = "A4"


class Address:
    """An object whose own ``__repr__`` shows where it is in memory."""

    def __repr__(self) -> str:
        return object.__repr__(self)


class Written:
    """An object with a ``__repr__`` written by hand."""

    code = "A4"

    def __repr__(self) -> str:
        return "<the berth A4>"


class Several:
    """A collection of its own kind: what it has can be gone through, and that is all that is known."""

    def __iter__(self) -> Iterator[int]:
        return iter((5, 7))


class Countable:
    """An object that could be taken for a number."""

    def __index__(self) -> int:
        return 5

    def __float__(self) -> float:
        return 5.0


class Later:
    """What is to be awaited."""

    def __await__(self) -> Iterator[object]:
        yield from ()


Pair = namedtuple("Pair", "code count")  # noqa: PYI024  as older code has them


def making() -> defaultdict[str, object]:
    """Return a mapping that makes what it does not have."""
    return defaultdict(lambda: "made", tons=5)


def called() -> int:
    """Return what a view would."""
    return 5


def row_of_sqlite(query: str) -> sqlite3.Row:
    connection = sqlite3.connect(":memory:")
    connection.row_factory = sqlite3.Row
    found: sqlite3.Row = connection.execute(query).fetchone()
    connection.close()
    return found


def row_of_sqlalchemy() -> Any:
    engine = sa.create_engine("sqlite://")
    with engine.connect() as connection:
        row = connection.execute(sa.text("select 'A4' as code, 7 as count, 5 as tons")).one()
    engine.dispose()
    return row


def frame() -> Any:
    return pd.DataFrame(
        {"code": ["A4", None], "tons": [5, 7], "size": [1.5, np.nan], "due": pd.to_datetime(["2031-05-17", None])},
        index=["first", "second"],
    )


VALUES: dict[str, Callable[[], object]] = {
    "dict": lambda: {"code": "A4", "tons": 5},
    "dict, empty": dict,
    "OrderedDict": lambda: OrderedDict(code="A4", tons=5),
    "defaultdict": making,
    "Counter": lambda: Counter("aab"),
    "UserDict": lambda: UserDict(code="A4", tons=5),
    "ChainMap": lambda: ChainMap[str, object]({"code": "A4"}, {"tons": 5}),
    "ChainMap over a defaultdict": lambda: ChainMap(making()),
    "MappingProxyType": lambda: MappingProxyType({"code": "A4", "tons": 5}),
    "MappingProxyType of a defaultdict": lambda: MappingProxyType(making()),
    "sqlite3.Row": lambda: row_of_sqlite("select 'A4' as code, 5 as tons"),
    "sqlite3.Row with columns named like methods": lambda: row_of_sqlite("select 'k' as keys, 'v' as 'values', 1 as items"),
    "named tuple": lambda: Pair("A4", 5),
    "data class": Berth,
    "data class with slots": Slotted,
    "data class with a text": Spoken,
    "data class with a __repr__": Represented,
    "attrs": Attrs,
    "msgspec": Struct,
    "pydantic": Model,
    "pydantic with other fields": lambda: Open(extra="<"),  # type: ignore[call-arg]
    "pydantic root": lambda: Numbers([5, 7]),
    "pydantic 1": lambda: First(password_hash="s3cret"),  # noqa: S106
    "pydantic SecretStr": lambda: pydantic.SecretStr("s3cret"),
    "SQLAlchemy object": lambda: Vessel(id=1, code="A4"),
    "SQLAlchemy Row": row_of_sqlalchemy,
    "SQLAlchemy RowMapping": lambda: row_of_sqlalchemy()._mapping,
    "row of asyncpg": lambda: Record(code="A4", keys="k", tons=5),
    "NumPy int64": lambda: np.int64(5),
    "NumPy uint8": lambda: np.uint8(5),
    "NumPy float64": lambda: np.float64(1.5),
    "NumPy float32": lambda: np.float32(0.5),
    "NumPy NaN": lambda: np.float32("nan"),
    "NumPy true": lambda: np.bool_(True),  # noqa: FBT003
    "NumPy false": lambda: np.bool_(False),  # noqa: FBT003
    "NumPy str": lambda: np.str_("red"),
    "NumPy datetime64": lambda: np.datetime64("2031-05-17T09:30:00.000000000"),
    "NumPy day": lambda: np.datetime64("2031-05-17"),
    "NumPy NaT": lambda: np.datetime64("NaT"),
    "NumPy timedelta64": lambda: np.timedelta64(90, "s"),
    "NumPy NaT of a duration": lambda: np.timedelta64("NaT"),
    "NumPy months": lambda: np.timedelta64(3, "M"),
    "NumPy array": lambda: np.array([5, 7]),
    "NumPy array, empty": lambda: np.array([]),
    "NumPy array of two dimensions": lambda: np.array([[5, 7], [1, 2]]),
    "NumPy array without dimensions": lambda: np.array(5),
    "NumPy array of moments": lambda: np.array(["2031-05-17", "NaT"], dtype="datetime64[ns]"),
    "NumPy record": lambda: np.array([("A4", 5)], dtype=[("code", "U2"), ("tons", int)])[0],
    "NumPy masked": lambda: np.ma.masked,
    "pandas DataFrame": frame,
    "pandas DataFrame, empty": lambda: frame()[:0],
    "pandas Series": lambda: frame()["tons"],
    "pandas row": lambda: frame().iloc[0],
    "pandas Index": lambda: frame().index,
    "pandas NA": lambda: pd.NA,
    "pandas NaT": lambda: pd.NaT,
    "pandas Timestamp": lambda: pd.Timestamp("2031-05-17T09:30", tz="UTC"),
    "pandas Timedelta": lambda: pd.Timedelta(90, "s"),
    "pandas Period": lambda: pd.Period("2031-05"),
    "polars DataFrame": lambda: pl.DataFrame({"code": ["A4", None], "tons": [5, 7]}),
    "polars DataFrame, empty": lambda: pl.DataFrame({"code": []}),
    "polars Series": lambda: pl.Series([5, 7]),
    "polars LazyFrame": lambda: pl.LazyFrame({"tons": [5]}),
    "Enum": lambda: Colour.RED,
    "IntEnum": lambda: Level.HIGH,
    "StrEnum": lambda: Word.RED,
    "str and Enum": lambda: Old.RED,
    "Enum of a list": lambda: Choices.FEW,
    "Enum of itself": endless_member,
    "Flag": lambda: Rights.READ | Rights.WRITE,
    "None": lambda: None,
    "True": lambda: True,
    "False": lambda: False,
    "int": lambda: 5,
    "float": lambda: 1.5,
    "NaN": lambda: float("nan"),
    "infinity": lambda: float("inf"),
    "Decimal": lambda: Decimal("1234567890123456789.125"),
    "Decimal NaN": lambda: Decimal("sNaN"),
    "Fraction": lambda: Fraction(1, 4),
    "Fraction, too large": lambda: Fraction(10**309),
    "complex": lambda: complex(1, 2),
    "UUID": lambda: UUID(int=5),
    "path": lambda: PurePosixPath("quay/a"),
    "IP address": lambda: ip_address("192.0.2.1"),
    "IP network": lambda: ip_network("192.0.2.0/31"),
    "date": lambda: date(2031, 5, 17),
    "time": lambda: time(9, 30),
    "datetime": lambda: datetime(2031, 5, 17, 9, 30),
    "datetime with a time zone": lambda: datetime(2031, 5, 17, 9, 30, tzinfo=ZoneInfo("Europe/Lisbon")),
    "timedelta": lambda: timedelta(seconds=90),
    "time zone": lambda: ZoneInfo("Europe/Lisbon"),
    "UTC": lambda: UTC,
    "str": lambda: "red",
    "bytes": lambda: b"red",
    "bytearray": lambda: bytearray(b"red"),
    "list": lambda: [5, 7],
    "list of mappings": lambda: [{"code": "A4", "tons": 5}, {"code": "B1", "tons": 7}],
    "list of models": lambda: [Model(), Berth("B1", 7)],
    "list of enums": lambda: [Colour.RED],
    "list with NaN": lambda: [5, float("nan"), None],
    "list of silent objects": lambda: [{"owner": Silent()}],
    "tuple": lambda: (5, 7),
    "range": lambda: range(5, 7),
    "array": lambda: array("i", [5, 7]),
    "deque": lambda: deque([5, 7]),
    "UserList": lambda: UserList([5, 7]),
    "set": lambda: {7, 5},
    "frozenset": lambda: frozenset({5}),
    "dict keys": {"red": 1}.keys,
    "dict items": {"red": 1}.items,
    "generator": lambda: (each for each in (5, 7)),
    "map": lambda: map(abs, (5, 7)),
    "XML element": lambda: ET.fromstring("<berth code='A4'>quay</berth>"),
    "object with a broken property": Broken,
    "object without a text": Silent,
    "object with an address": Address,
    "object with a __repr__": Written,
    "object that can be gone through": Several,
    "object like a number": Countable,
    "SimpleNamespace": lambda: SimpleNamespace(code="A4", tons=5),
    "exception": lambda: ValueError("no berth"),
    "function": lambda: called,
    "lambda in a cache": lambda: lru_cache(called),
    "partial": lambda: partial(called),
    "method": lambda: "red".upper,
    "class": lambda: Silent,
    "class of an enumeration": lambda: Colour,
    "awaitable": Later,
}  # fmt: skip

USES = {
    "text": "{= x =}",
    "attribute": '<p title="{= x =}">',
    "part of an attribute": '<p title="a {= x =}">',
    "whole attribute": "<p title={= x =}>",
    "boolean attribute": "<input disabled={= x =}>",
    "enumerated attribute": "<p draggable={= x =}>",
    "class": "<p class={= x =}>",
    "URL": "<a href={= x =}>",
    "path of a URL": '<a href="/{= x =}">',
    "query of a URL": '<a href="/?q={= x =}">',
    "fragment of a URL": '<a href="/#{= x =}">',
    "host of a URL": '<a href="//{= x =}/">',
    "query": '<a href="/?{= x | query =}">',
    "style": '<p style="width: {= x =}">',
    "script": "<script>f({= x =})</script>",
    "script string": "<script>f('{= x =}')</script>",
    "style string": "<style>p::after { content: '{= x =}' }</style>",
    "title": "<title>{= x =}</title>",
    "JSON": '<script type="application/json">{= x =}</script>',
    "json": "{= x | json =}",
    "data attribute": '<p data-x="{= x | json =}">',
    "loop": "<! for y in x !>[{= y | json =}]<! else !>none<! end !>",
    "loop with two names": "<! for y, z in x !>[{= y | json =}={= z | json =}]<! else !>none<! end !>",
    "condition": "<! if x !>true<! else !>false<! end !>",
    "not": "{= not x =}",
    "and": "{= (x and 2) | json =}",
    "or": "{= (x or 1) | json =}",
    "??": "{= (x ?? 'absent') | json =}",
    "?": "{= (x?.code? ?? 'absent') | json =}",
    "dot": "{= x.code | json =}",
    "item": "{= x['code'] | json =}",
    "first item": "{= x[0] | json =}",
    "== 5": "{= x == 5 =}",
    "== 'red'": "{= x == 'red' =}",
    "== None": "{= x == None =}",
    "< 9": "{= x < 9 =}",
    "is in": "{= x in [5, 'red'] =}",
    "contains": "{= 5 in x =}",
    "+ 1": "{= x + 1 | json =}",
    "len": "{= x | len =}",
    "first": "{= x | first | json =}",
    "last": "{= x | last | json =}",
    "join": "{= x | join =}",
    "listed": "{= x | listed =}",
    "sorted": "{= x | sorted | json =}",
    "sorted by": "{= x | sorted('tons') | json =}",
    "reversed": "{= x | reversed | json =}",
    "where": "{= x | where('code', 'A4') | json =}",
    "group": "{= x | group('code') | json =}",
    "unique": "{= x | unique('code') | json =}",
    "each": "{= x | each('code') | json =}",
    "sum": "{= x | sum | json =}",
    "sum of a key": "{= x | sum('tons') | json =}",
    "min": "{= x | min | json =}",
    "max by": "{= x | max('tons') | json =}",
    "batched": "{= x | batched(1) | json =}",
    "table": "{= x | table(caption='t') =}",
    "upper": "{= x | upper =}",
    "text as text": "{= x | text | json =}",
    "number": "{= x | number =}",
    "percent": "{= x | percent =}",
    "money": "{= x | money('EUR') =}",
    "bytes": "{= x | bytes =}",
    "plural": "{= x | plural(one='# ton', other='# tons') =}",
    "round": "{= x | round =}",
    "date": "{= x | date =}",
    "time": "{= x | time =}",
    "datetime": "{= x | datetime =}",
    "iso": "{= x | iso =}",
    "ago": "{= x | ago =}",
}
TAKEN = ("bool", "int", "float", "decimal", "str", "date", "datetime", "list", "dict")

engine = Engine(timezone="Europe/Lisbon", clock=lambda: datetime(2031, 5, 17, 12, tzinfo=UTC))
TEMPLATES = {name: engine.compile(source) for name, source in USES.items()}
TAKES = {kind: engine.compile(f"<! takes x: {kind} !>fits") for kind in TAKEN}


FILTER = re.compile(r"^The filter \"\w+\"")
"""What differs between the messages of filters that refuse the same value."""
OTHERS = re.compile(
    r"(This cannot be computed: (?:Broken\.\w+ raised )?\w+(?:Error|Operation|Warning|Exception)|cannot be put in order|cannot be compared): .*",
    re.DOTALL,
)
"""Messages that go on with what Python or a library says, which differs between their versions."""


NAMES = re.compile(r"It has (?:\w+, ){5,}[^.]*\.")
"""The many names of what Python and libraries add to a value, which differ between their versions, too."""


def outcome(render: Callable[[], str]) -> str:
    """Return the page, or the error's message and hint."""
    try:
        return render()
    except UntorError as error:
        message = re.sub(r"computed: (?!Broken)[\w.]+ raised ", "computed: ", error.message)
        message = OTHERS.sub(r"\1: …", FILTER.sub("The filter", message))
        return NAMES.sub("It has ….", f"error: {message}" + (f" {error.hint}" if error.hint else ""))


def section(value: Callable[[], object]) -> str:
    """Return what becomes of a value, each outcome with the uses that have it."""
    outcomes: dict[str, list[str]] = {}
    for name, template in TEMPLATES.items():
        found = outcome(lambda: template.render(x=value()))  # noqa: B023  called at once
        outcomes.setdefault(found.replace("\n", "\\n"), []).append(name)
    fits = [kind for kind, template in TAKES.items() if outcome(lambda: template.render(x=value())) == "fits"]  # noqa: B023
    taken = f"taken as: {', '.join(fits) or 'nothing'}"
    return "\n".join([*(f"{', '.join(uses)}: {page}" for page, uses in outcomes.items()), taken])


CASES = cases("data_types.txt") if TABLE.exists() else []


@pytest.mark.filterwarnings("ignore")  # of the libraries
@pytest.mark.parametrize("case", CASES, ids=lambda case: case.title)
def test_every_use(case: Any) -> None:
    """A value of each type comes out in each use as the table says."""
    assert section(VALUES[case.title]).splitlines() == case.parts["template"].splitlines()


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.title)
def test_what_nobody_wants_to_see(case: Any) -> None:
    """No page shows an address in memory, fields that nobody chose, or what Python or a library calls a value."""
    unwanted = re.compile(r" at 0x|s3cret|\bnan\b|\bNaT\b|<NA>|Colour|<built-in|<function|dtype|\[\d+ +\d")
    for line in case.parts["template"].splitlines():
        page = line.partition(": ")[2]
        assert page.startswith("error: ") or not unwanted.search(page), line


def test_the_table_is_whole() -> None:
    """The table has every type, once."""
    assert [case.title for case in CASES] == list(VALUES)


# --- reading ---------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("use", USES)
def test_reading_changes_nothing(use: str) -> None:
    """A mapping that makes what it does not have makes nothing, whatever it is used for; nor do those around it."""
    inner = making()
    for value in (inner, ChainMap(inner), MappingProxyType(inner), [inner]):
        outcome(lambda: TEMPLATES[use].render(x=value))  # noqa: B023
        assert inner == {"tons": 5}


class Counting:
    """An object that counts how often it is read."""

    times: int = 0

    @property
    def code(self) -> float:
        """Count, and be five."""
        self.times += 1
        return 5.0


@pytest.mark.parametrize("source", [
    "{= x.code =}", "{= x.code? =}", "{= x.code ?? 1 =}", "<! if x.code !>a<! end !>", "{= not x.code =}", "{= x.code and 1 =}", "{= 0 or x.code =}",
    "{= x.code == 5 =}", "{= 1 < x.code < 9 =}", "{= x.code in [1] =}", "<p title={= x.code =}>", "<input disabled={= x.code =}>", "<script>f({= x.code =})</script>",
    "{= x.code | number =}", "{= [x] | sorted('code') | len =}", "{= [x] | sum('code') =}", "{= [x] | where('code', 5) | len =}", "<! let y = x.code !>{= y =}{= y =}",
    "<a href='/{= x.code =}'>", "<p style='width: {= x.code =}'>", "{= x.code?.real? =}",
])  # fmt: skip
def test_read_once(source: str) -> None:
    """A value is read once for each time that it is printed, tested, compared or filtered."""
    value = Counting()
    engine.compile(source).render(x=value)
    assert value.times == 1


@pytest.mark.parametrize(
    "source",
    ["{= x.code =}", "{= x.code ?? 1 =}", "{= x.code? =}", "<! if x.code !><! end !>", "{= [x] | sum('code') =}", "{= [x] | sorted('code?') | len =}",
     "{= x.code?.a ?? 1 =}", "<! for y in x.code? !><! end !>"],
)  # fmt: skip
def test_a_property_that_fails(source: str) -> None:
    """What a property ends in is told with its place, also where the value may be missing."""
    with pytest.raises(UntorError, match="AttributeError: 'Broken' object has no attribute 'codes'") as found:
        engine.compile(f"<p>{source}").render(x=Broken())
    assert found.value.line == 1
    assert isinstance(found.value.__cause__, AttributeError)


@pytest.mark.filterwarnings("ignore")  # what the driver wanted to await is never awaited
def test_relations_that_are_not_loaded() -> None:
    """What a lazy relation ends in, in an asynchronous session, is told; columns and loaded relations are read."""
    from sqlalchemy.ext.asyncio import AsyncSession, create_async_engine  # noqa: PLC0415  only here

    async def pages() -> list[str]:
        database = create_async_engine("sqlite+aiosqlite://")
        async with database.begin() as connection:
            await connection.run_sync(Base.metadata.create_all)
        source = (
            "<! for row in rows !>{= row.code =}{= row.count =} <! end !>{= x | json =} {= (x.calls ?? [])[0].id =}"
        )
        found = []
        async with AsyncSession(database) as session:
            session.add(Vessel(id=1, code="A4", calls=[Call(id=7)]))
            await session.commit()
            rows = (await session.execute(sa.select(Vessel.code, Vessel.id.label("count")))).all()
        for loading in (orm.selectinload, orm.lazyload):
            async with AsyncSession(database) as session:
                vessel = (await session.scalars(sa.select(Vessel).options(loading(Vessel.calls)))).one()
                try:
                    found.append(engine.compile(source).render(x=vessel, rows=rows))
                except UntorError as error:
                    found.append(error.message)
        await database.dispose()
        return found

    loaded, lazy = asyncio.run(pages())
    assert loaded == 'A41 {"id":1,"code":"A4"} 7'
    assert "MissingGreenlet" in lazy
    gc.collect()


def test_a_report_has_its_place(caplog: pytest.LogCaptureFixture) -> None:
    """What is odd about the data is logged with its place in the template, in an include too, and once."""
    template = engine.compile(
        "<p>\n{= x | sorted('tons') | len =}<! include p x !><! part p(x) !>{= [1] | sum =}{= x | group('tons') | len =}<! end !>"
    )
    rows = [{"tons": 5}, {"code": "A4"}]
    for page in (template.render(x=rows), "".join(template.stream(x=rows)), asyncio.run(template.render_async(x=rows))):
        assert page == "<p>\n212"
    places = [(each.name, each.template, each.line, each.column, each.expression) for each in caplog.records]  # type: ignore[attr-defined]
    assert places == [("untor.data", "inline.html", 2, 8, "sorted"), ("untor.data", "inline.html", 2, 85, "group")] * 3
    assert caplog.records[0].getMessage() == "inline.html, line 2, column 8: 1 of 2 items have no 'tons'"
    caplog.clear()
    assert outcome(lambda: engine.compile("{= x | sorted('tons') | sum =}").render(x=[{"tons": 5}, {}])).startswith(
        "error"
    )
    assert outcome(
        lambda: engine.compile("{= x | max('tons') | sum =}").render(x=[{"tons": 5}, {"tons": "a"}, {}])
    ).startswith("error")
    engine.compile("{= [1] | sum =}").render()
    assert len(caplog.records) <= 2


def test_very_many_types() -> None:
    """What is known of types is bounded, and right however many there are."""
    template = engine.compile("{= x =}{= x.a =}{= x ?? 1 =}{= 1 if x else 2 =}<! for y in x !>{= y =}<! end !>")
    for number in range(1200):
        bases = ((object,), (list,), (dict,), (str,))[number % 4]
        body = {
            "a": "A", "__str__": lambda _: "text", "__iter__": lambda _: iter("i"), "__getitem__": lambda *_: "A",
        }  # fmt: skip
        kind = type(f"Kind{number}", bases, body)
        page = outcome(lambda: template.render(x=kind()))  # noqa: B023
        assert page == ("textAtext1i", "textAtext2i", "textAtext2i")[number % 4] if number % 4 < 3 else page
    from untor.escape import kinds  # noqa: PLC0415

    assert len(kinds._kinds) <= 1000


def test_time_zones_without_those_of_the_system() -> None:
    """Time zones are known where the system has none."""
    script = (
        "from untor import Engine; from datetime import datetime, UTC\n"
        "print(Engine(timezone='Europe/Lisbon').compile('{= x | time(\"HH:mm\") =}').render(x=datetime(2031, 5, 17, 12, tzinfo=UTC)))"
    )
    env = {**os.environ, "PYTHONTZPATH": ""}
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False, env=env)
    assert (done.stdout, done.stderr) == ("13:00\n", "")


def test_no_library_is_imported() -> None:
    """Values of other libraries are known without them."""
    script = (
        "import sys, dataclasses, enum, decimal; from untor import Engine\n"
        'page = Engine().compile(\'{= x =}{= y | json =}<! if y !>{= [y] | sum("a") =}<! end !>{= [z] | table(caption="t") =}\').render\n'
        "page(x=decimal.Decimal(1), y={'a': 1.5}, z=dataclasses.make_dataclass('A', ['b'])(1))\n"
        "print(*sorted({name.partition('.')[0] for name in sys.modules} & {'numpy', 'pandas', 'polars', 'pydantic', 'attr', 'attrs', 'msgspec', 'sqlalchemy'}))"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert (done.stdout, done.stderr) == ("\n", "")


if __name__ == "__main__":
    heading = "What becomes of each value in each use; the values are those of test_data_types.py.\n\n"
    TABLE.write_text(heading + "".join(f"=== {name}\n{section(value)}\n" for name, value in VALUES.items()), "utf-8")
