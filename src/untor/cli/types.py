"""``untor types``: the values of a site's pages, written for type checkers."""

from __future__ import annotations

from pathlib import Path

import click

from untor.check.site import Site
from untor.cli.common import notice, quiet_option, site_options
from untor.cli.pyproject import settings
from untor.cli.render import checked_output, write_whole
from untor.cli.templates import engine_named, folders_of, plain_engine, searched
from untor.diagnostics.wording import counted
from untor.errors import error_of
from untor.inference.view_types import module_of, values_of_pages


@click.command("types", short_help="Write the types of all pages as Python.")
@click.option("-o", "--output", metavar="FILE", type=click.Path(), help="Write to this file instead of printing.")
@site_options
@quiet_option
def command(*, output: str | None, engine: str | None, folders: tuple[str, ...]) -> None:
    """Write a Python module with the values that each page takes, for the type checker of the views.

    They are those of the takes steps, and of Engine(inputs=…). The module has a class Pages to make the engine with;
    then mypy and pyright report a view that forgets a value of a page, misspells it, or passes another type.

    \b
    untor types -o page_types.py
    untor types --engine site.views:pages

    Exit status: 0 written, 1 a template cannot be read, 2 usage error, or something was not found.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    checked_output(output)
    configured = settings()
    named = engine or (configured.engine if not folders else "")
    chosen = engine_named(named, None if engine else configured.folder) if named else None
    compiler = (chosen or plain_engine(searched(folders_of(folders)))).compiler
    site = Site(compiler)
    if not (site.readings or site.unread):
        looked = ", ".join(folder for _, folder in compiler.loader.entries)
        raise click.UsageError(f"There are no templates in {looked}.")
    for problem in (*site.unread, *(each for reading in site.readings.values() for each in reading.problems)):
        raise error_of(problem)
    pages = values_of_pages(site.readings, compiler.settings)
    text = module_of(pages)
    if output is None:
        click.echo(text, nl=False)
        return
    write_whole(Path(output), text.encode("utf-8"))
    typed = sum(values is not None for values in pages.values())
    notice(f"{output}: {counted(len(pages), 'page')}, {typed} with types.")
