"""What editors are told about a template: hover, completion, signatures, places of names, new names, the outline."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import pytest

from untor import Engine
from untor.check.checker import CheckOptions
from untor.demo.views import pages
from untor.language_server import symbols
from untor.language_server.actions import actions
from untor.language_server.completion import completions
from untor.language_server.hover import hover
from untor.language_server.navigation import definitions, places, symbol_at
from untor.language_server.positions import Positions
from untor.language_server.rename import CannotRename, applied, renamed
from untor.language_server.semantic_tokens import TYPES, semantic_tokens
from untor.language_server.signature import signature
from untor.language_server.workspace import EditedSite, Opened

if TYPE_CHECKING:
    from untor.language_server.workspace import Document

HEAD = '<! layout "frame" title="x" !>\n<! takes calls: list[Call], day: date, call: Call !>\n<! part row(vessel: Vessel, wide = False) !><! slot aside !><! end !>\n'


@pytest.fixture(scope="module")
def site() -> EditedSite:
    """The demo, as an editor has it."""
    return EditedSite(Opened(pages, CheckOptions()))


def typed(site: EditedSite, text: str) -> tuple[Document, int]:
    """Return the page ``tried.html`` with a text after its head, and the offset of its cursor."""
    whole = HEAD + text
    at = whole.index("§")
    site.loader.put(f"{site.loader.entries[0][1]}/tried.html", whole.replace("§", ""))
    site.changed("tried.html")
    document = site.document("tried.html")
    assert document is not None
    return document, at


COMPLETED = """
{= §                                          | calls day call range link asset say locale True not
{= ca§                                        | calls call
{= call.§                                     | id vessel berth arrives cargo waiting
{= call.vessel.§ =}                           | name kind
{= call.berth?.§ ?? 1 =}                      | code quay depth
{= (call.vessel).na§                          | name
{= calls[0].§ =}                              | vessel
{= calls | first |§                           | upper date trusted
{= "a" | cl§                                  | clip cleaned
{= day | date("§") =}                         | d_MMMM_y full
{= calls | sorted("§                          | vessel arrives
{= 3 | number(§) =}                           | digits locale calls
{= call.cargo §                               | and if is in
<! for each in calls !>{= each.§<! end !>     | vessel
<! for each in calls if each.§                | vessel
<! for each in call§                          | calls call
<! for a in calls as n !>{= n.§ =}<! end !>   | number first last
<! let v = call.vessel !>{= v.§ =}            | name
<! if call.§ !><! end !>                      | vessel
<table>{= call.§ =}</table>                   | vessel
<p {= call.§ =}>                              | vessel
<! §                                          | for if include verbatim
<!in§                                         | include into
<! include "§                                 | frame notice search
<! include row from "§                        | notices
<! include §                                  | row
<! include row §                              | vessel wide
<! include row vessel=call.vessel, §          | wide calls
<! include "notice" message=call.§            | vessel
<! into §                                     | head heading
<! use row !><! into §                        | aside
<! if a !><! for b in calls !><! end §        | for if
<! takes a: §                                 | str list date Call Vessel
<! part p(a: list[§                           | str Call
"""


@pytest.mark.parametrize("row", [row for row in COMPLETED.splitlines() if row])
def test_completion(site: EditedSite, row: str) -> None:
    """What can be written at the cursor is offered, and put in the place of what is typed."""
    text, wanted = row[:46].rstrip(), row[48:]
    document, offset = typed(site, text + "\n<p>after</p>")
    found = completions(document, offset)
    labels = {item.label for item in found}
    assert {word.replace("_", " ") for word in wanted.split()} <= labels
    for item in found:
        assert item.text_edit is not None
        start = document.offset(item.text_edit.range.start)  # type: ignore[union-attr]
        assert document.source.text[start:offset] in {"", "ca", "cl", "na", "in", "call", *labels}
        assert "$" not in item.text_edit.new_text


NOTHING = [
    "text§", "<p>{= call =}§", "<!-- {= § -->", "<! note x.§ !>", "<! let §", "<! for §", "{= call.name.§",
    "<! verbatim !>{= §",
]  # fmt: skip


@pytest.mark.parametrize("text", [*NOTHING, '{= call.cargo | money("§'])
def test_no_completion(site: EditedSite, text: str) -> None:
    """Where any text, or only a new name can be, nothing is offered."""
    assert completions(*typed(site, text)) == []


HOVERED = """
<a href="/x?v={= call.cargo§ =}">                      | cargo: str \\| None; url-query in attribute "href"
<script>var a = {= call.v§essel.name =};</script>      | vessel: Vessel; script
{= day | da§te("y") =}                                 | value \\| date(pattern='medium'; CLDR; text
{= li§nk("arrivals") =}                                | link(name; path
{= day§ =}                                             | day: date; Parameter
<! for each in calls as n !>{= ea§ch.id =}<! end !>    | each: Call; Loop item
<! for each in calls as n !>{= n§.first =}<! end !>    | position of the loop; first
<! let v = call.vessel !>{= v§.name =}                 | v: Vessel; Named value
<! in§clude "notice" message=1 !>                      | include "NAME"; sees only
<! include "not§ice" message=1 !>                      | notice.html; message: Message
<! include r§ow vessel=call.vessel !>                  | row(vessel: Vessel, wide = False)
<p>{= call.§                                           | text
<p title="{= day§                                      | attribute "title"
<! if call. !>{= day§ =}<! end !>                      | day: date
<! for in !>{= day§ =}<! end !>                        | day: date
<! for each in calls if !>{= each§.id =}<! end !>      | each: Call
<! include row vessel= !>{= day§ =}                    | day: date
{= call. =}{= day§ =}                                  | day: date
{= day | =}{= day§ =}                                  | day: date
{= f( =}{= day§ =}                                     | day: date
<! let x = !>{= day§ =}                                | day: date
<! {= day§ =}                                          | day: date
{= "a =}{= day§ =}                                     | day: date
<! fro {= day§ =}                                      | day: date
<! end !>{= day§ =}                                    | day: date
"""


@pytest.mark.parametrize("row", [row for row in HOVERED.splitlines() if row])
def test_hover(site: EditedSite, row: str) -> None:
    """Where a value is printed, its type and its escaping; also beside marks that are being typed."""
    text, wanted = row[:55].rstrip(), row[57:]
    found = hover(*typed(site, text))
    if not wanted:
        assert found is None
        return
    assert found is not None
    for words in wanted.replace("\\|", "|").split("; "):
        assert words in found[0], found[0]


@pytest.mark.parametrize(("text", "label", "active"), [
    ("{= day | date(§", "date(pattern='medium', *, locale=None, timezone=None)", 0),
    ('{= day | date("y", locale="de§") =}', "date(pattern='medium', *, locale=None, timezone=None)", 2),
    ('{= link("vessel", §', "link(name, **parameters)", 1),
    ("<! include row vessel=call.vessel, §!>", "include row vessel: Vessel, wide = False", 1),
    ("<! include row wide=§ !>", "include row vessel: Vessel, wide = False", 1),
    ("{= (§", None, 0),
    ("text (§", None, 0),
])  # fmt: skip
def test_signature(site: EditedSite, text: str, label: str | None, active: int) -> None:
    """The call that the cursor is in, and which of its arguments."""
    found = signature(*typed(site, text))
    assert (found and found.signatures[0].label) == label
    if found:
        assert found.active_parameter == active


def test_definitions(site: EditedSite) -> None:
    """Names, parts, templates and slots lead to where they are written, attributes and types to Python."""
    for text, file, line in (
        ("{= cal§l.id =}", "tried.html", 1),
        ("{= call.ves§sel =}", "harbour.py", None),
        ("<! let v = 1 !>{= v§ =}", "tried.html", 3),
        ("<! include ro§w vessel=call.vessel !>", "tried.html", 2),
        ("<! include row ves§sel=call.vessel !>", "tried.html", 2),
        ('<! include "noti§ce" message=1 !>', "notice.html", 0),
        ("<! into head§ing !>x<! end !>", "frame.html", None),
        ("{= li§nk('arrivals') =}", "routes.py", None),
    ):
        (found,) = definitions(*typed(site, text))[:1]
        assert found.uri.endswith(f"/{file}"), text
        assert line in {None, found.range.start.line}, text


FILES = {
    "page.html": '<! layout "base" !><! takes ship !><! include row from "parts" call=ship, wide !>{= ship.name =}'
    "<! for call in ship.calls !>{= call.day =}{= wide =}<! end !><! into side !>x<! end !>",
    "parts.html": "<! part row(call, wide = 1) !>{= call.name =}<! include row call !><! slot side !><! end !>",
    "base.html": "<title><! slot side !></title><! slot !>",
    "row.html": "<! takes call !>{= call =}<! let more = call !>{= more =}",
    "both.html": "<! let a = 1 !><! let b = 2 !>{= a =}{= b =}",
    "uses.html": '<! include "row" call=1 !><! for call in calls !><! include "row" call !><! end !>',
}


@pytest.fixture
def small(tmp_path: Path) -> EditedSite:
    """A site whose names are renamed."""
    for name, text in FILES.items():
        (tmp_path / name).write_text(text, "utf-8")
    site = EditedSite(Opened(Engine(tmp_path), CheckOptions()))
    while site.kept.work() is not None:
        pass
    return site


@pytest.mark.parametrize(("file", "text", "new", "wanted"), [
    ("page.html", "call in", "each", {"page.html": "for each in ship.calls !>{= each.day"}),
    ("parts.html", "call.name", "v", {"parts.html": "row(v, wide = 1) !>{= v.name =}<! include row v !>",
                                      "page.html": '"parts" v=ship'}),
    ("page.html", "wide !>", "big", {}),
    ("page.html", "row from", "line", {"page.html": "include line from", "parts.html": "part line(call"}),
    ("page.html", "side !>x", "edge", {"page.html": "into edge", "base.html": "slot edge"}),
    ("row.html", "call !>{", "v", {"row.html": "<! takes v !>{= v =}<! let more = v", "uses.html": '"row" v=1'}),
    ("uses.html", "call in", "c", {"uses.html": 'for c in calls !><! include "row" call=c !>'}),
])  # fmt: skip
def test_rename(small: EditedSite, file: str, text: str, new: str, wanted: dict[str, str]) -> None:
    """A new name is written in all templates; pages stay the same, and names that are passed keep what they mean."""
    document = small.document(file)
    assert document is not None
    data = {"ship": {"name": "Gannet", "calls": [{"day": 1}]}, "calls": [1, 2], "wide": 2}

    def pages_now(texts: dict[str, str]) -> dict[str, object]:
        for name, whole in texts.items():
            Path(small.loader.entries[0][1], name).write_text(whole, "utf-8")
        engine = Engine(small.loader.entries[0][1])
        return {name: _rendered(engine, name, data) for name in FILES}

    before = pages_now(FILES)
    if not wanted:
        with pytest.raises(CannotRename):
            renamed(document, document.source.text.index(text), new)
        return
    edits = renamed(document, document.source.text.index(text), new)
    after = {**FILES, **{owner.name: applied(owner.source.text, each) for owner, each in edits.items()}}
    for name, part in wanted.items():
        assert part in after[name]
    assert {owner.name for owner in edits} == {*wanted}
    if "parts.html" not in wanted:
        assert pages_now(after) == before


def _rendered(engine: Engine, name: str, data: dict[str, object]) -> object:
    try:
        return engine.render(name, data)
    except Exception as error:  # noqa: BLE001  the same one afterwards
        return type(error).__name__


@pytest.mark.parametrize(("file", "text", "new"), [
    ("both.html", "a = 1", "b"),
    ("page.html", "call in", "wide"),
    ("page.html", "call in", "if"),
    ("page.html", "call in", "_x"),
    ("page.html", "ship !>", "vessel"),
    ("page.html", "base", "frame"),
    ("parts.html", "call.name", "wide"),
])  # fmt: skip
def test_no_rename(small: EditedSite, file: str, text: str, new: str) -> None:
    """What views pass, what files are called, and what would hide another name keeps its name."""
    document = small.document(file)
    assert document is not None
    with pytest.raises(CannotRename):
        renamed(document, document.source.text.index(text), new)


def test_no_rename_in_translated_messages(site: EditedSite) -> None:
    """A name that translations have in them stays; one that they do not have can be another."""
    document, offset = typed(site, "<! let who§ = 1 !><! say !>{= who =} calls<! end !>")
    with pytest.raises(CannotRename, match="so have its translations"):
        renamed(document, offset, "name")
    document, offset = typed(site, "<! let who§ = call !><! say !>{= who.cargo =} calls<! end !>")
    assert renamed(document, offset, "name")


def test_references(small: EditedSite) -> None:
    """All places of a name, in all templates."""
    document = small.document("parts.html")
    assert document is not None
    symbol = symbol_at(document, document.source.text.index("call, wide"))
    assert symbol is not None
    found = [(place.document.name, place.document.source.text[place.start : place.end]) for place in places(symbol)]
    assert sorted(set(found)) == [("page.html", "call"), ("parts.html", "call")]
    assert len(found) == 5


def test_outline(small: EditedSite) -> None:
    """Symbols, folding, links and tokens."""
    document = small.document("page.html")
    parts = small.document("parts.html")
    assert document is not None
    assert parts is not None
    assert [(each.name, each.detail) for each in symbols.document_symbols(document)] == [
        ("base", "layout"), ("ship", "takes"), ("side", "into"),
    ]  # fmt: skip
    (row,) = symbols.document_symbols(parts)
    assert (row.name, [each.name for each in row.children or []]) == ("row", ["side"])
    assert [each.name for each in symbols.workspace_symbols([document, parts], "rw")] == ["row"]
    assert [link.tooltip for link in symbols.links(document)] == ["base.html", "parts.html"]
    text = "<! if a !>\n<! note b\n c !>\n<! else !>\n\n{= x =}\n\n<! end !>\n<! verbatim !>\n\n<! end !>"
    assert [(each.start_line, each.end_line) for each in symbols.folding(_alone(text))] == [
        (0, 2), (3, 6), (8, 9), (1, 2),
    ]  # fmt: skip


def _alone(text: str) -> Document:
    site = EditedSite(Opened(Engine("."), CheckOptions(), is_whole=False))
    site.loader.put("alone.html", text)
    site.changed("alone.html")
    document = site.document("alone.html")
    assert document is not None
    return document


def test_semantic_tokens() -> None:
    """Each token of each mark, at its place in UTF-16, also after letters of two units."""
    text = '<! takes a: list[str] = [] !><! note x !>\n<p>\U0001f6a2 {= ship.name | date("y") ?? 1 =}</p>'
    found, line, column = [], 0, 0
    numbers = semantic_tokens(_alone(text))
    for lines, columns, length, kind, _ in zip(*[iter(numbers)] * 5, strict=True):
        line, column = line + lines, columns + (0 if lines else column)
        encoded = text.split("\n")[line].encode("utf-16-le")
        found.append((encoded[column * 2 : (column + length) * 2].decode("utf-16-le"), TYPES[kind]))
    assert found == [
        ("<! takes", "keyword"), ("a", "parameter"), (":", "operator"), ("list", "type"),
        ("[", "operator"), ("str", "type"), ("]", "operator"), ("=", "operator"), ("[", "operator"), ("]", "operator"),
        ("!>", "keyword"), ("<! note x !>", "comment"),
        ("{=", "operator"), ("ship", "variable"), (".", "operator"), ("name", "property"), ("|", "operator"),
        ("date", "function"), ("(", "operator"), ('"y"', "string"), (")", "operator"), ("??", "operator"), ("1", "number"),
        ("=}", "operator"),
    ]  # fmt: skip


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "utf-32"])
def test_positions(encoding: str) -> None:
    """Offsets and positions are one another in every encoding, in any line breaks and letters."""
    source = _alone("a\r\n\U0001f6a2bé\rc\u2028d\n").source
    positions = Positions(encoding)
    for offset in range(len(source.text) + 1):
        if source.text[offset - 1 : offset + 1] != "\r\n":
            position = positions.position(source, offset)
            start = source.starts[position.line]
            assert position.character == len(
                source.text[start:offset].encode(f"{encoding}-le".replace("8-le", "8"))
            ) // (int(encoding[4:]) // 8)
            assert positions.offset(source, position) == offset


def test_actions(site: EditedSite) -> None:
    """Hints are fixes, and a rule can be accepted in its line."""
    document, offset = typed(site, "<p>\n  {= call.vessel.nme§ =}")
    found = {action.title: action for action in actions(document, offset, offset)}
    assert [*found] == ["Write name", "Accept type-attribute in this line"]
    edit = found["Accept type-attribute in this line"].edit
    assert edit is not None
    assert edit.changes is not None
    ((change,),) = edit.changes.values()
    assert change.new_text == "  <! note accept type-attribute: why this is right here !>\n"
    assert change.range.start.character == 0
