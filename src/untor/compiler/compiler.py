"""The compiler: source to tree to IR to code. It knows a loader and settings, and no engine."""

from __future__ import annotations

from collections import namedtuple

from untor.compiler.bindings import loaded, namespace
from untor.compiler.origin import Origin
from untor.compiler.recursion import with_whole_stack
from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.source import Source
from untor.errors import TemplateMissing, error_of
from untor.escape import Escapers
from untor.loading.cache import CodeCache
from untor.runtime.calls import Calls
from untor.runtime.compiled import CompiledProgram, sharing
from untor.runtime.rendering import way_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from typing import Any, NamedTuple

    from untor.analysis.composition import Permissions
    from untor.analysis.ir import TemplateIR
    from untor.compiler.settings import CompilerSettings
    from untor.language.parser import ParsedTemplate
    from untor.loading.loader import TemplateLoader
    from untor.runtime.compiled import Code

    class Compiled(NamedTuple):
        """A compiled template: its name, the function ``render``, and the names that it reads and consists of.

        ``stamps`` are those of its files, from before they were read.
        """

        name: str
        render: Callable[..., str]
        inputs: tuple[str, ...]
        dependencies: tuple[str, ...]
        parts: tuple[str, ...]
        stamps: dict[str, object]
else:  # typing is not loaded to render a page
    Compiled = namedtuple("Compiled", "name render inputs dependencies parts stamps")  # noqa: PYI024


_CATALOGUES = "/catalogues"
"""Among the stamps of files, that of the translations; no template has such a name."""


