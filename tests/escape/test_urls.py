"""URLs as a conforming URL parser reads them: scheme, host and path segments are what the template says."""

from __future__ import annotations

import re
from decimal import Decimal

import ada_url
import pytest
from hypothesis import event, example, given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from untor import Engine, MarkError, PlacementError, TrustedScriptURL, TrustedURL
from untor.escape import reports
from untor.escape.origins import origin_of
from untor.escape.url import log_blocked

BASE = "https://harbour.example/board/today"
CDN = "https://cdn.ellery.example"
engine = Engine(resource_origins=[CDN, "http://localhost:8000/"])
PIECES = st.sampled_from([
    *"""https: http: HTTPS: // / \\ ? # : @ . .. %2e %2E. a b.example h.example:8 javascript: java script: mailto: tel: data: vbscript:
    data:image/png, data:image/svg+xml, file: é [::1] 1 % & ; = , + * |""".split(), "\t", "\n", " ", "\x00", "",
])  # fmt: skip
VALUES = st.lists(PIECES, max_size=4).map("".join)
SOURCES = st.lists(
    PIECES | st.sampled_from(["{= x =}", "{= y =}", "{= x | path =}", "/{= x =}"]), min_size=1, max_size=6
).map("".join)
ALLOWED = {"http:", "https:", "mailto:", "tel:", "sms:", "about:"}


def parsed(url: str) -> ada_url.URL | None:
    try:
        return ada_url.URL(url, base=BASE)
    except ValueError:
        return None


def urls_of(source: str, element: str, attribute: str, *values: tuple[str, str]) -> list[str] | None:
    """Return the URLs that a template gives for some values; ``None`` when it is refused."""
    escaped = source.replace("&", "&amp;").replace('"', "&quot;")
    try:
        template = engine.compile(f'<body><{element} {attribute}="{escaped}">')
    except (MarkError, PlacementError) as error:
        event(error.code)
        return None
    if not template.placements:
        return None
    event(" ".join(sorted({placement.context for placement in template.placements})))
    urls = []
    for x, y in values:
        node = LexborHTMLParser(template.render(x=x, y=y)).css_first(element)
        assert node is not None
        urls.append(node.attributes[attribute] or "")
    return urls


@given(SOURCES, VALUES, VALUES)
def test_schemes(source: str, x: str, y: str) -> None:
    """No value gives a link or a picture a scheme that is not permitted."""
    for element, attribute in (("a", "href"), ("img", "src")):
        for url in urls_of(source, element, attribute, (x, y)) or ():
            found = parsed(url)
            assert found is None or found.protocol in ALLOWED or found.href.lower().startswith("data:image/png,"), url


MARK = re.compile(r"\{=.*?=\}")


@given(SOURCES, VALUES, VALUES)
def test_hosts_and_segments(source: str, x: str, y: str) -> None:
    """Where the template gives scheme and host, they stay; and values add no path segments, query or fragment."""
    if source.startswith("{=") or "| path" in source:
        return
    found = urls_of(source, "a", "href", ("m", "m"), (x, y))
    if found is None or "about:invalid" in found:
        return
    harmless, hostile = map(parsed, found)
    if harmless is None or hostile is None or harmless.host == "m" or "m" in harmless.host:
        return  # the host is a value itself
    assert (harmless.protocol, harmless.host) == (hostile.protocol, hostile.host), found
    if x and y:
        assert harmless.pathname.count("/") == hostile.pathname.count("/"), found
        assert bool(harmless.search) == bool(hostile.search), found


@given(SOURCES, VALUES, VALUES)
@example("//a{= x =}", "", "")
@example("//{= x =}a.b/{= y =}", "", "c")
def test_origins_of_code(source: str, x: str, y: str) -> None:
    """Code is loaded from the template's own origin or a listed one, whatever the values are."""
    found = urls_of(source, "script", "src", ("m", "m"), (x, y))
    if found is None:
        return
    hostile = parsed(found[1])
    # An empty value leaves the template's own text, on both sides of it.
    own = {url and url.origin for url in (parsed(source.split("{=", 1)[0] + "m"), parsed(MARK.sub("", source)))}
    allowed = own | {CDN, "http://localhost:8000", "null", parsed(BASE).origin}  # type: ignore[union-attr]
    assert hostile is None or hostile.origin in allowed, found


