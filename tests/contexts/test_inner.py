"""The languages inside HTML one by one: read in pieces, joined where branches meet, started in any state."""

from __future__ import annotations

import pkgutil
import re
import sys
import time
from importlib import import_module
from typing import TYPE_CHECKING

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from untor import Engine, contexts, escape
from untor.analysis import url_walker
from untor.contexts.css_states import Style
from untor.contexts.embedded_language import EmbeddedLanguage, run
from untor.contexts.html_data_block import DataBlock
from untor.contexts.html_srcdoc import Document
from untor.contexts.html_state import HtmlState
from untor.contexts.json_states import Json
from untor.contexts.placement import Place, Refusal, Unreadable
from untor.contexts.script_states import Script
from untor.contexts.url_lists import LocalUrl, Refresh, UrlList
from untor.escape.accelerated import IS_BUILT

if TYPE_CHECKING:
    from collections.abc import Callable

STARTS: dict[str, EmbeddedLanguage] = {
    "script": Script(), "module": Script(module=True), "style": Style(), "declarations": Style(declarations=True), "json": Json(),
    "import map": Json(addresses="importmap"), "data": DataBlock(), "url": LocalUrl("url"), "resource": LocalUrl("resource-url"),
    "srcset": UrlList("image-url", descriptors=True), "ping": UrlList("url", descriptors=False), "refresh": Refresh(),
    "document": Document(HtmlState().nested()),
}  # fmt: skip
PIECES = st.sampled_from(
    """a b1 $ url( ( ) [ ] { } ; : , . .. ... ?. ? ?? = == => + ++ - -- * ** / // /* */ < <!-- --> ! & | ' " ` ${ \\ \\u \\x4 \\u{ \\0 \\a 0 1.5 5e-1
    return if( function class async import await of in let case get default => #x @media @import !important #a .b 50% https: https:// / ? # % %2 1x
    true {"a": [1, 5;url= </p <p <script> </style""".split()
) | st.sampled_from([" ", "\n", "\r\n", "\t", "\u2028", "é", "\x85"])  # fmt: skip
TEXTS = st.lists(PIECES, max_size=10).map("".join)


@given(st.sampled_from(sorted(STARTS)), TEXTS, st.integers(0, 40), st.booleans())
@example(start="declarations", text="[a", cut=2, after_value=False)
@example(start="module", text="...", cut=2, after_value=False)
@example(start="script", text="\\u{*/a", cut=3, after_value=False)
def test_text_can_come_in_pieces(start: str, text: str, cut: int, after_value: bool) -> None:  # noqa: FBT001
    """From any state, reading text in two pieces comes to the same place for values as reading it at once."""
    language = STARTS[start]
    if after_value and isinstance(language.place if isinstance(language, Document) else language.place(), Place):
        language = language.took_value()
    if text[:cut].endswith("\r"):
        cut += 1  # line breaks were normalized before
    try:
        whole = language.read(text)
    except Unreadable:
        with pytest.raises(Unreadable):
            language.read(text[:cut]).read(text[cut:])
        return
    pieces = language.read(text[:cut]).read(text[cut:])
    if isinstance(whole, Document):
        assert pieces == whole
    else:
        assert pieces.place() == whole.place()
        assert pieces.gap("a") == whole.gap("a")


@given(st.sampled_from(sorted(STARTS)), TEXTS, TEXTS)
def test_joins_are_fair(start: str, first: str, second: str) -> None:
    """What branches join to does not depend on their order, and equal states join to themselves."""
    try:
        one, other = STARTS[start].read(first), STARTS[start].read(second)
    except Unreadable:
        return
    assert one.joined(one) == one
    assert hash(one) == hash(STARTS[start].read(first))
    joined, turned = one.joined(other), other.joined(one)
    assert (joined is None) == (turned is None)
    if joined is not None and turned is not None and not isinstance(joined, Document):
        assert joined.place() == turned.place()


DIFFERENT = [
    ("script", "a", "b", "place-refused"), ("script", "f(", "g[", None), ("script", "'", "a", None), ("script", "a=", "b=", "script-value"),
    ("style", "p{a:b", "p{a:c", "style-value"), ("style", "p{a:-", "p{a:#", None), ("style", "p{a:!", "p{a:b", None), ("style", "p{", "p(", None),
    ("url", "/a", "?b", "url-path"), ("url", "a", "/", "place-refused"), ("url", "/a", "/a%2", "place-refused"), ("srcset", "a 1x", "b 2x", None),
    ("srcset", "/a", "/b", "srcset"), ("srcset", "", "a 1x,", "srcset"), ("srcset", "/a", "/b 1x", None), ("json", "[", "{", None), ("json", "[", "[", "json-value"),
    ("ping", "/a", "/b ", None), ("document", "<p>", "<p", None), ("document", "<p>", "<p><b>", ""),
]  # fmt: skip


