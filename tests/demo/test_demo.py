"""Port Ellery, the demo: its views over HTTP, and a visitor who walks through all of it in a browser."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import tracemalloc
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING
from urllib.parse import quote

import pytest
from accessibility import VIEWS, findings, viewed
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.common.by import By
from selenium.webdriver.support.select import Select
from selenium.webdriver.support.wait import WebDriverWait
from serving import ask, served
from support import untor

from untor.demo import views
from untor.demo.app import Port
from untor.demo.forms import LONGEST_TEXT, checked
from untor.demo.harbour import LOG_LINES, Harbour, log_of, make_database
from untor.demo.trials import FIRST
from untor.demo.visit import HOSTILE, PATHS, visit
from untor.escape.css import style_value

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from selenium.webdriver import Chrome
    from selenium.webdriver.remote.webelement import WebElement
    from starlette.requests import Request

    from untor import Page

EXCITE = """
for (const element of document.querySelectorAll("*"))
  for (const name of ["mouseover", "focus", "load", "error", "blur"])
    element.dispatchEvent(new Event(name, {bubbles: true}));
return document.title;
"""
READ = """return {
  names: [...document.querySelectorAll("tbody th a")].map(a => a.textContent),
  titles: [...document.querySelectorAll("tbody th a")].map(a => a.title),
  cargos: [...document.querySelectorAll("tbody td:nth-child(4)")].map(td => td.textContent),
  authors: [...document.querySelectorAll(".notice h3")].map(h => h.firstChild.data.trimEnd()),
  texts: [...document.querySelectorAll(".notice p")].map(p => p.textContent),
  schemes: [...document.querySelectorAll("tbody td:last-child a")].map(a => a.protocol),
  scripts: document.scripts.length, images: document.images.length,
}"""
HOSTILE_TEXTS = [
    "</textarea></main><script>document.title='taken'</script>",
    "<img src=x onerror=\"document.title='taken'\">",
    "\" autofocus onfocus=\"document.title='taken'",
    "</style><style>*{display:none}</style>{= x =}<! if x !>",
]


@pytest.fixture(scope="module")
def database(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("demo") / "harbour.sqlite"
    make_database(path)
    return path


@pytest.fixture(scope="module")
def url(database: Path) -> Iterator[str]:
    with served(Port(database).app) as found:
        yield found


def test_every_page_once(tmp_path: Path) -> None:
    """The command visits every page, says what came back, and finds nothing wrong."""
    status, output, _ = untor("demo", "--check", folder=tmp_path)
    assert status == 0
    assert re.findall(r"^(GET|POST) +(\S+) +(\d+)", output, re.MULTILINE)[0] == ("GET", "/", "200")
    assert "\n65 pages, 0 failed. Browse them with: untor demo\n" in output
    assert views.pages.check() == []


def test_a_faulty_site_is_found(database: Path) -> None:
    """The visit sees what it is there to see: a wrong status, a missing policy, a script that no template has."""

    class Faulty(Port):
        def berths(self, request: Request) -> Page:  # noqa: ARG002
            return views.pages.compile("<script>a()</script>").page(policy=False)

        def tide(self, request: Request) -> Page:  # noqa: ARG002
            page = views.pages.compile("<p>{= x | trusted('to see') =}</p>").page({"x": "<p onclick=a()>"})
            page.status = 200
            return page

        def search(self, request: Request) -> Page:  # noqa: ARG002
            return views.pages.compile("").page(status=500)

    found = {each.path: each.trouble for each in visit(Faulty(database)) if each.trouble}
    troubles = {path: trouble for path, trouble in found.items() if "language=" not in path}
    assert troubles.pop("/berths") == "no strict Content-Security-Policy"
    assert troubles.pop("/tide") == "1 scripts, styles or handlers that no template has"
    assert set(troubles) == {"/search", "/search?words=%3Cscript&kind=Yacht"}


@pytest.mark.parametrize(("typed", "wrong"), [
    ({}, {"author", "vessel", "text"}),
    ({"author": " ", "vessel": "1", "text": "x"}, {"author"}),
    ({"author": "a", "vessel": "99", "text": "x"}, {"vessel"}),
    ({"author": "a", "vessel": "²", "text": "x"}, {"vessel"}),
    ({"author": "a" * 61, "vessel": "1", "text": "x" * (LONGEST_TEXT + 1)}, {"author", "text"}),
    ({"author": "a", "vessel": "1", "text": "x", "urgent": "on"}, set()),
])  # fmt: skip
def test_form(typed: dict[str, str], wrong: set[str]) -> None:
    """What is typed is posted when it is right, and otherwise said to be wrong, field by field."""
    notice, errors = checked(typed, {1, 2}, views.pages.say)
    assert set(errors) == wrong
    assert (notice is None) == bool(wrong)


def test_requests_that_are_wrong(url: str) -> None:
    """Odd requests get an answer that says so, and post nothing."""
    long, form = b"text=" + b"x" * 70_000, "application/x-www-form-urlencoded"
    assert ask(f"{url}/notices", "POST", long).status == 413
    assert ask(f"{url}/notices", "POST", b"&".join([b"a=1"] * 50)).status == 400
    assert (
        ask(f"{url}/notices", "POST", HOSTILE.encode(), origin="http://evil.example", content_type=form).status == 403
    )
    assert ask(f"{url}/notices", "POST", b"\xff\xfe=&%%%=1").status == 422
    for path in ("/vessels/99", "/vessels/%C2%B2", f"/vessels/{'9' * 5000}", "/invoices/x", "/templates/nowhere", "/nowhere",
                 "/explained/..%2f..%2fapp", "/templates/%00"):  # fmt: skip
        answer = ask(url + path)
        assert answer.status == 404, path
    assert b"This did not work" in ask(f"{url}/invoices/x").body
    assert ask(f"{url}/search?page=x&page=-3&words={'y' * 9000}").status == 200


def test_languages(url: str) -> None:
    """Money and dates are those of the visitor's language: asked for, kept, or accepted by the browser."""
    invoice = f"{url}/invoices/2031-016"
    assert "558,15\N{NO-BREAK SPACE}€" in ask(f"{invoice}?language=de").body.decode()
    assert "language=de;" in ask(f"{invoice}?language=de").headers["set-cookie"]
    assert "الاثنين، 19 مايو 2031" in ask(invoice, cookie="language=ar").body.decode()
    assert "Montag, 19. Mai 2031" in ask(invoice, accept_language="da, de-AT;q=0.8, en;q=0.1").body.decode()
    for odd in ("?language=xx", "?language=%3Cscript%3E"):
        answer = ask(invoice + odd)
        assert "€558.15" in answer.body.decode()
        assert "set-cookie" not in answer.headers


