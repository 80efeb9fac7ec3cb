"""Rules about a page as a browser sees it: ids, references to them, pictures, tables, nesting, language and title."""

from __future__ import annotations

import re
from html import unescape

from untor.contexts.html_elements import HEAD, NO_TEXT, TABLE_CELLS
from untor.diagnostics.problem import Problem
from untor.diagnostics.wording import shortened

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import Any

    from untor.check.open_elements import OpenElement
    from untor.check.tag_walker import Quoted, Tag, TagWalker

    Place = tuple[Any, int, int]


def find(walker: TagWalker) -> Iterator[Problem]:
    """Yield what is wrong with a page of HTML."""
    tags = [tag for tag in walker.tags if not tag.closing]
    document = next((tag for tag in tags if tag.name in {"html", "head"} and not tag.foreign), None)
    yield from _attributes(walker)
    yield from _ids(tags)
    yield from _nested(tags)
    yield from _misplaced(walker, tags)
    yield from _pictures(tags)
    if document is not None:
        yield from _references(tags)
        yield from _skeleton(tags, document)


TEXT_ATTRIBUTES = ("alt", "aria-label", "placeholder", "title", "label")
"""Attributes whose values people read (HTML §6.2.1, WAI-ARIA)."""


def untranslated(walker: TagWalker) -> Iterator[Problem]:
    """Yield text for people that is in no message."""
    for source, start, text in walker.words:
        yield Problem("message-text", source, start, start + len(text), words=shortened(" ".join(text.split()), 60))
    for tag in walker.tags:
        for name in TEXT_ATTRIBUTES:
            value = tag.attributes.get(name)
            if value and re.search(r"[^\W\d_]{2,}", value):
                yield Problem("message-text", *_place(tag), words=shortened(" ".join(value.split()), 60))


def fixed_language(walker: TagWalker, locales: int) -> Iterator[Problem]:
    """Yield languages that are written out, where a page is printed in several."""
    for tag in walker.tags:
        lang = tag.attributes.get("lang")
        if tag.name == "html" and not tag.closing and lang:
            yield Problem("lang-fixed", *_place(tag), lang=lang, count=locales)


def _place(tag: Tag) -> Place:
    return tag.source, tag.start, tag.end


def _line(tag: Tag | OpenElement, seen_from: Tag) -> str:
    line = tag.source.position(tag.start)[0]
    return f"line {line}" if tag.source is seen_from.source else f"line {line} of {tag.source.name}"


# --- attributes ------------------------------------------------------------------------------------------------------


def _attributes(walker: TagWalker) -> Iterator[Problem]:
    """HTML §13.2.5.33 "duplicate-attribute", and values whose closing quote is missing."""
    quoted = walker.state.quoted
    unclosed = [*walker.swallowing, *([quoted] if quoted is not None else [])]
    for value in unclosed:
        yield Problem("attribute-unclosed", value.source, value.start, _end_of_name(value), name=value.name)
    lines = {(value.source, value.source.position(value.start)[0]) for value in unclosed}
    for tag in walker.tags:
        # Behind a quote that is missing, text is read as attributes.
        if (tag.source, tag.source.position(tag.start)[0]) in lines:
            continue
        if name := next((name for name in tag.attributes if _QUOTE.search(name)), ""):
            yield Problem("attribute-quote", *_place(tag), name=name, tag=tag.name)
            continue
        for name in tag.repeated:
            yield Problem("attribute-repeated", *_place(tag), name=name, tag=tag.name)
    unended, name = walker.state.tag, walker.state.machine.tag
    if quoted is None and unended is not None and walker.in_tag:
        yield Problem("tag-unclosed", unended.source, unended.start, unended.start + 1 + len(name), name=name)


_QUOTE = re.compile("[\"'<]")
"""HTML §13.2.5.33 "unexpected-character-in-attribute-name"."""


def _end_of_name(value: Quoted) -> int:
    """Return where the name and the quote before a value end."""
    match = re.compile(r"[^\s\"'>=]*=?[\"']?").match(value.source.text, value.start)
    return match.end() if match and match.end() > value.start else value.start + 1


# --- ids -------------------------------------------------------------------------------------------------------------


