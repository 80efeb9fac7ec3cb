"""The probe: it finds what analysis cannot know, and nothing in what is right."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import dataclass
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import pytest
from support import cases, untor

from untor import Engine, RenderError, TrustedCSS, TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL, UntorError
from untor.demo import views
from untor.demo.harbour import Harbour, make_database
from untor.probe.payloads import HOSTILE
from untor.probe.script_shape import json_shape, script_shape, style_shape
from untor.probe.substitute import replaced
from untor.testing import probe, same_structure

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path


@dataclass
class Flag:
    """An object that says it is HTML and forgets to escape what is in it."""

    country: str

    def __html__(self) -> str:
        return f'<span title="{self.country}"></span>'


@dataclass
class GoodFlag(Flag):
    """One that does not forget."""

    def __html__(self) -> str:
        return f'<span title="{self.country.replace("&", "&amp;").replace(chr(34), "&#34;")}"></span>'


def html(value: object) -> TrustedHTML:
    return TrustedHTML(f"<b>{value}</b>", reason="wrong")


def knots(value: object) -> TrustedHTML:
    return TrustedHTML(f"<b>{value if str(value).isalnum() else ''}</b>", reason="right: letters and digits only")


NOTE = {"note": "All well", "notes": [{"text": "All well", "by": "Runa"}]}
FAULTS: list[tuple[str, str, dict[str, Any], dict[str, Any], str, str]] = [
    ("a wrong trusted", '<p>{= note | trusted("typed by skippers") =}</p>', {}, NOTE, "1:7", "note"),
    ("a filter that builds HTML", "<p>{= note | bold =}</p>", {"filters": {"bold": html}}, NOTE, "1:7", "note"),
    ("a helper that builds HTML", "<p>{= bold(note) =}</p>", {"helpers": {"bold": html}}, NOTE, "1:12", "note"),
    ("an object whose __html__ lies", "<p>{= flag =}</p>", {}, {"flag": Flag("Ellery")}, "1:7", "flag"),
    ("a name given to it", "<! let x = note | bold !><p>{= x =}</p>", {"filters": {"bold": html}}, NOTE, "1:12", "note"),
    ("passed on", "<! part p(x) !>{= x =}<! end !><! include p x=bold(note) !>", {"helpers": {"bold": html}}, NOTE, "1:52", "note"),
    ("looped over", "<! for n in notes | shown !><p>{= n =}</p><! end !>", {"filters": {"shown": lambda notes: [html(note["text"]) for note in notes]}}, NOTE, "1:13", "notes"),
    ("a link of any scheme", '<a href="{= note | link =}">x</a>', {"filters": {"link": lambda x: TrustedURL(str(x), reason="wrong")}}, NOTE, "1:13", "note"),
    ("schemes that run code", '<a href="{= note =}">x</a>', {"url_schemes": ["javascript"]}, NOTE, "1:13", "note"),
    ("code from anywhere", '<script src="{= note | cdn =}"></script>', {"filters": {"cdn": lambda x: TrustedScriptURL(f"https://{x}.example/a.js", reason="wrong")}}, NOTE, "1:17", "note"),
    ("script", "<script>start({= note | code =})</script>", {"filters": {"code": lambda x: TrustedScript(f"'{x}'", reason="wrong")}}, NOTE, "1:18", "note"),
    ("a handler", "<p onclick='start({= note | code =})'>x</p>", {"filters": {"code": lambda x: TrustedScript(f'"{x}"', reason="wrong")}}, NOTE, "1:22", "note"),
    ("style", '<p style="color: {= note | css =}">x</p>', {"filters": {"css": lambda x: TrustedCSS(str(x), reason="wrong")}}, NOTE, "1:21", "note"),
    ("a style sheet", "<style>p { background: {= note | css =} }</style>", {"filters": {"css": lambda x: TrustedCSS(str(x), reason="wrong")}}, NOTE, "1:27", "note"),
]  # fmt: skip


@pytest.mark.parametrize("fault", FAULTS, ids=[fault[0] for fault in FAULTS])
def test_planted_fault(fault: tuple[str, str, dict[str, Any], dict[str, Any], str, str], tmp_path: Path) -> None:
    """Each planted fault is found once, at its place, with a short value and two structures."""
    title, template, options, context, place, expression = fault
    (tmp_path / "page.html").write_text(template, "utf-8")
    found = probe(Engine(tmp_path, **options), "page", context)
    assert [(str(site), site.expression) for change in found.changes for site in change.sites] == [
        (f"page.html:{place}", expression)
    ], title
    change = found.changes[0]
    assert len(change.values[0]) <= 12, change.values
    assert "≠" in str(change)
    assert change.structures.startswith("  with a harmless value")


CLEAN = [
    (
        "<p>{= flag =}{= note | knots =}{= body =}</p>",
        {"filters": {"knots": knots}},
        {"flag": GoodFlag("Ellery"), "body": TrustedHTML("<i>x</i>", reason="cleaned"), **NOTE},
    ),
    (
        "<! for n in notes !><p title={= n.by =} hidden={= n.text =}>{= n.text | upper =}</p><! else !>none<! end !>",
        {},
        NOTE,
    ),
    ('<! if note == "All well" !><b>{= note =}</b><! end !><i>{= note | clip(3) =}</i>', {}, NOTE),
    (
        '<a href="/{= note =}?q={= note =}#{= note =}">x</a><a href="{= note =}{= note =}">y</a><img srcset="{= note =} 2x">',
        {},
        NOTE,
    ),
    (
        "<script>f({= notes =}, '{= note =}', `{= note =}`, /{= note =}/)</script><p onclick=\"f({= note =})\">",
        {},
        NOTE,
    ),
    ('<style>p { color: {= note =}; background: url("{= note =}") }</style><p style="--x: {= note =}">', {}, NOTE),
    ('<iframe srcdoc="<p>{= note =}</p>"></iframe><textarea>{= note =}</textarea><title>{= note =}</title>', {}, NOTE),
    ('<script type="application/json">{"a": {= notes =}, "b": "{= note =}"}</script>', {}, NOTE),
    (
        "<p>{= day | date =} {= count + 1 =} {= nothing? =} {= notes[0].by ?? note =}</p>",
        {},
        {"day": "2031-05-17", "count": 3, **NOTE},
    ),
]


@pytest.mark.parametrize(("template", "options", "context"), CLEAN)
def test_nothing_in_what_is_right(
    template: str, options: dict[str, Any], context: dict[str, Any], tmp_path: Path
) -> None:
    """Escaped values, filters that look at what they trust, and objects that escape, are not reported."""
    (tmp_path / "page.html").write_text(template, "utf-8")
    found = probe(Engine(tmp_path, **options), "page", context)
    assert not found.changes, "\n".join(map(str, found.changes))
    assert not found.missed
    assert found.renderings - found.refused >= len(HOSTILE)


def test_nothing_in_all_places(tmp_path: Path) -> None:
    """In no place of the tables of cases does a value get through, but where it is trusted; none is reported wrongly."""
    tried = changed = 0
    for number, case in enumerate(cases("places.txt")):
        (tmp_path / f"page{number}.html").write_text(case.parts["template"], "utf-8", newline="")
        context = {"x": "a", "y": ["b"], "z": "c", "xs": ["a"]}
        try:
            found = probe(Engine(tmp_path), f"page{number}", context, values=HOSTILE[::8])
        except UntorError:
            continue
        tried += found.placements > 0
        changed += bool(found.changes)
        assert not found.changes or "trusted(" in case.parts["template"], "\n".join(map(str, found.changes))
    assert tried > 180
    assert changed >= 2


def test_clean_demo(tmp_path: Path) -> None:
    """Nothing gets through the pages of the demo."""
    make_database(tmp_path / "harbour")
    with Harbour(tmp_path / "harbour") as harbour:
        wrong = {"author": "x", "text": "y"}
        for name, context in {
            "arrivals": views.arrivals(harbour),
            "vessel": views.vessel(harbour, harbour.vessels()[2]),
            "notices": views.notices(harbour, {"author": "a", "vessel": "3", "text": "b", "urgent": "on"}, wrong),
            "invoice": views.invoice(harbour.invoices()[2]),
            "search": views.search(harbour, "e", "", 2),
        }.items():
            found = probe(views.pages, name, {**context, "sent_from": f"/{name}"}, values=HOSTILE[::5])
            assert found.changes == []
            assert found.placements > 25
            # Nothing but the names of routes can be given to the helper for links; this invoice is not late. No page of
            # results has both vessels and messages.
            if name != "search":
                assert {site.expression for site in found.missed} <= {"n", "name", "page", 'say("overdue")'}


def test_values_that_work_together(tmp_path: Path) -> None:
    """What only two values together can do is found, with both of them and no other."""

    def half(value: object) -> object:
        return TrustedHTML(str(value), reason="wrong") if value in {"<", "b>"} else value

    (tmp_path / "page.html").write_text("<p>{= c =}{= a | half =}{= b | half =}</p>", "utf-8")
    found = probe(Engine(tmp_path, filters={"half": half}), "page", {"a": "x", "b": "5", "c": "z"})
    assert {tuple(site.expression for site in change.sites) for change in found.changes} == {("a", "b")}


def test_what_could_not_be_tried(tmp_path: Path) -> None:
    """Placements that the data does not lead to are named, and never counted as good."""
    (tmp_path / "page.html").write_text("<! if more !><p>{= note =}</p><! end !><p>{= note =}</p>", "utf-8")
    found = probe(Engine(tmp_path), "page", {"more": False, "note": "x"})
    assert [str(site) for site in found.missed] == ["page.html:1:20"]
    with pytest.raises(RenderError):
        probe(Engine(tmp_path), "page", {})


def test_files_of_other_kinds(tmp_path: Path) -> None:
    """XML is read as XML; plain text has no structure."""
    (tmp_path / "chart.svg").write_text('<svg><a href="{= x =}">{= x | raw =}</a></svg>', "utf-8")
    (tmp_path / "mail.txt").write_text("{= x =}", "utf-8")
    raw: Callable[[object], object] = lambda x: TrustedHTML(str(x), reason="wrong")  # noqa: E731
    engine = Engine(tmp_path, filters={"raw": raw})
    found = probe(engine, "chart", {"x": "y"})
    assert [site.expression for change in found.changes for site in change.sites] == ["x"]
    assert "<script>" in found.changes[0].structures
    assert probe(engine, "mail", {"x": "y"}).renderings == 0


@pytest.mark.parametrize(("first", "second", "same"), [
    ("<p class=a>Sea Holly</p>", "<p class='b &lt;'>&lt;script></p>", True),
    ("<p>a</p>", "<p>a<b></b></p>", False),
    ("<p>a</p>", "<p id=x>a</p>", False),
    ("<p>a</p>", "<p>a</p><!-- x -->", True),
    ("<a href=/a>x</a>", "<a href=https://b.example/>x</a>", True),
    ("<a href=/a>x</a>", "<a href=javascript:x>x</a>", False),
    ("<a href=/a>x</a>", "<a href=about:invalid>x</a>", True),
    ("<script src=/a></script>", "<script src=//b.example/></script>", False),
    ("<script>f('a', 1)</script>", "<script>f('b\\'', 22)</script>", True),
    ("<script>f('a')</script>", "<script>f('a');g()</script>", False),
    ("<script type=module>import '/a'</script>", "<script type=module>import '//b.example/'</script>", False),
    ("<script type=module>import '/a'</script>", "<script type=module>import '/b'</script>", True),
    ("<script>import('/m/a')</script>", "<script>import('/m/../a')</script>", False),
    ("<script>new Worker('/a')</script>", "<script>new Worker('data:text/javascript,x')</script>", False),
    ("<script>'a'; f()</script>", "<script>'use strict'; f()</script>", False),
    ("<script>x = {'a': 1}</script>", "<script>x = {'__proto__': 1}</script>", False),
    ("<script>location = '/a'</script>", "<script>location = 'javascript:f()'</script>", False),
    ("<script>el.href = '/a'</script>", "<script>el.href = '/b'</script>", True),
    ("<style>@import '/a';</style>", "<style>@import 'https://b.example';</style>", False),
    ("<style>@layer a;</style>", "<style>@\\6c ayer b;</style>", True),
    ("<style>@keyframes a {}</style>", "<style>@media a {}</style>", False),
    ("<script>f(1)</script>", "<script>f(<a>)</script>", False),
    ("<p onclick=f('a')>", "<p onclick=f(alert())>", False),
    ("<p style='color:red'>", "<p style='color:blue'>", True),
    ("<p style='color:red'>", "<p style='color:url(x)'>", False),
    ("<style>p{a:b}</style>", "<style>p{a:b}q{a:b}</style>", False),
    ("<iframe srcdoc='<p>a'></iframe>", "<iframe srcdoc='<b>a'></iframe>", False),
    ("<img srcset='a.png 2x'>", "<img srcset='a.png 2x, b.png 3x'>", False),
    ("<meta http-equiv=refresh content='3;url=/a'>", "<meta http-equiv=refresh content='3;url=javascript:x'>", False),
    ('<script type="application/json">{"a":"b"}</script>', '<script type="application/json">{"a":1}</script>', False),
])  # fmt: skip
def test_same_structure(first: str, second: str, same: bool) -> None:  # noqa: FBT001
    """Two pages are compared as a parser reads them; a difference is shown."""
    found = same_structure(first, second)
    assert bool(found) is same
    assert same or "≠" in repr(found)


def test_shapes() -> None:
    """Scripts, JSON and styles that mean the same have the same shape; broken ones say so."""
    assert [*script_shape("f('a', `b${c}`, /d/) // e")] == [
        "f", "(", "string", ",", "`", "${", "c", "}", "`", ",", "regex", ")", "comment",
    ]  # fmt: skip
    assert "error" in [*script_shape("f('")]
    assert [*json_shape('{"a": [1, "b"]}')] == ["object of 1", "list of 2", "str", "number"]
    assert [*json_shape("{")] == ["that is none"]
    assert [*style_shape("@media x { a { b: url(c) !important } } /* d */", inside=False)] == [
        "rule @media", "rule", "b: !important", "url()", "comment",
    ]  # fmt: skip


def test_replaced() -> None:
    """A text takes the place of a value, or of the texts in it; the original stays as it was."""
    pair = SimpleNamespace(name="a", inner=[{"b": "c"}, ("d", 1)])
    pair.self = pair
    made: Any = replaced(pair, "x", prints=False)
    assert (made.name, made.inner, made.self) == ("x", [{"b": "x"}, ("x", 1)], made)
    assert (pair.name, pair.inner) == ("a", [{"b": "c"}, ("d", 1)])
    assert [replaced(value, "x", prints=True) for value in (1, None, True, "a")] == ["x"] * 4
    assert [replaced(value, "x", prints=False) for value in (1, None, True, "a")] == [1, None, True, "x"]


def test_command(tmp_path: Path) -> None:
    """The command says what it tried; its exit status says what came of it."""
    (tmp_path / "note.html").write_text("<p>{= note =}<! if old? !>{= old =}<! end !></p>", "utf-8")
    (tmp_path / "note.json").write_text(json.dumps(NOTE), "utf-8")
    status, output, errors = untor("probe", "note", "--data", "note.json", folder=tmp_path)
    count = len(HOSTILE)
    assert output == (
        f"note.html: {count} values in 1 placement of 1 page, alone and together.\n"
        f"{3 * count + 60} renderings, 0 ended in an error of a filter or a type.\n"
        "With this data 1 placement could not be tried:\n  note.html:1:30: old\n"
        "The structure stays the same.\n"
    )
    assert (status, errors) == (0, "")
    (tmp_path / "views.py").write_text(
        "import untor\npages = untor.Engine('.')\n@pages.filter\ndef bold(x):\n"
        "    return untor.TrustedHTML('<b>' + x + '</b>', reason='no')\n",
        "utf-8",
    )
    (tmp_path / "bold.html").write_text("<p>{= note | bold =}</p>", "utf-8")
    status, output, _ = untor("probe", "bold", "--data", "note.json", "--engine", "views:pages", folder=tmp_path)
    assert output.startswith("bold.html:1:7: the page changes when note (in text) is '<b'\n  first seen with '<b>'\n")
    assert output.endswith("The structure of the page changes: 1 change.\n")
    assert status == 1
    assert untor("probe", "note", folder=tmp_path)[::2] == (
        2,
        'untor: note.html, line 1, column 7: There is no "note" here.\n  1 | <p>{= note =}<! if old? !>{= old =}<! end !></p>\n'
        "    |       ^^^^\n  The page was given no values.\n",
    )
    assert untor("probe", "gone", folder=tmp_path)[0] == 2
    assert untor("probe", "note", "--data", "gone.json", folder=tmp_path)[0] == 2


def test_pytest_plugin(tmp_path: Path) -> None:
    """Each template is a test of its own, which fails with what is found in it."""
    (tmp_path / "pages").mkdir()
    (tmp_path / "pages/good.html").write_text("<p>{= x =}</p>", "utf-8")
    (tmp_path / "pages/bad.html").write_text("<main><section></main>", "utf-8")
    (tmp_path / "test_own.py").write_text("def test_own():\n    pass\n", "utf-8")
    command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "--rootdir", ".", "-q"]
    done = subprocess.run(
        [*command, "--untor", "pages"], cwd=tmp_path, capture_output=True, encoding="utf-8", check=False
    )
    assert "1 failed, 2 passed" in done.stdout
    assert "pages/bad.html:1:7: This <section> is never closed" in done.stdout
    assert "Traceback" not in done.stdout
    (tmp_path / "pyproject.toml").write_text('[tool.untor]\nfolders = ["pages"]\n', "utf-8")
    done = subprocess.run([*command, "--untor"], cwd=tmp_path, capture_output=True, encoding="utf-8", check=False)
    assert "1 failed, 2 passed" in done.stdout
    done = subprocess.run(
        [*command, "--untor", "gone"], cwd=tmp_path, capture_output=True, encoding="utf-8", check=False
    )
    assert (done.returncode, "--untor: there are no templates in gone" in done.stderr) == (4, True)
    done = subprocess.run(
        [*command, "--untor-engine", "x"], cwd=tmp_path, capture_output=True, encoding="utf-8", check=False
    )
    assert (done.returncode, "is not MODULE:NAME" in done.stderr) == (4, True)
