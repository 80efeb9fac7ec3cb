"""``untor format``: gives the marks of templates one spelling."""

from __future__ import annotations

import difflib
import os
import re
import shutil
import sys
import tempfile
from pathlib import Path

import click

from untor.cli.common import PageName, notice, quiet_option, site_options
from untor.cli.pyproject import settings
from untor.cli.templates import chosen
from untor.diagnostics.wording import counted
from untor.errors import UntorError
from untor.format.formatter import Difference, Style, formatted

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import Any

    from untor.diagnostics.source import Source
    from untor.engine.engine import Engine

_LINES = re.compile(r"(\d+)(?:-(\d+))?")
_STYLES: dict[str, dict[str, Any]] = {"-": {"fg": "red"}, "+": {"fg": "green"}, "@": {"fg": "cyan"}}
_BOM = b"\xef\xbb\xbf"


def style_of(table: dict[str, Any]) -> Style:
    """Return the style that ``[tool.untor.format]`` describes."""
    return Style(**table)


@click.command("format", short_help="Give the marks of templates one spelling.")
@click.argument("paths", metavar="[PATH]...", nargs=-1, type=PageName())
@click.option("--check", "checks", is_flag=True, help="Change nothing; report which templates would be changed.")
@click.option("--diff", "shows", is_flag=True, help="Change nothing; print what would be changed.")
@click.option("--lines", metavar="N-M", help="Format only the marks that begin in these lines, of one template.")
@site_options
@quiet_option
def command(
    *,
    paths: tuple[str, ...],
    checks: bool,
    shows: bool,
    lines: str | None,
    engine: str | None,
    folders: tuple[str, ...],
) -> None:
    """Write the marks of all templates, or of those at each PATH, in one spelling.

    Blanks in marks, quotes of strings and the indentation of lines that hold only steps change. HTML, text and white
    space that reaches a page never do: each template is compiled before and after, and left alone if that differs.

    \b
    untor format
    untor format --check
    untor format templates/arrivals.html --diff
    untor format templates/arrivals.html --lines 10-20

    Exit status: 0 formatted, 1 with --check or --diff something would change, 2 usage error, or a template could not
    be formatted.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    configured = settings()
    style = style_of(configured.format)
    wanted = _range(lines)
    named = engine or (configured.engine if not folders else "")
    try:
        site, only = chosen(paths, folders, named, None if engine else configured.folder)
    except UntorError as error:
        click.echo(f"untor: {error}", err=True)
        sys.exit(2)
    names = sorted({name for name, _ in site.compiler.loader.files()} if only is None else only)
    if wanted and len(names) != 1:
        raise click.UsageError("--lines is for one template: name it.")
    count, has_failed = 0, False
    for source in _sources(site, names):
        if source is None:
            has_failed = True
            continue
        try:
            result = formatted(source, style, lines=wanted, compiler=site.compiler)
        except Difference as difference:
            has_failed = True
            where = source.path or source.name
            click.echo(
                f"untor: {where} was left as it is: formatting it would have changed the page ({difference}). "
                "This is a mistake in untor format; please report it, with the template.",
                err=True,
            )
            continue
        if not result.edits:
            continue
        count += 1
        if shows:
            click.echo(_difference(source, result.text), nl=False)
        elif checks:
            click.echo(source.path or source.name)
        else:
            _write(Path(source.path or source.name), result.text)
    whole = counted(len(names), "template")
    is_only_looking = checks or shows
    notice(f"{whole}: {count:,} {'would be changed' if is_only_looking else 'changed'}.", err=shows)
    sys.exit(2 if has_failed else 1 if count and is_only_looking else 0)


def _range(lines: str | None) -> tuple[int, int] | None:
    if lines is None:
        return None
    match = _LINES.fullmatch(lines)
    if match is None or int(match[1]) < 1 or int(match[2] or match[1]) < int(match[1]):
        raise click.BadParameter(f"{lines!r} is not a range of lines like 10-20.", param_hint="--lines")
    return int(match[1]), int(match[2] or match[1])


def _sources(site: Engine, names: list[str]) -> Iterator[Source | None]:
    """Yield the templates; ``None`` for one that cannot be read, which is reported."""
    for name in names:
        try:
            yield site.compiler.loader.read(name)
        except UntorError as error:
            click.echo(f"untor: {error}", err=True)
            yield None


def _difference(source: Source, text: str) -> str:
    path = source.path or source.name
    found = difflib.unified_diff(_lines(source.text), _lines(text), path, path)
    whole = (line if line.endswith("\n") else f"{line}\n\\ No newline at end of file\n" for line in found)
    # Colours are for terminals only.
    return "".join(click.style(line, **_STYLES.get(line[0], {})) for line in whole)


def _lines(text: str) -> list[str]:
    return re.findall(r"[^\n]*\n|[^\n]+", text)


def _write(path: Path, text: str) -> None:
    """Write a file whole or not at all, with its byte order mark and its permissions."""
    real = Path(os.path.realpath(path))
    octets = text.encode("utf-8")
    with real.open("rb") as file:
        if file.read(len(_BOM)) == _BOM:
            octets = _BOM + octets
    with tempfile.NamedTemporaryFile(dir=real.parent, prefix=f".{real.name}.", delete=False) as file:
        temporary = Path(file.name)
        try:
            file.write(octets)
        except BaseException:
            temporary.unlink()
            raise
    try:
        shutil.copymode(real, temporary)
        temporary.replace(real)
    except BaseException:
        temporary.unlink(missing_ok=True)
        raise
