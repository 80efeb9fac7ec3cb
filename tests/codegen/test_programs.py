"""A program of the extension does what the same page's code in Python does: the same text, or the same exception."""

from __future__ import annotations

import asyncio
import copy
import functools
import gc
import signal
import subprocess
import sys
import threading
import traceback
import weakref
from array import array
from collections import ChainMap, Counter, OrderedDict, UserDict, defaultdict, namedtuple
from contextlib import contextmanager, suppress
from enum import StrEnum
from itertools import count
from types import MappingProxyType, SimpleNamespace
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st
from support import cases
from values import VALUES, Broken, Html, outcome

from untor import Engine, RenderError, TrustedCSS, TrustedURL, UntorError
from untor.codegen import build, steps
from untor.codegen.program_functions import FunctionCompiler
from untor.escape import ESCAPERS, MISSING, SCHEMES
from untor.escape.accelerated import IS_BUILT, program

if TYPE_CHECKING:
    from collections.abc import Callable, Generator, Iterator

    from untor import Template
    from untor.analysis.ir import TemplateIR
    from untor.runtime.compiled import Code

pytestmark = pytest.mark.skipif(not IS_BUILT, reason="the package was built without a compiler")


def templates(source: str, name: str = "inline.html", **options: Any) -> Iterator[Template]:
    """Yield a template compiled to a program, and to Python."""
    for extension in (True, False):
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(build, "IS_BUILT", extension)
            template = Engine(**options).compile(source, name)
            assert all(map(callable, (template.stream, template.render_async, template.stream_async)))
        yield template


def both(source: str, **options: Any) -> tuple[Callable[..., str], Callable[..., str]]:
    """Return the page of a template as a program, and in Python."""
    one, other = templates(source, **options)
    return one.render, other.render


async def joined(chunks: Any) -> str:
    """Return a page that comes in chunks, asynchronously."""
    return "".join([chunk async for chunk in chunks])


@contextmanager
def interrupted() -> Iterator[None]:
    """Interrupt what runs as Ctrl-C does, after 0.2 s of this process's work, and again until it has ended.

    Once is not enough: in a callback of the garbage collector nobody hears it. The other timer is the one of the tests.
    """
    before = signal.signal(signal.SIGVTALRM, signal.default_int_handler)
    with suppress(KeyboardInterrupt):
        try:
            signal.setitimer(signal.ITIMER_VIRTUAL, 0.2, 0.2)
            yield
        finally:
            signal.setitimer(signal.ITIMER_VIRTUAL, 0)
    signal.setitimer(signal.ITIMER_VIRTUAL, 0)
    signal.signal(signal.SIGVTALRM, before)


def finished(page: Any) -> object:
    """Return what a coroutine returns that waits for nothing."""
    try:
        page.send(None)
    except StopIteration as done:
        return done.value
    raise AssertionError("a page waits for something")


def pages_of(template: Template, data: Any) -> list[object]:
    """Return what a template makes of data in all ways, called by names and with a mapping."""
    named = data() if callable(data) else data
    fresh = data if callable(data) else lambda: data
    return [
        outcome(lambda: template.render(**named)),
        outcome(lambda: template.render(fresh())),
        outcome(lambda: "".join(template.stream(fresh()))),
        outcome(lambda: finished(template.render_async(fresh()))),
        outcome(lambda: finished(joined(template.stream_async(fresh())))),
    ]


def are_the_same(source: str, *data: Any, **options: Any) -> None:
    """Assert that a template makes the same of data, to the last word of an exception, as a program and in Python."""
    with_extension, without = templates(source, **options)
    for rows in data:
        one, other = pages_of(with_extension, rows), pages_of(without, rows)
        assert one == other, source
        assert one[0] == one[1] == one[2] == one[3] == one[4], source


UNGIVEN = [
    "<! include p !><! part p() !>{= a =}<! end !>", "<! include p !><! part p() !>{= a? =}{= b =}<! end !>{= a =}",
    "<! include p !>{= a? =}<! part p() !>{= a? =}<! end !>", "{= a? =}<! use p !>{= a? =}<! end !><! part p() !>{= a? =}<! slot !><! end !>",
    "<! for x in a !><! include p !><! end !><! part p() !>{= a ?? x ?? 1 =}<! end !>",
]  # fmt: skip


@pytest.mark.parametrize("source", UNGIVEN)
def test_pieces_see_what_they_are_given(source: str) -> None:
    """A piece without parameters sees nothing of the page, whatever the page has, and its errors say so."""
    are_the_same(source, {}, {"a": [1]}, {"a": [1], "b": 2})


class Slotted:
    """An object with a slot that is empty."""

    __slots__ = ("a",)


class Own:
    """An object whose attributes are its own code."""

    b = property(lambda self: self.a)
    """Ends in an error about another name of the same object."""
    c = property(lambda _: SimpleNamespace().c)
    """Ends in an error about the same name of another object."""
    d = property(lambda _: dict[str, int]()["d"])
    f = classmethod(lambda _: 1)
    g = None
    h = functools.cached_property(lambda self: len(self.__dict__))


class Asked(Own):
    """An object that is asked for what it does not have."""

    def __getattr__(self, name: str) -> object:
        if name == "a":
            return self.z
        raise AttributeError(name)


class Unready:
    """An object that ends in an error of another kind where it does not have something."""

    d = property(lambda _: dict[str, int]()["d"])

    def __getattr__(self, name: str) -> object:
        raise KeyError(name)


class Always(Own):
    """An object that is asked for everything."""

    def __getattribute__(self, name: str) -> object:
        if name == "a":
            raise AttributeError("no", name="a", obj=self)
        return object.__getattribute__(self, name)


class OfKind(type):
    """A class of classes, with attributes that their objects do not have."""

    a = "of the class"


