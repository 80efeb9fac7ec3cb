"""The engine: finds templates, compiles each once, renders."""

from __future__ import annotations

from functools import partial
from types import MappingProxyType

from untor.compiler.recursion import with_deep_stack
from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.source import Source
from untor.engine.options import checked_attributes, checked_name, checked_origin, checked_script_types, one_of
from untor.engine.template import Origin, Template
from untor.errors import TemplateMissing, error_of
from untor.escape import MISSING, SCHEMES, Escapers, printed
from untor.escape.accelerated import IS_BUILT, fast, joins, told
from untor.filters import NAMES, built_in
from untor.filters.locale_settings import Settings
from untor.loading.cache import CodeCache
from untor.loading.loader import Folders
from untor.runtime import async_iteration, attributes, iteration, parameter_types
from untor.runtime.calls import Calls
from untor.runtime.tracebacks import trouble, untold

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
    from concurrent.futures import Executor
    from datetime import datetime
    from typing import Any

    from untor.analysis.composition import Permitted
    from untor.analysis.ir import Plan
    from untor.analysis.names import Known
    from untor.check.findings import Finding
    from untor.codegen.compiled import Built
    from untor.language.parser import Reading
    from untor.web.csp import Policy
    from untor.web.response import Page
    from untor.web.routes import Links
    from untor.web.static import Assets, Static

_RUN = {
    "MISSING": MISSING,
    "NONCE": parameter_types.NONCE,
    "ahead": iteration.ahead,
    "ahead_async": async_iteration.ahead_async,
    "check": parameter_types.check,
    "collected": async_iteration.collected,
    "dot": fast(attributes.dot),
    "dot_data": fast(attributes.dot_data),
    "dot_data_maybe": attributes.dot_data_maybe,
    "dot_maybe": attributes.dot_maybe,
    "direct": attributes.direct_types,
    "each": iteration.each,
    "each_async": async_iteration.each_async,
    "enumerate_async": async_iteration.enumerate_async,
    "given": attributes.given,
    "is_awaitable": async_iteration.is_awaitable,
    "item": attributes.item,
    "item_maybe": attributes.item_maybe,
    "missing_name": attributes.missing_name,
    "modulo": attributes.modulo,
    "none_is_missing": attributes.none_is_missing,
    "pairs": iteration.pairs,
    "pairs_async": async_iteration.pairs_async,
    "plain_values": attributes.plain_values,
    "printed": printed,
    "sized": iteration.sized,
    "sized_async": async_iteration.sized_async,
    "takes_missing": parameter_types.takes_missing,
    "truth": attributes.truth,
    **joins(),
}
"""What generated code reads and calls, by name."""

told(
    direct=attributes.direct_types,
    plain=attributes.plain_values,
    missing=MISSING,
    truth=attributes.truth,
    each=iteration.each,
    pairs=iteration.pairs,
    rest=iteration.rest,
    untold=untold,
)

_NOTHING: Mapping[str, Callable[..., object]] = MappingProxyType({})

_CHUNK = 32
"""How many pages one task of ``render_many`` makes."""


