"""What the commands share: the options that name a site, and ``--quiet``."""

from __future__ import annotations

import logging

import click

from untor.cli.templates import folders_of
from untor.diagnostics.wording import sentence
from untor.loading.loader import TemplateLoader

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any, TypeVar

    from click.shell_completion import CompletionItem

    from untor.engine.engine import Engine

    Command = TypeVar("Command", bound=Callable[..., object])
    ParamType = click.ParamType[str]
else:  # generic in newer versions only
    ParamType = click.ParamType

_QUIET = "untor.quiet"
_MOST_COMPLETIONS = 500


class PageName(ParamType):
    """The name of a template, or the path of a file; shells complete both."""

    name = "page"

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:  # noqa: ARG002  its shape
        """Return the names that begin with what is typed, and let the shell add files."""
        from click.shell_completion import CompletionItem  # noqa: PLC0415  only when a shell asks

        try:
            names = sorted(set(TemplateLoader(folders_of(ctx.params.get("folders") or ())).names()))
        except (click.ClickException, OSError):
            names = []
        matching = [name.removesuffix(".html") for name in names if name.startswith(incomplete)]
        return [*map(CompletionItem, matching[:_MOST_COMPLETIONS]), CompletionItem(incomplete, type="file")]


def site_options(command: Command) -> Command:
    """Give a command the options that say which templates are meant."""
    folder = click.option(
        "--folder",
        "folders",
        multiple=True,
        metavar="FOLDER",
        type=click.Path(),
        help="A folder of templates. Can be repeated; the first one with the page wins.",
    )
    engine = click.option("--engine", metavar="MODULE:NAME", help="The site's engine, with its filters and helpers.")
    return engine(folder(command))


def locale_option(command: Command) -> Command:
    """Give a command ``--locale``; ``located`` returns the engine for it."""
    return click.option("--locale", metavar="CODE", help="Render in this locale, like de or pt-BR.")(command)


def located(engine: Engine, locale: str | None) -> Engine:
    """Return an engine in a locale. Raises ``click.BadParameter`` for one that there is not."""
    try:
        return engine if locale is None else engine.in_locale(locale)
    except ValueError as error:
        raise click.BadParameter(sentence(error), param_hint="--locale") from None


def quiet_option(command: Command) -> Command:
    """Give a command ``--quiet``; ``is_quiet`` says whether it was given."""
    return click.option(
        "-q",
        "--quiet",
        is_flag=True,
        expose_value=False,
        callback=_be_quiet,
        help="Print results and errors only: no notices, progress or summary.",
    )(command)


def _be_quiet(ctx: click.Context, _param: click.Parameter, value: Any) -> None:
    if value:
        ctx.meta[_QUIET] = True
        logging.getLogger("untor").setLevel(logging.ERROR)


def is_quiet() -> bool:
    """Return whether the command that is running prints results and errors only."""
    ctx = click.get_current_context(silent=True)
    return ctx is not None and bool(ctx.meta.get(_QUIET))


def notice(text: str, *, err: bool = False) -> None:
    """Print what is neither a result nor an error."""
    if not is_quiet():
        click.echo(text, err=err)
