"""What makes pages fast changes nothing: the extension in C and objects read directly. What it saves is counted."""

from __future__ import annotations

import ast
import asyncio
import itertools
import os
import subprocess
import sys
import tracemalloc
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import cases

from untor import Engine, MissingValue, RenderError, Template, TrustedHTML, TrustedURL, UntorError
from untor.analysis.walker import BlockWalker
from untor.codegen import expression_code, functions, module, output
from untor.compiler.origin import Origin
from untor.escape import MISSING, html, javascript, url
from untor.escape.accelerated import IS_BUILT, accelerated
from untor.runtime import attributes

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from pathlib import Path

    from untor import Template
    from untor.escape import _extension
elif IS_BUILT:
    from untor.escape import _extension

PURE: dict[str, Callable[..., object]] = {
    "text": html.text,
    "attribute": html.attribute,
    "rcdata": html.rcdata,
    "percent": url.percent,
    "script_string": javascript.script_string,
    "json_string": javascript.json_string,
}
built = pytest.mark.skipif(not IS_BUILT, reason="the package was built without a compiler")


class Text(str):
    """Text with a mind of its own."""

    __slots__ = ()

    def __str__(self) -> str:
        return "<other>"

    def replace(self, *_: object) -> str:
        """Do nothing at all."""
        return "<not replaced>"


class Html:
    """HTML by its own word."""

    def __html__(self) -> str:
        return "<i>&</i>"

    def __repr__(self) -> str:
        return "<html>"


class Number(int):
    """A number that prints as html."""

    def __repr__(self) -> str:
        return "<b>"


class Broken:
    """Nothing that can be printed."""

    def __str__(self) -> str:
        raise ValueError("broken")


CHARACTERS = st.text(
    st.sampled_from("ab &<>\"'`$\\\r\n\t\x00\x0c\x7f\x85\xa0éĀ\u2028\ud800😀~-._/%") | st.characters(), max_size=20
)
VALUES = (
    CHARACTERS | CHARACTERS.map(Text) | st.integers() | st.floats() | st.booleans() | st.none() | st.binary(max_size=4)
    | st.sampled_from([MISSING, Html(), Number(3), Broken(), Decimal("1.5"), print, [1, "<"], {"a": "<"}])
    | CHARACTERS.map(lambda text: TrustedHTML(text, reason="to see")) | CHARACTERS.map(lambda text: TrustedURL(text, reason="to see"))
)  # fmt: skip


def outcome(function: Callable[..., object], *arguments: object) -> object:
    """Return what a function returns, or the exception that it ends in."""
    try:
        return function(*arguments)
    except Exception as error:  # noqa: BLE001  whichever it is must be the same
        return type(error), str(error)


@built
@given(VALUES, st.sampled_from(["/a/", "", "/é/", "/v-"]), st.sampled_from(["", "/x", "?a=\N{SNOWMAN}"]))
def test_extension_does_the_same(value: object, before: str, after: str) -> None:
    """For every value, the functions in C return exactly what those in Python return, or end in the same exception."""
    for name, pure in PURE.items():
        quick = accelerated(pure)
        assert quick is not pure, name
        assert outcome(quick, value) == outcome(pure, value)
        assert type(outcome(quick, value)) is type(outcome(pure, value))
    arguments = before, value, after
    assert outcome(accelerated(url.segment_url), *arguments) == outcome(url.segment_url, *arguments)


@built
@pytest.mark.parametrize(
    ("name", "function", "why"),
    [
        ("text", lambda c: f"&#{ord(c)};" if c == "a" else c, "97 is not seen at a glance"),
        ("attribute", lambda c: "\u2028" if c == "<" else c, "60 is too long or too wide"),
        ("percent", lambda c: c, "0 is not percent-encoded"),
        ("quoted", lambda c: c, "0 is too long or too wide"),
        ("json_string", lambda _: 5, "0 is not a string"),
    ],
)
def test_tables_are_those_of_python(name: str, function: Callable[[str], object], why: str) -> None:
    """The extension asks the functions in Python what becomes of each character, and takes nothing it would get wrong."""
    template = engine.compile(
        "<p title='{= x =}'>{= x =}<a href='/{= x =}'></a><script>f({= x =}, \"{= x =}\")</script>"
    )
    before = template.render(x="a<b'\"\\c")
    with pytest.raises(ValueError, match=why):
        _extension.install(name, function)
    assert template.render(x="a<b'\"\\c") == before


