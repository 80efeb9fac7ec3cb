"""The types of expressions, what is found by them, and that they hold for what is rendered."""

from __future__ import annotations

import itertools
import re
from collections import OrderedDict, UserDict, UserList, deque
from datetime import date, datetime, time
from decimal import Decimal
from enum import IntEnum, StrEnum
from fractions import Fraction
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, Literal

import pytest
from inference import harbour, models, odd
from support import cases

from untor import Engine, RenderError
from untor.check.type_rules import known_of
from untor.compiler.origin import Origin
from untor.inference.assignable import is_assignable
from untor.inference.pages import PageTypes
from untor.types.annotations import type_of

if TYPE_CHECKING:
    from pathlib import Path

    from untor.check.findings import Finding
    from untor.types.model import Type


def depth(_name: str) -> float:
    return 1.5


def anything() -> Any:
    return None


OPTIONS: dict[str, Any] = {
    "types": harbour,
    "globals": {"site": "Port Ellery", "answer": 42},
    "helpers": {"depth": depth, "anything": anything},
    "filters": {"own": depth, "unknown_result": lambda value: value},
}


def types_in(template: str) -> list[Type]:
    """Return the types of what a template prints, in order."""
    engine = Engine(**OPTIONS)
    planned = engine.compiler.analyse(Origin("page.txt", template))
    page = PageTypes(planned, known_of(engine.compiler.settings), lambda *_, **__: None)
    page.walk()
    return [page.printed[placement] for placement in planned.placements]


@pytest.mark.parametrize("case", cases("types.txt"), ids=lambda case: case.title)
def test_types(case: Any) -> None:
    """Each expression of the table has the type that stands beside it."""
    rows = [re.split(r" {2,}", line, maxsplit=1) for line in case.parts["types"].strip().splitlines()]
    marks = "".join(f"{{= {expression} =}}" for expression, _ in rows)
    found = types_in(f"<! takes {case.parts['template'].strip()} !>{marks}")
    assert [(row[0], str(kind)) for row, kind in zip(rows, found, strict=True)] == [tuple(row) for row in rows]


class Level(IntEnum):
    """A number by its name."""

    LOW = 1


class Word(StrEnum):
    """A word by its name."""

    LOW = "low"


VALUES = [
    "a", 1, True, 1.5, Decimal(1), Fraction(1, 2), date(2031, 5, 17), datetime(2031, 5, 17, 6), time(6), [1], (1,), {1}, range(3), b"a",
    UserList([1]), deque([1]), {"a": 1}, OrderedDict(), UserDict(), MappingProxyType({}), Level.LOW, Word.LOW, harbour.State.MOORED,
]  # fmt: skip
TAKEN = {
    "str": str,
    "int": int,
    "float": float,
    "decimal": Decimal,
    "bool": bool,
    "date": date,
    "datetime": datetime,
    "list": list,
    "dict": dict,
}


@pytest.mark.parametrize("word", TAKEN)
def test_assignable_is_what_a_page_takes(word: str) -> None:
    """A value whose type may be passed is taken, and any other refused; Python alone takes True for a number."""
    template = Engine().compile(f"<! takes x: {word} !>")
    for value in VALUES:
        try:
            taken = template.render(x=value) == ""
        except RenderError:
            taken = value is True and word in {"int", "float", "decimal"}
        assert is_assignable(type_of(type(value)), type_of(TAKEN[word])) == taken, value


@pytest.mark.parametrize(("one", "other", "may_be"), [
    (list[int], list, True), (list, list[int], True), (list[int], list[int], True), (list[int], list[str], False),
    (tuple[int, str], list[int], False), (tuple[int, int], list[int], True), (tuple[()], list[str], True),
    (dict[str, int], dict[str, int], True), (dict[str, int], dict[str, str], False), (dict[str, int], dict, True),
    (int, int | None, True), (int | None, int, False), (Any, int, True), (int, Any, True), (Literal[1], int, True),
    (int, Literal[1], True), (Literal[1], Literal[2], False), (str, Literal[1], False),
])  # fmt: skip
def test_assignable_by_what_is_inside(one: Any, other: Any, may_be: bool) -> None:  # noqa: FBT001
    """Items, keys and values are passed with what they are in; what is not known may be anything."""
    assert is_assignable(type_of(one), type_of(other)) == may_be