@pytest.mark.parametrize(("start", "first", "second", "place"), DIFFERENT)
def test_joins(start: str, first: str, second: str, place: str | None) -> None:
    """Branches inside a language meet where what follows is read in one way."""
    joined = STARTS[start].read(first).joined(STARTS[start].read(second))
    if place is None or joined is None:
        assert joined is None
        assert place is None
    elif place:
        found = joined.place()
        assert (found.context if isinstance(found, Place) else found.code) == place


@pytest.mark.parametrize("start", STARTS)
def test_other_languages_never_join(start: str) -> None:
    """Two languages have nothing in common, also not two kinds of URL."""
    for name, language in STARTS.items():
        if name != start:
            assert STARTS[start].joined(language) is None
    assert LocalUrl("url").joined(LocalUrl("image-url")) is None


PUNCTUATORS = """{ ( ) [ ] . ... ; , < > <= >= == != === !== + - * / % ** ++ -- << >> >>> & | ^ ! ~ && || ?? ?. ? : = += -= *=
    %= **= <<= >>= >>>= &= |= ^= &&= ||= ??= => /= } <!-- -->""".split()
"""ECMAScript §12.8, and the comments of §B.1.1."""


@pytest.mark.parametrize("start", ["script", "module"])
@pytest.mark.parametrize("before", ["", "a", "f(", "[1,", "a ? b", "x =", "{"])
def test_punctuators_can_come_in_pieces(start: str, before: str) -> None:
    """Wherever a punctuator is cut, what follows it is read as after the whole."""
    for punctuator in PUNCTUATORS:
        for cut in range(len(punctuator)):
            for after in ("", " ", "a", "\n"):
                text, at = before + punctuator + after, len(before) + cut
                try:
                    whole: object = STARTS[start].read(text).place()
                except Unreadable as found:
                    whole = found.code
                try:
                    pieces: object = STARTS[start].read(text[:at]).read(text[at:]).place()
                except Unreadable as found:
                    pieces = found.code
                assert pieces == whole, (text, at)


def test_a_state_that_does_not_advance_is_a_bug() -> None:
    """A hang becomes an error with a name."""
    with pytest.raises(AssertionError, match="does not advance"):
        run({"code": lambda _, __, position: position}, Script(), "a")


UNITS = {
    "markup": '<tr class="a {= x =}"><td>{= x =}</td><td><a href="/v/{= x =}">{= x =}</a></td></tr>\n',
    "script": '<script>f({= x =}, "{= x =}", `a${ {= x =} }`, /b{= x =}/); if (a) { c = {d: [{= x =}]} }</script>\n',
    "style": "<style>.a-{= x =} { color: {= x =}; background: url('/{= x =}.png') }</style><p style='width: {= x =}px'>\n",
    "one script": "f({= x =}, 'it\\'s', {a: /b/});\n",
    "one style": ".a { color: {= x =}; content: 'it\\'s' }\n",
    "srcdoc": "<iframe srcdoc=\"<p title='{= x =}'>{= x =}</p>\"></iframe>\n",
    "steps": "<! if x !>{= x =}<! else !><b>a</b><! end !><! for y in x !><i>{= y =}</i><! end !>\n",
}
AROUND = {"markup": "<table>{}</table>", "one script": "<script>{}</script>", "one style": "<style>{}</style>"}


MOST_CALLS = dict(zip(UNITS, (1150, 2850, 1550, 940, 450, 680, 1350), strict=True))
"""How many functions are called to compile one unit more to a program."""


@pytest.mark.parametrize("unit", UNITS)
def test_work_is_linear(unit: str) -> None:
    """Twice the template is twice the work, counted in calls of functions, and these are not more than they were."""
    engine = Engine()

    def calls(times: int) -> int:
        source = AROUND.get(unit, "<body>{}").replace("{}", UNITS[unit] * times)
        count = 0

        def counted(_: object, event: str, __: object) -> None:
            nonlocal count
            count += event in {"call", "c_call"}

        engine.compile(source)
        sys.setprofile(counted)
        engine.compile(source)
        sys.setprofile(None)
        return count

    few, many = calls(30), calls(60)
    assert many < 2.2 * few
    assert not IS_BUILT or many - few < 30 * MOST_CALLS[unit]


