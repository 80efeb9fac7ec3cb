"""Walks the value of a URL attribute through the states of the URL parser, and decides how to make the whole safe."""

from __future__ import annotations

import re

from untor.analysis.fixed_text import settled, text_run
from untor.analysis.ir import (
    CallFunction,
    Choice,
    FixedText,
    Function,
    Loop,
    Operation,
    PrintValue,
    Scope,
    SlotCall,
    UrlFixed,
    UrlJoin,
    UrlValue,
)
from untor.analysis.walker import BlockWalker
from untor.contexts.html_references import attribute_text
from untor.contexts.url_states import UrlState
from untor.escape.dot_segments import could_become_dots
from untor.escape.url import COMPONENT, DATA, HOST, OPAQUE, PATH, QUERY, URL
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.composition import Frame, PageAnalysis
    from untor.contexts.html_state import HtmlState
    from untor.contexts.placement import Place

_CONTEXTS: dict[str, tuple[str, str, int]] = {
    "scheme start": ("url", "URL", URL),
    "unknown": ("url", "URL", URL),
    "scheme": ("url-path", "URL path", COMPONENT),
    "relative slash": ("url-path", "URL path", COMPONENT),
    "path": ("url-path", "URL path", COMPONENT),
    "query": ("url-query", "URL query", COMPONENT),
    "fragment": ("url-fragment", "URL fragment", COMPONENT),
    "path or authority": ("url-path", "URL path", OPAQUE),
    "opaque path": ("url-path", "URL path", OPAQUE),
    "authority": ("url-host", "URL host", HOST),
    "special authority ignore slashes": ("url-host", "URL host", HOST),
    "picture data": ("url-data", "picture data", DATA),
}
_ESCAPERS = {
    COMPONENT: "percent",
    OPAQUE: "percent-opaque",
    PATH: "percent-path",
    HOST: "host",
    QUERY: "percent-query",
    DATA: "percent-data",
}
_SAYING = {"url-path": ("path", PATH), "url-query": ("query", QUERY)}
"""Filters that say that a value is more than one component, and what it is then."""
_DECIDED = frozenset({"query", "fragment", "path or authority", "opaque path", "picture data"})
_SEPARATOR = re.compile(r"[/\\?#]")


