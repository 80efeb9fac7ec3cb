"""The tokenizer states of raw text and scripts: HTML §13.2.5.9 to .31, a function each, named as there."""

from __future__ import annotations

import re

from untor.contexts.html_tags import after_name, dash, lower, new_tag

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.html_state import HtmlState

_ALPHA = re.compile("[A-Za-z]")
_ALPHAS = re.compile("[A-Za-z]+")
_TO_LESS_THAN_OR_DASH = re.compile("[^<-]+")


# --- 13.2.5.9 to .17: end tags of raw text -------------------------------------------------------------------


def _raw_less_than(raw: str, script: str = "") -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.9, .12, .15 RCDATA, RAWTEXT and script data less-than sign states."""
        if text[position] == "/":
            machine.buffer, machine.state = "", f"{raw} end tag open"
            return position + 1
        if script and text[position] == "!":
            machine.state = script
            return position + 1
        machine.state = raw
        return position

    return state


def _raw_end_tag_open(raw: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.10, .13, .16, .24 end tag open states of raw text."""
        machine.state = f"{raw} end tag name" if _ALPHA.match(text[position]) else raw
        return position

    return state


def _raw_end_tag_name(raw: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.11, .14, .17, .25 end tag name states of raw text: only an appropriate end tag ends it."""
        match = _ALPHAS.match(text, position)
        if match:
            machine.buffer += lower(match[0])
            return match.end()
        if machine.buffer == machine.last_start and text[position] in "\t\n\f\r />":
            new_tag(machine, closing=True)
            machine.tag = machine.buffer
            return after_name(machine, text, position)
        machine.state = raw
        return position

    return state


# --- 13.2.5.18 to .31: script data escaped and double escaped ------------------------------------------------


def script_data_escape_start_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.18 Script data escape start state."""
    return dash(machine, text, position, "script data escape start dash", "script data")


def script_data_escape_start_dash_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.19 Script data escape start dash state."""
    return dash(machine, text, position, "script data escaped dash dash", "script data")


def _escaped(less_than: str, dash: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.20, .27 Script data escaped state and script data double escaped state."""
        match = _TO_LESS_THAN_OR_DASH.match(text, position)
        if match:
            return match.end()
        machine.state = less_than if text[position] == "<" else dash
        return position + 1

    return state


def _escaped_dash(escaped: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.21, .28 Script data (double) escaped dash states."""
        char = text[position]
        machine.state = {"-": f"{escaped} dash dash", "<": f"{escaped} less-than sign"}.get(char, escaped)
        return position + 1

    return state


def _escaped_dash_dash(escaped: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.22, .29 Script data (double) escaped dash dash states."""
        char = text[position]
        if char != "-":
            machine.state = {"<": f"{escaped} less-than sign", ">": "script data"}.get(char, escaped)
        return position + 1

    return state


def script_data_escaped_less_than_sign_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.23 Script data escaped less-than sign state."""
    char = text[position]
    machine.buffer = ""
    if char == "/":
        machine.state = "script data escaped end tag open"
        return position + 1
    machine.state = "script data double escape start" if _ALPHA.match(char) else "script data escaped"
    return position


def script_data_double_escaped_less_than_sign_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.30 Script data double escaped less-than sign state."""
    if text[position] == "/":
        machine.buffer, machine.state = "", "script data double escape end"
        return position + 1
    machine.state = "script data double escaped"
    return position


def _double_escape(after_script: str, otherwise: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.26, .31 Script data double escape start and end states."""
        match = _ALPHAS.match(text, position)
        if match:
            machine.buffer += lower(match[0])
            return match.end()
        if text[position] in "\t\n\f\r />":
            machine.state = after_script if machine.buffer == "script" else otherwise
            return position + 1
        machine.state = otherwise
        return position

    return state


RAW_STATES: dict[str, Callable[[HtmlState, str, int], int]] = {
    "RCDATA less-than sign": _raw_less_than("RCDATA"),
    "RCDATA end tag open": _raw_end_tag_open("RCDATA"),
    "RCDATA end tag name": _raw_end_tag_name("RCDATA"),
    "RAWTEXT less-than sign": _raw_less_than("RAWTEXT"),
    "RAWTEXT end tag open": _raw_end_tag_open("RAWTEXT"),
    "RAWTEXT end tag name": _raw_end_tag_name("RAWTEXT"),
    "script data less-than sign": _raw_less_than("script data", "script data escape start"),
    "script data end tag open": _raw_end_tag_open("script data"),
    "script data end tag name": _raw_end_tag_name("script data"),
    "script data escape start": script_data_escape_start_state,
    "script data escape start dash": script_data_escape_start_dash_state,
    "script data escaped": _escaped("script data escaped less-than sign", "script data escaped dash"),
    "script data escaped dash": _escaped_dash("script data escaped"),
    "script data escaped dash dash": _escaped_dash_dash("script data escaped"),
    "script data escaped less-than sign": script_data_escaped_less_than_sign_state,
    "script data escaped end tag open": _raw_end_tag_open("script data escaped"),
    "script data escaped end tag name": _raw_end_tag_name("script data escaped"),
    "script data double escape start": _double_escape("script data double escaped", "script data escaped"),
    "script data double escaped": _escaped(
        "script data double escaped less-than sign",
        "script data double escaped dash",
    ),
    "script data double escaped dash": _escaped_dash("script data double escaped"),
    "script data double escaped dash dash": _escaped_dash_dash("script data double escaped"),
    "script data double escaped less-than sign": script_data_double_escaped_less_than_sign_state,
    "script data double escape end": _double_escape("script data escaped", "script data double escaped"),
}
