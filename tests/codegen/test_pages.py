"""Pages read objects of every kind, whatever is around them, and say what is not there; what that costs is counted."""

from __future__ import annotations

import ast
import asyncio
import itertools
import subprocess
import sys
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import pytest
from support import cases
from values import outcome

from untor import Engine, MissingValue, RenderError, Template, UntorError
from untor.analysis.walker import BlockWalker
from untor.codegen import build, python, python_expressions
from untor.compiler.origin import Origin
from untor.escape.accelerated import IS_BUILT
from untor.runtime import attributes

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from pathlib import Path

# --- objects -----------------------------------------------------------------------------------------------------------


@dataclass
class Plain:
    """An object with attributes only."""

    b: object = None
    c: object = None


class Both:
    """An object with attributes and items."""

    def __init__(self, **items: object) -> None:
        self.items_ = items
        self.b = items.get("b", "attribute")

    def __getitem__(self, key: str) -> object:
        return self.items_[key]


class Lazy:
    """An object that makes its attributes up, and fails in a property."""

    @property
    def b(self) -> object:
        """Fail as a program does that has a mistake in it."""
        raise AttributeError("mistake")

    def __getattr__(self, name: str) -> object:
        if name == "c":
            return "made up"
        raise AttributeError(name)


class Empty:
    """An object with a slot that is empty."""

    __slots__ = ("b",)


engine = Engine(calls="methods")

MISSES = [
    ({"b": 1}, "<! if a.b !>x<! end !>", 'There is no "a" here.', "The page was given b."),
    ({"b": 1}, "{= 1 if not a.b else 2 =}", 'There is no "a" here.', "The page was given b."),
    ({"a": {"vessel": {"nam": 1}}}, "{= a.vessel.name =}", 'There is no "name" in this dict.', 'Did you mean "nam"?'),
    ({"a": Plain("x")}, "{= a.b =}{= a.d =}", 'There is no "d" in this Plain.', "It has b, c."),
    ({"a": Plain(Lazy())}, "{= a.b.c =}{= a.b.d =}", 'There is no "d" in this Lazy.', None),
    ({"a": Empty()}, "{= a.b =}", 'There is no "b" in this Empty.', "Its class declares it, but it has no value."),
    ({"a": Plain()}, "{= a.b.c =}", 'There is no "c" here, because a.b is None.', None),
    ({"a": [Plain({"b": 1})]}, "<! for x in a !>{= x.b.b =}{= x.b.d =}<! end !>", 'There is no "d" in this dict.', "It has b."),
    ({"a": Plain()}, "<! let y = a !><! if y.d !>x<! end !>", 'There is no "d" in this Plain.', "It has b, c."),
]  # fmt: skip


@pytest.mark.parametrize(("data", "source", "message", "hint"), MISSES)
@pytest.mark.parametrize("columns", [True, False])
def test_what_is_not_there(data: dict[str, object], source: str, message: str, hint: str | None, columns: bool) -> None:  # noqa: FBT001
    """A name that is not there is said to be missing in the usual words, also where Python keeps no columns."""
    if columns:
        template = engine.compile(source)
        for _ in range(2):
            with pytest.raises(MissingValue) as found:
                template.render(data)
        assert (found.value.message, hint or found.value.hint) == (message, found.value.hint)
        end = found.value.column or 0
        assert source[end - 1 :].startswith(message.split('"')[1])
        return
    script_ = (
        f"import sys; sys.path[:0] = {sys.path!r}; from codegen.test_pages import *; attributes.direct_types.update({{Plain, Lazy}})\n"
        f"data, source = next((each[0], each[1]) for each in MISSES if each[2] == {message!r} and each[1] == {source!r})\n"
        "try: engine.compile(source).render(data)\nexcept MissingValue as error: print(error.message)"
    )
    done = subprocess.run(
        [sys.executable, "-X", "no_debug_ranges", "-c", script_], capture_output=True, text=True, check=False
    )
    assert message.partition(", because")[0][:12] in done.stdout, done.stderr


@pytest.mark.parametrize("where", ["a", "a.b", "a.b.c"])
@pytest.mark.parametrize("kind", [dict, Plain])
def test_awaitables_on_the_way(where: str, kind: type) -> None:
    """An awaitable is awaited wherever it stands on the way to what is printed, also beside what is read directly."""

    async def later(value: object) -> object:
        await asyncio.sleep(0)
        return value

    def data() -> dict[str, object]:
        leaf = later("<x>") if where == "a.b.c" else "<x>"
        inner = kind(b="y", c=leaf)
        outer = kind(b=later(inner) if where == "a.b" else inner, c="z")
        return {"rows": [later(outer) if where == "a" else outer]}

    template = engine.compile("<! for a in rows !>{= a.b.c =}<! end !>")
    assert asyncio.run(template.render_async(data())) == "&lt;x&gt;"


