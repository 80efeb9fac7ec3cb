"""Formatting elements that are open on some ways through a template and not on others.

What ``<! if a !><b><! end !>`` opens may be closed by ``<! if a !></b><! end !>``. So what is open is kept for each
way, with the conditions that hold on it, until the ways come together again.
"""

from __future__ import annotations

from typing import NamedTuple

from untor.contexts.html_active_formatting import Inline, misnested

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from untor.contexts.html_state import HtmlState

    Conditions = frozenset[tuple[object, bool]]
    """Conditions of the template, and whether they are true."""

NO_CONDITIONS: Conditions = frozenset()
_MOST = 8


class Way(NamedTuple):
    """What is open if some conditions hold."""

    conditions: Conditions
    inline: Inline


def ways_of(machine: HtmlState) -> list[Way]:
    """Return all ways of a machine."""
    return [Way(machine.formatting_if, machine.formatting), *machine.other_formatting]


def set_ways(machine: HtmlState, ways: Iterable[Way]) -> bool:
    """Give a machine its ways; tell whether these are not too many."""
    merged = _merged(ways)
    (machine.formatting_if, machine.formatting), *others = merged
    machine.other_formatting = tuple(others)
    return len(merged) <= _MOST


def follow(machine: HtmlState, change: Callable[[Inline], Inline]) -> None:
    """Go over a tag on each way."""
    if machine.other_formatting:
        set_ways(machine, [Way(way.conditions, change(way.inline)) for way in ways_of(machine)])
    else:
        machine.formatting = change(machine.formatting)


def is_misnested(machine: HtmlState) -> bool:
    """Tell whether text would open a formatting element again, on some way."""
    return misnested(machine.formatting) or any(misnested(way.inline) for way in machine.other_formatting)


def assume(machine: HtmlState, condition: object, *, truth: bool) -> None:
    """Go into a branch in which a condition is true, or false: only ways on which it may be so lead there."""
    machine.assumed |= {(condition, truth)}
    if machine.other_formatting:
        ways = ways_of(machine)
        set_ways(machine, [way for way in ways if (condition, not truth) not in way.conditions] or ways)


def forget(machine: HtmlState, known: HtmlState) -> None:
    """Forget the conditions that another machine does not know: in the next round of a loop they may differ."""
    if machine.other_formatting or machine.formatting_if:
        conditions = {condition for way in ways_of(known) for condition, _ in way.conditions}
        set_ways(
            machine,
            [
                Way(frozenset(each for each in way.conditions if each[0] in conditions), way.inline)
                for way in ways_of(machine)
            ],
        )


def join(first: HtmlState, second: HtmlState, result: HtmlState) -> bool:
    """Put the ways of two machines together; tell whether these are not too many."""
    result.assumed = first.assumed & second.assumed
    if (first.formatting, first.other_formatting) == (second.formatting, second.other_formatting):
        result.formatting_if = first.formatting_if & second.formatting_if
        if not first.other_formatting:
            return True
    ways = [
        Way(way.conditions | (state.assumed - result.assumed), way.inline)
        for state in (first, second)
        for way in ways_of(state)
    ]
    return set_ways(result, ways)


def _merged(ways: Iterable[Way]) -> list[Way]:
    """Put ways together on which the same is open."""
    by_inline: dict[Inline, list[Conditions]] = {}
    for way in ways:
        _add(by_inline.setdefault(way.inline, []), way.conditions)
    if len(by_inline) == 1:
        # Whatever holds, the same is open.
        return [Way(NO_CONDITIONS, inline) for inline in by_inline]
    return [Way(conditions, inline) for inline, several in by_inline.items() for conditions in several]


def _add(several: list[Conditions], conditions: Conditions) -> None:
    """Add conditions to those of which one is enough."""
    for index, other in enumerate(several):
        if other <= conditions:
            return
        differing = other ^ conditions
        opposite = len(differing) == 2 and len({condition for condition, _ in differing}) == 1  # noqa: PLR2004
        if conditions <= other or opposite:
            del several[index]
            _add(several, other & conditions)
            return
    several.append(conditions)