ATTRIBUTES = [
    "{{= x.{} =}}",
    "{{= x.{}.{} =}}",
    "{{= [x.{}] =}}",
    "<! if x.{} !>1<! end !>",
    "<! for y in [x, x] !>{{= y.{} =}}<! end !>",
    "{{= x.{} ?? 2 =}}",
]
OBJECTS = [Slotted, Own, Asked, Unready, Always, OfKind("Made", (), {}), OfKind("MadeToo", (Own,), {}), SimpleNamespace, lambda: SimpleNamespace(a=1, b=len)]  # fmt: skip


@pytest.mark.parametrize("source", ATTRIBUTES)
@pytest.mark.parametrize("kind", OBJECTS)
def test_attributes_of_objects(source: str, kind: Callable[[], object]) -> None:
    """What an object has is printed, and what it has not or fails to compute is reported, the first time and later."""
    for name in "abcdfgh":
        are_the_same(source.format(name, name), *(lambda: {"x": kind()} for _ in range(2)))


class Indexed:
    """An object with items, and attributes that hide them."""

    keys = "of the class"

    def __getitem__(self, name: str) -> int:
        return {"b": 1, "keys": 2}[name]


Named = namedtuple("Named", "b keys items data")  # noqa: PYI024  of no types
ROW = {"b": 1, "keys": 2, "items": 3, "data": 4, "count": 5}
KINDS: list[Callable[[], object]] = [
    lambda: dict(ROW), lambda: OrderedDict(ROW), lambda: UserDict(ROW), lambda: ChainMap(ROW), lambda: Counter(ROW),
    lambda: defaultdict(int, ROW), lambda: MappingProxyType(ROW), lambda: SimpleNamespace(**ROW), Indexed,
    lambda: Named(1, 2, 3, 4),
]  # fmt: skip


@pytest.mark.parametrize("names", ["b", "keys", "items", "data", "count", "z", "b keys", "z b"])
@pytest.mark.parametrize("kind", KINDS, ids=range(len(KINDS)))
def test_rows_of_any_kind(kind: Callable[[], object], names: str) -> None:
    """A dot of a row is read alike the first time and later, also after rows of another kind, and of none."""
    body = "".join(f"{{= row.{name} =}}" for name in names.split())
    source = f"<! for row in rows !>{body},<! end !>"
    are_the_same(source, *(lambda: {"rows": [kind() for _ in range(3)]} for _ in range(2)))
    if names in {"b", "b keys"}:
        page = both(source)[0]
        assert page(rows=[kind(), kind(), kind()]) == 3 * page(rows=[kind()])
    are_the_same(source, lambda: {"rows": [kind(), dict(ROW), kind(), SimpleNamespace(**ROW), kind(), None]})


class Mistaken:
    """An object whose property ends in an AttributeError of its own."""

    a = 1

    @property
    def b(self) -> None:
        raise AttributeError("mistake")


def test_an_error_knows_its_object() -> None:
    """An AttributeError of a property's own code has the object and the name, as ``getattr`` leaves it."""
    template = Engine().compile("{= x.a =}{= x.b =}")
    for x in Mistaken(), Mistaken():
        with pytest.raises(UntorError) as found:
            template.render(x=x)
        cause = found.value.__cause__
        assert isinstance(cause, AttributeError)
        assert (cause.name, cause.obj) == ("b", x)


# --- the same pages --------------------------------------------------------------------------------------------------

SOME = (
    "a<b&\"'", 7, 1.5, None, Html(), "\x00", "..", "é", "\N{GRINNING FACE}<", Broken(), [1, "<"], {"b": {"c": "<"}, "c": 1},
)  # fmt: skip
CASES = [*cases("language.txt"), *cases("places.txt")]
PARTS = 8
"""How many tests the cases are shared by, for they run side by side."""
EVERY = 1 if settings().max_examples >= 200 else 4
"""Where properties are tried less, so are the cases: every fourth one."""


@pytest.mark.parametrize("part", range(PARTS))
def test_pages_are_the_same(part: int) -> None:
    """Every case of the language and of places, as it is and with its values as the items of loops."""
    compared = left_out = 0
    for case in CASES[part :: PARTS * EVERY]:
        source = case.parts["template"]
        try:
            inputs = Engine().compile(source).inputs
        except UntorError:
            continue
        are_the_same(source, *(dict.fromkeys(inputs, value) for value in SOME))
        heads = "".join(f"<! for {name} in {name} !>" for name in inputs) or "<! for each in [1] !>"
        source = f"{heads}{source}{'<! end !>' * max(1, len(inputs))}"
        try:
            Engine().compile(source)
        except UntorError:
            left_out += 1
            continue
        are_the_same(source, *({name: ["x", value, "a<b"] for name in inputs} for value in SOME))
        compared += 1
    assert compared > 500 / PARTS / EVERY * 0.8
    assert left_out < 20 / PARTS / EVERY + 3


