"""The extension in C does what the functions in Python do, for every value, and keeps nothing of it."""

from __future__ import annotations

import os
import subprocess
import sys
import tracemalloc
from decimal import Decimal
from typing import TYPE_CHECKING

import pytest
from hypothesis import given
from hypothesis import strategies as st
from values import CHARACTERS, VALUES, Html, Number, Text, outcome

from untor import Engine
from untor.escape import MISSING, html, javascript, url
from untor.escape.accelerated import IS_BUILT, accelerated
from untor.runtime import attributes

if TYPE_CHECKING:
    from collections.abc import Callable

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


engine = Engine()


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
@pytest.mark.parametrize(("name", "function", "why"), [
    ("text", lambda c: f"&#{ord(c)};" if c == "a" else c, "97 is not seen at a glance"),
    ("attribute", lambda c: "\u2028" if c == "<" else c, "60 is too long or too wide"),
    ("percent", lambda c: c, "0 is not percent-encoded"),
    ("quoted", lambda c: c, "0 is too long or too wide"),
    ("json_string", lambda _: 5, "0 is not a string"),
])  # fmt: skip
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
@given(DATA, st.integers(0, 8))
def test_data_is_the_same(value: object, deeper: int) -> None:
    """Data in scripts and in JSON is written by the extension as it is without it, at any depth."""
    writers = [javascript.script_value, javascript.script_operand, javascript.json_value]
    for level in range(deeper):
        value = [value] if level % 2 else {"a": value}
    quick = [outcome(writer, value) for writer in writers]
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(javascript, "plain_data", None)
        assert quick == [outcome(writer, value) for writer in writers]


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
    """Very many calls leave no memory behind, whichever way they go, and no reference to their argument."""
    page = Engine().compile("é{= x =}b<a href='/{= x =}'>c").render
    functions = [
        *(accelerated(pure) for pure in PURE.values()),
        javascript.json_value,
        lambda value: javascript.script_value([{"<": value}]),
        lambda value: page(x=value),
        lambda value: page({"x": value}),
    ]
    quick_dot = accelerated(attributes.dot)
    thing, row = Html(), {"a b": 1}
    # Made here, so that nothing else in the process has references to them.
    own = os.getpid() + 10**6
    values: list[object] = [f"{text}{own}" for text in ("plain", "a<b&\"'", "é<", "\x00", "a b/c")]
    values += [own, own / 7, Html()]
    counts = [sys.getrefcount(value) for value in values]

    def work() -> None:
        for _ in range(1000):
            for function in functions:
                for value in values:
                    outcome(function, value)
            for name in ("a b", "missing"):
                outcome(quick_dot, row, name)
                outcome(quick_dot, thing, name)

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
