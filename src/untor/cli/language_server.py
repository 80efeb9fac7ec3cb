"""``untor language-server``: for editors, over standard input and output."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

import click

from untor.check.checker import CheckOptions
from untor.cli.check import options_of
from untor.cli.common import quiet_option, site_options
from untor.cli.format import style_of
from untor.cli.pyproject import ProjectSettings, settings
from untor.cli.templates import engine_named
from untor.diagnostics.wording import sentence
from untor.engine.engine import Engine
from untor.format.formatter import Style

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.language_server.workspace import Opened


@click.command("language-server", short_help="Answer an editor about templates.")
@site_options
@quiet_option
def command(*, engine: str | None, folders: tuple[str, ...]) -> None:
    """Answer an editor about templates, over standard input and output (Language Server Protocol 3.17).

    An editor starts this command in the folder of the project. The settings are those of [tool.untor]: with an engine
    of the site, its filters, helpers and types are known.

    \b
    untor language-server
    untor language-server --engine site.views:pages

    Exit status: 0 the editor has ended it, 2 usage error, or a package is missing.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    try:
        from untor.language_server.server import server  # noqa: PLC0415  needs the extra's packages
    except ImportError as error:
        needs = f"the language server needs {error.name}, which is not installed"
        click.echo(f'untor: {needs}: pip install "untor[language-server]"', err=True)
        sys.exit(2)
    sites = _Sites(engine, folders)
    answers = sys.stdout.buffer
    # What a site prints while it is imported must not get among the answers.
    sys.stdout = sys.stderr
    server(sites.opened, sites.style).start_io(sys.stdin.buffer, answers)


class _Sites:
    """Finds the site of a file, with the settings of its project."""

    def __init__(self, engine: str | None, folders: tuple[str, ...]) -> None:
        self.engine = engine
        self.folders = folders

    def opened(self, path: Path) -> Opened:
        """Return the site that a file belongs to; a file in none of its folders is looked at alone."""
        from untor.language_server.workspace import Opened  # noqa: PLC0415

        trouble = ""
        configured, wanted = ProjectSettings(), CheckOptions()
        site: Engine | None = None
        try:
            configured = settings(path.parent)
            wanted = options_of(configured)
            site = self._site(configured)
        except click.UsageError as error:
            trouble = error.message
        except SystemExit:
            trouble = f"The engine {self.engine or configured.engine} cannot be imported: it ends the program."
        folders = [Path(folder).resolve() for _, folder in site.compiler.loader.entries] if site else []
        if site is not None and any(path.resolve().is_relative_to(folder) for folder in folders):
            return Opened(site, replace(wanted, policy=site.policy), trouble=trouble)
        above = next((str(each) for each in path.parents if each.name == "templates" and each.is_dir()), "")
        # A new file may be in a new folder.
        own = next(str(each) for each in path.parents if each.is_dir())
        return Opened(Engine(above or own), wanted, is_whole=bool(above), trouble=trouble)

    def _site(self, configured: ProjectSettings) -> Engine | None:
        """Return the site of the settings. Raises ``click.UsageError``."""
        named = self.engine or (configured.engine if not self.folders else "")
        if named:
            return engine_named(named, None if self.engine else configured.folder)
        own = (configured.folder or Path()) / "templates"
        folders = [*self.folders] or configured.folders or ([str(own)] if own.is_dir() else [])
        try:
            return Engine(folders, messages=configured.messages, locale=configured.locale) if folders else None
        except ValueError as error:
            raise click.UsageError(sentence(error)) from None

    @staticmethod
    def style(path: Path) -> Style:
        """Return how a template is formatted."""
        try:
            return style_of(settings(path.parent).format)
        except click.UsageError:
            return Style()