NAMES = st.sampled_from(["x", "row", "each", "unknown"])
EXPRESSIONS = st.recursive(
    NAMES | NAMES.flatmap(lambda name: st.sampled_from([f"{name}.b", f"{name}.c.b", f"{name}.b.c", f"{name}[0]", f"{name}['b']", f"{name}.b?"]))
    | st.sampled_from(['"<lit>"', "3", "p.number", "p.last", "p.total", "p.odd", "h(1)"]),
    lambda inner: st.builds("({} ?? {})".format, inner, inner)
    | st.builds("({} if {} else {})".format, inner, inner, inner)
    | st.builds("({} {} {})".format, inner, st.sampled_from([*"and or == != < in is + * % //".split(), "not in", "< 2 <="]), inner)
    | st.builds("({} | upper)".format, inner)
    | st.builds("({} | clip(2, end={}))".format, inner, inner)
    | st.builds("[{}]".format, inner)
    | st.builds("{{'b': {}, 'c': {}}}".format, inner, inner)
    | st.builds("h({}, other={})".format, inner, inner)
    | inner.map("(not {})".format) | inner.map("({}?)".format) | inner.map("(-{})".format),
    max_leaves=4,
)  # fmt: skip
PRINTED = st.builds(
    str.format,
    st.sampled_from([
        "{{= {} =}}", '<b title="{{= {} =}}">é</b>', "<a href='/x/{{= {} =}}'></a>", "<i id={{= {} =}}></i>", "<a href='{{= {} =}}'></a>",
        "<p onclick='f({{= {} =}})'></p>", "<script>f('{{= {} =}}')</script>", "<a href='/y?q={{= {} =}}&amp;r=1#z'></a>", "<p style='color: {{= {} =}}'></p>",
    ]),
    EXPRESSIONS,
)  # fmt: skip
BODIES = st.recursive(
    PRINTED | st.sampled_from(["", "<br>", "&amp;—", "<! include part x=row !>", "<! include tree row=row !>"]),
    lambda inner: (
        st.builds("{}{}".format, inner, inner)
        | st.builds("<! if {} !>{}<! elif {} !>{}<! end !>".format, EXPRESSIONS, inner, EXPRESSIONS, inner)
        | st.builds("<! if {} !>{}<! else !>{}<! end !>".format, EXPRESSIONS, inner, inner)
        | st.builds("<! for each in {} as p !>{}<! else !>none<! end !>".format, EXPRESSIONS, inner)
        | st.builds("<! for each in {} if {} as p !>{}<! else !>none<! end !>".format, EXPRESSIONS, EXPRESSIONS, inner)
        | st.builds("<! for each, x in {} if {} !>{}<! end !>".format, EXPRESSIONS, EXPRESSIONS, inner)
        | st.builds("<! for each, x, y in {} !>{{= y =}}{}<! between !>{}<! end !>".format, EXPRESSIONS, inner, inner)
        | st.builds("<! for each in {} if {} !>{}<! between !>{}<! end !>".format, EXPRESSIONS, EXPRESSIONS, inner, inner)
        | st.builds("<! let x = {} !>{}".format, EXPRESSIONS, inner)
        | st.builds("<! use card t={} !>{}<! end !>".format, EXPRESSIONS, inner)
        | st.builds("<a href='/{{= {} =}}/<! for x in {} !>{{= x =}}-<! end !>'></a>{}".format, EXPRESSIONS, EXPRESSIONS, inner)
    ),
    max_leaves=5,
)  # fmt: skip
PIECES = """<! part part(x, y = 3) !>[{= x.b =}{= y =}]<! end !><! part card(t: str = "t") !><b>{= t =}<! slot !></b><! slot else !>{= t =}<! end !><! end !>
<! part tree(row) !>{= row.b? =}<! for each in row.c? !><! include tree row=each !><! end !><! end !>"""


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
def test_any_page_is_the_same(body: str, rows: list[object], x: object, missing: str) -> None:
    """Whatever a page does and whatever it is given, it is the same, or the same is said of it."""
    source = f"<body>{PIECES}<! for row in rows as p !><! for each in [row] !>{body}<! end !><! end !>{{= x =}}"
    calls: list[object] = []

    def h(*values: object, **named: object) -> object:
        calls.append((len(values), [*named]))
        return values[0]

    try:
        Engine(helpers={"h": h}).compile(source)
    except UntorError:
        assume(False)  # noqa: FBT003
    are_the_same(source, {"rows": rows, "x": x}, missing=missing, helpers={"h": h})
    assert calls[: len(calls) // 2] == calls[len(calls) // 2 :]


SEVERAL = [
    [(1, 2, 3), [4, 5, 6]], iter([(1, 2, 3)]), [range(3), array("i", (4, 5, 6)), {1, 2, 3}], [(1, 2)], [(1, 2, 3), (1, 2, 3, 4)], ["abc"], [b"abc"], [{"a": 1, "b": 2, "c": 3}],
    {"a": 1, "b": 2, "c": 3}, [], None, 5, [5], [None], MISSING, [(1, 2, 3)] * 3,
]  # fmt: skip


@pytest.mark.parametrize("items", SEVERAL, ids=range(len(SEVERAL)))
def test_items_of_several_values(items: object) -> None:
    """A loop with several names takes as many values from each item, or says which item has others."""
    for source in (
        "<! for a, b, c in xs as r !>{= a =}{= b =}{= c =}{= r.last =}<! between !>,<! else !>-<! end !>",
        "<! for a, b, c in xs if b !>{= a =}{= b =}{= c =}<! between !>,<! end !>",
        "<! for a, b, c in xs as r !>{= r.total =}<! end !>",
    ):
        are_the_same(source, lambda: {"xs": copy.copy(items)})


# --- values with a will of their own ---------------------------------------------------------------------------------


class Watched:
    """An object that writes down whatever is done with it, and changes the list that it is in."""

    def __init__(self, log: list[str], rows: list[object] | None = None) -> None:
        self.log, self.rows = log, rows

    def __getattr__(self, name: str) -> object:
        self.log.append(f".{name}")
        if self.rows is not None and name == "b" and len(self.rows) < 6:
            self.rows.append({"b": len(self.rows), "c": "late"})
        if name == "c":
            return Watched(self.log)
        if name in {"b", "n"}:
            return "<quay>"
        raise AttributeError(name)

    def __str__(self) -> str:
        self.log.append("str")
        if self.rows:
            del self.rows[-1]
        return "..."

    def __bool__(self) -> bool:
        self.log.append("bool")
        return True

    def __lt__(self, other: object) -> bool:
        self.log.append("<")
        return NotImplemented


@pytest.mark.parametrize("body", [
    "{= row.b =}{= row.c =}{= row.b =}",
    "<! if row.c !>{= row.c =}<! end !>{= row.c and row.b =}{= not row.c =}{= row.c ?? 1 =}",
    '<p title="{= row.c =}{= row.b =}">{= row.c | strip =}</p><a href="/{= row.c =}/{= row.b =}">{= row.n? =}</a>',
    "{= row.c =}{= row.d =}",
    "{= row.c < 3 =}{= row.b =}",
    "<! let y = row.c !>{= y =}{= y =}{= y.b =}<! include p x=row.c !>",
    "<! use q x=row !>{= row.b =}<! end !>",
    '<a href="{= row.c =}"></a><script>f({= row.b =}, "{= row.c =}")</script>{= row.c =}',
])  # fmt: skip
@pytest.mark.parametrize("position", ["", " as at", " if row.b"])
def test_everything_is_done_as_often(body: str, position: str) -> None:
    """What a page does with its values, it does in the same order and as often, also while its lists change."""
    end = {"": "", " as at": "{= at.number =}{= at.last =}", " if row.b": ""}[position]
    source = "<body><! part p(x) !>{= x =}{= x.b =}<! end !><! part q(x) !>{= x.b =}<! slot !>{= x.c =}<! end !>"
    source += f"<! for row in rows{position} !>{body}{end}<! end !>"
    found = []
    for template in templates(source):
        for way in range(5):
            log: list[str] = []

            def data(log: list[str] = log) -> dict[str, object]:
                log.append("--")
                rows: list[object] = []
                rows += [Watched(log, rows), {"b": 1, "c": Watched(log)}, Watched(log)]
                return {"rows": rows}

            found.append((pages_of(template, data)[way], log))
    assert found[:5] == found[5:]


@pytest.mark.parametrize("last", ["x", b"x", Broken()], ids=["good", "bytes", "broken"])
def test_pages_in_pages_are_made_once(last: object) -> None:
    """However deep values make pages of their own, each is made as often as it is printed."""

    class Nested:
        made = 0

        def __init__(self, page: Callable[..., str], depth: int) -> None:
            self.page, self.depth = page, depth

        def __html__(self) -> str:
            Nested.made += 1
            return self.page(n=Nested(self.page, self.depth - 1) if self.depth else last)

    for source in ("{= n =}", "<! for n in [n] !>{= n =}<a href='/x/..{= 'x' =}'></a><! end !>"):
        for depth in (1, 30):
            found = []
            for page in both(source):
                Nested.made = 0
                found.append((outcome(lambda: page(n=Nested(page, depth))), Nested.made))  # noqa: B023
            assert found[0] == found[1]
            assert found[0][1] == depth + 1


def test_pages_keep_their_width() -> None:
    """Every page is as narrow as its text is."""
    for wide in ("é", "\N{EN DASH}", "\N{GRINNING FACE}"):
        for text in ("y", "x" * 30_000):
            run, _ = both("<! for x in xs !>{= x =}<! end !>")
            page = run(xs=[text, wide, text])
            again = "".join([*page])
            assert (page, hash(page), sys.getsizeof(page)) == (again, hash(again), sys.getsizeof(again))


# --- errors ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("body", "row", "place", "words"), [
    ("{= row.b =}{= row.c =}", {"b": 1}, "c =}", 'There is no "c" in this dict'),
    ("<! if row.b !>{= row.c.d =}<! end !>", {"b": 1, "c": None}, "d =}", 'There is no "d"'),
    ("{= row.b | number =}", {"b": "x"}, "number", 'The filter "number" failed'),
    ("{= other =}", {"b": 1}, "other", 'There is no "other" here'),
    ("<! for each in row.b !>{= each =}<! end !>", {"b": 7}, "row.b", "7 (int)"),
    ("{= row.b < 3 =}", {"b": "x"}, "row.b < 3", "a string and an int cannot be compared"),
    ("{= row.b =} and {= row.c =}", {"b": 1, "c": b""}, "row.c", "A value of bytes"),
    ("<! include p x=row.b !>", {"b": b""}, "x =}", "A value of bytes"),
    ("<! use q x=row !>{= row.d =}<! end !>", {"b": 1}, "d =}", 'There is no "d"'),
])  # fmt: skip
def test_errors_have_their_place(body: str, row: object, place: str, words: str) -> None:
    """What goes wrong is told of its place, and the traceback leads there through the lines of the template."""
    source = f"<! part p(x) !>{{= x =}}<! end !><! part q(x) !><b><! slot !></b><! end !>\n<! for row in rows !>\n  {body}<! end !>"
    for page in both(source):
        for _ in range(2):
            with pytest.raises(UntorError) as found:
                page(rows=[row])
            assert found.value.problem.start == source.index(place)
            assert words in str(found.value)
            shown = "".join(traceback.format_exception(found.value))
            assert f'File "inline.html", line {found.value.line}' in shown
            assert source.splitlines()[(found.value.line or 0) - 1].strip()[:20] in shown