@given(st.text(min_size=1))
def test_components_read_back(value: str) -> None:
    """A path segment, a query value and a fragment decode to exactly the value."""
    from urllib.parse import parse_qsl, unquote  # noqa: PLC0415

    printed = value.encode("utf-8", "replace" if value.isascii() else "surrogatepass").decode("utf-8", "replace")
    if any(0xD800 <= ord(char) < 0xE000 for char in value) or value in {".", ".."}:
        return
    (url,) = urls_of("/v/{= x =}?q={= x =}#{= x =}", "a", "href", (value, "")) or ("",)
    path, _, rest = url.partition("?")
    query, _, fragment = rest.partition("#")
    assert unquote(path) == f"/v/{printed}"
    assert parse_qsl(query) == [("q", printed)]
    assert unquote(fragment) == printed


LISTS = [
    ('<img srcset="{= x =} 1x, /i/{= x =}.png 2x">', "srcset", ["a b", "a,b", ",a,", "javascript:x", "//h", "..", "a 1x, b"]),
    ('<a ping="{= x =} /p/{= x =}">', "ping", ["a b", "\n", "javascript:x", "..", "é"]),
    ('<meta http-equiv=refresh content="5; url={= x =}">', "content", ["javascript:x", "'javascript:x", '"a', "a;b"]),
]  # fmt: skip


@pytest.mark.parametrize(("source", "attribute", "values"), LISTS)
def test_lists(source: str, attribute: str, values: list[str]) -> None:
    """A value never adds a URL or a descriptor, or ends its own."""
    template = engine.compile(source)
    harmless = LexborHTMLParser(template.render(x="m")).css("img, a, meta")[0].attributes[attribute] or ""
    for value in values:
        page = LexborHTMLParser(template.render(x=value)).css("img, a, meta")[0].attributes[attribute] or ""
        assert len(page.split()) == len(harmless.split()), page
        assert page.count(", ") == harmless.count(", "), page
        assert "=javascript:" not in page
        assert " javascript:" not in f" {page}"


RESOURCES = [
    ("https://cdn.ellery.example/a.js", "https://cdn.ellery.example/a.js"),
    ("HTTPS://CDN.ellery.example:443/a.js", "HTTPS://CDN.ellery.example:443/a.js"),
    ("http://localhost:8000/a.js", "http://localhost:8000/a.js"),
    ("https://cdn.ellery.example.evil.example/a.js", None),
    ("https://cdn.ellery.example@evil.example/", None),
    ("https://cdn.ellery.example\\@evil.example/", None),
    ("https:/cdn.ellery.example/", None),
    ("/a.js", None),
    ("//cdn.ellery.example/a.js", None),
    ("javascript:x", None),
    (TrustedScriptURL("/a.js", reason="ours"), "/a.js"),
    (TrustedURL("/a.js", reason="ours"), None),
    ("", ""),
]


@pytest.mark.parametrize(("value", "expected"), RESOURCES)
def test_resources(value: object, expected: str | None) -> None:
    """A URL of code is listed, or vouched for as such, or ``about:invalid``."""
    expected = "about:invalid" if expected is None else expected
    assert engine.compile('<script src="{= x =}">').render(x=value) == f'<script src="{expected}">'
    assert engine.compile("<script src={= x =}>").render(x=value) == f'<script src="{expected}">'
    imports = engine.compile('<script type=importmap>{"imports": {= x =}}</script>').render(x={"a": value})
    assert imports == f'<script type=importmap>{{"imports": {{"a":"{expected}"}}}}</script>'


def test_resources_in_pieces() -> None:
    """Joined from pieces, a URL of code is judged as the whole."""
    template = engine.compile('<script src="{= x =}/{= y =}.js"></script>')
    assert template.render(x=CDN, y="a/b") == f'<script src="{CDN}/a%2Fb.js"></script>'
    assert template.render(x="https://cdn.elle", y="ry.example") == '<script src="about:invalid"></script>'
    assert template.render(x="", y="a") == '<script src="/a.js"></script>'
    assert template.render(x="", y="") == '<script src="/.js"></script>'
    assert engine.compile('<script src="https://{= x =}/a.js">').render(x="cdn.ellery.example").endswith('/a.js">')
    assert (
        engine.compile('<script src="https://{= x =}/a.js">').render(x="evil.example") == '<script src="about:invalid">'
    )


HOSTS: list[tuple[str, str | None]] = [
    ("a.example", "a.example"),
    ("a-b.example", "a-b.example"),
    ("münchen.example", "xn--mnchen-3ya.example"),
]
HOSTS += [(value, None) for value in ["", "a/b", "a@b", "a:b", "a b", "a%2f", "é" * 80, ".", "a..b/", "a_b", "[::1]"]]


