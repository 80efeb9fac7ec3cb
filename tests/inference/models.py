"""Vessels, as the libraries for models of data write them."""

from typing import Generic, Optional, TypeVar

import attrs
import msgspec
import pydantic
from sqlalchemy import ForeignKey
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    pass


class Ship(Base):
    __tablename__ = "ships"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    note: Mapped[Optional[str]]  # noqa: UP045  as it is often written
    calls: Mapped[list["Visit"]] = relationship(back_populates="ship")


class Visit(Base):
    __tablename__ = "visits"
    id: Mapped[int] = mapped_column(primary_key=True)
    ship_id: Mapped[int] = mapped_column(ForeignKey("ships.id"))
    ship: Mapped[Ship] = relationship(back_populates="calls")


@attrs.define
class Attrs:
    name: str
    tons: int = 3


class Model(pydantic.BaseModel):
    name: str
    tons: int | None = None

    @pydantic.computed_field  # type: ignore[prop-decorator]
    @property
    def double(self) -> int:
        return 2 * (self.tons or 0)


Item = TypeVar("Item")


class Paged(pydantic.BaseModel, Generic[Item]):
    items: list[Item]


class Extra(pydantic.BaseModel):
    model_config = {"extra": "allow"}
    name: str


class Struct(msgspec.Struct):
    name: str
    tons: float = 2
