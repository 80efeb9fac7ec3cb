"""Where values land, place by place, and that pages keep their structure for every value."""

from __future__ import annotations

import pytest
import tinyhtml5
from exhaustive import FRAGMENTS, shard
from hypothesis import event, example, given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser
from support import Case, cases, structure

from untor import Engine, MarkError, PlacementError, RenderError, UntorError
from untor.contexts.html_references import attribute_text
from untor.contexts.html_state import HtmlState
from untor.contexts.html_tokenizer import STATES
from untor.escape.url import SCHEMES, permitted

engine = Engine()
PLACES = cases("places.txt")
REFUSALS = ("place-", "branches-", "loop-", "head-", "text-after-", "step-", "url-split", "scripting-")


@pytest.mark.parametrize("case", PLACES, ids=lambda case: case.title)
def test_place(case: Case) -> None:
    """Each value has its context; or the template is refused with that problem."""
    expected = case.parts["places"].strip()
    try:
        template = engine.compile(case.parts["template"])
    except PlacementError as error:
        assert error.code == expected
    else:
        assert " ".join(placement.context for placement in template.placements) == expected


HOSTILE = [
    "<script>x()</script>", "</title><b>", "</textarea><b>", '"><b x="', "' y='", "--><b>", "]]><b>", "`${x}`", "&lt;b&gt;",
    "javascript:x()", " java\tscript:x()", "//h.example/", "\\\\h", "..", ".", "", " ", "/", "%2e", "a/b?c#d:e", ":", "#x",
    "lt;", "#60;", "amp;", ";", "script", "\n<", "\r", "\x00<", "\x0c", "\ud800", "é海🌊", "a b=c", "=", "/>", "http", "0",
]  # fmt: skip


def takes_text(case: Case) -> bool:
    """Return whether text can be printed in all places of a case, each time."""
    source = case.parts["template"]
    if case.parts["places"].strip().startswith(REFUSALS) or "<! " in source or "trusted(" in source:
        return False
    used = {name for placement in engine.compile(source).placements for name in placement.escapers}
    return used.isdisjoint({"script-statement", "script-html", "style-rules"})


ACCEPTED = [case for case in PLACES if takes_text(case)]


@pytest.mark.parametrize("case", ACCEPTED, ids=lambda case: case.title)
def test_structure_of_cases(case: Case) -> None:
    """The page of each case parses to the same elements and attributes for hostile values as for a harmless one."""
    template = engine.compile(case.parts["template"])
    harmless = structure(template.render(x="a"))
    for value in HOSTILE:
        assert structure(template.render(x=value)) == harmless, value


NASTY = st.sampled_from([piece.replace("$", " ") for piece in
    """<p> </p> <b <i > /> < </ <! <!-- --> --!> <!doctype <?a " ' = & &amp &lt; &# a x= title=" class=' href=" href='/v/ ">
    '> <a href="{= x =}"> <a href="/{= x =}/{= y =}"> <a href="?q={= x =}"> {= x =} {= y =} {= x =}{= y =} <title> </title>
    <textarea> </textarea> <script> </script> <style> </style> <svg> </svg> <math> <mi> <desc> <foreignObject> <table> <tr>
    <td> </table> <select> <option> </select> <template> </template> <noscript> </noscript> <iframe> </iframe> <pre> <body>
    <head> </head> <frameset> <plaintext> <![CDATA[ ]]> <br/> <!$if$x$!> <!$else$!> <!$end$!> <!$for$z$in$y$!> id={=$x$=} hidden={=$x$=}
    <script>f( ) "{= x =}" '{= x =}' `{= x =}` /{= x =}/ ({= x =}) ;f( <!-- --> //$ /* */ <script$type=module> </style> <style>p{ a:{= x =}; url({= x =}) .{= x =}{
    } <p$style="a:{= x =};b:url('{= x =}')"> onclick="f('{= x =}')" <iframe$srcdoc="<p>{= x =}</p>"> <script$type=application/json>[ ["{= x =}"] <img$srcset="{= x =}$1x">
    <script$type=text/plain> <script$type=importmap> <script$src={=$x$=}> <svg$onload="f('{= x =}')"> el.innerHTML="{= x =}" location="{= x =}"
    import("{= x =}") import("/m/{= x =}") eval("{= x =}") return$ async$ ++ { } <!--[if$mso]> <![endif]--> <p$x-data="{= x =}"> <a$:href="{= x =}">
    <p$hx-get="/{= x =}"> @import$"{= x =}"; :nth-child({= x =}) :lang({= x =}) @keyframes${=$x$=}{ <x:a> <feimage$href="{= x =}">
    <b> </b> <a> </a> <i></i> <li> <div> </div> <ul> </ul> </td> <caption> - ! / \\ \t \n \x00 é javascript: http: # ?""".replace("{= ", "{=").replace(" =}", "=}").split()]
).map(lambda piece: piece + " " if piece.endswith("!>") else piece)  # fmt: skip
MARKS = st.sampled_from(
    ["{= x =}", "{= y =}", '<a href="{= x =}', '="{= x =}"', " {= x =}<", '/{= x =}/{= y =}"', "<! if x !>"]
)
SOURCES = st.lists(NASTY | MARKS | st.just(" "), min_size=2, max_size=14).map("".join)
VALUES = st.sampled_from(HOSTILE) | st.text(max_size=8) | st.lists(NASTY, max_size=4).map("".join)


