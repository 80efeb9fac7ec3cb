"""What values do: filters, lookups, types, calls, and what is blocked; with odd input."""

from __future__ import annotations

import pickle
import sys
import threading
from datetime import UTC, date, datetime
from enum import Enum
from types import MappingProxyType

import pytest
from hypothesis import given
from hypothesis import strategies as st

from untor import Engine, MarkError, MissingValue, RenderError, TrustedHTML, UntorError
from untor.compiler.recursion import with_whole_stack
from untor.diagnostics.source import Source
from untor.escape import ESCAPERS, MISSING, Escapers
from untor.escape.printing import FORBIDDEN
from untor.filters.strings import clip


class Flag(Enum):
    """An enumeration, whose members print their values and have attributes."""

    GREEN = "g"


class Awkward:
    """An object that fails whatever is asked of it."""

    def __repr__(self) -> str:
        raise ValueError("no")

    __str__ = __len__ = __bool__ = __iter__ = __repr__


engine = Engine()
D = date(2031, 5, 17)

SETS_HTML = "<script>e.innerHTML = {= x =}</script>"

PRINTED = [
    ("{= x =}", True, "True"), ("{= x =}", 10**30, "1" + "0" * 30), ("{= x =}", 0.1, "0.1"), ("{= x =}", -0.0, "-0.0"),
    ("{= x =}", Flag.GREEN, "g"), ("{= x.value =}", Flag.GREEN, "g"), ("{= x | json =}", [1, "<"], '[1,"\\u003c"]'),
    ("{= x =}", D, "2031-05-17"), ("{= x.year =}", D, "2031"), ("{= x.a =}", MappingProxyType({"a": 1}), "1"),
    ("{= x | upper =}", 5, "5"), ("{= x | upper =}", "straße", "STRASSE"), ("{= x | lower =}", "ΑΣ", "ας"),
    ("{= x | len =}", "é", "1"), ("{= x | len =}", {}, "0"), ("{= x | len =}", {1: 2}, "1"),
    ("{= x | join =}", [], ""), ("{= x | join(' ') =}", iter("ab"), "a b"), ("{= x | join('<') =}", {"a": 1, "b": 2}, "a&lt;b"),
    ("{= x | clip(1) =}", "ab", "…"), ("{= x | clip(2) =}", "a b c", "a…"), ("{= x | clip(9) =}", "", ""),
    ("{= x | clip(3) =}", "👩‍👩‍👧👩‍👩‍👧👩‍👩‍👧👩‍👩‍👧", "👩‍👩‍👧👩‍👩‍👧…"), ("{= x | clip(4) =}", "שלום עולם", "שלו…"),
    ("{= x | date =}", datetime(2032, 2, 29, 23, 59, tzinfo=UTC), "Feb 29, 2032"), ("{= x | date('y') =}", "2031-05-17 ", "2031"),
    ("{= x[1:3] =}", "abcd", "bc"), ("{= x[-1]? =}", [], ""), ("{= x['k'] =}", {"k": None}, ""), ("{= x[0]['a'].b =}", [{"a": {"b": 2}}], "2"),
    ("{= x ?? 1 ?? 2 =}", None, "1"), ("{= (x | len) ?? 3 =}", None, "3"), ("{= x?.a.b.c | upper =}", None, ""),
    (SETS_HTML, 7, "<script>e.innerHTML = 7</script>"), (SETS_HTML, None, "<script>e.innerHTML = null</script>"),
    (SETS_HTML, TrustedHTML("<b>", reason="ours"), r'<script>e.innerHTML = "\u003cb\u003e"</script>'),
    ("{= 'y' if x? else 'n' =}", MISSING, "n"), ("{= 1 in x =}", {1}, "True"), ("{= x * 2 =}", "ab", "abab"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "value", "page"), PRINTED)
def test_printed(source: str, value: object, page: str) -> None:
    """Odd values print as one would hope."""
    assert engine.compile(source).render(x=value) == page


