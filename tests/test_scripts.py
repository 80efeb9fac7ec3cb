"""Values in scripts, as a real JavaScript engine runs them: the same code for every value, and the value itself."""

from __future__ import annotations

import math
from collections import OrderedDict, namedtuple
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from fractions import Fraction
from pathlib import PurePosixPath
from typing import TYPE_CHECKING, Any
from uuid import UUID

import pytest
from hypothesis import event, given
from hypothesis import strategies as st
from javascript import JavaScript
from selectolax.lexbor import LexborHTMLParser

from untor import Engine, MarkError, PlacementError, RenderError
from untor.escape import MISSING
from untor.escape.script import json_value, script_value

if TYPE_CHECKING:
    from collections.abc import Iterator

engine = Engine()
TOKEN = "T0KEN"
HOSTILE = [
    "", "'", '"', "`", "\\", "${rec(1)}", "</script>", "<!--", "-->", "*/", "/*", "//", "\n", "\u2028", "\u2029", "\r", "/",
    "]", "[", "}", "{", ")", "(", ";rec(1);", "'+rec(1)+'", "`;rec(1)", "\\u0027", "$", "{x}", "a-z", "^", "-", "*", "+?",
    "\x00", "\ud800", "🌊", "é", "0", "x", "__proto__", "#!", "=>", "0n", "\\", "\\u{", "gu",
]  # fmt: skip


@pytest.fixture(scope="module")
def js() -> Iterator[JavaScript]:
    started = JavaScript()
    yield started
    started.close()


def script_of(page: str) -> str:
    """Return the text of a page's one script, as a conforming parser reads it."""
    found = LexborHTMLParser(page).css("script")
    assert len(found) == 1, page
    return found[0].text()


NAMES = st.sampled_from(["a", "b", "$c", "d_1", "of", "get", "async", "let1", "é"])
REGEXPS = st.sampled_from(["/a/", "/a[b/]c/g", "/[^\\]/]x/", "/\\//", "/=a/", "/(?:x)+/i", "/a{1,2}/", "/[a-z]/u"])
LITERALS = (
    st.sampled_from(["1", ".5", "0x1f", "1e3", "7n", "null", "true", "this", "'q'", '"d"', "'it\\'s'", '"\\x41"'])
    | REGEXPS
)
SPACE = st.sampled_from(["", " ", "", "\n", "/* c */", "// c\n", "/*\n*/"])