# --- what is found ---------------------------------------------------------------------------------------------------

TEMPLATES = [
    ("<p>", "</p>"),
    ('<table><! for each in board.calls !><tr><td title="', '">x</td></tr><! end !></table>'),
    ('<! if board.note !><a href="/', '">x</a><! end !>'),
    ("<script>var a = {= [", "] =};</script>"),
    ('<style>p { color: red; } .a { content: "', '" }</style>'),
    ("<! let other = board !><title>", "</title>"),
    ("<! part row(v: Vessel, board: Board) !><p>", "</p><! end !><! include row v=v, board=board !>"),
    ('<! layout "frame" !><p>', "</p>"),
    ("<! use frame_of !><b>", "</b><! end !><! part frame_of() !><main><! slot !></main><! end !>"),
    ("<! for k, each in board.berths as position !><p>", "</p><! end !>"),
]
"""What is around a fault: text, attributes, URLs, scripts, styles, and whatever templates are put together with."""

FAULTS = {
    "type-attribute": ("v.name.nmae", "nmae"),
    "type-none": ("v.owner.name", "v.owner"),
    "type-function": ("v.shout", "v.shout"),
    "type-call": ("v.name()", "v.name"),
    "type-operation": ('v.tons + " t"', 'v.tons + " t"'),
    "type-comparison": ('v.tons == "9"', 'v.tons == "9"'),
    "type-filter": ("v.name | money('EUR')", "money"),
    "type-print": ("board.calls", "board.calls"),
    "type-attribute ": ('board.calls | sorted("owner.nmae") | len', "nmae"),
    "type-always": ("1 if v.built else 2", "v.built"),
}
"""What is wrong, and where in it it is said to be."""


@pytest.mark.parametrize(("fault", "around"), [*itertools.product(FAULTS, TEMPLATES)], ids=str)
def test_planted_faults(fault: str, around: tuple[str, str], tmp_path: Path) -> None:
    """Each kind of fault is found in each kind of place, at its line and column, and nothing else is."""
    expression, part = FAULTS[fault]
    before, after = around
    takes = "<! takes v: Vessel, board: Board !>\n"
    is_script = before.startswith("<script>")
    text = takes + before + (expression if is_script else f"{{= {expression} =}}") + after
    (tmp_path / "frame.html").write_text("<! takes v: Vessel !><main><! slot !></main>{= v.name =}", "utf-8")
    if before.startswith("<! layout"):
        text = f'<! layout "frame" !>\n{takes}{text.removeprefix(takes).partition(" !>")[2]}'
    (tmp_path / "page.html").write_text(text, "utf-8")
    found = [each for each in Engine(tmp_path, **OPTIONS).check() if each.code.startswith("type-")]
    if fault == "type-print" and is_script:
        assert found == [], "a script takes lists as data"
        return
    assert [each.code for each in found] == [fault.strip()]
    lines = text.split("\n")
    start = lines[found[0].line - 1].rindex(expression) + expression.index(part) + 1
    assert (found[0].name, found[0].column) == ("page.html", start)


def checked(tmp_path: Path, template: str, **options: Any) -> list[Finding]:
    """Return what is found in one template by types."""
    (tmp_path / "page.html").write_text(template, "utf-8")
    found = Engine(tmp_path, **{**OPTIONS, **options}).check()
    return [each for each in found if each.code.startswith(("type-", "input-undeclared"))]


