"""Values in scripts, as a real JavaScript engine runs them: the same code for every value, and the value itself."""

from __future__ import annotations

import json
import json.encoder
import math
import re
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
from contexts import test_hostile as hostile
from hypothesis import event, given
from hypothesis import strategies as st
from javascript import JavaScript
from selectolax.lexbor import LexborHTMLParser
from support import Case, cases

from untor import Engine, MarkError, PlacementError, RenderError, UntorError
from untor.escape import javascript
from untor.escape.javascript import json_value, script_value

if TYPE_CHECKING:
    from collections.abc import Iterator

engine = Engine()
PLAIN = "T0KEN"
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
            [
                "return\n", "throw new Error(1)\n", "async function g1() {}\n", "a1\n++\nb1\n",
                "l2: for (;;) { break\n}\n", "'use strict'\n", "el1.title = '';\n", 'el1.innerHTML = "";\n',
                "location1.href = '';\n", "setTimeout1(() => {}, 1);\n", "({'a': 1, \"b\": 2});\n",
                "f1(async () => {});\n", "// it's\n", "/* ' */", "<!-- '\n", "\n--> '\n", "a1 = b1\n++c1\n", ";",
                "x1 = a1 / b1 / c1;",
            ]
        ),
    )  # fmt: skip


PROGRAMS = st.lists(st.recursive(EXPRESSIONS.map("rec({});".format), statements, max_leaves=4), max_size=4).map("".join)
MARKS = st.sampled_from(
    ["{= x =}", "{= x =}", '"{= x =}"', "'{= x =}'", " {= x =} ", "`{= x =}`", "/{= x =}/", "rec({= x =})"]
)


def compiled(program: str, places: list[tuple[int, str]]) -> Any:
    """Return the template of a program with marks at some places; ``None`` when it is refused."""
    for offset, mark in sorted(places, reverse=True):
        at = offset % (len(program) + 1)
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
    if isinstance(trace, str) and PLAIN in trace:
        return "/" if trace.startswith("/") else trace.replace(PLAIN, value)
    return trace


PLACES = st.lists(st.tuples(st.integers(0, 300), MARKS), min_size=1, max_size=2)


@given(PROGRAMS, PLACES, st.sampled_from(HOSTILE) | st.text(max_size=6))
def test_same_code_for_every_text(js: JavaScript, program: str, places: list[tuple[int, str]], value: str) -> None:
    """Wherever in a script a text lands: the script does the same, with that text in the place of another."""
    template = compiled(program, places)
    if template is None:
        return
    runs_alike(js, template, value)


def runs_alike(js: JavaScript, template: Any, value: str, **data: object) -> None:
    """Assert that a page's script does the same for a text as for a harmless one."""
    try:
        pages = [template.render(data, x=text) for text in (PLAIN, "0" + PLAIN, value)]
    except RenderError:
        event("statement")
        return
    one, other, hostile = js.traces(*map(script_of, pages))
    event("runs" if one else "nothing")
    assert (one == ["SyntaxError"]) == (hostile == ["SyntaxError"]), pages[2]
    if replaced(one, "0" + PLAIN) == other:  # what it does depends on nothing but the text
        assert [len(entry) for entry in one] == [len(entry) for entry in hostile]


ANYTHING: list[object] = [
    5, -5, 0.5, -1e300, math.nan, -math.inf, 2**70, -(2**70), None, True, "s", [], [1], {}, {"a": []}, [{}],
    {"__proto__": 1}, hostile.Digits("-5"), hostile.Digits("sNaN"), hostile.Whole(5), hostile.Real("inf"),
    hostile.Text("a"), hostile.Kind.ONE, [hostile.Span(1)],
]  # fmt: skip


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


@dataclass
class Vessel:
    """A made-up vessel."""

    name: str
    tons: int


Berth = namedtuple("Berth", "code depth")  # noqa: PYI024  the older kind must work as well


class Flag(Enum):
    """A made-up flag."""

    RED = "red"


