"""Active formatting elements (HTML §13.2.4.3), as far as an empty value and another one could make a difference.

Where a formatting element was closed by the tag of another, a browser opens it again as soon as text comes: around a
value, but not around nothing. ``Machine.inline`` holds the formatting elements that are open and what is open inside
them, a marker ``|name`` for each element that shuts them off, and ``!`` after one was closed by another tag.
"""

from __future__ import annotations

from untor.contexts.html_elements import TABLE_CELLS, TABLE_PARTS, VOID

FORMATTING = frozenset("a b big code em font i nobr s small strike strong tt u".split())
MARKERS = TABLE_CELLS | {"caption", "template", "object", "applet", "marquee"}
CELLS = TABLE_CELLS | {"caption"}

# HTML §13.2.6.4.7: start tags for which "if the stack of open elements has a p element in button scope, then close it".
CLOSES_P = frozenset(
    """address article aside blockquote center dd details dialog dir div dl dt fieldset figcaption figure footer form h1
    h2 h3 h4 h5 h6 header hgroup hr li listing main menu nav ol p plaintext pre search section summary table ul
    xmp""".split(),
)
_ITEMS = {"li": {"ul", "ol", "menu"}, "dd": {"dl"}, "dt": {"dl"}, "option": {"select"}, "optgroup": {"select"}}
_INLINE = frozenset(
    """abbr audio bdi bdo button canvas cite data del dfn iframe ins kbd label map mark meter noscript optgroup option
    output picture progress q rp rt ruby samp script select span style sub sup svg textarea time title var
    video""".split(),
)
_CLOSE = CLOSES_P | _ITEMS.keys()
_WITHOUT_CONTENT = VOID | TABLE_PARTS
_IN_PARAGRAPHS = FORMATTING | _INLINE
Inline = tuple[str, ...]


def misnested(inline: Inline) -> bool:
    """Tell whether a formatting element would be opened again by text."""
    return "!" in _segment(inline)


def common(first: Inline, second: Inline) -> Inline:
    """Return what is open after branches that end in these two."""
    length = 0
    while length < min(len(first), len(second)) and first[length] == second[length]:
        length += 1
    prefix = first[:length]
    lost = misnested(first) or misnested(second)
    return (*prefix, "!") if lost and not misnested(prefix) else prefix


def _start(inline: Inline) -> int:
    """Return where the part after the last marker begins."""
    return next((index + 1 for index in range(len(inline) - 1, -1, -1) if inline[index].startswith("|")), 0)


def _segment(inline: Inline) -> Inline:
    return inline[_start(inline) :]


def _cut(inline: Inline, index: int) -> Inline:
    """Drop everything from an index on; formatting elements among it, outside of cells, are lost on the way."""
    dropped = inline[index:]
    for place, entry in enumerate(dropped):
        if entry.startswith("|"):
            dropped = dropped[:place]
            break
    lost = any(entry in FORMATTING or entry == "!" for entry in dropped)
    return (*inline[:index], "!") if lost else inline[:index]


def _leave_cell(inline: Inline) -> Inline:
    """Drop the cell that the tag of another part of the table closes, with all formatting in it."""
    start = _start(inline)
    if start and inline[start - 1][1:] in CELLS and "table" not in inline[start:]:
        return inline[: start - 1]
    return inline


def opened(inline: Inline, name: str, *, in_p: bool) -> Inline:
    """Return what is open after a start tag; ``in_p`` tells of a paragraph opened before the formatting."""
    if name in TABLE_PARTS:
        inline = _leave_cell(inline)
    if name in _CLOSE:
        inline = _closed_by_start(inline, name, in_p=in_p)
    segment = _segment(inline)
    if name in MARKERS:
        return (*inline, f"|{name}")
    if name == "table":
        return (*inline, name)
    if name in {"a", "nobr"} and name in segment:
        inline = closed(inline, name)
    if name in FORMATTING:
        return (*inline, name)
    tracked = any(entry in FORMATTING for entry in segment) and name not in _WITHOUT_CONTENT
    return (*inline, name) if tracked else inline


def _closed_by_start(inline: Inline, name: str, *, in_p: bool) -> Inline:
    """Follow what a start tag closes: a paragraph, an item of a list."""
    start = _start(inline)
    segment = inline[start:]
    if not any(entry in FORMATTING for entry in segment):
        return inline
    if name in CLOSES_P and "p" in segment:
        return _cut(inline, start + len(segment) - 1 - segment[::-1].index("p"))
    if name in CLOSES_P and in_p:
        return _cut(inline, start)
    lists = _ITEMS.get(name)
    if lists and not lists & set(segment):
        return _cut(inline, start)
    if lists and name in segment:
        return _cut(inline, start + len(segment) - 1 - segment[::-1].index(name))
    return inline


def closed(inline: Inline, name: str) -> Inline:
    """Return what is open after an end tag."""
    if f"|{name}" in inline:
        index = len(inline) - 1 - inline[::-1].index(f"|{name}")
        return inline[:index] if name not in CELLS or "table" not in inline[index:] else inline
    if name == "table" and "table" in inline:
        return _cut(inline, len(inline) - 1 - inline[::-1].index("table"))
    if name in TABLE_PARTS:
        return _leave_cell(inline)
    start = _start(inline)
    segment = inline[start:]
    if name in segment:
        index = start + len(segment) - 1 - segment[::-1].index(name)
        kept = (*inline[:index], *inline[index + 1 :])
        if index == len(inline) - 1 or all(entry == "!" for entry in inline[index + 1 :]):
            return kept
        return _cut(inline, index) if name not in FORMATTING else (*inline[:index], "!")
    if name not in FORMATTING and any(entry in FORMATTING for entry in segment):
        return _cut(inline, start)
    return inline


def paragraph(name: str, *, is_open: bool, closing: bool) -> bool:
    """Tell whether a paragraph may be open after a tag outside of formatting elements."""
    if name == "p":
        return not closing
    if closing:
        return is_open and name in _IN_PARAGRAPHS
    return is_open and name not in CLOSES_P
