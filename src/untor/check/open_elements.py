"""The open elements, and the tags that do not match: never closed, closed by another tag, closing nothing."""

from __future__ import annotations

from dataclasses import dataclass, replace

from untor.check.implied_ends import HEADINGS, IMPLIED, OPTIONAL_END, SPECIAL, ended_by, reach
from untor.contexts.html_active_formatting import FORMATTING
from untor.contexts.html_elements import VOID
from untor.diagnostics.problem import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from collections.abc import Set as AbstractSet

    from untor.check.tag_walker import Tag
    from untor.diagnostics.source import Source
    from untor.language import tree

EDGE = "|"
"""Stands in for a name where the content for a slot begins: it cannot close what is around it."""

_MOST_BETWEEN = 3


@dataclass(frozen=True, slots=True, eq=False)
class OpenElement:
    """An open element, and what is open around it.

    Where the branches of an ``if`` leave different elements open, one entry without a name represents them:
    ``variants`` are what each branch leaves open, ``tests`` the conditions of the branches.
    """

    name: str
    source: Source
    start: int
    end: int
    outer: OpenElement | None
    slash: bool = False
    variants: tuple[tuple[OpenElement, ...], ...] = ()
    tests: tuple[str, ...] = ()


@dataclass(slots=True)
class Misfit:
    """A tag that does not fit, as it looks so far; what comes later may show it in another light.

    ``inside`` is the innermost element that was open at an end tag that closes nothing; ``explained`` means that an end
    tag that closes nothing has been explained by it.
    """

    kind: str
    entry: OpenElement
    tag: Tag | None = None
    inside: OpenElement | None = None
    explained: bool = False


@dataclass(slots=True)
class EndedParagraph:
    """A paragraph that a block has ended; ``reported`` means that there is a finding already."""

    entry: OpenElement
    by: Tag
    reported: bool


