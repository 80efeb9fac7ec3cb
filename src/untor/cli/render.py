"""``untor render``: one page from a template and data files."""

from __future__ import annotations

import json
import os
import sys
import tempfile
from pathlib import Path

import click

from untor.cli.pages import engine_and_page
from untor.data import load


@click.command()
@click.argument("page")
@click.option(
    "--data",
    "files",
    multiple=True,
    metavar="[NAME=]FILE",
    help="A JSON file with the page's values; - for standard input. May repeat.",
)
@click.option(
    "--set",
    "settings",
    multiple=True,
    metavar="NAME=VALUE",
    help="One value, as JSON where it is valid JSON, else as text. May repeat.",
)
@click.option(
    "--folder",
    "folders",
    multiple=True,
    metavar="FOLDER",
    help="A folder of templates. May repeat; the first that has the page wins.",
)
@click.option("--engine", metavar="MODULE:NAME", help="The site's own engine, with its filters and helpers.")
@click.option("-o", "--output", metavar="FILE", help="Write the page here instead of to standard output.")
def render(
    *,
    page: str,
    files: tuple[str, ...],
    settings: tuple[str, ...],
    folders: tuple[str, ...],
    engine: str | None,
    output: str | None,
) -> None:
    """Render PAGE, a template's name or a path to its file, with the data given.

    \b
    untor render arrivals --data arrivals.json
    untor render templates/vessel.html --data vessel=vessel.json -o vessel.html
    untor render mail/welcome.txt --set name=Runa --set year=2031
    """  # noqa: D301  click reads the backspace as "keep these lines"
    context: dict[str, object] = {}
    for given in files:
        name, path = _named(given)
        context.update(load(path, name))
    for setting in settings:
        name, found, value = setting.partition("=")
        if not found or not name.isidentifier():
            raise click.BadParameter(f"{setting!r} is not NAME=VALUE, like year=2031.", param_hint="--set")
        context[name] = _value(value)
    site, template = engine_and_page(page, folders, engine)
    text = site.render(template, context)
    octets = text.encode("utf-8", "replace")
    if output is None or output == "-":
        sys.stdout.buffer.write(octets)
        sys.stdout.buffer.flush()
    else:
        write_whole(Path(output), octets)


def _named(given: str) -> tuple[str | None, str]:
    """Tell ``NAME=FILE`` from a file; a file that exists under the whole text wins."""
    name, found, path = given.partition("=")
    if found and name.isidentifier() and not Path(given).exists():
        return name, path
    return None, given


def _value(text: str) -> object:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return text


def write_whole(path: Path, octets: bytes) -> None:
    """Write a file so that it is either the old or the new one, never half of it."""
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    except OSError as error:
        raise OSError(error.errno, error.strerror, str(path)) from None
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(octets)
        Path(temporary).chmod(path.stat().st_mode if path.exists() else 0o666 & ~_umask())
        Path(temporary).replace(path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
