"""What is public, a line each: ``python tests/public_names.py > tests/cases/public.txt`` after a change that is meant.

A line that goes or changes breaks somebody's code: CONTRIBUTING says how that is done.
"""

from __future__ import annotations

import inspect
import re
from importlib import import_module
from typing import TYPE_CHECKING, Any

import untor.testing
from untor.cli.main import main
from untor.cli.pyproject import _SHAPES
from untor.diagnostics.codes import CODES
from untor.diagnostics.rules import RULES
from untor.filters import built_in
from untor.filters.locale_settings import LocaleSettings
from untor.language.keywords import STEPS
from untor.language_server.hover import arguments_of

if TYPE_CHECKING:
    from collections.abc import Iterator

    import click

MODULES = {
    "untor": untor.__all__,
    "untor.testing": untor.testing.__all__,
    "untor.web": ["error_pages"],
    "untor.web.aiohttp": ["PageResponse"],
    "untor.web.falcon": ["answer"],
    "untor.web.starlette": ["PageResponse"],
}


def lines() -> Iterator[str]:
    """Yield what is public."""
    for name in MODULES:
        yield from of_module(name)
    for command in sorted(main.commands):
        yield from of_command(f"untor {command}", main.commands[command])
    yield from (f"setting {name}" for name in sorted(_SHAPES))
    yield from (f"step {name}" for name in sorted(STEPS))
    for name, function in built_in(LocaleSettings()).items():
        yield f"filter {name}{arguments_of(function, is_filter=True)}"
    yield from (f"problem {name}" for name in sorted(CODES))
    yield from (f"rule {name}" for name in sorted(RULES))


def of_module(name: str) -> Iterator[str]:
    """Yield the names of a module, and those of its classes."""
    module = import_module(name)
    for public in sorted(MODULES[name]):
        value = getattr(module, public)
        yield f"{name}.{public}{shape_of(value)}"
        if inspect.isclass(value):
            for each in sorted(vars(value)):
                if not each.startswith("_"):
                    yield f"{name}.{public}.{each}{shape_of(inspect.getattr_static(value, each))}"


def shape_of(value: Any) -> str:
    """Return the parameters of a function as code is written with them, without types: those may become wider."""
    if not callable(value):
        return ""
    try:
        parameters = inspect.signature(value).parameters.values()
    except (TypeError, ValueError):
        return "(…)"
    bare = [each.replace(annotation=each.empty, default=_shown(each.default)) for each in parameters]
    text = str(inspect.Signature(bare))
    return re.sub(r"^\((self|cls)(, /)?(, )?", "(", text)


def _shown(default: Any) -> Any:
    """Return a default that prints the same in every run."""
    if default is inspect.Parameter.empty or isinstance(default, str | int | float | None) or default == ():
        return default
    return _Other()


class _Other:
    """Stands for a default that is an object, or long."""

    def __repr__(self) -> str:
        return "…"


def of_command(name: str, command: click.Command) -> Iterator[str]:
    """Yield the arguments and options of a command, and of those in it."""
    for parameter in command.params:
        is_option = parameter.param_type_name == "option"
        yield f"{name} {', '.join(parameter.opts) if is_option else parameter.human_readable_name}"
    for each, inner in sorted(getattr(command, "commands", {}).items()):
        yield from of_command(f"{name} {each}", inner)


if __name__ == "__main__":
    print("\n".join(lines()))
