"""The context of a value printed in a script, and its escaping; or why no value may be printed there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.contexts.placement import Place, Refusal, refused
from untor.contexts.script_flow import REMEDIES
from untor.contexts.script_tokens import OPERAND_EXPECTED
from untor.contexts.url_lists import LocalUrl

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.script_sinks import Sink
    from untor.contexts.script_states import Script

_NO_GAP_BEFORE = frozenset("([{,;:=?!&|*%^~>")


def _in_code(script: Script) -> Place | Refusal:
    place = "in a script"
    before = " " if script.last and script.last not in _NO_GAP_BEFORE else ""
    if script.pending or script.before in {"binding", "head", "catch"}:
        return refused(f"{place} in a declaration", "it would name something", "Write the name out.")
    if script.before == "import":
        reason = "code would be loaded from there"
        return refused(f"{place} as a module to import", reason, 'Put it into the URL: "/m/{= name =}.js".')
    if script.before in {"key", "name"}:
        reason = "as a name of a property it could be __proto__, which is not an ordinary one"
        return refused(f"{place} as a key", reason, "Put it into brackets: {[{= … =}]: …}.")
    if script.before == "dot":
        return refused(f"{place} after a dot", "it would be a name", "Use brackets: call[{= … =}].")
    if script.before == "ambiguous":
        return refused(f"{place} after await or yield", "these can be names", "Put brackets around the value.")
    if script.before in {"jump", "update"}:
        reason = "the statement would be an error"
        return refused(f"{place} where only a name is allowed", reason, "End the statement before it.")
    if script.before not in OPERAND_EXPECTED:
        remedy = "Put an operator between them, or the value into a string in quotes."
        return refused(f"{place} right after a value or a name", "it would be glued to it", remedy)
    sink = script.flow.sink
    if sink is not None:
        return _for_sink(script, sink, before)
    if script.before == "statement":
        return Place("value", "script-value", ("script statement",), ("script-statement",), before)
    escaper = "script-value" if script.before in {"bare", "return"} else "script-operand"
    return Place("value", "script-value", ("script value",), (escaper,), before)


_WHOLE = {"url": "script-url", "resource-url": "script-resource-url", "module": "script-resource-url"}


def _for_sink(script: Script, sink: Sink, before: str) -> Place | Refusal:
    """Judge a value that is an expression and given to a sink."""
    trouble = _in_sink(script, sink, "start")
    if trouble is not None:
        return trouble
    if sink.kind == "html":
        return Place("value", "html", ("script value", "HTML"), ("script-html",), before)
    context = "url" if sink.kind == "url" else "resource-url"
    return Place("value", context, ("script value", "URL"), (_WHOLE[sink.kind],), before)


def _in_sink(script: Script, sink: Sink, at: str) -> Refusal | None:
    """Say why a value cannot be given to a sink; ``None`` where it can."""
    where = f"in a script, in {sink.what}"
    if sink.kind == "code":
        return refused(where, "it would be a part of the code that is run", REMEDIES["code"])
    if sink.kind == "closed":
        return refused(where, "it would decide what is done there", REMEDIES["closed"])
    if script.flow.level.at != at:
        return refused(where, "it is a part only, and the whole cannot be judged", REMEDIES[sink.kind])
    if script.flow.streams and sink.what.startswith("write"):
        reason = "what was written into the document before may have ended anywhere"
        return refused(where, reason, "Write whole elements each time, or use textContent.")
    return None


def _in_string(script: Script) -> Place | Refusal:
    if script.tail:
        return _in_escape(script)
    return _in_role(script) or _in_literal(script, Place("value", "script-string", ("script string",), _STRING))


_STRING = ("script-string",)
_OWN_KEYS = {"{o": ("__proto__",), "{cd": ("constructor", "prototype"), "{ce": ("constructor", "prototype")}
"""Names of properties that mean something else than others (ECMAScript §13.2.5.1, §15.7.1, §B.3.1)."""


def _in_role(script: Script) -> Refusal | None:
    """Refuse a value in a literal that is more than text."""
    if script.role == "directive":
        reason = 'at the start of a script or function a string like "use strict" is an instruction'
        return refused("in a string that is a statement", reason, 'Give it a name: const text = "…";')
    if script.role == "key":
        names = _OWN_KEYS.get(script.stack[-1] if script.stack else "", ("",))
        text = script.text
        if text is None or any(name.startswith(text) for name in names):
            reason = f"it could be {names[0]}, which is not an ordinary property" if names[0] else "it would be a name"
            return refused("in the name of a property", reason, 'Put it into brackets: {["{= … =}"]: …}.')
    return None


def _in_literal(script: Script, place: Place) -> Place | Refusal:
    """Judge a value in a literal by the sink that the literal is given to."""
    sink = script.flow.sink
    if sink is None:
        return place
    trouble = _in_sink(script, sink, "literal")
    if trouble is not None:
        return trouble
    assert script.inner is not None  # noqa: S101  a literal that is all of a sink's argument has one
    if sink.kind == "html":
        # Whoever judges documents goes on from here: see ``verdict``.
        return place._replace(context="html")
    inner = script.inner.place()
    if isinstance(inner, Refusal):
        return inner
    if sink.kind == "module" and isinstance(script.inner, LocalUrl) and script.inner.is_bare():
        reason = "without a slash before it, an import map decides where it leads"
        return refused("in the name of a module", reason, 'Begin with a folder: "/m/{= name =}.js".')
    return inner._replace(path=(*place.path, *inner.path), escapers=(*inner.escapers, *place.escapers))


def _in_escape(script: Script) -> Refusal:
    reason = "the value would become a part of it"
    return refused(f"inside the unfinished escape sequence {script.tail}", reason, "Finish it, or write it as \\x….")


def _in_template(script: Script) -> Place | Refusal:
    if script.stack[-1] == "`tag":
        reason = "the function before it receives the raw text"
        return refused("in a template literal with a tag", reason, 'Make it an expression: ${{= … =}} or ${"{= … =}"}.')
    if script.tail:
        return (
            _in_escape(script)
            if script.tail != "$"
            else refused(
                "right after a $ in a template literal", "together with a { it would begin an expression", "Write \\$."
            )
        )
    return _in_literal(script, Place("value", "script-template", ("script template literal",), _STRING))


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
