"""Objects that misbehave: numbers that print themselves, methods that are no data, markup that is no XML."""

from __future__ import annotations

import json
from contextlib import suppress
from datetime import timedelta
from decimal import Decimal
from enum import Enum
from functools import partial
from types import SimpleNamespace
from typing import Any
from xml.etree import ElementTree as ET

import pytest
from hypothesis import given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser
from support import structure

from untor import Engine, MissingValue, PlacementError, RenderError, TrustedHTML, UntorError
from untor.escape import NotPrintable
from untor.escape.script_values import number

engine = Engine()
CODE = "(f())"


class Digits(Decimal):
    """A Decimal that prints as code."""

    def __str__(self) -> str:
        return CODE

    __repr__ = __str__

    def __format__(self, *_: Any) -> str:
        return CODE


class Whole(int):
    """An int that prints as code, and says that it is another."""

    def __str__(self) -> str:
        return CODE

    __repr__ = __str__

    def __int__(self) -> int:
        return 8

    __index__ = __int__


class Real(float):
    """A float that prints as code, and never differs from anything."""

    def __str__(self) -> str:
        return CODE

    __repr__ = __str__

    def __float__(self) -> float:
        return 8.0

    def __sub__(self, other: object) -> Any:
        return 0

    def __eq__(self, other: object) -> bool:
        return True

    __hash__ = float.__hash__


class Text(str):
    """Text whose own methods say something else."""

    __slots__ = ()

    def __str__(self) -> str:
        return '"+f()+"'

    def replace(self, *_: object) -> str:
        return CODE

    def isprintable(self) -> bool:
        return True

    isascii = isalnum = isprintable


class Span(timedelta):
    """A time span that computes code."""

    def total_seconds(self) -> Any:
        return Digits("5")


class Kind(Enum):
    """An enumeration of such numbers."""

    ONE = Digits("5")


NUMBERS: list[tuple[object, str, str]] = [
    (Digits("5"), "5", "5"), (Digits("sNaN"), "(0/0)", "null"), (Decimal("sNaN"), "(0/0)", "null"), (Decimal("-sNaN12"), "(0/0)", "null"),
    (Decimal("NaN7"), "(0/0)", "null"), (Digits("-Infinity"), "(-1/0)", "null"), (Decimal("1E+5"), "1E+5", "1E+5"), (Whole(5), "5", "5"),
    (Real(2.5), "2.5", "2.5"), (Real("inf"), "(1/0)", "null"), (Real("nan"), "(0/0)", "null"), (Span(1), "5.0", "5.0"), (Kind.ONE, "5", "5"),
    ({Whole(5): Real(2.5)}, '({"5":2.5})', '{"5":2.5}'), (Text("a<"), '"a\\u003c"', '"a\\u003c"'), ([Digits("-5")], "([-5])", "[-5]"),
]  # fmt: skip


@pytest.mark.parametrize(("value", "script", "json"), NUMBERS, ids=lambda value: type(value).__name__)
def test_numbers_are_digits(value: object, script: str, json: str) -> None:
    """What a subclass of a number prints itself never reaches a script or JSON: its digits do."""
    assert engine.compile("<script>f({= x =})</script>").render(x=value) == f"<script>f({script})</script>"
    page = engine.compile("<script type='application/json'>{= x =}</script>").render(x=value)
    assert page == f"<script type='application/json'>{json}</script>"


PLACES_OF_NUMBERS = [
    "<style>p { width: {= x =}; margin: {= x =}px; color: rgb({= x =}) }</style>", "<style>.a{= x =} p:nth-child({= x =}) {}</style>",
    '<img srcset="/a {= x =}x">', '<a href="//h.example:{= x =}/">x</a>', "<p x-data='{= x =}'>", '<a href="/{= x =}?{= x =}">x</a>',
    "<script>f(`{= x =}`, /{= x =}/)</script>", '<p title="{= x =}" style="width: {= x =}">{= x =}</p>',
]  # fmt: skip