def test_endless_pages() -> None:
    """A piece that includes itself without end is an error, and not a crash."""
    for page in both("<! part p(x) !>{= x =}<! include p x=x !><! end !><! include p x=1 !>"):
        with pytest.raises(UntorError) as found:
            page()
        assert found.value.code == "recursion"


def test_interrupts_are_nobodys_to_handle() -> None:
    """A page stops for an interrupt, whether that comes from a value or while it runs."""

    class Interrupted:
        @property
        def b(self) -> str:
            raise KeyboardInterrupt

    run, _ = both("<! for row in rows !>{= row.b =}<! end !>")
    for _ in range(2):
        with pytest.raises(KeyboardInterrupt):
            run(rows=[{"b": 1}, Interrupted()])
    if threading.current_thread() is threading.main_thread() and hasattr(signal, "setitimer"):
        run, _ = both("<! for row in rows !><! end !>")
        ended = False
        with interrupted():
            run(rows=(None for _ in count()))
            ended = True
        assert not ended


# --- values that need no call ------------------------------------------------------------------------------------------

SIMPLE = {
    "url": '<a href="{= x =}">', "image-url": '<img src="{= x =}" alt>', "percent-opaque": '<a href="mailto:{= x =}">',
    "percent-data": '<img src="data:image/png;base64,{= x =}" alt>',
    "style-value": "<style>@media (min-width: {= x =}) {}</style>", "style-list": "<style>a { color: {= x =} }</style>",
    "style-value-part": "<style>a { animation: x{= x =} }</style>", "style-string": "<style>a { content: '{= x =}' }</style>",
    "style-name-part": "<style>.v{= x =} { top: 0 }</style>",
}  # fmt: skip
"""A template for each escaping function that is not called for simple values, and what SVG makes of URLs."""
IN_SVG = '<svg xmlns="http://www.w3.org/2000/svg"><a href="{= x =}">x</a></svg>'
BEGINNINGS = ["", *r"# / // \ http:// https:// HTTP:// https:/ http: javascript: data:image/png;base64, -- 1".split()]


