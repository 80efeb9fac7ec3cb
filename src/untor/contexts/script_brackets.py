"""The brackets of JavaScript: what opens one, and which token may follow its end.

An entry of the stack has what closing it means: ``(`` a group or call, ``(s`` the head of a statement, ``(m`` the
parameters of a method, ``(fd`` ``(fe`` those of a function that is declared or an expression, ``(import``; ``[`` and
``[k`` (a computed key); ``{b`` a block, ``{o`` an object, ``{x`` the names of an import or export, ``{a`` the body of
an arrow function, ``{fd`` ``{fe`` ``{m`` of other functions, ``{cd`` ``{ce`` of a class; a backquote for a template
literal and ``${`` for an expression in it; ``?`` for a conditional expression.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from untor.contexts.script_states import Script

_AFTER = {
    "{b": "statement",
    "{o": "operand",
    "{x": "ambiguous",
    "{a": "statement",
    "{fd": "statement",
    "{fe": "operand",
} | {
    "{cd": "statement",
    "{ce": "operand",
}
_MISMATCH = "its brackets do not match"


def _lose(script: Script) -> None:
    script.state, script.reason = "lost", _MISMATCH


def _pop(script: Script, kind: str) -> str:
    """Take the innermost bracket of a kind off; conditional expressions that were not finished go with it."""
    stack = script.stack
    while stack and stack[-1] == "?":
        stack = stack[:-1]
    if not stack or not stack[-1].startswith(kind):
        _lose(script)
        return ""
    script.stack = stack[:-1]
    return stack[-1]


def _top(script: Script) -> str:
    return script.stack[-1] if script.stack else ""


def open_paren(script: Script) -> None:
    """Open a round bracket."""
    if script.pending:
        entry, script.pending = f"({script.pending}", ""
    elif script.before in {"head", "catch"}:
        entry = "(s"
    elif script.before == "name":
        entry = "(m"
    elif script.before == "import":
        entry = "(import"
    else:
        entry = "("
    script.stack += (entry,)
    script.before = "binding" if script.before == "catch" else "operator"


def close_paren(script: Script) -> None:
    """Close a round bracket."""
    entry = _pop(script, "(")
    script.before = "statement" if entry == "(s" else "operand"
    script.pending = entry[1:] if entry in {"(fd", "(fe", "(m", "(cd", "(ce"} else ""


def open_bracket(script: Script) -> None:
    """Open a square bracket."""
    script.stack += ("[k" if script.before in {"key", "name"} else "[",)
    script.before = "operator"


def close_bracket(script: Script) -> None:
    """Close a square bracket."""
    script.before = "name" if _pop(script, "[") == "[k" else "operand"


def open_brace(script: Script) -> None:
    """Open a brace: of a block, an object, a function's or class's body."""
    before, pending = script.before, script.pending
    if pending in {"cd", "ce"} and before != "operator":
        script.stack += (f"{{{pending}",)
        script.pending, script.before = "", "key"
    elif pending and pending not in {"cd", "ce"}:
        script.stack += (f"{{{pending}",)
        script.pending, script.before = "", "statement"
    elif before == "name" and _top(script) in {"{cd", "{ce"}:
        script.stack += ("{m",)
        script.before = "statement"
    elif before in {"operator", "bare", "return", "throw", "binding", "import", "default"}:
        script.stack += ("{x" if before == "import" else "{o",)
        script.before = "key"
    elif before in {"statement", "arrow", "operand", "catch"}:
        script.stack += ("{a" if before == "arrow" else "{b",)
        script.before = "statement"
    else:
        _lose(script)


def close_brace(script: Script) -> None:
    """Close a brace, or the expression in a template literal."""
    stack = script.stack
    while stack and stack[-1] == "?":
        stack = stack[:-1]
    if stack and stack[-1] == "${":
        script.stack = stack[:-1]
        script.state = "template"
        return
    entry = _pop(script, "{")
    if entry == "{m":
        script.before = "key" if _top(script) in {"{cd", "{ce"} else "name"
    else:
        script.before = _AFTER.get(entry, "statement")


def comma(script: Script) -> None:
    """Go over a comma; right after a bracket or another comma it is an error, except in an array."""
    if script.before == "operator" and _top(script).startswith("("):
        script.state, script.reason = "lost", "a comma in it has nothing before it"
    script.before = "key" if _top(script) in {"{o", "{x"} else "operator"


def semicolon(script: Script) -> None:
    """Go over a semicolon, also in the head of a loop."""
    top = _top(script)
    script.before = "key" if top in {"{cd", "{ce"} else "operator" if top.startswith("(") else "statement"
    script.pending = ""


def colon(script: Script) -> None:
    """Go over a colon: of a conditional expression, a property, a label or a case."""
    top = _top(script)
    if top == "?":
        script.stack = script.stack[:-1]
        script.before = "bare"
    else:
        script.before = "operator" if top in {"{o", "{x"} else "statement"