REFUSED = [
    ("{= x | len =}", 5, "it works on collections and text, not on an int."),
    ("{= x | join =}", "abc", "it works on lists, not on a str."),
    ("{= x | join =}", 5, "it works on lists, not on an int."),
    ("{= x | join(1) =}", [], "the separator must be text."),
    ("{= x | upper =}", {}, "it works on text, not on a dict."),
    ("{= x | clip(0) =}", "a", "the length must be an integer from 1."),
    ("{= x | clip(True) =}", "a", "the length must be an integer from 1."),
    ("{= x | date(5) =}", D, "the pattern must be text, like 'd MMMM y', or a style: short, medium, long, full."),
    ("{= x | date('HH:mm') =}", D, "'HH:mm' has fields of a time of day: use the filter datetime, or time."),
    ("{= x | date =}", "", "'' is not a valid date; write dates like 2031-05-17."),
    ("{= x | date =}", 5.5j, "it works on dates, not on a complex."),
]


@pytest.mark.parametrize(("source", "value", "trouble"), REFUSED)
def test_refused(source: str, value: object, trouble: str) -> None:
    """A filter says what it works on."""
    with pytest.raises(UntorError) as found:
        engine.compile(source).render(x=value)
    message = found.value.message
    assert (message.partition("failed: ")[2] or message.partition("like this: ")[2]) == trouble


@pytest.mark.parametrize(("source", "code"), [
    ("{= x =}", "expression-failed"), ("<! if x !>a<! end !>", "expression-failed"), ("{= x | upper =}", "filter-failed"),
    ("{= x | len =}", "filter-failed"), ("<! for y in x !>a<! end !>", "expression-failed"), ("{= x.a.b =}", "attribute-missing"),
    ("{= x() =}", "not-callable"), ("{= x['a'] =}", "expression-failed"), ("<a href={= x =}>", "expression-failed"),
    ("<a href='/{= x =}/{= x =}'>", "expression-failed"), ("<! let y = x + 1 !>", "expression-failed"),
    ("<! for a, b in [x] !><! end !>", "not-pairs"), ("<! include p x !><! part p(x: int) !><! end !>", "takes-type"),
])  # fmt: skip
def test_awkward(source: str, code: str) -> None:
    """A value that fails whatever is asked of it gives an error with a place, and its cause."""
    with pytest.raises(UntorError) as found:
        engine.compile(source).render(x=Awkward())
    assert (found.value.code, found.value.line) == (code, 1)
    assert str(found.value)


TYPES = {
    "str": ("a", 1), "int": (1, True), "float": (1, "1"), "bool": (False, 0), "list": ((1,), {1}), "dict": ({}, []),
    "date": (D, "2031-05-17"), "datetime": (datetime(2031, 1, 1, tzinfo=UTC), D),
}  # fmt: skip


@pytest.mark.parametrize("kind", TYPES)
def test_types(kind: str) -> None:
    """What a template takes is checked by its type; ``None`` only where the default is ``None``."""
    fits, not_ = TYPES[kind]
    render = engine.compile(f"<! takes x: {kind} !>{{= x is None =}}").render
    assert render(x=fits) == "False"
    for wrong in (not_, None):
        with pytest.raises(RenderError, match=f'"x" must be .*, not (?:an? {type(wrong).__name__}|None)'):
            render(x=wrong)
    assert engine.compile(f"<! takes x: {kind} = None !>{{= x is None =}}").render(x=None) == "True"
    assert engine.compile("<! takes x: any !>{= x is None =}").render(x=None) == "True"
    with pytest.raises(MissingValue, match="This template requires x"):
        engine.compile(f"<! takes x: {kind} !>").render(xs=fits)


@given(st.text(), st.integers(1, 30))
def test_clip(text: str, length: int) -> None:
    """What is clipped is never longer than asked for, begins like the text, and says that something is missing."""
    clipped = clip(text, length)
    assert len(clipped) <= max(length, len(text))
    assert clipped == text or (clipped.endswith("…") and text.startswith(clipped[:-1]))