class Elements:
    """Follows the open elements of a page and collects what does not fit."""

    def __init__(self, *, xml: bool) -> None:
        self.xml = xml
        self.misfits: list[Misfit] = []
        self.found: list[Problem] = []
        self.ended_paragraphs: list[EndedParagraph] = []

    # --- tags --------------------------------------------------------------------------------------------------------

    def opened(self, top: OpenElement | None, tag: Tag) -> OpenElement | None:
        """Return what is open after a start tag."""
        html = not self.xml and not tag.foreign
        if html and tag.name in VOID:
            return top
        if tag.closes_itself and not html:
            return top
        return OpenElement(tag.name, tag.source, tag.start, tag.end, top, slash=tag.closes_itself)

    def ended(self, top: OpenElement | None, tag: Tag) -> OpenElement | None:
        """Return the open elements after the implied ends of a start tag of HTML."""
        for names, outside in ended_by(tag.name):
            top = self._implied_end(top, tag, names, outside)
        return top

    def _implied_end(
        self, top: OpenElement | None, tag: Tag, ended: AbstractSet[str], outside: AbstractSet[str]
    ) -> OpenElement | None:
        """Return the open elements after a start tag has implicitly ended elements of some names."""
        entry, ending = top, None
        while entry is not None and entry.name not in outside | {EDGE} and not entry.variants:
            if entry.name in ended:
                ending = entry
            entry = entry.outer
        if ending is None:
            return top
        inside = [each for each in _chain(top, ending) if self._must_close(each)]
        for inner in inside[:_MOST_BETWEEN]:
            self._is_unclosed(inner, tag)
        if ending.name == "p":
            self.ended_paragraphs.append(EndedParagraph(ending, tag, reported=bool(inside)))
        return ending.outer

    def close(self, top: OpenElement | None, tag: Tag) -> OpenElement | None:
        """Return what is open after an end tag."""
        entry = self._required(top, tag.name)
        if entry is not None and entry.name == tag.name:
            return self._closed_over(top, entry, tag)
        if entry is not None and entry.variants:
            self._half_open(entry, tag)
            closes = any(variant and variant[-1].name == tag.name for variant in entry.variants)
            return entry.outer if closes else self.close(entry.outer, tag)
        meant = HEADINGS if tag.name in HEADINGS and not self.xml else {tag.name}
        closed = self._in_reach(entry, tag, meant)
        if closed is not None:
            return self._closed_over(top, closed, tag)
        if self._explained(tag) or (tag.name in IMPLIED and not self.xml):
            return top
        self.misfits.append(Misfit("element-extra-end", _nothing(tag), tag, entry))
        return top

    def _closed_over(self, top: OpenElement | None, closed: OpenElement, tag: Tag) -> OpenElement | None:
        """Return what is open after an end tag for an element that has others open in it."""
        between = list(_chain(top, closed))
        if tag.name in FORMATTING and not (self.xml or tag.foreign):
            # HTML §13.2.6.4.7 "adoption agency": a block in a formatting element stays open.
            inner = next((each for each in between if each.name in SPECIAL), None)
            if inner is not None:
                self.misfits.append(Misfit("element-wrong-end", inner, tag))
                return _rebuilt(between, closed.outer)
        for inner in [each for each in between if self._must_close(each)][:_MOST_BETWEEN]:
            self._is_unclosed(inner, tag)
        if closed.name != tag.name:
            self.misfits.append(Misfit("element-wrong-end", closed, tag))
        return closed.outer

    def _in_reach(self, entry: OpenElement | None, tag: Tag, names: AbstractSet[str]) -> OpenElement | None:
        """Return the innermost open element of some names that an end tag reaches."""
        outside = frozenset() if self.xml or tag.foreign else reach(tag.name)
        while entry is not None and entry.name not in names:
            if entry.name == EDGE or entry.name in outside:
                return None
            entry = entry.outer
        return entry

    def _is_unclosed(self, entry: OpenElement, tag: Tag | None = None) -> None:
        """Keep an element that is never closed; an end tag in it that closed nothing was meant for it."""
        for misfit in self.misfits:
            if misfit.kind == "element-extra-end" and misfit.inside is entry:
                misfit.kind, misfit.entry = "element-wrong-end", entry
                return
        self.misfits.append(Misfit("element-unclosed", entry, tag))

    def _must_close(self, entry: OpenElement) -> bool:
        return self.xml or entry.name not in OPTIONAL_END

    def _required(self, top: OpenElement | None, name: str = "") -> OpenElement | None:
        """Return the innermost open element that is of a name or cannot be left open."""
        while top is not None and top.name != name and not self._must_close(top):
            top = top.outer
        return top

    def _explained(self, tag: Tag) -> bool:
        """Return whether an end tag that closes nothing shows an earlier misfit in another light."""
        ended = self.ended_paragraphs[-1] if self.ended_paragraphs and tag.name == "p" else None
        if ended is not None and ended.reported:
            ended.reported = False
            return True
        for misfit in reversed(self.misfits):
            if misfit.tag is None or misfit.kind == "element-extra-end":
                continue
            if misfit.kind == "element-unclosed" and tag.name in {misfit.tag.name, misfit.entry.name}:
                # <div><nav></div></div>: the first </div> was meant for the nav. <b><i>a</b></i>: as is the </b>.
                misfit.kind = "element-wrong-end" if misfit.tag.closing else misfit.kind
                misfit.explained = True
                return True
            if misfit.entry.name == tag.name and not misfit.explained:
                misfit.explained = True
                return True
        return False

    # --- steps -------------------------------------------------------------------------------------------------------

    def branches(self, before: OpenElement | None, tests: tuple[str, ...]) -> Callable[[int], OpenElement | None]:
        """Return what is open where each branch begins: the same condition before may have opened its own elements."""
        top = self._required(before)
        if top is None or top.tests != tests:
            return lambda _: before

        def begin(index: int) -> OpenElement | None:
            variant = top.variants[index] if index < len(top.variants) else ()
            entry = top.outer
            for each in variant:
                entry = replace(each, outer=entry)
            return entry

        return begin

    def meet(
        self,
        before: OpenElement | None,
        ends: list[OpenElement | None],
        tests: tuple[str, ...],
        source: Source,
        node: tree.If,
    ) -> OpenElement | None:
        """Return what is open where the branches of an ``if`` meet.

        They may all end with the same elements open; leave out ends that may be left out; or each leave open elements
        of its own, which branches of the same tests have to close. One that closes what was open before is reported.
        """
        top = self._required(before)
        base = top.outer if top is not None and top.tests == tests else top
        first = ends[0]
        is_same = all(_names(end, base) == _names(first, base) for end in ends)
        if is_same:
            return first
        stripped = [self._required_above(end, base) for end in ends]
        is_same_but_for_ends = all(_names(end, base) == _names(stripped[0], base) for end in stripped)
        if is_same_but_for_ends:
            return stripped[0]
        pushed = [_above(end, base) for end in stripped]
        only_opens = all(each is not None for each in pushed)
        if only_opens:
            variants = tuple(tuple(each) for each in pushed if each is not None)
            return OpenElement("", source, node.start, node.end, base, variants=variants, tests=tests)
        line = str(source.position(node.start)[0])
        for end in stripped:
            above = _above(end, base)
            if above is None:
                for closed in _closed(base, end)[:1]:
                    words = {"tag": f"<{closed.name}> is closed", "line": line, "trouble": ""}
                    problem = Problem("element-in-branch", source, node.start, node.end, **words)
                    self.found.append(problem.beside(_seen(f"the <{closed.name}> is opened here", closed)))
                return end
        return first

    def _required_above(self, end: OpenElement | None, base: OpenElement | None) -> OpenElement | None:
        """Leave out what may be left open at the end of a branch."""
        while end is not None and end is not base and not self._must_close(end) and not end.variants:
            end = end.outer
        return end

    def _half_open(self, entry: OpenElement, tag: Tag | None) -> None:
        """Report elements that some branches opened and left open."""
        some = next(variant for variant in entry.variants if variant)[-1]
        trouble = " and never closed"
        if tag is not None:
            trouble = f", but closed in all of them by the </{tag.name}> on {_where(tag, some)}"
            if not any(variant and variant[-1].name == tag.name for variant in entry.variants):
                trouble = f" and still open at the </{tag.name}> on {_where(tag, some)}"
        words = {"tag": f"<{some.name}> is opened", "line": str(_line(entry)), "trouble": trouble}
        problem = Problem("element-in-branch", some.source, some.start, some.end, **words)
        self.found.append(problem.beside(*([_seen(f"the </{tag.name}> is here", tag)] if tag else [])))

    def leave(self, top: OpenElement | None, edge: OpenElement) -> OpenElement | None:
        """Return what is open after the content for a slot."""
        self._never_closed(_chain(top, edge))
        return edge.outer

    def _never_closed(self, entries: Iterator[OpenElement]) -> None:
        for entry in entries:
            if entry.variants:
                self._half_open(entry, None)
            elif self._must_close(entry):
                self._is_unclosed(entry)

    def round(
        self, before: OpenElement | None, after: OpenElement | None, source: Source, node: tree.For
    ) -> OpenElement | None:
        """Return what is open after the rounds of a loop, or its ``else``."""
        line = str(source.position(node.start)[0])
        above = _above(after, before)
        if above is None:
            for closed in [each for each in _closed(before, after) if self._must_close(each)][:1]:
                words = {"tag": f"<{closed.name}>", "trouble": "is opened before the loop and closed", "line": line}
                self.found.append(Problem("element-in-loop", closed.source, closed.start, closed.end, **words))
            return after
        for entry in above:
            if entry.variants:
                self._half_open(entry, None)
            elif self._must_close(entry):
                words = {"tag": f"<{entry.name}>", "trouble": "is left open", "line": line}
                self.found.append(Problem("element-in-loop", entry.source, entry.start, entry.end, **words))
        return before

    # --- the report --------------------------------------------------------------------------------------------------

    def problems(self, top: OpenElement | None) -> Iterator[Problem]:
        """Yield all that does not fit, at the end of a page where ``top`` is still open."""
        self._never_closed(_chain(top, None))
        yield from self.found
        for misfit in self.misfits:
            yield getattr(self, f"_{misfit.kind.replace('-', '_')}")(misfit.entry, misfit.tag)

    def _element_unclosed(self, entry: OpenElement, tag: Tag | None) -> Problem:
        more = "\nA / at the end of a tag closes nothing in HTML." if entry.slash and not self.xml else ""
        where, related = "", []
        if tag is not None:
            shown = f"</{tag.name}>" if tag.closing else f"<{tag.name}>"
            where = f": the {shown} on {_where(tag, entry)} closes what is around it"
            related = [_seen(f"this {shown} closes the element around it", tag)]
        place = (entry.source, entry.start, entry.end)
        return Problem("element-unclosed", *place, name=entry.name, where=where, more=more).beside(*related)

    def _element_wrong_end(self, entry: OpenElement, tag: Tag) -> Problem:
        words = {"end": tag.name, "name": entry.name, "line": _where(entry, tag).removeprefix("line ")}
        problem = Problem("element-wrong-end", tag.source, tag.start, tag.end, **words)
        return problem.beside(_seen(f"the <{entry.name}> is opened here", entry))

    def _element_extra_end(self, entry: OpenElement, tag: Tag) -> Problem:  # noqa: ARG002  one shape for all kinds
        more, related = "", []
        for paragraph in self.ended_paragraphs if tag.name == "p" else ():
            by = paragraph.by
            if paragraph.entry.source is tag.source and paragraph.entry.start < tag.start:
                more = f"\nThe <{by.name}> on {_where(by, tag)} has ended the paragraph before it."
                related = [_seen("a block ends the paragraph here", by)]
        if tag.name in VOID and not self.xml:
            more = f"\nA <{tag.name}> has no end tag."
        problem = Problem("element-extra-end", tag.source, tag.start, tag.end, name=tag.name, more=more)
        return problem.beside(*related)


