"""Every sequence of up to three fragments, with values in the gaps: what compiles keeps its structure.

``python tests/exhaustive.py`` goes through all of them, on all cores, and prints what it has counted and the templates
whose pages differ. ``--sample N`` takes every Nth one; the tests run such a sample.
"""

from __future__ import annotations

import argparse
import logging
import re
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from functools import lru_cache
from itertools import groupby, product
from typing import TYPE_CHECKING, NamedTuple

from selectolax.lexbor import LexborHTMLParser

from untor import Engine, MarkError, PlacementError, RenderError
from untor.escape.url import SCHEMES
from untor.probe.structure import StructureEntry, differing, structure_of

if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor import Template

FRAGMENTS = [piece.replace("␣", " ").replace("↵", "\n") for piece in
    """<p> </p> <div> <b> </b> <a␣href="/"> <img␣alt=""> <li> <pre> <title> </title> <textarea> </textarea>
    <table> <tr> <td> </table> <select> <option> <template> </template> <noscript> </noscript> <head> <body>
    <iframe> <xmp> <svg> </svg> <svg><style> <math><mi> <foreignObject> <![CDATA[ <x-note>
    <p␣title=" <p␣title=' <p␣title= <p␣ <p␣hidden= <p␣onclick=" <p␣style=" <a␣href=" <a␣href="/ <a␣href="? <img␣src=" <img␣srcset="
    <script␣src= <iframe␣srcdoc=" <link␣rel=next␣href=" <link␣href=" <meta␣http-equiv=refresh␣content="0;url=
    <svg␣onload=" <svg><a␣href=" <svg><set␣attributeName=" <p␣x-data=" <p␣@click=" <p␣hx-get="/ <a␣:href="
    " ' "> > /> ␣ ↵ = < </ <! <? & &amp &lt; / \\ : ; , - # ? ( ) [ ] { } <!-- --> <!--[if␣mso]> <![endif]-->
    <script> </script> <script␣type=module> <script␣type=application/json> <script␣type=importmap> <script␣type=text/html> <style> </style>
    f( ` ${ // /* */ a␣=␣ return␣ eval( import( import␣" location= el.innerHTML=" {a: async ++ @import p{ url( @media( .b :not( --
    {=␣y␣=} <!␣if␣y␣!> <!␣else␣!> <!␣end␣!> <!␣for␣z␣in␣ys␣!> x javascript: 0""".split()]  # fmt: skip
"""Tags of each kind of element and namespace, attributes of each kind, quotes, ends, raw text, tokens, steps."""

VALUES = [
    "", "a", " ", "<b>", "</p>", "</script>", "</style>", "</textarea>", "<!--", "-->", "]]>", "<", ">", "&", "&lt;", '"', "'", "`", "\\", "/",
    "//h.example", "javascript:x()", "data:text/html,x", "..", "?a=b&c#d", "${x}", "{x}", ");x(", "'+x+'", "\n", "\r", "\x00", "\u2028", ";a:b",
    "url(x)", "*/", "__proto__", "use strict", "none", "é🌊", 5, -0.5, 1e300,
]  # fmt: skip

TEXTS = [value for value in VALUES if isinstance(value, str)]
NUMBERS = [value for value in VALUES if not isinstance(value, str)]

engine = Engine()
FOLLOWED = frozenset(SCHEMES) | {"data:image"}


class Counts(NamedTuple):
    """What has been counted: templates, those that compile, pages compared, and the templates whose pages differ."""

    templates: int
    compiled: int
    pages: int
    different: list[tuple[str, object]]


_RAW = re.compile(
    r"<(?:script|style|iframe|xmp|noembed|noframes|noscript|plaintext)\b|\bon[a-z]+=|style=|srcdoc=|srcset=|href=|src=|action=|data=|http-equiv|ping=",
    re.IGNORECASE,
)
"""What the quick comparison cannot judge."""


def quick(page: str) -> list[object]:
    """Return the elements of a page with the names of their attributes, each after the number of its parent."""
    numbers: dict[int | None, int] = {}
    found: list[object] = []
    for node in LexborHTMLParser(page).css("*"):
        numbers[node.mem_id] = len(numbers)
        parent = node.parent
        found.append((numbers.get(parent.mem_id if parent else None), node.tag, sorted(node.attributes)))
    return found


def whole(page: str) -> list[StructureEntry]:
    """Return the whole structure of a page; of a script that is an error, which never runs, that it is one."""
    found: list[StructureEntry] = []
    for is_script, entries in groupby(
        structure_of(page), lambda entry: ": " in entry.what and "style: " not in entry.what
    ):
        group = list(entries)
        broken = is_script and any(entry.what.endswith(": error") for entry in group)
        found += [group[0]._replace(what="an invalid script")] if broken else group
    return found


