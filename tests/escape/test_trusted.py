"""Trusted kinds: each is trusted in its own place only, and no trust is gained by accident."""

from __future__ import annotations

import copy
import json
import pickle

import pytest

import untor
from untor import Engine, MarkError, TrustedCSS, TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL
from untor.escape.trusted import KINDS

engine = Engine()
B = TrustedHTML("<b>&'\"</b>", reason="ours")


class Markup:
    """An object that says what HTML it is."""

    def __html__(self) -> str:
        return "<i>x</i>"

    def __str__(self) -> str:
        return "<x>"


class Instance:
    """An object that has the method on itself only, which does not count."""

    def __init__(self) -> None:
        self.__html__ = lambda: "<i>"

    def __str__(self) -> str:
        return "<x>"


PLACES = {
    "TrustedHTML": "<p>{= x =}</p>",
    "TrustedScript": "<script>a = {= x =}</script>",
    "TrustedScriptURL": '<script src="{= x =}"></script>',
    "TrustedURL": '<a href="{= x =}">',
    "TrustedCSS": "<style>p { color: {= x =} }</style>",
}
TEXT = "javascript:<b>;"


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("place", PLACES)
def test_each_kind_in_its_place_only(kind: str, place: str) -> None:
    """A kind is printed as it is in its place, and in all others exactly like plain text."""
    template = engine.compile(PLACES[place])
    printed = template.render(x=KINDS[kind](TEXT, reason="ours"))
    if kind == place:
        assert TEXT in printed.replace("&lt;", "<").replace("&gt;", ">")
    else:
        assert printed == template.render(x=TEXT)


MORE = [
    ("<p>{= x =}", B, f"<p>{B}"),
    ("<p>{= x =}", Markup(), "<p><i>x</i>"),
    ("<p>{= x =}", Instance(), "<p>&lt;x&gt;"),
    ("<title>{= x =}", Markup(), "<title>&lt;x&gt;"),
    ('<p title="{= x =}">', B, '<p title="&lt;b&gt;&amp;&#39;&#34;&lt;/b&gt;">'),
    ("<textarea>{= x =}", B, "<textarea>\n&lt;b&gt;&amp;'\"&lt;/b&gt;"),
    ("<p>{= x | upper =}", TrustedHTML("<b>", reason="ours"), "<p>&lt;B&gt;"),
    ("<p>{= x + 'y' =}", TrustedHTML("<b>", reason="ours"), "<p>&lt;b&gt;y"),
    ("<p>{= 'y' + x =}", TrustedHTML("<b>", reason="ours"), "<p>y&lt;b&gt;"),
    ("<p>{= x[0:2] =}", TrustedHTML("<b>", reason="ours"), "<p>&lt;b"),
    ("<p>{= x + x =}", TrustedHTML("<b>", reason="ours"), "<p>&lt;b&gt;&lt;b&gt;"),
    ("<p>{= x | clip(2) =}", TrustedHTML("<b>", reason="ours"), "<p>&lt;…"),
    ("<p>{= [x] | join =}", TrustedHTML("<b>", reason="ours"), "<p>&lt;b&gt;"),
    ("<p>{= x | json =}", TrustedHTML("<b>", reason="ours"), '<p>"\\u003cb\\u003e"'),
    ("<p>{= x | trusted('ours') =}", "<b>", "<p><b>"),
    ("<p>{= x | trusted(reason='ours') =}", None, "<p>"),
    ("<p>{= x | trusted('ours') | upper =}", "<b>", "<p>&lt;B&gt;"),
    ("<tr>{= x | trusted('ours') =}</tr>", "<td>", "<tr><td></tr>"),
    ("<script>{= x =}</script>", TrustedScript("a()", reason="ours"), "<script>a()</script>"),
    ("<script>{= x =} b()</script>", TrustedScript("a();", reason="ours"), "<script>a(); b()</script>"),
    ("<script>f({= x =})</script>", TrustedScript("a, b", reason="ours"), "<script>f((a, b))</script>"),
    ("<p onclick='{= x =}'>", TrustedScript("a('<')", reason="ours"), "<p onclick='a(&#39;&lt;&#39;)'>"),
    ("<p onclick={= x =}>", TrustedScript("a()", reason="ours"), '<p onclick="a()">'),
    ("<p onclick={= x =}>", None, "<p>"),
    ("<p onclick={= x =}>", True, '<p onclick="">'),
    ("<style>{= x =}</style>", TrustedCSS("p {} </style>", reason="ours"), "<style>p {} <\\/style></style>"),
    ("<p style={= x =}>", TrustedCSS("a: b", reason="ours"), '<p style="a: b">'),
    ("<style>{= x =}</style>", None, "<style></style>"),
    ("<script>{= x =}</script>", None, "<script></script>"),
    ("<a href={= x =}>", TrustedURL("javascript:a", reason="ours"), '<a href="javascript:a">'),
    ("<a href='{= x =}?'>", TrustedURL("javascript:a", reason="ours"), "<a href='about:invalid'>"),
    ("<img srcset='{= x =} 1x'>", TrustedURL("data:a", reason="ours"), "<img srcset='data:a 1x'>"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "value", "expected"), MORE)
