"""A site that is kept between checks: after any changes, what is found is what a check from the beginning finds."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from untor import Engine
from untor.check import kept_site
from untor.check.checker import CheckOptions, check, problems_of_page
from untor.check.findings import finding_of
from untor.check.kept_site import KeptSite
from untor.compiler.compiler import Compiler
from untor.loading.cache import CodeCache
from untor.loading.overlays import OverlayLoader

if TYPE_CHECKING:
    from pathlib import Path

    from untor.check.checker import PageProblems
    from untor.check.site import Site, SitePage
    from untor.diagnostics.source import Source

FILES = {
    "base.html": '<html lang="en"><title><! slot title else !>Port<! end !></title><body><! slot !></body></html>',
    "a.html": '<! layout "base" !><! takes calls: list !><! for c in calls !><! include "row" call=c !><! end !>',
    "b.html": '<! layout "base" !>{= x.y =}<! include cell from "parts" v=1 !>',
    "c.html": '<p>{= a =}<! include "row" call=a !></p>',
    "d.html": '<! include "c" a=1 !>',
    "row.html": "<! takes call !><p>{= call.name =}</p>",
    "parts.html": "<! part cell(v) !><b>{= v =}</b><! end !><! part other(z) !>{= z =}<! end !>",
}
PIECES = [
    *FILES.values(), *(f'<! include "{name[:-5]}" !>' for name in (*FILES, "new.html")), "<p>", "</b>", "{= q =}", "{= ",
    "<! into title !>x<! end !>", "<! if a !>", "<! end !>", "<! note accept element-unclosed: why !>", '<! layout "b" !>',
]  # fmt: skip
CHANGES = st.tuples(
    st.sampled_from([*FILES, "new.html"]), st.sampled_from([*PIECES, None]), st.integers(0, 60), st.integers(0, 6)
)


def made(folder: Path, files: dict[str, str]) -> tuple[Compiler, OverlayLoader]:
    """Return a compiler for files with unsaved text over them."""
    for name, text in files.items():
        (folder / name).write_text(text, "utf-8")
    compiler = Engine(folder).compiler
    loader = OverlayLoader(compiler.loader)
    return Compiler(loader, compiler.settings, CodeCache(None, compiler.settings.cache_key)), loader


def settle(site: KeptSite, pieces: int = -1) -> None:
    """Do what is left, or some pieces of it."""
    while pieces and site.work() is not None:
        pieces -= 1


@given(changes=st.lists(CHANGES, max_size=8))
@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow], deadline=None, max_examples=50
)
def test_as_from_the_beginning(
    tmp_path_factory: pytest.TempPathFactory, changes: list[tuple[str, str | None, int, int]]
) -> None:
    """Files change, come and go, with work left undone between; in the end all is found, and nothing else."""
    folder = tmp_path_factory.mktemp("site")
    compiler, loader = made(folder, FILES)
    site = KeptSite(compiler, CheckOptions())
    texts = dict(FILES)
    for name, piece, at, pieces in changes:
        if piece is None:
            texts.pop(name, None)
            (folder / name).unlink(missing_ok=True)
            loader.drop(str(folder / name))
        else:
            text = texts.get(name, "")
            texts[name] = text[:at] + piece + text[at + pieces :]
            loader.put(str(folder / name), texts[name])
        site.changed(name)
        settle(site, pieces)
    settle(site)
    fresh = Compiler(loader, compiler.settings, CodeCache(None, compiler.settings.cache_key))
    wanted = sorted((each.name, each.line, each.column, each.code) for each in check(fresh).findings)
    kept = [finding_of(problem) for name in site.names() for problem in site.problems(name)]
    assert sorted((each.name, each.line, each.column, each.code) for each in kept) == wanted


@pytest.mark.parametrize("count", [5, 100])
def test_a_keystroke_looks_at_one_page(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, count: int) -> None:
    """A change in a page, a layout or an include looks at one page at once, however many there are, and reads one file."""
    pages = {f"page{number}.html": '<! layout "base" !>{= x =}<! include "row" call=x !>' for number in range(count)}
    compiler, loader = made(tmp_path, {**FILES, **pages})
    site = KeptSite(compiler, CheckOptions())
    settle(site)
    looked: list[object] = []
    read: list[str] = []
    read_it = loader.read

    def look_at(of: Site, page: SitePage) -> PageProblems:
        looked.append(page)
        return problems_of_page(of, page)

    def read_one(name: str) -> Source:
        read.append(name)
        return read_it(name)

    monkeypatch.setattr(kept_site, "problems_of_page", look_at)
    monkeypatch.setattr(loader, "read", read_one)
    for name in ("page3.html", "base.html", "row.html"):
        loader.put(str(tmp_path / name), (tmp_path / name).read_text("utf-8") + "<b>")
        assert name in site.changed(name)
        assert [problem for problem in site.problems(name) if problem.code.startswith("element-")], name
        assert (len(looked), {each.removesuffix(".html") for each in read}) == (1, {name.removesuffix(".html")})
        looked.clear()
        read.clear()
        settle(site)
        assert len(looked) == (0 if name == "page3.html" else count + 1)
        looked.clear()
        read.clear()
        loader.drop(str(tmp_path / name))
        site.changed(name)
        settle(site)
        looked.clear()
        read.clear()


def test_unsaved_text(tmp_path: Path) -> None:
    """It comes before the file, also before one that another folder has, and never leads out of the folders."""
    for folder in ("first", "second"):
        (tmp_path / folder).mkdir()
    (tmp_path / "second" / "page.html").write_text("saved", "utf-8")
    loader = OverlayLoader(Engine([tmp_path / "first", tmp_path / "second"]).compiler.loader)
    assert loader.put(str(tmp_path / "outside.html"), "x") == ""
    assert loader.put(str(tmp_path / "second" / "page.html"), "unsaved \ud800") == "page.html"
    assert (loader.read("page").text, loader.stamp("page.html")) == ("unsaved ?", ("unsaved", 0))
    assert loader.put(str(tmp_path / "first" / "page.html"), "nearer") == "page.html"
    assert loader.read("page").text == "nearer"
    assert [name for name, _ in loader.files()] == ["page.html"]
    loader.drop(str(tmp_path / "first" / "page.html"))
    assert loader.read("page").text == "saved"