@given(SOURCES)
@example(" {= x =}<<!--[if mso]>")
def test_contexts_are_those_of_a_parser(source: str) -> None:
    """A value is where its context says that it is, as a conforming parser reads the page."""
    try:
        template = engine.compile(source.replace("{= y =}", "").replace("{=y=}", "") + "{= mark =}")
    except (MarkError, PlacementError):
        return
    placement = template.placements[-1]
    try:
        page = LexborHTMLParser(template.render(x="a", y=["b"], mark="M4RK"))
    except RenderError:
        return
    found = [node for node in page.css("*") if "M4RK" in node.text(deep=False)]
    # What browsers read as a comment is text to programs that read e-mail.
    is_read = "conditional comment" not in placement.path and page.css_first("template") is None
    if placement.context in {"text", "title-text"} and is_read:
        assert [node.tag in {"title", "textarea"} for node in found] == [
            placement.context == "title-text"
        ] or "<svg" in source
        foreign = "<svg" in source or "<math" in source  # there, elements of these names hold ordinary text
        assert foreign or not {node.tag for node in found} & {"script", "style", "iframe", "xmp", "plaintext"}


@pytest.mark.parametrize(("length", "every"), [(1, 1), (2, 40), (3, 12_000)])
def test_short_templates(length: int, every: int) -> None:
    """A sample of all templates of up to three fragments: what compiles keeps its structure, for each value."""
    counts = [shard(first, length, every) for first in FRAGMENTS]
    assert [different for each in counts for different in each.different] == []
    assert sum(each.pages for each in counts) > 2000


def pages_of(source: str, x: str, y: str) -> tuple[str, str] | None:
    """Return the pages of a template for the values and for harmless ones; ``None`` when it is refused."""
    try:
        template = engine.compile(source)
    except (MarkError, PlacementError) as error:
        event(error.code)
        return None
    event(f"{len(template.placements)} values")
    if "<! if" in source or "hidden=" in source:
        x = x or "a"  # an empty value rightly takes another branch, or leaves a boolean attribute out
    try:
        return template.render(x=x, y=[y]), template.render(x="a", y=["a"])
    except RenderError as error:
        assert error.code == "not-printable"
        event("code is requested")
        return None


@given(SOURCES, VALUES, VALUES)
def test_same_structure_for_every_value(source: str, x: str, y: str) -> None:
    """Whatever the markup: what compiles keeps its structure, as two conforming parsers read it."""
    if pages := pages_of(source, x, y):
        assert structure(pages[0]) == structure(pages[1])
        if "<select" not in source and "<template" not in source:
            assert pure_structure(pages[0]) == pure_structure(pages[1])


@given(
    st.lists(NASTY | MARKS, max_size=6).map("".join), SOURCES, st.lists(NASTY, max_size=5).map("".join), VALUES, VALUES
)
def test_same_structure_through_pieces(before: str, piece: str, after: str, x: str, y: str) -> None:
    """The same holds when a piece of the markup is a part, a component with a slot, or content for one."""
    source = f"<! part p(x, y) !>{piece}<! slot !><! end !>{before}<! use p x, y !>{after}<! end !>{after}"
    if pages := pages_of(source, x, y):
        assert structure(pages[0]) == structure(pages[1])


def pure_structure(page: str) -> list[tuple[str, list[str]]]:
    """Return elements and names of attributes in document order, as the pure Python parser reads them."""
    root = tinyhtml5.parse(page.encode("utf-8", "replace").decode())
    return [(element.tag, sorted(element.attrib)) for element in root.iter() if isinstance(element.tag, str)]


@given(st.text(), st.sampled_from(["", "a", "&", "R&D", "&am", "\n"]), st.sampled_from(["", "b", ";", "lt;", "\n"]))
def test_values_read_back(value: str, before: str, after: str) -> None:
    """In text, textarea, title and quoted attributes a parser reads back exactly the value."""
    source = (
        f"<body><p id=\"{before}{{= x =}}{after}\" class='{before}{{= x =}}' title={{= x =}}>{before}{{= x =}}{after}</p>"
        f"<textarea>{{= x =}}</textarea><pre>{{= x =}}</pre>"
    )
    page = engine.compile(source).render(x=value)
    tree = LexborHTMLParser(page)
    printed = "".join("\ufffd" if forbidden(char) else char for char in value)
    p = tree.css_first("p")
    assert p is not None
    assert (p.attributes["id"] or "") == before + printed + after
    assert (p.attributes["class"] or "") == before + printed
    assert (p.attributes["title"] or "") == printed
    assert p.text() == before + printed + after
    for element in tree.css("textarea, pre"):
        assert element.text() == printed


