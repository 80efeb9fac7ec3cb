"""Pages as answers: nonces and hashes, headers, conditional requests, and the two kinds of application."""

from __future__ import annotations

import asyncio
import base64
import hashlib
import pickle
import re
import sys
from contextlib import suppress
from http.client import HTTPException
from io import BytesIO
from typing import TYPE_CHECKING, Any
from wsgiref.validate import validator

import pytest
from contexts.test_places import ACCEPTED, NASTY
from hypothesis import given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser, LexborNode
from serving import ask, asked, served

from untor import Engine, MarkError, MissingValue, Page, PlacementError, Policy, RenderError, TrustedHTML

if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Iterator
    from pathlib import Path

    from selenium.webdriver import Chrome

RUNS = "(text/javascript|application/javascript|module|importmap|speculationrules)?"
strict = Engine(policy=Policy())


def asgi(page: Page, method: str = "GET", etag: str = "") -> tuple[int, dict[str, str], bytes]:
    """Ask a page as an ASGI server does."""
    status, pairs, body = asked(page, method=method, **({"if_none_match": etag} if etag else {}))
    return status, dict(pairs), body


def wsgi(page: Page, method: str = "GET", asked: str = "") -> tuple[int, dict[str, str], bytes]:
    """Ask a page as a WSGI server does, with the standard library's validator between them."""
    environ = {"REQUEST_METHOD": method, "SCRIPT_NAME": "", "PATH_INFO": "/", "QUERY_STRING": "", "SERVER_NAME": "h"}
    environ |= {"SERVER_PORT": "80", "SERVER_PROTOCOL": "HTTP/1.1", "wsgi.version": (1, 0), "wsgi.url_scheme": "http"}  # type: ignore[dict-item]
    environ |= {"wsgi.input": BytesIO(), "wsgi.errors": BytesIO(), "wsgi.multithread": False}  # type: ignore[dict-item]
    environ |= {"wsgi.multiprocess": False, "wsgi.run_once": False}  # type: ignore[dict-item]
    environ |= {"HTTP_IF_NONE_MATCH": asked} if asked else {}
    started: list[Any] = []

    def start(status: str, headers: list[tuple[str, str]], _info: object = None) -> Any:
        started.extend([int(status[:3]), {name.lower(): value for name, value in headers}])
        return lambda _octets: None

    # The validator minds that nobody reads the errors of this environment, and HEAD with a content type is fine.
    environ["wsgi.errors"] = type("Errors", (), dict.fromkeys(["write", "flush", "writelines"], print))()
    answer = validator(page)(environ, start)
    try:
        body = b"".join(answer)
    finally:
        answer.close()  # type: ignore[attr-defined]
    return started[0], started[1], body


def answering(page: Page) -> Any:
    """Return an application whose only page this is."""

    async def app(scope: Any, receive: Any, send: Any) -> None:
        await page(scope, receive, send)

    return app


# --- nonces ------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("case", ACCEPTED, ids=lambda case: case.title)
def test_nonces_in_all_places(case: Any) -> None:
    """With a nonce, a page is the same but for nonces on the scripts and styles that a parser finds in it."""
    template = strict.compile(case.parts["template"])
    plain = template.render(x="a")
    page = template.page({"x": "a"})
    text = page.body.decode()
    assert text.replace(f' nonce="{page.nonce}"', "") == plain
    for element in LexborHTMLParser(text).css("script, style"):
        kind = (element.attributes.get("type") or "").strip().lower()
        runs = element.attributes.get("src") or re.fullmatch(RUNS if element.tag == "script" else "(text/css)?", kind)
        if runs and "nonce" not in plain:
            assert element.attributes.get("nonce") == page.nonce, text


SCRIPTED = st.sampled_from(
    "<script> </script> <style> </style> <script$src=a.js <link$rel=stylesheet <link$rel=stylesheet/> <svg> </svg> /> <svg><style/ "
    "<script$type=module> <!-- --> <title> </title> <textarea> </textarea> <template> </template> nonce=own type=text/css".split(),
).map(lambda text: text.replace("$", " "))
MARKUP = st.lists(
    SCRIPTED | NASTY | st.sampled_from(["{= x =}", '"{= x =}"', ' a="{= x =}"', ">", " "]), max_size=14
).map("".join)


