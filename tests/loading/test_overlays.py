"""Names of templates, and an editor's unsaved texts in place of files."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest

from untor import MarkError, TemplateMissing
from untor.loading.loader import TemplateLoader
from untor.loading.overlays import OverlayLoader

if TYPE_CHECKING:
    from pathlib import Path


def test_unsaved_texts(tmp_path: Path) -> None:
    """An unsaved text is read, stamped anew and listed once, as long as it is there; other files are as they were."""
    for folder, name in (("a", "x.html"), ("b", "x.html"), ("b", "y.html")):
        (tmp_path / folder).mkdir(exist_ok=True)
        (tmp_path / folder / name).write_text(f"{folder} {name}", "utf-8")
    loader = OverlayLoader(TemplateLoader([tmp_path / "a", tmp_path / "b"]))
    before, listed = loader.stamp("x.html"), sorted(loader.names())
    assert listed == ["x.html", "x.html", "y.html"]  # one of them is hidden by the other

    assert loader.put(str(tmp_path / "a/x.html"), "new \ud800") == "x.html"
    assert loader.read("x.html").text == "new ?"
    first = loader.stamp("x.html")
    assert first == loader.read("x.html").stamp != before
    loader.put(str(tmp_path / "a/x.html"), "newer")
    assert loader.stamp("x.html") != first
    assert loader.put(str(tmp_path / "a/new.html"), "<p>") == "new.html"
    assert sorted(loader.names()) == sorted(["new.html", *listed])

    for elsewhere in ("b/x.html", "a/x.py", "c.html"):  # hidden by the first folder; no template; in no folder
        assert loader.put(str(tmp_path / elsewhere), "other") == ""
    assert loader.read("x.html").text == "newer"
    assert loader.drop(str(tmp_path / "a/x.html")) == "x.html"
    assert loader.drop(str(tmp_path / "a/new.html")) == "new.html"
    assert (loader.read("x.html").text, loader.stamp("x.html"), sorted(loader.names())) == ("a x.html", before, listed)


NAMES = [
    ("../secret", "part"), ("sub/../../secret", "part"), ("sub//page", "part"), (".", "part"), ("./page", "part"), ("a/", "part"),
    ("/etc/passwd", "absolute"), ("..\\secret", "backslash"), ("a\0b", "NUL"), ("", "empty"), (" ", "empty"), (5, "an int"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "why"), NAMES)
def test_names_of_no_template(name: Any, why: str, tmp_path: Path) -> None:
    """What leads out of the folders, or is no name, is refused as such and never looked for."""
    with pytest.raises(TemplateMissing, match=f"is not a valid name of a template: .*{why}"):
        TemplateLoader([tmp_path]).read(name)


def test_prefixes_and_bytes(tmp_path: Path) -> None:
    """A name belongs to the folder of its prefix and to no other; a byte that is no UTF-8 is pointed at."""
    for folder in "ab":
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "page.html").write_bytes(f"<p>{folder}é".encode() + b"\xff<")
    loader = TemplateLoader({"sea": tmp_path / "a", "land": tmp_path / "b"})
    for name in ("sea/page.html", "land/page.html"):
        with pytest.raises(MarkError) as found:
            loader.read(name)
        problem = found.value.problem
        assert problem.source is not None
        assert (problem.code, problem.start, problem.end, problem.source.text[3]) == (
            "not-utf8",
            5,
            6,
            "ab"[name[0] == "l"],
        )
    for name in ("page.html", "air/page.html", "sea/land/page.html", "xxx/page.html"):
        with pytest.raises(TemplateMissing):
            loader.read(name)