class Compiler:
    """Compiles templates. Safe to use from many threads.

    With ``reload``, sources are read again each time; otherwise once.
    """

    def __init__(
        self, loader: TemplateLoader, settings: CompilerSettings, cache: CodeCache, *, reload: bool = False
    ) -> None:
        self.loader = loader
        self.settings = settings
        self.cache = cache
        self.reload = reload
        self.escapers = Escapers(settings.url_schemes, settings.resource_origins)
        self._calls = Calls(settings.helpers, methods=settings.calls_methods)
        self._readings: dict[str, ParsedTemplate] = {}
        self._permitted: Permissions | None = None
        self._shared: dict[object, Any] = {}
        """Tables of programs that are the same in several languages."""

    def in_locale(self, settings: CompilerSettings) -> Compiler:
        """Return a compiler for another locale, which shares what has been read."""
        cache = CodeCache(self.cache.folder, settings.cache_key)
        other = Compiler(self.loader, settings, cache, reload=self.reload)
        other.escapers, other._readings, other._calls = self.escapers, self._readings, self._calls
        other._shared = self._shared
        return other

    # --- source to tree --------------------------------------------------------------------------------------------

    def reading(self, name: str) -> ParsedTemplate:
        """Read a template, or one that others depend on, once; its problems are in the result.

        Raises ``TemplateMissing``, and ``MarkError`` for a file that is not UTF-8.
        """
        from untor.analysis.analyser import reading_of  # noqa: PLC0415  loaded when there is something to compile

        reading = self._readings.get(name)
        if reading is None or self.reload:
            source = self.loader.read(name)
            if reading is None or reading.source.text != source.text or reading.source.path != source.path:
                reading = self._readings[name] = reading_of(source)
            else:
                reading.source.stamp = source.stamp
        return reading

    def forget(self, name: str) -> None:
        """Read a template again when it is needed next, by whichever of its names."""
        stem = name.rpartition(".")[0]
        for known in [*self._readings]:
            if known in {name, stem} or known.rpartition(".")[0] == stem:
                del self._readings[known]

    def has_changed(self, stamps: Mapping[str, object]) -> bool:
        """Return whether a template must be compiled again: one of its files is another now, or may be."""
        catalogues = self.settings.translator.stamp()
        if stamps.get(_CATALOGUES, catalogues) != catalogues:
            self.settings.translator.forget()
            return True
        return any(
            stamp is None or self.loader.stamp(name) != stamp for name, stamp in stamps.items() if name != _CATALOGUES
        )

    def _reading_of(self, origin: Origin) -> ParsedTemplate:
        if origin.text is not None:
            from untor.analysis.analyser import reading_of  # noqa: PLC0415

            return reading_of(Source(origin.name, origin.text))
        return self.reading(origin.name)

    def part(self, origin: Origin, part: str) -> Origin:
        """Return the origin of a part of a template. Raises ``TemplateMissing`` if the template has no such part."""
        reading = self._reading_of(origin)
        if part not in reading.parts:
            near = suggestion(part, reading.parts, f"It has {', '.join(reading.parts) or 'no parts'}.")
            words = {"word": f"{reading.source.name}#{part}", "near": near}
            raise TemplateMissing(Problem("template-missing", **words))
        return Origin(origin.name, origin.text, part)

    # --- tree to IR ------------------------------------------------------------------------------------------------

    def analyse(self, origin: Origin, *, collects: bool = False, stamps: dict[str, object] | None = None) -> TemplateIR:
        """Plan a template. Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError``.

        With ``collects``, problems are not raised; all of them are in the plan. ``stamps`` receives those of its files.
        """

        def planned_now() -> TemplateIR:
            reading = self._reading_of(origin)
            if stamps is not None:
                stamps.clear()
                stamps[_CATALOGUES] = self.settings.translator.stamp()
                if origin.text is None:
                    stamps[origin.name] = reading.source.stamp
            return self.analysed(reading, origin.part, collects=collects, stamps=stamps)

        try:
            planned = planned_now()
        except RecursionError:
            planned = with_whole_stack(
                planned_now,
                lambda: self.loader.read(origin.name) if origin.text is None else Source(origin.name, origin.text),
            )
        if planned.problems and not collects:
            raise error_of(planned.problems[0])
        return planned

    def analysed(
        self,
        reading: ParsedTemplate,
        part: str = "",
        *,
        collects: bool = False,
        stamps: dict[str, object] | None = None,
    ) -> TemplateIR:
        """Plan what has been read; its problems are in the plan, the stamps of what it depends on in ``stamps``."""
        from untor.analysis.analyser import analyse  # noqa: PLC0415

        def read(name: str) -> ParsedTemplate:
            other = self.reading(name)
            if stamps is not None:
                stamps[name] = other.source.stamp
            return other

        return analyse(reading, read, self.settings.filters, self.permitted(), part, collects=collects)

    def permitted(self) -> Permissions:
        """Return what templates may do, as the analysis reads it."""
        if self._permitted is None:
            from untor.analysis.composition import Permissions  # noqa: PLC0415
            from untor.contexts.client_libraries import Tables  # noqa: PLC0415

            settings = self.settings
            tables = Tables(settings.attributes, settings.script_types)
            self._permitted = Permissions(
                settings.url_schemes, tables, settings.helper_checks, settings.translator, frozenset(settings.types)
            )
        return self._permitted

    def hashes(self, origin: Origin) -> dict[str, list[str]]:
        """Return the hashes of a template's own scripts and styles; raises ``PlacementError`` if one has values."""
        from untor.analysis.csp_hashes import hashes_of  # noqa: PLC0415

        hashes, problems = hashes_of(self.analyse(origin))
        if problems:
            raise error_of(problems[0])
        return hashes

    # --- IR to code ------------------------------------------------------------------------------------------------

    def compile(self, origin: Origin, way: str = "render") -> Compiled:
        """Compile a template for a way to render, or load its code from the cache.

        The ways are ``render``, ``stream``, ``render_async`` and ``stream_async``; one program does for all of them.
        Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError``.
        """
        name, text, part = origin
        stamps: dict[str, object] = {_CATALOGUES: self.settings.translator.stamp()}

        def read(name: str) -> Source:
            source = self.loader.read(name)
            stamps[name] = source.stamp
            return source

        is_kept = text is None and not part and self.cache.folder is not None
        if is_kept:
            source = read(name)
            entry = self.cache.load(source, read, way)
            if entry is not None and (function := self._kept_function(entry[0], way)) is not None:
                return Compiled(source.name, function, stamps=stamps, **entry[1])
        planned = self.analyse(origin, stamps=stamps)
        code = self._built(planned, way)
        names = {"inputs": planned.inputs, "dependencies": planned.dependencies, "parts": planned.parts}
        if is_kept:
            self.cache.save(planned.source, code, names, way)
        title = f"{planned.source.name}#{part}" if part else planned.source.name
        return Compiled(title, self._function(code, way), stamps=stamps, **names)

    def other_way(self, render: Callable[..., str], origin: Origin, way: str) -> Callable[..., Any]:
        """Return another way to render what ``render`` does: by the same program, or compiled for it.

        Raises the same as ``compile``.
        """
        program: Any = getattr(render, "__self__", None)
        return way_of(program, way) if hasattr(program, "begin") else self.compile(origin, way).render

    def function(
        self,
        planned: TemplateIR,
        way: str = "render",
        *,
        helpers: Mapping[str, Callable[..., object]] | None = None,
        filters: Mapping[str, Callable[..., object]] | None = None,
    ) -> Callable[..., Any]:
        """Return the function that a plan describes, with more helpers, and filters in the place of others."""
        return self._function(self._built(planned, way), way, helpers, filters)

    def _built(self, planned: TemplateIR, way: str) -> Code:
        from untor.codegen.build import build  # noqa: PLC0415

        lenient = self.settings.lenient
        try:
            code = build(planned, way, lenient=lenient)
        except RecursionError:
            code = with_whole_stack(lambda: build(planned, way, lenient=lenient), lambda: planned.source)
        if isinstance(code, CompiledProgram) and not self.reload and self.settings.translator.several:
            return sharing(code, self._shared)
        return code

    def _kept_function(self, built: Code, way: str) -> Callable[..., Any] | None:
        """Return the function of code from the cache; ``None`` where the engine has not all of its filters."""
        try:
            return self._function(built, way)
        except (KeyError, ValueError, TypeError):
            return None

    def _function(
        self,
        built: Code,
        way: str,
        helpers: Mapping[str, Callable[..., object]] | None = None,
        filters: Mapping[str, Callable[..., object]] | None = None,
    ) -> Callable[..., Any]:
        functions = {"helpers": helpers or {}, "filters": filters or {}}
        if isinstance(built, CompiledProgram):
            return way_of(loaded(built, self.settings, self.escapers, self._calls, **functions), way)
        names = namespace(built, self.settings, self.escapers, self._calls, **functions)
        exec(built.code, names)  # noqa: S102  code that codegen has made
        function: Callable[..., Any] = names[way]  # type: ignore[assignment]
        return function