@pytest.mark.parametrize("source", PLACES_OF_NUMBERS)
@pytest.mark.parametrize(
    "value",
    [value for value, _, _ in NUMBERS if not isinstance(value, list | dict)],
    ids=lambda value: type(value).__name__,
)
def test_numbers_elsewhere(source: str, value: object) -> None:
    """In styles, descriptors, ports and all other places the page keeps its structure for such numbers."""
    template = engine.compile(source)
    page = template.render(x=value)
    assert structure(page) == structure(template.render(x=7))
    assert CODE not in page or "title" in source or "script" in source


class Thing:
    """A thing of a view, with code of every kind in it."""

    name = "x"
    kind = dict
    part = staticmethod(partial(print, "x"))
    items: Any = ()

    def __init__(self) -> None:
        self.stored = lambda: "ran"

    def wipe(self) -> str:
        raise AssertionError("it was called")

    @classmethod
    def made(cls) -> str:
        raise AssertionError("it was called")

    @staticmethod
    def loose() -> str:
        raise AssertionError("it was called")


CODE_OF_THING = ["wipe", "made", "loose", "stored", "part", "kind", "name.upper"]
USES = [
    "<! let f = x.{0} !>{{= f() =}}", "<! let f = x.{0} ?? 1 !>{{= f() =}}", "<! let f = x.{0}? !>{{= f() =}}", "{{= x.{0}() =}}", "{{= x.{0} =}}",
    "<! if x.{0} !>yes<! end !>", "<! if not x.{0} !>no<! else !>yes<! end !>", "<! if x.{0} and 1 !>yes<! end !>", "<! if 0 or x.{0} !>yes<! end !>",
    "{{= 1 if x.{0} else 2 =}}", "{{= x.{0} | own =}}", "{{= 1 | own(x.{0}) =}}", "{{= h(x.{0}) =}}", "{{= h(a=x.{0}) =}}", "{{= x.{0} | upper =}}",
    "<! part p(f) !>{{= f() =}}<! end !><! include p f=x.{0} !>", "<! let d = {{'a': x.{0}}} !>{{= d.a() =}}", "<! let l = [x.{0}] !>{{= l[0]() =}}",
    "<! for f in [x.{0}] !>{{= f() =}}<! end !>", "{{= (x.{0} if 1 else 2) | own =}}", "<! if x.{0}? !>yes<! end !>", "{{= x.{0} | json =}}",
    "<! for a in ys if x.{0} !>{{= a =}}<! end !>", "<script>f({{= x.{0} =}})</script>", "<p hidden={{= x.{0} and 1 =}}>",
]  # fmt: skip


@pytest.mark.parametrize("name", CODE_OF_THING)
@pytest.mark.parametrize("use", USES)
@pytest.mark.parametrize("calls", ["functions", "methods"])
def test_code_is_no_data(use: str, name: str, calls: Any) -> None:
    """What a dot finds of an object that is code is not called, named, passed on or tested; never silently."""
    if calls == "methods" and use == "{{= x.{0}() =}}":
        return  # that is what the option is for
    own = Engine(filters={"own": lambda value, *_: str(value)}, helpers={"h": lambda *_, **__: "h"}, calls=calls)
    with suppress(RenderError):  # what has been looked into before makes no difference
        own.compile(f"<! for a in [1, 2] !>{{= x.{name}.gone? =}}{{= x.{name}.gone.b? =}}<! end !>").render(x=Thing())
    template = own.compile(use.format(name))
    with pytest.raises(RenderError) as found:
        template.render(x=Thing(), ys=[1])
    assert found.value.code in {"function-as-value", "not-callable", "not-printable", "filter-failed"}
    assert found.value.line == 1