WITH_STEPS = [
    "<! takes a, d = a.b !>{= d =}{= a.b =}",
    "<! takes d = a.b !>{= d =}{= a.b =}",
    "<! part p(a, d = a.b) !>{= d =}{= a.b =}<! end !><! include p a !>",
    "<! for x in [a] if x.b !>{= x.b =}{= a.b =}<! end !>",
    "<! for x in [a] if x.b as r !>{= x.b =}{= a.b if r.last else r.total =}<! end !>",
    "<! for x in [] !>{= x.b =}<! else !>{= a.b =}{= a.b =}<! end !>",
    "<! let d = a.b !><! let a = a !>{= a.b =}{= d =}",
    "<! part p(x) !><p><! slot !>{= x.b =}</p><! end !><! use p x=a !>{= a.b =}<! end !>",
    "<! for u in [a] !><! for v in [u] !><! for w in [v] !><! for x in [u] !><! for y in [x] !><! for z in [y] !><! for q in [z] !>"
    "<! for r in [q] !><! for s in [r] !>{= s.b =}{= u.b =}<! end !><! end !><! end !><! end !><! end !><! end !><! end !><! end !><! end !>",
    '<a href="/{= a.b =}?{= a.b =}#{= a.b =}" title={= a.b =}>x</a><script>f({= a.b =}, "{= a.b =}")</script>',
    "{= a.b if a.b else a.c =}{= a.b and a.c =}{= not a.b =}{= [a.b, a.c] | join =}{= a.b == a.b =}{= a.b | default_of(a.c) =}",
]


@pytest.mark.parametrize("source", WITH_STEPS)
def test_steps_around_what_is_read(source: str) -> None:
    """Whatever stands around it, what is read is there in time, of dicts and of objects, in every way to render."""
    own = Engine(filters={"default_of": lambda value, other: value or other})
    template = own.compile(source)
    pages = set()
    for value in ({"b": 1, "c": 2}, Plain(1, 2), Both(b=1, c=2)):
        if isinstance(value, Both):
            value.b, value.c = 1, 2  # type: ignore[attr-defined]
        for _ in range(2):
            pages |= {template.render(a=value), template.render({"a": value}), "".join(template.stream(a=value))}
            pages |= {asyncio.run(template.render_async(a=value))}
    assert len(pages) == 1


def test_errors_of_values_are_their_own() -> None:
    """A KeyError or an AttributeError that comes out of a value's own code is not taken for a missing name."""

    class Bad:
        def __str__(self) -> str:
            raise self.error  # type: ignore[attr-defined]

    for kind in (KeyError, AttributeError):
        Bad.error = kind("b")  # type: ignore[attr-defined]
        for data in ({"b": Bad()}, Plain(Bad())):
            with pytest.raises(RenderError) as found:
                engine.compile("{= a.b =}").render(a=data)
            assert not isinstance(found.value, MissingValue)
            assert found.value.code == "expression-failed"


def test_closed_objects_stay_closed() -> None:
    """What templates cannot look into is not read directly either."""
    for value in (sys, print, (n for n in [1]), engine.render, type):
        for _ in range(2):
            with pytest.raises(UntorError):
                engine.compile("{= a.b =}{= a.mro =}").render(a=value)
        assert type(value) not in attributes.direct_types or type(value) is type


# --- pieces in loops ---------------------------------------------------------------------------------------------------

SITE = {
    "page.html": "<ul>\n\n<! for row in rows !><! include 'row' row, n=1 / row.n !><! end !></ul>",
    "row.html": "<! takes row, n: float, kind = 'due' !>\n<li class={= kind =}>é{= row.b =} {= n =} {= row.b | shout =}"
    "<! for each in row.more? !>{= each.c =}<! end !><! let b = row.b !>{= b =}</li>",
}
GOES_WRONG = [
    ({"b": "x"}, ("page.html", 3, "n"), "There is no"),
    ({"b": "x", "n": 0}, ("page.html", 3, "1 / row.n"), "a number cannot be divided by zero"),
    ({"n": 1}, ("row.html", 2, "b"), 'There is no "b" in this dict'),
    ({"b": b"", "n": 1}, ("row.html", 2, "row.b"), "A value of bytes"),
    ({"b": 2, "n": 1}, ("row.html", 2, "shout"), "AttributeError"),
    ({"b": "x", "n": 1, "more": [{}]}, ("row.html", 2, "c"), 'There is no "c" in this dict'),
    ({"b": "x", "n": 1, "more": 7}, ("row.html", 2, "row.more?"), "A loop cannot run over 7"),
]