def _ids(tags: list[Tag]) -> Iterator[Problem]:
    """DOM §4.9, HTML §3.2.6: an id is that of one element of a page."""
    first: dict[str, list[Tag]] = {}
    for tag in tags:
        value = tag.attributes.get("id")
        if not value:
            continue
        known = first.setdefault(unescape(value), [])
        before = next((other for other in known if not _exclude_one_another(other, tag)), None)
        known.append(tag)
        words = {"id": unescape(value)}
        if before is not None:
            trouble = f"used again here; it was used on {_line(before, tag)}"
            problem = Problem("id-repeated", *_place(tag), trouble=trouble, **words)
            yield problem.beside(("the first element with this id", *_place(before)))
        elif tag.loop is not None:
            source, start = tag.loop
            trouble = f'repeated in each round of the "for" on line {source.position(start)[0]}'
            yield Problem("id-repeated", *_place(tag), trouble=trouble, **words)


def _exclude_one_another(one: Tag, other: Tag) -> bool:
    """Return whether two tags are in different branches of the same step."""
    branches = dict(one.branches)
    return any(branches.get(step, index) != index for step, index in other.branches)


_LABELED = frozenset({"button", "input", "meter", "output", "progress", "select", "textarea"})
"""HTML §4.10.2 "labelable elements"; so are custom elements that belong to a form."""
_REFERENCES: dict[tuple[str, str], tuple[frozenset[str], str]] = {
    ("label", "for"): (_LABELED, "a control of a form"),
    ("output", "for"): (frozenset(), ""),
    ("input", "list"): (frozenset({"datalist"}), "a <datalist>"),
    ("td", "headers"): (frozenset({"th"}), "a <th>"),
    ("th", "headers"): (frozenset({"th"}), "a <th>"),
    **{
        (name, "form"): (frozenset({"form"}), "a <form>")
        for name in ("button", "fieldset", "input", "object", "output", "select", "textarea")
    },
}
"""Attributes that name elements of the page by their ids, and which elements (HTML §4.10, §4.9.9)."""


def _references(tags: list[Tag]) -> Iterator[Problem]:
    """Look for ids that are named, unless a value may be the id of any element."""
    ids = [tag.attributes["id"] for tag in tags if "id" in tag.attributes]
    if None in ids:
        return
    known = {unescape(tag.attributes["id"] or ""): tag for tag in reversed(tags) if "id" in tag.attributes}
    for tag in tags:
        for name, value in tag.attributes.items():
            meant = _REFERENCES.get((tag.name, name))
            if meant is None or value is None or tag.foreign:
                continue
            several = name == "headers" or tag.name == "output"
            for each in unescape(value).split() if several else [unescape(value)]:
                target = known.get(each)
                if target is None:
                    trouble = "which no element of the page has"
                elif target is not None and not _is_meant(target, *meant):
                    trouble = f"which is that of a <{target.name}>, not of {meant[1]}"
                else:
                    continue
                yield Problem("reference-missing", *_place(tag), name=name, tag=tag.name, id=each, trouble=trouble)
                break


def _is_meant(target: Tag, names: frozenset[str], _: str) -> bool:
    is_hidden = target.name == "input" and (target.attributes.get("type") or "").strip().lower() == "hidden"
    return not names or (target.name in names and not is_hidden) or (names is _LABELED and "-" in target.name)


# --- nesting ---------------------------------------------------------------------------------------------------------

_HEADINGS = frozenset({"h1", "h2", "h3", "h4", "h5", "h6"})
_INTERACTIVE = frozenset({"button", "details", "embed", "iframe", "label", "select", "textarea"})
_FORBIDDEN: dict[str, tuple[frozenset[str], str]] = {
    "a": (frozenset({"a"}), "browsers close the outer one here"),
    "form": (frozenset({"form"}), "browsers ignore the inner one"),
    "button": (frozenset({"button"}), "browsers close the outer one here"),
    **dict.fromkeys(_HEADINGS, (_HEADINGS, "browsers close the outer one here")),
    "label": (frozenset({"label"}), "a label names one control"),
    **dict.fromkeys(_INTERACTIVE - {"button", "label"}, (frozenset({"a", "button"}), "both answer to a click")),
}
"""What must not be inside what (HTML §13.2.6.4.7, §4.5.1, §4.10.4, §4.10.6), and what happens."""
_ALSO = {"a": frozenset({"button"}), "button": frozenset({"a"}), "label": frozenset({"a", "button"})}
_BOUNDARIES = frozenset({"td", "th", "caption", "template", "object"})
"""Elements in which a link or a heading begins anew (HTML §13.2.4.3)."""