def test_functions_of_mappings() -> None:
    """A function in a mapping of the context is the view's own: it can be named, passed on and called."""
    source = "<! let f = x.f !>{= f() =}{= x.f() =}<! part p(g) !>{= g() =}<! end !><! include p g=x.f !><! if x.a? !>y<! end !>"
    assert engine.compile(source).render(x={"f": lambda: 1}) == "111"
    with pytest.raises(RenderError, match="as a condition"):
        engine.compile("<! if f !>y<! end !>").render(f=len)


XML_PLACES = [
    "<t>{= x =}</t>", '<t a="{= x =}"/>', "<t a={= x =} b={= x =}/>", "<a href={= x =}/>", '<a href="{= x =}"/>', '<a href="/{= x =}?{= x =}"/>',
    '<a href="{= x =}{= x =}"/>', '<image href="{= x =}"/>', '<use href="{= x =}"/>', '<g style="fill: {= x =}" fill="{= x =}"/>', "<g style={= x =}/>",
    '<g onclick="f({= x =})"/>', '<g onclick="f(\'{= x =}\')"/>', '<g srcset="{= x =} 1x"/>', "<title>{= x =}</title>", "<g hidden={= x =} aria-busy={= x =}/>",
    '<a xlink:href="{= x =}" xmlns:xlink="http://www.w3.org/1999/xlink"/>', "<t>{= x | lines =}</t>", "<t>{= x | paragraphs =}</t>", "<t>{= [x] | table(caption='c') =}</t>",
    "<t>{= x | json =}</t>", '<h:iframe xmlns:h="http://www.w3.org/1999/xhtml" src="{= x =}"/>', '<meta http-equiv="refresh" content="0;url={= x =}"/>',
]  # fmt: skip
XML_TEXT = st.text(st.sampled_from("a<&>\"' \t\n\r\x0c\x00\x0b\x7f\x85\ud800\ufffe\uffffé🌊]-/:;"), max_size=6)


@given(
    st.sampled_from(XML_PLACES),
    XML_TEXT | st.sampled_from([True, False, None, 5, {"a": "\x0c<"}, "javascript:x", "]]>"]),
)
def test_xml_is_well_formed(source: str, value: object) -> None:
    """Whatever the value, a file of XML is well-formed, with the same elements."""
    template = engine.compile(f'<svg xmlns="http://www.w3.org/2000/svg">{source}</svg>', "chart.svg")
    try:
        page = template.render(x=value)
    except RenderError as error:
        assert error.code in {"not-printable", "filter-failed"}
        return
    tags = [element.tag for element in ET.fromstring(page.encode()).iter()]
    plain = {"a": "b"} if "table" in source else None if "style={=" in source else "a"
    harmless = [element.tag for element in ET.fromstring(template.render(x=plain)).iter()]
    assert "lines" in source or "paragraphs" in source or "table" in source or tags == harmless


HTML_IN_XML = [
    ("a<br>b", "a<br/>b"), ('<img src="/a" alt>', "<img src=\"/a\" alt=''/>"), ("a&nbsp;b", "a&#160;b"), ("a\x0c\ufffeb", "a\ufffd\ufffdb"),
    ("a&amp;<br>b", "a&#38;<br/>b"),
    ("<b>", None), ("</t><t>", None), ("a & b", None), ("<p a=b></p>", None), ("<!doctype a>", None), ("&nosuch;", None), ("<b/>", "<b/>"),
]  # fmt: skip


@pytest.mark.parametrize(("html", "expected"), HTML_IN_XML)
def test_trusted_html_in_xml(html: str, expected: str | None) -> None:
    """Trusted HTML is written as XML, or is an error where it is not well-formed."""
    template = engine.compile("<t>{= x =}</t>", "feed.xml")
    value = TrustedHTML(html, reason="ours")
    if expected is None:
        with pytest.raises(RenderError) as found:
            template.render(x=value)
        assert found.value.message == "HTML that is not well-formed, in XML, cannot be printed."
        assert found.value.hint == "Close every element, and quote attributes."
    else:
        assert template.render(x=value) == f"<t>{expected}</t>"


