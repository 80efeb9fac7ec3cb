"""What templates are compiled for: the functions, values and rules of one site."""

from __future__ import annotations

from untor.escape import SCHEMES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.analysis.names import Known


class CompilerSettings:
    """The settings of a compiler.

    ``filters``, ``helpers`` and ``globals`` are looked up when a template is compiled, so that they can be added to.
    ``lenient`` prints missing values as nothing; ``calls_methods`` lets templates call methods of data.
    ``helper_checks`` judge calls of helpers with constant arguments while a template is compiled.
    """

    __slots__ = (
        "attributes",
        "calls_methods",
        "filters",
        "globals",
        "helper_checks",
        "helpers",
        "lenient",
        "resource_origins",
        "script_types",
        "url_schemes",
    )

    def __init__(
        self,
        *,
        filters: dict[str, Callable[..., object]],
        helpers: dict[str, Callable[..., object]],
        globals: dict[str, object],  # noqa: A002  the word for them
        helper_checks: dict[str, Known],
        lenient: bool = False,
        calls_methods: bool = False,
        url_schemes: frozenset[str] = SCHEMES,
        resource_origins: frozenset[str] = frozenset(),
        attributes: dict[str, str] | None = None,
        script_types: dict[str, str] | None = None,
    ) -> None:
        self.filters = filters
        self.helpers = helpers
        self.globals = globals
        self.helper_checks = helper_checks
        self.lenient = lenient
        self.calls_methods = calls_methods
        self.url_schemes = url_schemes
        self.resource_origins = resource_origins
        self.attributes = attributes or {}
        self.script_types = script_types or {}

    def cache_key(self) -> list[str]:
        """Return the settings that compiled code depends on, as text."""
        rows = (*sorted(self.attributes.items()), "", *sorted(self.script_types.items()))
        return [str(self.lenient), *sorted(self.url_schemes), *map(str, rows)]