def read(page: str) -> tuple[list[tuple[str | None, list[str]]], list[str | None]]:
    """Return the elements with the names of their attributes but for nonces, and which elements have one of ours."""
    nodes = LexborHTMLParser(page).css("*")
    names = [(node.tag, [name for name in node.attributes if name != "nonce"]) for node in nodes]
    return names, [node.tag for node in nodes if (node.attributes.get("nonce") or "own") != "own"]


@given(MARKUP)
def test_nonces_in_any_markup(source: str) -> None:
    """Whatever the markup: nonces change nothing else, and stand only on scripts, styles and links, as a parser reads it."""
    try:
        template = strict.compile(source)
        plain = template.render(x="a")
    except (MarkError, PlacementError, RenderError):
        return
    page = template.page({"x": "a"})
    text = page.body.decode()
    assert text.replace(f' nonce="{page.nonce}"', "") == plain
    assert page.nonce not in text.replace(f' nonce="{page.nonce}"', "")
    (before, _), (after, own) = read(plain), read(text)
    assert before == after
    assert set(own) <= {"script", "style", "link"}
    try:
        hashed = template.page({"x": "a"}, policy=Policy(hashes=True)).headers["Content-Security-Policy"]
    except PlacementError:
        return
    for element in LexborHTMLParser(plain).css("script:not([src]), style"):
        kind = (element.attributes.get("type") or "").strip().lower()
        foreign = any(parent in {"svg", "math"} for parent in parents(element))
        if not foreign and re.fullmatch(RUNS if element.tag == "script" else "(text/css)?", kind):
            inner = base64.b64encode(hashlib.sha256(element.text(deep=True).encode()).digest()).decode()
            assert f"'sha256-{inner}'" in hashed, source


def parents(node: LexborNode) -> Iterator[str | None]:
    """Yield the names of the elements around one."""
    while (above := node.parent) is not None:
        yield above.tag
        node = above


NONCES = [
    ("<script>a()</script>", "<script{}>a()</script>"),
    ("<SCRIPT SRC=a.js ></SCRIPT>", "<SCRIPT SRC=a.js {}></SCRIPT>"),
    ('<script type="application/json">{= x =}</script>', '<script type="application/json">1</script>'),
    ('<script type="importmap">{}</script>', '<script type="importmap"{}>{{}}</script>'),
    ('<script nonce="own">a()</script>', '<script nonce="own">a()</script>'),
    ("<style>p{}</style>", "<style{}>p{{}}</style>"),
    ('<link rel="stylesheet" href="/a.css">', '<link rel="stylesheet" href="/a.css"{}>'),
    ('<link rel="icon" href="/a.png">', '<link rel="icon" href="/a.png">'),
    ("<svg><style/><script>1</script></svg>", "<svg><style{}/><script{}>1</script></svg>"),
    ("<title><script></title><!-- <script> -->", "<title><script></title><!-- <script> -->"),
    ("<p title='<script>'><textarea><style></textarea>", "<p title='<script>'><textarea><style></textarea>"),
    ("<script><! if x !>a();<! end !></script>", "<script{}>a();</script>"),
    ("<! part s(y) !><script>f({= y =})</script><! end !><! include s y=x !>", "<script{}>f(1)</script>"),
    ("<! for y in [1, 2] !><script>f({= y =})</script><! end !>", "<script{}>f(1)</script><script{}>f(2)</script>"),
]


@pytest.mark.parametrize(("source", "expected"), NONCES)
@pytest.mark.parametrize("way", ["body", "chunks", "awaited", "async chunks"])
def test_nonce(source: str, expected: str, way: str) -> None:
    """The nonce stands on scripts, styles and loading links of the template's text, in every way to render."""
    template = strict.compile(source)
    if way == "awaited":
        page = asyncio.run(template.page_async({"x": 1}))
    else:
        page = template.page({"x": 1}, stream="chunks" in way)

    async def collected() -> bytes:
        return b"".join([chunk async for chunk in page])

    octets = {"chunks": lambda: b"".join(page), "async chunks": lambda: asyncio.run(collected())}
    text = octets.get(way, lambda: page.body)().decode()
    given = f' nonce="{page.nonce}"'
    assert text == expected.replace("{{", "\1").replace("}}", "\2").replace("{}", given).replace("\1", "{").replace(
        "\2", "}"
    )
    assert len(page.nonce) == 24
    assert f"'nonce-{page.nonce}'" in page.headers["Content-Security-Policy"]


