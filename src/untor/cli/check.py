"""``untor check``: everything wrong or risky in a site's templates that can be known without data."""

from __future__ import annotations

import sys
from dataclasses import replace

import click

from untor.check.checker import CheckOptions, check
from untor.check.suppressions import ACCEPTABLE, why_not
from untor.cli.common import PageName, is_quiet, quiet_option, site_options
from untor.cli.progress import progress
from untor.cli.pyproject import settings
from untor.cli.ranges import Whole
from untor.cli.templates import chosen
from untor.diagnostics.problem import CODES, suggestion
from untor.diagnostics.rules import RULES
from untor.errors import UntorError
from untor.report import FORMATS
from untor.report.as_text import findings, trusted_list

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from untor.cli.pyproject import ProjectSettings


@click.command("check", short_help="Report what is wrong or risky in templates.")
@click.argument("paths", metavar="[PATH]...", nargs=-1, type=PageName())
@click.option(
    "--format",
    "shape",
    type=click.Choice(sorted(FORMATS, reverse=True)),
    default="text",
    help="Output format: text to read, json for programs, sarif for code scanning.",
)
@click.option("--also", multiple=True, metavar="RULE", help="Turn on a rule that is off by default. Can be repeated.")
@click.option("--most-trusted", type=Whole(0), metavar="N", help="The most values that may be printed as trusted.")
@click.option("--trusted", "lists", is_flag=True, help="Also list the values printed as trusted, each with its reason.")
@click.option("--about", metavar="CODE", help="Explain the code of a finding or an error, with an example.")
@site_options
@quiet_option
def command(
    *,
    paths: tuple[str, ...],
    shape: str,
    also: tuple[str, ...],
    most_trusted: int | None,
    lists: bool,
    about: str | None,
    engine: str | None,
    folders: tuple[str, ...],
) -> None:
    """Check all templates, or those at each PATH: a file, a folder or a template name.

    \b
    untor check
    untor check templates/arrivals.html --also csp-script --also csp-handler
    untor check --about place-refused
    untor check --format sarif > untor.sarif

    Exit status: 0 no findings, 1 findings, 2 usage error, or something was not found.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    if about is not None:
        click.echo(_about(about), nl=False)
        return
    configured = settings()
    named = engine or (configured.engine if not folders else "")
    check_options = options_of(configured, also, most_trusted)
    try:
        site, only = chosen(paths, folders, named, None if engine else configured.folder)
        with progress("Checking pages") as report:
            check_options = replace(check_options, policy=site.policy)
            checked = check(site.compiler, check_options, only=only, progress=report)
    except UntorError as error:
        click.echo(f"untor: {error}", err=True)
        sys.exit(2)
    if not checked.templates:
        looked = ", ".join(folder for _, folder in site.compiler.loader.entries)
        raise click.UsageError(f"There are no templates in {looked}.")
    text = findings(checked) if shape == "text" and is_quiet() else FORMATS[shape](checked)
    if lists and shape == "text":
        text = f"{trusted_list(checked)}\n{text}"
    _show(text, coloured=shape == "text")
    sys.exit(1 if checked.findings else 0)


def options_of(
    configured: ProjectSettings, also: tuple[str, ...] = (), most_trusted: int | None = None
) -> CheckOptions:
    """Return how a project's templates are checked. Raises ``click.UsageError``."""
    check_options = CheckOptions(
        _acceptable(configured.accept),
        [*also, *configured.also],
        configured.most_trusted if most_trusted is None else most_trusted,
    )
    for rule in check_options.also:
        if rule not in ACCEPTABLE:
            raise click.UsageError(f'There is no rule "{rule}". {why_not(rule)}')
    return check_options


def _about(code: str) -> str:
    from untor.report import about  # noqa: PLC0415  only for this option

    if code in CODES or code in RULES:
        return about.about(code)
    near = suggestion(code, CODES.keys() | RULES.keys(), "A code is in square brackets after a finding.")
    raise click.UsageError(f'There is no code "{code}". {near}')


def _acceptable(accepted: dict[str, Any], where: str = "[tool.untor.accept]") -> dict[str, Any]:
    """Look at what the settings accept, everywhere and in folders."""
    for code, reason in accepted.items():
        if isinstance(reason, dict):
            if not code.endswith("/"):
                raise click.UsageError(f'"{code}" in {where} has rules, but is not a folder: write "{code}/".')
            _acceptable(reason, f'[tool.untor.accept."{code}"]')
        elif trouble := why_not(code):
            raise click.UsageError(f'"{code}" in {where} cannot be accepted. {trouble}')
        elif not reason.strip():
            raise click.UsageError(f'"{code}" in {where} has no reason.')
    return accepted


def _show(report: str, *, coloured: bool) -> None:
    """Print a report; on a terminal, severities and carets are highlighted."""
    if not coloured or not sys.stdout.isatty():
        click.echo(report, nl=False)
        return
    from rich.console import Console  # noqa: PLC0415  only for what prints with it
    from rich.text import Text  # noqa: PLC0415

    text = Text(report)
    for pattern, style in _STYLES.items():
        text.highlight_regex(pattern, style)
    Console(highlight=False).print(text, end="", soft_wrap=True)


_STYLES = {
    r"(?m)^\S.*, [\d,]+ findings?$": "bold underline",
    r"(?m)^\S+:\d+:\d+:": "bold",
    r"(?<=: )error(?=: )": "bold red",
    r"(?<=: )warning(?=: )": "bold magenta",
    r"(?m)\[[a-z-]+\]$": "dim",
    r"(?m)(?<=[ \t])\^+$": "bold red",
    r"(?m)^[\d,]+ templates? checked: .*": "bold",
}