class Paint(StrEnum):
    """Text of a class of its own."""

    RED = "red"


ODD_VALUES = (
    0, -7, 10**18, 10**30, True, Paint.RED, TrustedURL("javascript:1", reason="r"), TrustedCSS("a;b", reason="r"),
    "#", "#abc", "#abcd", "#abcde", "#abcdef", "#abcdeff", "#ABCDEF09", "#abcdef012", "#ggg",
)  # fmt: skip


def steps_made(monkeypatch: pytest.MonkeyPatch, method: str) -> list[int]:
    """Return a list of the steps that a method of the compiler adds from now on."""
    add = getattr(FunctionCompiler, method)
    made: list[int] = []

    def recorded(self: FunctionCompiler, *parts: int) -> int:
        made.append(parts[0])
        found: int = add(self, *parts)
        return found

    monkeypatch.setattr(FunctionCompiler, method, recorded)
    return made


def test_simple_values_have_templates(monkeypatch: pytest.MonkeyPatch) -> None:
    """The list of templates is complete, and in each of them a call can be left out."""
    assert {name for name, row in ESCAPERS.items() if row.simple} == {*SIMPLE}
    made = steps_made(monkeypatch, "jump")
    for name, source in SIMPLE.items():
        made.clear()
        template = Engine().compile(source)
        assert template.placements[0].escapers[0] == name
        assert made.count(steps.SIMPLE) == 1, source


ENDS = [
    ("<! if x !>a<! end !>b", 2), ("<! if x !>a<! elif y !>b<! else !>c<! end !>d", 3), ("<! if x !>a<! end !>b<! for z in y !><! end !>", 2),
    ("<! if x !><! if y !>a<! end !>b<! else !>c<! end !>d", 3), ("<! if x !>a<! end !>b{= x =}", 2), ("<! if x !>a<! end !>" + 300 * "b", 2),
    ("a<! for z in y !><! if z !>b<! else !>c<! end !>d<! end !>", 3),
]  # fmt: skip


@pytest.mark.parametrize(("source", "writes"), ENDS)
def test_branches_write_what_follows(monkeypatch: pytest.MonkeyPatch, source: str, writes: int) -> None:
    """Short text after a condition is written with each branch, where nothing else would be written with it."""
    are_the_same(source, *({"x": x, "y": y} for x in ("", "<") for y in ([], [0, 1])))
    made = steps_made(monkeypatch, "step")
    Engine().compile(source)
    assert made.count(steps.WRITE) == writes


@pytest.mark.parametrize("length", [1990, 2000, 2040, 30_000])
@pytest.mark.parametrize("fill", ["a", "é", "—"])
def test_long_texts(length: int, fill: str) -> None:
    """Text that is longer than the room for it is written as short text is, whatever stands between."""
    text = length * fill
    source = f"{text}{{= x =}}<b title='{{= x =}}'>{text}</b>{{= y =}}<! for z in [x, y] !>{text}{{= z =}}<! end !>"
    are_the_same(source, *({"x": one, "y": other} for one in SOME for other in ("<" * 300, 1, "—")))


def test_one_program_for_all_ways(monkeypatch: pytest.MonkeyPatch) -> None:
    """A template is compiled once, however it is rendered."""
    compiled: list[str] = []
    build_code = build.build

    def recorded(plan: TemplateIR, way: str = "render", *, lenient: bool = False) -> Code:
        compiled.append(way)
        return build_code(plan, way, lenient=lenient)

    monkeypatch.setattr(build, "build", recorded)
    assert pages_of(Engine().compile("{= x =}"), {"x": "<"}) == ["&lt;"] * 5
    assert compiled == ["render"]


@functools.cache
def with_schemes(source: str, schemes: frozenset[str]) -> list[Template]:
    """Return a template of an engine that permits these schemes, as a program and in Python."""
    return [*templates(source, name="page.svg" if source == IN_SVG else "page.html", url_schemes=schemes)]


@pytest.mark.parametrize("source", [*SIMPLE.values(), IN_SVG])
@given(
    VALUES
    | st.sampled_from(ODD_VALUES)
    | st.tuples(
        st.sampled_from(BEGINNINGS),
        st.text(st.sampled_from("aFgZ09-_#.:/&<>'\" \n\t;,%\\\x00é\u2028\ud800"), max_size=9),
    ).map("".join)
)
def test_simple_values_are_what_their_function_makes(source: str, x: object) -> None:
    """What a program writes without calling the escaping function is what the function returns."""
    for schemes in (SCHEMES, frozenset({"https", "mailto"}), frozenset({"http", "mailto"})):
        with_extension, without = (pages_of(template, {"x": x}) for template in with_schemes(source, schemes))
        assert with_extension == without