def compiled(source: str) -> Template | None:
    """Return the template, where it compiles."""
    try:
        return engine.compile(source)
    except (MarkError, PlacementError):
        return None


def rendered(template: Template, value: object) -> str | None:
    """Return the page for a value; ``None`` where data of its kind is an error."""
    try:
        return template.render(x=value, y="b", ys=["c"])
    except RenderError:
        return None


def judged(template: Template) -> tuple[int, object]:
    """Render a template with each value; return how many pages were compared, and the value that changed one."""
    contexts = {placement.context for placement in template.placements}
    free = bool(contexts & {"url", "srcset"})
    pages = 0
    for harmless, values in (("a", TEXTS), (7, NUMBERS)):
        plain = rendered(template, harmless)
        if plain is None:
            continue
        is_quick = not _RAW.search(plain)
        shape: object = quick(plain) if is_quick else whole(plain)
        seen = {plain}
        for value in values:
            page = rendered(template, value)
            if page is None:
                continue
            pages += 1
            if page in seen or (value == "" and "whole-attribute" in contexts):
                continue  # a boolean attribute rightly goes with an empty text
            seen.add(page)
            if is_quick and not _RAW.search(page):
                same = quick(page) == shape
            else:
                same = is_same(whole(plain), whole(page), free=free, empty=value == "")
            if not same:
                return pages, value
    return pages, None


def is_same(one: list[StructureEntry], two: list[StructureEntry], *, free: bool, empty: bool) -> bool:
    """Compare two structures; with an empty value, a URL is the template's own text."""
    if empty:
        return [entry[:2] for entry in one] == [entry[:2] for entry in two]
    return differing(one, two, FOLLOWED, links_may_differ=free) is None


MARK = "{= x =}"


@lru_cache(200_000)
def filled(before: str) -> tuple[str, ...]:
    """Return the ways to go on after some fragments: with a value there where one can be, and without."""
    with_value = before + MARK
    return (with_value, before) if compiled(with_value) or "<!" in before else (before,)


def templates(pieces: tuple[str, ...]) -> Iterator[str]:
    """Yield the templates of a sequence that have values in as many of its gaps as can be."""
    ways: tuple[str, ...] = (MARK, "")
    for piece in pieces[:-1]:
        ways = tuple(dict.fromkeys(source for way in ways for source in filled(way + piece)))[:3]
    for way in ways:
        yield f"{way}{pieces[-1]}{MARK}"
        yield f"{way}{pieces[-1]}"


def shard(first: str, length: int, every: int) -> Counts:
    """Go through the sequences that begin with a fragment; ``every`` leaves all but each so many out."""
    logger = logging.getLogger("untor.blocked")
    before, logger.disabled = logger.disabled, True
    try:
        return counted_in(first, length, every)
    finally:
        logger.disabled = before


def counted_in(first: str, length: int, every: int) -> Counts:
    """Go through the sequences that begin with a fragment."""
    counted = made = pages = 0
    different: list[tuple[str, object]] = []
    offset = FRAGMENTS.index(first)
    for number, rest in enumerate(product(FRAGMENTS, repeat=length - 1)):
        if (number + offset) % every:
            continue
        for source in templates((first, *rest)):
            if MARK not in source:
                continue
            counted += 1
            template = compiled(source)
            if template is None:
                continue
            made += 1
            compared, value = judged(template)
            pages += compared
            if value is not None:
                different.append((source, value))
            break  # the first way has the most values
    return Counts(counted, made, pages, different)


def main() -> int:
    """Go through all templates of up to three fragments."""
    arguments = argparse.ArgumentParser(description=__doc__)
    arguments.add_argument("--sample", type=int, default=1, help="take every Nth template")
    arguments.add_argument("--longest", type=int, default=3, help="how many fragments a template has at most")
    arguments.add_argument("--jobs", type=int, default=None, help="how many processes")
    given = arguments.parse_args()
    total: Counter[str] = Counter()
    with ProcessPoolExecutor(given.jobs) as executor:
        for length in range(1, given.longest + 1):
            runs = executor.map(shard, FRAGMENTS, [length] * len(FRAGMENTS), [given.sample] * len(FRAGMENTS))
            for done, counts in enumerate(runs, 1):
                for source, value in counts.different:
                    print(f"differs: {source!r} for {value!r}", flush=True)
                total["templates"] += counts.templates
                total["compiled"] += counts.compiled
                total["pages compared"] += counts.pages
                total["differences"] += len(counts.different)
                print(f"{length}: {done} of {len(FRAGMENTS)}, {dict(total)}", flush=True)
    return bool(total["differences"])


if __name__ == "__main__":
    raise SystemExit(main())
