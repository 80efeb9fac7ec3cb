"""Classes that are hard to read: nothing false may be said of them, and nothing that they do may end the check."""

import dataclasses
import decimal
import enum
import typing
from abc import ABC, abstractmethod
from collections import namedtuple


@dataclasses.dataclass
class Node:
    value: int
    after: "Node | None" = None
    kids: "dict[str, list[Node]]" = dataclasses.field(default_factory=dict)
    function: typing.Callable[[], str] = str
    anything: typing.Any = None
    thing: object = None
    numbers: tuple[int, ...] = ()
    plain: tuple = ()  # type: ignore[type-arg]
    literal: typing.Literal[1, "a", None] = None  # noqa: PYI061
    final: typing.Final[int] = 3
    shared: typing.ClassVar[str] = "x"

    def copy(self) -> typing.Self:
        return self

    @property
    def me(self) -> typing.Self:
        return self

    @property
    def untyped(self):  # type: ignore[no-untyped-def]
        return 1


Number = typing.NewType("Number", int)


class Slots:
    __slots__ = ("a", "b")

    def __init__(self) -> None:
        self.a = 1
        self.b = 2


class Meta(type):
    def __getattr__(cls, name: str) -> int:
        return 1


class WithMeta(metaclass=Meta):
    x: int


class Descriptor:
    def __get__(self, instance: object, owner: type) -> int:
        return 3


class Described:
    made = Descriptor()
    number = 5
    items = [1]  # noqa: RUF012
    none = None


class Unreadable:
    x: "1/0"  # type: ignore[valid-type]
    y: "nope.nope"  # type: ignore[name-defined]  # noqa: F821
    z: int


class Dynamic:
    def __init__(self, **values: object) -> None:
        for name, value in values.items():
            setattr(self, name, value)


class Mixin:
    def mix(self) -> None:
        self.mixed = 1


class Child(Mixin):
    own: int


class Container:
    a: int

    def __getitem__(self, key: object) -> int:
        return 1

    def __len__(self) -> int:
        return 0


class Equal:
    __hash__ = None  # type: ignore[assignment]

    def __eq__(self, other: object) -> bool:
        return True

    def __lt__(self, other: object) -> bool:
        return True

    def __add__(self, other: object) -> int:
        return 1


class Flags(enum.Flag):
    A = 1
    B = 2


class Numbers(enum.IntEnum):
    A = 1


class Words(str, enum.Enum):  # noqa: UP042
    A = "a"


Pair = namedtuple("Pair", "p q")  # noqa: PYI024
Keyed = typing.TypedDict("Keyed", {"class": int, "a b": str})


class Named(typing.Protocol):
    name: str


class Abstract(ABC):
    @property
    @abstractmethod
    def number(self) -> int: ...


class Text(str):
    __slots__ = ()


class Items(list):  # type: ignore[type-arg]
    pass


class Keys(dict):  # type: ignore[type-arg]
    pass


class Money(decimal.Decimal):
    pass


class Called:
    def __call__(self) -> str:
        return "x"


class Html:
    def __html__(self) -> str:
        return "x"


class Represented:
    def __repr__(self) -> str:
        return "r"


class Never:
    def __bool__(self) -> bool:
        return False


T = typing.TypeVar("T")
K = typing.TypeVar("K")


class Generic(typing.Generic[T, K]):
    a: T
    b: dict[K, list[T]]

    @property
    def first(self) -> T:
        return self.a


class Half(Generic[int, K]):
    pass


class Tree(typing.Generic[T]):
    kids: "list[Tree[T]]"
    value: T
