"""``untor demo``: Port Ellery's database and pages, written into a folder."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

import click

from untor.cli.render import write_whole


@click.command()
@click.argument("folder", default="port-ellery", type=click.Path(file_okay=False, path_type=Path))
def demo(folder: Path) -> None:
    """Write the demo of Port Ellery, an invented harbour, into FOLDER (port-ellery).

    Makes the harbour's SQLite database, renders its pages from it, and copies the templates beside them. Its
    vessels and messages are full of attempts to break the pages.
    """
    from rich.console import Console  # noqa: PLC0415  loaded only for what prints with it
    from rich.table import Table  # noqa: PLC0415

    from untor.demo import views  # noqa: PLC0415
    from untor.demo.harbour import Harbour, make_database  # noqa: PLC0415

    (folder / "templates").mkdir(parents=True, exist_ok=True)
    database = folder / "harbour.sqlite"
    database.unlink(missing_ok=True)
    make_database(database)
    written = Table("file", "what it is", box=None, header_style="bold", pad_edge=False)
    written.add_row(str(database), "the harbour's database")

    def write(name: str, octets: bytes, what: str) -> None:
        write_whole(folder / name, octets)
        written.add_row(str(folder / name), what)

    source = files("untor.demo")
    for template in ("arrivals.html", "vessel.html", "frame.html", "notice.html"):
        write(
            f"templates/{template}", (source / "templates" / template).read_bytes(), "a template, to look at and change"
        )
    with Harbour(database) as harbour:
        write("arrivals.html", views.arrivals(harbour).encode(), "the arrivals board: open this one in a browser")
        for vessel in harbour.vessels():
            write(f"vessel-{vessel.id}.html", views.vessel(harbour, vessel).encode(), f"the page of {vessel.name}")
        write("arrivals.json", views.arrivals_json(harbour).encode(), "the board's data, for untor render")
    write("ellery.css", (source / "static" / "ellery.css").read_bytes(), "the style of the pages")
    console = Console(markup=False, highlight=False)
    console.print(written)
    console.print(
        f"\nOpen {folder / 'arrivals.html'}. Or change a template and render it yourself:\n"
        f"  untor render {folder / 'templates' / 'arrivals.html'} --data {folder / 'arrivals.json'} "
        f"-o {folder / 'arrivals.html'}",
        soft_wrap=True,
    )