NAMESPACES = [
    ('<s:svg xmlns:s="http://www.w3.org/2000/svg"><s:animate attributeName="href" to="{= x =}"/></s:svg>', "place-refused"),
    ('<h:object xmlns:h="http://www.w3.org/1999/xhtml" data="{= x =}"/>', "resource-url"),
    ('<h:object data="{= x =}" xmlns:h="http://www.w3.org/1999/xhtml"/>', "resource-url"),
    ('<r xmlns:h="http://www.w3.org/1999/xhtml"><h:script>{= x =}</h:script></r>', "place-refused"),
    ('<r xmlns:h="http://www.w3.org/1999/xhtml"><h:script type="{= x =}"/></r>', "place-refused"),
    ('<r xmlns:h="http://www.w3.org/1999/xhtml"><h:p onclick="{= x =}"/></r>', "script-value"),
    ('<r xmlns:h="http://www.w3.org/1999/xhtml"><h:meta http-equiv="refresh" content="0;url={= x =}"/></r>', "url"),
    ('<r xmlns:h="http://www.w3.org/1999/xhtml" xmlns="urn:x"><p onclick="{= x =}"/></r>', "attribute"),
    ('<feed xmlns="http://www.w3.org/2005/Atom"><script>{= x =}</script></feed>', "text"),
    ('<feed xmlns="http://www.w3.org/2005/Atom"><link rel="self" href="{= x =}"/></feed>', "url"),
    ("<rss><channel><link>{= x =}</link></channel></rss>", "text"),
    ('<a xmlns:q="http://www.w3.org/1999/xlink" q:href="{= x =}"/>', "url"),
    ('<use xmlns:q="http://www.w3.org/1999/xlink" q:href="{= x =}"/>', "resource-url"),
    ('<use xmlns:q="urn:x" q:href="{= x =}"/>', "attribute"),
    ('<use q:href="{= x =}"/>', "resource-url"),
    ('<g <! if y !>xmlns:h="http://www.w3.org/1999/xhtml"<! end !>><h:iframe src="{= x =}"/></g>', "resource-url"),
    ('<r xmlns:h="urn:x"><g xmlns:h="http://www.w3.org/1999/xhtml"></g><h:script>{= x =}</h:script></r>', "text"),
    ('<h:iframe src="{= x =}" <! if y !>id="a"<! end !>/>', "resource-url"),
    ('<svg xmlns="{= x =}"/>', "place-refused"),
    ('<svg xmlns:h="{= x =}"/>', "place-refused"),
    ('<g xml:lang="{= x =}"/>', "attribute"),
    ('<g xml:base="{= x =}"/>', "resource-url"),
    ('<svg xmlns="http://www.w3.org/2000/svg"><animateTransform attributeName="onclick" to="{= x =}"/></svg>', "place-refused"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "expected"), NAMESPACES)
def test_namespaces(source: str, expected: str) -> None:
    """In XML a name has the meaning of its namespace, under any prefix; without a known one, the strictest."""
    try:
        found = engine.compile(source, "chart.svg").placements[0].context
    except PlacementError as error:
        found = error.code
    assert found == expected


FOREIGN = ["<svg><text>{}</text></svg>", "<math><mrow>{}</mrow></math>", "<svg><g>{}</g></svg>"]


@pytest.mark.parametrize("source", FOREIGN)
@pytest.mark.parametrize("name", ["lines", "paragraphs", "table", "cleaned", "picture"])
def test_elements_that_would_end_a_drawing(source: str, name: str) -> None:
    """Filters that make elements are refused where HTML elements would end the drawing, also by another name."""
    with pytest.raises(PlacementError, match=name):
        engine.compile(source.format(f"{{= x | {name} =}}"))
    if name in {"lines", "paragraphs"}:
        with pytest.raises(RenderError, match="cannot be printed"):
            engine.compile(f"<! let y = x | {name} !>" + source.format("{= y =}")).render(x="a\nb")
    page = engine.compile("<svg><foreignObject>{= x | lines =}</foreignObject></svg>").render(x="a\nb")
    assert page == "<svg><foreignObject>a<br>\nb</foreignObject></svg>"


