"""The state of HTML's tokenizer and tree builder, as far as it decides on contexts (HTML §13.2.5, §13.2.6).

The machine is fed the fixed text of a template. It can be copied where a template branches, compared and joined
where branches meet, and started in any state.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, NamedTuple

from untor.contexts import html_shortcuts
from untor.contexts.client_libraries import DEFAULT
from untor.contexts.html_active_formatting import Inline
from untor.contexts.html_attributes import DECIDING
from untor.contexts.html_data_block import DataBlock
from untor.contexts.html_elements import BREAKOUT, INTEGRATION_POINTS, TABLE_PARTS
from untor.contexts.html_references import unfinished
from untor.contexts.json_states import Json
from untor.contexts.placement import Unreadable
from untor.contexts.stacks import NO_NAMES, Stack
from untor.contexts.ways import NO_CONDITIONS, Way, ways_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from untor.contexts.client_libraries import Tables
    from untor.contexts.embedded_language import EmbeddedLanguage
    from untor.contexts.html_attributes import Fixed
    from untor.contexts.placement import Refusal

    Scope = tuple[tuple[str, str | None], ...]
    """The namespaces that an element of XML declares, by prefix."""

INITIAL = frozenset({"initial"})
_BODY = frozenset({"in body"})
_NOTHING_OPEN = Stack(TABLE_PARTS | {"table", "template", "select", "noscript", "svg:svg", "math:math"}, "")
_NO_SCOPES: Stack[Scope] = Stack()
_NO_FORMATTING = Inline()

TAG_STATES = frozenset(
    {
        "tag name",
        "before attribute name",
        "attribute name",
        "after attribute name",
        "after attribute value (quoted)",
        "attribute value (unquoted)",
        "between attributes",
        "between attributes (unquoted)",
        "self-closing start tag",
    },
)
"""States between the name of a tag and its end, outside quoted values."""

VALUE_STATES = frozenset({"attribute value (double-quoted)", "attribute value (single-quoted)"})

_RUN_JSON = frozenset({"importmap", "speculationrules"})
_RAW_ENDS = frozenset({"RAWTEXT end tag name", "script data end tag name", "script data escaped end tag name"})
_RAW = frozenset({"RCDATA", "RAWTEXT", "script data"})
_REFERENCE_STATES = VALUE_STATES | {"data", "RCDATA"}
_OF_TAGS = frozenset({"head-after-text", "cell-differs"})
"""Problems of a whole tag, which are shown at its beginning."""

NOSCRIPT_END = re.compile(r"<(?:/(?:n(?:o(?:s(?:c(?:r(?:i(?:pt?)?)?)?)?)?)?)?)?\Z", re.IGNORECASE | re.ASCII)
"""The start of what could become an end tag of ``noscript``."""

ANYTHING = "*"
"""Stands among the attributes ahead for any that may come."""


def _declared(attributes: Iterable[tuple[str, str | None]]) -> Iterator[tuple[str, str | None]]:
    for name, value in attributes:
        if name.partition(":")[0] == "xmlns":
            yield name.partition(":")[2], value


def _of_end_tags(raw: str) -> str:
    """Return what of the text of a ``noscript`` can matter later on: its end tags, and the start of one."""
    end = NOSCRIPT_END.search(raw)
    before, tail = (raw[: end.start()], end[0]) if end else (raw, "")
    return "</noscript" * before.lower().count("</noscript") + tail


class Opened(NamedTuple):
    """A start tag of an element that a Content-Security-Policy requires a nonce of (CSP Level 3 §6.7.3.1).

    ``offset`` is where an attribute could be added. ``content`` is ``script`` or ``style`` for an element whose own
    text runs, ``foreign`` for one in SVG or XML, and empty for any other.
    """

    offset: int
    tag: str
    content: str
    has_nonce: bool


class Ended(NamedTuple):
    """The end of the text of a script or style element."""

    offset: int


class HtmlState:
    """Where in a page the tokenizer and the tree builder are. States are copied, joined and compared.

    - ``state``: the standard's name of the tokenizer state; ``insertion_modes``: those that the tree builder may be in.
    - ``stack``: the open elements that decide where text may be and how it is tokenized; ``formatting``, ``in_p``: the
      active formatting elements, see ``html_active_formatting``.
    - ``conditions``: those that this holds on; ``other_ways``: what is open otherwise; ``assumed``: the conditions that
      hold in the branch, see ``ways``.
    - ``printed``: whether a value may have been printed in text before.
    - ``ambiguity``: why the rest of the page cannot be judged; empty if it can.
    - ``inner``: the state of the language in the attribute or element that is being read.
    - ``static_attributes``, ``later_attributes``: the attributes that decide on others, before this point and after it.
    - ``dynamic_attributes``, ``omittable_attributes``: those with a value in them; those that a value may leave out.
    - ``after_pre``: whether a line feed would be dropped here; ``csp_elements``: the scripts and styles that began or
      ended in the text that was read last; ``scopes``: the namespaces that open elements of XML declare, by prefix.
    - ``inside``: whether this is a document in an attribute; ``markup_only`` leaves other languages out.
    """

    def __init__(
        self, state: str = "data", *, xml: bool = False, rough: bool = False, tables: Tables = DEFAULT
    ) -> None:
        self.state = state
        self.xml = xml
        self.tables = tables
        self.markup_only = rough
        self.inside = False
        self.inner: EmbeddedLanguage | None = None
        self.no_language: Refusal | None = None
        self.static_attributes: tuple[tuple[str, str | None], ...] = ()
        self.later_attributes: tuple[tuple[str, str | None], ...] = ()
        self.tag = ""
        self.closing = False
        self.self_closing = False
        self.attribute = ""
        self.attributes = NO_NAMES
        self.value = ""
        self.dynamic_attributes = NO_NAMES
        self.omittable_attributes = NO_NAMES
        self.buffer = ""
        self.last_start = ""
        self.stack = _NOTHING_OPEN
        self.scopes = _NO_SCOPES
        self.insertion_modes = INITIAL
        self.formatting = _NO_FORMATTING
        self.conditions = self.assumed = NO_CONDITIONS
        self.other_ways: tuple[Way, ...] = ()
        self.in_p = False
        self.after_pre = False
        self.after_value = False
        self.noscript = ""
        self.printed = False
        self.ambiguity = ""
        self.opened = ""
        self.repeated = ""
        self.csp_elements: list[Opened | Ended] = []

    def copy(self) -> HtmlState:
        """Return a machine in the same state that can go another way."""
        other = HtmlState.__new__(HtmlState)
        other.__dict__ = self.__dict__.copy()
        return other

    def nested(self) -> HtmlState:
        """Return a machine for a document in an attribute of this one."""
        other = HtmlState(tables=self.tables)
        other.inside = True
        return other

    def fixed_attributes(self) -> Fixed:
        """Return the attributes of the tag that decide what others mean; the first of a name counts."""
        attributes: Fixed = {}
        for name, value in (*self.static_attributes, *self.later_attributes):
            if name != self.attribute:
                attributes.setdefault(name, value)
        return attributes

    def namespaces(self) -> dict[str, str]:
        """Return the namespaces that are in scope in XML, by prefix; without those that may be one or another."""
        prefixes: dict[str, str | None] = {}
        for scope in reversed([*self.scopes]):
            prefixes.update(scope)
        return {prefix: uri for prefix, uri in prefixes.items() if uri is not None}

    def namespaces_here(self) -> dict[str, str]:
        """Return the namespaces in scope in the tag that is being read, which may declare some itself."""
        if (ANYTHING, None) in self.later_attributes:
            return {}
        prefixes: dict[str, str | None] = {
            **self.namespaces(),
            **dict(_declared((*self.static_attributes, *self.later_attributes))),
        }
        return {prefix: uri for prefix, uri in prefixes.items() if uri is not None}

    def opens_scope(self) -> None:
        """Keep the namespaces that the tag declares for what is in its element."""
        self.scopes = self.scopes.push(tuple(_declared(self.static_attributes)))

    def is_in_foreign(self) -> bool:
        """Return whether what comes here is content of SVG or MathML, which some HTML elements would end."""
        top = self.stack.top
        return top.startswith(("svg:", "math:")) and top not in INTEGRATION_POINTS

    def is_foreign_tag(self) -> bool:
        """Return whether the tag that is being read is one of foreign content."""
        if self.tag in {"svg", "math"} or self.xml:
            return True
        top = self.stack.top
        return top.startswith(("svg:", "math:")) and top not in INTEGRATION_POINTS and self.tag not in BREAKOUT

    def read(self, text: str, start: int = 0, *, until_value_ends: bool = False) -> int:
        """Go over fixed text and return the offset reached.

        With ``until_value_ends`` it stops before the quote that ends the attribute value it is in.
        Raises ``place.Unreadable`` where browsers would not agree or a value before is put in doubt.
        """
        end, position = len(text), start
        if until_value_ends:
            quote = '"' if self.state == "attribute value (double-quoted)" else "'"
            found = text.find(quote, start)
            position = end if found < 0 else found
            self.value += text[start:position]
            return position
        states = html_shortcuts.READING
        self.csp_elements = []
        noscript_from, tag = start, -1
        content = start if self.inner is not None and self._in_content() else -1
        while position < end:
            state, stack = self.state, self.stack
            if state == "data":
                if not stack.depth:
                    position = html_shortcuts.plain_markup(self, text, position)
                    if position == end:
                        break
                tag = position
            begin = position
            try:
                position = states[state](self, text, begin)
            except Unreadable as found:
                of_tag = state == "data" or (tag >= 0 and found.code in _OF_TAGS)
                found.offset = text.find("<", tag) if of_tag else begin
                raise
            if self.opened:
                self._note_opened(position)
            if self.state is not state:
                if state in _RAW_ENDS and self.closing and self.tag in {"script", "style"}:
                    self.csp_elements.append(Ended(begin - len("</") - len(self.tag)))
                if content >= 0 or self.inner is not None:
                    content = self._content(text, content, position)
            elif position == begin:
                raise AssertionError(f"the state {self.state!r} does not advance")
            if self.stack is not stack:
                noscript_from = self._noscript(stack, text, noscript_from, position)
        if content >= 0:
            self._feed(text, content, end)
        if "noscript" in self.stack.members:
            self.noscript = _of_end_tags(self.noscript + text[noscript_from:end])
        return end

    def _note_opened(self, position: int) -> None:
        """Note that a tag whose element may need a nonce has ended right before ``position``."""
        self.opened, tag = "", self.opened
        foreign = self.xml or self.stack.top.startswith(("svg:", "math:"))
        inline = tag != "link" and (tag == "style" or "src" not in self.attributes)
        kind = self.fixed_attributes().get("type")
        data = isinstance(self.inner, DataBlock) or (isinstance(self.inner, Json) and kind not in _RUN_JSON)
        if inline and data:
            return
        content = "foreign" if inline and foreign else tag if inline else ""
        offset = position - 2 if self.self_closing else position - 1
        self.csp_elements.append(Opened(offset, tag, content, "nonce" in self.attributes))

    def _in_content(self) -> bool:
        return self.inner is not None and self.state.startswith(("script data", "RAWTEXT"))

    def _content(self, text: str, start: int, position: int) -> int:
        """Feed the text of a script or style element to its language once it has ended; return where it began."""
        inside = self._in_content()
        if inside:
            return position if start < 0 else start
        if start >= 0 and not self.state.startswith(("script data", "RAWTEXT")):
            end = text.rfind("<", start, position)
            if end >= 0:
                self._feed(text, start, end)
            self.inner = None
        return -1

    def _feed(self, text: str, start: int, end: int) -> None:
        assert self.inner is not None  # noqa: S101  as _in_content has found
        try:
            self.inner = self.inner.read(text[start:end])
        except Unreadable as found:
            found.offset = min(start + found.offset, end - 1)
            raise

    def _noscript(self, stack: Stack[str], text: str, start: int, position: int) -> int:
        """Hold the two readings of ``noscript`` together: with scripting it is raw text up to its end tag."""
        was, now = "noscript" in stack.members, "noscript" in self.stack.members
        if was and not now:
            raw = (self.noscript + text[start:position]).lower()
            self.noscript = ""
            if raw.count("</noscript") > 1:
                raise Unreadable("scripting-differs", offset=position)
        return position if now and not was else start

    def unfinished_reference(self) -> bool:
        """Return whether a character reference could be going on in this state."""
        return self.state in _REFERENCE_STATES

    def took_value(self) -> None:
        """Go over a value printed here. The place has been found good before."""
        self.after_pre = False
        self.printed = self.printed or self.state == "data"
        if self.inner is not None:
            self.inner = self.inner.took_value()
            if self.state.startswith("script data"):
                self.state = "script data"
            elif self.state.startswith("RAWTEXT"):
                self.state = "RAWTEXT"
        if self.state == "conditional comment":
            self.buffer = ""
        if self.state in VALUE_STATES or self.state == "before attribute value":
            self.dynamic_attributes = self.dynamic_attributes.with_name(self.attribute)
        if self.state == "before attribute value":
            self.state = "after attribute value (quoted)"
            self.after_value = True
            if self.attribute in self.attributes:
                self.repeated = self.attribute
            self.attributes = self.attributes.with_name(self.attribute)
            self.omittable_attributes = self.omittable_attributes.with_name(self.attribute)
        elif self.state == "data":
            self.insertion_modes = frozenset(
                "maybe body" if mode == "initial" else mode for mode in self.insertion_modes
            )

    def key(self) -> tuple[object, ...]:
        """Return what must be equal for the following markup to be read alike; ``ways`` compares the open elements."""
        common = (
            self.state,
            self.scopes,
            self.after_pre,
            self.after_value,
            self.ambiguity,
            self.noscript,
            self.inner,
        )
        if self.state in {"data", "PLAINTEXT", "bogus comment", "DOCTYPE"}:
            return common
        if self.state in TAG_STATES or self.state == "before attribute value" or self.state in VALUE_STATES:
            return (*common, self.tag, self.closing, self.attribute)
        # What was read of an end tag that was none is over once the text goes on.
        buffer = "" if self.state in _RAW else self.buffer
        return (*common, self.tag, self.closing, self.attribute, buffer, self.last_start)

    def full_key(self) -> tuple[object, ...]:
        """Return all that decides about values to come.

        That the body may have begun is left out: it is read as it is without that, whatever else may be the case.
        """
        modes = self.insertion_modes - _BODY
        if self.state == "data":
            # The next tag has attributes of its own.
            return (*self.key(), modes, frozenset(ways_of(self)), self.in_p, self.printed)
        sets: tuple[object, ...] = (
            modes,
            self.attributes,
            self.dynamic_attributes,
            self.omittable_attributes,
            self.static_attributes,
            self.later_attributes,
        )
        if self.attribute in DECIDING:
            sets = (*sets, self.value)
        return (*self.key(), sets, frozenset(ways_of(self)), self.in_p, self.printed)

    def loop_key(self) -> tuple[object, ...]:
        """Return what a loop's body must begin with each time, for the values in it.

        What was ``printed`` before counts for a ``frameset`` only, and a body with one ends in doubt: it is refused.
        """
        return self.full_key()[:-1]

    def unfinished(self, text: str) -> str:
        """Return the unfinished character reference at the end of the fixed text, if one could go on here."""
        return unfinished(text) if self.unfinished_reference() else ""
