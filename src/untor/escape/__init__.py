"""The security kernel: one escaping function for each place; imports nothing else of Untor.

``escapers`` gives the table that both the analysis (names) and the generated code (functions) use,
so that they cannot disagree.
"""

from __future__ import annotations

from untor.escape.markup import attribute, boolean_attribute, state_attribute, text, whole_attribute
from untor.escape.url import (
    SCHEMES,
    percent,
    percent_opaque,
    pieces_escaper,
    segment_url,
    url_attribute_escaper,
    url_escaper,
)
from untor.escape.values import MISSING, NotPrintable, printed

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

__all__ = ["MISSING", "SCHEMES", "NotPrintable", "escapers", "printed"]


def escapers(schemes: frozenset[str] = SCHEMES) -> dict[str, Callable[..., str]]:
    """Return the escaping functions by name, made for the schemes that an engine permits."""
    return {
        "plain": printed,
        "text": text,
        "attribute": attribute,
        "whole-attribute": whole_attribute,
        "boolean-attribute": boolean_attribute,
        "state-attribute": state_attribute,
        "percent": percent,
        "percent-opaque": percent_opaque,
        "segment-url": segment_url,
        "url": url_escaper(schemes),
        "url-attribute": url_attribute_escaper(schemes),
        "url-pieces": pieces_escaper(schemes),
        "image-url": url_escaper(schemes, images=True),
        "image-url-attribute": url_attribute_escaper(schemes, images=True),
        "image-url-pieces": pieces_escaper(schemes, images=True),
    }