@given(st.text(st.sampled_from("a<>-!\"'&[]endif= \n"), max_size=8))
def test_conditional_comments(value: str) -> None:
    """In a conditional comment a value ends neither the comment, nor what the clients it is for read in it."""
    content = '<td title="{= x =}"><a href="/{= x =}">{= x =}</a></td>'
    page = engine.compile(f"<p>a</p><!--[if mso]>{content}<![endif]--><p>{{= x =}}</p>").render(x=value)
    assert structure(page) == structure("<p>a</p><p>b</p>")
    inside = page.partition("<!--[if mso]>")[2].partition("<![endif]-->")[0]
    node = LexborHTMLParser(f"<table><tr>{inside}").css_first("td")
    assert node is not None
    assert (node.attributes["title"] or "").replace("\r", "") == value
    assert node.text() == value


def test_missing_is_still_missing() -> None:
    """What is not there is said to be, also where it is handed on."""
    with pytest.raises(MissingValue, match="nmae"):
        engine.compile("<! let f = x.nmae !>{= f =}").render(x=SimpleNamespace(name=1))
    with pytest.raises(UntorError):
        engine.compile("{= x.b.c | len =}").render(x={})


NO_MATCH = "sha256-AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA="
SVG_LINK = '<a xmlns="http://www.w3.org/2000/svg" href={= x =} style={= x =} b={= x =}/>'
NONCE, HASHES, LAYER, FRAMES, NTH = (
    "<script nonce={= x =}></script>", "<p integrity={= x =}>", "<style>@layer {= x =} {}</style>", "<style>@keyframes {= x =} {}</style>",
    "<style>:nth-child({= x =}) {}</style>",
)  # fmt: skip
WHOLE = [
    (SVG_LINK, True, '<a xmlns="http://www.w3.org/2000/svg" href="" style="" b="b"/>', ""), (SVG_LINK, None, '<a xmlns="http://www.w3.org/2000/svg"/>', ""),
    (NONCE, None, "<script></script>", ""), (NONCE, True, '<script nonce=""></script>', ""), (NONCE, "aB+/_-==", '<script nonce="aB+/_-=="></script>', ""),
    (NONCE, "a b", '<script nonce=""></script>', "blocked a nonce: it is not base64"), ('<p nonce="{= x =}">', "a'", '<p nonce="">', "blocked a nonce: it is not base64"),
    (HASHES, None, f'<p integrity="{NO_MATCH}">', "blocked the integrity '': it is not a list of hashes"),
    (HASHES, False, f'<p integrity="{NO_MATCH}">', "blocked the integrity 'False': it is not a list of hashes"),
    (HASHES, True, f'<p integrity="{NO_MATCH}">', "blocked the integrity 'True': it is not a list of hashes"),
    (HASHES, "sha256-a b", f'<p integrity="{NO_MATCH}">', "blocked the integrity 'sha256-a b': it is not a list of hashes"),
    (HASHES, "sha256-a\xa0sha384-b", f'<p integrity="{NO_MATCH}">', "blocked the integrity 'sha256-a\\xa0sha384-b': it is not a list of hashes"),
    (HASHES, "sha1-a", f'<p integrity="{NO_MATCH}">', "blocked the integrity 'sha1-a': it is not a list of hashes"),
    (HASHES, "sha512-a?&", f'<p integrity="{NO_MATCH}">', "blocked the integrity 'sha512-a?&': it is not a list of hashes"),
    (HASHES, " sha384-ab= sha512-c?d ", '<p integrity=" sha384-ab= sha512-c?d ">', ""),
    (LAYER, "None", "<style>@layer untor-blocked {}</style>", "blocked the style value 'None': it is not one number, colour, name or safe function"),
    (LAYER, "a b", "<style>@layer a\\20 b {}</style>", ""), (FRAMES, "Initial", '<style>@keyframes "initial" {}</style>', ""), (FRAMES, "a", "<style>@keyframes a {}</style>", ""),
    (NTH, "2N + 1", "<style>:nth-child(2N + 1) {}</style>", ""), (NTH, " odd ", "<style>:nth-child(odd) {}</style>", ""), (NTH, -3, "<style>:nth-child(-3) {}</style>", ""),
    (NTH, "n of .a", "<style>:nth-child(0) {}</style>", "blocked the style value 'n of .a': it is not an+b"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "value", "expected", "message"), WHOLE)