def test_no_value_has_a_nonce() -> None:
    """A script that comes from a value gets no nonce, and no data can set one."""
    html = TrustedHTML("<script>taken()</script>", reason="to see")
    page = strict.compile("<p>{= x =}</p><script>a()</script>").page({"x": html, "<the page's nonce>": ' onload="1'})
    assert page.body.decode() == f'<p><script>taken()</script></p><script nonce="{page.nonce}">a()</script>'
    assert page.nonce != strict.compile("").page().nonce


def test_one_nonce_one_answer() -> None:
    """A page with a nonce is sent once, is never shared, and another policy or none can be asked for."""
    template = strict.compile("<script>a()</script>")
    page = template.page()
    asgi(page)
    with pytest.raises(RuntimeError, match="for one answer only"):
        asgi(page)
    for cache in (
        "public, max-age=60", "s-maxage=5", "max-age=600", "private, s-maxage=5", 'private="set-cookie"',
        "no-cache=x", "immutable", "public=1, private", "no-store\xa0", "\xa0private", "no-store\x85, max-age=5",
        'max-age="a\\", no-store, b"', "max-age=5 private", "private; no-store", "private =5", "",
    ):  # fmt: skip
        for options in ({"cache": cache}, {"headers": {"cache-control": cache}}):
            if options == {"cache": ""}:
                continue  # the default
            with pytest.raises(ValueError, match="for one visitor"):
                template.page(**options)
    for name in (
        "CDN-Cache-Control", "Surrogate-Control", "Ellery-CDN-Cache-Control", "Edge-Control", "X-Accel-Expires",
    ):  # fmt: skip
        with pytest.raises(ValueError, match=name):
            template.page(headers={name: "max-age=60"})
    for cache in (
        "private", "no-store", "No-Cache", "max-age=5, private", "private, no-cache", " ,private\t,",
        'max-age="5\\"", no-store',
    ):  # fmt: skip
        page = template.page(cache=cache)
        assert ("ETag" in page.headers) == ("private" in cache), "what may be kept by others is never found unchanged"
    shared = template.page(cache="public, max-age=60", policy=Policy(hashes=True))
    assert asgi(shared)[2] == asgi(shared)[2] == b"<script>a()</script>"
    assert "Content-Security-Policy" not in template.page(policy=False).headers
    assert template.page(policy=Policy(report_only=True)).headers["Content-Security-Policy-Report-Only"]


# --- hashes ------------------------------------------------------------------------------------------------------

HASHED = """<!doctype html><title>no</title><script>document.title = "a"</script>\r
<style>p { color: rgb(1, 2, 3) }\r\n</style><p>x</p>
<script type="application/json">{= x =}</script><script>\r\nwindow.b = "\0<\\/script>"\n</script>
<script type=module>window.c = 1</script><script><!--
window.d = 1
//--></script>"""


def test_hashes_in_chromium(browser: Chrome) -> None:
    """A browser runs the scripts and styles of the template by their hashes, and no other."""
    injected = TrustedHTML("<script>window.taken = 1</script>", reason="to see")
    page = Engine().compile(HASHED + "{= y =}").page({"x": 1, "y": injected}, policy=Policy(hashes=True))
    with served(answering(page)) as url:
        browser.get(url)
        read = browser.execute_script("return [document.title, window.b, window.c, window.d, window.taken, "
                                      "getComputedStyle(document.querySelector('p')).color]")  # fmt: skip
    assert read == ["a", "\ufffd</script>", 1, 1, None, "rgb(1, 2, 3)"]


def test_trusted_types_in_chromium(browser: Chrome) -> None:
    """With Trusted Types, a page's own script cannot make code of text."""
    source = (
        "<!doctype html><p id=p></p><script>try { p.innerHTML = '<b>' } catch (e) { window.refused = e.name }</script>"
    )
    page = Engine().compile(source).page(policy=Policy(hashes=True, trusted_types=()))
    with served(answering(page)) as url:
        browser.get(url)
        assert browser.execute_script("return window.refused") == "TypeError"


