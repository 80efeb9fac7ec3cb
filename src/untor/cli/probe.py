"""``untor probe``: renders a page with hostile values and compares its structure with that of the harmless page."""

from __future__ import annotations

import sys

import click

from untor.cli.common import PageName, notice, quiet_option, site_options
from untor.cli.page_values import DataOptions, context_of, data_options
from untor.cli.progress import progress
from untor.cli.templates import engine_and_page
from untor.diagnostics.wording import counted
from untor.errors import UntorError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.probe.prober import Probed


@click.command("probe", short_help="Try hostile values and compare the structure.")
@click.argument("page", type=PageName())
@data_options
@site_options
@quiet_option
def command(*, page: str, given: DataOptions, engine: str | None, folders: tuple[str, ...]) -> None:
    """Render PAGE with hostile values and check that the parsed structure stays the same.

    The values of its data are replaced one at a time, then all together. Elements, attributes, script tokens, the
    schemes and origins of URLs, and style declarations must not change.

    \b
    untor probe arrivals --data arrivals.json
    untor probe arrivals --data arrivals.json --engine site.views:pages

    Exit status: 0 nothing changed, 1 something changed, 2 usage error, or the page or its data has an error.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    from untor.probe.prober import probe  # noqa: PLC0415  reads pages with the extra's packages
    from untor.probe.structure import StructureMissing  # noqa: PLC0415

    try:
        site, name = engine_and_page(page, folders, engine)
        with progress("Trying values") as report:
            probed = probe(site.compiler, name, context_of(given), progress=report)
    except (UntorError, StructureMissing) as error:
        click.echo(f"untor: {error}", err=True)
        sys.exit(2)
    for change in probed.changes:
        click.echo(f"{change}\n")
    notice(summary(probed))
    sys.exit(1 if probed.changes else 0)


def summary(probed: Probed) -> str:
    """Say what was tried and what came of it."""
    tried = counted(probed.placements - len(probed.missed), "placement")
    lines = [
        f"{probed.page}: {probed.values} values in {tried} of 1 page, alone and together.",
        f"{counted(probed.renderings, 'rendering')}, {probed.refused:,} ended in an error of a filter or a type.",
    ]
    if probed.messages:
        lines.append(f"{counted(probed.messages, 'message')}, each with hostile words around its translation.")
    if probed.missed:
        lines.append(f"With this data {counted(len(probed.missed), 'placement')} could not be tried:")
        lines += [f"  {site}: {site.expression}" for site in probed.missed]
    changed = counted(len(probed.changes), "change")
    lines.append(
        f"The structure of the page changes: {changed}." if probed.changes else "The structure stays the same."
    )
    return "\n".join(lines)
