"""Branches and loops that end in one way or another: each page is what it is for a harmless value, and the data read back."""

from __future__ import annotations

import json
import re
from typing import TYPE_CHECKING, Any

import pytest
import tinycss2
from contexts.test_scripts import HOSTILE, MARKS, PROGRAMS, runs_alike
from hypothesis import event, given
from hypothesis import strategies as st
from javascript import JavaScript
from selectolax.lexbor import LexborHTMLParser
from support import structure

from untor import Engine, MarkError, PlacementError

if TYPE_CHECKING:
    from collections.abc import Iterator

engine = Engine()
LISTS = [[], ["a"], ["a", "b"], ["", "</script>", '"', "<td>", "\\", "],[", "0"]]
COMMAS = [
    "<! for y in x !>ITEM<! between !>,<! end !>",
    "<! for y in x as row !>ITEM<! if not row.last !>,<! end !><! end !>",
    "<! for y in x as row !>\n<! if not row.first !>,<! end !>ITEM<! end !>",
    "<! for y in x as row !>ITEM<! if row.last !> <! else !>, <! end !>\n<! end !>",
    "<! for y in x as row !><! if row.index > 0 !>,<! end !>ITEM<! end !>",
    "<! for y in x if y is not None as row !>ITEM<! if row.number != row.total !>,<! end !><! end !>",
]


@pytest.fixture(scope="module")
def js() -> Iterator[JavaScript]:
    started = JavaScript()
    yield started
    started.close()


@pytest.mark.parametrize("loop", COMMAS)
@pytest.mark.parametrize("items", LISTS, ids=len)
def test_lists_read_back(js: JavaScript, loop: str, items: list[str]) -> None:
    """A list that is printed item by item is that list: in JSON, in a script, in an attribute, in text."""
    values = loop.replace("ITEM", "{= y =}")
    strings = loop.replace("ITEM", '{"a": "{= y =}"}')
    page = LexborHTMLParser(
        engine.compile(
            f'<body><p title="{values}">{values}</p><script type="application/json">{{"l": [{strings}]}}</script>'
            f"<script>rec([{strings}], [{values}])</script>"
        ).render(x=items)
    )
    data, script = page.css("script")
    assert json.loads(data.text()) == {"l": [{"a": item} for item in items]}
    objects = [["object", ["a", item]] for item in items]
    assert js.traces(script.text()) == [[[objects, items]]]
    p = page.css_first("p")
    assert p is not None
    for printed in (p.text(), p.attributes["title"] or ""):
        assert "".join(printed.split()) == ",".join(items)


STYLES = [
    '<p style="COLOR;<! if c !>top: {= x =}<! end !>">', '<p style="<! if c !>top: {= x =}<! else !>left: {= x =}<! end !>; COLOR">', '<p style="<! for y in ys !>margin: {= y =}<! between !>;<! end !>;COLOR">',
    '<p style="COLOR; margin: <! for y in ys !>{= y =}<! between !> <! end !>">', "<style>p { <! if c !>top: {= x =}<! end !> } q { COLOR }</style>", "<style><! for y in ys !>.a{= y =}<! between !>, <! end !> { COLOR }</style>",
]  # fmt: skip
CSS_VALUES = [
    "a", "", "1px", "red;} q{", "}", "{", "url(x)", "/*", "\\", '"', "\n", "<!--", "</style>", ";", ":", ",", "(",
    "0 0",
]  # fmt: skip


def declared(page: str) -> list[Any]:
    """Return the shape of a page's style: blocks, names of properties, the value of color."""
    tree = LexborHTMLParser(page)
    found = tree.css_first("p[style]")
    if found is not None:
        declarations = tinycss2.parse_blocks_contents(found.attributes["style"] or "", skip_whitespace=True)
    else:
        sheet = tree.css_first("style")
        assert sheet is not None
        rules = tinycss2.parse_stylesheet(sheet.text(), skip_whitespace=True)
        assert all(rule.type == "qualified-rule" for rule in rules)
        declarations = [
            each for rule in rules for each in tinycss2.parse_blocks_contents(rule.content, skip_whitespace=True)
        ]
    return [(each.type, getattr(each, "name", "")) for each in declarations]