def expressions(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """Return expressions made of smaller ones."""
    operators = st.sampled_from(
        ["+", "-", "*", "/", " % ", "<", " in ", "&&", "||", "??", "===", " instanceof ", ",", ">>"]
    )
    return st.one_of(
        st.tuples(inner, SPACE, operators, SPACE, inner).map("".join),
        inner.map("({})".format),
        inner.map("rec({})".format),
        st.tuples(inner, inner).map("rec({0[0]}, {0[1]})".format),
        inner.map("[{}]".format),
        st.tuples(NAMES, inner).map("({{{0[0]}: {0[1]}}})".format),
        st.tuples(inner, inner).map(
            "({{[{0[0]}]: {0[1]}, 'k': 1, m() {{ return /r/ }}, get g() {{ return 2 }} }})".format
        ),
        st.tuples(inner, inner, inner).map("({0[0]} ? {0[1]} : {0[2]})".format),
        inner.map("`t${{{}}}u`".format),
        inner.map("`\\`${{`n${{{}}}`}}$`".format),
        inner.map("(x => {})".format),
        inner.map("(({{a = {0}}} = {{}}) => {{ return {0} }})()".format),
        inner.map("(function f(a = {0}) {{ return {0} / 2 }})()".format),
        inner.map("new (class {{ p = {0}; #q = 1; static s() {{}} m() {{ return /x/ }} }})".format),
        inner.map("typeof {}".format),
        inner.map("!{}".format),
        inner.map("- {}".format),
        st.tuples(inner, NAMES).map("{0[0]}?.{0[1]}".format),
        st.tuples(inner, inner).map("{0[0]}[{0[1]}]".format),
        inner.map("html`a${{{}}}b`".format),
    )


EXPRESSIONS = st.recursive(NAMES | LITERALS, expressions, max_leaves=6)


def statements(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """Return statements made of smaller ones."""
    return st.one_of(
        EXPRESSIONS.map("rec({});".format),
        st.tuples(NAMES, EXPRESSIONS).map("var {0[0]} = {0[1]};\n".format),
        st.tuples(NAMES, EXPRESSIONS).map("var {0[0]} = {0[1]}\n".format),
        st.tuples(EXPRESSIONS, inner).map("if ({0[0]}) {0[1]}".format),
        st.tuples(EXPRESSIONS, inner, inner).map("if ({0[0]}) {{ {0[1]} }} else {{ {0[2]} }}\n".format),
        st.tuples(NAMES, EXPRESSIONS, inner).map("for (const {0[0]} of [{0[1]}]) {{ {0[2]} }}\n".format),
        inner.map("function f1(a, b) {{ {} }}\n".format),
        inner.map("class A1 {{ m() {{ {} }} }}\n".format),
        inner.map("try {{ {0} }} catch (e) {{ {0} }} finally {{}}\n".format),
        inner.map("l1: {{ {} }}\n".format),
        st.tuples(EXPRESSIONS, inner).map("switch ({0[0]}) {{ case 1: {0[1]} default: rec(0) }}\n".format),
        REGEXPS.map("{}.test('a');\n".format),
        EXPRESSIONS.map("return {}\n".format),
        st.sampled_from(
            ["// it's\n", "/* ' */", "<!-- '\n", "\n--> '\n", "a1 = b1\n++c1\n", ";", "x1 = a1 / b1 / c1;"]
        ),
    )


PROGRAMS = st.lists(st.recursive(EXPRESSIONS.map("rec({});".format), statements, max_leaves=4), max_size=4).map("".join)
MARKS = st.sampled_from(
    ["{= x =}", "{= x =}", '"{= x =}"', "'{= x =}'", " {= x =} ", "`{= x =}`", "/{= x =}/", "rec({= x =})"]
)


def compiled(program: str, places: list[tuple[int, str]]) -> Any:
    """Return the template of a program with marks at some places; ``None`` when it is refused."""
    for at, mark in sorted(places, reverse=True):
        at %= len(program) + 1
        program = program[:at] + mark + program[at:]
    try:
        return engine.compile(f"<body><script>{program}</script>")
    except (MarkError, PlacementError) as error:
        event(error.code)
        return None


def replaced(trace: Any, value: str) -> Any:
    """Return a trace with the harmless value replaced."""
    if isinstance(trace, list):
        return [replaced(item, value) for item in trace]
    if isinstance(trace, str) and TOKEN in trace:
        return "/" if trace.startswith("/") else trace.replace(TOKEN, value)
    return trace


PLACES = st.lists(st.tuples(st.integers(0, 300), MARKS), min_size=1, max_size=2)


@given(PROGRAMS, PLACES, st.sampled_from(HOSTILE) | st.text(max_size=6))
def test_same_code_for_every_text(js: JavaScript, program: str, places: list[tuple[int, str]], value: str) -> None:
    """Wherever in a script a text lands: the script does the same, with that text in the place of another."""
    template = compiled(program, places)
    if template is None:
        return
    try:
        pages = [template.render(x=text) for text in (TOKEN, "0" + TOKEN, value)]
    except RenderError:
        event("statement")
        return
    one, other, hostile = js.traces(*map(script_of, pages))
    event("runs" if one else "nothing")
    assert (["SyntaxError"] == one) == (hostile == ["SyntaxError"]), pages[2]
    if replaced(one, "0" + TOKEN) == other:  # what it does depends on nothing but the text
        assert [len(entry) for entry in one] == [len(entry) for entry in hostile]


ANYTHING = [
    5,
    -5,
    0.5,
    -1e300,
    math.nan,
    -math.inf,
    2**70,
    -(2**70),
    None,
    True,
    "s",
    [],
    [1],
    {},
    {"a": []},
    [{}],
    {"__proto__": 1},
]


@given(PROGRAMS, PLACES)
def test_valid_for_every_value(js: JavaScript, program: str, places: list[tuple[int, str]]) -> None:
    """A script is valid JavaScript for all values, of whatever type, or for none."""
    template = compiled(program, places)
    if template is None:
        return
    pages = []
    for value in ANYTHING:
        try:
            pages.append(template.render(x=value))
        except RenderError:
            event("statement")
            return
    traces = js.traces(*map(script_of, pages))
    valid = {trace != ["SyntaxError"] for trace in traces}
    event(f"valid: {valid}")
    assert len(valid) == 1, [page for page, trace in zip(pages, traces, strict=True) if trace == ["SyntaxError"]][:1]
