"""Untor: HTML pages from templates and data, safe from cross-site scripting wherever a value is printed."""

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
from untor.loading.version import VERSION as __version__  # noqa: N811
from untor.runtime.deferred import Deferred

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Placement
    from untor.check.findings import Finding, Related
    from untor.diagnostics.problem import Problem
    from untor.site.result import BuildFailed, BuildResult, Failure
    from untor.web.csp import Policy
    from untor.web.response import Page
    from untor.web.routes import Router

__all__ = [
    "BuildFailed",
    "BuildResult",
    "DataError",
    "Deferred",
    "Engine",
    "Failure",
    "Finding",
    "MarkError",
    "MissingValue",
    "Page",
    "Placement",
    "PlacementError",
    "Policy",
    "Problem",
    "Related",
    "RenderError",
    "Router",
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

_LOADED_WHEN_USED = {
    "BuildFailed": "untor.site.result",
    "BuildResult": "untor.site.result",
    "Failure": "untor.site.result",
    "Finding": "untor.check.findings",
    "Page": "untor.web.response",
    "Placement": "untor.analysis.ir",
    "Policy": "untor.web.csp",
    "Problem": "untor.diagnostics.problem",
    "Related": "untor.check.findings",
    "Router": "untor.web.routes",
}
"""What rendering a page does without."""


def __getattr__(name: str) -> object:
    """Load a public name when it is first used."""
    if name not in _LOADED_WHEN_USED:
        raise AttributeError(f"module 'untor' has no attribute {name!r}")
    from importlib import import_module  # noqa: PLC0415

    return getattr(import_module(_LOADED_WHEN_USED[name]), name)