def open_elements(top: OpenElement | None) -> Iterator[OpenElement]:
    """Yield what is open, innermost first."""
    return _chain(top, None)


def _rebuilt(between: list[OpenElement], outer: OpenElement | None) -> OpenElement | None:
    """Return what was open, innermost first, put into another element."""
    for each in reversed(between):
        outer = replace(each, outer=outer)
    return outer


def _nothing(tag: Tag) -> OpenElement:
    return OpenElement(tag.name, tag.source, tag.start, tag.end, None)


def _line(entry: OpenElement | Tag) -> int:
    return entry.source.position(entry.start)[0]


def _where(entry: OpenElement | Tag, seen_from: OpenElement | Tag) -> str:
    """Say where something is, with its file where that is another one."""
    file = "" if entry.source is seen_from.source else f" of {entry.source.name}"
    return f"line {_line(entry)}{file}"


def _seen(message: str, what: OpenElement | Tag) -> tuple[str, Source, int, int]:
    """Return another place to look at."""
    return message, what.source, what.start, what.end


def _closed(before: OpenElement | None, after: OpenElement | None) -> list[OpenElement]:
    """Return what was open before and is not after, innermost first."""
    still = {id(each) for each in _chain(after, None)}
    return [each for each in _chain(before, None) if id(each) not in still]


def _chain(entry: OpenElement | None, end: OpenElement | None) -> Iterator[OpenElement]:
    """Yield an open element and those around it, up to one that is left out."""
    while entry is not None and entry is not end:
        yield entry
        entry = entry.outer


def _above(entry: OpenElement | None, base: OpenElement | None) -> list[OpenElement] | None:
    """Return what is open inside ``base``, outermost first; ``None`` if ``base`` itself has been closed."""
    elements = []
    while entry is not base:
        if entry is None:
            return None
        elements.append(entry)
        entry = entry.outer
    return elements[::-1]


def _names(entry: OpenElement | None, base: OpenElement | None) -> tuple[object, ...]:
    """Return what a branch did to the open elements, in a way that can be compared."""
    above = _above(entry, base)
    if above is not None:
        return ("opens", *(each.name for each in above), *(each.tests for each in above))
    outside = {id(each) for each in _chain(base, None)}
    common = next((each for each in _chain(entry, None) if id(each) in outside), None)
    return ("closes", id(common), *(each.name for each in _chain(entry, common)))
