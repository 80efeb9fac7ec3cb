"""The data that a page is given on the command line."""

from __future__ import annotations

import json
from pathlib import Path

import click

from untor.data import load

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import TypeVar

    Command = TypeVar("Command", bound=Callable[..., object])


def data_options(command: Command) -> Command:
    """Give a command the options that say what a page's values are."""
    files = click.option(
        "--data",
        "files",
        multiple=True,
        metavar="[NAME=]FILE",
        help="A JSON file with the page's values; - for standard input. May repeat.",
    )
    settings = click.option(
        "--set",
        "settings",
        multiple=True,
        metavar="NAME=VALUE",
        help="One value, as JSON where it is valid JSON, else as text. May repeat.",
    )
    return files(settings(command))


def context_of(files: tuple[str, ...], settings: tuple[str, ...]) -> dict[str, object]:
    """Return the values that the options give. Raises ``DataError`` and ``click.BadParameter``."""
    context: dict[str, object] = {}
    for given in files:
        name, path = _named(given)
        context.update(load(path, name))
    for setting in settings:
        name, found, value = setting.partition("=")
        if not found or not name.isidentifier():
            raise click.BadParameter(f"{setting!r} is not NAME=VALUE, like year=2031.", param_hint="--set")
        context[name] = _value(value)
    return context


def _named(given: str) -> tuple[str | None, str]:
    """Tell ``NAME=FILE`` from a file; a file that exists under the whole text wins."""
    name, found, path = given.partition("=")
    if found and name.isidentifier() and not Path(given).exists():
        return name, path
    return None, given


def _value(text: str) -> object:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return text
