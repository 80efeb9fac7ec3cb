"""``untor start``: creates a small site."""

from __future__ import annotations

from pathlib import Path

import click

from untor.cli.common import notice, quiet_option

_WHAT = {
    "README.md": "how to work with it",
    "requirements.txt": "what it needs",
    "pyproject.toml": "names the site's engine",
    "views.py": "the engine, and which page answers which address",
    "test_site.py": "its tests",
    "frame.html": "the layout",
    "calls.html": "a page with a table",
    "calls.json": "the data of its preview",
    "announce.html": "a page with a form",
    "problem.html": "the page of what went wrong",
    "site.css": "the style",
    "ci.sh": "what continuous integration runs",
    "Containerfile": "how it is deployed",
}


@click.command("start", short_help="Create a small site to begin from.")
@click.argument("folder", type=click.Path(path_type=Path))
@quiet_option
def command(folder: Path) -> None:
    """Create a small site in FOLDER: an application of Starlette with a table, a form, tests, and a way to deploy it.

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