def test_kept_page_in_chromium(browser: Chrome) -> None:
    """A browser that has the page already is answered 304, and the page's own nonce still holds in it."""
    template = strict.compile("<!doctype html><title>no</title><script>document.title = 'ran'</script>")
    statuses = []

    async def app(scope: Any, receive: Any, send: Any) -> None:
        async def note(message: Any) -> None:
            statuses.extend([message["status"]] if "status" in message else [])
            await send(message)

        await template.page()(scope, receive, note)

    async def only_page(scope: Any, receive: Any, send: Any) -> None:
        page = template.page() if scope["path"] == "/" else template.page(status=404)
        await (app(scope, receive, send) if scope["path"] == "/" else page(scope, receive, send))

    with served(only_page) as url:
        for _ in range(3):
            browser.get(f"{url}/")
            assert browser.title == "ran"
            browser.get("about:blank")
    assert statuses == [200, 304, 304]


WITHOUT_HASH = [
    "<script>let x = {= x =}</script>",
    "<script><! if x !>a();<! end !></script>",
    "<style>p { color: {= x =} }</style>",
    "<svg><script>a()</script></svg>",
    "<! use 's' !>a()<! end !><! part s() !><script><! slot !></script><! end !>".replace("'s'", "s"),
    "<script>a()",
]


@pytest.mark.parametrize("source", WITHOUT_HASH)
def test_no_hash(source: str) -> None:
    """A script whose text is not always the same has no hash, which is said before anything is sent."""
    with pytest.raises(PlacementError) as found:
        Engine().compile(source).page({"x": 1}, policy=Policy(hashes=True))
    assert found.value.code == "policy-hash"
    assert found.value.hint.endswith("or use nonces: Policy() without hashes.")


# --- policies and headers ----------------------------------------------------------------------------------------

POLICIES = [
    ({}, "default-src 'self'; script-src 'strict-dynamic' 'nonce-N'; style-src 'self' 'nonce-N'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'self'"),
    ({"hashes": True, "trusted_types": ()}, "default-src 'self'; script-src 'self' 'nonce-N'; style-src 'self' 'nonce-N'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'self'; require-trusted-types-for 'script'; trusted-types 'none'"),
    ({"directives": {"img-src": "'self' data:", "frame-ancestors": None, "style-src": "'none'", "default-src": "'none'"}}, "default-src 'none'; script-src 'strict-dynamic' 'nonce-N'; style-src 'nonce-N'; object-src 'none'; base-uri 'none'; form-action 'self'; img-src 'self' data:"),
    ({"trusted_types": True, "directives": dict.fromkeys(["default-src", "object-src", "base-uri", "form-action", "frame-ancestors", "style-src"])}, "script-src 'strict-dynamic' 'nonce-N'; require-trusted-types-for 'script'"),
    ({"trusted_types": ["map", "chart"], "directives": dict.fromkeys(["default-src", "object-src", "base-uri", "form-action", "frame-ancestors", "style-src"])}, "script-src 'strict-dynamic' 'nonce-N'; require-trusted-types-for 'script'; trusted-types map chart"),
]  # fmt: skip


@pytest.mark.parametrize(("options", "value"), POLICIES)
def test_policy(options: dict[str, Any], value: str) -> None:
    """A policy says what it was told and nothing else, also after a journey to another process."""
    policy = Policy(**options)
    assert policy.value("N") == value
    assert pickle.loads(pickle.dumps(policy)).value("N") == value


def test_policy_with_hashes() -> None:
    """Hashes are added to the directive of their kind; without them, and without a nonce, nothing is."""
    policy = Policy(hashes=True)
    rest = "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'self'"
    assert policy.value() == f"default-src 'self'; script-src 'self'; style-src 'self'; {rest}"
    value = policy.value(hashes={"script": ["'sha256-a'", "'sha256-b'"], "style": ["'sha256-c'"]})
    assert value == f"default-src 'self'; script-src 'self' 'sha256-a' 'sha256-b'; style-src 'self' 'sha256-c'; {rest}"
    assert (policy.header, Policy(report_only=True).header) == (
        "Content-Security-Policy",
        "Content-Security-Policy-Report-Only",
    )
    assert repr(policy) == f"<Policy {policy.value()}>"
    with pytest.raises(ValueError, match=r"^trusted_types takes a collection, like \{'map'\}, not one text$"):
        Policy(trusted_types="map")


