"""``untor build``: a whole site of files."""

from __future__ import annotations

import gc
import pickle
import sys
from concurrent.futures import BrokenExecutor
from contextlib import ExitStack, contextmanager
from functools import partial
from importlib import import_module
from pathlib import Path

import click

from untor.cli.common import notice, quiet_option, site_options
from untor.cli.progress import progress
from untor.cli.pyproject import settings
from untor.cli.templates import engine_named, folders_of, plain_engine, searched
from untor.diagnostics.wording import counted, sentence
from untor.site.batches import Workers
from untor.site.builder import Builder, BuildOptions
from untor.site.fingerprints import code_in
from untor.site.for_engines import sent_to
from untor.site.manifest import FolderInUse
from untor.site.settings import BuildSettingError, settings_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from concurrent.futures import Executor

    from untor.site.result import BuildResult

_OUTPUT = "public"
_MOST_SHOWN = 20
"""How many failures and broken links are printed; the others are counted."""

_EXAMPLE = """
  [tool.untor.build]
  "index.html" = {page = "index", data = "index.json"}
  "vessels/{id}.html" = {page = "vessel", each = "vessels", as = "vessel", data = "harbour.sqlite"}"""


@click.command("build", short_help="Build a whole site of files.")
@click.option("-o", "--output", metavar="FOLDER", type=click.Path(), help="Write the site into FOLDER.")
@click.option("--check", "checks", is_flag=True, help="Check afterwards that all links inside the site lead somewhere.")
@click.option("--whole", is_flag=True, help="Render all pages again, even if nothing they are made from has changed.")
@click.option("--jobs", metavar="N", type=click.IntRange(1, 256), default=1, help="Use N processes.")
@click.option("--executor", metavar="MODULE:FUNCTION", help="Let the executor that FUNCTION returns do the work.")
@site_options
@quiet_option
def command(
    *,
    output: str | None,
    checks: bool,
    whole: bool,
    jobs: int,
    executor: str | None,
    folders: tuple[str, ...],
    engine: str | None,
) -> None:
    """Build a site of files, ready for any static web server, from the pages in [tool.untor.build] of pyproject.toml.

    Each page has a path, a template and data. With each, there is a page for every record; with per as well, a page
    for so many of them. Static files are copied, and with a url there is a sitemap. Only what has changed is rendered
    and written again; files of earlier builds that the site no longer has are removed.

    \b
    untor build
    untor build -o /srv/www/ellery --check
    untor build --jobs 4
    untor build --executor cluster:executor

    Exit status: 0 built, 1 a page has an error or a link leads nowhere (all others are built), 2 usage error.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    configured = settings()
    if not configured.build:
        where = f"{configured.file} has no" if configured.file else "No pyproject.toml has a"
        raise click.UsageError(f"{where} table [tool.untor.build], which lists the pages:\n{_EXAMPLE}")
    if checks:
        _need_checker()
    if executor is not None and jobs > 1:
        raise click.UsageError("--jobs and --executor both say who does the work; use one of them.")
    folder = configured.folder or Path()
    named = engine or (configured.engine if not folders else "")
    looked_in = None if engine else configured.folder
    try:
        wanted = settings_of(configured.build)
        site = engine_named(named, looked_in) if named else plain_engine(_templates(folders, folder), reload=False)
        target = Path(output) if output else _shown(folder / (wanted.output or _OUTPUT))
        with ExitStack() as stack:
            worker = _executor(stack, jobs, executor, folder)
            told = stack.enter_context(progress("Building"))
            sent = None
            if worker is not None:
                sent = pickle.dumps(partial(engine_named, named, looked_in)) if named else sent_to(worker, site)
            options = BuildOptions(
                url=wanted.url,
                base="" if folder.resolve() == Path.cwd() else str(folder),
                code=code_in(folder.resolve()),
                workers=Workers(worker, sent, whole),
                sources=tuple(_shown(folder / file) for entry in wanted.entries for _, file in entry.data),
                checks=checks,
                progress=told,
            )
            gc.freeze()  # what is there now stays: looking through it again for each batch of pages takes time
            result = Builder(site, target, options).build(wanted.entries)
    except BuildSettingError as error:
        where = f"{configured.file}: [tool.untor.build]: "
        raise click.UsageError(f"{where}{sentence(error)}") from None
    except BrokenExecutor:
        click.echo(
            "untor: a process that renders pages has ended, perhaps for lack of memory. "
            "What was written is kept; build again, with fewer --jobs",
            err=True,
        )
        sys.exit(1)
    except FolderInUse:
        click.echo(f"untor: another build is writing to {target}; wait until it has ended", err=True)
        sys.exit(2)
    _report(result)
    notice(_described(result, str(target)))
    if checks and not result.broken:
        notice("All links inside the site lead somewhere.")
    sys.exit(1 if result.failed or result.broken else 0)


def _templates(given: tuple[str, ...], project: Path) -> list[str]:
    """Return the folders of templates; like data and output, they are the project's, wherever the command runs."""
    own = project / "templates"
    return searched([*given] or settings().folders or ([str(_shown(own))] if own.is_dir() else folders_of(given)))