def test_deep_pages_leave_the_process_alone() -> None:
    """What is nested deep is compiled in many threads at once, and changes nothing that others depend on."""
    limit = sys.getrecursionlimit()
    source = "<! if 1 !>" * 150 + "{= " + "[" * 150 + "x" + "]" * 150 + " | len =}" + "<! end !>" * 150
    results: list[object] = []

    def deep(levels: int) -> str:
        return deep(levels - 1) if levels else Engine().compile(source).render(x=1)

    threads = [
        threading.Thread(target=lambda levels=levels: results.append(deep(levels))) for levels in (0, 700, 700, 0)
    ]
    for thread in threads:
        thread.start()
    assert sys.getrecursionlimit() == limit
    for thread in threads:
        thread.join()
    assert results == ["1"] * 4
    source = "x"
    with pytest.raises(ZeroDivisionError):
        with_whole_stack(lambda: 1 // 0, lambda: Source("page", source))
    with pytest.raises(MarkError, match="nested more than"):
        with_whole_stack(endless, lambda: Source("page", source))


def endless() -> object:
    """Call itself without end."""
    return endless()


def test_blocked_urls_are_reported_short(caplog: pytest.LogCaptureFixture) -> None:
    """A very long URL does not fill the log."""
    engine.compile("<a href={= x =}>").render(x="javascript:" + "x" * 5000)
    assert len(caplog.records[0].getMessage()) < 300


def test_what_is_missing() -> None:
    """What may be missing is false, empty and one of its kind, also in another process."""
    assert not MISSING
    assert (len(MISSING), list(MISSING), repr(MISSING)) == (0, [], "missing")
    assert pickle.loads(pickle.dumps(MISSING)) is MISSING


def test_patterns_are_compiled_late() -> None:
    """A pattern has the methods of a compiled one, and no other attributes."""
    assert FORBIDDEN.sub("", "a\x00") == "a"
    with pytest.raises(AttributeError):
        FORBIDDEN.groups  # noqa: B018


@given(st.text() | st.integers() | st.floats() | st.none())
def test_inert_text_is_not_escaped_again(value: object) -> None:
    """What is said to have nothing in it for an attribute to escape has not, whatever the value."""
    every = Escapers()
    for name in (name for name, row in ESCAPERS.items() if row.inert):
        text = every[name](value)
        assert every["attribute"](text) == text, name


ASCII = ("script-", "json-", "style-", "percent", "url-", "encoded-", "listed-", "import-map")


@given(st.text(min_size=1))
def test_what_no_encoding_changes(value: str) -> None:
    """In scripts, JSON, styles and percent-encoded parts of URLs only ASCII is printed."""
    every = Escapers()
    table = {name: every[name] for name in ESCAPERS if name.startswith(ASCII)}
    assert len(table) > 20
    for name, escape in table.items():
        if name not in {"script-statement", "script-html", "style-rules", "url-attribute", "url-pieces"}:
            assert escape({value: value} if name == "percent-query" else value).isascii(), name


TAKEN = [
    ("float", [1, 1.5, -0.0], [True, "1", None, [1]]), ("int", [1, -5], [True, 1.5, "1", None]), ("bool", [True, False], [1, 0, "x", None]),
    ("str", ["", "a"], [1, None, b"a"]), ("list", [[], (1,)], ["a", {}, None, {1}]), ("dict", [{}, MappingProxyType({})], [[], "a", None]),
    ("date", [D, datetime(2031, 5, 17, tzinfo=UTC)], ["2031-05-17", None, 5]), ("datetime", [datetime(2031, 5, 17, tzinfo=UTC)], [D, "x", None]),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "fits", "others"), TAKEN)
def test_types_that_are_taken(kind: str, fits: list[object], others: list[object]) -> None:
    """A template takes values of its type and no others; a bool is no number."""
    template = engine.compile(f"<! takes x: {kind} !>{{= x | json =}}")
    for value in fits:
        assert template.render(x=value)
    for value in others:
        with pytest.raises(RenderError, match='"x" must be'):
            template.render(x=value)


@pytest.mark.parametrize(("wanted", "value", "hint"), [
    ("dict", [1], ""),
    ("list", {"a": 1}, ""),
    ("list", "a", ""),
    ("list", iter([1]), "Make a list of it in the view: list(…)."),
    ("int", 1.5, ""),
    ("int", "5", "Turn it into a number in the view: int(…)."),
    ("str", None, "If it may be None, say so: x: str | None."),
])  # fmt: skip
def test_hints_for_wrong_types(wanted: str, value: object, hint: str) -> None:
    """What to do about a value of another type than is taken fits both types, or nothing is said."""
    with pytest.raises(RenderError) as found:
        Engine().compile(f"<! takes x: {wanted} !>{{= x | json =}}").render(x=value)
    assert found.value.problem.hint == hint