CLEAN = """
<! if v.owner !>{= v.owner.name =}<! end !>
<! if v.owner is not None and v.owner.phone !>{= v.owner.phone | upper =}<! end !>
<! if not v.owner !>none<! elif v.owner.phone is None !>{= v.owner.name =}<! else !>{= v.owner.phone | len =}<! end !>
<! if v.owner?.phone !>{= v.owner.name =}<! end !>
<! if v.owner is None !>-<! else !>{= v.owner.name =}<! end !>
{= v.owner.name if v.owner else "" =} {= v.owner.name if v.owner != None else "" =}
{= "" if not v.owner else v.owner.name =} {= v.owner and v.owner.name =} {= v.owner.name ?? "" =}
<! if v.owner is None or v.owner.phone is None !>-<! end !>
<! for each in board.log if each.note? !>{= each.note =}<! end !>
<! for at, height in board.tides !>{= at | upper =}{= height + 1 =}<! end !>
<! for name, vessel in board.berths !>{= name | upper =}{= vessel.name =}<! end !>
<! for each in board.nothing? !>x<! end !><! for each in (v.owner ?? v).vessels? !>x<! end !>
<! let owner = v.owner !><! if owner !>{= owner.name =}<! end !>
<! if v.kind == "fishing" !>f<! elif v.kind == "cargo" !>c<! end !><! if v.state == "moored" !>m<! end !>
<! for each in board.calls as row !>{= row.number + 1 =}<! if row.first !>x<! end !><! end !>
<ul class="{= ["a", v.kind] =}"><li>{= printed =}{= printed | upper =}</li></ul><script>var a = {= board.log =};</script>
<! part tree(o) !>{= o.name =}<! for each in o.vessels !>{= each.name =}<! if each.owner !><! include tree o=each.owner !><! end !><! end !><! end !>
<! if v.owner !><! include tree o=v.owner !><! end !>
<! part either(x) !>{= x.name =}<! end !><! include either x=v !><! include either x={"name": "a"} !>
{= (board.calls | first)?.name =} {= board.calls | sorted("owner.name?") | len =} {= v.tons in [1, 2] =}
<! if board.calls !>{= (board.calls | first).name =}{= (board.calls | sorted("name") | last).name =}<! end !>
<! part mixed(x) !>{= x.tons? =}{= x.note ?? "" =}<! if x.state? == "moored" !>m<! end !><! if x == "a" !>b<! end !><! if x.owner? !>o<! end !><! end !>
<! include mixed x=v !><! include mixed x={"name": "a"} !><! include mixed x={"note": 3} !><! include mixed x=board !>
{= shape.anything =}{= flexible.x.y =}{= stored.z =}{= tug.crew.x =}{= partly.gone.x =}{= named =}
""".replace("board.nothing?", "board.note?.x?").replace("(v.owner ?? v).vessels?", "v.owner?.vessels")


def test_no_false_findings(tmp_path: Path) -> None:
    """What is tested, may be missing, or is not known is not reported."""
    takes = "v: Vessel, board: Board, printed: Printed, shape: any, flexible: Flexible, stored: Stored, tug: Tug, partly: Partly, named: Named"
    clean = CLEAN.replace("<! for each in board.note?.x? !>x<! end !>", "")
    found = checked(tmp_path, f"<! takes {takes} !>{clean}")
    assert [(each.code, each.message) for each in found] == [
        ("type-unresolved", "Some annotations of Partly can't be evaluated: Gone.")
    ]


def test_both_places(tmp_path: Path) -> None:
    """A finding that comes from another place names that too."""
    text = "<! takes v: Vessel !>\n<! part row(tons: int, x) !>{= x.nmae =}{= tons =}<! end !>\n<! include row tons=v.name, x=v !>"
    argument, attribute = sorted(checked(tmp_path, text), key=lambda each: each.code)
    assert argument.code == "type-argument"
    assert (argument.line, argument.related[0].line, argument.related[0].message) == (3, 2, '"tons" is declared here')
    assert (attribute.code, attribute.line, attribute.related[0].line) == ("type-attribute", 2, 3)


def takes_number(value: float, unit: str = "t") -> str:
    return f"{value} {unit}"


def takes_name(name: str, *, id: int) -> str:  # noqa: A002  as routes have it
    return f"{name}/{id}"


def test_arguments(tmp_path: Path) -> None:
    """Arguments of filters and helpers fit the annotations of their parameters."""
    options = {"filters": {"amount": takes_number}, "helpers": {"to": takes_name}}
    good = (
        '{= s | clip(n) =}{= n | amount =}{= n | amount("kg") =}{= o | clip(3) =}{= to(s, id=n) =}{= a | clip(a) =}'
        '{= to(a, id=a) =}<! for x in range(n) !>x<! end !>{= s | replace("a", s) =}{= n | number(digits=n) =}{= f | amount =}'
    )
    bad = [
        ("{= s | clip(s) =}", "s)", "n"),
        ("{= s | amount =}", "s |", "value"),
        ("{= n | amount(n) =}", "n)", "unit"),
        ("{= o | amount =}", "o |", "value"),
        ("{= to(s, id=s) =}", "s)", "id"),
        ("{= to(n, id=n) =}", "n,", "name"),
        ("<! for x in range(s) !>x<! end !>", "s)", "start"),
        ("{= n | number(digits=s) =}", "s)", "digits"),
        ("{= s | replace(o, s) =}", "o,", "old"),
    ]
    takes = "<! takes s: str, n: int, o: str | None, f: float, a: any !>"
    assert checked(tmp_path, takes + good, **options) == []
    for text, place, name in bad:
        (found,) = checked(tmp_path, takes + text, **options)
        start = len(takes) + text.index(place) + 1
        assert (found.code, found.column) == ("type-argument", start), text
        assert f'"{name}" of' in found.message


