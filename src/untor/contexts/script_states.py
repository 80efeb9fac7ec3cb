"""JavaScript, as far as it decides on contexts (ECMAScript §12 and the grammar around it).

The lexer follows the goal symbols of §12: whether a solidus divides or begins a regular expression, whether a brace
opens a block or an object, where a template literal goes on. Classic scripts and modules differ in HTML-like comments
only (§B.1.1).
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.contexts.client_libraries import DEFAULT
from untor.contexts.embedded_language import EmbeddedLanguage, run
from untor.contexts.placement import Place, Refusal, Unreadable, refused, unreadable
from untor.contexts.script_brackets import (
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
from untor.contexts.script_classify import JUDGES
from untor.contexts.script_endings import before_operand, look_at_held, lose
from untor.contexts.script_flow import Flow
from untor.contexts.script_literal_states import LITERAL_STATES, LITERALS, joins_literals, literal_begins
from untor.contexts.script_literals import decoded
from untor.contexts.script_tokens import (
    AMBIGUOUS_WORDS,
    BINDING_WORDS,
    COMBINES,
    HEAD_WORDS,
    KEYWORDS,
    LINE_ENDS,
    NUMBER,
    OPERAND_EXPECTED,
    OPERATOR_WORDS,
    PUNCTUATOR,
    RESTRICTED_WORDS,
    SPACE,
    STATEMENT_WORDS,
    WORD,
)
from untor.contexts.stacks import Stack

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.client_libraries import Tables

_SAFE_AFTER_STEP = re.compile(r"[ \t\n\r\f\v;,(){}\[\]\"'`]")
_NO_GAP_AFTER = frozenset(")]},;:?=!&|*%^~>+-/ \t\n\r\u2028\u2029")

_LOST = "the script before it could not be followed"


class Script(EmbeddedLanguage):
    """The state of a script.

    ``state`` is ``code`` or the literal or comment it is in. ``before`` is how the last token affects the next:
    ``statement``, ``operator``, ``arrow``, ``default``, ``bare``, ``return`` or ``throw`` (an operand is expected),
    ``operand`` (an operator is expected), ``update`` (after a prefix ``++``), ``key`` and ``name`` (the name of a
    property), ``dot``, ``head`` (after ``if`` and the like), ``catch``, ``binding``, ``import``, ``jump`` (after
    ``break`` and its like), ``async`` and ``async statement``, ``ambiguous``.

    ``stack`` are the open brackets (see ``script_brackets``), ``pending`` the function or class whose body is to come.
    ``tail`` is a token or an escape sequence that is not finished. ``flow`` has what an expression is passed to.
    ``prologue`` means that a literal here may be a directive. Of a literal, ``text`` is what it means so far (``None``
    where that is not fixed), ``inner`` the language that a sink reads it as, ``role`` is ``directive`` or ``key`` where
    it may be one, and ``filled`` means that a value is in it.
    """

    def __init__(
        self, *, module: bool = False, expression: bool = False, element: str = "", tables: Tables = DEFAULT
    ) -> None:
        self.state = "code"
        self.before = "operator" if expression else "statement"
        self.flow = Flow(element=f"<{element}>" if element else "")
        self.tables = tables
        self.prologue = not expression
        self.text: str | None = None
        self.inner: EmbeddedLanguage | None = None
        self.role = ""
        self.filled = False
        self.stack: Stack[str] = Stack()
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
        if self.sealed and not self.is_separated(text):
            raise unreadable(
                "in a step right before this",
                "what the step leaves and what follows could become one word or operator",
                "Put white space after the end of the step.",
            )
        self.sealed = False
        text, self.tail = self.tail + text, ""
        run(_STATES, self, text)  # type: ignore[arg-type]

    def is_separated(self, text: str) -> bool:
        """Return whether fixed text begins a token of its own, whatever the last one is."""
        return _SAFE_AFTER_STEP.match(text) is not None

    def settled(self) -> Script:
        """Return the state after the last token, when nothing is added to it."""
        if not self.tail or self.state != "code":
            return self
        other = self.copy()
        tail, other.tail = self.tail, ""
        try:
            _token(other, tail)
        except Unreadable as found:
            lose(other, f"{found.words['place']} {found.words['reason']}")
        return other

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
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
            return first if joins_literals(first, second) else None
        sealed = first.last != second.last or bool(self.tail or other.tail) or first.sealed or second.sealed
        valued, last = first.valued or second.valued, first.last if first.last == second.last else "."
        for state in (first, second):
            state.valued, state.last, state.sealed = valued, last, sealed
            state.newline = state.line_start = state.start = False
            state.prologue = first.prologue or second.prologue
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
            before_operand(state)
            judge = JUDGES[state.state]
        return judge(state)

    def took_value(self) -> Script:
        """Return the state after a value."""
        state = self.settled().copy()
        if state.state in {"code", "regexp class"}:
            state.valued, state.sealed, state.last = True, False, "a"
        if state.state == "code":
            before_operand(state)
            state.flow = state.flow.value(state.before)
            state.before = "statement" if state.before == "statement" else "operand"
            state.newline = state.line_start = state.start = state.prologue = False
        elif state.state in LITERALS:
            state.filled, state.text = True, None
            state.inner = state.inner and state.inner.took_value()
        return state

    def gap(self, text: str) -> str:
        """Return a space where the value before would be glued to the text after it."""
        if self.state in LITERALS and self.inner is not None:
            return self.inner.gap(text)
        glued = self.state == "code" and self.valued and self.last == "a"
        return " " if glued and text and text[0] not in _NO_GAP_AFTER and not text.startswith("</") else ""


# --- states --------------------------------------------------------------------------------------------------------


def _code(script: Script, text: str, position: int) -> int:
    """Go over one token of InputElementDiv, InputElementRegExp or InputElementTemplateTail."""
    if script.start:
        script.start = False
        if text.startswith("#!"):
            script.state = "line comment"
            return position + 2
    match = SPACE.match(text, position)
    if match:
        script.last = ""
        return match.end()
    match = LINE_ENDS.match(text, position)
    if match:
        script.newline = script.line_start = True
        script.last = ""
        return match.end()
    char = text[position]
    if char in "\"'":
        literal_begins(script, char)
        script.state = char
        return position + 1
    if char == "`":
        literal_begins(script, char)
        script.state = "template"
        return position + 1
    match = WORD.match(text, position) or NUMBER.match(text, position)
    if match:
        if match.end() == len(text):
            script.tail = match[0]
            return len(text)
        _token(script, match[0])
        return match.end()
    match = PUNCTUATOR.match(text, position)
    if match is None:
        lose(script, _LOST)
        return position + 1
    lexeme, rest = match[0], text[position : position + 5]
    if not script.module and (lexeme == "<!--" or (lexeme == "-->" and script.line_start)):
        script.state = "line comment"
        return match.end()
    lexeme = {"<!--": "<", "-->": "--"}.get(lexeme, lexeme)
    goes_on = rest == ".." or (
        not script.module and "<!-".startswith(rest)
    )  # the start of a token that is not one itself
    if goes_on or (position + len(lexeme) == len(text) and lexeme[-1] in COMBINES):
        script.tail = rest
        return len(text)
    if char == "/" and text[position + 1 : position + 2] in {"/", "*"}:
        script.state = "line comment" if text[position + 1] == "/" else "block comment"
        return position + 2
    if char == "/":
        _solidus(script)
        return position + 1
    _token(script, lexeme)
    return position + len(lexeme)


def _solidus(script: Script) -> None:
    """Go over a solidus that begins no comment: division after an operand, a regular expression before one."""
    before_operand(script)
    if script.state == "lost":
        return
    if script.before in OPERAND_EXPECTED:
        script.state = "regexp"
        script.flow = script.flow.unnamed(script.before)
    elif script.before == "operand":
        look_at_held(script, "/")
        script.before = "operator"
        script.flow = script.flow.operator("/")
    else:
        lose(script, "whether / divides or begins a regular expression depends on more than the words before it")
    script.valued = script.newline = script.line_start = script.prologue = False
    script.last = "/"


def _token(script: Script, lexeme: str) -> None:
    """Go over a word, a number or a punctuator other than a solidus."""
    look_at_held(script, lexeme)
    before_operand(script, lexeme)
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


_STATES: dict[str, Callable[[Script, str, int], int]] = {"code": _code, **LITERAL_STATES}

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
