"""The settings in ``[tool.untor]`` of the nearest ``pyproject.toml``."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from pathlib import Path

import click

from untor.diagnostics.problem import suggestion

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


@dataclass(frozen=True, slots=True)
class ProjectSettings:
    """The settings of a project; empty without any.

    ``folders`` are those of the templates, ``engine`` is ``MODULE:NAME`` of the site's own engine, ``messages``,
    ``locale``, ``static`` and ``links`` are options for a site without an engine of its own; ``format`` is for
    ``untor format``, ``build`` for ``untor build``, the others are for ``untor check``.
    """

    file: Path | None = None
    folders: list[str] = field(default_factory=list)
    engine: str = ""
    also: list[str] = field(default_factory=list)
    accept: dict[str, Any] = field(default_factory=dict)
    most_trusted: int | None = None
    messages: str | None = None
    locale: str = "en"
    static: dict[str, str] = field(default_factory=dict)
    links: dict[str, str] = field(default_factory=dict)
    format: dict[str, Any] = field(default_factory=dict)
    build: dict[str, Any] = field(default_factory=dict)

    @property
    def folder(self) -> Path | None:
        """The folder of the project, where Python looks for the engine's module."""
        return None if self.file is None else self.file.parent


_SHAPES: dict[str, tuple[type | tuple[type, ...], str]] = {
    "folders": ((str, list), 'a list, like ["templates"]'),
    "engine": (str, 'text, like "site.views:pages"'),
    "also": (list, 'a list of rules, like ["csp-script"]'),
    "accept": (dict, "a table of rules, each with the reason why it is accepted, or of folders with such tables"),
    "most-trusted": (int, "a number"),
    "messages": (str, 'a folder, like "locales"'),
    "locale": (str, 'the code of a locale, like "en"'),
    "static": ((str, dict), 'a folder, like "static", or a table of addresses and folders'),
    "links": (dict, 'a table of routes, like {vessel = "/vessels/{id}.html"}'),
    "format": (dict, 'a table, like {quotes = "single", indent = 4}'),
    "build": (dict, 'a table of pages, like {"index.html" = {page = "index"}}'),
}
_QUOTES = ("double", "single", "alternate")
_MOST_INDENT = 16


def settings(start: Path | None = None) -> ProjectSettings:
    """Read the nearest settings, from a folder up, by default from the current one.

    Raises ``click.UsageError`` for what cannot be read.
    """
    first = (start or Path()).resolve()
    for folder in (first, *first.parents):
        file = folder / "pyproject.toml"
        if file.is_file():
            return _read(file)
    return ProjectSettings()


def _read(file: Path) -> ProjectSettings:
    try:
        table = tomllib.loads(file.read_text("utf-8")).get("tool", {}).get("untor", {})
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise click.UsageError(f"{file} cannot be read: {error}") from None
    if not isinstance(table, dict):
        raise click.UsageError(f"{file}: [tool.untor] must be a table")
    for name, value in table.items():
        _check(file, name, value)
    folders = table.get("folders", [])
    folders = [folders] if isinstance(folders, str) else folders
    return ProjectSettings(
        file,
        [str(file.parent / entry) for entry in folders],
        table.get("engine", ""),
        table.get("also", []),
        table.get("accept", {}),
        table.get("most-trusted"),
        str(file.parent / table["messages"]) if "messages" in table else None,
        table.get("locale", "en"),
        {url: str(file.parent / folder) for url, folder in _static(table.get("static", {})).items()},
        table.get("links", {}),
        table.get("format", {}),
        table.get("build", {}),
    )


def _static(given: str | dict[str, str]) -> dict[str, str]:
    return {"/static": given} if isinstance(given, str) else given


def _check(file: Path, name: str, value: Any) -> None:
    if name not in _SHAPES:
        near = suggestion(name, _SHAPES, f"Settings are {', '.join(_SHAPES)}.")
        raise click.UsageError(f'{file}: there is no setting "{name}" in [tool.untor]. {near}')
    kind, shape = _SHAPES[name]
    inner = list(value.values()) if isinstance(value, dict) else value if isinstance(value, list) else []
    if name == "accept":
        inner = [reason for each in inner for reason in (each.values() if isinstance(each, dict) else [each])]
    if name == "format" and isinstance(value, dict):
        _check_format(file, value)
        return
    if name == "build" and isinstance(value, dict):
        return  # what is in it is read by the command
    wrong = not isinstance(value, kind) or isinstance(value, bool) or not all(isinstance(each, str) for each in inner)
    if wrong:
        raise click.UsageError(f"{file}: {name} in [tool.untor] must be {shape}")


def _check_format(file: Path, table: dict[str, Any]) -> None:
    where = f"{file}: [tool.untor.format]"
    for name, value in table.items():
        if name == "quotes":
            if value not in _QUOTES:
                raise click.UsageError(f'{where}: quotes must be "double", "single" or "alternate"')
        elif name == "indent":
            if type(value) is not int or not 0 <= value <= _MOST_INDENT:
                raise click.UsageError(f"{where}: indent must be a number of blanks, from 0 to {_MOST_INDENT}")
        else:
            near = suggestion(name, ("quotes", "indent"), "Settings are quotes and indent.")
            raise click.UsageError(f'{where}: there is no setting "{name}". {near}')
