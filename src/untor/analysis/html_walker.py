"""Walks the tree of an HTML template through the state of HTML."""

from __future__ import annotations

import re

from untor.analysis.fixed_text import escaped_letters, is_fixed, settled, source_offset, text_run
from untor.analysis.ir import FixedText, Function, InlineEnd, Nonce, PrintValue
from untor.analysis.lookahead import ATTRIBUTE_VALUE_STATES, DECIDED_LATE, attributes_ahead, stays_in_value
from untor.analysis.message_walker import MessageWalker
from untor.analysis.names import AnalysisError
from untor.analysis.url_walker import UrlWalker
from untor.contexts.alternatives import Alternatives
from untor.contexts.html_classify import place_of
from untor.contexts.html_content import of_attribute
from untor.contexts.html_differences import differing
from untor.contexts.html_elements import SVG_TEXT
from untor.contexts.html_joining import joined
from untor.contexts.html_references import attribute_text
from untor.contexts.html_state import VALUE_STATES, Ended, HtmlState, Opened
from untor.contexts.placement import Place, Refusal, Unreadable
from untor.contexts.ways import assume, forget
from untor.diagnostics.problem import Problem
from untor.escape import ESCAPERS
from untor.language import tree
from untor.messages.translator import END_OF_ISOLATE, ISOLATE

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.composition import Frame, PageAnalysis
    from untor.analysis.recovery import Checkpoint
    from untor.diagnostics.source import Source


_MESSAGE_KINDS = {"title-text": "text", "attribute": "text", "script-string": "raw", "json-string": "raw"}
"""Contexts that are text for people, and what fixed text is read as there."""

_MACHINE_TEXT = frozenset({"option", "data", "time", "output", "code", "kbd", "samp", "var", "pre"})
"""Elements whose text is read by programs too, which takes no more characters."""

MAKE_HTML = ("cleaned", "lines", "paragraphs", "picture", "table")
"""Built-in filters that return elements."""

_LONGEST_REFERENCE = 40
_NOT_FORGOTTEN = frozenset({"script", "style", "plaintext"})
"""Elements whose end tag is not likely to be what is missing."""

_RAW = ("RAWTEXT", "PLAINTEXT", "RCDATA", "script data")


