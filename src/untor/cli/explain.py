"""``untor explain``: where each value of a page is printed, and its escaping."""

from __future__ import annotations

import json
from itertools import groupby
from pathlib import Path

import click

from untor.cli.common import PageName, is_quiet, quiet_option, site_options
from untor.cli.page_values import DataOptions, context_of, data_options, values_explained
from untor.cli.render import checked_output, write_whole
from untor.cli.templates import engine_and_page
from untor.compiler.origin import Origin
from untor.diagnostics.wording import counted
from untor.explain.descriptions import kind_of_context
from untor.explain.outline import outline_of
from untor.explain.printed_values import values_as_data, values_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from rich.console import Console

    from untor.explain.outline import OutlineLine
    from untor.explain.printed_values import PrintedValue
    from untor.explain.trace import Journey, Step

_STYLES = {
    "text": "default",
    "attribute": "blue",
    "url": "magenta",
    "resource": "bold magenta",
    "script": "green",
    "style": "cyan",
    "trusted": "bold red",
}


@click.command("explain", short_help="Show each value's context and its escaping.")
@click.argument("page", type=PageName())
@click.option(
    "--html",
    "output",
    metavar="FILE",
    type=click.Path(),
    help="Write the templates as an HTML page, each value coloured by its context.",
)
@click.option(
    "--outline", is_flag=True, help="Show the elements that the page makes as a tree, with its steps and values."
)
@click.option(
    "--format",
    "shape",
    type=click.Choice(["text", "json"]),
    default="text",
    help="Output format: text to read, json for programs.",
)
@click.option("--code", is_flag=True, help="Show the Python code the page compiles to.")
@click.option("--expression", metavar="EXPRESSION", help="Show what this value becomes at each step. Needs --data.")
@data_options
@site_options
@quiet_option
def command(
    *,
    page: str,
    output: str | None,
    outline: bool,
    shape: str,
    code: bool,
    expression: str | None,
    given: DataOptions,
    engine: str | None,
    folders: tuple[str, ...],
) -> None:
    """Show the contexts each value of PAGE is printed in, outermost first, and how it is escaped.

    Layouts, includes and parts are followed; rows are in page order.

    \b
    untor explain arrivals
    untor explain arrivals --outline
    untor explain arrivals --html arrivals-explained.html
    untor explain arrivals --format json
    untor explain arrivals --expression 'calls[0].vessel.name' --data arrivals.json

    Exit status: 0 explained, 1 the page or its data has an error, 2 usage error, or something was not found.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    from rich.console import Console  # noqa: PLC0415  loaded only for what prints with it

    checked_output(output)
    site, name = engine_and_page(page, folders, engine)
    planned = site.compiler.analyse(Origin(name))
    if code:
        from untor.codegen.python import shown  # noqa: PLC0415

        click.echo(shown(planned, lenient=site.compiler.settings.lenient))
        return
    console = Console(highlight=False, markup=False)
    if outline:
        _print_outline(console, outline_of(site.compiler, planned))
        return
    if expression is not None:
        from untor.explain.trace import filtered, journeys  # noqa: PLC0415

        context = context_of(given)
        with values_explained(given, context):
            steps = filtered(site.compiler, expression, context)
            found = journeys(site.compiler, planned, expression, context)
        _print_journeys(console, steps, found)
        return
    values = values_of(site.compiler, planned)
    if shape == "json":
        click.echo(json.dumps(values_as_data(planned.source.name, values), indent=2, ensure_ascii=False))
        return
    if output is not None:
        from untor.explain.source_page import explained_context, explained_template  # noqa: PLC0415

        text = explained_template().render(explained_context(site.compiler, planned, values))
        write_whole(Path(output), text.encode("utf-8", "replace"))
        return
    _print_values(console, planned.source.name, values)


def _print_outline(console: Console, lines: list[OutlineLine]) -> None:
    from rich.text import Text  # noqa: PLC0415  loaded only for what prints with it

    looks = {"template": "bold", "text": "dim", "step": "yellow"}
    for line in lines:
        number = f"{line.line:>5}" if line.line else " " * 5
        shown = Text(f"{number}  {'  ' * line.depth}")
        look = _STYLES[kind_of_context(line.context)] if line.context else looks.get(line.kind, "default")
        shown.append(line.text, style=look)
        if line.context:
            shown.append(f"  {line.context}", style="dim")
        console.print(shown, no_wrap=True, overflow="ellipsis", crop=True)


def _print_values(console: Console, page: str, values: list[PrintedValue]) -> None:
    from rich import box  # noqa: PLC0415
    from rich.table import Table  # noqa: PLC0415
    from rich.text import Text  # noqa: PLC0415

    table = Table(box=box.SIMPLE_HEAD, header_style="bold", pad_edge=False, expand=False)
    table.add_column("Line", justify="right", no_wrap=True)
    is_typed = any(value.type for value in values)
    for column in ("Value", *(["Type"] if is_typed else []), "Context", "What is done to it, in order"):
        table.add_column(column, overflow="fold")
    for template, group in groupby(values, key=lambda value: value.placement.template):
        table.add_section()
        table.add_row("", Text(template, style="bold"))
        for value in group:
            placement = value.placement
            place = Text(placement.context, style=_STYLES[value.kind])
            place.append(value.context.removeprefix(placement.context), style="not bold dim")
            line = f"{placement.line}:{placement.column}"
            types = [value.type] if is_typed else []
            table.add_row(line, placement.expression, *types, place, "\n".join(value.done))
    if values:
        console.print(table)
    if not is_quiet():
        console.print(f"{page} prints {counted(len(values), 'value')}.")


def _print_journeys(console: Console, steps: list[Step], found: list[Journey]) -> None:
    from rich import box  # noqa: PLC0415
    from rich.table import Table  # noqa: PLC0415
    from rich.text import Text  # noqa: PLC0415

    table = Table(box=box.SIMPLE_HEAD, header_style="bold", pad_edge=False)
    for column in ("Place", "Step", "The value then"):
        table.add_column(column, overflow="fold")
    for step in steps:
        table.add_row("the data and filters" if step is steps[0] else "", step.what, step.result)
    for journey in found:
        table.add_section()
        place = Text(_few(journey.places, "; ")).append(f"\n{_few(journey.lines, ', ')}", style="dim")
        for step in journey.steps:
            table.add_row(place if step is journey.steps[0] else "", step.what, step.result)
    console.print(table)
    if not found:
        console.print("The page prints no values.")


def _few(names: tuple[str, ...], between: str) -> str:
    shown = between.join(names[:3])
    return f"{shown} and {len(names) - 3} more" if len(names) > 3 else shown  # noqa: PLR2004
