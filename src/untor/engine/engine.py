"""The engine: options, rendering, pages."""

from __future__ import annotations

from untor.compiler.compiler import Compiler
from untor.compiler.origin import Origin
from untor.compiler.settings import CompilerSettings
from untor.diagnostics.wording import with_article
from untor.engine.options import (
    checked_attributes,
    checked_folders,
    checked_functions,
    checked_inputs,
    checked_messages,
    checked_name,
    checked_origin,
    checked_script_types,
    checked_settings,
    checked_types,
    one_of,
    with_locale,
)
from untor.engine.own_helpers import OwnHelpers
from untor.engine.template import Template
from untor.escape import SCHEMES
from untor.filters import NAMES, built_in
from untor.filters.locale_settings import LocaleSettings
from untor.loading.cache import CodeCache
from untor.loading.loader import TemplateLoader
from untor.messages.locale_codes import code_of, looked_up
from untor.messages.translator import Translator

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
    from concurrent.futures import Executor
    from datetime import datetime
    from types import ModuleType
    from typing import Any, Literal, TypeVar

    from untor.check.findings import Finding
    from untor.engine.template import Render
    from untor.site.result import BuildResult
    from untor.web.csp import Policy
    from untor.web.headers import Headers
    from untor.web.response import Page
    from untor.web.routes import Router
    from untor.web.static import Static

    Function = TypeVar("Function", bound=Callable[..., object])

MOST_LOCALES = 200
"""In how many locales an engine makes pages: what a request asks for must not fill the memory."""


