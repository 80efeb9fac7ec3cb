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
from untor.places.script_places import JUDGES
from untor.places.script_tokens import (
    AMBIGUOUS_WORDS,
    BINDING_WORDS,
    COMBINES,
    ESCAPE_IN_REGEXP,
    ESCAPE_IN_STRING,
    HEAD_WORDS,
    LINE_ENDS,
    LINE_TERMINATORS,
    NUMBER,
    OPERAND_EXPECTED,
    OPERATOR_WORDS,
    PUNCTUATOR,
    SPACE,
    STATEMENT_WORDS,
    TO_LINE_END,
    WORD,
)

if TYPE_CHECKING:
    from collections.abc import Callable

_STRINGS = {
    '"': re.compile(r'(?:[^"\\\n\r]|\\(?:\r\n|[\s\S]))+'),
    "'": re.compile(r"(?:[^'\\\n\r]|\\(?:\r\n|[\s\S]))+"),
}
_TEMPLATE = re.compile(r"(?:[^`\\$]|\\[\s\S]|\$(?!\{))+")
_REGEXP = re.compile(rf"(?:[^/\\\[{LINE_TERMINATORS}]|\\[^{LINE_TERMINATORS}])+")
_REGEXP_CLASS = re.compile(rf"(?:[^\]\\{LINE_TERMINATORS}]|\\[^{LINE_TERMINATORS}])+")
_SAFE_AFTER_STEP = re.compile(r"[\s;,(){}\[\]\"'`]")
_NO_GAP_AFTER = frozenset(")]},;:?=!&|*%^~>+-/ \t\n\r\u2028\u2029")

_LOST = "the script before it could not be followed"


class Script(Language):
    """The state of a script.

    ``state`` is ``code`` or the literal or comment it is in. ``before`` says what the last token makes of the next:
    ``statement``, ``operator``, ``arrow``, ``default`` or ``bare`` (an operand is expected), ``operand`` (an operator
    is expected), ``key`` and ``name`` (the name of a property), ``dot``, ``head`` (after ``if`` and the like),
    ``binding``, ``import``, ``ambiguous``. ``stack`` are the open brackets (see ``script_brackets``), ``pending`` the
    function or class whose body is to come. ``tail`` is a token or an escape sequence that is not finished.
    """

    __slots__ = (
        "before",
        "last",
        "line_start",
        "module",
        "newline",
        "pending",
        "reason",
        "sealed",
        "stack",
        "start",
        "state",
        "tail",
        "valued",
    )

    def __init__(self, *, module: bool = False) -> None:
        self.state = "code"
        self.before = "statement"
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
        if not isinstance(other, Script) or {self.state, other.state} != {"code"}:
            return None
        first, second = self.settled().copy(), other.settled().copy()
        sealed = first.last != second.last or bool(self.tail or other.tail) or first.sealed or second.sealed
        valued, last = first.valued or second.valued, first.last if first.last == second.last else "."
        for state in (first, second):
            state.valued, state.last, state.sealed = valued, last, sealed
            state.newline = state.line_start = state.start = False
        return first if first == second else None

    # --- values ----------------------------------------------------------------------------------------------------

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        state = self.settled()
        judge = JUDGES.get(state.state)
        if judge is None:
            return refused("in a comment of a script", "it would not be seen", "Take it out of the comment.")
        return judge(state)

    def took_value(self) -> Script:
        """Return the state after a value."""
        state = self.settled().copy()
        if state.state in {"code", "regexp class"}:
            state.valued, state.sealed, state.last = True, False, "a"
        if state.state == "code":
            state.before = "statement" if state.before == "statement" else "operand"
            state.newline = state.line_start = state.start = False
        return state

    def gap(self, text: str) -> str:
        """Return a space where the value before would be glued to the text after it."""
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
        script.state = char
        return position + 1
    if char == "`":
        script.state = "template"
        script.stack += ("`tag" if script.before in {"operand", "dot", "name"} else "`",)
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
    if script.before in OPERAND_EXPECTED:
        script.state = "regexp"
    elif script.before == "operand":
        script.before = "operator"
    else:
        _lost(script, "whether / divides or begins a regular expression depends on more than the words before it")
    script.valued = script.newline = script.line_start = False
    script.last = "/"


def _token(script: Script, lexeme: str) -> None:
    """Go over a word, a number or a punctuator other than a solidus."""
    valued, newline = script.valued, script.newline
    script.valued = script.newline = script.line_start = False
    script.last = lexeme[-1]
    if (
        lexeme[0].isalnum()
        or lexeme[0] in "_$\\#"
        or lexeme[0] > "\x7f"
        or (lexeme[0] == "." and lexeme[1:2].isdigit())
    ):
        _word(script, lexeme)
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
    action = _ACTIONS.get(lexeme)
    if action is not None:
        action(script)
    elif lexeme in {"++", "--"}:
        script.before = "operand" if script.before == "operand" and not newline else "operator"
    elif lexeme in {".", "?."}:
        script.before = "dot"
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


def _word(script: Script, word: str) -> None:
    before = script.before
    if before in {"key", "name"}:
        script.before = "name"
    elif before == "dot" or word[0].isdigit() or word[0] == ".":
        script.before = "operand"
    elif word == "async" and before in OPERAND_EXPECTED | {"import"}:
        pass
    elif word in {"function", "class"}:
        declared = before in {"statement", "default", "import"}
        script.pending = word[0] + ("d" if declared else "e")
        script.before = "operand"
    elif word == "return":
        script.before = "bare"
    elif word in OPERATOR_WORDS or (word == "of" and before == "operand" and "(s" in script.stack):
        script.before = "operator"
    elif word in STATEMENT_WORDS:
        script.before = "statement"
    elif word in HEAD_WORDS or (word == "await" and before == "head"):
        script.before = "head"
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
        found = _STRINGS[quote].match(text, position)
        position = found.end() if found else position
        if position + (text[position : position + 1] == "\\") >= len(text):
            script.tail = unfinished_escape(ESCAPE_IN_STRING, text)
            return len(text)
        if text[position] != quote:
            _lost(script, "a string is not closed before the end of its line")
            return position + 1
        script.state = "code"
        _literal_ended(script, quote)
        return position + 1

    return state


_AFTER_LITERAL = {"key": "name", "name": "name", "import": "ambiguous"}


def _literal_ended(script: Script, last: str) -> None:
    # After the name of a module a statement may end without a semicolon, and a solidus begin a regular expression.
    script.before = _AFTER_LITERAL.get(script.before, "operand")
    script.valued = script.newline = script.line_start = False
    script.last = last


def _template(script: Script, text: str, position: int) -> int:
    """Go over a template literal (§12.9.6)."""
    found = _TEMPLATE.match(text, position)
    position = found.end() if found else position
    if position + (text[position : position + 1] == "\\") >= len(text):
        script.tail = unfinished_escape(ESCAPE_IN_STRING, text)
        if not script.tail and text.endswith("$"):
            script.tail = "$" if not unfinished_escape(re.compile(r"\\\Z"), text[:-1]) else ""
        return len(text)
    script.state = "code"
    if text[position] == "`":
        script.stack = script.stack[:-1]
        _literal_ended(script, "`")
        return position + 1
    script.stack += ("${",)
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
