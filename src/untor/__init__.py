"""Untor: HTML pages from templates and data, safe from cross-site scripting in every place a value can land."""

from untor.engine.engine import Engine
from untor.engine.template import Template
from untor.errors import (
    DataError,
    MarkError,
    MissingValue,
    PlacementError,
    RenderError,
    TemplateMissing,
    UntorError,
)
from untor.escape import TrustedCSS, TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.web.csp import Policy
    from untor.web.response import Page

__version__ = "0.1.0"

__all__ = [
    "DataError",
    "Engine",
    "MarkError",
    "MissingValue",
    "Page",
    "PlacementError",
    "Policy",
    "RenderError",
    "Template",
    "TemplateMissing",
    "TrustedCSS",
    "TrustedHTML",
    "TrustedScript",
    "TrustedScriptURL",
    "TrustedURL",
    "UntorError",
    "__version__",
]


def __getattr__(name: str) -> object:
    """Load what only programs that answer requests need."""
    if name == "Page":
        from untor.web.response import Page  # noqa: PLC0415

        return Page
    if name == "Policy":
        from untor.web.csp import Policy  # noqa: PLC0415

        return Policy
    raise AttributeError(f"module 'untor' has no attribute {name!r}")
