"""Loops that the extension runs do what Python does with the same code, and leave it what they cannot do."""

from __future__ import annotations

import asyncio
import gc
import signal
import sys
import threading
import weakref
from itertools import count
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import pytest
from codegen.test_speed import VALUES, Broken, Html, built, outcome
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st
from support import cases

from untor import Engine, UntorError
from untor.codegen import bytecode, loops, module
from untor.codegen.bytecode import FOR, READ, WRITE
from untor.compiler.origin import Origin
from untor.escape import MISSING
from untor.escape.accelerated import IS_BUILT

if TYPE_CHECKING:
    from collections.abc import Callable, Generator, Iterator

    from untor import Template
    from untor.escape import _extension
elif IS_BUILT:
    from untor.escape import _extension

pytestmark = built


def templates(source: str, **options: Any) -> Iterator[Template]:
    """Yield a template compiled with the extension, and without."""
    for extension in (True, False):
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(module, "IS_BUILT", extension)
            template = Engine(**options).compile(source)
            assert callable(template.stream)
            assert callable(template.render_async)
        yield template


def both(source: str, **options: Any) -> tuple[Callable[..., str], Callable[..., str]]:
    """Return the page of a template with the extension, and without."""
    one, other = templates(source, **options)
    return one.render, other.render


def finished(page: Any) -> object:
    """Return what a coroutine returns that waits for nothing."""
    try:
        page.send(None)
    except StopIteration as done:
        return done.value
    raise AssertionError("a page waits for something")


def pages_of(template: Template, data: dict[str, Any]) -> list[object]:
    """Return what a template makes of data at once, in chunks and asynchronously."""
    streamed = outcome(lambda: "".join(template.stream(**data)))
    return [
        outcome(lambda: template.render(**data)),
        streamed,
        outcome(lambda: finished(template.render_async(**data))),
    ]


def are_the_same(source: str, *data: dict[str, Any], **options: Any) -> None:
    """Assert that all pages of a template are the same with the extension, or that there is none."""
    with_extension, without = templates(source, **options)
    for rows in data:
        for one, other in zip(pages_of(with_extension, rows), pages_of(without, rows), strict=True):
            # Of two values that fail, the one that is found first may be another one.
            assert one == other or not (isinstance(one, str) or isinstance(other, str)), source


def loops_of(page: Callable[..., str]) -> list[str]:
    """Return the names of the loops that the extension runs for a page."""
    return [name for name in page.__globals__ if name.startswith("_l") and name[2:].isdigit()]


def left_over(page: Callable[..., str], data: dict[str, object]) -> list[object]:
    """Return what the loops of a page leave to Python: nothing, or the items from one on."""
    found: list[object] = []
    names = page.__globals__
    for name in loops_of(page):

        def run(*arguments: Any, loop: Any = names[name]) -> Any:
            found.append(loop(*arguments))
            return found[-1]

        names[name] = run
    outcome(lambda: page(**data))
    return found


# --- the same pages ------------------------------------------------------------------------------------------------

SOME = (
    "a<b&\"'",
    7,
    1.5,
    None,
    Html(),
    "\x00",
    "..",
    "é",
    "\N{GRINNING FACE}<",
    Broken(),
    [1, "<"],
    {"b": {"c": "<"}, "c": 1},
)
CASES = [*cases("language.txt"), *cases("places.txt")]
PARTS = 8
"""How many tests the cases are shared by, for they run side by side."""


def in_loops(case: Any, inputs: tuple[str, ...]) -> str:
    """Return the template of a case with its values as the items of loops around it."""
    heads = "".join(f"<! for {name} in {name} !>" for name in inputs) or "<! for each in [1] !>"
    return heads + str(case.parts["template"]) + "<! end !>" * max(1, len(inputs))


@pytest.mark.parametrize("part", range(PARTS))
def test_pages_in_loops_are_the_same(part: int) -> None:
    """Every case of the language and of places, with its values as items of loops, is what it is without the extension.

    Only those are left out that cannot be the body of a loop.
    """
    compared = left_out = 0
    for case in CASES[part::PARTS]:
        try:
            inputs = Engine().compile(case.parts["template"]).inputs
        except UntorError:
            continue
        source = in_loops(case, inputs)
        try:
            Engine().compile(source)
        except UntorError:
            left_out += 1
            continue
        are_the_same(source, *({name: ["x", value, "a<b"] for name in inputs} for value in SOME))
        compared += 1
    assert compared > 500 / PARTS * 0.9
    assert left_out < 20 / PARTS + 3


