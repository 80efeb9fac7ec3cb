"""Untor: HTML pages from templates and data, safe from cross-site scripting in every place a value can land."""

from untor.engine import Engine
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
from untor.page import Page
from untor.policy import Policy
from untor.template import Template

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
