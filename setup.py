"""What ``pyproject.toml`` cannot say: the extension, and the README with links that work outside the repository."""

import re
import tomllib
from pathlib import Path

from setuptools import Extension, setup

HERE = Path(__file__).parent
EXTENSION = "src/untor/escape/extension"
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


def files(pattern: str) -> list[str]:
    """Return the paths of some files of the extension."""
    return sorted(path.relative_to(HERE).as_posix() for path in (HERE / EXTENSION).glob(pattern))


if __name__ == "__main__":
    setup(
        long_description=readme(),
        long_description_content_type="text/markdown",
        # The fast path of rendering; where there is no compiler, the package does without.
        ext_modules=[Extension("untor.escape._extension", files("*.c"), depends=files("*.h"), optional=True)],
    )
