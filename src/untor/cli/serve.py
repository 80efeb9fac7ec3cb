"""``untor serve``: a preview of a folder of templates that follows every change."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from untor.cli.common import locale_option, located, notice, quiet_option, site_options
from untor.cli.page_values import DataOptions, context_of, data_options
from untor.cli.pyproject import settings
from untor.cli.ranges import Whole
from untor.cli.templates import engine_named
from untor.engine.engine import Engine

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable


def address_options(command: Callable[..., None]) -> Callable[..., None]:
    """Give a command the options that say where it serves."""
    host = click.option("--host", default="127.0.0.1", metavar="HOST", show_default=True, help="Address to bind to.")
    port = click.option(
        "--port",
        default=8031,
        metavar="PORT",
        show_default=True,
        type=Whole(0, 65535),
        help="Port to bind to; 0 for any free port.",
    )
    return host(port(command))


@click.command("serve", short_help="Preview templates in a browser.")
@click.argument("folder", default=".", type=click.Path(path_type=Path))
@data_options
@site_options
@address_options
@locale_option
@quiet_option
def command(
    *,
    folder: Path,
    given: DataOptions,
    folders: tuple[str, ...],
    engine: str | None,
    host: str,
    port: int,
    locale: str | None,
) -> None:
    """Preview the templates in FOLDER in a browser, with data from the files next to them.

    FOLDER is the folder of a site: with an engine in [tool.untor] of its pyproject.toml, or with templates, in it or
    in its folder "templates"; its folder "static" is served under /static. The values for arrivals.html come from
    arrivals.json next to it, and from the options below. The browser reloads when a template, its data, a translation
    or a static file changes. An error is shown as a page until it is fixed.

    \b
    untor serve
    untor serve site --data harbour.sqlite
    untor serve --engine site.views:pages

    Exit status: 0 stopped, 1 the data has an error, 2 it could not be started.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    from untor.serve.server import CannotServe, address_of, bound, guarded, run  # noqa: PLC0415

    try:
        from untor.serve.viewer import NEVER_KEPT, PreviewApp  # noqa: PLC0415  needs the extra's packages

        site_engine = located(_engine(folder, folders, engine), locale)
        watched = _watched(site_engine, given)
        context_of(given)
        listening = bound(host, port)
    except CannotServe as error:
        click.echo(f"untor: {error}", err=True)
        sys.exit(2)
    from untor.serve.preview import Preview  # noqa: PLC0415

    preview = PreviewApp(
        Preview(site_engine, lambda: context_of(given)), watched, lambda text: click.echo(f"untor: {text}", err=True)
    )
    shown = ", ".join(path for _, path in site_engine.compiler.loader.entries)
    notice(f"Previewing {shown} at {address_of(listening, host)} (Ctrl-C stops it)")
    warn_of_others(host)
    run(guarded(preview.app, host, NEVER_KEPT), listening, before_stop=preview.stop)


def warn_of_others(host: str) -> None:
    """Say so when other machines can connect."""
    from untor.serve.server import is_loopback  # noqa: PLC0415

    if not is_loopback(host):
        notice(f"untor: everybody who can reach {host} can read what is shown there", err=True)


def _engine(folder: Path, given: tuple[str, ...], engine: str | None) -> Engine:
    """Return the engine of a preview, which looks at its files each time."""
    if not folder.is_dir():
        what = "is not a folder" if folder.exists() else "does not exist"
        raise click.UsageError(f"{folder} {what}.")
    own = settings(folder)
    # Inside of a project, another folder than its own has templates of its own.
    is_project = folder == Path() or own.folder == folder.resolve()
    named = engine or (own.engine if is_project and not given else "")
    if named:
        site_engine = engine_named(named, None if engine else own.folder)
        site_engine.reload = True
        return site_engine
    folders = [*given] or (own.folders if is_project else []) or [_templates(folder)]
    static = next((each for each in (folder / "static", folder.parent / "static") if each.is_dir()), None)
    messages = own.messages if is_project else None
    return Engine(folders, static=static, reload=True, messages=messages, locale=own.locale if is_project else "en")


def _templates(folder: Path) -> str:
    return str(folder / "templates") if (folder / "templates").is_dir() else str(folder)


def _watched(engine: Engine, given: DataOptions) -> list[Path]:
    """Return the folders and files that a page can change with."""
    assets = [path for _, path in engine.assets.entries] if engine.assets is not None else []
    folders = [*(Path(path) for _, path in engine.compiler.loader.entries), *assets]
    folders += [Path(path).parent for each in engine.compiler.settings.translator.every.values() for path in each.paths]
    data = [Path(file) for name in given.files for file in (name, name.partition("=")[2]) if file and file != "-"]
    return [path for path in dict.fromkeys((*folders, *data)) if path.exists()]