def all_ways(template: Template) -> list[Callable[[Mapping[str, object]], str]]:
    """Return the ways to render a template, as functions of a context."""
    return [
        template.render,
        lambda data: "".join(template.stream(data)),
        lambda data: asyncio.run(template.render_async(data)),
    ]


def site_of(folder: Path, **options: Any) -> Engine:
    """Make the engine of a site with a piece in a loop."""
    for name, text in SITE.items():
        (folder / name).write_text(text, "utf-8")
    return Engine(folder, filters={"shout": lambda value: value.upper()}, **options)


@pytest.mark.parametrize(("row", "place", "message"), GOES_WRONG, ids=range(len(GOES_WRONG)))
def test_trouble_in_a_piece(tmp_path: Path, row: object, place: tuple[str, int, str], message: str) -> None:
    """What goes wrong in a piece that is included in a loop is said of the file and the line that it stands in."""
    fine = {"b": "x", "n": 2, "more": [{"c": 1}]}
    for cache in (None, tmp_path / "cache", tmp_path / "cache"):
        own = site_of(tmp_path, cache_folder=cache).template("page")
        for render in all_ways(own):
            assert render({"rows": [fine]}) == '<ul>\n\n<li class="due">éx 0.5 X1x</li></ul>'
            with pytest.raises(UntorError, match=message) as found:
                render({"rows": [fine, row]})
            problem = found.value.problem
            assert problem.source is not None
            word = problem.source.text[problem.start : problem.end]
            assert (problem.source.name, found.value.line, word) == place


def test_trouble_in_a_piece_without_columns(tmp_path: Path) -> None:
    """Where Python keeps no columns, the file and the line are still the piece's own."""
    site_of(tmp_path)
    script_ = (
        f"import sys; from untor import Engine; page = Engine({str(tmp_path)!r}, filters={{'shout': str.upper}})\n"
        "try: page.render('page', rows=[{'n': 1}])\nexcept Exception as error: print(error)"
    )
    command = [sys.executable, "-X", "no_debug_ranges", "-c", script_]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert "row.html, line 2" in done.stdout, done
    assert 'There is no "b" in this dict' in done.stdout


PIECES = [
    ("<! part p(x, y = x) !>[{= x =}{= y =}]<! end !>", "<! let y = 9 !><! include p x=y !><! include p x=x, y=x !>{= y =}{= x =}"),
    ("<! part p(x) !><! let z = x !>{= z =}<! end !>", "<! let z = 5 !><! include p x !>{= z =}"),
    ("<! part p(x) !><! for i in [x, 2] as r !>{= i =}{= r.last =}<! else !>-<! end !><! end !>", "<! include p x !>{= r.number =}"),
    ("<! part p(x: int, y: str = 'd') !>{= x =}{= y =}<! end !>", "<! include p x !>"),
    ("<! part p(x: str) !>{= x =}<! end !>", "<! include p x !>"),
    ("<! part p(x, y = 'none') !>{= x? =}{= y =}<! end !>", "<! include p x=x.b?, y=x.c? !><! include p x=x? !>"),
    ("<! part p(x) !>{= x.b =}<! end !>", "<! include p x=x.b !>"),
    ("<! part p(x) !><! if x !>on<! else !>off<! end !>{= g =}!<! end !>", "<! include p x !><! include p x=not x !>"),
    ("<! part p(x) !>{= x =}<! end !>", "<a href='/<! include p x !>?<! include p x !>' title='<! include p x !>'>{= x =}</a>"),
    ("<! part p(x) !>{= x =}<! end !>", "<script>f('<! include p x !>', {= x =})</script><! include p x !>"),
    ("<! part c(t) !><! let x = 1 !>{= t =}(<! slot else !>{= x =}<! end !>)<! end !>", "<! use c t=x !>{= x =}<! end !><! use c t=x !><! end !>"),
    ("<! part c(t) !><! for x in t !><! slot !>{= x =}<! end !><! end !>", "<! use c t=[1, 2] !>{= x =}<! for z in [x] !>{= z =}<! end !><! end !>"),
    ("<! part c(t) !><! if t !><b><! slot !></b><! else !><i><! slot !></i><! end !><! end !>", "<! use c t=x !>{= x =}<! end !>"),
    ("<! part a(t) !>A{= t =}<! slot !><! end !><! part b(t) !>B<! use a t=t !>{= t =}<! slot !><! end !><! end !>", "<! use b t=x !>{= x =}<! end !>"),
    ("<! part c(t) !><h1><! slot h else !>H<! end !></h1><! slot !><! end !>", "<! use c t=x !><! into h !>{= x =}<! fallback !><! end !>{= x =}<! end !>"),
    ("<! part c(t) !><a href='/x/<! slot !>?{= t =}'><! slot !></a><! end !>", "<! use c t=x !>{= x =}<! end !>"),
    ("<! part c(t) !>{= t =}<! slot !>{= count() =}<! end !>", "{= count() =}<! use c t=count() !>{= count() =}<! end !>{= count() =}"),
    ("<! part c(t) !>{= t =}<! slot !>{= t =}" + "{= t =}" * 30 + "<! end !>", "{= x =}" * 40 + "<! use c t=x !>" + "{= x =}" * 9 + "<! end !>" + "{= x =}" * 70),
    ("<! part p(x) !>{= x =}<! for i in [x] !>{= i =}<! end !><! end !>", "<! for a in [x] !>" * 20 + "<! include p x=a !>" + "<! end !>" * 20),
]  # fmt: skip