# --- what is awaited, and pages in chunks ----------------------------------------------------------------------------


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


async def coming(values: list[object]) -> Any:
    """Yield values, each of them later."""
    for value in values:
        await asyncio.sleep(0)
        yield value


NUMBERED = {
    "<! for a, b in rows !>{= a =}<! end !>": "but item 3 is",
    "<! for a, b in rows if a as r !>{= r.number =}<! end !>": "but item 3 is",
    "<! for x in [1, 2] !><! for a, b in rows !>{= a =}<! end !><! end !>": "item 1 of .*: This loop .* but item 3 is",
}


@pytest.mark.parametrize("source", NUMBERED)
def test_asynchronous_items_are_numbered(source: str) -> None:
    """An item of an asynchronous iterable that cannot be taken apart is named by its number, as of a list."""
    for template in templates(source):
        for way in (template.render_async, lambda **data: joined(template.stream_async(**data))):  # noqa: B023
            with pytest.raises(RenderError, match=NUMBERED[source]):
                asyncio.run(way(rows=coming([(1, 2), (3, 4), (5,), (7, 8)])))


@pytest.mark.filterwarnings("error")
def test_what_is_awaited() -> None:
    """What is awaited is awaited once, wherever it is: a property, an item, what is around the loop, an item of a dict."""
    source = "<! for row in rows !><! if row.b !>{= row.b | upper =}<! end !>{= x =}<! for each in row.c? !>{= each =}<! end !><! end !>"
    for template in templates(source):
        for x, printed in (("x", "x"), (Again(), "&lt;x&gt;")):
            for way in (template.render_async, lambda **data: joined(template.stream_async(**data))):  # noqa: B023
                Waits.awaited = 0
                rows: list[object] = [
                    {"b": "a"},
                    Waits(),
                    {"b": Again(), "c": [Waits().wait(), Again(), "c"]},
                    {"b": "d"},
                ]
                expected = f"A{printed}&lt;B&gt;{printed}&lt;X&gt;{printed}&lt;b&gt;&lt;x&gt;cD{printed}"
                assert asyncio.run(way(rows=rows, x=x)) == expected
                assert Waits.awaited == 3
                assert asyncio.run(way(rows=[], x=x)) == ""


@pytest.mark.parametrize("body", [
    "<! for a in xs !>{= a =},<! else !>none<! end !>",
    "<! for a in xs as at !>{= at.number =}{= a =}{= at.last =},<! end !>",
    "<! for a in xs as at !>{= a =}{= at.total =},<! end !>",
    "<! for a in xs if a != 2 as at !>{= a =}{= at.number =}{= at.last =}<! else !>none<! end !>",
    "<! for a in xs if a != 2 as at !>{= a =}{= at.total =}<! end !>",
    "<! for a, b in pairs !>{= a =}{= b =}<! end !><! for a in xs !><! for b in [a, a] !>{= b =}<! end !><! end !>",
    "<a href='/<! for a in xs !>{= a =}-<! end !>?q={= one =}'>{= one =}</a>",
    "{= one =}{= one ?? 2 =}<! if one !>{= one =}<! end !><! let y = one !>{= y =}<! include p x=one !>",
])  # fmt: skip
def test_asynchronous_loops(body: str) -> None:
    """Items that come later are those of a list, in both asynchronous ways."""
    source = f"<! part p(x) !>{{= x =}}<! end !>{body}"
    plain = {"xs": [1, 2, "<"], "pairs": [(1, 2), [3, 4]], "one": "<x>"}
    pages = set()
    for template in templates(source):
        pages |= {template.render(plain), "".join(template.stream(plain))}
        for way in (template.render_async, lambda data: joined(template.stream_async(data))):  # noqa: B023
            for one in ("<x>", Again()):
                given = {"xs": coming([1, 2, "<"]), "pairs": coming([(1, 2), [3, 4]]), "one": one}
                pages.add(asyncio.run(way(given)))
                pages.add(asyncio.run(way(plain)))
    assert len(pages) == 1


def test_values_are_awaited_at_the_same_time() -> None:
    """Values of one run wait for each other; of those that fail, the first is told of, and the others are cancelled."""
    template, _ = templates("<p>{= a =}{= b =}</p>{= c =}")
    gate = asyncio.Event

    async def page(*, fails: bool) -> str:
        opened = gate()

        async def opens() -> str:
            opened.set()
            return "b"

        async def waits() -> str:
            await opened.wait()
            if fails:
                raise ValueError("no tide")
            return "a"

        return await asyncio.wait_for(template.render_async(a=waits(), b=opens(), c="c"), 5)

    assert asyncio.run(page(fails=False)) == "<p>ab</p>c"
    with pytest.raises(UntorError, match="no tide"):
        asyncio.run(page(fails=True))


def test_long_pages_give_others_a_turn() -> None:
    """While a page of many rows is rendered, the event loop does other things too."""
    template, _ = templates("<! for row in rows !>{= row =}<! end !>")

    async def turns() -> int:
        taken = 0

        async def other() -> None:
            nonlocal taken
            while True:
                taken += 1
                await asyncio.sleep(0)

        task = asyncio.create_task(other())
        await template.render_async(rows=["x"] * 100_000)
        task.cancel()
        return taken

    assert asyncio.run(turns()) >= 9


CHUNKED = "<! for row in rows as p !>{= p.number =}{= row.b =}<! for each in row.c !>{= each =}<! end !><! else !>none<! end !>."