class Engine:
    """Renders the templates of some folders. Safe to use from many threads.

    ``folders`` is a folder, several in search order, or a mapping that gives folders a name prefix.

    ``globals`` are names that every template sees, also those that are included, under those of a page's context.
    ``filters`` are functions added to the built-in filters, ``helpers`` functions that templates may call.
    ``missing`` says what a name or attribute does that does not exist: ``"error"``, or ``"empty"`` to print nothing.
    ``calls`` is ``"functions"``, or ``"methods"`` to let templates call methods of data. ``locale`` (a BCP 47 or CLDR
    name) and ``timezone`` (an IANA name) are those of numbers, dates and times; ``clock`` returns the datetime that is
    now for the filter ``ago``. ``reload`` looks before each rendering whether a template or one it is made of
    has changed.
    ``cache_folder`` keeps compiled templates on disk; it must not be writable by others. ``url_schemes`` replaces the
    schemes that URLs from values may have (http, https, mailto, sms, tel; relative URLs always may).
    ``resource_origins`` are the origins (``"https://cdn.ellery.example"``) that URLs of scripts, styles and frames may
    have when they come from values. ``attributes`` says what attributes are that client libraries read, by name or by a
    pattern with ``*``: ``{"data-to": "url"}``; one of ``url``, ``resource-url``, ``script``, ``json``, ``style``,
    ``html``, ``id-list``, ``text``, ``refused``. ``script_types`` says what script elements of a type hold that no
    browser runs: ``{"text/x-sea": "json"}``; one of ``text``, ``html``, ``json``, ``script``.
    ``static`` are the folders of static files, ``{"/static": "static"}`` or one folder alone, for the helpers ``asset``
    and ``integrity``; ``links`` the named routes, ``{"vessel": "/vessels/{id}"}`` or the application's router, for the
    helper ``link``. ``policy`` is the Content-Security-Policy that pages are answered with; none unless given.

    Raises ``ValueError`` for an option that cannot be.
    """

    def __init__(
        self,
        folders: str | os.PathLike[str] | Sequence[str | os.PathLike[str]] | Mapping[str, Any] = (),
        *,
        globals: Mapping[str, object] | None = None,  # noqa: A002  the word for them
        filters: Mapping[str, Callable[..., object]] | None = None,
        helpers: Mapping[str, Callable[..., object]] | None = None,
        missing: str = "error",
        calls: str = "functions",
        locale: str = "en",
        timezone: str = "",
        clock: Callable[[], datetime] | None = None,
        reload: bool = False,
        cache_folder: str | os.PathLike[str] | None = None,
        url_schemes: Iterable[str] = SCHEMES,
        resource_origins: Iterable[str] = (),
        attributes: Mapping[str, str] | None = None,
        script_types: Mapping[str, str] | None = None,
        static: Static | None = None,
        links: Mapping[str, str] | Callable[..., object] | object = None,
        policy: Policy | None = None,
    ) -> None:
        one_of("missing", missing, "error", "empty")
        one_of("calls", calls, "functions", "methods")
        for option, value in {"url_schemes": url_schemes, "resource_origins": resource_origins}.items():
            if isinstance(value, str):
                raise ValueError(f"{option} must be a collection, like {{{value!r}}}, not one text")  # noqa: TRY004
        self.folders = Folders(folders)
        self.locale = locale
        self.helpers: dict[str, Callable[..., object]] = {}
        for name, function in (helpers or {}).items():
            self.helpers[checked_name("helper", name)] = function
        self.assets: Assets | None = None
        self.links: Links | None = None
        if static is not None:
            from untor.web.static import Assets  # noqa: PLC0415  only where there are any

            self.assets = Assets(static, reload=reload)
            self._own_helper("static", "asset", self.assets.asset)
            self._own_helper("static", "integrity", self.assets.integrity)
        if links is not None:
            from untor.web.routes import Links  # noqa: PLC0415

            self.links = Links(links)
            self._own_helper("links", "link", self.links.link)
        self.globals = dict(globals or {})
        self.filters = built_in(Settings(locale, timezone, clock))
        for name, function in (filters or {}).items():
            self.filters[checked_name("filter", name)] = self._with_locale(function)
        self.missing = missing
        self.reload = reload
        self.policy = policy
        self.url_schemes = frozenset(scheme.lower().removesuffix(":") for scheme in url_schemes)
        self.resource_origins = frozenset(map(checked_origin, resource_origins))
        self.attributes = checked_attributes(attributes)
        self.script_types = checked_script_types(script_types)
        self._options: dict[str, Any] = {
            "folders": folders,
            "globals": globals,
            "filters": filters,
            "helpers": helpers,
            "missing": missing,
            "calls": calls,
            "locale": locale,
            "timezone": timezone,
            "clock": clock,
            "reload": reload,
            "cache_folder": cache_folder,
            "url_schemes": self.url_schemes,
            "resource_origins": self.resource_origins,
            "attributes": self.attributes,
            "script_types": self.script_types,
            "static": static,
            "links": links,
            "policy": policy,
        }
        self._calls = Calls(self.helpers, methods=calls == "methods")
        rows = (*sorted(self.attributes.items()), "", *sorted(self.script_types.items()))
        self._cache = CodeCache(cache_folder, [missing, str(IS_BUILT), *sorted(self.url_schemes), *map(str, rows)])
        self.escapers = Escapers(self.url_schemes, self.resource_origins)
        self._templates: dict[str, Template] = {}
        self._readings: dict[str, Reading] = {}
        self._stamps: dict[str, dict[str, object]] = {}

    # --- finding and rendering -------------------------------------------------------------------------------------

    def render(self, name: str, context: Mapping[str, object] | None = None, /, **values: object) -> str:
        """Return the page of a template, by its name without its ending; see ``Template.render``.

        Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError`` besides what rendering raises.
        """
        return self.template(name).render(context, **values)

    def template(self, name: str) -> Template:
        """Return a template by its name; compiled the first time, kept from then on.

        Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError``.
        """
        found = self._templates.get(name)
        if found is None or (self.reload and self._changed(name)):
            found = self.template_of(Origin(name))
            if self.reload:
                self._stamps[name] = {each: self.folders.stamp(each) for each in (name, *found.dependencies)}
            self._templates[name] = found
        return found

    def page(
        self,
        name: str,
        context: Mapping[str, object] | None = None,
        /,
        *,
        status: int = 200,
        headers: Mapping[str, str] | None = None,
        policy: Policy | bool = True,
        cache: str = "",
        stream: bool = False,
    ) -> Page:
        """Return a page as the answer to a request: an ASGI app, a WSGI app, or body and headers for anything else.

        ``context`` has all values of the page. ``headers`` are added to those of the page (content type, ``nosniff``,
        Cache-Control, ETag, Content-Security-Policy) or take their place. ``policy`` is ``True`` for that of the
        engine, ``False`` for none, or one for this page. ``cache`` is its Cache-Control, at first
        ``private, no-cache``. ``stream`` sends it while it is being rendered, in constant memory.

        Raises ``ValueError`` for what cannot be a header, and what ``template`` raises; values are looked at when the
        page is rendered.
        """
        template = self.template(name)
        return template.page(context, status=status, headers=headers, policy=policy, cache=cache, stream=stream)

    def compile(self, source: str, name: str = "inline.html") -> Template:
        """Compile source text; the ending of ``name`` says what kind of output it makes.

        Raises ``MarkError`` and ``PlacementError``.
        """
        return self.template_of(Origin(name, source))

    def render_many(
        self, name: str, contexts: Iterable[Mapping[str, object]], executor: Executor | None = None
    ) -> Iterator[str]:
        """Yield the page of each context, in order; ``executor`` (of ``concurrent.futures``) shares out the work.

        Over processes, the engine's functions and the contexts must pickle.
        """
        if executor is None:
            template = self.template(name)
            for context in contexts:
                yield template.render(context)
            return
        for pages in executor.map(partial(_render_batch, self, name), _batches(contexts)):
            yield from pages

    def check(
        self,
        *,
        also: Collection[str] = (),
        accepted: Mapping[str, str] | None = None,
        most_trusted: int | None = None,
    ) -> list[Finding]:
        """Return everything wrong or risky in all templates that can be known without data, by file and line.

        ``also`` are rules that are off unless asked for (``"csp-script"``, ``"csp-handler"``), ``accepted`` rules that
        are not wrong here, each with the reason, ``most_trusted`` is how many values may be printed as trusted.
        ``untor check`` reports the same.
        """
        from untor.check.checker import Wanted, check  # noqa: PLC0415  the checker is loaded when it is asked for

        return check(self, Wanted(accepted or {}, also, most_trusted)).findings

    def filter(self, function: Callable[..., object]) -> Callable[..., object]:
        """Register a filter under its function's name; a decorator.

        One with a keyword-only parameter ``locale`` is given that of the engine. Raises ``ValueError`` for a name that
        is none in templates, or one of a built-in filter.
        """
        self.filters[checked_name("filter", function.__name__)] = self._with_locale(function)
        return function

    def helper(self, function: Callable[..., object]) -> Callable[..., object]:
        """Register a helper under its function's name; a decorator.

        Raises ``ValueError`` for a name that is none in templates.
        """
        name = checked_name("helper", function.__name__)
        if name in self._own_helpers():
            raise ValueError(f'the engine has a helper "{name}" of its own; give yours another name')
        self.helpers[name] = function
        return function

    def _own_helper(self, option: str, name: str, function: Callable[..., object]) -> None:
        if name in self.helpers:
            raise ValueError(f'with {option}, the engine has a helper "{name}" of its own; give yours another name')
        self.helpers[name] = function

    def _with_locale(self, function: Callable[..., object]) -> Callable[..., object]:
        """Give a filter that asks for it the engine's locale; a template may still name another."""
        asked = getattr(function, "__kwdefaults__", None) or {}
        code = getattr(function, "__code__", None)
        if code is None or "locale" in asked:
            return function
        only = code.co_varnames[code.co_argcount : code.co_argcount + code.co_kwonlyargcount]
        return partial(function, locale=self.locale) if "locale" in only else function

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        filters = {name: made for name, made in self.filters.items() if name not in NAMES}
        helpers = {name: made for name, made in self.helpers.items() if name not in self._own_helpers()}
        return _engine, ({**self._options, "filters": filters, "helpers": helpers},)

    def _own_helpers(self) -> set[str]:
        return {*(("asset", "integrity") if self.assets else ()), *(("link",) if self.links else ())}

    # --- compiling -------------------------------------------------------------------------------------------------

    def template_of(self, origin: Origin) -> Template:
        """Return the template of an origin."""
        name, text, part = origin
        if text is None and not part:
            source = self.folders.read(name)
            kept = self._cache.load(source, self.folders.read)
            if kept is not None and kept[0].filters <= self.filters.keys():
                built, made = kept
                return Template(self, origin, source.name, self._function(built, "render"), made)
        planned = self.plan_of(origin)
        built = self._build(planned, "render")
        made = {"inputs": planned.inputs, "dependencies": planned.dependencies, "parts": planned.parts}
        if text is None and not part:
            self._cache.save(planned.source, built, made)
        shown = f"{planned.source.name}#{part}" if part else planned.source.name
        return Template(self, origin, shown, self._function(built, "render"), made)

    def part_of(self, origin: Origin, part: str) -> Template:
        """Return a part of a template. Raises ``TemplateMissing`` when there is none of that name."""
        reading = self._reading_of(origin)
        if part not in reading.parts:
            near = suggestion(part, reading.parts, f"It has {', '.join(reading.parts) or 'no parts'}.")
            words = {"word": f"{reading.source.name}#{part}", "near": near}
            raise TemplateMissing(Problem("template-missing", **words))
        return self.template_of(Origin(origin.name, origin.text, part))

    def plan_of(self, origin: Origin, *, collects: bool = False) -> Plan:
        """Plan a template. Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError``.

        With ``collects``, the problems are not raised but are all in the plan.
        """
        from untor.analysis.planner import plan  # noqa: PLC0415  the compiler is loaded when there is something to compile

        permitted = self.permitted()
        try:
            reading = self._reading_of(origin)
            planned = plan(reading, self.reading, self.filters, permitted, origin.part, collects=collects)
        except RecursionError:
            planned = with_deep_stack(
                lambda: plan(reading, self.reading, self.filters, permitted, origin.part, collects=collects)
            )
        if planned.problems and not collects:
            raise error_of(planned.problems[0])
        return planned

    def hashes_of(self, origin: Origin) -> dict[str, list[str]]:
        """Return the hashes of a template's scripts and styles; raises ``PlacementError`` for one that has none."""
        from untor.analysis.csp_hashes import hashes_of  # noqa: PLC0415

        found, problems = hashes_of(self.plan_of(origin))
        if problems:
            raise error_of(problems[0])
        return found

    def permitted(self) -> Permitted:
        """Return what templates of this engine may do, as the planner wants to know it."""
        from untor.analysis.composition import Permitted  # noqa: PLC0415
        from untor.contexts.client_libraries import Tables  # noqa: PLC0415

        known: dict[str, Known] = {}
        if self.assets is not None:
            assets = self.assets
            known["asset"] = known["integrity"] = lambda name, _: assets.trouble(name)
        if self.links is not None:
            known["link"] = self.links.trouble
        return Permitted(self.url_schemes, Tables(self.attributes, self.script_types), known)

    def variant_of(self, origin: Origin, variant: str) -> Callable[..., Any]:
        """Return the function that renders a template in one of the ways of ``build``."""
        return self.function_of(self.plan_of(origin), variant)

    def function_of(
        self,
        planned: Plan,
        variant: str = "render",
        *,
        helpers: Mapping[str, Callable[..., object]] | None = None,
        filters: Mapping[str, Callable[..., object]] | None = None,
    ) -> Callable[..., Any]:
        """Return the function that a plan describes, with more helpers, and filters in the place of others."""
        return self._function(self._build(planned, variant), variant, helpers or {}, filters or {})

    def _build(self, planned: Plan, variant: str) -> Built:
        from untor.codegen.module import build  # noqa: PLC0415

        lenient = self.missing == "empty"
        try:
            return build(planned, variant, lenient=lenient)
        except RecursionError:
            return with_deep_stack(lambda: build(planned, variant, lenient=lenient))

    def _function(
        self,
        built: Built,
        variant: str,
        helpers: Mapping[str, Callable[..., object]] = _NOTHING,
        filters: Mapping[str, Callable[..., object]] = _NOTHING,
    ) -> Callable[..., Any]:
        sources = built.sources
        known = {**self.filters, **filters}
        everywhere = {**self.helpers, **self.globals, **helpers}
        namespace: dict[str, object] = {
            **_RUN,
            **{f"e_{name.replace('-', '_')}": self.escapers[name] for name in built.escapers},
            **{f"f_{name}": known[name] for name in built.filters},
            **{f"g_{name}": everywhere.get(name, MISSING) for name in built.globals},
            "callee": self._calls.callee,
            "callee_of": self._calls.callee_of,
            "everywhere": everywhere,
            "merge": partial(attributes.merge, everywhere),
            "trouble": partial(trouble, sources=sources, calls=built.calls, reads=built.reads),
            "__name__": "untor.page",
            "__loader__": _Loader(next(iter(sources.values()))),
            "__untor_sources__": sources,
        }
        exec(built.code, namespace)  # noqa: S102  code that build has made
        function: Callable[..., Any] = namespace[variant]  # type: ignore[assignment]
        return function

    def _reading_of(self, origin: Origin) -> Reading:
        if origin.text is not None:
            from untor.analysis.planner import reading_of  # noqa: PLC0415

            return reading_of(Source(origin.name, origin.text))
        return self.reading(origin.name)

    def reading(self, name: str) -> Reading:
        """Read a template, or one that others are made of, once; what is wrong with it is in the reading.

        Raises ``TemplateMissing``, and ``MarkError`` for a file that is not UTF-8.
        """
        from untor.analysis.planner import reading_of  # noqa: PLC0415

        found = self._readings.get(name)
        if found is None or self.reload:
            source = self.folders.read(name)
            if found is None or found.source.text != source.text or found.source.path != source.path:
                found = self._readings[name] = reading_of(source)
        return found

    def _changed(self, name: str) -> bool:
        stamps = self._stamps.get(name, {})
        return any(self.folders.stamp(each) != stamp for each, stamp in stamps.items())


def _engine(options: dict[str, Any]) -> Engine:
    return Engine(options.pop("folders"), **options)


def _batches(contexts: Iterable[Mapping[str, object]]) -> Iterator[list[Mapping[str, object]]]:
    from itertools import islice  # noqa: PLC0415  only for render_many

    rest = iter(contexts)
    while batch := list(islice(rest, _CHUNK)):
        yield batch


def _render_batch(engine: Engine, name: str, contexts: Sequence[Mapping[str, object]]) -> list[str]:
    template = engine.template(name)
    return [template.render(context) for context in contexts]


class _Loader:
    """Gives Python's tracebacks the lines of a template that is in no file."""

    def __init__(self, source: Source) -> None:
        self.source = source

    def get_source(self, name: str) -> str:  # noqa: ARG002  the shape that linecache asks for
        """Return the text of the template."""
        return self.source.text