class Row:
    """A row of a database: by name, iterated by value."""

    def keys(self) -> list[str]:
        return ["a"]

    def __getitem__(self, key: str) -> int:
        return 1

    def __iter__(self) -> Iterator[int]:
        return iter([1])


class NoValues(dict[str, object]):
    """A dict that says that it has no values."""

    def values(self) -> Any:
        return []


EQUAL = [
    (None, None), (True, True), (0, 0), (-0.0, "-0"), (1.5, 1.5), (1e300, 1e300), (math.nan, "NaN"),
    (-math.inf, "-Infinity"), (2**53 - 1, 2**53 - 1), (2**53, f"{2**53}n"), (-(2**64), f"{-(2**64)}n"), ("é\u2028</script>", "é\u2028</script>"),
    (Decimal("1.50"), 1.5), (Decimal("NaN"), "NaN"), (Decimal("-Infinity"), "-Infinity"), (Fraction(1, 4), 0.25), (date(2031, 5, 17), "2031-05-17"),
    (datetime(2031, 5, 17, 9, 30, tzinfo=UTC), "2031-05-17T09:30:00+00:00"), (time(9, 30), "09:30:00"), (timedelta(minutes=2), 120),
    (UUID(int=1), "00000000-0000-0000-0000-000000000001"), (PurePosixPath("a/b"), "a/b"), (Flag.RED, "red"),
    ({"a": [-(2**53)]}, ["object", ["a", [f"{-(2**53)}n"]]]), ([2**53], [f"{2**53}n"]), ([[math.inf]], [["Infinity"]]),
    (NoValues(a=Berth("A1", 4)), ["object", ["a", ["object", ["code", "A1"], ["depth", 4]]]]), ([1, "a", [None]], [1, "a", [None]]), ((1, 2), [1, 2]), ({3, 1, 2}, [1, 2, 3]), (frozenset({"b", 1}), [1, "b"]), (range(3), [0, 1, 2]),
    ({"a": 1, 2: {"b": ()}}, ["object", ["2", ["object", ["b", []]]], ["a", 1]]),
    ({None: 1, True: 2, 1.5: 3, date(2031, 5, 17): 4}, ["object", ["null", 1], ["true", 2], ["1.5", 3], ["2031-05-17", 4]]),
    ({"__proto__": {"x": 1}}, ["object", ["__proto__", ["object", ["x", 1]]]]), (OrderedDict(b=1, a=2), ["object", ["b", 1], ["a", 2]]),
    (Vessel("Gannet", 9), ["object", ["name", "Gannet"], ["tons", 9]]), (Berth("A1", 4), ["object", ["code", "A1"], ["depth", 4]]), (Row(), ["object", ["a", 1]]),
]  # fmt: skip


@pytest.mark.parametrize(("value", "expected"), EQUAL, ids=lambda value: type(value).__name__)
def test_script_values_equal(js: JavaScript, value: object, expected: object) -> None:
    """A script value equals the Python value, in every place for values."""
    for template in ("rec({= x =})", "var a = {= x =}; rec(a)", "rec({k: {= x =}}.k)", "rec([{= x? =}][0])"):
        page = engine.compile(f"<body><script>{template}</script>").render(x=value)
        assert js.traces(script_of(page)) == [[[expected]]]


def test_python_without_an_encoder_in_c(monkeypatch: pytest.MonkeyPatch) -> None:
    """Data is written the same where Python has no encoder in C."""
    values: list[object] = [[1.5, "é<", 2**53], {"a": [None, True], "b": {}}, [math.nan]]
    expected = [javascript.script_value(value) for value in values]
    monkeypatch.setattr(json.encoder, "c_make_encoder", None)
    monkeypatch.setattr(javascript, "_encode", javascript._encoder())
    monkeypatch.setattr(javascript, "plain_data", None)
    assert [javascript.script_value(value) for value in values] == expected


