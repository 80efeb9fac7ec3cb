"""Where a statement ends without a semicolon, and where the analysis of a script gives up (ECMAScript §12.10)."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from untor.contexts.script_states import Script


def lose(script: Script, reason: str) -> None:
    """Give up: nothing can be said of the rest of the script."""
    script.state, script.reason = "lost", reason


def look_at_held(script: Script, lexeme: str) -> None:
    """Look at the token after a value that must be all that a sink is given. Raises ``Unreadable``."""
    if script.flow.held:
        script.flow.check(lexeme, newline=script.newline)


def before_operand(script: Script, lexeme: str = "") -> None:
    """Go to what comes after a word that a line break, or something else than expected, ends (§12.10.1)."""
    before = script.before
    if before in {"return", "jump"} and script.newline:
        script.before = "statement"
        script.flow = script.flow.semicolon()
    elif before == "throw" and script.newline:
        lose(script, "a line break after throw is an error")
    elif before.startswith("async"):
        declared = before == "async statement" or script.newline
        script.before = "operand" if lexeme != "function" else "statement" if declared else "operator"