def forbidden(char: str) -> bool:
    code = ord(char)
    return (code < 0x20 and char not in "\t\n\f\r") or 0x7F <= code < 0xA0 or 0xD800 <= code < 0xE000


URLS = [
    ('<a href="{= x =}">', ["javascript:x"], None),
    ('<a href="{= x =}">', ["\x0c java\nscript:x"], None),
    ('<a href="{= x =}">', ["JavaScript:x"], None),
    ('<a href="{= x =}">', ["data:text/html,x"], None),
    ('<a href="{= x =}">', ["HTTPS://a.example/?a&b"], "HTTPS://a.example/?a&amp;b"),
    ('<a href="{= x =}">', ["a:b"], None),
    ('<a href="{= x =}">', ["a/b:c"], "a/b:c"),
    ('<a href="{= x =}">', ["?a:b"], "?a:b"),
    ('<a href="{= x =}">', ["mailto:a@b"], "mailto:a@b"),
    ('<a href="{= x =}{= y =}">', ["java", "script:x"], None),
    ('<a href="{= x =}{= y =}">', ["/a", "/b:c"], "/a/b:c"),
    ('<a href="{= x =}:{= y =}">', ["javascript", "x"], None),
    ('<a href="java{= x =}:x">', ["script"], None),
    ('<a href="java{= x =}x">', ["script:"], "javascript%3Ax"),
    ('<a href="/{= x =}/{= y =}">', ["", "h.example"], None),
    ('<a href="/{= x =}/{= y =}">', ["a", "b/c"], "/a/b%2Fc"),
    ('<a href="/{= x =}">', ["/h.example"], "/%2Fh.example"),
    ('<a href="/{= x =}">', ["\\h"], "/%5Ch"),
    ('<a href="/{= x =}\\{= y =}">', ["", "h.example"], None),
    ('<a href="/{= x =}\t/{= y =}">', ["", "h.example"], None),
    ('<a href="/v/{= x =}/w">', [".."], None),
    ('<a href="/v/{= x =}/w">', ["."], None),
    ('<a href="/v/.{= x =}">', ["."], None),
    ('<a href="/v/%2E{= x =}">', ["."], None),
    ('<a href="/v/{= x =}{= y =}?q">', [".", "."], None),
    ('<a href="/v/a{= x =}">', [".."], "/v/a.."),
    ('<a href="/v/{= x =}">', ["%2e%2e"], "/v/%252e%252e"),
    ('<a href="?q=/{= x =}/">', [".."], "?q=/../"),
    ('<a href="?q={= x =}&amp;r={= y =}#{= x =}">', ["a&b=c", "é#"], "?q=a%26b%3Dc&amp;r=%C3%A9%23#a%26b%3Dc"),
    ('<a href="mailto:{= x =}?subject={= y =}">', ["a@b?c", "x y"], "mailto:a@b%3Fc?subject=x%20y"),
    ('<a href="<! if y !>{= x =}<! else !>/s/{= x =}<! end !>">', ["javascript:x", "1"], None),
    ('<a href="<! if y !>{= x =}<! else !>/s/{= x =}<! end !>">', ["javascript:x", ""], "/s/javascript%3Ax"),
    ('<a href="<! if y !>javascript:f()<! else !>/s/{= x =}<! end !>">', ["x", "1"], "javascript:f()"),
    ('<a href="<! for z in y !>{= z =}<! end !>">', ["", ["java", "script", ":x"]], None),
    ('<a href="/<! for z in y !>{= z =}/<! end !>">', ["", ["a", "b/"]], "/a/b%2F/"),
    ('<a href="/<! for z in y !>{= z =}/<! end !>">', ["", ["", "h.example"]], None),
    ('<a href="/<! for z in y !>{= z =}<! end !>/h{= x =}">', [".example", []], None),
    ('<a href="/<! for z in y !>{= z =}<! end !>/h/{= x =}">', ["p", []], "//h/p"),
    ('<a href="<! if y !>https<! else !>x/<! end !>://{= x =}/">', ["h.example", 1], None),
    ('<a href="<! if y !>https<! else !>x/<! end !>:{= x =}">', ["h.example", 1], None),
    ('<a href="{= y =}https://{= x =}">', ["h.example", ""], None),
    ('<img src="{= x =}">', ["data:image/png;base64,AA"], "data:image/png;base64,AA"),
    ('<img src="{= x =}">', ["data:image/svg+xml,x"], None),
    ('<a href="{= x =}">', ["data:image/png;base64,AA"], None),
    ('<a href="/v/{= x =}">', ["\ud800"], "/v/%EF%BF%BD"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "values", "expected"), URLS)