def _nested(tags: list[Tag]) -> Iterator[Problem]:
    """Look for elements inside of those that must not have them."""
    for tag in tags:
        if tag.foreign or tag.name not in _FORBIDDEN:
            continue
        outer, effect = _FORBIDDEN[tag.name]
        found = _around(tag, outer, heading=tag.name in _HEADINGS)
        if found is None and tag.name in _ALSO:
            found, effect = _around(tag, _ALSO[tag.name]), "both answer to a click"
        if found is not None:
            words = {"name": tag.name, "outer": found.name, "line": _line(found, tag), "effect": effect}
            problem = Problem("element-nested", *_place(tag), **words)
            yield problem.beside((f"the <{found.name}> is opened here", found.source, found.start, found.end))


def _around(tag: Tag, names: frozenset[str], *, heading: bool = False) -> OpenElement | None:
    entry = tag.within
    while entry is not None:
        if entry.name in names:
            return entry
        if entry.name in _BOUNDARIES or heading:
            return None
        entry = entry.outer
    return None


# --- tables and the head ----------------------------------------------------------------------------------------------

_IN_TABLES = frozenset(
    "caption colgroup col thead tbody tfoot tr td th script style template".split(),
) | {"form", "input"}
"""What may be in a table or its rows (HTML §13.2.6.4.9); a form there is empty, and an input hidden."""
_OUT = "browsers move it out, before the table"
_IN_HEAD = HEAD | {"link", "meta", "object"}


def _misplaced(walker: TagWalker, tags: list[Tag]) -> Iterator[Problem]:
    """Look for what is in a table but in no cell (HTML §13.2.6.1 "foster parenting"), and for what ends the head."""
    in_head: list[Problem] = []
    for source, start, end, name in walker.stray:
        if name == "head":
            in_head.append(Problem("head-content", source, start, end, what="Text"))
        else:
            yield Problem("table-content", source, start, end, what="This text", name=name, effect=_OUT)
    without_row: set[int] = set()
    for tag in tags:
        entry = tag.within
        if tag.foreign or entry is None:
            continue
        if entry.name == "head" and tag.name not in _IN_HEAD:
            in_head.append(Problem("head-content", *_place(tag), what=f"A <{tag.name}>"))
        elif entry.name in NO_TEXT and tag.name not in _IN_TABLES:
            yield Problem("table-content", *_place(tag), what=f"This <{tag.name}>", name=entry.name, effect=_OUT)
        elif tag.name in TABLE_CELLS and entry.name in NO_TEXT - {"tr"} and id(entry) not in without_row:
            without_row.add(id(entry))
            effect = "browsers put a row around it"
            yield Problem("table-content", *_place(tag), what=f"This <{tag.name}>", name=entry.name, effect=effect)
    # What follows is in the body already.
    yield from sorted(in_head, key=lambda problem: problem.start)[:1]


# --- pictures, language, title ---------------------------------------------------------------------------------------


def _pictures(tags: list[Tag]) -> Iterator[Problem]:
    """HTML §4.8.4.4: a picture has a text alternative, empty where it is decoration."""
    for tag in tags:
        has = tag.attributes
        is_picture = (
            tag.name == "img"
            or (tag.name == "area" and "href" in has)
            or (tag.name == "input" and (has.get("type") or "").strip().lower() == "image")
        )
        if is_picture and not tag.foreign and not has.keys() & {"alt", "aria-label", "aria-labelledby", "title"}:
            yield Problem("picture-alt", *_place(tag), tag=tag.name)


def _skeleton(tags: list[Tag], document: Tag) -> Iterator[Problem]:
    """HTML §3.2.6.2 and §4.2.2: a page declares its language, and has a title."""
    html = next((tag for tag in tags if tag.name == "html" and not tag.foreign), None)
    if html is not None and not html.attributes.keys() & {"lang", "xml:lang"}:
        yield Problem("lang-missing", *_place(html))
    for name in ("html", "head", "body"):
        first, *others = [tag for tag in tags if tag.name == name and not tag.foreign] or [document]
        for other in others:
            if not _exclude_one_another(first, other):
                problem = Problem("skeleton-repeated", *_place(other), name=name, line=_line(first, other))
                yield problem.beside((f"the first <{name}>", *_place(first)))
    if not any(tag.name == "title" and not tag.foreign for tag in tags):
        yield Problem("title-missing", *_place(document))
