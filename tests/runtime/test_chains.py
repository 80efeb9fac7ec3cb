"""How the page got to the place of an error or of a report: by which steps, and at which items of which loops."""

from __future__ import annotations

import asyncio
from typing import TYPE_CHECKING, Any

import pytest

from untor import Engine, Template, UntorError
from untor.codegen import build
from untor.escape.accelerated import IS_BUILT

if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Callable, Iterator
    from pathlib import Path

CHAIN = {
    "frame.html": "<title>{= title =}</title><body><! slot !>",
    "page.html": '<! layout "frame" title=name !><p><! include "board" calls !></p>',
    "board.html": '<ul><! for call in calls !>\n<! include "row" call !><! end !></ul><! include note x=1 / n? ?? 1 !>'
    "<! part note(x) !>{= x =}<! end !>",
    "row.html": '<li><! use "box" !>{= call.name | upper =}{= call.tons + 1 =}<! end !><! include "box" wide=call.wide !>',
    "box.html": "<b>{= [call?, 1] | sum =}<! slot else !>{= wide.x =}<! end !></b>",
}
CHAINS = [
    ({"name": "x"}, "row.html", ("included by board.html, line 2", 'item 2 of "calls"', "included by page.html, line 1")),
    ({"name": "x", "tons": 1}, "row.html", ("included by board.html, line 2", 'item 2 of "calls"', "included by page.html, line 1")),
    ({"name": 5, "tons": 1, "wide": {}}, "box.html", ("included by row.html, line 1", "included by board.html, line 2", 'item 2 of "calls"', "included by page.html, line 1")),
]  # fmt: skip


@pytest.mark.parametrize(("call", "name", "chain"), CHAINS, ids=range(3))
def test_how_the_page_got_there(tmp_path: Path, call: object, name: str, chain: tuple[str, ...]) -> None:
    """An error in a piece of a page says which steps led to it, in every way to render."""
    for file, text in CHAIN.items():
        (tmp_path / file).write_text(text, "utf-8")
    template = Engine(tmp_path).template("page")
    values = {"name": "Ellery", "calls": [{"name": "a", "tons": 1, "wide": {"x": 1}}, call]}
    ways: list[Callable[[], object]] = [
        lambda: template.render(values),
        lambda: list(template.stream(values)),
        lambda: asyncio.run(template.render_async(values)),
    ]
    for way in ways:
        with pytest.raises(UntorError) as found:
            way()
        assert (found.value.name, found.value.chain) == (name, chain)
        assert str(found.value).startswith(f"{name}, line 1, column {found.value.column}, {', '.join(chain)}: ")
    with pytest.raises(UntorError) as found:
        template.render({**values, "name": [1]})
    assert (found.value.name, found.value.chain) == ("frame.html", ("the layout of page.html, line 1",))


# --- loops -----------------------------------------------------------------------------------------------------------

FINE, BAD = {"n": 1}, {"n": "x"}
TREE = [{"x": 1, "k": []}, {"x": 1, "k": [{"x": "1", "k": []}]}]


def generated() -> Iterator[object]:
    """Yield calls, the third one bad."""
    yield from (FINE, FINE, BAD)


async def awaited() -> AsyncIterator[object]:
    """Yield calls, the second one bad."""
    for call in (FINE, BAD):
        yield call


DATA: dict[str, Any] = {
    "calls": [FINE, BAD, FINE],
    "pairs": [(1, FINE), (2, BAD)],
    "by": {"a": FINE, "b": FINE, "c": BAD},
    "generated": generated,
    "awaited": awaited,
    "tree": TREE,
}
NESTED = ("".join(f"<! for x{number} in [1, 2] !>" for number in range(10)), "<! end !>" * 10)
CALLS, TWO = 'item 2 of "calls"', 'item 1 of "[1, 2]"'
ITEMS: list[tuple[str, tuple[str, ...]]] = [
    ("<! for c in calls !>{= c.n + 1 =}<! end !>", (CALLS,)),
    ("<! for c in calls as row !>{= row.index =}{= row.last =}{= c.n + 1 =}<! end !>", (CALLS,)),
    ("<! for c in calls as row !>{= row.total =}{= c.n + 1 =}<! end !>", (CALLS,)),
    ("<! for c in calls if c.n + 1 !>x<! end !>", (CALLS,)),
    ("<! for c in calls if c.n + 1 as row !>{= row.total =}<! end !>", (CALLS,)),
    ("<! for c in calls if c.n + 1 as row !>{= row.last =}<! end !>", ()),
    ("<! for c in calls if c.n as row !>{= row.total =}{= row.last =}{= c.n + 1 =}<! end !>", (CALLS,)),
    ("<! for c in calls if c.n != 1 !>{= c.n + 1 =}<! between !>, <! end !>", (CALLS,)),
    ("<! for c in calls !>{= c.n =}<! between !>{= c.n + 1 =}<! end !>", (CALLS,)),
    ("<! for i, c in pairs !>{= c.n + 1 =}<! end !>", ('item 2 of "pairs"',)),
    ("<! for k, c in by !>{= c.n + 1 =}<! else !>{= x =}<! end !>", ('item 3 of "by"',)),
    ("<! for k in by !>{= by[k].n + 1 =}<! end !>", ('item 3 of "by"',)),
    ("<! for c in generated() !>{= c.n + 1 =}<! end !>", ('item 3 of "generated()"',)),
    ("<! for c in [1, 2] !><! for d in calls !><! use comp !>{= d.n + 1 =}<! end !><! end !><! end !>", (CALLS, TWO)),
    ("<! for c in [1, 2] !><! use comp !><! for d in calls !>{= d.n + 1 =}<! end !><! end !><! end !>", (CALLS, TWO)),
    ("<! for c in [1, 2] !><! end !>{= calls.x =}", ()),
    ("<! for c in calls.x !>{= c =}<! end !>", ()),
    ("<! for c in [] !>a<! else !>{= calls.n =}<! end !>", ()),
    (NESTED[0] + "{= calls.x =}" + NESTED[1], (f"{TWO} (many times)",)),
    ("<a href='<! for c in calls !>{= c.n + 1 =}<! end !>{= c =}'>x</a>", (CALLS,)),
    (
        "<! part p(n) !><! for c in n !>{= c.x + 1 =}<! include p n=c.k !><! end !><! end !><! include p n=tree !>",
        ('item 1 of "n"', "included by inline.html, line 1", 'item 2 of "n"', "included by inline.html, line 1"),
    ),
]
AWAITED: list[tuple[str, tuple[str, ...]]] = [
    ("<! for c in awaited() !>{= c.n + 1 =}<! end !>", ('item 2 of "awaited()"',)),
    ("<! for c in awaited() if c.n + 1 !>{= c.n =}<! end !>", ('item 2 of "awaited()"',)),
    ("<! for c in awaited() as row !>{= row.last =}{= c.n + 1 =}<! end !>", ('item 2 of "awaited()"',)),
]


