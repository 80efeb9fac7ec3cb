"""What is written at once: values and fixed text that follow one another in a page.

First all values of a run are read, and go through the escaping functions that are called; then all are written, through
what is escaped in writing. Both forms of code keep to this order, so that they do the same to the last call.
"""

from __future__ import annotations

from functools import lru_cache

from untor.analysis.ir import FixedText, Nonce, PrintValue, UrlFixed, UrlJoin, UrlValue
from untor.escape import EMBEDDING, ESCAPERS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Operation

BOOLEAN = (("boolean-attribute", ""),)
"""The escaping of a boolean attribute: both forms of code test its value in place, as they do in an ``if``."""

LONGEST_RUN = 60
"""How many values one run has at most: all of them are kept until it is written."""


def is_static(operation: UrlJoin) -> bool:
    """Return whether the pieces of a URL are always the same ones."""
    return all(isinstance(piece, UrlFixed | UrlValue) for piece in operation.body)


def is_one_run(operations: list[Operation]) -> bool:
    """Return whether a page does nothing but print text and values in one run."""
    values = sum(isinstance(each, PrintValue | Nonce | UrlJoin) for each in operations)
    return values < LONGEST_RUN and all(
        isinstance(each, FixedText | PrintValue | Nonce) or (isinstance(each, UrlJoin) and is_static(each))
        for each in operations
    )


def escaping_of(operation: PrintValue) -> tuple[tuple[tuple[str, str], ...], str]:
    """Return the escaping functions that are called, and the letter of the one that is part of writing, if any.

    With each function comes the one that it applies to what it embeds.
    """
    return _escaping(operation.escapers)


@lru_cache(1000)
def _escaping(escapers: tuple[str, ...]) -> tuple[tuple[tuple[str, str], ...], str]:
    first, *others = escapers
    if others and others[0] == "attribute" and ESCAPERS[first].inert:
        del others[0]
    if first in EMBEDDING and others:
        return ((EMBEDDING[first], others[0]),), ""
    names = [first, *others]
    letter = ESCAPERS[names[-1]].letter
    return tuple((name, "") for name in (names[:-1] if letter else names)), letter