class UrlWalker(BlockWalker[UrlState]):
    """Walks from the first mark in a URL attribute's value to the quote that ends it."""

    private = True

    def __init__(self, analysis: PageAnalysis, frame: Frame, machine: HtmlState, place: Place) -> None:
        super().__init__(analysis, frame, UrlState())
        self.machine = machine
        self.place = place
        self.escaper = place.escapers[0]
        self.first_state = ""
        self.first_mark = 0, 0
        self.in_step = False
        self._begins_own = False
        self.ended: tuple[list[tree.Text], int] | None = None

    def fork(self, state: UrlState) -> UrlState:
        """Return the state itself: it never changes."""
        return state

    def join(self, first: UrlState, second: UrlState) -> UrlState | None:
        """Join two states; a value after a join of different places is refused when it comes."""
        return first.joined(second) or UrlState("mixed")

    def same(self, first: UrlState, second: UrlState) -> bool:
        """Compare two states."""
        return first == second

    def key(self, state: UrlState) -> object:
        """Return the state."""
        return state

    def value(self, prefix: str, nodes: list[tree.Node], index: int) -> tuple[int, list[tree.Text], int]:
        """Walk to the end of the value; return the index after it, the texts that end it and the offset in them."""
        self._fixed(prefix)
        self.first_state = self.state.state
        self.first_mark = nodes[index].start, nodes[index].end
        while index < len(nodes) and self.ended is None:
            index = self._node(nodes, index)
        if self.ended is None:
            last = nodes[-1]
            raise self.refused("url-split", last.start, last.end, name=self.machine.attribute)
        return index, *self.ended

    def walk(self, nodes: list[tree.Node]) -> None:
        """Walk the content of a step; the value cannot end in it."""
        outer, self.in_step = self.in_step, True
        index = 0
        while index < len(nodes):
            index = self._node(nodes, index)
        self.in_step = outer

    def _say(self, node: tree.Say) -> None:
        """Refuse a message: a URL is not text for people."""
        raise self.refused("say-place", node.start, node.end, place=self.place.context)

    def end_function(self, function: Function) -> None:
        """Keep it together with the whole URL."""
        function.plain = True

    def _node(self, nodes: list[tree.Node], index: int) -> int:
        node = nodes[index]
        if isinstance(node, tree.Text):
            return self._text(nodes, index)
        if self.state.percent:
            raise self.refused("place-percent", node.start, node.end, text=self.state.percent)
        if isinstance(node, tree.Print):
            self._print(node)
        else:
            self.step(node)
        return index + 1

    def _text(self, nodes: list[tree.Node], index: int) -> int:
        run = text_run(nodes, index)
        index += len(run)
        text = "".join(node.text for node in run)
        end = self.machine.read(text, until_value_ends=True)
        if end < len(text):
            if self.in_step:
                raise self.refused("url-split", run[0].start, run[-1].end, name=self.machine.attribute)
            self.ended = run, end
            self._fixed(text[:end])
            return index
        text = settled(self.source, run, text, self.machine)
        self._fixed(text)
        return index

    def _fixed(self, raw: str) -> None:
        if raw:
            plain = attribute_text(raw)
            self.state = self.state.read(plain, self.analysis.permitted.schemes)
            self.operations.append(UrlFixed(raw, plain))

    def _print(self, node: tree.Print) -> None:
        state = self.state.state
        is_picture = self.escaper.endswith("image-url")
        if state not in _CONTEXTS or (state == "picture data" and not is_picture):
            raise self._refusal(node)
        self.names.use(node.expression)
        context, words, kind = _CONTEXTS[state]
        context = self.place.context if kind == URL else context
        expression = node.expression
        word, wording = _SAYING.get(context, ("", kind))
        if kind == COMPONENT and word and self.names.is_built_in(expression, word):
            assert isinstance(expression, tree.Filter)  # noqa: S101  is_built_in has looked
            kind, expression = wording, expression.value
        is_own = self.names.is_own_url(expression)
        self._begins_own = self._begins_own or (is_own and not self.in_step and not self.operations)
        escaper = self.escaper.replace("resource-url", "url") if is_own else self.escaper
        escapers = (escaper,) if kind == URL else (_ESCAPERS[kind],)
        placement = self.placement(node, context, (*self.place.path, words), escapers)
        self.operations.append(UrlValue(kind, expression, placement))
        self.state = self.state.took_value()
        self.machine.took_value()

    def _refusal(self, node: tree.Print) -> Exception:
        state = self.state
        attribute = f'in the attribute "{self.machine.attribute}" of <{self.machine.tag}>'
        scheme = state.scheme.partition(":")[0]
        if scheme == "data" and self.escaper.endswith("image-url"):
            words = {
                "place": f'here in the "data:" URL {attribute}',
                "reason": "the type of the data must be fixed, and not SVG, which is a document of its own",
                "remedy": "Write the type out: data:image/png;base64,{= … =}.",
            }
            return self.refused("place-refused", node.start, node.end, **words)
        if state.state in {"blocked scheme", "data", "picture data"}:
            words = {
                "place": f'after "{scheme}:" {attribute}',
                "reason": "URLs of that scheme are not among those that may be followed",
                "remedy": "Link to a page, or use a button with a data attribute that a script reads.",
            }
            return self.refused("place-refused", node.start, node.end, **words)
        if state.state == "mixed":
            words = {
                "place": f"here {attribute}",
                "reason": "the step before it may end in different parts of the URL",
                "remedy": "Write the whole URL in each branch.",
            }
            return self.refused("place-refused", node.start, node.end, **words)
        words = {
            "place": f"here in the URL {attribute}",
            "reason": "without two slashes before it, it is a host on some pages and a path on others",
            "remedy": "Write both slashes, https://, or pass the whole URL.",
        }
        return self.refused("place-refused", node.start, node.end, **words)

    # --- how the whole is made safe --------------------------------------------------------------------------------

    def result(self) -> list[Operation]:
        """Return the operations that print the value.

        Each value is printed in place where it is safe alone: after a start that decides on the scheme and the host,
        and in a path whose segments no value turns into dots. Everything else is looked at as a whole when rendering.
        """
        pieces = self.operations
        if self.first_state in _DECIDED:
            return in_place(pieces)
        values = [piece for piece in pieces if isinstance(piece, UrlValue)]
        start, end = (values[0].expression.start, values[0].expression.end) if values else self.first_mark
        as_a_whole: list[Operation] = [UrlJoin(f"{self._whole_escaper()}-pieces", pieces, start, end)]
        if not all(isinstance(piece, UrlValue | UrlFixed) for piece in pieces):
            return as_a_whole
        if len(pieces) == len(values) == 1:
            return [PrintValue(values[0].expression, values[0].placement.escapers, values[0].placement)]
        if any(piece.kind in {PATH, HOST} for piece in values):
            return as_a_whole
        if not _risky_segments(pieces):
            return in_place(pieces) if self.first_state == "path" else as_a_whole
        if len(values) > 1 or not self._one_segment(pieces):
            return as_a_whole
        at = pieces.index(values[0])
        before = "".join(piece.raw for piece in pieces[:at] if isinstance(piece, UrlFixed))
        after = "".join(piece.raw for piece in pieces[at:] if isinstance(piece, UrlFixed))
        return [PrintValue(values[0].expression, ("segment-url",), values[0].placement, (before,), (after,))]

    def _whole_escaper(self) -> str:
        """Return the escaper of the whole: a page of the site's own with a query or a fragment is still its own.

        What follows must begin with these: ``/`` after the address ``/`` would begin a host, and letters after one
        without a path would continue it.
        """
        first, after = (*self.operations, None, None)[:2]
        begins_own = self._begins_own and isinstance(first, UrlValue)
        is_own = begins_own and isinstance(after, UrlFixed) and after.plain[:1] in {"?", "#"}
        return self.escaper.replace("resource-url", "url") if is_own else self.escaper

    def _one_segment(self, pieces: list[Operation]) -> bool:
        """Return whether the one value is a whole path segment after which no host can begin."""
        at = next(index for index, piece in enumerate(pieces) if isinstance(piece, UrlValue))
        before = "".join(piece.plain for piece in pieces[:at] if isinstance(piece, UrlFixed))
        after = "".join(piece.plain for piece in pieces[at:] if isinstance(piece, UrlFixed))
        ends = before.endswith("/") and (not after or after[0] in "/?#")
        return ends and (self.first_state == "path" or (self.first_state == "relative slash" and after[:1] != "/"))


