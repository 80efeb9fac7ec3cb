"""Active formatting elements (HTML §13.2.4.3), as far as an empty value and another one could make a difference.

Where a formatting element was closed by the tag of another, a browser opens it again as soon as text comes: around a
value, but not around nothing. ``HtmlState.formatting`` holds the formatting elements that are open and what is open
inside them, in segments: a marker is an element that shuts those around it off.
"""

from __future__ import annotations

from typing import NamedTuple

from untor.contexts.html_elements import TABLE_CELLS, TABLE_PARTS, VOID
from untor.contexts.stacks import Stack

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
_CHANGES_ANYWHERE = MARKERS | TABLE_PARTS | {"table"}
"""Elements whose tags matter also where nothing is open that does."""

_LISTS = frozenset().union(*_ITEMS.values())
_EMPTY = Stack(FORMATTING | _LISTS | _ITEMS.keys() | {"p", "table", "!"})


class FormattingList(NamedTuple):
    """What is open inside a marker: formatting elements, what is in them; ``!`` after one was closed by another tag."""

    marker: str = ""
    entries: Stack[str] = _EMPTY
    around: frozenset[str] = frozenset()
    """The markers around, and ``table`` if one is open around."""
    formats_around: bool = False

    def has_formatting(self) -> bool:
        """Return whether a formatting element is open here."""
        return not FORMATTING.isdisjoint(self.entries.members)

    def cut(self, depth: int) -> FormattingList:
        """Drop all entries but the lowest; formatting elements among them are lost on the way."""
        entries, lost = self.entries, False
        while entries.depth > depth:
            lost = lost or entries.top in FORMATTING or entries.top == "!"
            entries = entries.below
        return self._replace(entries=entries.push("!") if lost else entries)

    def depth_of(self, name: str) -> int:
        """Return how many entries are below the innermost one of a name."""
        entries = self.entries
        while entries.top != name:
            entries = entries.below
        return entries.depth - 1


class Inline(NamedTuple):
    """The segment that is being read, and those around it."""

    here: FormattingList = FormattingList()
    outer: Stack[FormattingList] = Stack()

    def has_formatting(self) -> bool:
        """Return whether a formatting element is open, also around a marker."""
        return self.here.formats_around or self.here.has_formatting()

    def with_entry(self, entry: str) -> Inline:
        """Return this with one entry more."""
        return self._replace(here=self.here._replace(entries=self.here.entries.push(entry)))

    def within(self, marker: str) -> Inline:
        """Return what is open inside a marker."""
        around = self.here.around | {self.here.marker}
        if "table" in self.here.entries:
            around |= {"table"}
        return Inline(FormattingList(marker, _EMPTY, around, self.has_formatting()), self.outer.push(self.here))

    def left(self) -> Inline:
        """Return what is open around the marker."""
        return Inline(self.outer.top, self.outer.below)


def misnested(inline: Inline) -> bool:
    """Return whether a formatting element would be opened again by text."""
    return "!" in inline.here.entries


def leave_cell(inline: Inline) -> Inline:
    """Drop the cell that the tag of another part of the table closes, with all formatting in it."""
    return inline.left() if inline.here.marker in CELLS and "table" not in inline.here.entries else inline


def _cut(inline: Inline, depth: int) -> Inline:
    return inline._replace(here=inline.here.cut(depth))


def opened(inline: Inline, name: str, *, in_p: bool) -> Inline:
    """Return what is open after a start tag; ``in_p`` means that a paragraph was opened before the formatting."""
    if not inline.here.entries.depth and name not in _CHANGES_ANYWHERE and name not in FORMATTING:
        return inline
    if name in TABLE_PARTS:
        inline = leave_cell(inline)
    if name in _CLOSE:
        inline = _closed_by_start(inline, name, in_p=in_p)
    if name in MARKERS:
        return inline.within(name)
    tracked = name == "table" or (name not in _WITHOUT_CONTENT and inline.here.has_formatting())
    if name in {"a", "nobr"} and name in inline.here.entries:
        inline = closed(inline, name)
    return inline.with_entry(name) if tracked or name in FORMATTING else inline


def _closed_by_start(inline: Inline, name: str, *, in_p: bool) -> Inline:
    """Follow what a start tag closes: a paragraph, an item of a list."""
    here = inline.here
    if not here.has_formatting():
        return inline
    if name in CLOSES_P and "p" in here.entries:
        return _cut(inline, here.depth_of("p"))
    if name in CLOSES_P and in_p:
        return _cut(inline, 0)
    lists = _ITEMS.get(name)
    if lists and not any(each in here.entries for each in lists):
        return _cut(inline, 0)
    return _cut(inline, here.depth_of(name)) if lists and name in here.entries else inline


def closed(inline: Inline, name: str) -> Inline:
    """Return what is open after an end tag."""
    here = inline.here
    if not here.entries.depth and name not in _CHANGES_ANYWHERE:
        return inline
    if name in MARKERS and (name == here.marker or name in here.around):
        return _closed_marker(inline, name)
    if name == "table" and ("table" in here.entries or "table" in here.around):
        while "table" not in inline.here.entries:
            inline = inline.left()
        return _cut(inline, inline.here.depth_of("table"))
    if name in TABLE_PARTS:
        return leave_cell(inline)
    if name in here.entries:
        return _closed_entry(inline, name)
    return _cut(inline, 0) if name not in FORMATTING and here.has_formatting() else inline


def _closed_marker(inline: Inline, name: str) -> Inline:
    """Drop everything down to a marker; a cell only where no other table is open in it."""
    within, has_table = inline, "table" in inline.here.entries
    while within.here.marker != name:
        within = within.left()
        has_table = has_table or "table" in within.here.entries
    return inline if name in CELLS and has_table else within.left()


def _closed_entry(inline: Inline, name: str) -> Inline:
    """Take out the innermost entry of a name; what is open inside it is lost with it, or it is itself."""
    passed: list[str] = []
    entries = inline.here.entries
    while entries.top != name:
        passed.append(entries.top)
        entries = entries.below
    if all(entry == "!" for entry in passed):
        return inline._replace(here=inline.here._replace(entries=entries.below + tuple(passed)))
    if name not in FORMATTING:
        return _cut(inline, entries.depth - 1)
    return inline._replace(here=inline.here._replace(entries=entries.below.push("!")))


def paragraph(name: str, *, is_open: bool, closing: bool) -> bool:
    """Return whether a paragraph may be open after a tag outside of formatting elements."""
    if name == "p":
        return not closing
    if closing:
        return is_open and name in _IN_PARAGRAPHS
    return is_open and name not in CLOSES_P
