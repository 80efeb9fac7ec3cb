"""A compiled template."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Callable, Coroutine, Iterator, Mapping
    from typing import Any

    from untor.analysis.ir import Placement
    from untor.engine.engine import Engine
    from untor.web.csp import Policy
    from untor.web.response import Page


_OTHER_WAYS = frozenset({"stream", "render_async", "stream_async"})


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

    ``stream`` takes the same and yields the page in chunks of text, the first one early; memory does not grow with the
    page, and an error comes when its place is reached. ``await render_async(…)`` returns the page, awaiting values that
    are awaitable and looping over asynchronous iterators; ``stream_async`` yields it in chunks and awaits likewise.

    These four are the compiled functions themselves, so that a small page pays for no forwarding; the last three are
    compiled when they are first asked for.
    """

    render: Callable[..., str]
    stream: Callable[..., Iterator[str]]
    render_async: Callable[..., Coroutine[Any, Any, str]]
    stream_async: Callable[..., AsyncIterator[str]]

    __slots__ = (
        "_engine",
        "_hashes",
        "_made",
        "_origin",
        "dependencies",
        "inputs",
        "name",
        "parts",
        "render",
        "render_async",
        "stream",
        "stream_async",
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

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> Callable[..., object]:
            """Compile the other ways to render; those that are there already are not asked for here."""
            if name not in _OTHER_WAYS:
                raise AttributeError(f"a template has no attribute {name!r}", name=name, obj=self)
            made = self._engine.variant_of(self._origin, name)
            setattr(self, name, made)
            return made

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
        from untor.web.response import CACHED, Page  # noqa: PLC0415  only where requests are answered

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

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        return _restore, (self._engine, self._origin)

    def __repr__(self) -> str:
        return f"<Template {self.name}>"


def _restore(engine: Engine, origin: Origin) -> Template:
    return engine.template_of(origin)
