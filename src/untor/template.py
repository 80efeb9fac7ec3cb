"""A compiled template."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.plan.operations import Placement


class Template:
    """A template that can be rendered; made by ``Engine.template`` and ``Engine.compile``.

    ``render(context=None, /, **values)`` returns the page as text. ``context`` is a mapping of names to values;
    ``values`` come before those of the context. Raises ``MissingValue`` for a name, attribute or item that is not
    there, and ``RenderError`` for anything else that goes wrong with the values.

    ``render`` is the compiled function itself, so that a small page pays for no forwarding.
    """

    __slots__ = ("inputs", "name", "placements", "render")

    def __init__(
        self, name: str, render: Callable[..., str], inputs: tuple[str, ...], placements: list[Placement]
    ) -> None:
        self.name = name
        self.render = render
        self.inputs = inputs
        """Names that the template reads from its context."""
        self.placements = placements
        """Where each value lands, in the order of the page."""

    def __repr__(self) -> str:
        return f"<Template {self.name}>"