def _need_checker() -> None:
    try:
        import selectolax  # noqa: F401, PLC0415  whether it is there
    except ImportError:
        raise click.UsageError(
            '--check reads the pages with the package selectolax: pip install "untor[probe]"'
        ) from None


def _shown(path: Path) -> Path:
    """Return a path as messages show it: relative to the current folder where it is in that."""
    resolved = path.resolve()
    return resolved.relative_to(Path.cwd()) if resolved.is_relative_to(Path.cwd()) else path


def _executor(stack: ExitStack, jobs: int, named: str | None, folder: Path) -> Executor | None:
    if named is not None:
        return stack.enter_context(_executor_named(named, folder))
    if jobs == 1:
        return None
    from concurrent.futures import ProcessPoolExecutor  # noqa: PLC0415  only here
    from multiprocessing import get_context  # noqa: PLC0415

    from untor.site.writing import begin_worker  # noqa: PLC0415

    pool = ProcessPoolExecutor(jobs, mp_context=get_context("spawn"), initializer=begin_worker)
    return stack.enter_context(_ended(pool))


@contextmanager
def _ended(pool: Executor) -> Iterator[Executor]:
    """Shut an executor down, without the work that has not begun if something went wrong."""
    try:
        yield pool
    except BaseException:
        pool.shutdown(wait=True, cancel_futures=True)
        raise
    pool.shutdown()


def _executor_named(name: str, folder: Path) -> Executor:
    module, found, attribute = name.partition(":")
    if not (module and found and attribute):
        raise click.UsageError(f"{name!r} is not MODULE:FUNCTION, like cluster:executor.")
    if str(folder.resolve()) not in sys.path:
        sys.path.insert(0, str(folder.resolve()))
    try:
        made = getattr(import_module(module), attribute)()
    except Exception as error:  # a site's own code may fail in any way
        raise click.UsageError(f"Cannot make the executor {name}: {type(error).__name__}: {error}") from error
    if not (hasattr(made, "submit") and hasattr(made, "__enter__")):
        raise click.UsageError(f"{name} does not return an executor, with submit as those of concurrent.futures have.")
    return made  # type: ignore[no-any-return]


def _report(result: BuildResult) -> None:
    """Print what failed, the same error once for all pages that have it, and links that lead nowhere."""
    pages: dict[str, list[str]] = {}
    for failure in result.failures:
        is_system = isinstance(failure.error, OSError)
        text = str(failure.error.strerror if is_system else failure.error)  # type: ignore[attr-defined]
        pages.setdefault(text, []).append(failure.title)
    for text, titles in [*pages.items()][:_MOST_SHOWN]:
        others = f" (and {counted(len(titles) - 1, 'other page')})" if len(titles) > 1 else ""
        click.echo(f"untor: {titles[0]}{others}: {text}", err=True)
    shown = sum(len(titles) for titles in [*pages.values()][:_MOST_SHOWN])
    if result.failed > shown:
        click.echo(f"untor: and {counted(result.failed - shown, 'page')} more", err=True)
    for link in result.broken[:_MOST_SHOWN]:
        others = f" (and on {counted(link.pages - 1, 'other page')})" if link.pages > 1 else ""
        click.echo(f'untor: {link.page}{others}: the link "{link.target}" leads nowhere: {link.why}', err=True)
    if len(result.broken) > _MOST_SHOWN:
        click.echo(f"untor: and {counted(len(result.broken) - _MOST_SHOWN, 'link')} more", err=True)


def _described(result: BuildResult, output: str) -> str:
    """Say what a build has done, in one sentence."""
    parts = [f"{result.written:,} written", f"{result.pages - result.written:,} unchanged"]
    if result.copied:
        parts.append(f"{counted(result.copied, 'static file')} copied")
    if result.removed:
        parts.append(f"{counted(result.removed, 'file')} removed")
    if result.failed:
        parts.append(f"{result.failed:,} failed")
    return f"{output}: {counted(result.pages, 'page')}; {', '.join(parts)}."