DEEP: dict[str, Callable[[int], str]] = {
    "formatting": lambda n: "<b>" * n,
    "formatting in paragraphs": lambda n: "<b><p>" * n,
    "formatting in items": lambda n: "<ul><li><i>" * n,
    "tables": lambda n: "<table><tr><td>" * n,
    "elements of SVG": lambda n: "<svg><foreignObject>" + "".join(f"<x{index}>" for index in range(n)),
    "attributes": lambda n: "<p " + " ".join(f"a{index}={{= x =}}" for index in range(n)) + ">",
    "comments": lambda n: "<!-- a -->" * n,
    "comments without an end": lambda n: f"<script>{'<!-- ' * n}</script>",
    "blocks of scripts": lambda n: f"<script>{'{' * n}{'}' * n}</script>",
    "arrays of scripts": lambda n: f"<script>f({'[' * n}{']' * n});</script>",
    "template literals": lambda n: f"<script>{'`${' * n}1{'}`' * n}</script>",
    "JSON": lambda n: f"<script type='application/json'>{'[' * n}{']' * n}</script>",
    "rules": lambda n: f"<style>{'a{' * n}{'}' * n}</style>",
}


@pytest.mark.parametrize("name", DEEP)
def test_nesting_is_linear(name: str) -> None:
    """Four times as deep, or as many, is about four times the time; if each looked at all others, it would be sixteen."""

    def seconds(size: int) -> float:
        source, engine = DEEP[name](size), Engine()
        spent = []
        for _ in range(3):
            begun = time.process_time()
            engine.compile(source)
            spent.append(time.process_time() - begun)
        return min(spent)

    assert seconds(6000) < 9 * seconds(1500) + 0.05


def test_rare_states() -> None:
    """States that a template rarely comes to."""
    assert Script().read("a \x01 b").state == "lost"
    script = Script().read("f(").took_value().read(" =")
    assert isinstance(script.place(), Refusal)
    assert script.joined(Script().read("f(").took_value().read(" +")) is None
    style = Style().read("a{b:").took_value()
    assert style.read("c").read("d").glued
    with pytest.raises(Unreadable):
        style.read("c").read("d(")
    assert isinstance(Style().read("a{b:@c").place(), Refusal)
    assert Style().read("a{b:url( c ").read(" ").state == "after url"
    assert Style().read("a{b:\\0 (\\d800 (\\110000 (").state == "normal"
    one, other = UrlList("url", descriptors=False), UrlList("url", descriptors=False).read("/a ")
    assert isinstance(one.joined(other), UrlList)
    assert LocalUrl("url").read("https:/").read("a").url.state == "special without slashes"
    assert Json().read('"a').read('b" ').state == "after"
    assert Json().read("tr").read("ue").state == "after"


MODULES = [
    import_module(found.name)
    for package in (contexts, escape)
    for found in pkgutil.iter_modules(package.__path__, f"{package.__name__}.")
]
PATTERNS = {
    f"{module.__name__}.{name}{key}": re.compile(value.pattern, getattr(value, "flags", 0))
    for module in [*MODULES, url_walker]
    for name, held in vars(module).items()
    for key, value in (held.items() if isinstance(held, dict) else [("", held)])
    if hasattr(value, "fullmatch") and isinstance(getattr(value, "pattern", None), str)
}


@pytest.mark.parametrize("name", PATTERNS)
def test_patterns_are_of_ascii(name: str) -> None:
    """The standards' white space, digits and letters are those of ASCII: no pattern takes others for them."""
    found = PATTERNS[name]
    assert not re.search(r"\\[swdb](?!\\S)", found.pattern.replace(r"\[if\b", ""))
    scoped = re.search(r"\(\?(?!a)[a-z]*i", found.pattern)
    assert scoped is None
    assert not found.flags & re.IGNORECASE or found.flags & re.ASCII


@pytest.mark.parametrize("first", [' class="a"', " class=a", " class"])
def test_repeated_attributes_are_known(first: str) -> None:
    """A machine knows the attribute that a tag has again, as fixed text and as a value."""
    machine = HtmlState()
    machine.read(f"<p id=b{first} CLASS=")
    assert machine.repeated == ""
    value = machine.copy()
    value.took_value()
    machine.read("'x'>")
    assert machine.repeated == value.repeated == "class"


def test_what_is_no_json_joins_to_what_is_true_of_both() -> None:
    """Branches that are not JSON for different reasons go on as one, with a reason that holds for both."""
    one, other = Json().read("{a"), Json().read("{'a")
    assert one == other
    for joined in (one.joined(other), other.joined(one)):
        assert isinstance(joined, Json)
        assert (one.lost_at, other.lost_at, joined.lost_at) == ("name", "'", "other")
