"""Path segments that mean a directory (URL §4.1 "single-dot URL path segment", "double-dot URL path segment")."""

from __future__ import annotations

from untor.escape.lazy_patterns import pattern

_DOTS_SPELT = (".", "%2e", "%2E")
_DOT_SEGMENTS = frozenset({*_DOTS_SPELT, *(first + second for first in _DOTS_SPELT for second in _DOTS_SPELT)})
_DOTS = pattern(r"(?ai)(?:\.|%2e)*")


def is_dot_segment(segment: str) -> bool:
    """Return whether a segment of a URL means its own directory, or the one above."""
    return segment in _DOT_SEGMENTS


def could_become_dots(segment: str) -> bool:
    """Return whether a segment could become one of these when a value is added to it, or left out of it."""
    return _DOTS.fullmatch(segment) is not None
