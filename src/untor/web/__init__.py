"""Pages as answers to requests: headers, policy, static files, links to routes, responses of frameworks, errors."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.web.error_middleware import error_pages as error_pages


def __getattr__(name: str) -> object:
    if name == "error_pages":
        from untor.web.error_middleware import error_pages  # noqa: PLC0415  only for those who use it

        return error_pages
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
