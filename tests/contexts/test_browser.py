"""All kinds of places, in a real Chromium."""

from __future__ import annotations

import functools
import re
from typing import TYPE_CHECKING

import pytest
from contexts.test_places import ACCEPTED, HOSTILE
from hypothesis import settings

from untor import Engine

if TYPE_CHECKING:
    from pathlib import Path

    from selenium.webdriver import Chrome

    from untor import Template

pytestmark = pytest.mark.browser


PAYLOADS = [
    *HOSTILE,
    *"""<img$src=x$onerror=top.ran()>
    <svg$onload=top.ran()>
    <svg><script>top.ran()</script></svg>
    <math><mtext><table><mglyph><style><img$src=x$onerror=top.ran()>
    "$autofocus$onfocus="top.ran()
    '$onmouseover='top.ran()
    x$onmouseover=top.ran()
    `$onmouseover=`top.ran()
    "><script>top.ran()</script>
    '><script>top.ran()</script>
    ><script>top.ran()</script>
    </script><script>top.ran()</script>
    </SCRIPT/x><script>top.ran()</script>
    <!--<script></script><script>top.ran()</script>
    --></script><script>top.ran()</script>
    ]]><script>top.ran()</script>
    <iframe$srcdoc='<script>top.ran()</script>'>
    &lt;script>top.ran()&lt;/script>
    &quot;onmouseover=top.ran()
    &#34;);top.ran();//
    &apos;);top.ran();//
    </title></textarea></style></noscript></script><script>top.ran()</script>
    </style><script>top.ran()</script>
    javascript:top.ran()
    jAvAsCrIpT&colon;top.ran()
    java&#10;script:top.ran()
    javascript&colon;top.ran()//
    data:text/html,<script>top.ran()</script>
    data:text/javascript,top.ran()
    data:text/html;base64,PHNjcmlwdD50b3AucmFuKCk8L3NjcmlwdD4=
    vbscript:top.ran()
    blob:top.ran()
    --!><script>top.ran()</script>
    ';top.ran();'
    ";top.ran();"
    `;top.ran();`
    ');top.ran();('
    ");top.ran();("
    );top.ran();(
    '+top.ran()+'
    "+top.ran()+"
    `+top.ran()+`
    ${top.ran()}
    $${top.ran()}
    {top.ran()}
    \\';top.ran();//
    \\";top.ran();//
    \\`;top.ran();//
    \\u0027;top.ran();//
    \\x27;top.ran();//
    */top.ran()/*
    //*/top.ran()//
    /;top.ran();/
    ]/;top.ran();//
    )/;top.ran();//
    (?:/;top.ran();//
    top.ran()
    top.ran
    +top.ran()
    ,top.ran()
    }top.ran();{
    };top.ran();var$x={
    ]};top.ran();//
    __proto__
    constructor
    url(javascript:top.ran())
    'url(javascript:top.ran())'
    expression(top.ran())
    }*{background:url(javascript:top.ran())}
    red;background:url(javascript:top.ran())
    red}</style><script>top.ran()</script>
    ");background:url("javascript:top.ran()
    ');background:url('javascript:top.ran()
    \\29;background:url(javascript:top.ran())
    @import$'javascript:top.ran()';
    *{}</style><svg$onload=top.ran()>
    javascript:top.ran()$1x,a
    ,javascript:top.ran()$2x
    1x,javascript:top.ran()
    //h.example/$1x
    =top.ran()
    =>top.ran()
    ;top.ran()""".replace("$", " ").split("\n    "),
    "\u2028top.ran()", "\u2029top.ran()//", "//\ntop.ran()", "'\ntop.ran()//", '"\rtop.ran()//', "<!--\ntop.ran()", "-->\ntop.ran()",
    "\n--> '\ntop.ran()", "\x00javascript:top.ran()", "\x01javascript:top.ran()", "java\tscript:top.ran()", " javascript:top.ran()",
    "\ufeffjavascript:top.ran()", "\x0cjavascript:top.ran()", "\x00'\x00;top.ran()//", "\ud800';top.ran()//",
]  # fmt: skip
REPORT = '<!doctype html><meta charset="utf-8"><body><script>var runs = 0; function ran() { runs += 1 }</script>'
PRELUDE = """<script>var broken = 0; onerror = message => { broken += /SyntaxError/.test(message) };
var [f, g, h, k, html] = Array(5).fill((...values) => values), a = {}, b = [], c = 1, l, A, B = Object;</script>"""


