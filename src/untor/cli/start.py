"""``untor start``: creates a small site."""

from __future__ import annotations

from pathlib import Path

import click

from untor.cli.common import notice, quiet_option

_WHAT = {
    "README.md": "how to work with it",
    "pyproject.toml": "names the site's engine",
    "views.py": "the engine, and which page answers which address",
    "test_pages.py": "tests of the pages",
    "frame.html": "the layout",
    "index.html": "a page",
    "tides.html": "a page with data",
    "tides.json": "its data",
    "site.css": "the style",
}


@click.command("start", short_help="Create a small site to begin from.")
@click.argument("folder", type=click.Path(path_type=Path))
@quiet_option
def command(folder: Path) -> None:
    """Create a small site in FOLDER: a layout, two pages, data, a style sheet, a test, and a plain ASGI view.

    FOLDER is created if needed; one that is not empty is left unchanged.

    \b
    untor start site && untor serve site

    Exit status: 0 created, 1 the folder is not empty or cannot be written, 2 usage error.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    from untor.start import write_site  # noqa: PLC0415  only here

    files = write_site(folder)
    width = max(len(str(path)) for path in files)
    for path in files:
        notice(f"{path!s:<{width}}  {_WHAT[path.name]}")
    notice(f"\nLook at it:  untor serve {folder}")
