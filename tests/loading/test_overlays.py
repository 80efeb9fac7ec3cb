"""Names of templates, and an editor's unsaved texts in place of files."""

from __future__ import annotations

import os
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
        os.utime(tmp_path / folder / name, (10**9, 10**9))  # one just written has no stamp
    loader = OverlayLoader(TemplateLoader([tmp_path / "a", tmp_path / "b"]))
    before, listed = loader.stamp("x.html"), sorted(loader.names())
    assert before
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
def test_invalid_names(name: Any, why: str, tmp_path: Path) -> None:
    """A name that leads out of the folders, or cannot be one, is refused for that reason."""
    with pytest.raises(TemplateMissing, match=f"is not a valid name of a template: .*{why}"):
        TemplateLoader([tmp_path]).read(name)


@pytest.mark.parametrize(
    "name", ["sea/page.html", "land/page.html", "page.html", "air/page.html", "sea/land/page.html", "xxx/page.html"]
)
def test_prefixes_and_bytes(name: str, tmp_path: Path) -> None:
    """A name belongs to the folder of its prefix and to no other; an error points at a byte that is not UTF-8."""
    for folder in ("sea", "land"):
        (tmp_path / folder).mkdir()
        (tmp_path / folder / "page.html").write_bytes(f"{folder}é".encode() + b"\xff<")
    with pytest.raises((MarkError, TemplateMissing)) as found:
        TemplateLoader({each: tmp_path / each for each in ("sea", "land")}).read(name)
    text = {"sea/page.html": "seaé", "land/page.html": "landé"}.get(name)
    problem = found.value.problem
    assert (problem.code == "not-utf8") == (text is not None)
    if text and problem.source:
        assert problem.source.text.startswith(text)
        assert (problem.start, problem.end) == (len(text), len(text) + 1)
