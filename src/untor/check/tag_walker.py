"""Walks the elements of a page through its steps, layouts and includes: where each is open, and its tags."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from untor.analysis.fixed_text import source_offset, text_run
from untor.analysis.walker import BlockWalker
from untor.check.open_elements import EDGE, Elements, OpenElement, open_elements
from untor.check.step_rules import OTHER_MARKS
from untor.contexts.html_elements import NO_TEXT
from untor.contexts.html_joining import joined
from untor.contexts.html_state import TAG_STATES, VALUE_STATES, HtmlState
from untor.contexts.html_tokenizer import STATES
from untor.contexts.placement import Unreadable
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Set as AbstractSet

    from untor.analysis.composition import Frame, PageAnalysis
    from untor.diagnostics.source import Source

_IN_TAG = TAG_STATES | VALUE_STATES | {"before attribute value"}
_SWALLOWED = re.compile(r"[^<>]*>[^<]*</?[a-z]", re.IGNORECASE)
"""What a value is that goes on over the end of its tag, and over the next tag."""
_NO_TEXT = NO_TEXT | {"head"}
_SAMPLES = frozenset({"code", "pre", "samp", "kbd", "textarea"})
"""Elements that show code of other languages."""
_VISIBLE = re.compile(r"[^\s]+")
_MANY = 20_000
"""From so many tags on, pieces are walked once."""
_LETTERS = re.compile(r"[^\W\d_]{2,}")
_UNKNOWN = "?"
_PROSE = VALUE_STATES | {"data", "RCDATA", "attribute value (unquoted)", "before attribute name"}


@dataclass(slots=True)
class Tag:
    """A tag of the page; never changed. An attribute with a value in it, or that differs by branch, is ``None``.

    ``repeated`` are attributes that it has again; ``within`` is the innermost element around it, ``branches`` the
    branches that it is in (which ``if``, which branch), ``loop`` the innermost loop.
    """

    name: str
    source: Source
    start: int
    end: int = 0
    closing: bool = False
    closes_itself: bool = False
    foreign: bool = False
    attributes: dict[str, str | None] = field(default_factory=dict)
    repeated: tuple[str, ...] = ()
    within: OpenElement | None = None
    branches: tuple[tuple[int, int], ...] = ()
    loop: tuple[Source, int] | None = None


@dataclass(slots=True)
class Quoted:
    """The value of an attribute that is being read: where its quote is, its name, and the text so far."""

    source: Source
    start: int
    name: str
    text: str = ""


@dataclass(slots=True)
class State:
    """Where the walk has come to: the machine, the innermost open element, the tag and the value that are being read.

    ``count`` is how many tags there were.
    """

    machine: HtmlState
    open: OpenElement | None = None
    tag: Tag | None = None
    quoted: Quoted | None = None
    count: int = 0


class TagWalker(BlockWalker[State]):
    """Collects a page's tags, and hands them to ``Elements`` in order."""

    def __init__(self, analysis: PageAnalysis, frame: Frame, *, xml: bool) -> None:
        super().__init__(analysis, frame, State(HtmlState(xml=xml, rough=True)))
        self.tags: list[Tag] = []
        self.elements = Elements(xml=xml)
        self.loops: list[tuple[Source, str]] = []
        self.unmarked: list[tuple[Source, int, str, str]] = []
        self.other_marks: list[tuple[Source, re.Match[str], int]] = []
        """Text that looks like a mark of another language."""
        self.swallowing: list[Quoted] = []
        """Values of attributes that hold tags, as one does whose closing quote is missing."""
        self.stray: list[tuple[Source, int, int, str]] = []
        """Text directly in a table or a part of it, or in the head."""
        self.words: list[tuple[Source, int, str]] = []
        """Text for people that is in no message."""
        self.saying = 0
        self.branches: tuple[tuple[int, int], ...] = ()
        self.rounds: list[tuple[Source, int]] = []

    @property
    def in_tag(self) -> bool:
        """Whether the walk has ended in a tag."""
        return self.state.machine.state in _IN_TAG

    def fork(self, state: State) -> State:
        """Return a copy."""
        return State(state.machine.copy(), state.open, state.tag, state.quoted, len(self.tags))

    def join(self, first: State, second: State) -> State:
        """Join the tags that are being read; the elements have been joined before."""
        result = self.fork(first)
        result.machine = joined(first.machine, second.machine) or first.machine
        if first.tag and second.tag:
            one, two = first.tag.attributes, second.tag.attributes
            both = {name: value if two.get(name, value) == value else None for name, value in {**two, **one}.items()}
            repeated = tuple(dict.fromkeys((*first.tag.repeated, *second.tag.repeated)))
            result.tag = replace(first.tag, attributes=both, repeated=repeated)
        return result

    def again(self, before: State, after: State) -> State:  # noqa: ARG002  one shape for all walkers
        """Begin a piece that calls itself again as it began."""
        return before

    def same(self, first: State, second: State) -> bool:  # noqa: ARG002
        """Tell that nothing is decided by it here."""
        return True

    def key(self, state: State) -> object:
        """Return how the markup is read from here on."""
        return state.machine.full_key()

    def describe(self, state: State) -> str:
        """Say in words where a state is."""
        return state.machine.state

    def shareable(self, start: State, end: State) -> bool:
        """Walk pieces again that leave something open, or close it, or have ids, which are then there twice."""
        added = self.tags[start.count :] if len(self.tags) < _MANY else []
        return start.open is end.open and not any(tag.attributes.get("id") for tag in added)

    def after_known(self, end: State) -> State:
        """Go on after a piece that was walked before."""
        return State(end.machine.copy(), self.state.open, end.tag, end.quoted, len(self.tags))

    def walk(self, nodes: list[tree.Node]) -> None:
        """Walk nodes."""
        self.each(nodes)

    def node(self, nodes: list[tree.Node], index: int) -> int:
        """Walk a node."""
        node = nodes[index]
        if isinstance(node, tree.Text):
            run = text_run(nodes, index)
            self._text(run)
            return index + len(run)
        if isinstance(node, tree.Print):
            self._value()
        else:
            self.step(node)
        return index + 1

    # --- text --------------------------------------------------------------------------------------------------------

    def _text(self, run: list[tree.Text]) -> None:
        text = "".join(node.text for node in run)
        machine, position = self.state.machine, 0
        while position < len(text):
            before, state = position, machine.state
            known, stack = machine.attributes, machine.stack
            try:
                position = STATES[state](machine, text, position)
            except Unreadable:
                # What the plan reports; here the tag goes on where it can.
                if machine.after_value:
                    machine.after_value, machine.state = False, "before attribute name"
                else:
                    machine.state, position = "data", position + 1
                continue
            if state in _PROSE:
                self._prose(run, text, before, position)
            starts = state == "data" and text[before] == "<"
            if starts or (state.endswith("end tag open") and state != "end tag open"):
                at = before if starts else max(before - len("</"), 0)
                self.state.tag = Tag("", self.source, source_offset(run, at))
            if machine.attributes is not known or machine.repeated:
                self._attributes(known)
            self._quoted(run, text, state, before, position)
            if state == "data" and machine.state == "data" and not starts:
                self._stray(run, text, before, position)
            if not self.saying and (state == "RCDATA" or (state == machine.state == "data" and not starts)):
                self._words(run, text, before, position)
            whole = (starts and position - before > 1) or (state.endswith("end tag name") and machine.state == "data")
            if machine.state not in _IN_TAG and (state in _IN_TAG or whole):
                foreign = bool(stack) and ":" in stack[-1]
                self._emit(source_offset(run, position - 1) + 1, foreign=foreign)

    def _value(self) -> None:
        machine = self.state.machine
        known = machine.attributes
        if machine.state in {"tag open", "end tag open"}:
            # The plan refuses it; what follows is still a tag.
            STATES[machine.state](machine, "x", 0)
            machine.tag = _UNKNOWN
        machine.took_value()
        if machine.attributes is not known or machine.repeated:
            self._attributes(known)

    def _attributes(self, known: AbstractSet[str]) -> None:
        machine, tag = self.state.machine, self.state.tag
        added = machine.attributes - known
        again = (machine.repeated,) if machine.repeated else ()
        machine.repeated = ""
        if tag is not None and (added or again):
            values = {name: None if name in machine.dynamic_attributes else machine.value for name in added}
            repeated = tag.repeated + again
            self.state.tag = Tag("", tag.source, tag.start, attributes={**tag.attributes, **values}, repeated=repeated)

    def _quoted(self, run: list[tree.Text], text: str, before: str, start: int, end: int) -> None:
        """Keep the value of an attribute that is being read, and look at it where it ends."""
        machine, quoted = self.state.machine, self.state.quoted
        if before in VALUE_STATES and quoted is not None:
            quoted = replace(quoted, text=quoted.text + text[start:end])
        elif machine.state in VALUE_STATES and before not in VALUE_STATES:
            quoted = Quoted(self.source, source_offset(run, start), machine.attribute)
        elif before == "before attribute name" and machine.state == "after attribute value (quoted)":
            name = text[start:end].partition("=")[0]
            quoted = Quoted(self.source, source_offset(run, start), name.lower(), text[start:end])
        else:
            return
        self.state.quoted = quoted
        if machine.state not in VALUE_STATES:
            self.state.quoted = None
            if _SWALLOWED.match(quoted.text):
                self.swallowing.append(quoted)

    def _stray(self, run: list[tree.Text], text: str, start: int, end: int) -> None:
        """Keep text that is directly in a table."""
        top = self.state.open
        if top is None or top.name not in _NO_TEXT or self.elements.xml:
            return
        if found := _VISIBLE.search(text, start, end):
            where = source_offset(run, found.start())
            self.stray.append((self.source, where, where + len(found[0]), top.name))

    def _words(self, run: list[tree.Text], text: str, start: int, end: int) -> None:
        """Keep text that nobody can translate."""
        shown = text[start:end].partition("</")[0]
        found = _LETTERS.search(shown)
        if found and not any(entry.name in _SAMPLES for entry in open_elements(self.state.open)):
            start += len(shown) - len(shown.lstrip())
            self.words.append((self.source, source_offset(run, start), shown.strip()))

    def _say(self, node: tree.Say) -> None:
        """Walk a message; in an attribute, as a value."""
        if self.in_tag:
            self._value()
            return
        self.saying += 1
        super()._say(node)
        self.saying -= 1

    def _emit(self, end: int, *, foreign: bool) -> None:
        machine, tag = self.state.machine, self.state.tag
        if tag is None:
            return
        self.state.tag = None
        if machine.tag in {"", _UNKNOWN}:
            return
        end = end if tag.source is self.source else tag.start + 1
        foreign = foreign or machine.tag in {"svg", "math"}
        how = (machine.closing, machine.self_closing, foreign)
        whole = Tag(machine.tag, tag.source, tag.start, end, *how, tag.attributes, tag.repeated)
        whole.branches, whole.loop = self.branches, self.rounds[-1] if self.rounds else None
        self.tags.append(whole)
        if whole.closing:
            self.state.open = self.elements.close(self.state.open, whole)
            return
        if not (self.elements.xml or foreign):
            self.state.open = self.elements.ended(self.state.open, whole)
        whole.within = self.state.open
        self.state.open = self.elements.opened(self.state.open, whole)

    def _prose(self, run: list[tree.Text], text: str, start: int, end: int) -> None:
        """Look for names of loops that are not in a mark, and for marks of other languages."""
        # Of <% the tokenizer has read the first sign already.
        first = start - 1 if text.startswith("<%", max(start - 1, 0)) else start
        if first < start or text.find("{", start, end) >= 0:
            for found in OTHER_MARKS.finditer(text, first, end):
                if not any(entry.name in _SAMPLES for entry in open_elements(self.state.open)):
                    self.other_marks.append((self.source, found, source_offset(run, found.start())))
        if not self.loops:
            return
        names = "|".join(re.escape(name) for source, name in self.loops if source is self.source)
        if names:
            for found in re.compile(
                rf"(?<![\w.@/])(?<!{{{{)(?<!{{{{ )(?<![$#]{{)(?<![$#]{{ )({names})(?:\.[a-z_]\w*)+(?![\w@])"
            ).finditer(text, start, end):
                self.unmarked.append((self.source, source_offset(run, found.start()), found[0], found[1]))

    # --- branches and loops ------------------------------------------------------------------------------------------

    def _choice(self, node: tree.If) -> None:
        before = self.state
        text = self.source.text
        tests = tuple(text[each.test.start : each.test.end] if each.test else "else" for each in node.branches)
        begin = self.elements.branches(before.open, tests)
        ends: list[State] = []
        for index, branch in enumerate(node.branches):
            self.state = State(before.machine.copy(), begin(index), before.tag, before.quoted)
            around, self.branches = self.branches, (*self.branches, (id(node), index))
            self._block(node, branch.body)
            self.branches = around
            ends.append(self.state)
        if node.branches[-1].test is not None:
            ends.append(State(before.machine.copy(), begin(len(ends)), before.tag, before.quoted))
        joined = ends[0]
        for end in ends[1:]:
            joined = self.join(joined, end)
        joined.open = self.elements.meet(before.open, [end.open for end in ends], tests, self.source, node)
        self.state = joined

    def _loop(self, node: tree.For) -> None:
        before = self.fork(self.state)
        self.loops += [(self.source, name) for name in node.names]
        self.rounds.append((self.source, node.start))
        self._block(node, node.body)
        self.rounds.pop()
        del self.loops[len(self.loops) - len(node.names) :]
        after = self.state
        if node.between is not None:
            self.state = self.fork(after)
            self._block(node, node.between)
            self.elements.round(after.open, self.state.open, self.source, node)
        after.open = self.elements.round(before.open, after.open, self.source, node)
        if node.empty is not None:
            self.state = self.fork(before)
            self._block(node, node.empty)
            self.elements.round(before.open, self.state.open, self.source, node)
        self.state = self.join(after, before)

    def _scoped(self, nodes: list[tree.Node]) -> None:
        """Walk content for a slot, which has its own elements."""
        self.state.open = edge = OpenElement(EDGE, self.source, 0, 0, self.state.open)
        super()._scoped(nodes)
        self.state.open = self.elements.leave(self.state.open, edge)