DATA = st.recursive(
    CHARACTERS | st.integers() | st.sampled_from([2**53, -(2**53) + 1, 2**64, -(2**63)]) | st.floats() | st.booleans()
    | st.none() | st.sampled_from([MISSING, Html(), Number(3), Text("<"), Decimal("1.5"), (1, 2)]),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(CHARACTERS | st.just("__proto__") | st.integers(), inner, max_size=4),
    max_leaves=12,
)  # fmt: skip


@built
@given(DATA)
def test_data_is_the_same(value: object) -> None:
    """Data in scripts and in JSON is written by the extension as it is without it."""
    writers = [javascript.script_value, javascript.script_operand, javascript.json_value]
    for deeper in range(9):
        quick = [outcome(writer, value) for writer in writers]
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(javascript, "plain_data", None)
            assert quick == [outcome(writer, value) for writer in writers]
        value = [value] if deeper % 2 else {"a": value}


@built
@pytest.mark.parametrize("char", ["a", "<", "\xe9", "\u0100", "\U0001f600", "&"])
def test_large_texts(char: str) -> None:
    """Texts of any size and width come out whole."""
    text = char * 5_000_000 + "<" + "b" * 5_000_000
    for name, pure in PURE.items():
        if name in {"text", "attribute"} or char in "a<":
            assert accelerated(pure)(text) == pure(text)


@built
def test_extension_keeps_nothing() -> None:
    """A million calls leave no memory behind, whichever way they go, and no reference to their argument."""
    join = _extension.join(("é", "b", "c"), b"ts")
    functions = [
        *(accelerated(pure) for pure in PURE.values()),
        javascript.json_value,
        lambda value: javascript.script_value([{"<": value}]),
        lambda value: join(None, value, value),
    ]
    functions += [lambda value: join(page.write, value, value), lambda value: join(int, "x", value)]
    page = _extension.page()
    quick_dot = accelerated(attributes.dot)
    thing, row = Html(), {"a b": 1}
    # Made here, so that nothing else in the process has references to them.
    own = os.getpid() + 10**6
    values: list[object] = [f"{text}{own}" for text in ("plain", "a<b&\"'", "é<", "\x00", "a b/c")]
    values += [own, own / 7, Html()]
    counts = [sys.getrefcount(value) for value in values]

    def work() -> None:
        for _ in range(3000):
            for function in functions:
                for value in values:
                    outcome(function, value)
            for name in ("a b", "missing"):
                outcome(quick_dot, row, name)
                outcome(quick_dot, thing, name)
            page.finish()

    work()
    tracemalloc.start()
    work()
    before = tracemalloc.get_traced_memory()[0]
    work()
    after = tracemalloc.get_traced_memory()[0]
    tracemalloc.stop()
    assert after - before < 20_000
    assert [sys.getrefcount(value) for value in values] == counts


@built
def test_out_of_memory() -> None:
    """A text that cannot be made for want of memory is a MemoryError, and nothing worse."""
    script_ = (
        "import resource; from untor.escape import html; from untor.escape.accelerated import accelerated; text = '<' * 120_000_000;"
        "resource.setrlimit(resource.RLIMIT_AS, (500_000_000, -1))\n"
        "try: accelerated(html.text)(text)\nexcept MemoryError: print('no memory')"
    )
    done = subprocess.run([sys.executable, "-c", script_], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout) == (0, "no memory\n"), done.stderr


def test_without_the_extension() -> None:
    """Where there is no extension, or none is wanted, pages are the same."""
    template = '<p title="{= x =}">{= y.z =}</p><a href="/a/{= x =}">{= y.z =}</a><script>f("{= x =}")</script>'
    script_ = f"from untor import Engine; from untor.escape.accelerated import IS_BUILT; print(IS_BUILT, Engine().compile({template!r}).render(x='<é> \\'', y={{'z': '&'}}))"
    environment = {**os.environ, "UNTOR_EXTENSION": "off"}
    done = subprocess.run([sys.executable, "-c", script_], env=environment, capture_output=True, text=True, check=False)
    page = Engine().compile(template).render(x="<é> '", y={"z": "&"})
    assert done.stdout == f"False {page}\n"