def test_generators_and_missing_values(js: JavaScript) -> None:
    """A generator is a list, once; what may be missing is null."""
    page = engine.compile("<body><script>rec({= x =}, {= y? =})</script>").render(x=(n for n in "ab"))
    assert js.traces(script_of(page)) == [[[["a", "b"], None]]]


circle: list[object] = []
circle.append(circle)
deep: list[object] = []
for _ in range(600):
    deep = [deep]


@pytest.mark.parametrize(
    "value",
    [b"x", object(), print, circle, deep, {(1, 2): 3}, [object()]],
    ids="bytes object function circle deep key inner".split(),
)
def test_what_scripts_have_nothing_like(value: object) -> None:
    """What JavaScript has nothing like is an error with a way out, in scripts and in JSON."""
    for kind in ("", ' type="application/json"'):
        with pytest.raises(RenderError) as found:
            engine.compile(f"<script{kind}>[{{= x =}}]</script>").render(x=value)
        assert found.value.code == "not-printable"
        assert found.value.hint


JSONS = st.recursive(
    st.none()
    | st.booleans()
    | st.integers(-(2**53), 2**53)
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3),
    max_leaves=8,
)


@given(JSONS)
def test_json_reads_back(value: object) -> None:
    """JSON is what Python gave, in a script element and in an attribute; and so is a value in a script."""
    source = '<body><p data-x="{= x | json =}"><script type="application/json">{"a": {= x =}, "b": [{= x =}]}</script>'
    page = LexborHTMLParser(engine.compile(source).render(x=value))
    (script,) = page.css("script")
    assert json.loads(script.text()) == {"a": value, "b": [value]}
    assert json.loads(page.css("p")[0].attributes["data-x"] or "") == value
    assert script_value(value).isascii()
    assert not set("<>&") & set(script_value(value) + json_value(value))


@pytest.mark.parametrize("literal", ["'a%'", '"a%"', "`a%`", "`${1}a%`", "/a%/", "/[a%]/", "/[a]%/"])
@pytest.mark.parametrize("count", range(5))
def test_a_value_never_ends_an_escape_sequence(literal: str, count: int) -> None:
    """Right after a backslash that another one does not escape, a value is refused; after a whole escape, it is itself."""
    source = f"<script>rec({literal.replace('%', chr(92) * count + '{= x =}')});</script>"
    if count % 2:
        with pytest.raises(PlacementError, match="inside the unfinished escape sequence"):
            Engine().compile(source)
    else:
        assert Engine().compile(source).render(x="b").count("b") == 1


@given(st.text(), st.sampled_from(["{= x =}", "a{= x =}b", "\\n{= x =}"]))
def test_literals_read_back(js: JavaScript, value: str, inside: str) -> None:
    """In strings, template literals and regular expressions, and in JSON strings, the value is what it was."""
    code = f"rec('{inside}', \"{inside}\", `{inside}`, /^{inside}$/.test('{inside}'), {{['{inside}']: 1}})"
    source = f'<body onload="{code.replace(chr(34), "&#34;")}"><script>{code}</script>'
    page = engine.compile(source).render(x=value)
    script = script_of(page)
    body = LexborHTMLParser(page).css_first("body")
    assert body is not None
    one, other = js.traces(script, body.attributes["onload"] or "")
    expected = inside.replace("\\n", "\n").replace("{= x =}", value)
    assert one == other
    assert one[0][:4] == [expected, expected, expected, True]


def test_the_engine_can_see(js: JavaScript) -> None:
    """Put together by hand, a hostile value does run code, and the traces show it."""
    assert js.traces("rec('a')", "rec(''+rec(1)+'')", "rec('a") == [[["a"]], [[1], ["1"]], ["SyntaxError"]]


