"""What templates are compiled for: the functions, values and rules of one site."""

from __future__ import annotations

from functools import partial

from untor.escape import SCHEMES
from untor.messages.translator import Translator

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.analysis.names import Known


_REST = 0x0C
"""The flags of a code object for ``*args`` and ``**kwargs`` (``inspect.CO_VARARGS`` and ``CO_VARKEYWORDS``)."""


class CompilerSettings:
    """The settings of a compiler.

    ``filters``, ``helpers`` and ``globals`` are looked up when a template is compiled, so that they can be added to.
    ``lenient`` prints missing values as nothing; ``calls_methods`` lets templates call methods of data.
    ``helper_checks`` judge calls of helpers with constant arguments while a template is compiled; ``facts`` are what
    these and the filters go by. ``types`` are the classes that ``takes`` may name, ``inputs`` those whose annotations
    say which values a page has. ``translator`` is that of the locale.
    """

    __slots__ = (
        "_key",
        "_keyed",
        "attributes",
        "calls_methods",
        "facts",
        "filters",
        "globals",
        "helper_checks",
        "helpers",
        "inputs",
        "lenient",
        "resource_origins",
        "script_types",
        "translator",
        "types",
        "url_schemes",
    )

    def __init__(
        self,
        *,
        filters: dict[str, Callable[..., object]],
        helpers: dict[str, Callable[..., object]],
        globals: dict[str, object],  # noqa: A002  the word for them
        helper_checks: dict[str, Known],
        facts: object = None,
        lenient: bool = False,
        calls_methods: bool = False,
        url_schemes: frozenset[str] = SCHEMES,
        resource_origins: frozenset[str] = frozenset(),
        attributes: dict[str, str] | None = None,
        script_types: dict[str, str] | None = None,
        types: dict[str, object] | None = None,
        inputs: dict[str, type] | None = None,
        translator: Translator | None = None,
    ) -> None:
        self.filters = filters
        self.helpers = helpers
        self.globals = globals
        self.helper_checks = helper_checks
        self.facts = facts
        self.lenient = lenient
        self.calls_methods = calls_methods
        self.url_schemes = url_schemes
        self.resource_origins = resource_origins
        self.attributes = attributes or {}
        self.script_types = script_types or {}
        self.types = types or {}
        self.inputs = inputs or {}
        self.translator = translator or Translator("en", "en", {})
        self._key: list[str] = []
        self._keyed: object = None

    def cache_key(self) -> list[str]:
        """Return the settings that compiled code depends on, as text."""
        filters = tuple(self.filters.items())
        if filters != self._keyed:
            facts = (
                self.lenient,
                self.calls_methods,
                sorted(self.url_schemes),
                sorted(self.resource_origins),
                sorted(self.attributes.items()),
                sorted(self.script_types.items()),
                self.facts,
                sorted(self.types),
                [(name, _parameters(function)) for name, function in sorted(filters, key=lambda pair: pair[0])],
            )
            self._key, self._keyed = [repr(fact) for fact in facts], filters
        return [*self._key, self.translator.digest()]

    def in_locale(
        self, translator: Translator, filters: dict[str, Callable[..., object]], facts: object
    ) -> CompilerSettings:
        """Return the same settings for another locale."""
        other = CompilerSettings.__new__(CompilerSettings)
        for name in self.__slots__:
            setattr(other, name, getattr(self, name))
        other.translator, other.filters, other.facts, other._keyed = translator, filters, facts, None  # noqa: SLF001  its own
        return other

    @property
    def everywhere(self) -> dict[str, object]:
        """The names that every template sees: those of the language, helpers and globals."""
        return {"locale": self.translator.locale, "say": self.translator.say, **self.helpers, **self.globals}


def _parameters(function: Callable[..., object]) -> object:
    """Return what a call of a filter is checked against: the kinds and names of its parameters."""
    if type(function) is partial:
        return "partial", _parameters(function.func), len(function.args), sorted(function.keywords)
    code = getattr(function, "__code__", None)
    if code is None or hasattr(function, "__wrapped__") or hasattr(function, "__signature__"):
        import inspect  # noqa: PLC0415  for callables of one's own classes only

        try:
            parameters = inspect.signature(function).parameters.values()
        except (ValueError, TypeError):
            return type(function).__qualname__
        return [(each.name, int(each.kind), each.default is each.empty) for each in parameters]
    counts = code.co_posonlyargcount, code.co_argcount, code.co_kwonlyargcount, code.co_flags & _REST
    names = code.co_varnames[: code.co_argcount + code.co_kwonlyargcount]
    return counts, names, len(function.__defaults__ or ()), sorted(function.__kwdefaults__ or ())