@pytest.mark.parametrize(("piece", "use"), PIECES, ids=range(len(PIECES)))
def test_pieces_in_place_are_the_same(piece: str, use: str) -> None:
    """Whatever a piece and its use bind, read and miss, it is the same in the loop as called from there."""
    source = f"<body>{piece}<! for x in xs as r !>{use}<! end !>"
    pages = []
    for extension in (IS_BUILT, False):
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(build, "IS_BUILT", extension)
            helpers = {"count": itertools.count().__next__}
            ways = all_ways(Engine(globals={"g": "<g>"}, helpers=helpers).compile(source))
            pages.append(
                [outcome(way, {"xs": [7, value]}) for way in ways for value in ("<&", {"b": {"b": 1}, "c": 2}, 8)]
            )
    assert pages[0] == pages[1]


# --- counted ---------------------------------------------------------------------------------------------------------


def counted(monkeypatch: pytest.MonkeyPatch, source: str, data: Mapping[str, object]) -> dict[str, int]:
    """Return how often a page calls each function of its own names."""
    counts: dict[str, int] = {}
    monkeypatch.setattr(build, "IS_BUILT", False)
    function: Any = Engine().compile(source).render
    for name, value in list(function.__globals__.items()):
        if callable(value) and not isinstance(value, type) and not name.startswith("__"):

            def count(*arguments: Any, name: str = name[1:], value: Any = value, **named: Any) -> Any:
                counts[name] = counts.get(name, 0) + 1
                return value(*arguments, **named)

            monkeypatch.setitem(function.__globals__, name, count)
    function(data)
    return counts


ROWS = '<! for row in rows !><li title="{= row.b =}" id="{= row.b =}">{= row.b =} {= row.c =}<! end !>'


@pytest.mark.parametrize(("row", "escaped"), [({"b": 1, "c": 2}, 2000), (Plain(1, 2), 2000), (Plain("<", 2), 1000)])
def test_work_per_row_is_constant(monkeypatch: pytest.MonkeyPatch, row: object, escaped: int) -> None:
    """In Python, a row calls no function for a dot, and escapes a text once for equal places; more rows call no other."""
    one, other = (counted(monkeypatch, ROWS, {"rows": [row] * rows}) for rows in (10, 1000))
    more = {name: calls for name, calls in other.items() if calls != one[name]}
    assert more == {"e_attribute": escaped, "e_text": 2000}


@pytest.mark.skipif(not IS_BUILT, reason="the package was built without a compiler")
@pytest.mark.parametrize("kind", ["dict", "Plain"])
def test_rows_are_read_without_python(kind: str) -> None:
    """With the extension, rows of dicts, and of a class that was seen before, run no code in Python at all."""
    template = engine.compile(ROWS)
    rows = [{"b": 1, "c": "<"} if kind == "dict" else Plain(1, "<") for _ in range(100)]
    template.render(rows=rows)
    called: list[object] = []
    sys.setprofile(lambda frame, event, _: called.append(frame.f_code) if event == "call" else None)
    try:
        template.render(rows=rows)
    finally:
        sys.setprofile(None)
    assert called == []