def test_static_files_are_kept(url: str) -> None:
    """A style is kept for a year under a URL that changes with it."""
    address = re.findall(rb'href="(/static/ellery.css\?v=[0-9a-f]{16})"', ask(f"{url}/").body)[0].decode()
    assert ask(url + address).headers["cache-control"] == "public, max-age=31536000, immutable"


def test_log_streams(database: Path, url: str) -> None:
    """The log is sent while it is read: all of it arrives, and rendering it keeps nothing."""
    assert ask(f"{url}/log").body.count(b"<tr class=") == LOG_LINES
    page = views.pages.page("log", {"entries": log_of(database)}, stream=True)
    chunks = iter(page)
    next(chunks)
    tracemalloc.start()
    largest = max(len(chunk) for chunk in chunks)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert largest < 20_000
    assert peak < 400_000


def test_many_visitors_at_once(url: str) -> None:
    """Sixteen visitors at once all get whole pages."""
    paths = [
        "/", "/arrivals", "/vessels/3", "/notices", "/berths", "/invoices?language=de", "/search?words=e", "/log",
        "/tide",
    ] * 16  # fmt: skip
    with ThreadPoolExecutor(16) as pool:
        answers = list(pool.map(lambda path: ask(url + path), paths))
    assert {answer.status for answer in answers} == {200}
    assert all(answer.body.endswith(b"</html>\n") for answer in answers)


# --- in a browser ----------------------------------------------------------------------------------------------------