SOLIDI = [
    "async function f() {} /a#/.test(b)", "x = async function () {} /a#/2", "async () => {}\n/a#/.test(b)", "x = async () => {}\n/a#/.test(b)",
    "async /a#/2", "async (b) /a#/2", "x = {async *f() { return /a#/ } }", "class A { async f() {} } /a#/.test(b)", "async\nfunction f() {} /a#/.test(b)",
    "x = async y => /a#/", "{ } /a#/.test(b)", "x = { } /a#/2", "a\n++b\n/a#/2", "a++ /a#/2", "if (a) {} /a#/.test(b)", "(a) /a#/2", "if (a) /a#/.test(b)",
    "while (a) /a#/.test(b)", "a = b ? /a#/ : c", "a = b\n/a#/2", "return_ /a#/2", "typeof /a#/", "x = typeof a /a#/2", "({}) /a#/2", "x = [] /a#/2",
    "x = function () {} /a#/2", "(function () {}) /a#/2", "function f() {} /a#/.test(b)", "class A {} /a#/.test(b)", "x = class {} /a#/2", "x = `a` /a#/2",
    "a: /a#/.test(b)", "switch (a) { case /a#/: }", "do /a#/.test(b); while (a)", "x = a.return /a#/2", "x = {get a() {}} /a#/2", "throw /a#/", "x = !/a#/",
    "x = a?.b /a#/2", "x = new A /a#/2", "x = new.target_ /a#/2", "f() /a#/2", "x = 5 /a#/2", "x = /b/ /a#/2", "x = y\n{} /a#/.test(b)", "let x = 1; { /a#/.test(b) }",
    "for (a; /a#/.test(b); ) c", "for (;; /a#/) c", "for (a of b) /a#/.test(c)", "class A { [b] = 1; c }; /a#/.test(b)", "class A { static {} d() {} } /a#/.test(b)",
    "x = class { a() {} 'b' = 1 } /a#/2", "x = {a, b} /a#/2", "x = {a, 'b': c} /a#/2",
]  # fmt: skip


@pytest.mark.parametrize("source", SOLIDI)
def test_expressions_that_begin_with_a_solidus(js: JavaScript, source: str) -> None:
    """A solidus begins a regular expression for Untor only where it does for the engine: no other takes a class with one."""
    try:
        contexts = [
            each.context for each in Engine().compile(f"<script>{source.replace('#', '{= x =}')}</script>").placements
        ]
    except UntorError:
        contexts = []
    code = f"async function g() {{ {source.replace('#', '[/]')} }}"
    is_regexp = js.traces(f"new Function({json.dumps(code)})") == [[]]
    assert contexts == (["script-regexp"] if is_regexp else [])


def _is_read(case: Case) -> bool:
    """Return whether all values of a case may be texts."""
    if not case.title.startswith("ECMAScript ") or case.parts["places"].strip().startswith(("place-", "contexts-")):
        return False
    placements = engine.compile(case.parts["template"]).placements
    return all(each.escapers[0] != "script-statement" for each in placements)


PRODUCTIONS = [case for case in cases("places.txt") if _is_read(case)]
_NOT_VALID = ("Decorator", "BreakableStatement", "ContinueStatement")
"""What this engine does not know yet, and statements with a label that is nowhere."""
_MODULE = re.compile(r"\bimport\b(?!\()|\bexport\b")
"""What only a module may have, which this engine does not read: Chromium does, in the tests of the browser."""


@pytest.mark.parametrize(
    "case",
    [each for each in PRODUCTIONS if not _MODULE.search(each.parts["template"])],
    ids=lambda case: case.title.removeprefix("ECMAScript "),
)
def test_productions_are_valid(js: JavaScript, case: Case) -> None:
    """Each production of the language is valid for every text that its values are, if it is for one."""
    template = engine.compile(case.parts["template"])
    harmless, *others = [script_of(template.render(x=value)) for value in ("a", *HOSTILE)]
    wrapped = [f"new Function({json.dumps(f'async function g() {{ {code} }}')})" for code in (harmless, *others)]
    traces = js.traces(*wrapped)
    assert (traces[0] == []) != case.title.endswith(_NOT_VALID)
    assert all(trace == traces[0] for trace in traces)
