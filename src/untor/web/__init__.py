"""Pages as answers to requests: headers, policy, static files, links to routes, responses of frameworks, errors."""

from __future__ import annotations

from importlib import import_module

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


def __getattr__(name: str) -> Any:
    if name == "error_pages":
        # It belongs to the preview, and is loaded by those who use it.
        return import_module("untor.serve.error_middleware").error_pages
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