def test_most_cases_are_run_by_the_extension() -> None:
    """What is compared above is what it is meant to be: of the loops that can be made, four in five are programs."""
    found = []
    for case in CASES:
        source = f"<! for each in [1] !>{case.parts['template']}<! end !>"
        try:
            found.append(bool(loops_of(Engine().compile(source).render)))
        except UntorError:
            continue
    assert len(found) > 300
    assert sum(found) / len(found) > 0.8


NAMES = st.sampled_from(["x", "row", "each"])
EXPRESSIONS = st.recursive(
    NAMES | NAMES.flatmap(lambda name: st.sampled_from([f"{name}.b", f"{name}.c.b", f"{name}.b.c"])) | st.sampled_from(['"<lit>"', "3", "p.number", "p.last"]),
    lambda inner: st.builds("({} ?? {})".format, inner, inner)
    | st.builds("({} if {} else {})".format, inner, inner, inner)
    | st.builds("({} {} {})".format, inner, st.sampled_from("and or == != < in + *".split()), inner)
    | st.builds("({} | upper)".format, inner)
    | st.builds("({} | clip(2, end={}))".format, inner, inner)
    | st.builds("[{}]".format, inner)
    | inner.map("(not {})".format),
    max_leaves=4,
)  # fmt: skip
PRINTED = st.builds(
    str.format,
    st.sampled_from(["{{= {} =}}", '<b title="{{= {} =}}">é</b>', "<a href='/x/{{= {} =}}'></a>", "<i id={{= {} =}}></i>", "<a href='{{= {} =}}'></a>", "<p onclick='f({{= {} =}})'>"]),
    EXPRESSIONS,
)  # fmt: skip
BODIES = st.recursive(
    PRINTED | st.sampled_from(["", "<br>", "&amp;—", "<! include part x=row !>"]),
    lambda inner: (
        st.builds("{}{}".format, inner, inner)
        | st.builds("<! if {} !>{}<! elif {} !>{}<! end !>".format, EXPRESSIONS, inner, EXPRESSIONS, inner)
        | st.builds("<! if {} !>{}<! else !>{}<! end !>".format, EXPRESSIONS, inner, inner)
        | st.builds("<! for each in {} as p !>{}<! else !>none<! end !>".format, EXPRESSIONS, inner)
        | st.builds("<! for each, x in {} if {} !>{}<! end !>".format, EXPRESSIONS, EXPRESSIONS, inner)
        | st.builds("<! let x = {} !>{}".format, EXPRESSIONS, inner)
        | st.builds("<! use card t={} !>{}<! end !>".format, EXPRESSIONS, inner)
    ),
    max_leaves=5,
)
PIECES = "<! part part(x, y = 3) !>[{= x.b =}{= y =}]<! end !><! part card(t) !><b>{= t =}<! slot !></b><! end !>"


def objects(inner: st.SearchStrategy[object]) -> st.SearchStrategy[object]:
    """Return dicts, objects, lists, tuples and mappings of values."""
    named = st.fixed_dictionaries({}, optional={"b": inner, "c": inner})
    return (
        named | named.map(lambda values: SimpleNamespace(**values)) | st.lists(inner, max_size=3)
        | st.lists(inner, max_size=3).map(tuple) | st.dictionaries(st.sampled_from("xyz"), inner, max_size=2)
    )  # fmt: skip


ITEMS = st.recursive(VALUES | st.sampled_from(["quay", "é<", "", 0, 2]), objects, max_leaves=12)


