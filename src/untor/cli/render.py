"""``untor render``: one page from a template and data files."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

import click

from untor.cli.common import PageName, locale_option, located, quiet_option, site_options
from untor.cli.page_values import DataOptions, context_of, data_options, values_explained
from untor.cli.templates import engine_and_page


@click.command(short_help="Render a page from a template and data.")
@click.argument("page", type=PageName())
@data_options
@site_options
@click.option(
    "-o", "--output", metavar="FILE", type=click.Path(), help="Write the page to FILE instead of standard output."
)
@locale_option
@quiet_option
def render(
    *,
    page: str,
    locale: str | None,
    given: DataOptions,
    folders: tuple[str, ...],
    engine: str | None,
    output: str | None,
) -> None:
    """Render PAGE, a template name or the path of its file, with the given data.

    \b
    untor render arrivals --data arrivals.json
    untor render templates/vessel.html --data vessel=vessel.json -o vessel.html
    untor render mail/welcome.txt --set name=Runa --set year=2031
    untor render arrivals --data arrivals.json --locale de

    Exit status: 0 rendered, 1 the page or its data has an error, 2 usage error, or something was not found.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    checked_output(output)
    site, template = engine_and_page(page, folders, engine)
    site = located(site, locale)
    context = context_of(given)
    with values_explained(given, context):
        text = site.render(template, context)
    octets = text.encode("utf-8", "replace")
    if output is None or output == "-":
        sys.stdout.buffer.write(octets)
        sys.stdout.buffer.flush()
    else:
        write_whole(Path(output), octets)


def checked_output(output: str | None) -> None:
    """Look at where a page is to be written. Raises ``click.BadParameter`` for a folder, or one that does not exist."""
    if output is None or output == "-":
        return
    path = Path(output)
    if path.is_dir():
        raise click.BadParameter(f"{output} is a folder.", param_hint="-o")
    if not path.resolve().parent.is_dir():
        raise click.BadParameter(f"there is no folder {path.resolve().parent}.", param_hint="-o")


def write_whole(path: Path, octets: bytes) -> None:
    """Write a file so that it is either the old or the new one, never half of it.

    Links are followed; pipes and devices, which cannot be replaced, are written to.
    """
    path = path.resolve()
    if path.exists() and not path.is_file():
        with path.open("wb") as other:
            other.write(octets)
        return
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