def test_what_is_empty_is_not_computed_with(tmp_path: Path) -> None:
    """Where what is missing prints nothing, None has attributes, but no sum, no order and no items."""
    wrong = "{= v.draught + 1 =}{= 1 < v.draught =}<! for x in n !>{= x =}<! end !>"
    found = checked(tmp_path, f"<! takes v: Vessel, n: list | None !>{{= v.owner.name =}}{wrong}", missing="empty")
    assert [each.code for each in found] == ["type-none"] * 3
    for text in ("{= x + 1 =}", "{= -x =}", "{= 1 < x =}"):
        for data, hint in (({"x": None}, "may be None"), ({}, "may be missing")):
            with pytest.raises(RenderError, match=hint):
                Engine(missing="empty").compile(text).render(data)


NONE_FAILS = """n + 1|1 - n|n * 2|n / 2|-n|+n|n < 1|1 >= n|-(n?)|n? + 1|n? < 1|s + "t"|"t" < s|s in "abc"|s not in "abc"|1 in xs|
1 not in xs|xs[n]|[1, 2][n]?|"abc"[n]|xs[0]|xs[0:1]|s[0]|m["a"]|v.name|v.owner.name|-(n) + 1|1 < 2 < n|(n if t else 2) + 1"""
NONE_IS_FINE = """n == 1|n != 1|n in [1, 2]|s == "t"|s?|n?|xs?|not n|(n ?? 0) + 1|-(n ?? 0)|(n ?? 1) < 2|(s ?? "") in "abc"|1 in (xs ?? [])|
xs?[0]|m?["a"]|v?.name|s in ["a"]|"abc"[0:n]|n and n + 1|[1, 2][(n ?? 0)]|xs and 1 in xs|s and s in "abc"|m[n]?"""


@pytest.mark.parametrize(("text", "fails"), [
    *((text, True) for text in NONE_FAILS.replace("\n", "").split("|")), *((text, False) for text in NONE_IS_FINE.replace("\n", "").split("|")),
])  # fmt: skip
def test_none_is_found_where_rendering_fails(text: str, fails: bool, tmp_path: Path) -> None:  # noqa: FBT001
    """What may be None is reported where rendering fails with None, and nowhere else."""
    takes = "n: int | None, s: str | None, xs: list[int] | None, m: dict[str, int] | None, v: Vessel | None, t: bool"
    values = {**dict.fromkeys(("n", "s", "xs", "m", "v")), "t": True}
    template = f"<! takes {takes} !><! if ({text}) is None !>0<! end !>"
    found = {each.code for each in checked(tmp_path, template)}
    try:
        Engine(tmp_path, **OPTIONS).render("page.html", values)
    except RenderError:
        assert (found, fails) == ({"type-none"}, True)
    else:
        assert (found, fails) == (set(), False)


@pytest.mark.parametrize("count", [10, 60])
@pytest.mark.parametrize(("first", "larger"), [
    ("n", "(({} == n) and n)"), ("n", "(n if {} == n else s)"), ("s", "({})[0:3]?"), ("s", "({}.a?)"),
    ("n", "({} ?? s)"), ("n", "[{}, s]"), ("n", "(not ({} is None or s))"),
])  # fmt: skip
def test_nested_expressions(first: str, larger: str, count: int, tmp_path: Path) -> None:
    """Each part of an expression is looked at a few times, however deep it is; otherwise this would not end."""
    for _ in range(count):
        first = larger.replace("{}", first)
    checked(tmp_path, f"<! takes n: int | None, s: any !>{{= {first} =}}{{= s =}}")