@pytest.mark.browser
@pytest.mark.timeout(300)
def test_a_visit(url: str, database: Path, browser: Chrome) -> None:
    """A visitor walks through the whole site and posts hostile text: nothing runs, and no policy is broken."""
    browser.execute_cdp_cmd("Page.enable", {})
    watch = "window.broken = []; document.addEventListener('securitypolicyviolation', e => broken.push(e.violatedDirective + ' ' + e.blockedURI))"
    added = browser.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": watch})

    def look(path: str) -> None:
        """Go to a page, excite it, and see that nothing has happened."""
        if path:
            browser.get(url + path)
        assert "taken" not in browser.execute_script(EXCITE).replace("document.title='taken'", ""), path
        assert browser.execute_script("return window.broken") == [], path

    with Harbour(database) as harbour:
        vessels = harbour.vessels()
        calls, messages = harbour.calls(), harbour.messages()
    browser.get(f"{url}/arrivals")
    assert browser.execute_script(READ) == {
        "names": [call.vessel.name for call in calls],
        "titles": [f"{call.vessel.name}, skipper {call.vessel.skipper}" for call in calls],
        "cargos": [call.cargo or "in ballast" for call in calls],
        "authors": [message.author for message in messages],
        "texts": [message.text for message in messages],
        "schemes": ["https:", "https:", "about:", "about:", "http:", "about:", "http:"],
        "scripts": 0,
        "images": 0,
    }
    for path in ["/arrivals", *(f"/vessels/{vessel.id}" for vessel in vessels), "/berths", "/tide"]:
        look(path)
    for vessel in vessels:
        browser.get(f"{url}/vessels/{vessel.id}")
        image = browser.execute_script(
            "const s = getComputedStyle(document.querySelector('.flag')); return s.backgroundImage"
        )
        assert (image == "none") == (style_value(vessel.flag) == vessel.flag)
        path = "".join(f"%{ord(char):02X}" if char in "!'()*" else char for char in quote(vessel.name, safe="!'()*"))
        link = browser.find_element(By.CSS_SELECTOR, "a[href*=register]").get_attribute("href") or ""
        assert link.startswith(f"https://register.ellery.example/vessels/{path}?kind=")
    # The script of the tide page runs: it is the template's own.
    browser.get(f"{url}/tide")
    assert browser.find_element(By.CSS_SELECTOR, "output[for=hour]").text == "12:00: 2.92 m"
    assert browser.execute_script("return document.querySelector('.chart img').naturalWidth") > 100
    _post_messages(browser, url, look)
    _search(browser, url, look)
    _languages(browser, url, look)
    follow(browser, browser.find_element(By.LINK_TEXT, "Deutsch"))
    browser.get(f"{url}/invoices")
    assert browser.find_element(By.TAG_NAME, "h1").text.startswith("Rechnungen")
    follow(browser, browser.find_element(By.LINK_TEXT, "2031-016"))
    assert "558,15" in browser.find_element(By.CSS_SELECTOR, "tfoot").text
    look("")
    follow(browser, browser.find_element(By.LINK_TEXT, "English"))
    follow(browser, browser.find_element(By.LINK_TEXT, "View the template"))
    assert "{= invoice.total | money" in browser.find_element(By.CSS_SELECTOR, "pre").text
    look("")
    for name in views.PAGES:
        look(f"/explained/{name}")
        look(f"/templates/{name}")
    said = browser.get_log("browser")  # type: ignore[no-untyped-call]
    errors = [entry["message"] for entry in said if "favicon" not in entry["message"]]
    assert [message for message in errors if "422" not in message] == []
    browser.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", added)


SHAPE = """return [document.dir, document.documentElement.lang, [...document.querySelectorAll("head *, body *:not(.languages a)")]
  .map(each => [each.tagName, ...[...each.attributes].map(attribute => attribute.name)].join(" "))]"""


def _languages(browser: Chrome, url: str, look) -> None:  # type: ignore[no-untyped-def]  # noqa: ANN001
    """Read each page in each language, which is remembered: it has the same elements, and nothing runs."""
    paths = (
        "/arrivals", "/vessels/3", "/notices", "/berths", "/tide", "/invoices", "/invoices/2031-016",
        "/search?words=e",
    )  # fmt: skip
    shapes: dict[str, list[object]] = {path: [] for path in paths}
    for code in reversed(views.LANGUAGES):
        browser.get(url)
        follow(browser, browser.find_element(By.CSS_SELECTOR, f"a[hreflang={code}]"))
        for path in paths:
            look(path)
            direction, lang, shape = browser.execute_script(SHAPE)
            assert (direction, lang) == ("rtl" if code == "ar" else "ltr", code)
            shapes[path].append(shape)
    assert all(first == second == third for first, second, third in shapes.values())


def submit(browser: Chrome) -> None:
    """Submit the form, and wait for the page that answers it."""
    follow(browser, browser.find_element(By.CSS_SELECTOR, "form button"))


def follow(browser: Chrome, element: WebElement) -> None:
    """Click on what leads to another page, and wait for it."""
    browser.execute_script("window.before = true")
    element.click()
    waiting = WebDriverWait(browser, 30, ignored_exceptions=[WebDriverException])
    waiting.until(lambda _: browser.execute_script("return !window.before && document.readyState === 'complete'"))