@settings(max_examples=settings().max_examples // 4)
@given(BODIES, st.lists(ITEMS, max_size=4), ITEMS, st.sampled_from(["error", "empty"]))
@example("{= row.b =}", [{"b": "x"}, {"b": "\N{GRINNING FACE}"}, {"b": Broken()}, {"b": "<"}], 1, "error")
def test_any_loop_is_the_same(body: str, rows: list[object], x: object, missing: str) -> None:
    """Whatever the body of a loop is and whatever its items are, the page is the same, or there is none."""
    source = f"<body>{PIECES}<! for row in rows as p !><! for each in [row] !>{body}<! end !><! end !>"
    try:
        Engine().compile(source)
    except UntorError:
        assume(False)  # noqa: FBT003
    are_the_same(source, {"rows": rows, "x": x}, missing=missing)


# --- what is left to Python ----------------------------------------------------------------------------------------

ROW = "<! for row in rows !><li>{= row.b =}<a href='/x/{= row.b =}'></a><! else !>none<! end !>."
GOOD = {"b": "quay"}


class Counts:
    """An object that counts how often it is read."""

    read = 0

    @property
    def b(self) -> str:
        """Return a text."""
        Counts.read += 1
        return "quay"


def again() -> Iterator[object]:
    """Yield what comes once only."""
    yield from (GOOD, {"b": ".."}, GOOD)


@pytest.mark.parametrize(
    ("rows", "left"),
    [
        ([GOOD] * 3, ()),
        ((GOOD, GOOD), ()),
        ([], None),
        ((), None),
        (set(), None),
        ({"x": 1}.keys(), None),
        ([GOOD, {"b": ".."}, GOOD], [{"b": ".."}, GOOD]),
        ((GOOD, {"b": ".."}, GOOD), ({"b": ".."}, GOOD)),
        ([{"b": "\N{GRINNING FACE}"}, {"b": ".."}], [{"b": ".."}]),
        ([GOOD, {"b": "\r\n\x1b"}, {"b": None}, {"b": 7}, {"b": True}], ()),
        ([GOOD, {"c": 1}], [{"c": 1}]),
        ([{"b": b""}, GOOD], [{"b": b""}, GOOD]),
    ],
    ids=str,
)
def test_what_is_left(rows: Any, left: object) -> None:
    """A loop leaves what it cannot write, from there on, and nothing of it is in the page twice."""
    run, plain = both(ROW)
    found = left_over(run, {"rows": rows})
    assert found == [left] or rows == {"x": 1}.keys()
    assert outcome(lambda: run(rows=rows)) == outcome(lambda: plain(rows=rows)) or left == [{"c": 1}]
    # What had to be left is not tried again for some time.
    if rows != {"x": 1}.keys():
        assert left_over(run, {"rows": [GOOD]}) == [[GOOD] if left else ()]


def test_iterators_go_on() -> None:
    """What an iterator has not given yet is not lost, in the loop itself and in one in it, even if it comes once only."""
    run, plain = both(ROW)
    assert run(rows=again()) == plain(rows=again()) == run(rows=[*again()])
    run, plain = both(
        "<! for row in rows !><! for each in row.c !>{= each.b =}<a href='/x/{= each.b =}'></a><! end !>|<! end !>"
    )
    for once in (again, lambda: iter([*again()]), lambda: {GOOD["b"]: 1}.items, lambda: [*again()]):
        first, other = [{"c": once()}, {"c": once()}], [{"c": once()}, {"c": once()}]
        assert outcome(lambda: run(rows=first)) == outcome(lambda: plain(rows=other))  # noqa: B023


class Changing:
    """A row whose text is wide when it is first read, and which the extension leaves to Python after that."""

    c = ".."

    def __init__(self, wide: str) -> None:
        self.texts = [wide]

    @property
    def b(self) -> str:
        """Return a wide text once."""
        return self.texts.pop() if self.texts else "y"


@pytest.mark.parametrize("start", ["", "x", "é"])
@pytest.mark.parametrize("wide", ["é", "\N{EN DASH}", "\N{GRINNING FACE}"])
def test_pages_keep_their_width(start: str, wide: str) -> None:
    """A page that a wide text was written to and taken away again is as narrow as its text is."""
    before = {"b": "a" * 5000, "c": "x"}
    for rows in ([], [before], [before, before]):
        run, _ = both(
            start + "<! for row in rows !>{= row.b =}<! if row.b !><a href='/{= row.c =}'></a><! end !><! end !>"
        )
        changing = Changing(wide)
        page = run(rows=[*rows, changing])
        assert not changing.texts
        assert wide not in page.removeprefix(start)
        again = "".join([*page])
        assert (page, hash(page), sys.getsizeof(page)) == (again, hash(again), sys.getsizeof(again))


class Dots:
    """An object that prints as two dots."""

    def __str__(self) -> str:
        return ".."


class Nested:
    """A value that makes a page of its own, of another like it, until one that ends, or fails."""

    slug, odd, made = "..", Dots(), 0

    def __init__(self, page: Callable[..., str], depth: int, last: object) -> None:
        self.page, self.depth, self.last = page, depth, last

    def __html__(self) -> str:
        Nested.made += 1
        return self.page(n=Nested(self.page, self.depth - 1, self.last) if self.depth else self.last)

    __str__ = __html__

    @property
    def once(self) -> Iterator[str]:
        """Return what comes once only."""
        return iter("ab")


@pytest.mark.parametrize("last", ["x", b"x", Broken()], ids=["good", "bytes", "broken"])
@pytest.mark.parametrize(
    "body",
    [
        "{= n =}",
        "{= n =}<a href='/x/{= n.slug? =}'></a>",
        "{= n =}<! if n.slug? !><a href='/x/{= n.slug =}'></a><! end !>",
        "{= n =}<a href='/x/{= n.odd? =}'></a>",
        "{= n =}<! for each in n.once? !>{= each =}<! end !>",
        "{= n | trim =}<a href='/x/{= n.slug? =}'></a>",
        "<p title='{= n =}'></p>",
    ],
)
def test_pages_in_pages_are_made_once(body: str, last: object) -> None:
    """However deep values make pages of their own, each is made a few times at most, also where something is left or fails."""
    for source in (body, f"<! for n in [n] !>{body}<! end !>"):
        run, plain = both(source)
        for depth in (1, 30, 60):
            found = []
            for page in (run, plain):
                Nested.made = 0
                found.append(outcome(lambda: page(n=Nested(page, depth, last))))  # noqa: B023
                assert Nested.made < 3 * depth + 10
            assert found[0] == found[1]


def test_each_value_is_read_once() -> None:
    """A loop reads what it prints once for each time it is printed, as Python does."""
    for page in both("<! for row in rows !>{= row.b =}{= row.b =}<! if row.b !><! end !><! end !>"):
        Counts.read = 0
        page(rows=[Counts()] * 10)
        page(rows=[Counts()])
        assert Counts.read == 33


@pytest.mark.parametrize(
    "body",
    [
        "{= next() =}",
        "{= 1 | note =}",
        "{= row.c | join =}",
        "{= 7 in row.c =}",
        "{= row.c | first =}{= row.c | first =}",
    ],
)
def test_nothing_is_used_up(body: str) -> None:
    """Functions and filters of a site are called once for an item, and what comes once only is there, also where Python takes over."""
    found = []
    for extension in (True, False):
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(module, "IS_BUILT", extension)
            numbers = count()
            options: Any = {"helpers": {"next": lambda: next(numbers)}, "filters": {"note": lambda _: next(numbers)}}  # noqa: B023
            render = (
                Engine(**options).compile(f"<! for row in rows !>{body}<a href='/x/{{= row.b =}}'></a><! end !>").render
            )
        found.append(render(rows=[{"b": each, "c": iter("7890")} for each in ("x", "..", "y")]))
    assert found[0] == found[1]
    assert "3" not in found[0]


@pytest.mark.parametrize(
    ("body", "row", "place", "words"),
    [
        ("{= row.b =}{= row.c =}", {"b": 1}, "c =}", 'There is no "c" in this dict'),
        ("<! if row.b !>{= row.c.d =}<! end !>", {"b": 1, "c": None}, "d =}", 'There is no "d"'),
        ("{= row.b | number =}", {"b": "x"}, "number", 'The filter "number" failed'),
        ("{= other =}", {"b": 1}, "other", 'There is no "other" here'),
        ("<! for each in row.b !>{= each =}<! end !>", {"b": 7}, "row.b", "7 (int)"),
        ("{= row.b < 3 =}", {"b": "x"}, "row.b < 3", "TypeError"),
    ],
)
def test_errors_have_their_place(body: str, row: object, place: str, words: str) -> None:
    """What goes wrong in a loop is told as ever, of the place where it does."""
    source = f"<! for row in rows !>\n  {body}<! end !>"
    pages = both(source)
    assert len(loops_of(pages[0])) == 1
    for page in pages:
        with pytest.raises(UntorError) as found:
            page(rows=[{"b": 2, "c": {"d": 1}}, row] if "each" not in body else [row])
        assert found.value.problem.start == source.index(place)
        assert words in str(found.value)


class Again:
    """A text that can be awaited again and again."""

    def __await__(self) -> Generator[object, object, str]:
        yield from asyncio.sleep(0).__await__()
        return "<x>"


class Waits:
    """An object whose text is awaited, and told how often that was."""

    awaited = 0

    @property
    def b(self) -> object:
        """Return what a coroutine returns."""
        return self.wait()

    async def wait(self) -> object:
        """Count."""
        Waits.awaited += 1
        return "<b>"


@pytest.mark.filterwarnings("error")
def test_awaitable_values_are_left_to_python() -> None:
    """What is awaited is awaited once, wherever it is: a property, an item, what is around the loop, an item of a dict."""
    source = "<! for row in rows !><! if row.b !>{= row.b | upper =}<! end !>{= x =}<! for each in row.c? !>{= each =}<! end !><! end !>"
    for template in templates(source):
        for x, printed in (("x", "x"), (Again(), "&lt;x&gt;")):
            Waits.awaited = 0
            rows: list[object] = [{"b": "a"}, Waits(), {"b": Again(), "c": [Waits().wait(), Again(), "c"]}, {"b": "d"}]
            expected = f"A{printed}&lt;B&gt;{printed}&lt;X&gt;{printed}&lt;b&gt;&lt;x&gt;cD{printed}"
            assert asyncio.run(template.render_async(rows=rows, x=x)) == expected
            assert Waits.awaited == 3
            assert asyncio.run(template.render_async(rows=[], x=x)) == ""


CHUNKED = "<! for row in rows as p !>{= p.number =}{= row.b =}<! for each in row.c !>{= each =}<! end !><! else !>none<! end !>."


@pytest.mark.parametrize("rows", [0, 1, 9, 2000])
@pytest.mark.parametrize("length", [0, 5, 5000])
def test_chunks_are_sent_as_they_come(rows: int, length: int) -> None:
    """A page in chunks is the same page, in pieces that are neither many nor large, however long an item is."""
    items = [{"b": "<" * length, "c": ["x"] * (100_000 if number == 1 else 3)} for number in range(rows)]
    for template in templates(CHUNKED):
        chunks = [*template.stream(rows=iter(items))]
        assert "".join(chunks) == template.render(rows=items)
        if loops_of(template.render):
            assert max(map(len, chunks)) < 2 * 64_000 + 4 * length
            assert len(chunks) <= 2 + sum(map(len, chunks)) / 16_000


def test_interrupts_are_nobodys_to_handle() -> None:
    """A loop stops for an interrupt, whether that comes from a value or while it runs."""

    class Interrupted:
        @property
        def b(self) -> str:
            raise KeyboardInterrupt

    run, _ = both(ROW)
    for _ in range(2):
        with pytest.raises(KeyboardInterrupt):
            run(rows=[GOOD, Interrupted()])
    if threading.current_thread() is threading.main_thread() and hasattr(signal, "setitimer"):
        before = signal.signal(signal.SIGALRM, signal.default_int_handler)
        signal.setitimer(signal.ITIMER_REAL, 0.01)
        try:
            with pytest.raises(KeyboardInterrupt):
                run(rows=(GOOD for _ in range(100_000_000)))
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
            signal.signal(signal.SIGALRM, before)


# --- programs ------------------------------------------------------------------------------------------------------


def test_loops_take_only_what_they_can() -> None:
    """What is no program is refused, and so is what is no page."""
    join = ((("<", ">"), b"t"),)
    fine = (READ, 1, 0, 0, WRITE, 0, 1)
    loop = _extension.loop(fine, ("b",), join, (), 0, 2, 0, 0)
    page = _extension.page()
    assert loop(page.write, [{"b": 1}, {"b": "<"}]) == ()
    assert page.finish() == "<1><&lt;>"
    with pytest.raises(TypeError, match="takes the write of a page"):
        loop([].append, [])
    with pytest.raises(TypeError, match="and 0 values"):
        loop(page.write, [], 1)
    with pytest.raises(TypeError, match="not iterable"):
        loop(page.write, 7)
    wrong: list[tuple[int, ...]] = [
        (99,), (-1,), (READ,), (READ, 1, 0), (READ, 1, 2, 0), (READ, 2, 0, 0), (READ, 1, 0, 1), (READ, -1, 0, 0),
        (WRITE, 1, 0), (WRITE, 0), (WRITE, 0, 2), (FOR, 0, 1, 0, 0), (FOR, 0, 1, 5, 99), (2**40,),
    ]  # fmt: skip
    for each in wrong:
        with pytest.raises(ValueError, match="no such step at 0"):
            _extension.loop(each, ("b",), join, (), 0, 2, 0, 0)
    for slots, kept in ((251, ()), (0, ()), (2, (1, 2)), (-1, ())):
        with pytest.raises(ValueError, match="more, or less"):
            _extension.loop(fine, ("b",), join, kept, 0, slots, 0, 0)
    with pytest.raises(TypeError):
        _extension.loop(fine, ("b",), (("<", b""),), (), 0, 2, 0, 0)  # type: ignore[arg-type]


NUMBERS = st.integers(-1, 14) | st.integers(0, 40)
# No numbers: what is multiplied by them may become too large for any machine.
FEW = st.sampled_from(["<", "", None, True, ("x", "y"), {"b": "<"}, ["x"], MISSING, Html(), Broken(), 1.5, len])


@given(st.lists(NUMBERS, max_size=40), st.lists(FEW, max_size=3), st.booleans())
def test_any_numbers_are_refused_or_run(numbers: list[int], items: list[object], chunks: bool) -> None:  # noqa: FBT001
    """No program, however wrong, reads or writes what is not its own."""
    kept = ("b", len, ("x",), ["y"], {"b": "<"})
    try:
        loop = _extension.loop(
            tuple(numbers), ("b", "c"), ((("", "<", ">"), b"ta"), ((".",), b"")), kept, 1, 12, chunks, 0
        )
    except ValueError:
        return
    page = _extension.page()
    outcome(loop, page.write, iter([*items, {"b": ("x", "y"), "c": ["x"]}]), "given")
    assert isinstance(page.finish(), str)


def test_engines_are_let_go() -> None:
    """A page whose loop keeps what leads back to its engine goes when nothing else asks for it."""
    known = SimpleNamespace(b="X")
    known.engine = engine = Engine(globals={"known": known})
    page = engine.compile("<! for row in rows !>{= known.b =}<! end !>").render
    assert loops_of(page)
    assert page(rows=[1]) == "X"
    gone = weakref.ref(engine)
    del engine, known, page
    gc.collect()
    assert gone() is None


def test_values_are_let_go() -> None:
    """A loop keeps nothing of what it has written, nor of what it could not."""
    run, _ = both("<! for row in rows !><! for each in row.c !>{= each.b =}{= row.b | upper =}<! end !><! end !>")
    text, row = "quay " * 3, {"b": "x" * 9}
    rows: list[object] = [{"c": [{"b": text}], "b": text}, {"c": (row, row), "b": "y"}]
    for odd in ([], [{"c": [{"b": b""}], "b": text}]):
        counts = [sys.getrefcount(each) for each in (text, row, rows[0])]
        for _ in range(50):
            outcome(lambda: run(rows=rows + odd))  # noqa: B023
        gc.collect()
        # The exception that was raised last may be kept somewhere.
        assert all(
            abs(now - before) <= 3
            for now, before in zip((sys.getrefcount(each) for each in (text, row, rows[0])), counts, strict=True)
        )


def test_large_bodies_are_left_to_python() -> None:
    """Bodies that are too long, or too deep, are Python's from the start; so are calls of what calls itself."""
    for body in (
        "{= row.b =}" * (loops.MOST_RUN + 1),
        "<! for row in [row] !>" * 15 + "{= row.b =}" + "<! end !>" * 15,
    ):
        run, plain = both(f"<! for row in rows !>{body}<! end !>")
        assert run(rows=[GOOD]) == plain(rows=[GOOD])
        assert not loops_of(run) or "15" in body or len(loops_of(run)) < 15
    tree = "<! part tree(row) !><li>{= row.b =}<! for each in row.c !><! include tree row=each !><! end !><! end !><! include tree row=row !>"
    run, plain = both(tree)
    row = {"b": "x", "c": [{"b": "y", "c": []}]}
    assert run(row=row) == plain(row=row) == "<li>x<li>y"
    assert not loops_of(run)


@pytest.mark.parametrize("inner", ["{= a =}", "{= h(a) =}"])
def test_loops_in_loops_are_tried_a_few_times(inner: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """However deep loops are nested, few of them are tried in vain, so that compiling a loop costs the same."""
    tried = []

    def counted(*arguments: Any, **options: Any) -> object:
        tried.append(bytecode.translated(*arguments, **options))
        return tried[-1]

    monkeypatch.setattr(loops, "translated", counted)
    Engine(helpers={"h": str}).compile("<! for a in b !>" * 40 + inner + "<! end !>" * 40)
    assert len([each for each in tried if each is None]) <= loops.MOST_MISSED + 1


def test_code_of_a_loop() -> None:
    """The loop of the extension stands before that of Python, which reads nothing in copies."""
    shown = module.shown(Engine().compiler.analyse(Origin("case.html", ROW)))
    assert [shown.count(each) for each in ("_l0 = _loop(", "_l0(_append, ", "_dot(_v_row", "['b']", "for _v_row")] == [
        1,
        1,
        2,
        0,
        1,
    ]
