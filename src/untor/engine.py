"""The engine: finds templates, compiles each once, renders."""

from __future__ import annotations

from functools import partial

from untor.errors import MarkError, error_of
from untor.escape import MISSING, SCHEMES, escapers, printed
from untor.filters import built_in
from untor.folders import Folders
from untor.problems import Problem
from untor.run import lookups, loops
from untor.run.trouble import trouble
from untor.source import Source
from untor.template import Template

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from collections.abc import Callable, Iterable, Mapping, Sequence
    from typing import Any

_RUN = {
    "MISSING": MISSING,
    "ahead": loops.ahead,
    "dot": lookups.dot,
    "dot_maybe": lookups.dot_maybe,
    "each": loops.each,
    "item": lookups.item,
    "item_maybe": lookups.item_maybe,
    "missing_name": lookups.missing_name,
    "modulo": lookups.modulo,
    "none_is_missing": lookups.none_is_missing,
    "pairs": loops.pairs,
    "printed": printed,
    "sized": loops.sized,
}
"""What generated code calls, by name."""


class Engine:
    """Renders the templates of some folders. Safe to use from many threads.

    ``folders`` is a folder, several in search order, or a mapping that gives folders a name prefix.

    ``globals`` are names that every page sees, under those of its context. ``filters`` are functions added to the
    built-in filters. ``missing`` says what a name or attribute does that does not exist: ``"error"``, or
    ``"empty"`` to print nothing. ``locale`` (a BCP 47 or CLDR name) is that of dates. ``url_schemes`` replaces the
    schemes that URLs from values may have (http, https, mailto, sms, tel; relative URLs always may).

    Raises ``ValueError`` for an option that cannot be.
    """

    def __init__(
        self,
        folders: str | os.PathLike[str] | Sequence[str | os.PathLike[str]] | Mapping[str, Any] = (),
        *,
        globals: Mapping[str, object] | None = None,  # noqa: A002  the word for them
        filters: Mapping[str, Callable[..., object]] | None = None,
        missing: str = "error",
        locale: str = "en",
        url_schemes: Iterable[str] = SCHEMES,
    ) -> None:
        if missing not in {"error", "empty"}:
            raise ValueError(f'missing must be "error" or "empty", not {missing!r}')
        if isinstance(url_schemes, str):
            raise ValueError('url_schemes must be a collection of schemes, like {"https"}, not one text')  # noqa: TRY004
        self.folders = Folders(folders)
        self.globals = dict(globals or {})
        self.filters = {**built_in(locale), **(filters or {})}
        self.missing = missing
        self.url_schemes = frozenset(scheme.lower().removesuffix(":") for scheme in url_schemes)
        self._escapers = {f"e_{name.replace('-', '_')}": made for name, made in escapers(self.url_schemes).items()}
        self._templates: dict[str, Template] = {}

    def render(self, name: str, context: Mapping[str, object] | None = None, /, **values: object) -> str:
        """Return the page of a template, by its name without its ending; see ``Template.render``.

        Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError`` besides what rendering raises.
        """
        return (self._templates.get(name) or self.template(name)).render(context, **values)

    def template(self, name: str) -> Template:
        """Return a template by its name; compiled the first time, kept from then on.

        Raises ``TemplateMissing``, ``MarkError`` and ``PlacementError``.
        """
        found = self._templates.get(name)
        if found is None:
            found = self._templates[name] = self._compile(self.folders.read(name))
        return found

    def compile(self, source: str, name: str = "inline.html") -> Template:
        """Compile source text; the ending of ``name`` says what kind of output it makes.

        Raises ``MarkError`` and ``PlacementError``.
        """
        return self._compile(Source(name, source))

    def _compile(self, source: Source) -> Template:
        # The compiler is loaded only when there is something to compile.
        from untor.build.code import build  # noqa: PLC0415
        from untor.plan.planner import plan  # noqa: PLC0415

        try:
            planned = plan(source, self.filters, self.url_schemes)
            if planned.problems:
                raise error_of(planned.problems[0])
            built = build(planned, lenient=self.missing == "empty")
        except RecursionError:
            raise MarkError(Problem("too-deep", source, most="some hundred")) from None
        namespace: dict[str, object] = {
            **_RUN,
            **self._escapers,
            **{f"f_{name}": self.filters[name] for name in built.filters},
            "merge": partial(lookups.merge, self.globals),
            "trouble": partial(trouble, source=source, filter_places=built.filter_places),
            "__name__": "untor.page",
            "__loader__": _Loader(source),
            "__untor_source__": source,
        }
        exec(built.code, namespace)  # noqa: S102  code that build has made
        render: Callable[..., str] = namespace["render"]  # type: ignore[assignment]
        return Template(source.name, render, planned.inputs, planned.placements)


class _Loader:
    """Gives Python's tracebacks the lines of a template that is in no file."""

    def __init__(self, source: Source) -> None:
        self.source = source

    def get_source(self, name: str) -> str:  # noqa: ARG002  the shape that linecache asks for
        """Return the text of the template."""
        return self.source.text
