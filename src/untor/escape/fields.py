"""The fields of models and rows, and the rows of data frames: what scripts, JSON and tables have of them."""

from __future__ import annotations

from untor.escape.kinds import bases_by_name, is_absent, plain_types, stands_for_root

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator
    from typing import Any


def fields_of(model: Any) -> dict[str, object]:
    """Return the public fields of a model, by the table of fields that its library keeps.

    Of an object of SQLAlchemy these are the columns, without relations.
    """
    found = {name: getattr(model, name) for name in names_of_fields(type(model))}
    return {**found, **(getattr(model, "__pydantic_extra__", None) or {})}


def names_of_fields(kind: type) -> list[str]:
    """Return the names of the public fields of a class of models."""
    bases = bases_by_name(kind)
    names = next(names_of(kind) for is_of, names_of in _TABLES if is_of(kind, bases))
    return [name for name in names if not name.startswith("_")]


def root_of(model: Any) -> list[object]:
    """Return a list with the value that a model of pydantic consists of; an empty one for a model with fields."""
    return [model.root] if stands_for_root(type(model)) else []


def _has(attribute: str) -> Callable[[Any, set[str]], bool]:
    return lambda kind, _: hasattr(kind, attribute)


def _columns(kind: Any) -> Iterable[str]:
    return [each.key for each in kind.__mapper__.column_attrs]


def _pydantic(kind: Any) -> Iterable[str]:
    return [
        *(name for name, each in kind.model_fields.items() if each.exclude is not True),
        *kind.model_computed_fields,
    ]


def _pydantic_1(kind: Any) -> Iterable[str]:
    return [name for name, each in kind.__fields__.items() if each.field_info.exclude is not True]


def _dataclass(kind: Any) -> Iterable[str]:
    from dataclasses import fields  # noqa: PLC0415  loaded, since there is a data class

    return [each.name for each in fields(kind)]


_TABLES: tuple[tuple[Callable[[Any, set[str]], bool], Callable[[Any], Iterable[str]]], ...] = (
    (_has("__mapper__"), _columns),
    (lambda _, bases: "pydantic.main.BaseModel" in bases, _pydantic),
    (lambda _, bases: "pydantic.v1.main.BaseModel" in bases, _pydantic_1),
    (_has("__struct_fields__"), lambda kind: kind.__struct_fields__),
    (_has("__attrs_attrs__"), lambda kind: [each.name for each in kind.__attrs_attrs__]),
    (_has("__dataclass_fields__"), _dataclass),
)
"""For each library, whether a class is one of its models, and the names of its fields."""


def columns_of(row: Any) -> dict[Any, object]:
    """Return the values of a row of a database, or of a structured array, by the names of its columns."""
    names = getattr(getattr(row, "dtype", None), "names", None)
    if names is not None:
        return {name: row[name] for name in names}
    if "sqlalchemy.engine.row.Row" in bases_by_name(type(row)):
        row = row._mapping  # noqa: SLF001  SQLAlchemy's documented name
    return {name: row[name] for name in row.keys()}  # noqa: SIM118  other rows go through their values


# --- data frames -----------------------------------------------------------------------------------------------------


_ROWS_AT_ONCE = 1000


def rows_of(frame: Any) -> Iterator[tuple[object, ...]]:
    """Return the rows of a data frame, each with the values of all columns; what pandas has for absent is ``None``."""
    if hasattr(type(frame), "iter_rows"):
        return frame.iter_rows()  # type: ignore[no-any-return]
    if hasattr(type(frame), "iloc"):
        return _rows_of_pandas(frame)
    return frame.itertuples(index=False, name=None)  # type: ignore[no-any-return]


def _rows_of_pandas(frame: Any) -> Iterator[tuple[object, ...]]:
    # By columns, which takes half of the time that pandas takes to make rows.
    for start in range(0, len(frame), _ROWS_AT_ONCE):
        part = frame.iloc[start : start + _ROWS_AT_ONCE]
        yield from zip(*[_present(part.iloc[:, at].tolist()) for at in range(part.shape[1])], strict=True)


def _present(values: list[Any]) -> list[object]:
    return [
        each if type(each) in plain_types or (type(each) is float and each == each) or not is_absent(each) else None  # noqa: PLR0124
        for each in values
    ]


def mappings_of(frame: Any) -> Iterator[dict[str, object]]:
    """Yield the rows of a data frame, each a mapping from the names of columns."""
    names = [str(name) for name in frame.columns]
    for row in rows_of(frame):
        yield dict(zip(names, row, strict=False))


def index_of(frame: Any) -> Iterable[object]:
    """Return the labels of the rows of a data frame; they are numbered from 0 if it has none."""
    return getattr(frame, "index", None) if hasattr(type(frame), "itertuples") else range(len(frame))  # type: ignore[return-value]
