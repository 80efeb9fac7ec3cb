"""A compiled template."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Callable, Iterator, Mapping
    from typing import Any

    from untor.engine import Engine
    from untor.page import Page
    from untor.plan.operations import Placement
    from untor.policy import Policy


class Origin(namedtuple("Origin", "name text part", defaults=(None, ""))):  # noqa: SLOT002, PYI024  typing is not loaded
    """What a template is made from: a file by its name, or source text; all of it or one part."""

    name: str
    text: str | None
    part: str


class Template:
    """A template that can be rendered; made by ``Engine.template`` and ``Engine.compile``.

    ``render(context=None, /, **values)`` returns the page as text. ``context`` is a mapping of names to values;
    ``values`` come before those of the context. Raises ``MissingValue`` for a name, attribute or item that is not
    there, and ``RenderError`` for anything else that goes wrong with the values.

    ``render`` is the compiled function itself, so that a small page pays for no forwarding.
    """

    __slots__ = (
        "_engine",
        "_hashes",
        "_made",
        "_origin",
        "_variants",
        "dependencies",
        "inputs",
        "name",
        "parts",
        "render",
    )

    def __init__(
        self,
        engine: Engine,
        origin: Origin,
        name: str,
        render: Callable[..., str],
        made: Mapping[str, tuple[str, ...]],
    ) -> None:
        self._engine = engine
        self._origin = origin
        self._variants: dict[str, Callable[..., Any]] = {}
        self._made: list[Placement] | None = None
        self._hashes: dict[str, list[str]] | None = None
        self.name = name
        self.render = render
        self.inputs = made["inputs"]
        """Names that the template and its layouts read from the context, in order of the alphabet."""
        self.dependencies = made["dependencies"]
        """Names of the other templates that it is made of."""
        self.parts = made["parts"]
        """Names of the parts that it defines."""

    def stream(self, context: Mapping[str, object] | None = None, /, **values: object) -> Iterator[str]:
        """Yield the page in chunks of text, the first one early; memory does not grow with the page.

        Takes and raises what ``render`` does; an error comes when its place is reached.
        """
        chunks: Iterator[str] = self._variant("stream")(context, **values)
        return chunks

    async def render_async(self, context: Mapping[str, object] | None = None, /, **values: object) -> str:
        """Return the page, awaiting values that are awaitable and looping over asynchronous iterators."""
        page: str = await self._variant("render_async")(context, **values)
        return page

    def stream_async(self, context: Mapping[str, object] | None = None, /, **values: object) -> AsyncIterator[str]:
        """Yield the page in chunks as ``stream`` does, awaiting as ``render_async`` does."""
        chunks: AsyncIterator[str] = self._variant("stream_async")(context, **values)
        return chunks

    def part(self, name: str) -> Template:
        """Return a part of this file as a template of its own; its parameters are its context.

        Raises ``TemplateMissing`` when there is no part of that name.
        """
        return self._engine.part_of(self._origin, name)

    def page(
        self,
        context: Mapping[str, object] | None = None,
        /,
        *,
        status: int = 200,
        headers: Mapping[str, str] | None = None,
        policy: Policy | bool = True,
        cache: str = "",
        stream: bool = False,
    ) -> Page:
        """Return the page as the answer to a request; see ``Engine.page``."""
        from untor.page import CACHED, Page  # noqa: PLC0415  only where requests are answered

        of_engine = self._engine.policy if policy else None
        chosen = of_engine if isinstance(policy, bool) else policy
        return Page(self, context, chosen, status=status, headers=headers, cache=cache or CACHED, stream=stream)

    @property
    def hashes(self) -> dict[str, list[str]]:
        """The hashes of the template's own scripts and styles, as a Content-Security-Policy names them.

        Raises ``PlacementError`` when one of them has values in its text.
        """
        if self._hashes is None:
            self._hashes = self._engine.hashes_of(self._origin)
        return self._hashes

    @property
    def placements(self) -> list[Placement]:
        """Where each value lands, in the order of the page."""
        if self._made is None:
            self._made = self._engine.plan_of(self._origin).placements
        return self._made

    def _variant(self, name: str) -> Callable[..., Any]:
        found = self._variants.get(name)
        if found is None:
            found = self._variants[name] = self._engine.variant_of(self._origin, name)
        return found

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        return _restore, (self._engine, self._origin)

    def __repr__(self) -> str:
        return f"<Template {self.name}>"


def _restore(engine: Engine, origin: Origin) -> Template:
    return engine.template_of(origin)
