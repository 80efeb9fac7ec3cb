"""How the command line finds templates."""

from __future__ import annotations

import importlib
import os
import sys
from pathlib import Path

import click

from untor.cli.pyproject import settings
from untor.data import READERS, SQLITE
from untor.diagnostics.wording import sentence, with_article
from untor.engine.engine import Engine
from untor.loading.loader import ENDINGS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator


def find_page(page: str, given: tuple[str, ...]) -> tuple[list[str], str]:
    """Return the folders to search and the name of a template, from its name or from a path to its file.

    Folders are those given, else ``folders`` in ``[tool.untor]`` of the nearest ``pyproject.toml``, else
    ``templates``, else the current folder if it has templates itself; for a file in none of the first three, the
    nearest folder above it that is named ``templates``, else its own folder. Raises ``click.UsageError``.
    """
    folders = folders_of(given)
    path = Path(page)
    if not page.endswith(ENDINGS) or not path.is_file():
        return searched(folders), page
    resolved = path.resolve()
    for folder in folders:
        if resolved.is_relative_to(Path(folder).resolve()):
            return [folder], resolved.relative_to(Path(folder).resolve()).as_posix()
    for above in path.parents:
        if above.name == "templates":
            return [str(above)], path.relative_to(above).as_posix()
    return [str(path.parent)], path.name


def folders_of(given: tuple[str, ...]) -> list[str]:
    """Return the folders given, else those of the settings, else ``templates`` where there is one."""
    return [*given] or settings().folders or (["templates"] if Path("templates").is_dir() else [])


def searched(folders: list[str]) -> list[str]:
    """Return folders, else the current one if it has templates itself. Raises ``click.UsageError``."""
    if not folders and not any(file.endswith(ENDINGS) for file in os.listdir()):  # noqa: PTH208  names, not paths
        where = 'There is no folder "templates" here, and no template in the current folder.'
        raise click.UsageError(f"{where} Name a folder of templates.")
    return folders or ["."]


def plain_engine(folders: list[str] | str, *, reload: bool = True) -> Engine:
    """Return an engine for folders, with what the settings say of it. Raises ``click.UsageError``."""
    configured = settings()
    try:
        return Engine(
            folders,
            reload=reload,
            messages=configured.messages,
            locale=configured.locale,
            static=configured.static or None,
            links=configured.links or None,
        )
    except ValueError as error:
        raise click.UsageError(sentence(error)) from None


def engine_named(name: str, folder: Path | None = None) -> Engine:
    """Return a site's own engine, ``MODULE:NAME``; what has that name may also be a function that makes one.

    Modules are looked for in the current folder too, or in ``folder``. Raises ``click.UsageError``.
    """
    module, found, attribute = name.partition(":")
    if not found or not module or not attribute:
        raise click.UsageError(f"{name!r} is not MODULE:NAME, like site.views:pages.")
    looked_in = str(folder or Path.cwd())
    if looked_in not in sys.path:
        sys.path.insert(0, looked_in)
    try:
        value = importlib.import_module(module)
        for part in attribute.split("."):
            value = getattr(value, part)
        engine = value if isinstance(value, Engine) or not callable(value) else value()
    except ModuleNotFoundError as error:
        if error.name is None or not f"{module}.".startswith(f"{error.name}."):
            raise click.UsageError(f"Cannot import the engine {name}: {sentence(error)}") from error
        where = folder if folder is not None and folder != Path.cwd() else "the current folder"
        looked = f"Looked in {where} and where Python looks (sys.path)"
        raise click.UsageError(f'There is no module "{error.name}" for the engine {name}. {looked}.') from error
    except Exception as error:  # a site's own code may fail in any way
        raise click.UsageError(f"Cannot import the engine {name}: {type(error).__name__}: {error}") from error
    if not isinstance(engine, Engine):
        raise click.UsageError(f"{name} is not an engine, but {with_article(type(engine).__name__)}.")
    return engine


def engine_and_page(page: str, folders: tuple[str, ...], engine: str | None) -> tuple[Engine, str]:
    """Return the engine and the template's name that a command means."""
    configured = settings()
    named = engine or (configured.engine if not folders else "")
    if Path(page).suffix.lower() in {*READERS, *SQLITE} - {*ENDINGS} and Path(page).is_file():
        raise click.UsageError(f"{page} is a data file. Name a page, and the file after --data: PAGE --data {page}.")
    if not named:
        searched, name = find_page(page, folders)
        return plain_engine(searched), name
    site_engine = engine_named(named, None if engine else configured.folder)
    path = Path(page)
    if page.endswith(ENDINGS) and path.is_file():
        for name, file in site_engine.compiler.loader.files():
            if file.resolve() == path.resolve():
                return site_engine, name
    return site_engine, page


def chosen(
    paths: tuple[str, ...], folders: tuple[str, ...], named: str, project: Path | None
) -> tuple[Engine, set[str] | None]:
    """Return the engine and the names of the templates that are meant, ``None`` for all."""
    if named:
        site = engine_named(named, project)
    else:
        known = folders_of(folders)
        alone = Path(paths[0]) if len(paths) == 1 else None
        if alone is not None and not any(_is_in(alone, Path(folder)) for folder in known):
            if alone.is_dir():
                return Engine(str(alone)), None
            if alone.is_file():
                page, name = find_page(paths[0], ())
                site = Engine(page)
                return site, {site.compiler.loader.name(name)}
        site = plain_engine(searched(known))
    if not paths:
        return site, None
    return site, {name for path in paths for name in _names(site, path)}


def _is_in(path: Path, folder: Path) -> bool:
    return path.exists() and path.resolve().is_relative_to(folder.resolve())


def _names(site: Engine, path: str) -> Iterator[str]:
    given = Path(path)
    if given.exists():
        found = False
        for name, file in site.compiler.loader.files():
            if _is_in(file, given):
                found = True
                yield name
        if found:
            return
        searched = ", ".join(folder for _, folder in site.compiler.loader.entries)
        raise click.UsageError(f"{path} has no template in {searched}. Name the folders with --folder.")
    yield site.compiler.loader.name(path)
