"""What ``pyproject.toml`` cannot say: the extension, and the README with links that work outside the repository."""

import os
import re
import sys
import tomllib
from pathlib import Path

from setuptools import Extension, setup

HERE = Path(__file__).parent
EXTENSION = "src/untor/escape/extension"
WANTED = os.environ.get("UNTOR_EXTENSION", "")
"""``off`` builds no extension, ``required`` fails where it cannot be built; otherwise it is left out there."""
PAGES = {"README.md": "index", "CHANGELOG.md": "changes", "CONTRIBUTING.md": "contributing", "SECURITY.md": "reporting"}


def readme() -> str:
    """Return the README; what it links to in the repository are pages and pictures of the documentation's site."""
    project = tomllib.loads((HERE / "pyproject.toml").read_text("utf-8"))["project"]
    site = project["urls"]["Documentation"].rstrip("/")

    def absolute(match: re.Match[str]) -> str:
        path, fragment = match["path"], match["fragment"] or ""
        if path == "LICENSE":
            return f"({project['urls']['Source']})"
        page = PAGES.get(path) or path.removeprefix("docs/").removesuffix(".md")
        return f"({site}/{page}{'' if '.' in page else '.html'}{fragment})"

    text = (HERE / "README.md").read_text("utf-8")
    return re.sub(r"(?<=\])\((?!https?:|#)(?P<path>[^)#]+)(?P<fragment>#[^)]*)?\)", absolute, text)


def extensions() -> list[Extension]:
    """Return the extension: the fast path of rendering, on CPython alone."""
    if WANTED == "off" or sys.implementation.name != "cpython":
        return []
    folder = HERE / EXTENSION
    sources, headers = (
        sorted(path.relative_to(HERE).as_posix() for path in folder.glob(pattern)) for pattern in ("*.c", "*.h")
    )
    return [Extension("untor.escape._extension", sources, depends=headers, optional=WANTED != "required")]


if __name__ == "__main__":
    setup(long_description=readme(), long_description_content_type="text/markdown", ext_modules=extensions())