@pytest.mark.parametrize("options", [
    {"directives": {"img-src": "a; script-src *"}}, {"directives": {"img-src": "a, b"}}, {"directives": {"img src": "a"}},
    {"directives": {"img-src": "a\r\nSet-Cookie: b"}}, {"directives": {"img-src": "é"}}, {"directives": {"img-src": 3}},
    {"trusted_types": "map"}, {"trusted_types": ["a;b"]},
])  # fmt: skip
def test_policy_that_cannot_be(options: dict[str, Any]) -> None:
    """Nothing can add a directive or a header by what is in another."""
    with pytest.raises(ValueError, match=r"cannot be|takes a collection"):
        Policy(**options)


@pytest.mark.parametrize("options", [
    {"headers": {"X-A": "a\r\nSet-Cookie: b"}}, {"headers": {"X A": "a"}}, {"headers": {"X-A": "☃"}}, {"cache": "no\n"}, {"cache": 3}, {"cache": ["no"]},
    {"status": 101}, {"status": 600},
])  # fmt: skip
def test_header_that_cannot_be(options: dict[str, Any]) -> None:
    """A header that would be two, and a status that is none, are refused."""
    with pytest.raises(ValueError, match=r"cannot be|must be"):
        Engine().compile("x").page(**options)


@pytest.mark.parametrize(("name", "type_"), [
    ("a.html", "text/html"), ("a.txt", "text/plain"), ("a.xml", "application/xml"), ("a.svg", "image/svg+xml"),
])  # fmt: skip
def test_headers(name: str, type_: str) -> None:
    """A page says what it is and that nobody should guess; headers of its own take the place of ours."""
    page = Engine().compile("<p/>", name).page(headers={"cache-control": "no-store", "X-Port": "Ellery"})
    assert page.headers["Content-Type"] == f"{type_}; charset=utf-8"
    assert (page.headers["X-Content-Type-Options"], page.headers["Cache-Control"]) == ("nosniff", "no-store")
    assert page.headers["X-Port"] == "Ellery"
    own = Engine().compile("<p/>", name).page(headers={"etag": '"1"'})
    assert [value for header, value in own.headers.items() if header.lower() == "etag"] == ['"1"']
    assert asgi(own, "GET", '"1"')[0] == 304


# --- requests ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("call", [asgi, wsgi])
def test_answers(call: Any) -> None:
    """A page answers GET and HEAD, and with 304 who has it already, whatever the nonce; HEAD and 304 have no body."""
    template = strict.compile("<p>{= x =}</p><script>a()</script>")
    status, headers, body = call(template.page({"x": "ö"}))
    assert (status, int(headers["content-length"])) == (200, len(body))
    assert body.startswith("<p>ö</p><script nonce=".encode())
    tag = headers["etag"]
    assert call(template.page({"x": "ö"}), "HEAD")[::2] == (200, b"")
    for etag in (tag, f'"other", W/{tag}', "*"):
        again, kept, nothing = call(template.page({"x": "ö"}), "GET", etag)
        assert (again, nothing, kept["etag"]) == (304, b"", tag)
        assert "content-security-policy" not in kept
    assert call(template.page({"x": "o"}), "GET", tag)[0] == 200
    assert call(template.page({"x": "ö"}), "POST", tag)[0] == 200
    assert call(template.page({"x": "ö"}, status=404), "GET", tag)[0] == 404
    assert call(template.page({"x": "ö"}, status=204))[::2] == (204, b"")
    assert call(template.page({"x": "ö"}, status=599))[0] == 599


@pytest.mark.parametrize("call", [asgi, wsgi])
def test_streams(call: Any) -> None:
    """A streamed page begins before it is rendered whole, in constant memory, and has no length and no ETag."""
    rows: list[int] = []

    def counted() -> Iterator[int]:
        for number in range(5000):
            rows.append(number)
            yield number

    template = Engine().compile("<ul><! for x in xs !><li>{= x =}<! end !></ul>")
    page = template.page({"xs": counted()}, stream=True)
    first = next(iter(page))
    assert first.startswith(b"<ul>")
    assert len(rows) < 500
    status, headers, body = call(template.page({"xs": counted()}, stream=True))
    assert (status, "etag" in headers, "content-length" in headers) == (200, False, False)
    assert body.count(b"<li>") == 5000


@pytest.mark.parametrize("call", [asgi, wsgi])
@pytest.mark.parametrize("stream", [False, True])
def test_error_before_anything_is_sent(call: Any, stream: bool) -> None:  # noqa: FBT001
    """An error at the start of a page is raised before the answer begins, so that a server can answer 500."""
    with pytest.raises(MissingValue):
        call(Engine().compile("<p>{= y =}</p>").page({}, stream=stream))
    with pytest.raises(RenderError):
        call(strict.compile("<p>{= y =}</p>").page(["y"], stream=stream))  # type: ignore[arg-type]