class HtmlWalker(MessageWalker[HtmlState]):
    """Walks markup; fixed text is collected in ``held`` until the next value or step."""

    def __init__(self, analysis: PageAnalysis, frame: Frame, machine: HtmlState) -> None:
        super().__init__(analysis, frame, machine)
        self.held: list[str] = []
        self.raw_opened: tuple[Source, int] | None = None
        """Where the last element was opened whose content is not markup."""
        self.stays = False
        """Whether what is walked is part of an attribute's value, and the tag after it has been looked at."""
        self.final = frame.reading.body[-1] if frame.reading.body and not frame.reading.layout else None

    def flush(self) -> None:
        """Bring the text held back into the operations."""
        if text := "".join(self.held):
            self.operations.append(FixedText(text))
        self.held = []

    def fork(self, state: HtmlState) -> HtmlState:
        """Return a copy of the machine."""
        return state.copy()

    def join(self, first: HtmlState, second: HtmlState) -> HtmlState | None:
        """Join two machines where branches meet."""
        return joined(first, second)

    def again(self, before: HtmlState, after: HtmlState) -> HtmlState | None:
        """Join what a loop comes back to."""
        if after.other_ways or after.conditions:
            after = after.copy()
            forget(after, before)
        return joined(before, after)

    def after_rounds(self, end: HtmlState, again: HtmlState) -> None:
        """Keep that a value may have been printed between two rounds."""
        end.printed = end.printed or again.printed

    def same(self, first: HtmlState, second: HtmlState) -> bool:
        """Compare all that decides about values in a loop."""
        return first.loop_key() == second.loop_key()

    def key(self, state: HtmlState) -> object:
        """Return all that decides about values to come."""
        isolates = self.analysis.permitted.translator.isolates
        return state.full_key(), isolates and self._is_read_by_programs(state)

    def enter_branch(self, state: HtmlState, conditions: list[object], *, last: bool) -> None:
        """Record the conditions of a branch."""
        for condition in conditions[:-1]:
            assume(state, condition, truth=False)
        if conditions:
            assume(state, conditions[-1], truth=not last)

    def after_known(self, end: HtmlState) -> HtmlState:
        """Return the state after a piece that has been walked before, in the branch that this is."""
        state = end.copy()
        state.assumed = self.state.assumed
        return state

    def depends_on(self, node: tree.Block, state: HtmlState) -> None:
        """Note the step that decides between alternatives of a script, a style or JSON."""
        if isinstance(state.inner, Alternatives) and not state.inner.since:
            state.inner.since = f'the "{node.word}" on line {self.source.position(node.start)[0]}'

    def differing(self, code: str, node: tree.Node, first: HtmlState, second: HtmlState, **words: str) -> AnalysisError:
        """Return the exception for a step, with the two places, and what to do."""
        found = differing(first, second)
        hint = found.remedy
        return AnalysisError(
            Problem(code, self.source, node.start, node.end, hint=hint, first=found.first, second=found.second, **words)
        )

    def end_block(self, node: tree.Block) -> None:
        """Refuse a step that splits a URL attribute: it is judged as a whole."""
        if self._in_url():
            raise self.refused("url-split", node.start, node.end, name=self.state.attribute)

    def end_function(self, function: Function) -> None:
        """Refuse a step that splits a URL attribute: it cannot begin in a piece and end after it."""
        if self._in_url():
            end = len(function.source.text)
            raise self.refused("url-split", end - 1, end, name=self.state.attribute)

    def _may_be_url(self) -> bool:
        return self.state.state in VALUE_STATES and not self.state.ambiguity

    def _in_url(self) -> bool:
        place = self._place() if self._may_be_url() else None
        return isinstance(place, Place) and place.kind == "url"

    def _place(self) -> Place | Refusal:
        return place_of(self.state)

    def walk(self, nodes: list[tree.Node]) -> None:
        """Walk nodes: text through the machine, values to their places."""
        self.each(nodes)

    def node(self, nodes: list[tree.Node], index: int) -> int:
        """Walk a node, with the texts and values after it that it must be seen together with."""
        node = nodes[index]
        if isinstance(node, tree.Text):
            run = text_run(nodes, index)
            self._text(run, 0)
            return index + len(run)
        late = self.state.xml or self.state.tag in DECIDED_LATE
        if not self.lost and late and not self.stays and self.state.state in ATTRIBUTE_VALUE_STATES:
            self._look_ahead(nodes, index)
        place = self._place() if not self.lost and self._may_be_url() else None
        if isinstance(place, Place) and place.kind == "url":
            return self._url(nodes, index, place)
        if isinstance(node, tree.Print):
            self._value(node, place or self._place())
        elif isinstance(node, tree.Letters):
            self._letters(node)
        else:
            outer, self.stays = self.stays, self.stays or (late and stays_in_value(self.state, node))
            self.step(node)
            self.stays = outer
        return index + 1

    def remember(self, node: tree.Node) -> Checkpoint[HtmlState]:
        """Remember also the text that is held back; in an attribute, the walk of a URL changes the machine."""
        state = self.state.copy() if self.state.state in VALUE_STATES else None
        before = super().remember(node)
        return before._replace(state=state or before.state, held=[*self.held])

    def go_back(self, to: Checkpoint[HtmlState]) -> None:
        """Go back also in the text that is held back."""
        super().go_back(to)
        self.held = to.held

    def step_over(self, code: str) -> bool:
        """Go on after a value without quotes as after one in quotes."""
        if code != "text-after-value" or not self.state.after_value:
            return False
        self.state.after_value, self.state.state = False, "before attribute name"
        return True

    def stand_in(self) -> bool:
        """Put a letter where a value was refused, which is read in the same way nearly everywhere."""
        if self.state.ambiguity:
            return False
        try:
            self.state.read("x")
        except Unreadable:
            return False
        self.held.append("x")
        return True

    def _look_ahead(self, nodes: list[tree.Node], index: int) -> None:
        """Find out what the attribute means when attributes after it decide on that."""
        machine = self.state
        machine.later_attributes = attributes_ahead(machine, nodes, index)
        if machine.state in VALUE_STATES and machine.attribute not in machine.dynamic_attributes:
            language = of_attribute(machine)
            machine.inner = language and language.read(attribute_text(machine.value))

    def _text(self, run: list[tree.Text], start: int) -> None:
        text = "".join(node.text for node in run)
        machine = self.state
        if machine.inner is not None:
            begin = text[start : start + _LONGEST_REFERENCE]
            if machine.state in VALUE_STATES:
                begin = attribute_text(begin.partition('"' if "double" in machine.state else "'")[0])
            gap = machine.inner.gap(begin)
            text = text[:start] + gap + text[start:]
        try:
            machine.read(text, start)
        except Unreadable as found:
            place = source_offset(run, found.offset)
            raise self.refused(found.code, place, place + 1, **found.words) from None
        if machine.state.startswith(_RAW) and (opened := text.lower().rfind(f"<{machine.last_start}")) >= 0:
            self.raw_opened = self.source, source_offset(run, opened)
        text = self._cut(run, text, start)
        if run[-1] is self.final:
            self.held.append(text)
            return
        text = settled(self.source, run, text, machine)
        if machine.after_pre:
            # HTML §13.2.6.4.7: a line feed right after the start tag is dropped; this one, not that of a value.
            text += "\n"
            machine.after_pre = False
        self.held.append(text)

    def _cut(self, run: list[tree.Text], text: str, start: int) -> str:
        """Hold fixed text up to the last beginning or end of a script or style in it, and return the rest."""
        for seen in self.state.csp_elements:
            if seen.offset < start:
                continue
            if isinstance(seen, Opened):
                self.analysis.nonces = True
                self.held.append(text[start : seen.offset])
                self.flush()
                place = source_offset(run, seen.offset)
                self.operations.append(Nonce(seen.tag, seen.content, self.source, place, seen.has_nonce))
                start = seen.offset
            elif isinstance(seen, Ended):
                self.held.append(text[start : seen.offset])
                self.flush()
                self.operations.append(InlineEnd())
                start = seen.offset
        return text[start:]

    def _value(self, node: tree.Print, found: Place | Refusal) -> None:
        place = self._excepted(found, node)
        if isinstance(place, Refusal):
            raise self.refused(place.code, node.start, node.end, **self._words_of(place, node))
        expression, escapers = node.expression, place.escapers
        self.names.use(expression)
        trusted = None
        if isinstance(expression, tree.Filter):
            trusted = self.names.trusted(expression)
            several = ESCAPERS[escapers[0]].several
            if several and self.names.is_built_in(expression, "path"):
                expression, escapers = expression.value, (several, *escapers[1:])
        if isinstance(expression, tree.Call):
            if self.names.is_own_url(expression):
                escapers = tuple(name.replace("resource-url", "url") for name in escapers)
            message = self.names.message(expression)
            if message is not None and place.kind == "value":
                text = self.analysis.permitted.translator.text_of(*message)
                if is_fixed(text, escapers):
                    # Nothing is left to do when the page is rendered.
                    self._letters(tree.Letters(node.start, node.end, text))
                    return
        placement = self.placement(node, place.context, place.path, escapers)
        before: tuple[str, ...] = ()
        if place.kind == "whole":
            before = (self._take_name(node),)
        isolated = self._is_isolated(place, node)
        self.held.append(place.before + (ISOLATE if isolated else ""))
        self.flush()
        self.operations.append(PrintValue(expression, escapers, placement, before))
        if isolated:
            self.held.append(END_OF_ISOLATE)
        if not (trusted and self.state.state == "data"):
            # Trusted HTML is its author's word: as far as the markup around it goes, it is not there.
            self.state.took_value()

    def _is_isolated(self, place: Place, node: tree.Print) -> bool:
        """Return whether a value is set apart, so that its direction leaves the text around it alone."""
        if not self.analysis.permitted.translator.isolates or self.names.trusted(node.expression) is not None:
            return False
        if self.in_message:
            # In a message of markup, the attributes of its elements are read by programs as ever.
            for_people = {"text"} if self.in_message == "markup" else {"title-text", "attribute", "script-string"}
            return place.context in for_people and place.kind == "value"
        state = self.state
        in_text = place.context == "text" and state.state == "data" and not state.xml
        last = node.expression.name if isinstance(node.expression, tree.Filter) else ""
        return in_text and last not in MAKE_HTML and not self._is_read_by_programs(state)

    @staticmethod
    def _is_read_by_programs(state: HtmlState) -> bool:
        """Return whether text comes right after the start tag of an element whose text programs read too."""
        return state.last_start in _MACHINE_TEXT and not state.closing

    # --- messages ------------------------------------------------------------------------------------------------

    def kind_here(self, node: tree.Say) -> str:
        """Return what the text of a message is read as here: where a value may be, and text is meant for people."""
        place = self._place()
        if isinstance(place, Refusal):
            raise self.refused(place.code, node.start, node.end, **self._words_of(place, node))
        if self.state.state == "data" and place.context == "text":
            return "markup"
        kind = _MESSAGE_KINDS.get(place.context) if place.kind == "value" else None
        if kind is None or self._in_url():
            raise self.refused("say-place", node.start, node.end, place=place.context)
        return kind

    def misplaced(self, name: str) -> str:
        """Return why an element may not move here: a link closes one around it, most elements end a drawing.

        In a list of options, some browsers drop elements, and one ends the list.
        """
        if self.state.xml:
            return ""
        if "select" in self.state.stack:
            return f"A <{name}> inside of <select>"
        if self.state.is_in_foreign() and name not in SVG_TEXT:
            return f"A <{name}> inside of <svg> or <math>"
        return "A link inside of a link" if name == "a" and "a" in self.state.formatting.here.entries else ""

    def _letters(self, node: tree.Letters) -> None:
        """Take text of a translation as a value that is known now."""
        place = self._place()
        if isinstance(place, Refusal):
            raise self.refused(place.code, node.start, node.end, **place.words)
        if place.kind != "value":
            raise self.refused("say-place", node.start, node.end, place=place.context)
        self.held.append(place.before)
        self.held.append(escaped_letters(node.text, place.escapers))
        self.flush()
        self.state.took_value()

    def _words_of(self, refusal: Refusal, node: tree.Node) -> dict[str, str]:
        """Return the words of a refusal; far inside an element without markup, with the place where that begins."""
        element = self.state.last_start
        if not self.state.state.startswith(_RAW) or self.raw_opened is None or element in _NOT_FORGOTTEN:
            return refusal.words
        source, offset = self.raw_opened
        line = f"line {source.position(offset)[0]}" + (f" of {source.name}" if source is not self.source else "")
        if line == f"line {self.source.position(node.start)[0]}":
            return refusal.words
        closing = f"<{element}> begins in {line}; if it should end before the value, close it: </{element}>."
        return {**refusal.words, "remedy": f"{refusal.words['remedy']} {closing}"}

    def _excepted(self, place: Place | Refusal, node: tree.Print) -> Place | Refusal:
        """Accept trusted HTML where text cannot be, and no elements where they would close the element around them."""
        if isinstance(place, Refusal):
            if place.html and self.names.trusted(node.expression):
                return Place("value", "text", ("text",), ("text",))
            return place
        foreign = not self.state.xml and self.state.state == "data" and self.state.is_in_foreign()
        last = node.expression.name if isinstance(node.expression, tree.Filter) else ""
        if foreign and last in MAKE_HTML:
            words = {
                "place": f"inside <svg> or <math> with the elements of the filter {last}",
                "reason": "a browser ends the drawing at some of them",
                "remedy": "Print text there, or put the elements into a <foreignObject>.",
            }
            return Refusal("place-refused", words)
        return place

    def _take_name(self, node: tree.Print) -> str:
        """Take the name and equals sign of a whole attribute back from the text before it."""
        text = "".join(self.held)
        match = re.search(r"[\t\n\f\r ]*([^\t\n\f\r />=\"']+)[\t\n\f\r ]*=[\t\n\f\r ]*\Z", text)
        if match is None:
            words = {
                "place": "between the name of an attribute and its value",
                "remedy": "Put it around the whole tag.",
            }
            raise self.refused("step-inside", node.start, node.end, **words)
        self.held = [text[: match.start()]]
        if self.held[0].endswith("/"):
            # Without the attribute, what follows could make of this solidus the end of a self-closing tag.
            words = {
                "place": "right after the / in this tag",
                "reason": "without the attribute the / could close the tag",
            }
            raise self.refused("place-refused", node.start, node.end, remedy="Put white space before it.", **words)
        return match[1]

    def _url(self, nodes: list[tree.Node], index: int, place: Place) -> int:
        """Hand the rest of a URL attribute's value to its own walker; return the index after it."""
        prefix = self.state.value
        text = "".join(self.held)
        if not text.endswith(prefix):
            raise AssertionError("the value of a URL attribute began in another block")
        self.held = [text[: len(text) - len(prefix)]]
        walker = UrlWalker(self.analysis, self.frame, self.state, place)
        index, run, offset = walker.value(prefix, nodes, index)
        self.flush()
        self.operations += walker.result()
        if run:
            self._text(run, offset)
        return index
