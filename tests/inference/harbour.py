"""The classes of a harbour, as an application has them."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass, field
from datetime import date, datetime  # noqa: TC003  read when the engine is made
from decimal import Decimal  # noqa: TC003
from enum import Enum
from functools import cached_property
from typing import (
    TYPE_CHECKING,
    Annotated,
    Any,
    ClassVar,
    Generic,
    Literal,
    NamedTuple,
    NotRequired,
    Protocol,
    Required,
    TypedDict,
    TypeVar,
)

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence
    from uuid import UUID

    from nowhere.at_all import Gone  # type: ignore[import-not-found]


class State(Enum):
    EXPECTED = "expected"
    MOORED = "moored"


@dataclass
class Owner:
    name: str
    phone: str | None = None
    vessels: list[Vessel] = field(default_factory=list)


@dataclass
class Vessel:
    flag: ClassVar[str] = "EL"
    name: str
    tons: int
    draught: Decimal | None
    state: State
    owner: Owner | None
    kind: Literal["fishing", "cargo"]
    built: Annotated[date, "in the register"]
    id: UUID

    @property
    def label(self) -> str:
        return f"{self.name} ({self.flag})"

    @cached_property
    def length(self) -> float:
        return 12.5

    def shout(self) -> str:
        return self.name.upper()


class Tug(Vessel):
    def __init__(self, name: str, power: int, crew) -> None:  # type: ignore[no-untyped-def]  # noqa: ANN001
        self.name = name
        self.power = power
        self.crew = crew
        self.power_shown: str = f"{power} kW"


class Row(TypedDict):
    id: int
    at: datetime
    note: NotRequired[str]


class Loose(TypedDict, total=False):
    id: Required[int]
    remark: str


class Tide(NamedTuple):
    at: str
    height: float


Item = TypeVar("Item")


@dataclass
class Page(Generic[Item]):
    items: list[Item]
    number: int
    first: Item | None = None

    def rest(self) -> Iterator[Item]:
        yield from self.items


class VesselPage(Page[Vessel]):
    pass


class Named(Protocol):
    @property
    def name(self) -> str: ...


class Shape(ABC):
    @abstractmethod
    def area(self) -> float: ...


class Flexible:
    known: int

    def __getattr__(self, name: str) -> Any:
        return name


class Stored:
    def __init__(self, **values: object) -> None:
        self.__dict__.update(values)


@dataclass
class Partly:
    gone: Gone
    name: str


class Printed:
    def __str__(self) -> str:
        return "printed"


@dataclass
class Board:
    calls: Sequence[Vessel]
    log: list[Row]
    berths: Mapping[str, Vessel]
    day: date
    tides: list[Tide]
    note: str | None = None