def test_error_in_the_middle() -> None:
    """An error later on breaks the connection off, so that nobody takes a part for the whole."""

    async def rows() -> AsyncIterator[int]:
        for number in range(3000):
            await asyncio.sleep(0)
            yield 1 // (2999 - number)

    template = Engine().compile("<! for x in xs !><li>{= x =} and some more text<! end !>")

    async def app(scope: Any, receive: Any, send: Any) -> None:
        await template.page({"xs": rows()}, stream=True)(scope, receive, send)

    with served(app) as url, pytest.raises((OSError, HTTPException)):
        ask(url)


def test_awaits() -> None:
    """page_async awaits values, and so does a stream over ASGI; page says what to do."""

    async def later() -> str:
        await asyncio.sleep(0)
        return "late"

    template = Engine().compile("<p>{= x =}</p>")
    assert asgi(template.page({"x": later()}, stream=True))[2] == b"<p>late</p>"
    page = asyncio.run(template.page_async({"x": later()}))
    assert (page.body, repr(page)) == (b"<p>late</p>", "<Page inline.html 200>")
    waiting = later()
    with pytest.raises(RenderError, match="Await it in the view"):
        wsgi(template.page({"x": waiting}))
    waiting.close()


def test_streams_are_sent_without_asyncio() -> None:
    """Under another event loop a page is sent in chunks all the same: it awaits nothing but sending."""
    sent: list[Any] = []

    async def receive() -> dict[str, Any]:
        return {"type": "http.request"}

    async def send(message: Any) -> None:
        sent.append(message)

    page = Engine().compile("<! for n in numbers !>{= n =}<! end !>").page(numbers=range(20_000), stream=True)
    with pytest.raises(StopIteration):
        page({"type": "http", "method": "GET", "headers": []}, receive, send).send(None)
    assert len(sent) > 3
    assert b"".join(each.get("body", b"") for each in sent).decode() == "".join(map(str, range(20_000)))


def test_not_http() -> None:
    """A page does not answer a web socket."""
    with pytest.raises(RuntimeError, match="not of websocket"):
        asyncio.run(Engine().compile("x").page()({"type": "websocket"}, None, None))


def test_a_page_is_rendered_inside_the_call() -> None:
    """What a view closes after the call has been read; a stream reads later, and errors are the view's."""
    closed = False

    def rows() -> Iterator[int]:
        assert not closed
        yield from range(3)

    template = Engine().compile("<! for x in rows() !>{= x =}<! end !>")
    page, streamed = template.page(rows=rows), template.page(rows=rows, stream=True)
    closed = True
    assert (page.body, page.answer()[2]) == (b"012", b"012")
    with pytest.raises(RenderError):
        list(streamed)
    with pytest.raises(MissingValue):
        template.page()


def test_values_by_name() -> None:
    """Values come by name, in a mapping, or both; those by name count, as in render."""
    template = Engine(policy=Policy()).compile("{= a =}{= b? =}")
    cases: list[tuple[Any, Any, bytes]] = [
        ((), {"a": 1}, b"1"), (({"a": 1},), {}, b"1"), (({"a": 1, "b": 2},), {"a": 3}, b"32"), ((None,), {"a": 1}, b"1"),
    ]  # fmt: skip
    for arguments, named, body in cases:
        assert template.page(*arguments, **named).body == template.render(*arguments, **named).encode() == body
        assert asyncio.run(template.page_async(*arguments, **named)).body == body


COOKIES = {"Set-Cookie": ["a=1", "b=2"], "Vary": "Accept-Language", "Content-Language": "en", "Link": ("</a>", "</b>")}


