"""``untor demo``: Port Ellery as a live site on this machine."""

from __future__ import annotations

import logging
import sys
import tempfile
from pathlib import Path

import click

from untor.cli.common import is_quiet, notice, quiet_option
from untor.cli.serve import address_options, warn_of_others

TYPE_CHECKING = False
if TYPE_CHECKING:
    from rich.console import Console

    from untor.demo.visit import Visit


@click.command(short_help="Serve the demo site, Port Ellery.")
@click.option("--check", is_flag=True, help="Request every page once, print the results, and exit.")
@address_options
@quiet_option
def demo(*, check: bool, host: str, port: int) -> None:
    """Serve the demo: Port Ellery, an invented harbour with an arrivals board, a map, a tide chart and invoices.

    The names of vessels and the messages on the notice board are full of attempts to break the pages; add your own.
    All data is in an SQLite database that is created afresh on each start.

    \b
    untor demo
    untor demo --port 0
    untor demo --check

    Exit status: 0 stopped, 1 a page failed in --check, 2 it could not be started.
    """  # noqa: D301  click reads the backspace as "keep these lines"
    from rich.console import Console  # noqa: PLC0415  loaded only for what prints with it

    from untor.serve.server import CannotServe, address_of, bound, guarded, run  # noqa: PLC0415

    console = Console(markup=False, highlight=False)
    with tempfile.TemporaryDirectory(prefix="untor-demo-") as folder:
        database = Path(folder) / "harbour.sqlite"
        try:
            from untor.demo.app import Port  # noqa: PLC0415  needs the extra's packages
            from untor.demo.harbour import make_database  # noqa: PLC0415

            make_database(database)
            logging.getLogger("untor.blocked").addFilter(_OneBlocked())
            site = Port(database)
            if check:
                sys.exit(_check(console, site))
            listening = bound(host, port)
        except CannotServe as error:
            click.echo(f"untor: {error}", err=True)
            sys.exit(2)
        notice(f"Port Ellery is at {address_of(listening, host)} (Ctrl-C stops it)")
        warn_of_others(host)
        run(guarded(site.app, host, {}), listening)


class _OneBlocked(logging.Filter):
    """Says once that values are blocked: the demo's data is full of them."""

    def __init__(self) -> None:
        super().__init__()
        self._is_first = True

    def filter(self, record: logging.LogRecord) -> bool:
        """Let the first record through, in other words."""
        record.msg, record.args = "values are blocked, as they should be; the first page counts them", ()
        is_first, self._is_first = self._is_first, False
        return is_first


def _check(console: Console, site: object) -> int:
    """Visit every page and print what came back; return the exit status."""
    from rich.table import Table  # noqa: PLC0415

    from untor.demo.visit import visit  # noqa: PLC0415

    table = Table("page", "status", "bytes", "result", box=None, header_style="bold", pad_edge=False)
    for column in (1, 2):
        table.columns[column].justify = "right"
    visits: list[Visit] = visit(site)  # type: ignore[arg-type]
    for each in visits:
        table.add_row(f"{each.method} {each.path}", str(each.status), f"{each.length:,}", each.trouble or "ok")
    console.print(table)
    failed = sum(bool(each.trouble) for each in visits)
    if not is_quiet():
        console.print(f"\n{len(visits)} pages, {failed} failed. Browse them with: untor demo", soft_wrap=True)
    return 1 if failed else 0