PLAIN = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**70), 2**70) | st.floats() | CHARACTERS | st.sampled_from([MISSING, Decimal("1.5"), "__proto__"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(CHARACTERS | st.integers() | st.just("__proto__"), inner, max_size=3),
    max_leaves=12,
)  # fmt: skip


@given(PLAIN)
def test_plain_data_is_written_the_same(value: object) -> None:
    """In scripts and in JSON, data of Python's own types is written as it is when it is looked at item by item."""
    for writer in (javascript._Json(), javascript._JavaScript()):
        assert outcome(writer.text, value) == outcome(writer.any, value)


# --- objects read directly -------------------------------------------------------------------------------------------


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


LEAVES = st.sampled_from(["x", "<&>", 3, None, 1.5])
OBJECTS = st.recursive(
    LEAVES,
    lambda inner: (
        st.dictionaries(st.sampled_from(["b", "c", "d"]), inner, max_size=3)
        | st.builds(Plain, inner, inner)
        | st.dictionaries(st.sampled_from(["b", "c"]), inner, max_size=2).map(lambda items: Both(**items))
        | st.just(Lazy())
    ),
    max_leaves=8,
)
READING = """<! for a in rows !>
<p title="{= a.b.c =}">{= a.b =}{= a.c =}</p>{= a.b.b =} {= a.c.b.c ?? "none" =} {= a.d? =} <! if a.b !>{= a.c =}<! end !>
<! let d = a.c !>{= d | upper =}<a href="/{= d =}">{= d.c? =}</a>{= a.b.c if d else d.b =}<! end !>"""
engine = Engine(calls="methods")
reading = engine.compile(READING)


def looking_at_each_dot(source: str) -> Template:
    """Compile a template whose code knows nothing of the types of objects."""

    class Plainly(expression_code.ExpressionGenerator):
        def __init__(self, *arguments: Any, **named: Any) -> None:
            super().__init__(*arguments, **named)
            self.plain = True

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(functions, "ExpressionGenerator", Plainly)
        patched.setattr(output, "MOST_OWNERS", 0)
        return Engine(calls="methods").compile(source)


slowly = looking_at_each_dot(READING)


@given(st.lists(OBJECTS, min_size=1, max_size=4))
def test_reading_directly_is_the_same(rows: list[object]) -> None:
    """Whatever the objects are, a page that reads them directly is the one that looks at each dot, or fails as it does."""
    attributes.direct_types.update({Plain, Lazy})
    quick = outcome(reading.render, {"rows": rows})
    slow = outcome(slowly.render, {"rows": rows})
    assert outcome(lambda: asyncio.run(reading.render_async({"rows": rows}))) == quick
    if isinstance(slow, str) or isinstance(quick, str):
        assert quick == slow
    else:
        # What is read first of several things that are missing may differ; that something is, does not.
        assert quick[0] is slow[0]  # type: ignore[index]


MISSES = [
    ({"a": {"vessel": {"nam": 1}}}, "{= a.vessel.name =}", 'There is no "name" in this dict.', 'Did you mean "nam"?'),
    ({"a": Plain("x")}, "{= a.b =}{= a.d =}", 'There is no "d" in this Plain.', "It has b, c."),
    ({"a": Plain(Lazy())}, "{= a.b.c =}{= a.b.b =}", 'There is no "b" in this Lazy.', "It has code of its own for that, which ended in an AttributeError."),
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
        f"import sys; sys.path[:0] = {sys.path!r}; from codegen.test_speed import *; attributes.direct_types.update({{Plain, Lazy}})\n"
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


# --- joins -----------------------------------------------------------------------------------------------------------

LETTERS: dict[str, Callable[[object], str]] = {
    "t": html.text, "a": html.attribute, "r": html.rcdata, "p": url.percent,
    "s": lambda value: url.segment_url("", value, ""), "=": lambda value: f"{value}",
}  # fmt: skip
TEXTS = st.sampled_from(["", "<p>", "é", "\u2028x", "😀", '" title="'])


@built
@given(st.lists(st.tuples(st.sampled_from([*LETTERS]), VALUES, TEXTS), max_size=6), TEXTS)
def test_joins_do_the_same(values: list[tuple[str, object, str]], first: str) -> None:
    """A join writes what the functions in Python make of its values, or nothing at all, wherever it writes to."""
    join = _extension.join((first, *(after for _, _, after in values)), "".join(each[0] for each in values).encode())
    expected = outcome(lambda: first + "".join(LETTERS[letter](value) + after for letter, value, after in values))
    page = _extension.page()
    parts: list[str] = []
    page.write("é|")
    given_ = [value for _, value, _ in values]
    made = [join(None, *given_), join(page.write, *given_), join(parts.append, *given_)]
    if made[0] is None:
        assert (made, page.finish(), parts) == ([None] * 3, "é|", [])
        odd = [value for letter, value, _ in values if letter == "=" or isinstance(value, str) or value is MISSING]
        assert odd or not isinstance(expected, str)
    else:
        assert (made, page.finish(), parts) == ([expected, True, True], f"é|{expected}", [expected])
        assert type(made[0]) is str
        assert made[0].isascii() == expected.isascii()  # type: ignore[attr-defined]


@built
@given(st.lists(CHARACTERS | st.sampled_from(["<" * 5000, "é" * 3000, "😀" * 2000])))
def test_pages_grow(texts: list[str]) -> None:
    """A page has what was written to it, however wide and long, and is empty afterwards; chunks are a few kilobytes."""
    page, chunked, chunks = _extension.page(), _extension.page(), []
    for text in texts:
        page.write(text)
        chunked.write(text)
        if (chunk := chunked.chunk()) is not None:
            assert len(chunk) >= 16_000
            chunks.append(chunk)
        else:
            assert not chunks or len("".join(texts)) - len("".join(chunks)) < 1_000_000
    chunks.append(chunked.finish())
    assert (page.finish(), page.finish(), "".join(chunks)) == ("".join(texts), "", "".join(texts))


@built
def test_joins_take_only_what_they_can() -> None:
    """What is no join, no page and no text is refused; an interrupt on the way is nobody's to handle."""
    with pytest.raises(ValueError, match="with texts around them"):
        _extension.join(("a", "b"), b"tt")
    with pytest.raises(ValueError, match="at most 64"):
        _extension.join(("",) * 66, b"t" * 65)
    with pytest.raises(TypeError, match="texts are str"):
        _extension.join(("a", 1), b"t")  # type: ignore[arg-type]
    join = _extension.join(("a", "b"), b"t")
    for wrong in ((), (None,), (None, 1, 2)):
        with pytest.raises(TypeError, match="takes a page and 1 values"):
            join(*wrong)
    with pytest.raises(TypeError, match="not callable"):
        join(1, "x")
    with pytest.raises(TypeError, match="takes text"):
        _extension.page().write(1)  # type: ignore[arg-type]

    class Interrupted:
        def __str__(self) -> str:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        join(None, Interrupted())


@pytest.mark.parametrize("part", range(4))
def test_joined_pages_are_the_same(part: int) -> None:
    """Every page is the same, or fails in the same place, with joins and without, in all ways to render."""
    for case in [*cases("language.txt"), *cases("places.txt")][part::4]:
        pages: dict[bool, list[object]] = {}
        for joins in (True, False):
            with pytest.MonkeyPatch.context() as patched:
                patched.setattr(module, "IS_BUILT", joins and IS_BUILT)
                try:
                    template = Engine().compile(case.parts["template"])
                    pages[joins] = rendered_all_ways(template)
                except UntorError:
                    break
        # Of two values that fail, the one that is found first may be another one.
        for one, other in zip(*pages.values(), strict=True) if pages else ():
            assert one == other or not (isinstance(one, str) or isinstance(other, str)), case.title
        if pages:
            assert pages[True][0::4] == pages[True][1::4] == pages[True][2::4], case.title


def rendered_all_ways(template: Template) -> list[object]:
    """Return what a template with each of some values becomes, in four ways to render it."""
    found: list[object] = []
    render, stream, render_async = template.render, template.stream, template.render_async
    for value in ("a<b&\"'", 7, 1.5, None, Html(), Decimal("1.5"), "\x00", "..", Broken()):
        data = dict.fromkeys(template.inputs, value)
        found.append(outcome(render, data))
        found.append(outcome(lambda: render(**data)))  # noqa: B023  called right here
        found.append(outcome(lambda: "".join(stream(**data))))  # noqa: B023
        found.append(outcome(lambda: asyncio.run(render_async(**data))))  # noqa: B023
    return found


# --- pieces in loops ---------------------------------------------------------------------------------------------------

SITE = {
    "page.html": "<ul>\n\n<! for row in rows !><! include 'row' row, n=1 / row.n !><! end !></ul>",
    "row.html": "<! takes row, n: float, kind = 'due' !>\n<li class={= kind =}>é{= row.b =} {= n =} {= row.b | shout =}"
    "<! for each in row.more? !>{= each.c =}<! end !><! let b = row.b !>{= b =}</li>",
}
GOES_WRONG = [
    ({"b": "x"}, ("page.html", 3, "n"), "There is no"),
    ({"b": "x", "n": 0}, ("page.html", 3, "1 / row.n"), "ZeroDivisionError"),
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
    for most, joins in ((functions.MOST_INCLUDED, IS_BUILT), (functions.MOST_INCLUDED, False), (0, IS_BUILT)):
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(functions, "MOST_INCLUDED", most)
            patched.setattr(module, "IS_BUILT", joins)
            helpers = {"count": itertools.count().__next__}
            ways = all_ways(Engine(globals={"g": "<g>"}, helpers=helpers).compile(source))
        pages += [outcome(way, {"xs": [7, value]}) for way in ways for value in ("<&", {"b": {"b": 1}, "c": 2}, 8)]
    if "count()" in source:
        assert pages[:9] == pages[9:18] == pages[18:]
    else:
        assert all(pages[:3] == pages[at : at + 3] for at in range(3, 27, 3))


def test_pieces_in_loops_are_in_place(tmp_path: Path) -> None:
    """A piece in a loop is part of the page: nothing is called for it, unless it is large, or its lines cannot be told."""
    made = site_of(tmp_path)
    shown = module.shown(made.compiler.analyse(Origin("page")))
    assert shown.count("def ") == 1
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(module, "LINES", 2)
        assert module.shown(made.compiler.analyse(Origin("page"))).count("def ") == 2
    large = SITE["row.html"].replace("</li>", "{= n =}<br>" * 60)
    (tmp_path / "row.html").write_text(large, "utf-8")
    shown = module.shown(Engine(tmp_path, filters={"shout": str.upper}).compiler.analyse(Origin("page")))
    assert shown.count("def ") == 2


# --- counted ---------------------------------------------------------------------------------------------------------


def counted(monkeypatch: pytest.MonkeyPatch, source: str, data: Mapping[str, object]) -> dict[str, int]:
    """Return how often a page calls each function of its own names."""
    counts: dict[str, int] = {}
    own = Engine()
    function: Any = own.compile(source).render
    for name, value in list(function.__globals__.items()):
        if callable(value) and not isinstance(value, type) and not name.startswith("__"):

            def count(*arguments: Any, name: str = name[1:], value: Any = value, **named: Any) -> Any:
                counts[name] = counts.get(name, 0) + 1
                return value(*arguments, **named)

            monkeypatch.setitem(function.__globals__, name, count)
    function(data)
    return counts


ROWS = '<! for row in rows !><li title="{= row.b =}">{= row.b =} {= row.c =}<! end !>'


def each_row(rows: int) -> dict[str, int]:
    """Return what rows call: nothing but the loop, or, without the extension, one function for each value."""
    return {} if IS_BUILT else {"e_attribute": rows, "e_text": 2 * rows}


def test_dots_are_free(monkeypatch: pytest.MonkeyPatch) -> None:
    """Rows of dicts, and of a class that was seen before, are read without calling anything for a dot."""
    attributes.direct_types.discard(Plain)
    attributes._plain_types.discard(Plain)
    for rows, dots in (([{"b": 1, "c": 2}] * 100, 0), ([Plain(1, 2)] * 100, 3), ([Plain(1, 2)] * 100, 0)):
        found = counted(monkeypatch, ROWS, {"rows": rows})
        assert found.get("dot", 0) == (0 if IS_BUILT else dots)
        once = {"merge": 1, "given": 1} | ({"page": 1, "l0": 1} if IS_BUILT else {})
        assert {name: count for name, count in found.items() if name != "dot"} == {**each_row(100), **once}


def test_work_per_row_is_constant(monkeypatch: pytest.MonkeyPatch) -> None:
    """Ten times the rows are ten times the calls, and not one more."""
    few, many = ({"rows": [{"b": 1, "c": 2}] * count} for count in (10, 1000))
    one, other = counted(monkeypatch, ROWS, few), counted(monkeypatch, ROWS, many)
    assert {name: count for name, count in other.items() if count != one[name]} == each_row(1000)


@pytest.mark.parametrize(
    "body",
    ["{= a =}", "<p title='{= a =}'></p>", "<a href='/{= a =}'>x</a>", "<b>{= a =}</b>", "<script>f({= a =})</script>"],
)
def test_bodies_of_loops_are_walked_once(body: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """However deep a value is in loops, one look at its place is enough."""
    walked = []
    placement = BlockWalker.placement

    def counted(*given: Any) -> Any:
        walked.append(placement(*given))
        return walked[-1]

    monkeypatch.setattr(BlockWalker, "placement", counted)
    Engine().compile("<body>" + "<! for a in b !>" * 6 + body + "<! end !>" * 6)
    assert len(walked) == 1


NAMES = """kind type values context append get class é out nonce scope dict given error direct each truth list len slice
render stream name""".split()


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize(
    "source", ["{= %s =}", "{= %s.b =}{= %s.c =}{= kind? =}", "<body><script>f({= %s.b =})</script>{= kind? =}"]
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
    """All names begin with an underscore, as none of a template does, but the values that a page takes by name."""
    for case in [*cases("language.txt"), *cases("places.txt")]:
        try:
            plan = engine.compiler.analyse(Origin("case.html", case.parts["template"]))
        except UntorError:
            continue
        for variant in ("render", "stream_async"):
            code = module.module_of(plan, variant, expression_code.ModuleState(lenient=False))
            entry = code.body[-1]
            assert isinstance(entry, ast.FunctionDef | ast.AsyncFunctionDef)
            own = {each.arg for each in entry.args.kwonlyargs}
            read = {node.id for node in ast.walk(code) if isinstance(node, ast.Name)}
            taken = {node.arg for node in ast.walk(code) if isinstance(node, ast.arg)}
            assert {name for name in read | taken if not name.startswith("_")} <= own, case.title


def test_clean_text_needs_no_call(monkeypatch: pytest.MonkeyPatch) -> None:
    """Without joins, text in a loop that has nothing to escape is printed without calling anything for it."""
    monkeypatch.setattr(module, "IS_BUILT", False)
    rows = [{"b": "quay", "c": "é berth"}] * 50 + [{"b": "a'b", "c": "a<b"}] * 7
    assert counted(monkeypatch, ROWS, {"rows": rows}) == {"merge": 1, "given": 1, "e_attribute": 7, "e_text": 7}


def test_code_of_a_run() -> None:
    """A run is one f-string, what it reads is read in three copies; a page of one run returns it."""
    reads, whole = (
        ast.unparse(
            module.module_of(
                engine.compiler.analyse(Origin("case.html", source)), "render", module._shared(lenient=False)
            )
        )
        for source in ("<p>{= a.b =}{= a.c =}</p>", "<p>{= a =}</p>")
    )
    assert [reads.count(each) for each in ("<p>{", ".b\n", "['b']", "dot(")] == [1, 1, 1, 2]
    assert [reads.count("return"), whole.count("return"), whole.count("append")] == [1, 2, 0]
    assert [reads.count("j0("), whole.count("j0(")] == ([1, 2] if IS_BUILT else [0, 0])
    # What is known to be there is not asked for again; of all of them, the f-string that says what is missing is the last.
    assert whole.count("missing_name") == 1