def test_url(source: str, values: list[object], expected: str | None, caplog: pytest.LogCaptureFixture) -> None:
    """A URL is what it says, or ``about:invalid`` and reported."""
    page = engine.compile(source).render(dict(zip("xy", values, strict=False)))
    assert page.partition('="')[2].removesuffix('">') == (expected or "about:invalid")
    assert [record.name for record in caplog.records] == ([] if expected else ["untor.blocked"])


def test_schemes_of_an_engine() -> None:
    """``url_schemes`` replaces the list, for values and for the fixed text before them."""
    own = Engine(url_schemes=["https", "FTP:"])
    page = own.compile('<a href="{= x =}"></a><a href="ftp://a.example/{= x =}">').render(x="http:a")
    assert page == '<a href="about:invalid"></a><a href="ftp://a.example/http%3Aa">'
    with pytest.raises(PlacementError):
        own.compile('<a href="mailto:{= x =}">')


@pytest.mark.parametrize("source", [
    '{= x =}~<link rel="icon" href="/x">', "{= x =} ~<meta charset='utf-8'>", "{= x =}\n~<!doctype html>", "{= x =} ~</p>",
    "{= x =}<b>~<frameset>", '<select><! if x !><table><! end !> ~<tr id="a" class="b"><td>{= x =}</table></select>',
])  # fmt: skip
def test_problems_of_tags_are_shown_where_they_begin(source: str) -> None:
    """What is wrong with a whole tag points at its beginning, however many attributes it has."""
    with pytest.raises(PlacementError) as found:
        engine.compile(source.replace("~", ""))
    line, column = source.partition("~")[0].count("\n") + 1, len(source.partition("~")[0].rpartition("\n")[2]) + 1
    assert (found.value.line, found.value.column) == (line, column)


def test_permitted_follows_the_url_parser() -> None:
    """What a URL parser ignores is ignored."""
    assert not permitted("\x00\x1f j\ta\nv\rascript:x", SCHEMES)
    assert permitted("java script:x", SCHEMES)
    assert permitted("\u200bjavascript:x", SCHEMES)


@given(st.sampled_from(sorted(STATES)), st.lists(NASTY, max_size=12).map("".join), st.integers(0, 40))
def test_text_can_come_in_pieces(state: str, text: str, cut: int) -> None:
    """From any state, reading text in two pieces comes to the same as reading it at once."""
    text = text.replace("<!--[if", "<!--")  # a template is never cut there
    whole, parts = HtmlState(state), HtmlState(state)
    try:
        whole.read(text)
    except Exception as error:  # noqa: BLE001  any refusal must be the same
        with pytest.raises(type(error)):
            (parts.read(text[:cut]), parts.read(text[cut:]))
        return
    parts.read(text[:cut])
    parts.read(text[cut:])
    assert parts.key() == whole.key()


@given(
    st.lists(st.sampled_from(["&", "#", "x", "amp", "lt", ";", "=", "4", "a", " ", "notit", "&copy", "&#x26"])).map(
        "".join
    )
)
def test_references_read_as_in_a_parser(raw: str) -> None:
    """Character references in attributes are decoded as a parser does it."""
    node = LexborHTMLParser(f'<body><p title="{raw}">').css_first("p")
    assert node is not None
    assert attribute_text(raw) == (node.attributes["title"] or "")


@pytest.mark.parametrize(("source", "decision"), [
    ("<svg><meta>{= v =}", "text"),
    ("<svg><meta <p>{= v =}", "text"),
    ("<svg><g>{= v =}", "foreign-text"),
    ("<svg><foreignObject><p>{= v =}", "text"),
    ("<select><td>{= v =}", "place-refused"),
    ("<noscript><td>{= v =}", "place-refused"),
    ("<template><col>{= v =}", "place-refused"),
    ("</head>{= v =}", "place-refused"),
    ("<head></head>{= v =}", "place-refused"),
    ("<body></head>{= v =}", "text"),
    ("<noscript></noscript><p>{= v =}<noscript></noscript>", "text"),
    ("<script>return\n{= v =}</script>", "script-statement"),
    ("<script>x = y\n{= v =}</script>", "place-refused"),
])  # fmt: skip
def test_what_decides_on_a_place(source: str, decision: str) -> None:
    """What a value is depends on each of these."""
    try:
        assert " ".join(engine.compile(source).placements[0].escapers) == decision
    except UntorError as error:
        assert error.code == decision