def test_what_stands_for_a_value(
    source: str, value: object, expected: str, message: str, caplog: pytest.LogCaptureFixture
) -> None:
    """Where only some values are let in, the page has exactly this in the place of others, and the log says so."""
    assert engine.compile(source, "chart.svg" if "xmlns" in source else "page.html").render(x=value) == expected
    assert [text.partition(": ")[2] for text in caplog.messages] == ([message] if message else [])


def test_digits_are_held_against_the_grammar() -> None:
    """Whatever says that it is the digits of a number: it is them, or an error."""
    assert number("-0.5e+3") == "-0.5e+3"
    for text in ("f()", "01", "1.", "0x1", "1 ", ""):
        with pytest.raises(NotPrintable):
            number(text)


def test_speculation_rules() -> None:
    """In speculation rules that are a value, addresses are those of code; the rest stays."""
    rules = {
        "prefetch": [{"urls": ["https://h.example/", "/a", Text("//h.example")], "eagerness": "moderate", "n": Digits("1")}],
        "prerender": [{"where": {"and": [{"href_matches": "https://h.example/*"}, {"not": {"selector_matches": ".a"}}]}}],
        "none": [None, True, 0.5, {Kind.ONE}],
    }  # fmt: skip
    source = "<script type=speculationrules>{= x =}</script>"
    own = Engine(resource_origins=["https://h.example"])
    page = own.compile(source).render(x=rules)
    assert json.loads(page.partition(">")[2].partition("<")[0]) == {
        "prefetch": [{"urls": ["https://h.example/", "about:invalid", "about:invalid"], "eagerness": "moderate", "n": 1}],
        "prerender": [{"where": {"and": [{"href_matches": "https://h.example/*"}, {"not": {"selector_matches": ".a"}}]}}],
        "none": [None, True, 0.5, [5]],
    }  # fmt: skip
    assert "h.example" not in engine.compile(source).render(x=rules)


@pytest.mark.parametrize(
    "around", ["<script>{}</script>", "<script>function g() {{ {} }}</script>", '<p onclick="{}">']
)
@pytest.mark.parametrize("before", [
    "", "'a'; ", "<! if x !>f(); <! end !> ", "<! if x !>f(); <! else !>'a'; <! end !> ", "<! if x !>'a'; <! else !>f(); <! end !> ",
    "<! for y in z !>f(); <! end !> ", "<! for y in z !>'a'; <! end !> ", "<! if x !><! for y in z !>f(); <! end !><! end !> ",
])  # fmt: skip
def test_directives_through_branches(around: str, before: str) -> None:
    """A string that is a directive on one way through the template takes no value, whatever comes first on another."""
    with pytest.raises(PlacementError, match="a string that is a statement"):
        Engine().compile(around.format(f"{before}'{{= v =}}'; f()"))
    Engine().compile(around.format(f"f(); {before}'{{= v =}}'; f()"))
    # A string that is part of an expression is no directive, nor is one that follows it.
    Engine().compile(around.format("g = 'a'; '{= v =}'; f()"))
