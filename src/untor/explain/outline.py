"""The elements that a page makes, as a tree, with steps, slots, parts and values where they are."""

from __future__ import annotations

from importlib.resources import files
from typing import NamedTuple

from untor.analysis.analyser import XML, ending_of
from untor.analysis.composition import Frame, PageAnalysis
from untor.analysis.fixed_text import source_offset
from untor.analysis.ir import Function
from untor.analysis.names import Names
from untor.check.open_elements import EDGE, open_elements
from untor.check.tag_walker import TagWalker
from untor.diagnostics.wording import shortened
from untor.engine.engine import Engine
from untor.language import tree
from untor.loading.version import VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.analysis.ir import Operation, Placement, TemplateIR
    from untor.check.open_elements import OpenElement
    from untor.compiler.compiler import Compiler
    from untor.diagnostics.source import Source
    from untor.engine.template import Template

_LONGEST = 72
_STEPS_WITH_CONTENT = (tree.If, tree.For, tree.Include, tree.Slot, tree.Say)
_BETWEEN_TAGS = frozenset({"data", "RCDATA", "RAWTEXT", "script data", "PLAINTEXT"})


class OutlineLine(NamedTuple):
    """A line of an outline: an element, text, a value or a step, how deep it is, and where it is written.

    ``kind`` is ``element``, ``text``, ``value``, ``step`` or ``template``; ``context`` is that of a value, or empty.
    """

    depth: int
    kind: str
    text: str
    template: str
    line: int
    context: str = ""

    @property
    def indented(self) -> str:
        """The text, two spaces further in for each thing around it."""
        return f"{'  ' * self.depth}{self.text}"


def outline_template() -> Template:
    """Return the template of the outline as a page, which is rendered with ``outline_context``."""
    return Engine(str(files("untor.explain") / "templates")).template("outline")


def outline_context(compiler: Compiler, planned: TemplateIR) -> dict[str, object]:
    """Return what the page of an outline shows."""
    lines = outline_of(compiler, planned)
    total = sum(line.kind == "element" for line in lines)
    return {"page": planned.source.name, "lines": lines, "total": total, "version": VERSION}


def outline_of(compiler: Compiler, planned: TemplateIR) -> list[OutlineLine]:
    """Return the outline of a page that has been analysed."""
    reading = compiler.reading(planned.source.name)
    analysis = PageAnalysis(compiler.reading, compiler.settings.filters, compiler.permitted())
    names = Names(reading.source, analysis.filters, set())
    frame = Frame(reading, "", names, Function("page", reading.source, []))
    contexts = {(each.template, each.line, each.column): each for each in planned.placements}
    walker = _OutlineWalker(analysis, frame, contexts, xml=ending_of(reading.source) in XML)
    walker.page()
    return _with_templates(walker.lines)


def _with_templates(lines: list[OutlineLine]) -> list[OutlineLine]:
    """Put the name of a template before each run of lines that are written in it."""
    shown: list[OutlineLine] = []
    for line in lines:
        if not shown or shown[-1].template != line.template:
            shown.append(OutlineLine(line.depth, "template", line.template, line.template, 0))
        shown.append(line)
    return shown


class _OutlineWalker(TagWalker):
    """Follows a page, and keeps a line of each thing in it."""

    def __init__(
        self,
        analysis: PageAnalysis,
        frame: Frame,
        contexts: Mapping[tuple[str, int, int], Placement],
        *,
        xml: bool,
    ) -> None:
        super().__init__(analysis, frame, xml=xml)
        self.contexts = contexts
        self.lines: list[OutlineLine] = []
        self.steps = 0
        self.messages: set[tuple[Source, int]] = set()
        self.depths: list[int] = []
        """How deep the steps are whose content is being walked."""

    def _add(self, kind: str, text: str, start: int, within: OpenElement | None, context: str = "") -> None:
        depth = self.steps + sum(entry.name != EDGE for entry in open_elements(within))
        self._add_at(depth, kind, text, start, context)

    def _add_at(self, depth: int, kind: str, text: str, start: int, context: str = "") -> None:
        line = self.source.position(start)[0]
        shown = shortened(" ".join(text.split()), _LONGEST)
        self.lines.append(OutlineLine(depth, kind, shown, self.source.name, line, context))

    def node(self, nodes: list[tree.Node], index: int) -> int:
        """Keep a value or a step, and walk on. Those in a tag are shown with it."""
        node = nodes[index]
        if isinstance(node, tree.Text) or self.state.machine.state not in _BETWEEN_TAGS:
            return super().node(nodes, index)
        if isinstance(node, tree.Let | tree.If) and (self.source, node.start) in self.messages:
            return super().node(nodes, index)  # of a message, which is shown already
        if isinstance(node, tree.Say):
            self.messages.add((self.source, node.start))
        text = self.source.text[node.start : node.end]
        if isinstance(node, tree.Print):
            placement = self.contexts.get((self.source.name, *self.source.position(node.start)))
            self._add("value", text, node.start, self.state.open, placement.context if placement else "")
            return super().node(nodes, index)
        self._add("step", text, node.start, self.state.open)
        if not isinstance(node, _STEPS_WITH_CONTENT):
            return super().node(nodes, index)
        self.depths.append(self.lines[-1].depth)
        self.steps += 1
        after = super().node(nodes, index)
        self.steps -= 1
        self.depths.pop()
        return after

    def _block(
        self, node: tree.Block, nodes: list[tree.Node], then: Callable[[], None] | None = None
    ) -> list[Operation]:
        """Keep the mark that a branch other than the first begins with."""
        mark, start = "", node.start
        if isinstance(node, tree.If):
            branch = next((each for each in node.branches[1:] if each.body is nodes), None)
            if branch is not None:
                mark, start = self.source.text[branch.start : branch.end], branch.start
        elif isinstance(node, tree.For) and nodes is not node.body:
            mark = "<! between !>" if nodes is node.between else "<! else !>"
            start = nodes[0].start if nodes else node.content_end
        if mark and self.state.machine.state in _BETWEEN_TAGS:
            self._add_at(self.depths[-1], "step", mark, start)
        return super()._block(node, nodes, then)

    def _emit(self, end: int, *, foreign: bool) -> None:
        before = len(self.tags)
        super()._emit(end, foreign=foreign)
        for tag in self.tags[before:]:
            if not tag.closing:
                self._add("element", tag.source.text[tag.start : tag.end], tag.start, tag.within)

    def _stray(self, run: list[tree.Text], text: str, start: int, end: int) -> None:
        super()._stray(run, text, start, end)
        seen = text[start:end].strip()
        if not seen:
            return
        last = self.lines[-1] if self.lines else None
        self._add("text", seen, source_offset(run, text.index(seen, start)), self.state.open)
        added = self.lines[-1]
        if last is not None and (last.kind, last.template, last.depth) == ("text", added.template, added.depth):
            self.lines[-2:] = [last._replace(text=shortened(f"{last.text} {added.text}", _LONGEST))]
