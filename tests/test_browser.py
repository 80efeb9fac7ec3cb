"""The demo's pages and all kinds of places, in a real Chromium."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from click.testing import CliRunner
from test_places import ACCEPTED, HOSTILE

from untor import Engine
from untor.cli.main import main
from untor.demo.harbour import Harbour

if TYPE_CHECKING:
    from pathlib import Path

    from selenium.webdriver import Chrome

pytestmark = pytest.mark.browser

EXCITE = """
window.ran = window.ran || [];
for (const element of document.querySelectorAll("*"))
  for (const name of ["mouseover", "focus", "click", "load", "error", "blur", "input"])
    if (!(name === "click" && element.matches("a, button, input")))
      element.dispatchEvent(new Event(name, {bubbles: true}));
return document.title;
"""


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("demo")
    result = CliRunner().invoke(main, ["demo", str(folder)])
    assert result.exit_code == 0, result.output
    return folder


def test_arrivals(demo: Path, browser: Chrome) -> None:
    """On the arrivals board no code runs, and every text reads back as it was typed."""
    browser.get((demo / "arrivals.html").as_uri())
    assert browser.execute_script(EXCITE) == "Arrivals on 17 May · Port Ellery"
    with Harbour(demo / "harbour.sqlite") as harbour:
        calls, messages = harbour.calls(), harbour.messages()
    read = browser.execute_script("""return {
      names: [...document.querySelectorAll("tbody th a")].map(a => a.textContent),
      titles: [...document.querySelectorAll("tbody th a")].map(a => a.title),
      cargos: [...document.querySelectorAll("tbody td:nth-child(4)")].map(td => td.textContent),
      authors: [...document.querySelectorAll(".notice h3")].map(h => h.firstChild.data.trimEnd()),
      texts: [...document.querySelectorAll(".notice p")].map(p => p.textContent),
      websites: [...document.querySelectorAll("tbody td:last-child a")].map(a => a.href),
      scripts: document.scripts.length, images: document.images.length,
    }""")
    assert read["names"] == [call.vessel.name for call in calls]
    assert read["titles"] == [f"{call.vessel.name}, skipper {call.vessel.skipper}" for call in calls]
    assert read["cargos"] == [call.cargo or "in ballast" for call in calls]
    assert read["authors"] == [message.author for message in messages]
    assert read["texts"] == [message.text for message in messages]
    assert (read["scripts"], read["images"]) == (0, 0)
    assert [url.partition(":")[0] for url in read["websites"]] == [
        "https",
        "https",
        "about",
        "about",
        "file",
        "about",
        "file",
    ]


def test_vessels(demo: Path, browser: Chrome) -> None:
    """On the page of each vessel no code runs, and title, links and form fields hold what the skipper typed."""
    with Harbour(demo / "harbour.sqlite") as harbour:
        for vessel in harbour.vessels():
            browser.get((demo / f"vessel-{vessel.id}.html").as_uri())
            title = " ".join(f"{vessel.name} · Port Ellery".split())
            assert browser.execute_script(EXCITE) == title
            read = browser.execute_script("""return {
              register: document.querySelector("a[href*=register]").href,
              fields: [...document.querySelectorAll("textarea")].map(t => t.value),
              mail: (document.querySelector("a[href^=mailto]") || {}).href,
            }""")
            path = browser.execute_script("return encodeURIComponent(arguments[0])", vessel.name)
            for char in "!'()*":
                path = path.replace(char, f"%{ord(char):02X}")
            assert read["register"].startswith(f"https://register.ellery.example/vessels/{path}?kind=")
            texts = [message.text.replace("\r\n", "\n") for message in harbour.messages(vessel.id)]
            assert read["fields"] == texts
            assert (read["mail"] or "mailto:").count("?") == (1 if vessel.email else 0)


PAYLOADS = [
    *HOSTILE,
    "<img src=x onerror=top.ran()>",
    "<svg onload=top.ran()>",
    '" autofocus onfocus="top.ran()',
    "' onmouseover='top.ran()",
    "<iframe srcdoc='<script>top.ran()</script>'>",
    "</title></textarea></style></script><script>top.ran()</script>",
    "javascript:top.ran()",
    "jAvAsCrIpT&colon;top.ran()",
    "java&#10;script:top.ran()",
    "data:text/html,<script>top.ran()</script>",
    "vbscript:top.ran()",
    "--!><script>top.ran()</script>",
]
REPORT = '<!doctype html><meta charset="utf-8"><body><script>var runs = 0; function ran() { runs += 1 }</script>'


FRAMES = """
const [variants, done] = arguments, changed = [];
const shape = document => [...document.querySelectorAll("*")].map(
  element => element.localName + ":" + element.getAttributeNames().sort()).join(" ");
(async () => {
  const frames = variants.map(page => Object.assign(document.createElement("iframe"), {srcdoc: page}));
  const loaded = frames.map(frame => new Promise(resolve => frame.onload = resolve));
  document.body.append(...frames);
  await Promise.all(loaded);
  const expected = shape(frames[0].contentDocument);
  frames.forEach((frame, index) => {
    for (const element of frame.contentDocument.querySelectorAll("*"))
      for (const name of ["mouseover", "focus", "load", "error"])
        element.dispatchEvent(new Event(name));
    for (const link of frame.contentDocument.querySelectorAll("a[href], area[href]"))
      if (/^(javascript|data|vbscript):/.test(link.protocol)) changed.push(["link", variants[index]]);
    const now = shape(frame.contentDocument);
    if (now !== expected) changed.push([expected, now, variants[index]]);
  });
  frames.forEach(frame => frame.remove());
  done({changed, runs});
})();
"""


def test_places_in_chromium(tmp_path: Path, browser: Chrome) -> None:
    """For no payload in any accepted place does code run, and each page keeps its elements and attributes."""
    engine = Engine()
    sources = [case.parts["template"] for case in ACCEPTED if "<plaintext" not in case.parts["template"]]
    pages = [[engine.compile(source).render(x=value) for value in ["a", *PAYLOADS]] for source in sources]
    frame = tmp_path / "frame.html"
    frame.write_text(REPORT, "utf-8")
    browser.get(frame.as_uri())
    for source, variants in zip(sources, pages, strict=True):
        found = browser.execute_async_script(FRAMES, variants)
        assert found == {"changed": [], "runs": 0}, source


def test_the_browser_test_can_see(tmp_path: Path, browser: Chrome) -> None:
    """Pages put together by hand do run code and change their structure, and the test above sees both."""
    frame = tmp_path / "frame.html"
    frame.write_text(REPORT, "utf-8")
    browser.get(frame.as_uri())
    pages = [
        f"<p title='{value}'>{value}</p><a href='{value}'>x</a>" for value in ["a", *PAYLOADS] if value.isprintable()
    ]
    found = browser.execute_async_script(FRAMES, pages)
    assert found["runs"] >= 5
    assert len(found["changed"]) >= 15
