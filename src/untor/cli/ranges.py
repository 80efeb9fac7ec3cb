"""Numbers as values of options."""

from __future__ import annotations

import click

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


class Whole(click.IntRange):
    """An integer in a range."""

    name = "integer"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        """Return the integer, or fail with the range in words."""
        try:
            return super().convert(value, param, ctx)
        except click.BadParameter:
            upwards = f"from {self.min}" + (f" to {self.max}" if self.max is not None else "")
            self.fail(f"{value!r} is not an integer {upwards}.", param, ctx)