def test_parts_of_ever_new_types(tmp_path: Path) -> None:
    """A part that includes itself with ever new types is looked at some times."""
    steps = '<! include f x=[x], n=n !><! include f x={"a": x}, n=n !><! include f x={"b": x}, n=n !>'
    text = f"<! part f(x, n) !><! if n !>{steps}<! end !>{{= x | len =}}<! end !><! include f x=[1], n=1 !>"
    assert checked(tmp_path, text) == []


def test_inputs(tmp_path: Path) -> None:
    """A class says what a page is given, from the side of Python."""
    text = "<! for each in calls !>{= each.nmae =}<! end !>{= note | upper =}{= not_there =}{= site =}{= note.x =}"
    (tmp_path / "page.html").write_text(text, "utf-8")
    found = Engine(tmp_path, **OPTIONS, inputs={"page": harbour.Board}).check()
    assert [(each.code, each.column) for each in found] == [
        ("type-attribute", text.index("nmae") + 1),
        ("input-undeclared", text.index("not_there") + 1),
        ("type-none", text.index("note.x") + 1),
        ("type-attribute", text.index("note.x") + 6),
    ]


@pytest.mark.parametrize("case", cases("odd_types.txt"), ids=lambda case: case.title)
def test_odd_classes(case: Any, tmp_path: Path) -> None:
    """Of classes that are hard to read, what is certain is said and nothing else."""
    text = f"<! takes {case.parts['template'].strip()} !>{case.parts['marks']}"
    found = checked(tmp_path, text, types=odd)
    assert " ".join(each.code for each in found) == case.parts["found"].strip()


def test_models(tmp_path: Path) -> None:
    """Models of other libraries have the fields that they declare, and no others."""
    text = """<! takes s: Ship, a: Attrs, p: Model, g: Paged, x: Extra, m: Struct !>
{= s.name =}{= s.note? =}{= s.metadata.x =}{= a.name =}{= p.double + 1 =}{= x.any =}{= m.tons + 1 =}{= p.tons ?? 0 =}
{= s.nmae =}<! for call in s.calls !>{= call.ship.nmae =}<! end !>
{= s.note.x =}{= a.nmae =}{= p.tons + 1 =}{= p.doubel =}<! for each in g.items !>{= each.nmae =}<! end !>
{= m.tons.nmae =}{= m.nmae =}{= s =}{= a =}{= p =}{= m =}
"""
    types = {name: getattr(models, name) for name in ("Ship", "Attrs", "Model", "Extra", "Struct")}
    found = checked(tmp_path, text, types=types | {"Paged": models.Paged[models.Model]})
    assert [each.line for each in found].count(2) == 0
    assert [(each.line, each.code, each.message.partition(" ")[0]) for each in found] == [
        (3, "type-attribute", "Ship"),
        (3, "type-attribute", "Ship"),
        (4, "type-none", '"s.note"'),
        (4, "type-attribute", "str"),
        (4, "type-attribute", "Attrs"),
        (4, "type-none", '"p.tons"'),
        (4, "type-attribute", "Model"),
        (4, "type-attribute", "Model"),
        (5, "type-attribute", "float"),
        (5, "type-attribute", "Struct"),
        *[(5, "type-print", "A")] * 4,
    ]


def test_inputs_are_not_those_of_parts(tmp_path: Path) -> None:
    """A part of a page has values of its own, and sees the globals."""
    (tmp_path / "page.html").write_text("{= day | date =}<! part alone() !>{= site =}{= other? =}<! end !>", "utf-8")
    found = Engine(tmp_path, **OPTIONS, inputs={"page": harbour.Board}).check()
    assert [each.message for each in found if "Board" in each.message] == []


@pytest.mark.parametrize(("options", "message"), [
    ({"types": {"str": str}}, 'types cannot say what "str" means: it is one of the types that templates have'),
    ({"types": {"a b": int}}, "types names classes as takes writes them, not 'a b'"),
    ({"inputs": {"page": 3}}, "inputs has the name of a template and a class whose annotations are the page's values"),
])  # fmt: skip
def test_options(options: dict[str, Any], message: str) -> None:
    """What cannot be a type is refused when the engine is made."""
    with pytest.raises(ValueError, match=re.escape(message)):
        Engine(**options)
