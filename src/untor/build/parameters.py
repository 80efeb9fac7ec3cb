"""Which values of a page are parameters of its function, which Python hands over faster than a dict."""

from __future__ import annotations

import re
from keyword import iskeyword

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    from untor.plan.operations import Plan

MOST_NAMED = 30
"""How many values are parameters of their own."""

_OWN_NAMES = frozenset(
    """MISSING NONCE ahead ahead_async append callee callee_of check chunk collected context dict direct dot
    dot_maybe each each_async enumerate enumerate_async error everywhere get given is_awaitable item
    item_maybe len list merge missing_name modulo nonce none_is_missing out pairs pairs_async plain_values
    printed problem scope sized sized_async slice takes_missing trouble truth type values""".split()
)
"""What the code reads and writes, besides names of these shapes: a prefix and more, or a word and a number."""

_OWN_SHAPE = re.compile(r"k?[cpv]_|[efg]_|[a-z]+\d+\Z")


def named_values(plan: Plan, inputs: Iterable[str]) -> list[str]:
    """Return the values that the entry function takes as parameters of their own; none where that cannot be."""
    names = sorted(inputs)
    if plan.main.parameters or not 0 < len(names) <= MOST_NAMED or any(each.context for each in plan.functions):
        return []
    return names if all(map(_is_free, names)) else []


def _is_free(name: str) -> bool:
    """Tell whether a name means nothing in the code: no variable, no function, no keyword of Python."""
    return name.isascii() and not (name in _OWN_NAMES or iskeyword(name) or _OWN_SHAPE.match(name))
