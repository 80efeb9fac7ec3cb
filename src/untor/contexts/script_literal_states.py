"""The literals and comments of JavaScript, a function for each state (ECMAScript §12.4, §12.9.4 to .6)."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.contexts.embedded_language import EmbeddedLanguage, unfinished_escape
from untor.contexts.placement import Unreadable, unreadable
from untor.contexts.script_endings import before_operand, look_at_held, lose
from untor.contexts.script_flow import in_part
from untor.contexts.script_literals import decoded
from untor.contexts.script_tokens import ESCAPE_IN_REGEXP, ESCAPE_IN_STRING, LINE_TERMINATORS, TO_LINE_END
from untor.contexts.url_lists import LocalUrl

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.client_libraries import Tables
    from untor.contexts.script_states import Script

_STRINGS = {
    '"': re.compile(r'(?:[^"\\\n\r]|\\(?:\r\n|[\s\S]))+'),
    "'": re.compile(r"(?:[^'\\\n\r]|\\(?:\r\n|[\s\S]))+"),
}
_TEMPLATE = re.compile(r"(?:[^`\\$]|\\[\s\S]|\$(?!\{))+")
_REGEXP = re.compile(rf"(?:[^/\\\[{LINE_TERMINATORS}]|\\[^{LINE_TERMINATORS}])+")
_REGEXP_CLASS = re.compile(rf"(?:[^\]\\{LINE_TERMINATORS}]|\\[^{LINE_TERMINATORS}])+")
_LONGEST_NAME = 100

LITERALS = frozenset({'"', "'", "template"})
"""The states inside literals that are text."""


def _string(quote: str) -> Callable[[Script, str, int], int]:
    def state(script: Script, text: str, position: int) -> int:
        """Go over a string literal (§12.9.4)."""
        start, match = position, _STRINGS[quote].match(text, position)
        position = match.end() if match else position
        if position + (text[position : position + 1] == "\\") >= len(text):
            script.tail = unfinished_escape(ESCAPE_IN_STRING, text, start)
            _literal_text(script, text[start : len(text) - len(script.tail)])
            return len(text)
        _literal_text(script, text[start:position])
        if text[position] != quote:
            lose(script, "a string is not closed before the end of its line")
            return position + 1
        script.state = "code"
        _literal_ended(script, quote)
        return position + 1

    return state


_AFTER_LITERAL = {"key": "name", "name": "name", "import": "ambiguous"}


def literal_begins(script: Script, quote: str) -> None:
    """Begin a string or a template literal: what it is depends on what it is given to."""
    if quote == "`" and script.before in {"operand", "dot", "name"}:
        look_at_held(script, quote)
    before_operand(script)
    tagged = quote == "`" and script.before in {"operand", "dot", "name"}
    if quote == "`":
        script.stack += ("`tag" if tagged else "`",)
    before, flow = script.before, script.flow
    if tagged:
        flow = flow.tagged()
    elif before == "import":
        flow = flow.imported()
    elif before not in {"key", "name"}:
        flow = flow.literal_begins(before)
    if before == "import":
        flow = flow.literal_begins("")
    script.role = "key" if before in {"key", "name"} else ""
    if quote != "`" and script.prologue and before == "statement":
        script.role = "directive"
    script.flow, script.text, script.filled = flow, "", False
    alone = flow.sink is not None and flow.level.at == "literal" and not script.role
    script.inner = read_as(flow.sink.kind, script.tables) if alone and flow.sink is not None else None
    script.prologue = script.prologue and quote != "`"


def _literal_text(script: Script, raw: str) -> None:
    """Go over fixed text in a literal."""
    if not raw:
        return
    text = decoded(raw)
    if script.text is not None:
        script.text = (script.text + text)[:_LONGEST_NAME]
    if script.inner is not None:
        try:
            script.inner = script.inner.read(text)
        except Unreadable as found:
            found.offset = 0
            raise


def read_as(kind: str, tables: Tables) -> EmbeddedLanguage | None:
    """Return the language that the text of a literal is in, by what its sink reads."""
    if kind == "html":
        from untor.contexts.html_srcdoc import fragment  # noqa: PLC0415  documents have scripts in them, and scripts documents

        return fragment(tables)
    return LocalUrl("url" if kind == "url" else "resource-url") if kind in {"url", "resource-url", "module"} else None


def joins_literals(first: Script, second: Script) -> bool:
    """Join two states inside literals of one kind; return whether what follows is read in the same way."""
    if first.inner is not None and second.inner is not None and first.inner != second.inner:
        inner = first.inner.joined(second.inner)
        if inner is None:
            return False
        first.inner = second.inner = inner
    first.text = second.text = first.text if first.text == second.text else None
    first.filled = second.filled = first.filled or second.filled
    return first == second


def _literal_ended(script: Script, last: str) -> None:
    # After the name of a module a statement may end without a semicolon, and a solidus begin a regular expression.
    imported = script.before == "import"
    if script.role == "key":
        script.flow = script.flow._replace(chains=frozenset({(script.text or "",)}), literal=script.text)
    else:
        inner = script.inner
        is_open = not (isinstance(inner, EmbeddedLanguage) and inner.is_closed())
        script.flow = script.flow.literal_ends(script.text, valued=script.filled, is_open=is_open)
    if imported:
        script.flow = script.flow.semicolon()
    script.before = _AFTER_LITERAL.get(script.before, "operand")
    script.valued = script.newline = script.line_start = False
    script.last = last
    script.text, script.inner, script.role, script.filled = None, None, "", False


def _template(script: Script, text: str, position: int) -> int:
    """Go over a template literal (§12.9.6)."""
    start, match = position, _TEMPLATE.match(text, position)
    position = match.end() if match else position
    if position + (text[position : position + 1] == "\\") >= len(text):
        script.tail = unfinished_escape(ESCAPE_IN_STRING, text, start)
        if not script.tail and text.endswith("$"):
            script.tail = "$" if not unfinished_escape(re.compile(r"\\\Z"), text[:-1]) else ""
        _literal_text(script, text[start : len(text) - len(script.tail)])
        return len(text)
    _literal_text(script, text[start:position])
    script.state = "code"
    if text[position] == "`":
        script.stack = script.stack[:-1]
        _literal_ended(script, "`")
        return position + 1
    if script.filled and script.flow.sink is not None:
        raise in_part(script.flow.sink, "before this expression")
    script.stack += ("${",)
    script.flow = script.flow.opened("${", script.before)
    script.before, script.last = "operator", ""
    return position + 2


def _regexp(script: Script, text: str, position: int) -> int:
    """Go over a regular expression (§12.9.5)."""
    start, match = position, _REGEXP.match(text, position)
    position = match.end() if match else position
    if position + (text[position : position + 1] == "\\") >= len(text):
        script.tail = unfinished_escape(ESCAPE_IN_REGEXP, text, start)
        return len(text)
    if text[position] == "[":
        script.state, script.valued, script.last = "regexp class", False, "["
    elif text[position] == "/":
        script.state = "code"
        script.before, script.last, script.valued, script.newline = "operand", "a", False, False
    else:
        lose(script, "a regular expression is not closed before the end of its line")
    return position + 1


def _regexp_class(script: Script, text: str, position: int) -> int:
    """Go over a class of a regular expression; a range may neither begin nor end with a value."""
    if script.valued and text[position] == "-" and text[position + 1 : position + 2] != "]":
        raise unreadable(
            "right before this -",
            "it would be the start of a range, which could be an error",
            "Write - at the end of the class, or write the range out.",
        )
    start, match = position, _REGEXP_CLASS.match(text, position)
    if match:
        script.valued, script.last = False, match[0][-1] if match[0][-2:-1] != "\\" else "a"
        position = match.end()
    if position + (text[position : position + 1] == "\\") >= len(text):
        script.tail = unfinished_escape(ESCAPE_IN_REGEXP, text, start)
        return len(text)
    if text[position] == "]":
        script.state = "regexp"
    else:
        lose(script, "a regular expression is not closed before the end of its line")
    return position + 1


def _line_comment(script: Script, text: str, position: int) -> int:
    """Go over a comment up to the end of its line (§12.4)."""
    match = TO_LINE_END.match(text, position)
    if match:
        return match.end()
    script.state = "code"
    return position


def _block_comment(script: Script, text: str, position: int) -> int:
    """Go over a comment between ``/*`` and ``*/`` (§12.4); one with a line break in it counts as one."""
    end = text.find("*/", position)
    comment = text[position : end if end >= 0 else len(text)]
    if any(char in comment for char in LINE_TERMINATORS):
        script.newline = script.line_start = True
    script.last = ""
    if end < 0:
        script.tail = "*" if text.endswith("*") else ""
        return len(text)
    script.state = "code"
    return end + 2


def _after_loss(script: Script, text: str, position: int) -> int:  # noqa: ARG001  one shape for all
    """Lost: skip the rest."""
    return len(text)


LITERAL_STATES: dict[str, Callable[[Script, str, int], int]] = {
    '"': _string('"'),
    "'": _string("'"),
    "template": _template,
    "regexp": _regexp,
    "regexp class": _regexp_class,
    "line comment": _line_comment,
    "block comment": _block_comment,
    "lost": _after_loss,
}
"""What each state does."""