@pytest.mark.skipif(not IS_BUILT, reason="the package was built without a compiler")
def test_an_odd_value_costs_itself() -> None:
    """What a program leaves to Python is one value: it costs the same among many, and the next page nothing."""
    template = engine.compile("<! for x in xs !><a href='/v/{= x =}'>{= x =}</a><! end !>")

    def calls(xs: list[str]) -> int:
        called = 0

        def count(_frame: object, event: str, _argument: object) -> None:
            nonlocal called
            called += event == "call"

        sys.setprofile(count)
        try:
            template.render(xs=xs)
        finally:
            sys.setprofile(None)
        return called

    calls(["..", "x"])
    one = calls(["x", "..", "x"])
    assert 0 < one == calls(["x"] * 60 + [".."] + ["x"] * 60)
    assert calls(["..", ".."]) == 2 * one
    assert calls(["x"] * 100) == 0


ELEMENTS = ["<p title='{= a =}'></p>", "<a href='/{= a =}'>x</a>", "<b>{= a =}</b>", "<p class='x'>a</p>{= a =}"]


@pytest.mark.parametrize(("before", "body"), [
    ("<body>", "{= a =}"), ("<body>", "<script>f({= a =})</script>"), *(("<body>", each) for each in ELEMENTS),
    *(("", each) for each in ELEMENTS), ("<table>", "<tr><td class='x'>{= a =}</td></tr>"),
])  # fmt: skip
def test_bodies_of_loops_are_walked_once(before: str, body: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """However deep a value is in loops, one look at its place is enough, also where the page begins with them."""
    walked = []
    placement = BlockWalker.placement

    def counted(*given: Any) -> Any:
        walked.append(placement(*given))
        return walked[-1]

    monkeypatch.setattr(BlockWalker, "placement", counted)
    Engine().compile(before + "<! for a in b !>" * 6 + body + "<! end !>" * 6)
    assert len(walked) == 1


NAMES = """kind type values context append get class é out nonce scope dict given error direct each truth list len slice
render stream name""".split()


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize(
    "source", ["{= %s =}", "{= %s.b =}{= %s.c =}{= kind?.b? =}", "<body><script>f({= %s.b =})</script>{= kind?.b? =}"]
)
def test_values_by_name(name: str, source: str) -> None:
    """Whatever a value's name is, it is the same by name, by a context, by both, and missing in the usual words."""
    template = Engine().compile(source.replace("%s", name))
    value = {"b": 1, "c": 2}
    data = {name: value} if "." in source else {name: "x"}
    page = template.render(data)
    assert (
        template.render(**data) == page == template.render({name: "other"}, **data) == template.render(data, unread=1)
    )
    assert Engine(globals=data).compile(source.replace("%s", name)).render() == page
    assert "".join(template.stream(**data)) == asyncio.run(template.render_async(**data)) == page
    with pytest.raises(MissingValue, match=f'There is no "{name}" here') as found:
        template.render(other=1)
    assert found.value.hint.endswith("The page was given other.") or "Did you mean" in found.value.hint


def test_names_of_generated_code() -> None:
    """All names begin with an underscore, as none of a template does."""
    for case in [*cases("language.txt"), *cases("places.txt")]:
        try:
            plan = engine.compiler.analyse(Origin("case.html", case.parts["template"]))
        except UntorError:
            continue
        for way in ("render", "stream_async"):
            code = python.module_of(plan, way, python_expressions.ModuleState(lenient=False))
            read = {node.id for node in ast.walk(code) if isinstance(node, ast.Name)}
            taken = {node.arg for node in ast.walk(code) if isinstance(node, ast.arg)}
            assert not {name for name in read | taken if not name.startswith("_")}, case.title


def test_clean_text_needs_no_call(monkeypatch: pytest.MonkeyPatch) -> None:
    """In Python, text that has nothing to escape is printed without calling anything for it."""
    rows = [{"b": "quay", "c": "é berth"}] * 50 + [{"b": "a'b", "c": "a<b"}] * 7
    found = counted(monkeypatch, ROWS, {"rows": rows})
    assert {name: calls for name, calls in found.items() if name.startswith("e_")} == {"e_attribute": 7, "e_text": 7}


def test_code_of_a_run() -> None:
    """In Python, a run is read first, and then written as one f-string."""
    plan = engine.compiler.analyse(Origin("case.html", "<p>{= a.b =}{= c =}</p>"))
    lines = python.shown(plan).splitlines()
    (written,) = (number for number, line in enumerate(lines) if "return f" in line)
    assert "_dot(" in "".join(lines[:written])
    assert "_dot(" not in "".join(lines[written:])
    assert "<p>{" in lines[written]