@pytest.mark.parametrize("rows", [0, 1, 9, 2000])
@pytest.mark.parametrize("length", [0, 5, 5000])
def test_chunks_are_sent_as_they_come(rows: int, length: int) -> None:
    """A page in chunks is the same page, in pieces that are neither many nor large, however long an item is."""
    items = [{"b": "<" * length, "c": ["x"] * (100_000 if number == 1 else 3)} for number in range(rows)]
    for template, items_at_once in zip(templates(CHUNKED), (1, 5), strict=False):
        chunks = [*template.stream(rows=iter(items))]
        assert "".join(chunks) == template.render(rows=items)
        assert max(map(len, chunks)) < 20_000 + 4 * length * items_at_once
        assert len(chunks) <= 2 + sum(map(len, chunks)) / 16_000


def test_pages_that_are_not_read_to_their_end() -> None:
    """What is left in the middle lets its values go, and the page that renders itself meanwhile is another one."""
    template, _ = templates("<! for row in rows !>{= row =}<! end !>")
    row = "x" * 20_000
    before = sys.getrefcount(row)
    chunks = template.stream(rows=[row, row])
    assert next(chunks) == row
    assert "".join(template.stream(rows=[row])) == row
    del chunks
    gc.collect()
    assert sys.getrefcount(row) == before


class Collects:
    """An object that collects garbage when it goes, and looks at the page it was in."""

    rendering: Any = None

    def __del__(self) -> None:
        gc.collect()
        if Collects.rendering is not None:
            outcome(lambda: next(Collects.rendering))


@pytest.mark.parametrize("source", [
    "<! part p(x) !>{= x.b =}<! for y in x.c !>.<! end !><! end !><! for x in xs !><! include p x !><! end !>",
    "<! part p(x) !><! slot !><! end !><! for x in xs !><! use p x !><! let y = x !>{= y.b =}<! end !><! end !>",
])  # fmt: skip
def test_what_goes_may_run_code(source: str) -> None:
    """Values that are let go in the middle of a page find nothing that is half gone."""

    def rows() -> Iterator[object]:
        for _ in range(20):
            row: dict[str, object] = {"b": "x" * 2000, "c": [1]}
            row["own"] = [Collects(), row]
            yield row

    template, _ = templates(source)
    Collects.rendering = template.stream(xs=rows())
    try:
        assert "".join(Collects.rendering).replace(".", "") == "x" * 40_000
        assert template.render(xs=rows()).replace(".", "") == "x" * 40_000
    finally:
        Collects.rendering = None


def test_pages_of_many_names() -> None:
    """A page may have as many names as anyone writes, and more."""
    names = [f"n{number}" for number in range(1500)]
    template, other = templates("".join(f"{{= {name} =}}<! let m{name} = {name} !>" for name in names))
    data = {name: number for number, name in enumerate(names)}
    assert template.render(data) == template.render(**data) == other.render(data) == "".join(map(str, range(1500)))


# --- programs --------------------------------------------------------------------------------------------------------

LEAVE = (steps.LEAVE,)
# What installs the escaping functions that programs write with.
Engine().compile("<p title='{= x =}'>{= x =}</p><title>{= x =}</title><a href='/{= x =}?{= x =}'></a>")


def made(code: list[int] | tuple[int, ...], functions: Any = None, joins: Any = None) -> Any:
    """Return a program of some steps, with a few constants and names."""
    constants = ("b", len, ("x",), ["y"], {"b": "<"}, None, 3)
    joins = (
        ((("<", ">"), b"t", (None,)), ((".",), b"", ()), (("a/", ""), b"s", (("/", ""),))) if joins is None else joins
    )
    functions = ((0, 12, 3, 3, 1),) if functions is None else functions
    helpers = (lambda context, values: {**(context or {}), **values}, lambda *_: 1 / 0, lambda error, _: error, len, ())
    return program(
        array("i", code).tobytes(), functions, joins, ("b", "c"), constants, ("x", "y"), (MISSING, 1), "nonce", helpers
    )


def test_programs_are_checked() -> None:
    """What is no program is refused before it runs."""
    write = (steps.WRITE, 0, 0)
    assert made((*write, *LEAVE)).render(x="<") == "<&lt;>"
    wrong: list[tuple[int, ...]] = [
        (99,), (-1,), (steps.READ,), (steps.READ, 1, 0), (steps.READ, 12, 0, 0, 0), (steps.READ, 1, 12, 0, 0), (steps.READ, 1, 0, 2, 0),
        (steps.READ, 1, -8, 0, 0), (steps.WRITE, 3, 0), (steps.WRITE, -1, 0), (steps.WRITE, 0, 12), (steps.JUMP, 99), (steps.JUMP, -1),
        (steps.ITEMS, 3, 0, 0, 1), (steps.NEXT, 0, 0, 1000), (steps.CONTENT, 3, 0, 0, 0), (steps.CONTENT, 0, 2, 2, 0), (steps.SLOT, 3, 0),
        (steps.SLOT, 0, 1, 3), (steps.ENTER, 1, 0, 0), (steps.ENTER, 0, 0, 0), (steps.ENTER, 0, 1, 12, 0), (steps.ENTER, 0, 1, 0, 4, 0, 0, 0, 0),
        (steps.CALL, 0, 0, 0, 0, 2**30), (steps.PACK, 0, 0, 99), (steps.INPUT, 0, 2, 0, 0), (steps.NEED, 0, 2, 0, 0, 0), (steps.SEND, 11), (steps.JUMP, 1),
        (steps.SPLIT, 0, 0), (steps.SPLIT, 0, 101, *range(2)), (steps.SPLIT, 0, 2, 0, 12), (steps.SPLIT, 0, 2, 0, -1), (steps.ITEMS, 0, 0, 0, 101), (steps.ITEMS, 0, 0, 0, -1),
    ]  # fmt: skip
    for each in wrong:
        with pytest.raises(ValueError, match="no such step at 0"):
            made((*each, *LEAVE))
    for code in ((), write):
        with pytest.raises(ValueError, match=r"no such step|not made of"):
            made(code)
    for functions in (
        (),
        ((1, 2, 0, 0, 0),),
        ((0, -1, 0, 0, 0),),
        ((0, 12, 0, 0, 13),),
        ((0, 12, 0, 0, 0), (0, 1, 0, 0, 0)),
        ((0, 10**7, 0, 0, 0),),
    ):
        with pytest.raises(ValueError, match=r"more, or less|has a function"):
            made((*write, *LEAVE), functions)
    for joins in (
        (("<", b"t", (None,)),),
        ((("<", ">"), b"t", ()),),
        ((("<",), b"s", ()),),
        ((("<", ">"), b"s", (None,)),),
        ((("a", "b"), b"s", (("x", ""),)),),
    ):
        with pytest.raises((ValueError, TypeError)):
            made((*write, *LEAVE), None, joins)
    with pytest.raises(TypeError, match="by position"):
        made((*write, *LEAVE)).render({}, {})


