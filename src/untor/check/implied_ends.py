"""Elements that start tags end implicitly, and the scopes of end tags (HTML §13.2.4.2, §13.2.6.4)."""

from __future__ import annotations

from untor.contexts.html_active_formatting import CLOSES_P
from untor.contexts.html_elements import INTEGRATION_POINTS, TABLE_CELLS, TABLE_SECTIONS, VOID

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

# HTML §13.1.2.4 "Optional tags".
OPTIONAL_END = frozenset(
    """li dt dd p rt rp optgroup option colgroup caption thead tbody tfoot tr td th html head body rb rtc""".split(),
)

# HTML §13.1.2.4: elements that are there without a tag, so that their end tag closes something.
IMPLIED = frozenset({"html", "head", "body"})

HEADINGS = frozenset({"h1", "h2", "h3", "h4", "h5", "h6"})

_TABLE = frozenset({"table", "template", "html"})
"""HTML §13.2.4.2 "has an element in table scope": what nothing is looked for outside of."""
_FOREIGN = frozenset(point.partition(":")[2] for point in INTEGRATION_POINTS)
SCOPE = _TABLE | {"applet", "caption", "td", "th", "marquee", "object", "select"} | _FOREIGN
"""HTML §13.2.4.2 "has an element in scope"."""
_BUTTON = SCOPE | {"button"}
_LIST = SCOPE | {"ol", "ul", "menu"}

# HTML §13.2.4.2 "Special".
SPECIAL = (
    CLOSES_P
    | SCOPE
    | TABLE_SECTIONS
    | VOID
    | IMPLIED
    | frozenset(
        """frameset iframe noembed noframes noscript script style textarea title tr colgroup button""".split(),
    )
)
_ITEM = SPECIAL - {"address", "div", "p", "li", "dd", "dt"}
"""What the search for an open item, which a new one ends, stops at."""

_TABLE_PARTS = TABLE_SECTIONS | TABLE_CELLS | {"table", "tr", "caption", "colgroup"}

_ENDED_BY: dict[str, tuple[frozenset[str], frozenset[str]]] = {
    "li": (frozenset({"li"}), _ITEM),
    "dt": (frozenset({"dt", "dd"}), _ITEM),
    "dd": (frozenset({"dt", "dd"}), _ITEM),
    "option": (frozenset({"option"}), SPECIAL | {"optgroup", "datalist"}),
    "optgroup": (frozenset({"optgroup", "option"}), SPECIAL),
    "rt": (frozenset({"rt", "rp"}), SPECIAL | {"ruby", "rtc"}),
    "rp": (frozenset({"rt", "rp"}), SPECIAL | {"ruby", "rtc"}),
    "rb": (frozenset({"rb", "rt", "rp", "rtc"}), SPECIAL | {"ruby"}),
    "rtc": (frozenset({"rb", "rt", "rp", "rtc"}), SPECIAL | {"ruby"}),
    "td": (TABLE_CELLS | {"caption", "colgroup"}, _TABLE),
    "th": (TABLE_CELLS | {"caption", "colgroup"}, _TABLE),
    "tr": (TABLE_CELLS | {"tr", "caption", "colgroup"}, _TABLE),
    **dict.fromkeys(TABLE_SECTIONS, (TABLE_SECTIONS | TABLE_CELLS | {"tr", "caption", "colgroup"}, _TABLE)),
    "caption": (frozenset({"colgroup"}), _TABLE),
    "colgroup": (frozenset({"caption", "colgroup"}), _TABLE),
    "body": (frozenset({"head"}), _TABLE),
}
"""What a start tag ends where that is open, and what it does not look outside of."""
_PARAGRAPH = (frozenset({"p"}), _BUTTON)


def ended_by(name: str) -> Iterator[tuple[frozenset[str], frozenset[str]]]:
    """Yield what a start tag ends where it is open, each with what it does not look outside of."""
    if name in _ENDED_BY:
        yield _ENDED_BY[name]
    if name in CLOSES_P:
        yield _PARAGRAPH


def reach(name: str) -> frozenset[str]:
    """Return what an end tag of a name does not look outside of."""
    if name in _TABLE_PARTS:
        return _TABLE - {name}
    if name == "p":
        return _BUTTON
    if name == "li":
        return _LIST
    if name in SCOPE | IMPLIED:
        return frozenset()
    return SCOPE
