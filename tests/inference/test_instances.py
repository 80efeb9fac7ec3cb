"""The type of an expression holds: what is rendered is a value of it, whatever the data is."""

from __future__ import annotations

import typing
import uuid
from datetime import UTC, datetime
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from inference import harbour
from inference.harbour import Board, Owner, State, Tide, Vessel
from inference.test_types import OPTIONS, types_in

from untor import Engine, UntorError
from untor.escape import MISSING
from untor.types import members
from untor.types.model import ANY, NONE, Constant, FixedTuple, Function, Instance, Record, Type, members_of

TEXT = st.text("ab<\u00e9", max_size=3)
SMALL = st.integers(-2, 3)
OWNERS = st.builds(Owner, TEXT, st.none() | TEXT, st.just([]))
VESSELS = st.builds(
    Vessel,
    name=TEXT,
    tons=SMALL,
    draught=st.none() | st.decimals(0, 9, places=1),
    state=st.sampled_from(State),
    owner=st.none() | OWNERS,
    kind=st.sampled_from(["fishing", "cargo"]),
    built=st.dates(),
    id=st.just(uuid.UUID(int=7)),
)
ROWS = st.fixed_dictionaries({"id": SMALL, "at": st.just(datetime(2031, 5, 17, tzinfo=UTC))}, optional={"note": TEXT})
BOARDS = st.builds(
    Board,
    calls=st.lists(VESSELS, max_size=3),
    log=st.lists(ROWS, max_size=2),
    berths=st.dictionaries(st.sampled_from(["a", "b"]), VESSELS),
    day=st.dates(),
    tides=st.lists(st.builds(Tide, TEXT, st.floats(0, 9)), max_size=2),
    note=st.none() | TEXT,
)
TAKES = "v: Vessel, board: Board, i: int, f: float, s: str, o: int | None, xs: list[int], d: dict[str, int]"
DATA = st.fixed_dictionaries(
    {
        "v": VESSELS,
        "board": BOARDS,
        "i": SMALL,
        "f": st.floats(-9, 9),
        "s": TEXT,
        "o": st.none() | SMALL,
        "xs": st.lists(SMALL, max_size=3),
        "d": st.dictionaries(st.sampled_from(["a", "b"]), SMALL),
    },
)

NAMES = ["v", "board", "i", "f", "s", "o", "xs", "d", "(1)", "(2.5)", "(-3)", "'a'", "None", "True"]
FIELDS = "name tons draught state owner kind built label length phone vessels calls log berths day tides note a id value".split()
FILTERS = "upper len first last number sorted words join max min unique reversed round".split()
BINARY = ["+", "-", "*", "/", "//", "%", "and", "or", "==", "<", "in", "not in", "??"]


def larger(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """Return expressions that are made of others."""
    return st.one_of(
        st.tuples(inner, st.sampled_from(FIELDS), st.sampled_from(["", "?"])).map(lambda t: f"{t[0]}.{t[1]}{t[2]}"),
        st.tuples(inner, st.sampled_from(["[0]", "[-1]", "[1:]", "['a']", "['name']?"])).map("".join),
        st.tuples(inner, st.sampled_from(FILTERS)).map(lambda t: f"({t[0]} | {t[1]})"),
        st.tuples(inner, st.sampled_from(BINARY), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        st.tuples(inner, inner, inner).map(lambda t: f"({t[0]} if {t[1]} else {t[2]})"),
        st.tuples(inner, inner).map(lambda t: f"[{t[0]}, {t[1]}]"),
        inner.map(lambda each: f"(not {each})"),
        inner.map(lambda each: f'{{"a": {each}}}'),
        inner.map(lambda each: f"({each} is None)"),
    )


EXPRESSIONS = st.recursive(st.sampled_from(NAMES), larger, max_leaves=5)


def fits(value: object, kind: Type) -> bool:
    """Return whether a value has a type."""
    return kind == ANY or any(_fits(value, each) for each in members_of(kind))


def _fits(value: object, kind: Type) -> bool:
    if kind == NONE:
        return value is None or value is MISSING
    match kind:
        case Constant(value=constant):
            return value == constant or getattr(value, "value", None) == constant
        case FixedTuple(items=items):
            return isinstance(value, tuple) and len(value) == len(items) and all(map(fits, value, items))
        case Record(fields=fields):
            return isinstance(value, dict) and all(fits(value.get(name), each) for name, each in fields)
        case Instance(cls=cls) if typing.is_typeddict(cls):
            return isinstance(value, dict)
        case Instance(cls=cls):
            if not isinstance(value, cls) or (cls is int and isinstance(value, bool)):
                return cls is float and isinstance(value, int)
            inner = members.items_of(kind) or ANY
            return not isinstance(value, list | tuple) or all(fits(each, inner) for each in value)
        case Function():
            return callable(value)
    return True


@given(EXPRESSIONS, DATA)
@settings(max_examples=400, deadline=None)
def test_what_is_rendered_has_the_type(expression: str, data: dict[str, Any]) -> None:
    """The value of an expression is one of the type that was inferred for it, where there is a value."""
    seen: list[object] = []

    def observed(value: object) -> str:
        seen.append(value)
        return ""

    options = {**OPTIONS, "filters": {**OPTIONS["filters"], "observed": observed}}
    try:
        (kind,) = types_in(f"<! takes {TAKES} !>{{= {expression} =}}")
        template = Engine(**options).compile(f"<! takes {TAKES} !>{{= {expression} | observed =}}", "page.txt")
        template.render(data)
    except UntorError:
        return
    value = seen[0] if seen else None
    assert fits(value, kind), f"{expression}: {value!r} is no {kind}"


def test_the_test_sees_other_types() -> None:
    """What has another type does not fit."""
    vessel = Instance(harbour.Vessel)
    assert not any(fits("a", kind) for kind in (vessel, NONE, Instance(int), Constant("b"), FixedTuple((ANY,))))
    assert not fits(["a"], Instance(list, (Instance(int),)))