def _post_messages(browser: Chrome, url: str, look) -> None:  # type: ignore[no-untyped-def]  # noqa: ANN001
    """Post hostile messages; first with the form not filled in, which shows what was typed again."""
    for text in HOSTILE_TEXTS:
        browser.get(f"{url}/notices")
        browser.find_element(By.ID, "author").send_keys(text)
        browser.find_element(By.ID, "urgent").click()
        submit(browser)
        assert [each.text for each in browser.find_elements(By.CSS_SELECTOR, ".trouble")] == [
            "Choose the vessel that this is about.",
            "The message is missing.",
        ]
        look("")
        assert browser.find_element(By.ID, "author").get_property("value") == text
        assert browser.find_element(By.ID, "urgent").is_selected()
        Select(browser.find_element(By.ID, "vessel")).select_by_value("3")
        browser.find_element(By.ID, "text").send_keys(text)
        browser.find_element(By.ID, "author").clear()
        submit(browser)
        assert browser.find_element(By.ID, "text").get_property("value") == text
        assert Select(browser.find_element(By.ID, "vessel")).first_selected_option.get_property("value") == "3"
        browser.find_element(By.ID, "author").send_keys(text)
        submit(browser)
        look("")
        assert text in [each.text for each in browser.find_elements(By.CSS_SELECTOR, ".notice p")]
    look("/vessels/3")
    quoted = [each.get_property("value") for each in browser.find_elements(By.TAG_NAME, "textarea")]
    assert quoted[-len(HOSTILE_TEXTS) :] == HOSTILE_TEXTS


def _search(browser: Chrome, url: str, look) -> None:  # type: ignore[no-untyped-def]  # noqa: ANN001
    """Search for hostile words, and go through pages of results by their links."""
    browser.get(f"{url}/search")
    for words in HOSTILE_TEXTS:
        field = browser.find_element(By.ID, "words")
        field.clear()
        field.send_keys(words)
        submit(browser)
        look("")
        assert browser.find_element(By.ID, "words").get_property("value") == words
        assert f"“{words}”" in browser.find_element(By.ID, "results").text
    browser.get(f"{url}/search?words=e%26page%3D1")
    assert browser.find_element(By.ID, "words").get_property("value") == "e&page=1"
    browser.get(f"{url}/search?words=e")
    seen = 1
    while following := browser.find_elements(By.LINK_TEXT, "Next"):
        follow(browser, following[0])
        look("")
        seen += 1
    assert browser.find_element(By.CSS_SELECTOR, ".pages span").text == f"Page {seen} of {seen}"
    assert seen >= 4


@pytest.mark.browser
def test_without_scripts_and_narrow(url: str, browser: Chrome) -> None:
    """Every page can be used without scripts, and on a narrow screen nothing but its tables is wider than it."""
    browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": True})
    browser.get(f"{url}/tide")
    assert not browser.find_element(By.ID, "hour").is_displayed()
    assert "High" in browser.find_element(By.CSS_SELECTOR, "tbody").text
    browser.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": False})
    size = {"width": 360, "height": 700, "deviceScaleFactor": 1, "mobile": True}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    try:
        for name in (
            "/", "/notices", "/berths", "/tide", "/invoices", "/search?words=e", "/templates/vessel", "/vessels/3",
        ):  # fmt: skip
            browser.get(url + name)
            assert browser.execute_script("return document.documentElement.scrollWidth") <= 360, name
    finally:
        browser.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})


# --- the first page ---------------------------------------------------------------------------------------------------


def _is_complete(browser: Chrome) -> bool:
    return bool(browser.execute_script("return document.readyState") == "complete")


