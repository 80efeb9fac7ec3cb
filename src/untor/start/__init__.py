"""The small site that ``untor start`` creates."""

from __future__ import annotations

from importlib.resources import files

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pathlib import Path

SITE = (
    "README.md",
    "requirements.txt",
    "pyproject.toml",
    "views.py",
    "test_site.py",
    "templates/frame.html",
    "templates/calls.html",
    "templates/calls.json",
    "templates/announce.html",
    "templates/problem.html",
    "static/site.css",
    "ci.sh",
    "Containerfile",
)
"""The files of the site, in the order in which they are best read."""


def write_site(folder: Path) -> list[Path]:
    """Write the site into a folder, which is made; return the files. Raises ``FileExistsError``, ``OSError``."""
    if folder.exists() and not folder.is_dir():
        raise FileExistsError(17, "it is a file; a folder is made here", str(folder))
    if folder.exists() and any(folder.iterdir()):
        raise FileExistsError(17, "it is not empty, and nothing in it was touched", str(folder))
    source = files("untor.start") / "site"
    paths = []
    for name in SITE:
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes((source / name).read_bytes())
        paths.append(path)
    return paths