async def joined(template: Template) -> str:
    """Return a page that comes in chunks."""
    return "".join([chunk async for chunk in template.stream_async(DATA)])


@pytest.mark.parametrize("extension", [True, False], ids=["program", "python"])
@pytest.mark.parametrize(("source", "chain"), ITEMS + AWAITED, ids=range(len(ITEMS + AWAITED)))
def test_items_are_told(
    source: str, chain: tuple[str, ...], *, extension: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An error in a loop says which item it was at, of each loop around it, in every way to render."""
    monkeypatch.setattr(build, "IS_BUILT", extension and IS_BUILT)
    template = Engine().compile(source + "<! part comp() !><i><! slot !></i><! end !>")
    ways: list[Callable[[], object]] = [
        lambda: asyncio.run(template.render_async(DATA)),
        lambda: asyncio.run(joined(template)),
    ]
    if (source, chain) in ITEMS:
        ways += [lambda: template.render(DATA), lambda: list(template.stream(DATA))]
    for way in ways:
        with pytest.raises(UntorError) as found:
            way()
        assert found.value.chain == chain


# --- what is blocked -------------------------------------------------------------------------------------------------

BLOCKED = [
    ("<a href={= url =}>", "javascript:1", "url"),
    ("<a href='{= '' =}{= url =}'>", "javascript:1", "''"),
    ("<a href='<! if url !>{= url =}<! end !>{= 1 =}'>", "javascript:1", "1"),
    ("<a href='<! if url !>{= url =}<! end !>'>", "javascript:1", "<! if url !>"),
    ("<a href='/a/{= url =}/b'>", "..", "url"),
    ("<p style='width: {= url =}'>", "a;b", "url"),
    ("<script src={= url =}></script>", "//evil.example/a.js", "url"),
    ("<! let x = 1 !><b title={= x =}>{= x =}</b><a href={= url =}>{= x =}</a>", "javascript:1", "url"),
]


@pytest.mark.parametrize("extension", [True, False], ids=["program", "python"])
@pytest.mark.parametrize(("markup", "url", "expression"), BLOCKED, ids=range(len(BLOCKED)))
def test_blocked_values_have_their_place(
    markup: str,
    url: str,
    expression: str,
    *,
    extension: bool,
    monkeypatch: pytest.MonkeyPatch,
    caplog: pytest.LogCaptureFixture,
) -> None:
    """A record about a blocked value names the template, line, column, expression, and how the page got there."""
    monkeypatch.setattr(build, "IS_BUILT", extension and IS_BUILT)
    template = Engine().compile(
        f"<! for url in urls !>\n<! include row url !><! end !><! part row(url) !>{markup}<! end !>"
    )
    data = {"urls": ["", "/x", url]}
    for page in (template.render(data), "".join(template.stream(data)), asyncio.run(template.render_async(data))):
        assert url not in page
    chain = ("included by inline.html, line 2", 'item 3 of "urls"')
    records = [record for record in caplog.records if url in record.getMessage()]
    assert len(records) == 3
    for record in records:
        assert vars(record).items() >= {"name": "untor.blocked", "template": "inline.html", "line": 2}.items()
        assert (vars(record)["expression"], vars(record)["chain"]) == (expression, chain)
        assert record.getMessage().startswith(
            f"inline.html, line 2, column {vars(record)['column']}, {', '.join(chain)}: blocked "
        )
