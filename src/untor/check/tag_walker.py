"""Walks the elements of a page through its steps, layouts and includes: where each is open, and its tags."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from untor.analysis.fixed_text import source_offset, text_run
from untor.analysis.walker import BlockWalker
from untor.check.open_elements import EDGE, Elements, OpenElement
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
_UNKNOWN = "?"
_PROSE = VALUE_STATES | {"data", "RCDATA", "attribute value (unquoted)", "before attribute name"}


@dataclass(slots=True)
class Tag:
    """A tag of the page; never changed. An attribute with a value in it, or that differs by branch, is ``None``."""

    name: str
    source: Source
    start: int
    end: int = 0
    closing: bool = False
    closes_itself: bool = False
    foreign: bool = False
    attributes: dict[str, str | None] = field(default_factory=dict)


@dataclass(slots=True)
class State:
    """Where the walk has come to: the machine, the innermost open element, and the tag that is being read."""

    machine: HtmlState
    open: OpenElement | None = None
    tag: Tag | None = None


class TagWalker(BlockWalker[State]):
    """Collects a page's tags, and hands them to ``Elements`` in order."""

    def __init__(self, analysis: PageAnalysis, frame: Frame, *, xml: bool) -> None:
        super().__init__(analysis, frame, State(HtmlState(xml=xml, rough=True)))
        self.tags: list[Tag] = []
        self.elements = Elements(xml=xml)
        self.loops: list[tuple[Source, str]] = []
        self.unmarked: list[tuple[Source, int, str, str]] = []

    def fork(self, state: State) -> State:
        """Return a copy."""
        return State(state.machine.copy(), state.open, state.tag)

    def join(self, first: State, second: State) -> State:
        """Join the tags that are being read; the elements have been joined before."""
        result = self.fork(first)
        result.machine = joined(first.machine, second.machine) or first.machine
        if first.tag and second.tag:
            one, two = first.tag.attributes, second.tag.attributes
            both = {name: value if two.get(name, value) == value else None for name, value in {**two, **one}.items()}
            result.tag = replace(first.tag, attributes=both)
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
        """Walk pieces again that leave something open, or close it."""
        return start.open is end.open

    def after_known(self, end: State) -> State:
        """Go on after a piece that was walked before."""
        return State(end.machine.copy(), self.state.open, end.tag)

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
            if state in _PROSE and self.loops:
                self._prose(run, text, before, position)
            starts = state == "data" and text[before] == "<"
            if starts or (state.endswith("end tag open") and state != "end tag open"):
                at = before if starts else max(before - len("</"), 0)
                self.state.tag = Tag("", self.source, source_offset(run, at))
            if machine.attributes is not known:
                self._attributes(known)
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
        if machine.attributes is not known:
            self._attributes(known)

    def _attributes(self, known: AbstractSet[str]) -> None:
        machine, tag = self.state.machine, self.state.tag
        added = machine.attributes - known
        if tag is not None and added:
            values = {name: None if name in machine.dynamic_attributes else machine.value for name in added}
            self.state.tag = Tag("", tag.source, tag.start, attributes={**tag.attributes, **values})

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
        whole = Tag(machine.tag, tag.source, tag.start, end, *how, tag.attributes)
        self.tags.append(whole)
        if whole.closing:
            self.state.open = self.elements.close(self.state.open, whole)
        else:
            self.state.open = self.elements.opened(self.state.open, whole)

    def _prose(self, run: list[tree.Text], text: str, start: int, end: int) -> None:
        """Look for names of loops that are not in a mark."""
        names = "|".join(re.escape(name) for source, name in self.loops if source is self.source)
        if names:
            for found in re.compile(rf"(?<![\w.@/])({names})(?:\.[a-z_]\w*)+(?![\w@])").finditer(text, start, end):
                self.unmarked.append((self.source, source_offset(run, found.start()), found[0], found[1]))

    # --- branches and loops ------------------------------------------------------------------------------------------

    def _choice(self, node: tree.If) -> None:
        before = self.state
        text = self.source.text
        tests = tuple(text[each.test.start : each.test.end] if each.test else "else" for each in node.branches)
        begin = self.elements.branches(before.open, tests)
        ends: list[State] = []
        for index, branch in enumerate(node.branches):
            self.state = State(before.machine.copy(), begin(index), before.tag)
            self._block(node, branch.body)
            ends.append(self.state)
        if node.branches[-1].test is not None:
            ends.append(State(before.machine.copy(), begin(len(ends)), before.tag))
        joined = ends[0]
        for end in ends[1:]:
            joined = self.join(joined, end)
        joined.open = self.elements.meet(before.open, [end.open for end in ends], tests, self.source, node)
        self.state = joined

    def _loop(self, node: tree.For) -> None:
        before = self.fork(self.state)
        self.loops += [(self.source, name) for name in node.names]
        self._block(node, node.body)
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