def test_trust_is_not_gained(source: str, value: object, expected: str) -> None:
    """Joined, sliced, formatted, filtered or as JSON, what was trusted is plain again."""
    assert engine.compile(source).render(x=value) == expected


def test_what_a_trusted_value_can_do() -> None:
    """It behaves like text that never changes, and every part of it is plain text."""
    plain = [str(B), f"{B}", format(B, ">20"), B + "", "" + B, B + B, B[0], B[1:], "".join(B), B.value]
    assert {type(value) for value in plain} == {str}
    assert (len(B), bool(B), "<b>" in B, B.reason) == (len(B.value), True, True, "ours")
    assert repr(TrustedURL("a", reason="b")) == "TrustedURL('a', reason='b')"
    assert TrustedURL("a", reason="b") == TrustedURL("a", reason="c") != TrustedCSS("a", reason="b")
    assert len({TrustedURL("a", reason="b"), TrustedURL("a", reason="c"), "a"}) == 2
    assert TrustedURL("a", reason="b") != "a"
    for copied in (copy.copy(B), copy.deepcopy(B), pickle.loads(pickle.dumps(B))):
        assert (type(copied), copied, copied.reason) == (TrustedHTML, B, "ours")
    for bad in (lambda: B + 1, lambda: 1 + B):
        with pytest.raises(TypeError):
            bad()  # type: ignore[no-untyped-call]
    with pytest.raises(TypeError):
        json.dumps(B)
    for name in ("_value", "other"):
        with pytest.raises(AttributeError):
            setattr(B, name, "x")
    with pytest.raises(AttributeError):
        del B._value


@pytest.mark.parametrize("kind", KINDS.values())
def test_trust_needs_a_reason(kind: type[TrustedHTML]) -> None:
    """Text and a reason are required, and the kinds are final."""
    for value, reason in [(1, "a"), ("a", 1), (None, "a"), (kind("a", reason="b"), "a")]:
        with pytest.raises(TypeError):
            kind(value, reason=reason)  # type: ignore[arg-type]
    for reason in ("", " "):
        with pytest.raises(ValueError, match="needs a reason"):
            kind("a", reason=reason)
    with pytest.raises(TypeError, match="needs a reason"):
        kind("a")  # type: ignore[call-arg]
    with pytest.raises(TypeError):
        type("Mine", (kind,), {})


