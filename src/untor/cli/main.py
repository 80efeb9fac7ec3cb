"""The command ``untor`` and what all its commands share."""

from __future__ import annotations

import io
import logging
import platform
import signal
import sys
import threading
from collections import UserDict
from contextlib import contextmanager
from importlib import import_module
from typing import Any

import click

from untor import __version__
from untor.errors import TemplateMissing, UntorError
from untor.escape.accelerated import WHY_NOT

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator


class _Commands(UserDict[str, Any]):
    """The commands by name; each is loaded when it is first needed: ``{"build": "build:command"}``."""

    def __getitem__(self, name: str) -> click.Command:
        module, _, function = self.data[name].partition(":")
        command: click.Command = getattr(import_module(f"untor.cli.{module}"), function)
        return command


COMMANDS = _Commands(
    {
        "build": "build:command",
        "check": "check:command",
        "demo": "demo:demo",
        "explain": "explain:command",
        "format": "format:command",
        "language-server": "language_server:command",
        "messages": "messages:command",
        "probe": "probe:command",
        "render": "render:render",
        "serve": "serve:command",
        "start": "start:command",
        "types": "types:command",
    }
)


class CommandGroup(click.Group):
    """A group of commands that report a problem instead of a traceback, and suggest the command that was meant."""

    def invoke(self, ctx: click.Context) -> object:
        """Run a command; a problem of a template, its data or a file is printed on standard error, with a status."""
        logging.basicConfig(format="untor: %(message)s")
        for stream in (sys.stdout, sys.stderr):
            if isinstance(stream, io.TextIOWrapper):
                # Characters that the terminal can't show must not end the command.
                stream.reconfigure(errors="backslashreplace")
        try:
            with _ends_when_terminated():
                return super().invoke(ctx)
        except UntorError as error:
            click.echo(f"untor: {error}", err=True)
            # The page itself was not found; a page that uses a missing template cannot be rendered.
            sys.exit(2 if isinstance(error, TemplateMissing) and error.problem.source is None else 1)
        except BrokenPipeError:
            raise
        except OSError as error:
            what = f"{error.filename}: " if error.filename else ""
            click.echo(f"untor: {what}{(error.strerror or str(error)).lower()}", err=True)
            sys.exit(1)


@contextmanager
def _ends_when_terminated() -> Iterator[None]:
    """Handle SIGTERM like Ctrl-C, so that temporary files are removed."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def end(number: int, _frame: object) -> None:
        sys.exit(128 + number)

    before = signal.signal(signal.SIGTERM, end)
    try:
        yield
    finally:
        signal.signal(signal.SIGTERM, before)


def _version(ctx: click.Context, _parameter: click.Parameter, asked: bool) -> None:  # noqa: FBT001  click's signature
    if asked and not ctx.resilient_parsing:
        how = f"without the extension in C ({WHY_NOT})" if WHY_NOT else "with the extension in C"
        click.echo(f"untor {__version__} on {platform.python_implementation()} {platform.python_version()}, {how}")
        ctx.exit()


@click.group(
    cls=CommandGroup,
    commands=COMMANDS,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)
@click.option(
    "--version",
    is_flag=True,
    is_eager=True,
    expose_value=False,
    callback=_version,
    help="Show the version, that of Python, and whether the extension in C is in use.",
)
def main() -> None:
    """Render HTML templates safely: every value is escaped for the context it is printed in."""
