"""Where the command line finds templates."""

from __future__ import annotations

import tomllib
from pathlib import Path

import click

from untor.folders import ENDINGS


def find_page(page: str, given: tuple[str, ...]) -> tuple[list[str], str]:
    """Return the folders to search and the name of a template, from its name or from a path to its file.

    Folders are those given, else ``folders`` in ``[tool.untor]`` of the nearest ``pyproject.toml``, else
    ``templates``, else the current folder; for a file in none of the first three, the nearest folder above it that
    is named ``templates``, else its own folder.
    """
    folders = [*given] or _configured() or (["templates"] if Path("templates").is_dir() else [])
    path = Path(page)
    if not page.endswith(ENDINGS) or not path.is_file():
        return folders or ["."], page
    resolved = path.resolve()
    for folder in folders:
        if resolved.is_relative_to(Path(folder).resolve()):
            return [folder], resolved.relative_to(Path(folder).resolve()).as_posix()
    for above in path.parents:
        if above.name == "templates":
            return [str(above)], path.relative_to(above).as_posix()
    return [str(path.parent)], path.name


def _configured() -> list[str]:
    for folder in (Path.cwd(), *Path.cwd().parents):
        file = folder / "pyproject.toml"
        if file.is_file():
            try:
                settings = tomllib.loads(file.read_text("utf-8")).get("tool", {}).get("untor", {})
            except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
                raise click.UsageError(f"{file} cannot be read: {error}") from None
            folders = settings.get("folders", [])
            folders = [folders] if isinstance(folders, str) else folders
            if not isinstance(folders, list) or not all(isinstance(entry, str) for entry in folders):
                raise click.UsageError(f'{file}: folders in [tool.untor] must be a list, like ["templates"]')
            return [str(folder / entry) for entry in folders]
    return []
