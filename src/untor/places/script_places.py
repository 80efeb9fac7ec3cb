"""What a value printed at some point of a script is, and how it is escaped there; or why it cannot stand there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.places.place import Place, Refusal, refused
from untor.places.script_tokens import OPERAND_EXPECTED

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.places.script_states import Script

_NO_GAP_BEFORE = frozenset("([{,;:=?!&|*%^~>")


def _in_code(script: Script) -> Place | Refusal:
    place = "in a script"
    before = " " if script.last and script.last not in _NO_GAP_BEFORE else ""
    if script.pending or script.before in {"binding", "head", "import"} or "(import" in script.stack:
        if script.before == "import" or "(import" in script.stack:
            reason = "code would be loaded from there"
            return refused(f"{place} as a module to import", reason, "Write the URL of the module out.")
        return refused(f"{place} in a declaration", "it would name something", "Write the name out.")
    if script.before == "statement":
        return Place("value", "script-value", ("script statement",), ("script-statement",), before)
    if script.before in OPERAND_EXPECTED:
        escaper = "script-value" if script.before == "bare" else "script-operand"
        return Place("value", "script-value", ("script value",), (escaper,), before)
    if script.before in {"key", "name"}:
        reason = "as a name of a property it could be __proto__, which is none"
        return refused(f"{place} as a key", reason, "Put it into brackets: {[{= … =}]: …}.")
    if script.before == "dot":
        return refused(f"{place} after a dot", "it would be a name", "Use brackets: call[{= … =}].")
    if script.before == "ambiguous":
        return refused(f"{place} after await or yield", "these can be names", "Put brackets around the value.")
    remedy = "Put an operator between them, or the value into a string in quotes."
    return refused(f"{place} right after a value or a name", "it would be glued to it", remedy)


def _in_string(script: Script) -> Place | Refusal:
    if script.tail:
        return _in_escape(script)
    return Place("value", "script-string", ("script string",), ("script-string",))


def _in_escape(script: Script) -> Refusal:
    reason = "the value would become a part of it"
    return refused(f"inside the unfinished escape sequence {script.tail}", reason, "Finish it, or write it as \\x….")


def _in_template(script: Script) -> Place | Refusal:
    if script.stack[-1] == "`tag":
        reason = "the function before it gets what is written there as it is"
        return refused("in a template literal with a tag", reason, 'Make it an expression: ${{= … =}} or ${"{= … =}"}.')
    if script.tail:
        return (
            _in_escape(script)
            if script.tail != "$"
            else refused(
                "right after a $ in a template literal", "together with a { it would begin an expression", "Write \\$."
            )
        )
    return Place("value", "script-template", ("script template literal",), ("script-string",))


def _in_regexp(script: Script) -> Place | Refusal:
    if script.tail:
        return _in_escape(script)
    return Place("value", "script-regexp", ("script regular expression",), ("script-regexp",))


def _in_regexp_class(script: Script) -> Place | Refusal:
    if script.tail:
        return _in_escape(script)
    if script.last == "-":
        reason = "it would be the end of a range, which could be an error"
        return refused("right after a - in a class of a regular expression", reason, "Write the range out.")
    return Place("value", "script-regexp", ("script regular expression", "class"), ("script-regexp-class",))


def _nowhere(script: Script) -> Refusal:
    remedy = "Put the data at the start: const call = {= … =};"
    return refused("in this script", script.reason, remedy)


JUDGES: dict[str, Callable[[Script], Place | Refusal]] = {
    "code": _in_code,
    '"': _in_string,
    "'": _in_string,
    "template": _in_template,
    "regexp": _in_regexp,
    "regexp class": _in_regexp_class,
    "lost": _nowhere,
}
"""What judges a value, by the state of the script; in comments there is no place for one."""