def test_a_subclass_of_text_is_plain() -> None:
    """Trust cannot be brought by a subclass of ``str``, whatever its methods say."""

    class Sly(str):
        __slots__ = ()

        def __str__(self) -> str:
            return "<i>"

        def replace(self, *_: object) -> Sly:
            return self

        def isprintable(self) -> bool:
            return True

    for place in ("<p>{= x =}", '<p title="{= x =}">', "<script>f('{= x =}')</script>"):
        assert "<i" not in engine.compile(place).render(x=Sly("<b>")).replace("<p", "").replace("<script", "")
    with pytest.raises(TypeError):
        type("Other", (TrustedScriptURL.__base__,), {})  # type: ignore[arg-type]


def test_reasons_are_listed() -> None:
    """A placement tells the reason; a reason that is not text in the template is refused."""
    template = engine.compile("<p>{= x | trusted('cleaned in feeds.clean()') =}{= x =}</p>")
    assert [placement.reason for placement in template.placements] == ["cleaned in feeds.clean()", None]
    for source in ("{= x | trusted(y) =}", "{= x | trusted('') =}", "{= x | trusted =}", "<p>{= x | trusted(1) =}"):
        with pytest.raises(MarkError):
            engine.compile(source)
    with pytest.raises(ValueError, match='there is a built-in filter "trusted"'):
        Engine(filters={"trusted": lambda value, _: value})
    assert set(KINDS) < set(untor.__all__)


XML = [
    ("<a>{= x =}</a>", "<&>\x0c\x00\ufffe", "<a>&lt;&amp;&gt;\ufffd\ufffd\ufffd</a>"),
    ("<a>{= x =}</a>", TrustedHTML("<b>&amp;'</b>", reason="fixed"), "<a><b>&amp;'</b></a>"),
    ("<a b=\"{= x =}\" c='{= x =}'/>", "'\"\t\n<", '<a b="&#39;&#34;&#9;&#10;&lt;" c=\'&#39;&#34;&#9;&#10;&lt;\'/>'),
    ("<?xml version='1.0'?><!doctype a><a x={= x =} y={= y? =} z={= z =}>é</a>", "b", '<?xml version=\'1.0\'?><!doctype a><a x="b" z="z">é</a>'),
    ("<rss><link>{= x =}</link><![CDATA[<b>]]></rss>", "a", "<rss><link>a</link><![CDATA[<b>]]></rss>"),
    ("<svg><a href='{= x =}' xlink:href='/{= x =}'/></svg>", "javascript:x", "<svg><a href='about:invalid' xlink:href='/javascript%3Ax'/></svg>"),
    ("<svg><path fill='{= x =}' style='fill: {= x =}'/></svg>", "a;b", "<svg><path fill='untor-blocked()' style='fill: untor-blocked()'/></svg>"),
    ("<svg><g onclick='f({= x =})'/></svg>", "<", "<svg><g onclick='f(&#34;\\u003c&#34;)'/></svg>"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "value", "expected"), XML)
def test_xml(source: str, value: object, expected: str) -> None:
    """XML has quotes around every value, a value for every attribute, and the places of SVG."""
    assert engine.compile(source, "chart.svg").render(x=value, z=True) == expected


@pytest.mark.parametrize(("source", "code"), [
    ("<a b=c/>", "xml-unquoted"), ("<!doctype a []><a>{= x =}</a>", "xml-subset"), ("{= x =}<a/>", "place-refused"),
    ("<a/>{= x =}", "place-refused"), ("<a><b></a>{= x =}", "place-refused"), ("<svg><script>{= x =}</script></svg>", "place-refused"),
    ("<a><![CDATA[{= x =}]]></a>", "place-refused"), ("<?a {= x =}?><a/>", "place-refused"), ("<a><!-- {= x =} --></a>", None),
    ("<a><x:style>{= x =}</x:style></a>", "place-refused"), ("<a><?b > ?>{= x =}</a>", None),
])  # fmt: skip
def test_xml_refusals(source: str, code: str | None) -> None:
    """What XML does not allow, or what cannot be escaped in it, is refused."""
    if code is None:
        engine.compile(source, "feed.xml")
        return
    with pytest.raises(untor.PlacementError) as found:
        engine.compile(source, "feed.xml")
    assert found.value.code == code
