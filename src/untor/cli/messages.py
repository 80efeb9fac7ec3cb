"""``untor messages``: the messages of a site for translators, and what its catalogues lack."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

import click

from untor.cli.common import notice, quiet_option, site_options
from untor.cli.pyproject import settings
from untor.cli.render import checked_output, write_whole
from untor.cli.templates import engine_named, folders_of, plain_engine, searched
from untor.diagnostics.wording import counted
from untor.errors import error_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.engine.engine import Engine
    from untor.extraction.status import CatalogueStatus
    from untor.language.parser import ParsedTemplate


@click.group("messages", short_help="Extract messages; show what is translated.")
def command() -> None:
    """Messages that are printed in several languages: <! say !> and say(…).

    \b
    untor messages extract -o locales/messages.pot
    untor messages status

    Exit status: 0 done, 1 something is missing or wrong, 2 usage error, or something was not found.
    """  # noqa: D301  click reads the backspace as "keep these lines"


def _engine(engine: str | None, folders: tuple[str, ...]) -> Engine:
    configured = settings()
    named = engine or (configured.engine if not folders else "")
    if named:
        return engine_named(named, None if engine else configured.folder)
    return plain_engine(searched(folders_of(folders)))


def _readings(site: Engine) -> Iterator[tuple[str, ParsedTemplate]]:
    """Yield the templates of a site with the paths that translators see. Raises ``UntorError``."""
    seen: set[str] = set()
    for name, path in sorted(site.compiler.loader.files()):
        if name in seen:
            continue
        seen.add(name)
        reading = site.compiler.reading(name)
        if reading.problems:
            raise error_of(reading.problems[0])
        yield Path(os.path.relpath(path)).as_posix(), reading
    if not seen:
        looked = ", ".join(folder for _, folder in site.compiler.loader.entries)
        raise click.UsageError(f"There are no templates in {looked}.")


@command.command("extract", short_help="Write the messages of all templates as .pot.")
@click.option("-o", "--output", metavar="FILE", type=click.Path(), help="Write to this file instead of printing.")
@site_options
@quiet_option
def extract(*, output: str | None, engine: str | None, folders: tuple[str, ...]) -> None:
    """Write the template catalogue: every message with its places and the remarks for translators.

    Catalogues for languages are made and merged by Babel. A file that has the same messages already is left alone.

    \b
    untor messages extract -o locales/messages.pot
    pybabel init -i locales/messages.pot -o locales/de.po -l de
    pybabel update -i locales/messages.pot -o locales/de.po -l de

    Exit status: 0 written, 1 a template cannot be read, 2 usage error, or something was not found.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    from untor.extraction.template_catalogue import says_the_same, template_catalogue  # noqa: PLC0415

    checked_output(output)
    site = _engine(engine, folders)
    octets = template_catalogue(_readings(site), Path.cwd().name)
    if output is None:
        click.echo(octets, nl=False)
        return
    path = Path(output)
    if path.is_file() and says_the_same(path.read_bytes(), octets):
        notice(f"{output}: no change.")
        return
    write_whole(path, octets)
    notice(f"{output}: {counted(octets.count(b'msgid ') - 1, 'message')}.")


@command.command("status", short_help="Show what is translated in each locale.")
@click.option(
    "--format", "shape", type=click.Choice(["text", "json"]), default="text", help="A table, or JSON for programs."
)
@site_options
@quiet_option
def status(*, shape: str, engine: str | None, folders: tuple[str, ...]) -> None:
    """Show for each locale what is translated, fuzzy, missing, wrong and unused.

    \b
    untor messages status
    untor messages status --engine site.views:pages --format json

    Exit status: 0 all messages are translated, 1 some are not, 2 usage error, or something was not found.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    from untor.extraction.status import distinct, status_of  # noqa: PLC0415
    from untor.extraction.templates import messages_in  # noqa: PLC0415

    site = _engine(engine, folders)
    found = [each for _, reading in _readings(site) for each in messages_in(reading)]
    catalogues = site.compiler.settings.translator.every
    if not catalogues:
        raise click.UsageError('There are no catalogues. Name their folder: Engine(…, messages="locales").')
    states = [status_of(catalogue, found) for _, catalogue in sorted(catalogues.items())]
    total = len(distinct(found))
    if shape == "json":
        shown = {"messages": total, "locales": {each.code: _counts(each) for each in states}}
        click.echo(json.dumps(shown, indent=2, ensure_ascii=False))
    else:
        _table(states, total)
    sys.exit(0 if all(each.is_complete for each in states) else 1)


def _counts(state: CatalogueStatus) -> dict[str, int]:
    return {
        "translated": len(state.translated),
        "fuzzy": len(state.fuzzy),
        "missing": len(state.missing),
        "wrong": len(state.wrong) + len(state.unreadable),
        "unused": len(state.unused),
    }


def _table(states: list[CatalogueStatus], total: int) -> None:
    from rich.console import Console  # noqa: PLC0415  only for what prints with it
    from rich.table import Table  # noqa: PLC0415

    table = Table(box=None, pad_edge=False, header_style="bold")
    table.add_column("locale")
    for name in _counts(states[0]):
        table.add_column(name, justify="right")
    for state in states:
        counts = _counts(state)
        table.add_row(state.code, *(str(count) if count else "-" for count in counts.values()))
    console = Console(highlight=False)
    console.print(table)
    for state in states:
        for problem in state.unreadable:
            console.print(f"{problem.source.path if problem.source else state.code}: {problem.message}", markup=False)
    notice(f"{counted(total, 'message')} in the templates. untor check shows where.")
