"""The tokenizer states of comments, doctypes and CDATA: HTML §13.2.5.41 to .71, a function each, named as there."""

from __future__ import annotations

import re

from untor.contexts import html_tree_builder
from untor.contexts.html_srcdoc import fragment
from untor.contexts.html_tags import dash
from untor.contexts.placement import Unreadable

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.html_state import HtmlState

_TO_GREATER_THAN = re.compile("[^>]+")
_TO_QUESTION_MARK = re.compile("[^?>]+")
_COMMENT = re.compile("[^<-]+")
_CONDITION = re.compile(r"\[if\b[^\]<>]*\]>", re.IGNORECASE | re.ASCII)
_COMMENT_END = re.compile(r"(?:<!\[endif\])?--!?>", re.IGNORECASE | re.ASCII)
_LONGEST_END = len("<![endif]--!")
_CDATA = re.compile(r"[^\]]+")


# --- 13.2.5.41 to .52: comments ------------------------------------------------------------------------------


def bogus_comment_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.41 Bogus comment state."""
    match = _TO_GREATER_THAN.match(text, position)
    if match:
        return match.end()
    machine.state = "data"
    return position + 1


def markup_declaration_open_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.42 Markup declaration open state."""
    machine.buffer += text[position]
    so_far = machine.buffer
    if so_far == "--":
        machine.state = "comment start"
    elif so_far.lower() == "doctype":
        machine.state = "DOCTYPE"
    elif so_far == "[CDATA[":
        machine.state = "CDATA section" if html_tree_builder.allows_cdata(machine) else "bogus comment"
    elif not ("--".startswith(so_far) or "doctype".startswith(so_far.lower()) or "[CDATA[".startswith(so_far)):
        # All that was taken so far has no ">" in it but the last character, which is reconsumed.
        machine.state = "bogus comment"
        return position
    return position + 1


def comment_start_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.43 Comment start state; mail clients read the content of a conditional comment as markup."""
    condition = None if machine.xml else _CONDITION.match(text, position)
    if condition and not machine.markup_only:
        machine.inner, machine.buffer, machine.state = fragment(machine.tables), "", "conditional comment"
        return condition.end()
    if text[position] == ">":
        machine.state = "data"
        return position + 1
    return dash(machine, text, position, "comment start dash", "comment")


def conditional_comment_state(machine: HtmlState, text: str, position: int) -> int:
    """Go over ``<!--[if …]>``: a comment for browsers, which ends as any does, and markup for the clients it is for."""
    held = machine.buffer
    match = _COMMENT_END.search(held + text[position:])
    end = len(text) if match is None else max(position, position + match.start() - len(held))
    assert machine.inner is not None  # noqa: S101  as comment_start_state has made it
    machine.inner = machine.inner.read(text[position:end])
    if match is None:
        tail = (held + text[position:])[-_LONGEST_END:]
        machine.buffer = tail if tail[-1:] in {"-", "!"} else ""
        return end
    machine.inner, machine.buffer, machine.state = None, "", "data"
    return position + match.end() - len(held)


def comment_start_dash_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.44 Comment start dash state."""
    if text[position] == ">":
        machine.state = "data"
        return position + 1
    return dash(machine, text, position, "comment end", "comment")


def comment_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.45 Comment state."""
    match = _COMMENT.match(text, position)
    if match:
        return match.end()
    machine.state = "comment less-than sign" if text[position] == "<" else "comment end dash"
    return position + 1


def comment_less_than_sign_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.46 Comment less-than sign state."""
    if text[position] == "!":
        machine.state = "comment less-than sign bang"
        return position + 1
    if text[position] == "<":
        return position + 1
    machine.state = "comment"
    return position


def comment_less_than_sign_bang_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.47 Comment less-than sign bang state."""
    return dash(machine, text, position, "comment less-than sign bang dash", "comment")


def comment_less_than_sign_bang_dash_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.48 Comment less-than sign bang dash state."""
    return dash(machine, text, position, "comment less-than sign bang dash dash", "comment end dash")


def comment_less_than_sign_bang_dash_dash_state(machine: HtmlState, text: str, position: int) -> int:  # noqa: ARG001
    """13.2.5.49 Comment less-than sign bang dash dash state."""
    machine.state = "comment end"
    return position


def comment_end_dash_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.50 Comment end dash state."""
    return dash(machine, text, position, "comment end", "comment")


def comment_end_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.51 Comment end state."""
    char = text[position]
    if char in ">!-":
        machine.state = {">": "data", "!": "comment end bang", "-": "comment end"}[char]
        return position + 1
    machine.state = "comment"
    return position


def comment_end_bang_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.52 Comment end bang state."""
    if text[position] == ">":
        machine.state = "data"
        return position + 1
    return dash(machine, text, position, "comment end dash", "comment")


# --- 13.2.5.53 to .71: doctype and CDATA ---------------------------------------------------------------------


def doctype_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.53 DOCTYPE state to .68 Bogus DOCTYPE state: in each of them a greater-than sign ends the doctype."""
    match = _TO_GREATER_THAN.match(text, position)
    if match:
        if machine.xml and "[" in match[0]:
            raise Unreadable("xml-subset")
        return match.end()
    machine.state = "data"
    html_tree_builder.doctype(machine)
    return position + 1


def cdata_section_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.69 CDATA section state."""
    match = _CDATA.match(text, position)
    if match:
        return match.end()
    machine.state = "CDATA section bracket"
    return position + 1


def cdata_section_bracket_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.70 CDATA section bracket state."""
    if text[position] == "]":
        machine.state = "CDATA section end"
        return position + 1
    machine.state = "CDATA section"
    return position


def cdata_section_end_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.71 CDATA section end state."""
    if text[position] == "]":
        return position + 1
    machine.state = "data" if text[position] == ">" else "CDATA section"
    return position + (text[position] == ">")


# --- XML §2.6 --------------------------------------------------------------------------------------------------


def processing_instruction_state(machine: HtmlState, text: str, position: int) -> int:
    """XML §2.6 Processing instructions: up to ``?>``."""
    match = _TO_QUESTION_MARK.match(text, position)
    if match:
        machine.buffer = ""
        return match.end()
    if text[position] == ">" and machine.buffer == "?":
        machine.state = "data"
    machine.buffer = text[position]
    return position + 1


COMMENT_STATES: dict[str, Callable[[HtmlState, str, int], int]] = {
    "bogus comment": bogus_comment_state,
    "markup declaration open": markup_declaration_open_state,
    "comment start": comment_start_state,
    "conditional comment": conditional_comment_state,
    "comment start dash": comment_start_dash_state,
    "comment": comment_state,
    "comment less-than sign": comment_less_than_sign_state,
    "comment less-than sign bang": comment_less_than_sign_bang_state,
    "comment less-than sign bang dash": comment_less_than_sign_bang_dash_state,
    "comment less-than sign bang dash dash": comment_less_than_sign_bang_dash_dash_state,
    "comment end dash": comment_end_dash_state,
    "comment end": comment_end_state,
    "comment end bang": comment_end_bang_state,
    "DOCTYPE": doctype_state,
    "CDATA section": cdata_section_state,
    "CDATA section bracket": cdata_section_bracket_state,
    "CDATA section end": cdata_section_end_state,
    "processing instruction": processing_instruction_state,
}