@pytest.mark.parametrize("headers", [
    COOKIES,
    [(name, each) for name, several in COOKIES.items() for each in ([several] if isinstance(several, str) else several)],
])  # fmt: skip
@pytest.mark.parametrize("policy", [None, Policy(), Policy(hashes=True)])
def test_repeated_headers_and_304(headers: Any, policy: Policy | None) -> None:
    """Headers may come several times; a 304 has all that the 200 had, but what is about the body it does not have."""
    template = Engine(policy=policy).compile("<script>f()</script>")
    page = template.page(headers=headers)
    status, pairs, body = page.answer()
    assert (status, len(body)) == (200, int(dict(pairs)["Content-Length"]))
    for name, values in COOKIES.items():
        assert [value for other, value in pairs if other == name] == (
            [values] if isinstance(values, str) else [*values]
        )
    status, kept, body = template.page(headers=headers).answer("GET", dict(pairs)["ETag"])
    left_out = {"Content-Length", "Content-Type"} | ({"Content-Security-Policy"} if page.nonce else set())
    assert (status, kept, body) == (304, [pair for pair in pairs if pair[0] not in left_out], b"")
    assert page.answer("HEAD")[0::2] == (200, b"")
    assert page.answer("POST", dict(pairs)["ETag"])[0] == 200


def test_what_an_etag_covers() -> None:
    """Another body, policy or header is another ETag; another cookie or nonce is not."""

    def tag(source: str = "<script>f()</script>", policy: Policy | None = None, **headers: str) -> str:
        named = {name.replace("_", "-"): value for name, value in headers.items()}
        return Engine(policy=policy).compile(source).page(headers=named).headers["ETag"]

    assert tag() == tag() == tag(Set_Cookie="a=1")
    assert tag(policy=Policy()) == tag(policy=Policy())
    others = [
        tag(), tag("x"), tag(policy=Policy()), tag(policy=Policy(hashes=True)), tag(Content_Language="en"),
        tag(Link="</a>"),
    ]  # fmt: skip
    others.append(tag(policy=Policy(directives={"img-src": "*"})))
    assert len({*others}) == len(others)


@pytest.mark.parametrize("options", [{}, {"headers": {"Vary": "Cookie"}}, {"policy": Policy()}, {"locale": "de"}])
def test_a_pickled_page(options: dict[str, Any], tmp_path: Path) -> None:
    """A page that was kept elsewhere answers as it would have here."""
    (tmp_path / "quay.html").write_text("<body><script>f()</script>{= x =}", "utf-8")
    page = Engine(tmp_path).page("quay", x="<", **options)
    kept = pickle.loads(pickle.dumps(page))
    assert asgi(kept) == asgi(page)


@pytest.mark.parametrize(
    "options", [{}, {"stream": True}, {"status": 404}, {"headers": [("Vary", "Cookie")]}, {"cache": "no-store"}]
)
def test_one_answer_in_all_ways(options: dict[str, Any]) -> None:
    """What a page answers by hand it answers as an application, also after its bytes have been read."""
    page = Engine().compile("x").page(**options)
    assert page.body == b"x"
    status, pairs, body = page.answer()
    expected = status, {name.lower(): value for name, value in pairs}, body
    assert asgi(page) == wsgi(page) == expected


@pytest.mark.parametrize(("cache", "validates"), [
    ("", True), ("private, no-cache", True), ("no-store", False), ("no-cache", False), ('private="x-a", no-store', False),
])  # fmt: skip
def test_which_pages_with_a_nonce_have_an_etag(cache: str, validates: bool) -> None:  # noqa: FBT001  a case
    """A page with a nonce is revalidated only where no shared cache could send its nonce again."""
    template = strict.compile("<script>f()</script>")
    answered = [call(template.page(cache=cache))[1] for call in (asgi, wsgi)]
    answered.append({name.lower(): value for name, value in template.page(cache=cache).answer()[1]})
    assert ["etag" in headers for headers in answered] == [validates] * 3


def test_a_directive_cannot_add_a_header() -> None:
    """The header of a policy whose directives were changed is looked at in each answer."""
    policy = Policy()
    policy.directives["img-src"] = "a\r\nSet-Cookie: b"
    for options in {}, {"headers": {"X-Port": "Ellery"}}:
        with pytest.raises(ValueError, match="cannot be a header"):
            Engine(policy=policy).compile("x").page(**options)  # type: ignore[arg-type]