def in_place(pieces: list[Operation]) -> list[Operation]:
    """Turn the pieces of a URL into operations that print each alone."""
    return [_in_place(piece) for piece in pieces]


def _in_place(piece: Operation) -> Operation:
    match piece:
        case UrlFixed():
            return FixedText(piece.raw)
        case UrlValue():
            return PrintValue(piece.expression, (_ESCAPERS[piece.kind],), piece.placement)
        case Choice():
            return Choice([(branch, in_place(body)) for branch, body in piece.branches])
        case Loop():
            return Loop(piece.node, piece.uses, in_place(piece.body), in_place(piece.empty))
        case Scope():
            return Scope(in_place(piece.body))
        case CallFunction():
            # The functions that a URL is made of are its own: changing them changes nothing else.
            _functions_in_place([piece.function, *piece.closures])
        case SlotCall():
            _functions_in_place([piece.content, *piece.closures])
    return piece


def _functions_in_place(functions: list[Function]) -> None:
    for function in functions:
        if function.plain:
            function.plain = False
            function.body = in_place(function.body)


def _risky_segments(pieces: list[Operation]) -> int:
    """Count the path segments with a value in them whose fixed text could be a part of ``.`` or ``..``."""
    risky, fixed, valued = 0, "", False
    for piece in pieces:
        if isinstance(piece, UrlValue):
            valued = valued or piece.placement.context == "url-path"
        elif isinstance(piece, UrlFixed):
            plain = re.sub("[\t\n\r]", "", piece.plain)
            first, *others = _SEPARATOR.split(plain)
            fixed += first
            for other in others:
                risky += valued and could_become_dots(fixed)
                fixed, valued = other, False
    return risky + (valued and could_become_dots(fixed))
