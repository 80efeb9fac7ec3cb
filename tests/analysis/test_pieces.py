"""Layouts, includes, parts and slots, calls, and the four ways to render."""

from __future__ import annotations

import asyncio
import pickle
import sqlite3
import tracemalloc
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from functools import partial
from typing import TYPE_CHECKING
from xml.etree import ElementTree as ET

import pytest
from support import Case, cases, data_of

from untor import Engine, MissingValue, RenderError, TemplateMissing, UntorError

if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Callable, Generator, Iterator
    from pathlib import Path

PIECES = cases("pieces.txt")


def double(n: int) -> int:
    return 2 * n


def link(name: str, **values: object) -> str:
    return f"/{name}/{'/'.join(map(str, values.values()))}"


def engine_of(case: Case, folder: Path, **options: object) -> Engine:
    files = {"page.html": case.parts["template"]}
    files |= {name.removeprefix("file "): text for name, text in case.parts.items() if name.startswith("file ")}
    for name, text in files.items():
        (folder / name).parent.mkdir(exist_ok=True)
        (folder / name).write_text(text, "utf-8")
    shared = {"site": "Ellerys", "double": double, "f": {"double": double}}
    return Engine(folder, globals=shared, helpers={"link": link}, **options)  # type: ignore[arg-type]


async def chunks(pieces: AsyncIterator[str]) -> str:
    return "".join([piece async for piece in pieces])


@pytest.mark.parametrize("case", PIECES, ids=lambda case: case.title)
def test_case(case: Case, tmp_path: Path) -> None:
    """Each case gives its page, or its problem, in all four ways to render."""
    engine = engine_of(case, tmp_path)
    data = data_of(case)
    ways: list[Callable[[], str]] = [
        lambda: engine.render("page", data),
        lambda: "".join(engine.template("page").stream(data)),
        lambda: asyncio.run(engine.template("page").render_async(data)),
        lambda: asyncio.run(chunks(engine.template("page").stream_async(data))),
    ]
    for way in ways:
        if "problem" not in case.parts:
            assert way() == case.parts["page"]
            continue
        with pytest.raises(UntorError) as found:
            way()
        assert found.value.code == case.parts["problem"].strip()
        assert found.value.line is not None


@pytest.mark.parametrize("case", cases("language.txt"), ids=lambda case: case.title)
def test_other_ways(case: Case) -> None:
    """The cases of the language give the same in chunks and when awaiting."""
    if "page" in case.parts:
        template = Engine().compile(case.parts["template"])
        assert "".join(template.stream(data_of(case))) == case.parts["page"]
        assert asyncio.run(chunks(template.stream_async(data_of(case)))) == case.parts["page"]


@pytest.mark.parametrize("case", [case for case in PIECES if "page" in case.parts], ids=lambda case: case.title)
def test_from_the_cache(case: Case, tmp_path: Path) -> None:
    """A page from the disk cache is the page that was compiled; the second engine compiles nothing."""
    (tmp_path / "site").mkdir()
    options = {"cache_folder": tmp_path / "cache"}
    first = engine_of(case, tmp_path / "site", **options)
    assert first.render("page", data_of(case)) == case.parts["page"]
    second = engine_of(case, tmp_path / "site", **options)
    second.compiler.analyse = None  # type: ignore[assignment, method-assign]
    assert second.render("page", data_of(case)) == case.parts["page"]
    assert second.template("page").inputs == first.template("page").inputs


def test_inputs_and_dependencies(tmp_path: Path) -> None:
    """What a template reads of its context and what it is made of is known through layouts and includes."""
    case = Case("", {
        "template": '<! layout "frame" t=a !><! into s !>{= b =}<! end !>{= c =}<! include "row" x=d !><! for e in f !>{= e =}<! end !>',
        "file frame.html": "{= t =}{= g =}<! slot s !><! slot !>",
        "file row.html": "{= x =}{= hidden? =}",
    })  # fmt: skip
    template = engine_of(case, tmp_path).template("page")
    assert template.inputs == ("a", "b", "c", "d", "f", "g")
    assert template.dependencies == ("frame.html", "row.html")
    assert [(place.template, place.expression) for place in template.placements] == [
        ("frame.html", "t"), ("frame.html", "g"), ("page.html", "b"), ("page.html", "c"),
        ("row.html", "x"), ("row.html", "hidden?"), ("page.html", "e"),
    ]  # fmt: skip