@pytest.mark.parametrize(("options", "most"), [
    ({}, 32), ({"locale": "de"}, 32), ({"policy": Policy(hashes=True)}, 32), ({"policy": Policy()}, 45),
])  # fmt: skip
def test_an_answer_is_a_few_calls(options: dict[str, Any], most: int, tmp_path: Path) -> None:
    """The headers that all answers of a page have are made once: an answer is a few calls."""
    (tmp_path / "quay.html").write_text("<body><script>f()</script>{= x =}", "utf-8")
    engine, called = Engine(tmp_path), list[str]()

    async def nothing(*_: object) -> Any:
        return None

    def count(frame: Any, event: str, _argument: object) -> None:
        called.extend([frame.f_code.co_name] if event == "call" else [])

    def answer() -> None:
        page = engine.page("quay", x="<", **options)
        with suppress(StopIteration):
            page({"type": "http", "method": "GET", "headers": []}, nothing, nothing).send(None)

    answer()
    sys.setprofile(count)
    try:
        answer()
    finally:
        sys.setprofile(None)
    assert "_asgi" in called
    assert len(called) < most, called


@pytest.mark.parametrize(
    "headers", [["Vary"], [("Vary",)], {"Vary": 3}, {"Vary": ["a", 3]}, {"V\n": "x"}, "Vary: x", 3]
)
def test_what_cannot_be_headers(headers: Any) -> None:
    """What is not a mapping or pairs of strings is refused when the page is made."""
    with pytest.raises((ValueError, TypeError)):
        Engine().compile("x").page(headers=headers)


class Rows:
    """An endless iterator that counts, and knows when it is closed."""

    def __init__(self) -> None:
        self.read = 0
        self.closed = 0

    def plain(self) -> Iterator[int]:
        """Yield numbers without end."""
        try:
            while True:
                self.read += 1
                yield self.read
        finally:
            self.closed += 1

    async def awaited(self) -> AsyncIterator[int]:
        """Yield numbers without end, and never wait."""
        try:
            while True:
                self.read += 1
                yield self.read
        finally:
            self.closed += 1


@pytest.mark.parametrize("how", ["plain", "awaited"])
@pytest.mark.parametrize("loop", ["for x in rows", "for x in rows if x", "for x in rows as row"])
def test_a_client_that_leaves(loop: str, how: str) -> None:
    """An endless page stops within a chunk once the client has gone; its iterator is closed, and others had their turn."""
    rows, turns, sent = Rows(), 0, 0
    page = Engine().compile(f"<! {loop} !><p>{{= x =}}</p><! end !>").page(rows=getattr(rows, how)(), stream=True)

    async def run() -> None:
        nonlocal turns
        gone = asyncio.Event()

        async def receive() -> dict[str, str]:
            await gone.wait()
            return {"type": "http.disconnect"}

        async def send(message: Any) -> None:
            nonlocal sent
            sent += len(message.get("body", b""))
            if sent > 100_000:
                gone.set()

        async def other() -> None:
            nonlocal turns
            while True:
                turns += 1
                await asyncio.sleep(0)

        beside = asyncio.create_task(other())
        await page({"type": "http", "method": "GET", "headers": []}, receive, send)
        beside.cancel()

    asyncio.run(asyncio.wait_for(run(), 20))
    assert 100_000 < sent < 150_000
    assert (rows.closed, turns > 5) == (1, True)


def test_a_server_that_stops() -> None:
    """A page whose task is cancelled, or that is closed by a server of WSGI, closes its iterators."""
    rows = Rows()
    template = Engine().compile("<! for x in rows !><p>{= x =}</p><! end !>")

    async def run() -> None:
        async def receive() -> None:
            await asyncio.Event().wait()

        async def send(_message: Any) -> None:
            await asyncio.sleep(0.001)

        page = template.page(rows=rows.awaited(), stream=True)
        await page({"type": "http", "method": "GET", "headers": []}, receive, send)

    with pytest.raises(TimeoutError):
        asyncio.run(asyncio.wait_for(run(), 0.2))
    assert rows.closed == 1
    answer = template.page(rows=rows.plain(), stream=True)({"REQUEST_METHOD": "GET"}, lambda *_: None)
    assert next(iter(answer)).startswith(b"<p>")
    answer.close()
    assert rows.closed == 2
    assert list(template.page(rows=rows.plain(), stream=True)({"REQUEST_METHOD": "HEAD"}, lambda *_: None)) == []
    assert rows.closed == 3


def test_a_page_that_was_sent_in_part() -> None:
    """What is left of a page that was not sent to its end is said to be so; one that was is sent again."""
    page = Engine().compile("<! for x in xs !><p>{= x =}</p><! end !>").page(xs=["x" * 5000] * 3, stream=True)
    assert list(page) == list(page)
    next(iter(page))
    with pytest.raises(RuntimeError, match="make a new one"):
        list(page)
