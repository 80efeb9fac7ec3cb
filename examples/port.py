"""What the examples show: the berths of Port Ellery, and the engine for their pages."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from untor import Engine, Policy

HERE = Path(__file__).parent


class Berth(NamedTuple):
    """A place at a quay, and the vessel that lies there."""

    code: str
    vessel: str | None


pages = Engine(
    HERE / "templates",
    types={"Berth": Berth},
    static={"/static": HERE / "static"},
    links={"berths": "/", "berth": "/berths/{code}", "log": "/log"},
    policy=Policy(),
)


BERTHS = [
    Berth("N1", "Gannet's Rest"),
    Berth("F1", "Sea Holly"),
    Berth('P"4"', "<script>document.title='taken'</script>"),
]


def found(asked: str) -> list[Berth]:
    """Return the berths whose code or vessel has some words in it."""
    return [each for each in BERTHS if asked.lower() in f"{each.code} {each.vessel or ''}".lower()]