@pytest.mark.parametrize(("value", "ran"), [
    (FIRST, {"Attribute without quotes", "Event handler"}),
    ("javascript:alert(1)", {"Link"}),
    ("alert(1)", {"Value in a script"}),
    ("Sea Holly & Sons", set()),
])  # fmt: skip
def test_what_is_tried_on_the_first_page(url: str, browser: Chrome, value: str, ran: set[str]) -> None:
    """A value is printed in ten contexts; code runs with html.escape alone only, and only in its frame."""
    browser.get(f"{url}/?value={quote(value)}")
    rows = browser.find_elements(By.CSS_SELECTOR, ".trials tbody tr")
    names = [row.find_element(By.TAG_NAME, "th").text.partition("\n")[0] for row in rows]
    assert len(names) == 10
    for column, wanted in ((0, set()), (1, ran)):
        found = set()
        for name, row in zip(names, rows, strict=True):
            browser.switch_to.frame(row.find_elements(By.TAG_NAME, "iframe")[column])
            WebDriverWait(browser, 60).until(_is_complete)
            if name in wanted:
                WebDriverWait(browser, 60).until(lambda shown: shown.find_elements(By.CSS_SELECTOR, "html.ran"))
            found |= {name} if browser.find_elements(By.CSS_SELECTOR, "html.ran") else set()
            browser.switch_to.default_content()
        assert found == wanted
    counters = browser.find_element(By.CLASS_NAME, "counters").text
    assert re.match(
        r"10 values printed · \d+ blocked · structure unchanged in 10, with html.escape alone in \d+$", counters
    )


def test_what_is_typed_on_the_first_page(url: str, browser: Chrome) -> None:
    """The results follow what is typed, with the escaped characters marked."""
    browser.get(f"{url}/?value=")
    browser.find_element(By.ID, "value").send_keys("<b>'")
    marks = "return [...document.querySelectorAll('.trials mark')].map(mark => mark.textContent)"
    WebDriverWait(browser, 60).until(lambda shown: "&lt;" in shown.execute_script(marks))
    assert {"&lt;", "&gt;", "&#39;", "\\u003c", "\\u0027", "%3C"} <= {*browser.execute_script(marks)}


def test_what_is_behind_a_page(url: str) -> None:
    """The template, the contexts and the source of a page are one click away; of nothing else there is a source."""
    page = ask(f"{url}/vessels/3").body.decode()
    assert {
        found for found in re.findall(r'href="(/[a-z]+)[/?]', page) if found in {"/templates", "/explained", "/source"}
    } == {"/templates", "/explained", "/source"}
    source = ask(f"{url}/source?of=/vessels/3").body.decode()
    assert "&lt;!doctype html&gt;" in source
    assert "nonce" in source
    for of in (
        "", "vessels/3", "/source?of=/source", "/log", "/nowhere", "//evil.example", "/static/ellery.css",
        "/tried/alone/1", "/ü\0",
    ):  # fmt: skip
        assert ask(f"{url}/source?of={quote(of)}").status == 404, of
    for path in ("/tried/other/1", "/tried/alone/10", "/tried/alone/x", "/tried/untor/-1"):
        assert ask(url + path).status == 404, path
    framed = ask(f"{url}/tried/alone/0?value=x")
    assert framed.headers["content-security-policy"].startswith("sandbox allow-scripts; default-src 'none'; ")


@pytest.mark.parametrize(("width", "scheme"), VIEWS)
def test_pages_are_accessible(url: str, checkers: Path, browser: Chrome, width: int, scheme: str) -> None:
    """Axe finds nothing on any page of the tour, and every page fits the screen."""
    paths = (
        "/", "/arrivals", "/vessels/3", "/notices", "/berths", "/tide", "/invoices/2031-016", "/search?words=e",
        "/templates/tide", "/explained/vessel", "/source?of=/tide", "/?language=ar", "/nowhere",
    )  # fmt: skip
    with viewed(browser, width, scheme):
        assert {path: found for path in paths if (found := findings(browser, checkers, url + path))} == {}
    ask(f"{url}/?language=en")


def test_pages_are_valid(url: str, checkers: Path, tmp_path: Path) -> None:
    """The Nu checker finds nothing in any page but what skippers have typed: a carriage return, and what is no colour."""
    java = shutil.which("java")
    if java is None:
        pytest.skip("the Nu checker needs Java")
    for number, path in enumerate([*PATHS, "/nowhere", "/tried/untor/1?value=x"]):
        if path != "/log" and not path.startswith("/results"):  # ten thousand lines that are alike; a part of a page
            (tmp_path / f"{number}.html").write_bytes(ask(url + path).body)
    command = [java, "-jar", str(checkers / "vnu-jar/build/dist/vnu.jar"), "--format", "json", "--errors-only"]
    done = subprocess.run([*command, *map(str, tmp_path.glob("*.html"))], capture_output=True, text=True, check=False)
    typed = (
        "A numeric character reference expanded to carriage return.",
        "CSS: “background”: “untor-blocked()” is not",
    )
    found = [each["message"] for each in json.loads(done.stderr)["messages"]]
    assert [message for message in found if not message.startswith(typed)] == []