class Engine:
    """Renders the templates of some folders. Safe to use from many threads.

    Options:

    - ``folders``: a folder, several in search order, or a mapping that gives folders a name prefix.
    - ``globals``: values that every template sees, included templates too; a page's own values come before them.
    - ``filters``: functions added to the built-in filters.
    - ``helpers``: functions that templates may call.
    - ``missing``: what a name or attribute that does not exist does: ``"error"``, or ``"empty"`` to print nothing.
    - ``calls``: ``"functions"``, or ``"methods"`` to let templates call methods of data too.
    - ``messages``: a folder of translations, ``de.po`` or ``de/LC_MESSAGES/NAME.mo`` (GNU gettext).
    - ``locale``: the BCP 47 or CLDR name of the locale of numbers, dates and times, and of the words in templates.
    - ``timezone``: the IANA name of their time zone; by default, datetimes keep their own.
    - ``clock``: a function that returns the current datetime, for the filter ``ago``.
    - ``reload``: check before each rendering whether a template or one of its dependencies has changed.
    - ``cache_folder``: where compiled templates are kept on disk; nobody else may be able to write there.
    - ``url_schemes``: the schemes that URLs from values may have, instead of http, https, mailto, sms and tel. Relative
      URLs are always permitted.
    - ``resource_origins``: the origins (``"https://cdn.ellery.example"``) that URLs of scripts, styles and frames may
      have when they come from values.
    - ``attributes``: the meaning of attributes that client libraries read, by name or by a pattern with ``*``:
      ``{"data-to": "url"}``; one of ``url``, ``resource-url``, ``script``, ``json``, ``style``, ``html``, ``id-list``,
      ``text``, ``refused``.
    - ``script_types``: what script elements of types that browsers do not run contain: ``{"text/x-sea": "json"}``; one
      of ``text``, ``html``, ``json``, ``script``.
    - ``types``: the classes that ``takes`` may name, ``{"Call": Call}`` or the module that has them.
    - ``inputs``: what pages are given, by name: ``{"arrivals": Arrivals}``, a class whose annotations are the values.
    - ``static``: the folders of static files, ``{"/static": "static"}`` or a single folder, for the helpers ``asset``
      and ``integrity``.
    - ``links``: the named routes, ``{"vessel": "/vessels/{id}"}`` or the application's router, for the helper ``link``.
    - ``policy``: the Content-Security-Policy that pages are sent with; none by default.

    Raises ``ValueError`` for an option that is not valid.
    """

    __module__ = "untor"

    def __init__(
        self,
        folders: str | os.PathLike[str] | Sequence[str | os.PathLike[str]] | Mapping[str, Any] = (),
        *,
        globals: Mapping[str, object] | None = None,  # noqa: A002  the word for them
        filters: Mapping[str, Callable[..., object]] | None = None,
        helpers: Mapping[str, Callable[..., object]] | None = None,
        messages: str | os.PathLike[str] | None = None,
        missing: Literal["error", "empty"] = "error",
        calls: Literal["functions", "methods"] = "functions",
        locale: str = "en",
        timezone: str = "",
        clock: Callable[[], datetime] | None = None,
        reload: bool = False,
        cache_folder: str | os.PathLike[str] | None = None,
        url_schemes: Iterable[str] = SCHEMES,
        resource_origins: Iterable[str] = (),
        attributes: Mapping[str, str] | None = None,
        script_types: Mapping[str, str] | None = None,
        types: Mapping[str, object] | ModuleType | None = None,
        inputs: Mapping[str, type] | None = None,
        static: Static | None = None,
        links: Mapping[str, str] | Router | Callable[..., object] | None = None,
        policy: Policy | None = None,
    ) -> None:
        one_of("missing", missing, "error", "empty")
        one_of("calls", calls, "functions", "methods")
        checked_folders(folders, reload=reload)
        checked_functions("filter", filters)
        checked_functions("helper", helpers)
        checked_settings(locale, timezone, clock)
        for option, value in {"url_schemes": url_schemes, "resource_origins": resource_origins}.items():
            if isinstance(value, str):
                raise ValueError(f"{option} must be a collection, like {{{value!r}}}, not a string")  # noqa: TRY004
        self.locale = locale
        self.policy = policy
        self._catalogues = checked_messages(messages)
        translator = Translator(locale, locale, self._catalogues)
        self.filters = built_in(LocaleSettings(locale, timezone, clock))
        self.helpers = {checked_name("helper", name): function for name, function in (helpers or {}).items()}
        self.globals = dict(globals or {})
        if "say" in self.globals:
            checked_name("global", "say")
        own = OwnHelpers(static, links, reload=reload)
        own.add_to(self.helpers)
        self.assets, self.links = own.assets, own.links
        for name, function in (filters or {}).items():
            self.filters[checked_name("filter", name)] = with_locale(function, locale)
        self._own_filters = dict(filters or {})
        self._facts = own.facts
        settings = CompilerSettings(
            filters=self.filters,
            helpers=self.helpers,
            globals=self.globals,
            helper_checks=own.checks,
            facts=[locale, timezone, *own.facts],
            lenient=missing == "empty",
            calls_methods=calls == "methods",
            url_schemes=frozenset(scheme.lower().removesuffix(":") for scheme in url_schemes),
            resource_origins=frozenset(map(checked_origin, resource_origins)),
            attributes=checked_attributes(attributes),
            script_types=checked_script_types(script_types),
            types=checked_types(types),
            inputs=checked_inputs(inputs),
            translator=translator,
        )
        self._own_helpers = own.helpers.keys()
        self._options: dict[str, Any] = {
            "folders": folders,
            "globals": globals,
            "filters": filters,
            "helpers": helpers,
            "messages": messages,
            "missing": missing,
            "calls": calls,
            "locale": locale,
            "timezone": timezone,
            "clock": clock,
            "reload": reload,
            "cache_folder": cache_folder,
            "url_schemes": settings.url_schemes,
            "resource_origins": settings.resource_origins,
            "attributes": settings.attributes,
            "script_types": settings.script_types,
            "types": settings.types,
            "inputs": settings.inputs,
            "static": static,
            "links": links,
            "policy": policy,
        }
        cache = CodeCache(cache_folder, settings.cache_key)
        self.compiler = Compiler(TemplateLoader(folders), settings, cache, reload=reload)
        self._templates: dict[str, Template] = {}
        self._renders: dict[str, Render] = {}
        """What ``render`` calls, of templates whose files are not looked at again."""
        self._in_locales: dict[str, Engine] = {translator.locale.code: self}
        """This engine in the locales that have been asked for, shared by all of them."""

    # --- finding and rendering -------------------------------------------------------------------------------------

    def render(self, name: str, context: Mapping[str, object] | None = None, /, **values: object) -> str:
        """Return the page of a template, by its name without its ending; see ``Template.render``.

        Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError``, and what rendering raises.
        """
        render = self._renders.get(name) or self._render_of(name)
        if context is None:
            return render(values)
        return render(context, **values) if values else render(context)

    def _render_of(self, name: str) -> Render:
        # What is kept for an engine that reloads from now on is kept in vain.
        renders = self._renders
        render = self.template(name).render
        if not self.reload:
            renders[name] = render
        return render

    def template(self, name: str) -> Template:
        """Return a template by its name; compiled the first time, kept from then on.

        Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError``.
        """
        template = self._templates.get(name)
        if template is None or (self.reload and self.compiler.has_changed(template._stamps)):  # noqa: SLF001
            template = self._templates[name] = Template(self, Origin(name))
        return template

    def page(
        self,
        name: str,
        context: Mapping[str, object] | None = None,
        /,
        *,
        status: int = 200,
        headers: Headers | None = None,
        policy: Policy | bool = True,
        cache: str = "",
        stream: bool = False,
        locale: str | None = None,
        **values: object,
    ) -> Page:
        """Render a page as the answer to a request: an ASGI app, a WSGI app, or ``answer`` for anything else.

        The values of the page are ``context`` and ``values`` by name, as in ``render``; a value that is named as one of
        the options is passed in ``context``. ``headers``, a mapping or pairs, are added to those of the page (content
        type, ``nosniff``, Cache-Control, ETag, Content-Security-Policy) or take their place; a value that is a list
        gives a header several times. ``policy`` is ``True`` for that of the engine, ``False`` for none, or one for this
        page. ``cache`` is its Cache-Control, by default ``private, no-cache``. ``stream`` renders the page while it is
        sent, in constant memory, and not in this call. ``locale`` is the one of this page; without it, that of the
        engine.

        Raises ``ValueError`` for what cannot be a header, and what ``template`` and ``render`` raise.
        """
        options = {"status": status, "headers": headers, "policy": policy, "cache": cache, "stream": stream}
        return self._answering(name, locale)._page(context, values, options, locale).rendered()  # noqa: SLF001

    def _answering(self, name: str, locale: str | None) -> Template:
        return (self if locale is None else self.in_locale(locale)).template(name)

    async def page_async(
        self,
        name: str,
        context: Mapping[str, object] | None = None,
        /,
        *,
        status: int = 200,
        headers: Headers | None = None,
        policy: Policy | bool = True,
        cache: str = "",
        stream: bool = False,
        locale: str | None = None,
        **values: object,
    ) -> Page:
        """Render a page as ``page`` does, with the same options, awaiting values that are awaitable."""
        options = {"status": status, "headers": headers, "policy": policy, "cache": cache, "stream": stream}
        return await self._answering(name, locale)._page(context, values, options, locale).rendered_async()  # noqa: SLF001

    # --- several languages -----------------------------------------------------------------------------------------

    def in_locale(self, locale: str) -> Engine:
        """Return this engine for another locale, by its BCP 47 or CLDR name; made once, then kept.

        Messages come from the catalogue of the locale, or else of the ones that it falls back to (``de-AT``, ``de``),
        or else from the template. Templates and options are shared. Raises ``ValueError`` for a locale that CLDR does
        not have.
        """
        code = code_of(locale) if isinstance(locale, str) else ""
        if code not in self._in_locales:
            checked_settings(code or locale, "", None)
            if not code or len(self._in_locales) > MOST_LOCALES:
                raise ValueError(f"{locale!r} is not a locale that pages can be made in")
            self._in_locales.setdefault(code, self._made_in(code))
        return self._in_locales[code]

    def _made_in(self, code: str) -> Engine:
        other = Engine.__new__(Engine)
        vars(other).update(vars(self))
        options = self._options
        other.locale = code
        other.filters = built_in(LocaleSettings(code, options["timezone"], options["clock"]))
        for name, function in self._own_filters.items():
            other.filters[name] = with_locale(function, code)
        translator = Translator(code, options["locale"], self._catalogues)
        facts = [code, options["timezone"], *self._facts]
        other.compiler = self.compiler.in_locale(self.compiler.settings.in_locale(translator, other.filters, facts))
        other._templates, other._renders = {}, {}  # noqa: SLF001  its own
        return other

    @property
    def locales(self) -> tuple[str, ...]:
        """The codes of the locales that pages can be in: the engine's own first, then those of its catalogues."""
        own = self.compiler.settings.translator.own
        return (own, *sorted({*self._catalogues} - {own}))

    def negotiate(self, accepted: str | None) -> str:
        """Return the locale that a reader prefers among ``locales``, by a header ``Accept-Language``.

        It is looked up as RFC 4647 §3.4 says; without a match it is the engine's own locale.
        """
        return looked_up(accepted or "", self.locales, self.locales[0])

    def say(self, message: str, plural: str | None = None, /, *, about: str = "", **values: object) -> str:
        """Return a message in the engine's locale, as ``say`` does in templates: for messages that views make."""
        return str(self.compiler.settings.translator.say(message, plural, about=about, **values))

    def compile(self, source: str, name: str = "inline.html") -> Template:
        """Compile source text; the ending of ``name`` decides the kind of output.

        Raises ``MarkError`` and ``PlacementError``, and ``TypeError`` for a source that is not a string.
        """
        if not isinstance(source, str):
            raise TypeError(f"the source of a template must be a string, not {with_article(type(source).__name__)}")
        return Template(self, Origin(name, source))

    def render_many(
        self, name: str, contexts: Iterable[Mapping[str, object]], executor: Executor | None = None
    ) -> Iterator[str]:
        """Yield the page of each context, in order; ``executor`` (of ``concurrent.futures``) shares out the work.

        Over processes, the engine's functions and the contexts must pickle.
        """
        if executor is None:
            template = self.template(name)
            return (template.render(context) for context in contexts)
        from untor.engine.many import render_many  # noqa: PLC0415  loaded when it is used

        return render_many(self, name, contexts, executor)

    def build(
        self,
        folder: str | os.PathLike[str],
        pages: Mapping[str, object] | Iterable[tuple[str, str, Mapping[str, object]]],
        executor: Executor | None = None,
        *,
        url: str = "",
        whole: bool = False,
        check: bool = False,
        progress: Callable[[int, int], None] | None = None,
    ) -> BuildResult:
        """Build a site of files in a folder: its pages, its static files, and with a ``url`` its sitemap.

        ``pages`` is a table as in ``[tool.untor.build]``, ``{"vessels/{id}.html": {"page": "vessel", "each": vessels,
        "as": "vessel"}}``, where ``each`` may be any iterable; or an iterable of (path, page, values). Pages are
        rendered again if their template, values or options have changed, or with ``whole`` all of them, and written if
        their text has; files that an earlier build wrote and this one does not are removed. ``url`` is the address of
        the site. With ``check``, links inside it that lead nowhere are in ``result.broken``. ``executor`` (of
        ``concurrent.futures``) shares out the work; over processes, the engine and the values must pickle, and each
        writes to the folder. ``progress`` is called with the number of finished pages and that of all.

        Raises ``BuildFailed`` with the errors of single pages, after all others have been built; ``ValueError`` for
        settings that are not valid, ``OSError`` if the folder cannot be written to, or another build is writing to it.
        """
        from untor.site.for_engines import build  # noqa: PLC0415  loaded when it is used

        return build(self, folder, pages, executor, url=url, whole=whole, check=check, progress=progress)

    def check(
        self,
        *,
        also: Collection[str] = (),
        accepted: Mapping[str, str | Mapping[str, str]] | None = None,
        most_trusted: int | None = None,
    ) -> list[Finding]:
        """Return everything wrong or risky in all templates that can be known without data, by file and line.

        ``also`` are rules that are off by default (``"csp-script"``, ``"csp-handler"``), ``accepted`` rules that
        are not wrong here, each with the reason; a key that ends in ``/`` is a folder of templates, with the rules that
        are accepted there. ``most_trusted`` is how many values may be printed as trusted.
        ``untor check`` reports the same.
        """
        from untor.check.checker import CheckOptions, check  # noqa: PLC0415  loaded when it is used
        from untor.check.suppressions import why_not  # noqa: PLC0415

        rules = [code for code, reason in (accepted or {}).items() if isinstance(reason, str)]
        for folder in (accepted or {}).keys() - {*rules}:
            rules += (accepted or {})[folder]
        for code in (*also, *rules):
            if trouble := why_not(code):
                raise ValueError(f'there is no rule "{code}". {trouble}')
        return check(self.compiler, CheckOptions(accepted or {}, also, most_trusted, self.policy)).findings

    def filter(self, function: Function) -> Function:
        """Register a filter under its function's name; a decorator.

        A filter with a keyword-only parameter ``locale`` receives the engine's. Raises ``ValueError`` if templates
        could not write the name, or a built-in filter has it.
        """
        name = checked_name("filter", function.__name__)
        self._own_filters[name] = function
        for engine in [*self._in_locales.values()]:
            engine.filters[name] = with_locale(function, engine.locale)
        return function

    def helper(self, function: Function) -> Function:
        """Register a helper under its function's name; a decorator.

        Raises ``ValueError`` if templates could not write the name, or the engine has a helper of that name.
        """
        name = checked_name("helper", function.__name__)
        if name in self._own_helpers:
            raise ValueError(f'the engine has a helper "{name}" of its own; give yours another name')
        self.helpers[name] = function
        return function

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        own = self._options["locale"]
        if self.locale != own:
            return Engine.in_locale, (self._in_locales[code_of(own) or own], self.locale)
        filters = {name: function for name, function in self.filters.items() if name not in NAMES}
        helpers = {name: function for name, function in self.helpers.items() if name not in self._own_helpers}
        return _engine, ({**self._options, "filters": filters, "helpers": helpers},)

    @property
    def reload(self) -> bool:
        """Whether files are looked at again before each rendering."""
        return self.compiler.reload

    @reload.setter
    def reload(self, reload: bool) -> None:
        for engine in [*self._in_locales.values()]:
            engine.compiler.reload = reload
            engine._renders = {}  # noqa: SLF001  of the same class
        if self.assets is not None:
            self.assets.reload = reload


def _engine(options: dict[str, Any]) -> Engine:
    return Engine(options.pop("folders"), **options)