def test_part_as_a_template(tmp_path: Path) -> None:
    """A part is a template of its own, for updates of a piece of a page."""
    case = Case("", {"template": "page <! part row(n, m: int = 2) !><tr><td>{= n =}{= m =}</td></tr><! end !>"})
    template = engine_of(case, tmp_path).template("page")
    assert template.parts == ("row",)
    assert template.part("row").render(n="<") == "<tr><td>&lt;2</td></tr>"
    assert template.part("row").inputs == ("m", "n")
    with pytest.raises(MissingValue):
        template.part("row").render()
    with pytest.raises(TemplateMissing, match='There is no template "page.html#rwo"'.replace(".", "[.]")):
        template.part("rwo")


def test_pickling(tmp_path: Path) -> None:
    """Engines, templates and parts pickle; many pages are rendered over threads and processes."""
    engine = engine_of(PIECES[0], tmp_path)
    engine.compile("<! part p !>x<! end !>").part("p").render()
    contexts = [{"day": f"<{n}>"} for n in range(70)]
    pages = list(engine.render_many("page", contexts))
    assert pages[3].startswith("<title>Arrivals of &lt;3&gt;</title>")
    for pool in [ThreadPoolExecutor(2), ProcessPoolExecutor(2)]:
        with pool:
            assert list(engine.render_many("page", contexts, pool)) == pages
            taken: list[int] = []
            some = engine.render_many("page", (taken.append(n) or {"day": f"<{n}>"} for n in range(10_000)), pool)  # type: ignore[func-returns-value]
            assert next(some) == pages[0]
            assert len(taken) < 100
            some.close()  # type: ignore[attr-defined]
    for template in [
        engine.template("page"),
        engine.compile("{= day =}"),
        engine.compile("<! part p(day) !>{= day =}<! end !>").part("p"),
    ]:
        assert pickle.loads(pickle.dumps(template)).render(day=1) == template.render(day=1)


class Rows:
    """Awaitable values and an asynchronous iterator."""

    async def __aiter__(self) -> AsyncIterator[dict[str, object]]:
        for n in range(3):
            await asyncio.sleep(0)
            yield {"n": later(n), "odd": n % 2}


async def later(value: object) -> object:
    await asyncio.sleep(0)
    return value


ASYNC = """<! for row in rows if row.odd is not None as at !>{= at.number =}{= row.n =}{= "." if at.last else "," =}<! end !>\
<! if flag !><! let x = name !>{= x =}<! include p n=name !><! end !><a href="/{= name =}"></a><! part p(n) !>({= n =})<! end !>"""


def test_awaiting() -> None:
    """Values that can be awaited and asynchronous iterators can stand anywhere; many pages at once do not mix."""
    template = Engine().compile(ASYNC)

    async def page(number: int) -> tuple[str, str]:
        def data() -> dict[str, object]:
            class Once:
                def __await__(self) -> Generator[object, None, int]:
                    yield from asyncio.sleep(0).__await__()
                    return number

            return {"rows": Rows(), "flag": Once(), "name": Once()}

        return await template.render_async(data()), await chunks(template.stream_async(data()))

    async def many() -> list[tuple[str, str]]:
        return await asyncio.gather(*(page(number) for number in range(1, 30)))

    for number, both in enumerate(asyncio.run(many()), 1):
        assert set(both) == {f'10,21,32.{number}({number})<a href="/{number}"></a>'}
    waiting = later(1)
    with pytest.raises(RenderError, match="An awaitable"):
        Engine().compile("{= x =}").render(x=waiting)
    waiting.close()


def test_streaming_keeps_memory() -> None:
    """A page of a million rows is streamed in constant memory, its first chunk before the first row."""
    asked = 0

    def rows() -> Iterator[int]:
        nonlocal asked
        while asked < 1_000_000:
            yield asked
            asked += 1

    pieces = Engine().compile("<p>head</p><! for n in rows as row !><p>{= n =}</p><! end !>").stream(rows=rows())
    assert next(pieces) == "<p>head</p>"
    assert asked == 0
    next(pieces)
    tracemalloc.start()
    size = sum(len(piece) for piece in pieces)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert size > 12_000_000
    assert peak < 200_000


def test_errors_while_streaming() -> None:
    """What comes before an error is sent; the error has its place, and its cause is chained."""
    pieces = Engine().compile("a<! for x in [1, 0] !>{= 1 // x =}<! end !>").stream()
    assert next(pieces) == "a"
    with pytest.raises(RenderError) as found:
        list(pieces)
    assert (found.value.column, type(found.value.__cause__)) == (26, ZeroDivisionError)


class Frame:
    """What a data frame looks like from outside."""

    columns = ("a", "b")

    def itertuples(self, *, index: bool, name: str | None) -> Iterator[tuple[int, int]]:
        assert (index, name) == (False, None)
        yield from [(1, 2), (3, 4)]


class Polar:
    """What another kind of data frame looks like."""

    columns = ("a", "b")

    def iter_rows(self) -> Iterator[tuple[int, ...]]:
        yield 5, 1


