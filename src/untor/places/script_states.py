"""JavaScript as far as it decides what a value printed in it would be (ECMAScript §12 and the grammar around it).

The lexer follows the goal symbols of §12: whether a solidus divides or begins a regular expression, whether a brace
opens a block or an object, where a template literal goes on. Classic scripts and modules differ in HTML-like comments
only (§B.1.1).
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.places.language import Language, run, unfinished_escape
from untor.places.place import Place, Refusal, Unreadable, refused, unreadable
from untor.places.script_brackets import (
    close_brace,
    close_bracket,
    close_paren,
    colon,
    comma,
    open_brace,
    open_bracket,
    open_paren,
    semicolon,
)
from untor.places.script_flow import Flow, in_part
from untor.places.script_literals import decoded
from untor.places.script_places import JUDGES
from untor.places.script_tokens import (
    AMBIGUOUS_WORDS,
    BINDING_WORDS,
    COMBINES,
    ESCAPE_IN_REGEXP,
    ESCAPE_IN_STRING,
    HEAD_WORDS,
    KEYWORDS,
    LINE_ENDS,
    LINE_TERMINATORS,
    NUMBER,
    OPERAND_EXPECTED,
    OPERATOR_WORDS,
    PUNCTUATOR,
    RESTRICTED_WORDS,
    SPACE,
    STATEMENT_WORDS,
    TO_LINE_END,
    WORD,
)
from untor.places.tables import DEFAULT
from untor.places.url_lists import LocalUrl

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.places.tables import Tables

_STRINGS = {
    '"': re.compile(r'(?:[^"\\\n\r]|\\(?:\r\n|[\s\S]))+'),
    "'": re.compile(r"(?:[^'\\\n\r]|\\(?:\r\n|[\s\S]))+"),
}
_TEMPLATE = re.compile(r"(?:[^`\\$]|\\[\s\S]|\$(?!\{))+")
_REGEXP = re.compile(rf"(?:[^/\\\[{LINE_TERMINATORS}]|\\[^{LINE_TERMINATORS}])+")
_REGEXP_CLASS = re.compile(rf"(?:[^\]\\{LINE_TERMINATORS}]|\\[^{LINE_TERMINATORS}])+")
_SAFE_AFTER_STEP = re.compile(r"[\s;,(){}\[\]\"'`]")
_NO_GAP_AFTER = frozenset(")]},;:?=!&|*%^~>+-/ \t\n\r\u2028\u2029")

_LITERALS = frozenset({'"', "'", "template"})
_LONGEST_NAME = 100
_LOST = "the script before it could not be followed"


class Script(Language):
    """The state of a script.

    ``state`` is ``code`` or the literal or comment it is in. ``before`` says what the last token makes of the next:
    ``statement``, ``operator``, ``arrow``, ``default``, ``bare``, ``return`` or ``throw`` (an operand is expected),
    ``operand`` (an operator is expected), ``update`` (after a prefix ``++``), ``key`` and ``name`` (the name of a
    property), ``dot``, ``head`` (after ``if`` and the like), ``catch``, ``binding``, ``import``, ``jump`` (after
    ``break`` and its like), ``async`` and ``async statement``, ``ambiguous``.

    ``stack`` are the open brackets (see ``script_brackets``), ``pending`` the function or class whose body is to come.
    ``tail`` is a token or an escape sequence that is not finished. ``flow`` tells what an expression is given to.
    ``prologue`` tells that a literal here may be a directive. Of a literal, ``text`` is what it means so far (``None``
    where that is not fixed), ``inner`` the language that a sink reads it as, ``role`` is ``directive`` or ``key`` where
    it may be one, and ``filled`` tells that a value is in it.
    """

    __slots__ = (
        "before",
        "filled",
        "flow",
        "inner",
        "last",
        "line_start",
        "module",
        "newline",
        "pending",
        "prologue",
        "reason",
        "role",
        "sealed",
        "stack",
        "start",
        "state",
        "tables",
        "tail",
        "text",
        "valued",
    )

    def __init__(
        self, *, module: bool = False, expression: bool = False, element: str = "", tables: Tables = DEFAULT
    ) -> None:
        self.state = "code"
        self.before = "operator" if expression else "statement"
        self.flow = Flow(element=f"<{element}>" if element else "")
        self.tables = tables
        self.prologue = not expression
        self.text: str | None = None
        self.inner: Language | None = None
        self.role = ""
        self.filled = False
        self.stack: tuple[str, ...] = ()
        self.pending = ""
        self.tail = ""
        self.module = module
        self.newline = False
        self.line_start = True
        self.start = True
        self.last = ""
        self.valued = False
        self.sealed = False
        self.reason = ""

    def _eat(self, text: str) -> None:
        if not text:
            return
        if self.sealed and not _SAFE_AFTER_STEP.match(text):
            raise unreadable(
                "in a step right before this",
                "what the step leaves and what follows could become one word or operator",
                "Put white space after the end of the step.",
            )
        self.sealed = False
        text, self.tail = self.tail + text, ""
        run(_STATES, self, text)  # type: ignore[arg-type]

    def settled(self) -> Script:
        """Return the state after the last token, when nothing is added to it."""
        if not self.tail or self.state != "code":
            return self
        other = self.copy()
        tail, other.tail = self.tail, ""
        try:
            _token(other, tail)
        except Unreadable as found:
            _lost(other, f"{found.words['place']} {found.words['reason']}")
        return other

    def joined(self, other: Language) -> Language | None:
        """Join two states; where the last tokens differ, none may be made longer by what follows."""
        if self == other:
            return self
        if not isinstance(other, Script) or self.state != other.state:
            return None
        first, second = self.settled().copy(), other.settled().copy()
        flow = first.flow.joined(second.flow)
        if flow is None:
            return None
        first.flow = second.flow = flow
        if self.state != "code":
            return first if _joins_literals(first, second) else None
        sealed = first.last != second.last or bool(self.tail or other.tail) or first.sealed or second.sealed
        valued, last = first.valued or second.valued, first.last if first.last == second.last else "."
        for state in (first, second):
            state.valued, state.last, state.sealed = valued, last, sealed
            state.newline = state.line_start = state.start = False
            state.prologue = first.prologue and second.prologue
            state.text = state.inner = None
        return first if first == second else None

    # --- values ----------------------------------------------------------------------------------------------------

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        state = self.settled().copy()
        judge = JUDGES.get(state.state)
        if judge is None:
            return refused("in a comment of a script", "it would not be seen", "Take it out of the comment.")
        if state.state == "code":
            _before_operand(state)
            judge = JUDGES[state.state]
        return judge(state)

    def took_value(self) -> Script:
        """Return the state after a value."""
        state = self.settled().copy()
        if state.state in {"code", "regexp class"}:
            state.valued, state.sealed, state.last = True, False, "a"
        if state.state == "code":
            _before_operand(state)
            state.flow = state.flow.value(state.before)
            state.before = "statement" if state.before == "statement" else "operand"
            state.newline = state.line_start = state.start = state.prologue = False
        elif state.state in _LITERALS:
            state.filled, state.text = True, None
            state.inner = state.inner and state.inner.took_value()
        return state

    def gap(self, text: str) -> str:
        """Return a space where the value before would be glued to the text after it."""
        if self.state in _LITERALS and self.inner is not None:
            return self.inner.gap(text)
        glued = self.state == "code" and self.valued and self.last == "a"
        return " " if glued and text and text[0] not in _NO_GAP_AFTER and not text.startswith("</") else ""


def _lost(script: Script, reason: str) -> None:
    script.state, script.reason = "lost", reason


# --- states --------------------------------------------------------------------------------------------------------


def _code(script: Script, text: str, position: int) -> int:
    """Go over one token of InputElementDiv, InputElementRegExp or InputElementTemplateTail."""
    if script.start:
        script.start = False
        if text.startswith("#!"):
            script.state = "line comment"
            return position + 2
    found = SPACE.match(text, position)
    if found:
        script.last = ""
        return found.end()
    found = LINE_ENDS.match(text, position)
    if found:
        script.newline = script.line_start = True
        script.last = ""
        return found.end()
    char = text[position]
    if char in "\"'":
        _literal_begins(script, char)
        script.state = char
        return position + 1
    if char == "`":
        _literal_begins(script, char)
        script.state = "template"
        return position + 1
    found = WORD.match(text, position) or NUMBER.match(text, position)
    if found:
        if found.end() == len(text):
            script.tail = found[0]
            return len(text)
        _token(script, found[0])
        return found.end()
    found = PUNCTUATOR.match(text, position)
    if found is None:
        _lost(script, _LOST)
        return position + 1
    lexeme, rest = found[0], text[position : position + 5]
    if (found.end() == len(text) and lexeme[-1] in COMBINES) or (not script.module and "<!-".startswith(rest)):
        script.tail = rest
        return len(text)
    if char == "/" and text[position + 1 : position + 2] in {"/", "*"}:
        script.state = "line comment" if text[position + 1] == "/" else "block comment"
        return position + 2
    if char == "/":
        _solidus(script)
        return position + 1
    if not script.module and (lexeme == "<!--" or (lexeme == "-->" and script.line_start)):
        script.state = "line comment"
        return found.end()
    lexeme = {"<!--": "<", "-->": "--"}.get(lexeme, lexeme)
    _token(script, lexeme)
    return position + len(lexeme)


def _solidus(script: Script) -> None:
    """Go over a solidus that begins no comment: division after an operand, a regular expression before one."""
    _before_operand(script)
    if script.state == "lost":
        return
    if script.before in OPERAND_EXPECTED:
        script.state = "regexp"
        script.flow = script.flow.unnamed(script.before)
    elif script.before == "operand":
        _look_at_held(script, "/")
        script.before = "operator"
        script.flow = script.flow.operator("/")
    else:
        _lost(script, "whether / divides or begins a regular expression depends on more than the words before it")
    script.valued = script.newline = script.line_start = script.prologue = False
    script.last = "/"


def _look_at_held(script: Script, lexeme: str) -> None:
    if script.flow.held:
        script.flow.check(lexeme, newline=script.newline)


def _before_operand(script: Script, lexeme: str = "") -> None:
    """Go to what comes after a word that a line break, or something else than expected, ends (§12.10.1)."""
    before = script.before
    if before in {"return", "jump"} and script.newline:
        script.before = "statement"
        script.flow = script.flow.semicolon()
    elif before == "throw" and script.newline:
        _lost(script, "a line break after throw is an error")
    elif before.startswith("async"):
        declared = before == "async statement" or script.newline
        script.before = "operand" if lexeme != "function" else "statement" if declared else "operator"


def _token(script: Script, lexeme: str) -> None:
    """Go over a word, a number or a punctuator other than a solidus."""
    _look_at_held(script, lexeme)
    _before_operand(script, lexeme)
    if script.state == "lost":
        return
    valued, newline, before = script.valued, script.newline, script.before
    script.valued = script.newline = script.line_start = False
    script.last = lexeme[-1]
    if (
        lexeme[0].isalnum()
        or lexeme[0] in "_$\\#"
        or lexeme[0] > "\x7f"
        or (lexeme[0] == "." and lexeme[1:2].isdigit())
    ):
        script.prologue = False
        _word(script, decoded(lexeme))
        return
    if lexeme[0] == "/":
        _solidus(script)
        return
    if valued and lexeme in {"=", "=>", "**"}:
        raise unreadable(
            "right before this operator",
            "for some values it would be a pattern or an error there",
            "Write the name of a variable there, or put brackets around the value.",
        )
    script.prologue = script.prologue and lexeme == ";"
    action = _ACTIONS.get(lexeme)
    if action is not None:
        action(script)
        _flow_over(script, lexeme, before)
        return
    if lexeme in {".", "?."}:
        script.before, script.flow = "dot", script.flow.dotted()
        return
    postfix = lexeme in {"++", "--"} and before == "operand" and not newline
    script.flow = script.flow.dotted() if postfix else script.flow.operator(lexeme)
    if lexeme in {"++", "--"}:
        script.before = "operand" if postfix else "update"
    elif lexeme == "=>":
        script.before = "arrow"
    elif lexeme == "*" and script.before in {"key", "name", "import"}:
        pass
    elif lexeme == "?":
        script.stack += ("?",)
        script.before = "bare"
    elif lexeme == "=":
        script.before = "bare"
    elif lexeme == "@":
        script.before = "key" if script.before == "key" else "operator"
    else:
        script.before = "operator"


def _flow_over(script: Script, lexeme: str, before: str) -> None:
    """Go over a bracket or separator in the flow, once the lexer knows what it is."""
    flow = script.flow
    if lexeme in "([{":
        entry = script.stack[-1] if script.stack else ""
        script.flow = flow.opened(entry, before)
        script.prologue = entry in {"{fe", "{fd", "{m", "{a"}
    elif lexeme in ")]}":
        script.flow = flow.closed()
        if script.state == "template":
            script.text = script.inner = None
        elif script.before == "statement" and lexeme == "}":
            script.flow = script.flow.semicolon()
    elif lexeme == ",":
        script.flow = flow.comma()
    elif lexeme == ";":
        script.flow = flow.semicolon()
    else:
        script.flow = flow.colon(of_property=bool(script.stack) and script.stack[-1] == "{o")


def _word(script: Script, word: str) -> None:
    before = script.before
    if before in {"key", "name"}:
        script.before = "name"
        script.flow = script.flow._replace(chains=frozenset({(word,)}), literal=None)
        return
    if word[0].isdigit() or word[0] == ".":
        script.before, script.flow = "operand", script.flow.unnamed(before)
        return
    if before != "dot" and word in KEYWORDS:
        script.flow = script.flow.keyword(word, before)
    else:
        script.flow = script.flow.word(word, before)
    if before == "dot":
        script.before = "operand"
    elif word == "async" and before in OPERAND_EXPECTED | {"import"}:
        script.before = "async statement" if before in {"statement", "default", "import"} else "async"
    elif word in {"function", "class"}:
        declared = before in {"statement", "default", "import"}
        script.pending = word[0] + ("d" if declared else "e")
        script.before = "operand"
    elif before == "jump":
        pass
    elif word in RESTRICTED_WORDS:
        script.before = RESTRICTED_WORDS[word]
    elif word in {"with", "assert"} and before == "ambiguous":
        script.before = "import"
    elif word == "with":
        script.before, script.flow = "head", script.flow.scoped()
    elif word in OPERATOR_WORDS or (word == "of" and before == "operand" and "(s" in script.stack):
        script.before = "operator"
    elif word in STATEMENT_WORDS:
        script.before = "statement"
    elif word in HEAD_WORDS or (word == "await" and before == "head"):
        script.before = "catch" if word == "catch" else "head"
    elif word in BINDING_WORDS:
        script.before = "binding"
    elif word in {"import", "export"} or (word == "from" and before in {"operand", "import", "ambiguous"}):
        script.before = "import"
    elif word == "default":
        script.before = "default"
    elif word in AMBIGUOUS_WORDS:
        script.before = "ambiguous"
    else:
        script.before = "operand"


def _string(quote: str) -> Callable[[Script, str, int], int]:
    def state(script: Script, text: str, position: int) -> int:
        """Go over a string literal (§12.9.4)."""
        start, found = position, _STRINGS[quote].match(text, position)
        position = found.end() if found else position
        if position + (text[position : position + 1] == "\\") >= len(text):
            script.tail = unfinished_escape(ESCAPE_IN_STRING, text)
            _literal_text(script, text[start : len(text) - len(script.tail)])
            return len(text)
        _literal_text(script, text[start:position])
        if text[position] != quote:
            _lost(script, "a string is not closed before the end of its line")
            return position + 1
        script.state = "code"
        _literal_ended(script, quote)
        return position + 1

    return state


_AFTER_LITERAL = {"key": "name", "name": "name", "import": "ambiguous"}


def _literal_begins(script: Script, quote: str) -> None:
    """Begin a string or a template literal: what it is depends on what it is given to."""
    if quote == "`" and script.before in {"operand", "dot", "name"}:
        _look_at_held(script, quote)
    _before_operand(script)
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


def read_as(kind: str, tables: Tables) -> Language | None:
    """Return the language that the text of a literal is in, by what its sink reads."""
    if kind == "html":
        from untor.places.srcdoc import fragment  # noqa: PLC0415  documents have scripts in them, and scripts documents

        return fragment(tables)
    return LocalUrl("url" if kind == "url" else "resource-url") if kind in {"url", "resource-url", "module"} else None


def _joins_literals(first: Script, second: Script) -> bool:
    """Join two states inside literals of one kind; tell whether what follows is read in the same way."""
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
        is_open = not (isinstance(inner, Language) and inner.is_closed())
        script.flow = script.flow.literal_ends(script.text, valued=script.filled, is_open=is_open)
    if imported:
        script.flow = script.flow.semicolon()
    script.before = _AFTER_LITERAL.get(script.before, "operand")
    script.valued = script.newline = script.line_start = False
    script.last = last
    script.text, script.inner, script.role, script.filled = None, None, "", False


def _template(script: Script, text: str, position: int) -> int:
    """Go over a template literal (§12.9.6)."""
    start, found = position, _TEMPLATE.match(text, position)
    position = found.end() if found else position
    if position + (text[position : position + 1] == "\\") >= len(text):
        script.tail = unfinished_escape(ESCAPE_IN_STRING, text)
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
    found = _REGEXP.match(text, position)
    position = found.end() if found else position
    if position + (text[position : position + 1] == "\\") >= len(text):
        script.tail = unfinished_escape(ESCAPE_IN_REGEXP, text)
        return len(text)
    if text[position] == "[":
        script.state, script.valued, script.last = "regexp class", False, "["
    elif text[position] == "/":
        script.state = "code"
        script.before, script.last, script.valued, script.newline = "operand", "a", False, False
    else:
        _lost(script, "a regular expression is not closed before the end of its line")
    return position + 1


def _regexp_class(script: Script, text: str, position: int) -> int:
    """Go over a class of a regular expression; a range may neither begin nor end with a value."""
    if script.valued and text[position] == "-" and text[position + 1 : position + 2] != "]":
        raise unreadable(
            "right before this -",
            "it would be the start of a range, which could be an error",
            "Write - at the end of the class, or write the range out.",
        )
    found = _REGEXP_CLASS.match(text, position)
    if found:
        script.valued, script.last = False, found[0][-1] if found[0][-2:-1] != "\\" else "a"
        position = found.end()
    if position + (text[position : position + 1] == "\\") >= len(text):
        script.tail = unfinished_escape(ESCAPE_IN_REGEXP, text)
        return len(text)
    if text[position] == "]":
        script.state = "regexp"
    else:
        _lost(script, "a regular expression is not closed before the end of its line")
    return position + 1


def _line_comment(script: Script, text: str, position: int) -> int:
    """Go over a comment up to the end of its line (§12.4)."""
    found = TO_LINE_END.match(text, position)
    if found:
        return found.end()
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
    """Follow no more."""
    return len(text)


_STATES: dict[str, Callable[[Script, str, int], int]] = {
    "code": _code,
    '"': _string('"'),
    "'": _string("'"),
    "template": _template,
    "regexp": _regexp,
    "regexp class": _regexp_class,
    "line comment": _line_comment,
    "block comment": _block_comment,
    "lost": _after_loss,
}

_ACTIONS: dict[str, Callable[[Script], None]] = {
    "(": open_paren,
    ")": close_paren,
    "[": open_bracket,
    "]": close_bracket,
    "{": open_brace,
    "}": close_brace,
    ",": comma,
    ";": semicolon,
    ":": colon,
}