NUMBERS = st.integers(-7, len(steps.STEPS)) | st.integers(0, 60)
# No numbers: what is multiplied by them may become too large for any machine.
FEW = st.sampled_from(["<", "", None, True, ("x", "y"), {"b": "<"}, ["x"], MISSING, Html(), Broken(), 1.5, len])
STEP = st.sampled_from([
    (steps.WRITE, 0, 1), (steps.WRITE, 2, 1), (steps.READ, 2, 0, 0, 1), (steps.ITEMS, 0, 0, 0, 1), (steps.NEXT, 0, 3, 0), (steps.SPLIT, 3, 2, 4, 5), (steps.SPLIT, 3, 3, 4, 5, 6), (steps.PACK, 5, 1, 2, 0, 1),
    (steps.CONTENT, 0, 1, 1, 0), (steps.SLOT, 0, 1, 0), (steps.SLOT, 1, 0), (steps.ENTER, 0, 1, 0, 1, 0), (steps.COLLECT, 5, 1), (steps.PIECE, 5), (steps.COLLECT, 5, 0), (steps.COUNT, 0),
    (steps.POSITION, 6, 0, 1), (steps.SEND, 1), LEAVE, (steps.TEST, 0, 0), (steps.CALL, 7, -2, -6, 1, 1, 0), (steps.ADD, 5, 0), (steps.INPUT, 8, 0, 0, 1), (steps.COMPARE, 9, 0, 1, 2),
])  # fmt: skip


@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")  # the timer, in a collection
@pytest.mark.skipif(not hasattr(signal, "setitimer"), reason="there is no timer")
@given(
    st.lists(NUMBERS, max_size=40) | st.lists(STEP, max_size=12).map(lambda found: [number for step in found for number in step]),
    FEW, FEW, st.booleans(), st.booleans(),
)  # fmt: skip
def test_any_numbers_are_refused_or_run(code: list[int], x: object, y: object, chunks: bool, awaits: bool) -> None:  # noqa: FBT001
    """No program, however wrong, reads or writes what is not its own."""
    try:
        wrong = made([*code, *LEAVE])
    except ValueError:
        return
    rendering = wrong.begin({"x": x}, {"y": y}, chunks, awaits)
    with interrupted():  # what goes on for ever
        for _ in range(20):
            outcome(rendering.resume, None)
        outcome(lambda: wrong.render(x=x, y=y))


def test_what_fuzzing_has_found() -> None:
    """Inputs that led a fuzzer to new places in the extension do no harm, and give what Python gives."""
    from fuzz_programs import corpus, one_input  # noqa: PLC0415  it takes its programs from here

    assert len(corpus()) > 100
    for octets in corpus():
        one_input(octets)


IN_ANOTHER_INTERPRETER = """
try: import _interpreters as interpreters
except ImportError: import _xxsubinterpreters as interpreters
source = "from untor import Engine; assert Engine().compile('<! for x in xs !>{= x =}<! end !>').render(xs=['<', 1]) == '&lt;1'"
import sys
def create(kind):
    return interpreters.create(kind) if sys.version_info >= (3, 13) else interpreters.create(isolated=kind == "isolated")
for kind in ("isolated", "legacy"):
    for each in [create(kind) for _ in range(3)]:
        failed = interpreters.run_string(each, source + "; from untor.escape.accelerated import IS_BUILT; print(IS_BUILT)")
        assert failed is None, failed
        interpreters.destroy(each)
exec(source)
"""


@pytest.mark.skipif(sys.version_info < (3, 12), reason="Python 3.11 itself crashes where such interpreters end")
def test_interpreters_in_one_process() -> None:
    """Interpreters with a lock of their own do without the extension; those that share it have it."""
    done = subprocess.run([sys.executable, "-c", IN_ANOTHER_INTERPRETER], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout) == (0, "False\n" * 3 + "True\n" * 3), done.stderr


def test_engines_are_let_go() -> None:
    """A page that keeps what leads back to its engine goes when nothing else asks for it."""
    known = SimpleNamespace(b="X")
    known.engine = engine = Engine(globals={"known": known})
    page = engine.compile("<! for row in rows !>{= known.b =}<! end !>").render
    assert page(rows=[1]) == "X"
    gone = weakref.ref(engine)
    del engine, known, page
    gc.collect()
    assert gone() is None


def test_values_are_let_go() -> None:
    """A page keeps nothing of what it has written, nor of what it could not."""
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