@pytest.mark.parametrize(("value", "expected"), HOSTS)
def test_hosts(value: str, expected: str | None) -> None:
    """A host is a host."""
    page = engine.compile('<a href="https://{= x =}/b">').render(x=value)
    assert page == (f'<a href="https://{expected}/b">' if expected else '<a href="about:invalid">')


def test_paths() -> None:
    """With ``path``, several segments go through, but neither dot segments nor another host."""
    template = engine.compile('<a href="/f/{= x | path =}">')
    for value, expected in [
        ("a/b c", "/f/a/b%20c"), ("a/../b", None), ("..", None), ("/a", "/f//a"), ("a//b", "/f/a//b"),
    ]:  # fmt: skip
        assert template.render(x=value) == f'<a href="{expected or "about:invalid"}">'
    assert engine.compile('<a href="/{= x | path =}">').render(x="/h.example") == '<a href="about:invalid">'
    style = engine.compile("<style>p { background: url(/{= x =}) }</style>")
    assert style.render(x="") == "<style>p { background: url(/untor-blocked) }</style>"


@pytest.mark.parametrize("url", ["", "cdn.example", "https://a.example/path", "ftp://a.example", "https://a b"])
def test_origins_are_origins(url: str) -> None:
    """What is listed as an origin must be one."""
    with pytest.raises(ValueError, match="resource_origins takes origins"):
        Engine(resource_origins=[url])
    assert origin_of("https://A.example:8443/x") == "https://a.example:8443"


def test_addresses_of_an_import_map() -> None:
    """Every address is judged, however deep; what is no address stays."""
    template = engine.compile("<script type=importmap>{= x =}</script>")
    found = template.render(
        x={
            "imports": {"a": f"{CDN}/a.js", "b": "/b.js"},
            "scopes": [None, True, 1.5, (f"{CDN}/c.js",)],
            "d": Decimal(2),
        }
    )
    assert found == (
        f'<script type=importmap>{{"imports":{{"a":"{CDN}/a.js","b":"about:invalid"}},'
        f'"scopes":[null,true,1.5,["{CDN}/c.js"]],"d":2}}</script>'
    )


def test_whole_attributes_that_are_absent() -> None:
    """A URL that is ``None`` or ``False`` leaves its attribute out; ``True`` is its name alone."""
    for source in ("<a href={= x =}>", "<script src={= x =}>"):
        template = engine.compile(source)
        name = source.split("=")[0].split()[1]
        assert [template.render(x=value) for value in (None, False, True)] == [
            source.split()[0] + rest for rest in (">", ">", f" {name}>")
        ]
    assert engine.compile("<a href={= x =}>").render(x="https://a/?b&c") == '<a href="https://a/?b&amp;c">'
    own = Engine(url_schemes=["https"])
    assert own.compile('<a href="{= x =}">').render(x="http://a") == '<a href="about:invalid">'


@pytest.mark.parametrize(("value", "expected"), [
    ("a/b c", "a/b%20c"), ("..", "untor-blocked"), ("a/../b", "untor-blocked"), ("/a", "untor-blocked"),
    ("", "untor-blocked"),
])  # fmt: skip
def test_several_segments_inside_a_style(value: str, expected: str) -> None:
    """With ``path`` several segments go through in CSS as well, but none that leads away."""
    page = engine.compile("<style>p { a: url(/{= x | path =}) url(/b/{= x | path =}) }</style>").render(x=value)
    assert page == f"<style>p {{ a: url(/{expected}) url(/b/{expected if value else ''}) }}</style>"


def test_code_inside_a_document_in_an_attribute() -> None:
    """The same origins hold inside ``srcdoc``, where each URL is judged by itself."""
    template = engine.compile("<iframe srcdoc=\"<script src='{= x =}'></script>\">")
    assert "src='about:invalid'" in template.render(x="//h.example/a.js")
    assert f"src='{CDN}/a.js'" in template.render(x=f"{CDN}/a.js")


def test_blocked_outside_of_pages(caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch) -> None:
    """What an escaping function blocks that no page has called is logged too, without a place."""
    monkeypatch.setattr(reports, "_log_here", reports._log)
    log_blocked("the URL", "it is one")
    assert caplog.messages == ["blocked the URL: it is one"]