FRAMES = """
const [variants, done] = arguments, changed = [];
const rules = list => [...list].map(rule => rule.constructor.name + (rule.cssRules ? `{${rules(rule.cssRules)}}` : "")).join();
const shape = frame => [...frame.contentDocument.querySelectorAll("*")].map(
  element => element.localName + ":" + element.getAttributeNames().sort()).join(" ")
  + [...frame.contentDocument.querySelectorAll("style")].map(style => style.sheet && rules(style.sheet.cssRules)) + frame.contentWindow.broken;
(async () => {
  const frames = variants.map(() => document.createElement("iframe"));
  document.body.append(...frames);
  await Promise.all(frames.map((frame, index) => new Promise(resolve => {
    frame.onload = resolve;
    const written = frame.contentDocument;
    written.open();
    written.write(variants[index]);
    written.close();
  })));
  for (const frame of frames)
    for (const element of frame.contentDocument.querySelectorAll("*"))
      for (const name of ["mouseover", "focus", "click", "load", "error", "blur", "input", "foo"])
        if (!(name === "click" && element.closest("a, area, button, input")))
          element.dispatchEvent(new Event(name, {bubbles: true, cancelable: true}));
  const expected = shape(frames[0]);
  frames.forEach((frame, index) => {
    for (const link of frame.contentDocument.querySelectorAll("a[href], area[href]"))
      if (/^(javascript|data|vbscript):/.test(link.protocol)) changed.push(["link", variants[index]]);
    const now = shape(frame);
    if (now !== expected) changed.push([expected, now, variants[index]]);
  });
  frames.forEach(frame => frame.remove());
  done({changed, runs});
})().catch(error => done({error: String(error)}));
"""

PARTS = 8  # so that all processors have a share
AT_ONCE = 20  # frames: more of them are slower than one after the other
_LEAVES = re.compile(r"^sink |^handler, |while \(|for \((?:;|let)|\bimport\b|export|open\(|hx-|debugger")
"""Cases that lead elsewhere, never end, or load code: those of sinks have tests of their own."""


@functools.cache
def templates_for_chromium() -> list[tuple[str, Template, list[str]]]:
    """Return each accepted case with its payloads: many for the first case of each place, else a few.

    Each payload is tried in every fourth place; in all of them where properties are tried longer.
    """
    step = 4 if settings().max_examples <= 200 else 1
    seen: set[object] = set()
    found: list[tuple[str, Template, list[str]]] = []
    for case in ACCEPTED:
        source = case.parts["template"]
        if "<plaintext" in source or "refresh" in source.lower() or _LEAVES.search(case.title + source):
            continue
        prelude = PRELUDE if re.search("<script|<style| on[a-z]+=|srcdoc", source, re.IGNORECASE) else ""
        template = Engine().compile(prelude + source)
        places = {(placement.context, placement.escapers) for placement in template.placements}
        found.append(
            (source, template, PAYLOADS[len(seen) % step :: step] if places - seen else HOSTILE[len(found) % 8 :: 8])
        )
        seen |= places
    return found


@pytest.mark.parametrize("part", range(PARTS))
def test_places_in_chromium(tmp_path: Path, browser: Chrome, part: int) -> None:
    """For no payload in any accepted place does code run, and each page keeps its elements, attributes and rules."""
    from selenium.common.exceptions import TimeoutException  # noqa: PLC0415  most tests run without it

    assert len(PAYLOADS) > 100
    frame = tmp_path / "frame.html"
    frame.write_text(REPORT, "utf-8")
    browser.get(frame.as_uri())
    for source, template, payloads in templates_for_chromium()[part::PARTS]:
        pages = list(dict.fromkeys(template.render(x=value) for value in payloads))
        for start in range(0, len(pages), AT_ONCE):
            try:
                found = browser.execute_async_script(FRAMES, [template.render(x="a"), *pages[start : start + AT_ONCE]])
            except TimeoutException:
                pytest.fail(f"a page did not load: {source}")
            assert found == {"changed": [], "runs": 0}, source


def test_the_browser_test_can_see(tmp_path: Path, browser: Chrome) -> None:
    """Pages put together by hand do run code and change their structure, and the test above sees both."""
    frame = tmp_path / "frame.html"
    frame.write_text(REPORT, "utf-8")
    browser.get(frame.as_uri())
    by_hand = [
        (lambda value: f"<p title='{value}'>{value}</p><a href='{value}'>x</a>", 15),
        (lambda value: f"{PRELUDE}<script>f('{value}')</script>", 5),
        (lambda value: f'{PRELUDE}<p onclick="f({value})">x</p>', 3),
        (lambda value: f"{PRELUDE}<script>f(`{value}`)</script>", 1),
        (lambda value: f"{PRELUDE}<style>p {{ color: {value} }}</style>", 2),
    ]
    before = 0
    for page, least in by_hand:
        pages = [page(value) for value in ["a", *PAYLOADS] if value.isprintable()]  # type: ignore[no-untyped-call]
        found = browser.execute_async_script(FRAMES, pages)
        assert found["runs"] - before >= least
        assert len(found["changed"]) >= least
        before = found["runs"]