@pytest.mark.parametrize("source", STYLES)
@pytest.mark.parametrize("size", [0, 1, 3])
def test_same_declarations(source: str, size: int) -> None:
    """A style has the same rules and declarations for every value, in each branch and after any number of rounds."""
    template = engine.compile(source.replace("COLOR", "color: {= x =}"))
    for on in (True, False):
        harmless = declared(template.render(c=on, x="a", ys=["a"] * size))
        for value in CSS_VALUES:
            page = template.render(c=on, x=value, ys=[value] * size)
            # A value that CSS drops takes its declaration with it, and no other.
            assert set(declared(page)) <= {*harmless, ("error", "")}, page
            assert structure(page) == structure(template.render(c=on, x="a", ys=["a"] * size))


TAGS = st.sampled_from(["<tr>", "<td>", "<tbody>", "<td>{= y =}", "<tr><td>", "<th>{= x =}", "</td>", "</tr>", "<tr><td>{= x =}</td></tr>", "<table>", "</table>", "<caption>",
    "<col>", "<b>", "</b>", " ", "{= x =}", "<p>", "<thead>", "<select>", "<option>", "text", "<td><table>", "<template>", "</tbody>"])  # fmt: skip
STEPS = st.sampled_from(
    [
        "<! if c !>#<! end !>",
        "<! if d !>#<! end !>",
        "<! if c !>#<! elif d !>#<! end !>",
        "<! if c !>#<! else !>#<! end !>",
        "<! for y in ys !>#<! end !>",
        "<! for y in ys !>#<! else !>#<! end !>",
        "<! for y in ys !>#<! between !>#<! end !>",
    ]
)
MARKUP = ["<b>", "<i title='{= x =}'>", "x", "<p>", "</b>", "</p>", "", "<td>", "</table>", "<script>", "<!--", " "]


def stepped(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """Return markup with a step in it."""
    return st.tuples(STEPS, inner, inner, inner, inner).map(
        lambda parts: parts[3] + parts[0].replace("#", parts[1], 1).replace("#", parts[2], 1) + parts[4]
    )


ROWS = st.recursive(st.lists(TAGS, max_size=2).map("".join), stepped, max_leaves=8)


@given(ROWS, st.sampled_from(MARKUP))
def test_same_tables(inside: str, value: str) -> None:
    """Whatever rows and cells are left open by steps: the page has the same elements for every value."""
    try:
        template = engine.compile(f"<table>{inside}</table><p title='{{= x =}}'>{{= x =}}")
    except PlacementError as error:
        event(error.code)
        return
    event(f"steps: {inside.count('<! end')}")
    for on, other in ((True, True), (True, False), (False, True), (False, False)):
        for size in (0, 1, 3):
            data: dict[str, Any] = {"c": on, "d": other, "y": "a"}
            harmless = structure(template.render(data, x="a", ys=["a"] * size))
            assert structure(template.render(data, x=value, ys=[value] * size)) == harmless


SPANS = st.tuples(
    st.integers(0, 300),
    st.integers(0, 40),
    st.sampled_from(
        [
            "<! if c !>",
            "<! if c !>#<! else !>",
            "<! for y in ys !>",
            "<! for y in ys !>#<! between !>,",
            "<! for y in ys !>#<! between !>",
            "<! for y in ys as r !>#<! if not r.last !>,<! end !>",
        ]
    ),
)
PLACES = st.lists(st.tuples(st.integers(0, 300), MARKS), min_size=1, max_size=2)


@given(PROGRAMS, PLACES, st.lists(SPANS, min_size=1, max_size=2), st.sampled_from(HOSTILE))
def test_same_code_in_branches(
    js: JavaScript, program: str, places: list[tuple[int, str]], spans: list[tuple[int, int, str]], value: str
) -> None:
    """Wherever in a script there are steps and a text: on each way the script does the same for every text."""
    for start, length, step in spans:
        at = start % (len(program) + 1)
        body = program[at : at + length]
        opening = step.replace("#", body) if "#" in step else step + body
        program = f"{program[:at]}{opening}<! end !>{program[at + length :]}"
    # Marks go between other characters than those of a step.
    pieces = re.findall("<! .*? !>|.", program, re.DOTALL)
    for offset, mark in places:
        pieces.insert(offset % (len(pieces) + 1), mark)
    program = "".join(pieces)
    try:
        template = engine.compile(f"<body><script>{program}</script>")
    except (MarkError, PlacementError) as error:
        event(error.code)
        return
    for on, items in ((True, [1]), (False, []), (True, [1, 2, 3])):
        runs_alike(js, template, value, c=on, ys=items)
