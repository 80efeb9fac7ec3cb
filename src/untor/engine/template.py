"""A compiled template."""

from __future__ import annotations

from collections import ChainMap
from functools import cache

from untor.diagnostics.problem import suggestion
from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncGenerator, Callable, Coroutine, Generator, Mapping
    from typing import Any, Protocol

    from untor.analysis.ir import Placement
    from untor.compiler.origin import Origin
    from untor.engine.engine import Engine
    from untor.web.csp import Policy
    from untor.web.headers import Headers
    from untor.web.response import Page

    class Render(Protocol):
        """``Template.render``."""

        def __call__(self, context: Mapping[str, object] | None = None, /, **values: object) -> str:
            """Return the page. Raises ``MissingValue`` and ``RenderError``."""

    class Stream(Protocol):
        """``Template.stream``."""

        def __call__(self, context: Mapping[str, object] | None = None, /, **values: object) -> Generator[str]:
            """Yield the page in chunks. Raises ``MissingValue`` and ``RenderError`` when their place is reached."""

    class RenderAsync(Protocol):
        """``Template.render_async``."""

        def __call__(
            self, context: Mapping[str, object] | None = None, /, **values: object
        ) -> Coroutine[Any, Any, str]:
            """Return the page, awaiting values. Raises ``MissingValue`` and ``RenderError``."""

    class StreamAsync(Protocol):
        """``Template.stream_async``."""

        def __call__(self, context: Mapping[str, object] | None = None, /, **values: object) -> AsyncGenerator[str]:
            """Yield the page in chunks, awaiting values. Raises ``MissingValue`` and ``RenderError``."""


@cache
def _page_type() -> type[Page]:
    from untor.web.response import Page  # noqa: PLC0415  only where requests are answered

    return Page


_OTHER_WAYS = frozenset({"stream", "render_async", "stream_async"})


class Template:
    """A compiled template; made by ``Engine.template`` and ``Engine.compile``.

    ``render``, ``stream``, ``render_async`` and ``stream_async`` are the compiled functions themselves, so that a small
    page pays for no forwarding; the last three are compiled when they are first used.
    """

    __module__ = "untor"

    __slots__ = {
        "_engine": "",
        "_hashes": "",
        "_origin": "",
        "_placements": "",
        "_stamps": "",
        "dependencies": "The names of the other templates that this one depends on.",
        "inputs": "The names that the template and its layouts read from the values, in alphabetical order.",
        "name": "The template's name with its ending.",
        "parts": "The names of the parts that the template defines.",
        "render": """Return the page: ``render(context=None, /, **values)``.

        ``context`` is a mapping of names to values; ``values`` come before those of the context. Raises
        ``MissingValue`` for a name, attribute or item that does not exist, and ``RenderError`` for anything else that
        is wrong with the values.
        """,
        "render_async": """Return the page, awaiting values that are awaitable: ``await render_async(…)``.

        Loops run over asynchronous iterators too. Takes and raises the same as ``render``.
        """,
        "stream": """Yield the page in chunks of text, the first one early: ``stream(…)``.

        Memory does not grow with the page, and an error is raised when its place is reached. Takes and raises the same
        as ``render``.
        """,
        "stream_async": "Yield the page in chunks and await values, as ``stream`` and ``render_async`` do.",
    }

    name: str
    inputs: tuple[str, ...]
    dependencies: tuple[str, ...]
    parts: tuple[str, ...]
    render: Render
    stream: Stream
    render_async: RenderAsync
    stream_async: StreamAsync

    def __init__(self, engine: Engine, origin: Origin) -> None:
        self._engine = engine
        self._origin = origin
        self._placements: list[Placement] | None = None
        self._hashes: dict[str, list[str]] | None = None
        compiled = engine.compiler.compile(origin)
        self.name = compiled.name
        self.render = compiled.render
        self.inputs = compiled.inputs
        self.dependencies = compiled.dependencies
        self.parts = compiled.parts
        self._stamps = compiled.stamps

    if not TYPE_CHECKING:

        def __getattr__(self, name: str) -> Callable[..., object]:
            """Make the other ways to render, on first use."""
            if name not in _OTHER_WAYS:
                near = suggestion(name, (each for each in (*dir(type(self)), *_OTHER_WAYS) if not each.startswith("_")))
                raise AttributeError(f"a template has no attribute {name!r}. {near}".strip(), name=name, obj=self)
            way = self._engine.compiler.other_way(self.render, self._origin, name)
            setattr(self, name, way)
            return way

    def part(self, name: str) -> Template:
        """Return a part of this file as a template of its own; its parameters are its context.

        Raises ``TemplateMissing`` if the file has no part of that name.
        """
        return Template(self._engine, self._engine.compiler.part(self._origin, name))

    def page(
        self,
        context: Mapping[str, object] | None = None,
        /,
        *,
        status: int = 200,
        headers: Headers | None = None,
        policy: Policy | bool = True,
        cache: str = "",
        stream: bool = False,
        **values: object,
    ) -> Page:
        """Return the page as the answer to a request; see ``Engine.page``."""
        options = {"status": status, "headers": headers, "policy": policy, "cache": cache, "stream": stream}
        return self._page(context, values, options).rendered()

    async def page_async(
        self,
        context: Mapping[str, object] | None = None,
        /,
        *,
        status: int = 200,
        headers: Headers | None = None,
        policy: Policy | bool = True,
        cache: str = "",
        stream: bool = False,
        **values: object,
    ) -> Page:
        """Return the page as ``page`` does, awaiting values that are awaitable."""
        options = {"status": status, "headers": headers, "policy": policy, "cache": cache, "stream": stream}
        return await self._page(context, values, options).rendered_async()

    def _page(
        self,
        context: Mapping[str, object] | None,
        values: dict[str, object],
        options: dict[str, Any],
        locale: str | None = None,
    ) -> Page:
        """Return the page, not rendered yet; ``locale`` is what was asked for with it."""
        if isinstance(options["policy"], bool):
            options["policy"] = self._engine.policy if options["policy"] else None
        if values and (context is None or is_mapping(context)):
            context = ChainMap(values, context) if context else values  # type: ignore[arg-type]
        translator = self._engine.compiler.settings.translator
        language = translator.locale.code if translator.several or locale is not None else ""
        return _page_type()(self, context, **options, language=language, varies=locale is not None)

    @property
    def hashes(self) -> dict[str, list[str]]:
        """The hashes of the template's own scripts and styles, as a Content-Security-Policy names them.

        Raises ``PlacementError`` when one of them has values in its text.
        """
        if self._hashes is None:
            self._hashes = self._engine.compiler.hashes(self._origin)
        return self._hashes

    @property
    def placements(self) -> list[Placement]:
        """The placement of each value, in the order of the page."""
        if self._placements is None:
            self._placements = self._engine.compiler.analyse(self._origin).placements
        return self._placements

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        return Template, (self._engine, self._origin)

    def __repr__(self) -> str:
        return f"<Template {self.name}>"