class Array:
    """An array, whose own truth is an error or that of its one item."""

    def __init__(self, *items: int) -> None:
        self.items = items

    def __array__(self) -> None: ...

    def __len__(self) -> int:
        return len(self.items)

    def __bool__(self) -> bool:
        raise ValueError("ambiguous")


def test_kinds_of_collections() -> None:
    """Loops run over what data comes in: rows of a database, data frames, sets, XML elements, odd iterables."""
    engine = Engine()
    render = engine.compile("<! for row in rows !>{= row.a =}{= row.b =} <! end !>").render
    database = sqlite3.connect(":memory:")
    database.row_factory = sqlite3.Row
    assert render(rows=database.execute("select 7 as a, 8 as b")) == "78 "
    assert render(rows=Frame()) == "12 34 "
    assert render(rows=Polar()) == "51 "
    database.close()
    assert (
        engine.compile("<! for e in x !>{= e.tag =}{= e.text =} <! end !>").render(
            x=ET.fromstring("<a><b>1</b><b/></a>")
        )
        == "b1 b "
    )
    assert engine.compile("<! for e in x as r !>{= e =}{= r.total =}<! end !>").render(x=iter({3})) == "31"
    render = engine.compile("<! if x !>some<! else !>none<! end !>").render
    assert engine.compile("{= x.gone? =}").render(x=Array(0)) == ""  # what has been looked into has the same truth
    assert [render(x=Array(0)), render(x=Array()), render(x=[])] == ["some", "none", "none"]
    assert engine.compile("{= x | where('a') | len =}").render(x=[{"a": Array(0)}, {"a": Array()}, {}]) == "1"


def test_calls_of_methods() -> None:
    """``calls="methods"`` lets methods be called, but none that would reach into Python."""
    engine = Engine(calls="methods")
    assert engine.compile("{= x.upper() =}{= x.replace('a', y) =}").render(x="a", y="b") == "Ab"
    for source in ["{= '{0.__class__}'.format(x) =}", "{= x.format_map(y) =}", "{= x.__class__() =}", "{= t.mro() =}"]:
        with pytest.raises(UntorError):
            engine.compile(source).render(x="{a.__class__}", y={"a": 1}, t=int)
    with pytest.raises(RenderError, match=r"Engine\(…, calls=\"methods\"\)"):
        Engine().compile("{= x.upper() =}").render(x="a")
    assert Engine().compile("{= f(2) =}{= g([1]) =}").render(f=partial(double), g=len) == "41"
    with pytest.raises(RenderError):
        Engine().compile("{= f(2) =}").render(f=int)


def test_decorators() -> None:
    """Filters and helpers can be registered by decorator."""
    engine = Engine()

    @engine.filter
    def shout(value: object) -> str:
        return f"{value}!"

    @engine.helper
    def wave(times: int = 1) -> str:
        return "~" * times

    assert (
        engine.compile("{= 'a' | shout =}{= wave(2) =}<! include p !><! part p !>{= wave() =}<! end !>").render()
        == "a!~~~"
    )


def test_problem_of_an_include_names_its_users(tmp_path: Path) -> None:
    """A place that is refused in an include is told with the page that puts it there."""
    case = Case("", {"template": '<script><! include "row" x=1 !></script>', "file row.html": "a.{= x =}"})
    with pytest.raises(UntorError) as found:
        engine_of(case, tmp_path).render("page")
    assert (found.value.name, found.value.line, found.value.column) == ("row.html", 1, 3)
    assert found.value.hint.endswith("Used by page.html.")


def test_steps_in_plain_text(tmp_path: Path) -> None:
    """Plain text has all steps, and escapes nothing."""
    (tmp_path / "frame.txt").write_text(
        "Port Ellery\n<! slot !>\n-- \n<! slot end else !>The office<! end !>\n", "utf-8"
    )
    (tmp_path / "mail.txt").write_text(
        '<! layout "frame" !>\n<! part line(c) !><! if c.tons > 10 !>big<! elif c.tons !>small<! else !>none<! end !><! end !>\n'
        "<! into end !>Runa<! end !>\n<! for c in calls as row !>\n{= row.number =}. {= c.name =} (<! include line c !>)\n"
        "<! else !>\nNo calls.\n<! end !>\n",
        "utf-8",
    )
    engine = Engine(tmp_path)
    calls = [{"name": "<Gull> & Co", "tons": 12}, {"name": "Tern", "tons": 0}]
    assert engine.render("mail", calls=calls) == "Port Ellery\n\n\n1. <Gull> & Co (big)\n2. Tern (none)\n-- \nRuna\n"
    assert engine.render("mail", calls=[]) == "Port Ellery\n\n\nNo calls.\n-- \nRuna\n"
