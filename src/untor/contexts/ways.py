"""What is open on some ways through a template and not on others: formatting elements, tables and their parts.

What ``<! if a !><b><! end !>`` opens may be closed by ``<! if a !></b><! end !>``, and what a loop leaves open of a
table by the start tag of the next row. So the open elements are kept for each way, with the conditions that hold on it,
until the ways come together again.
"""

from __future__ import annotations

from typing import NamedTuple

from untor.contexts.html_elements import TABLE_PARTS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    from untor.contexts.html_active_formatting import Inline
    from untor.contexts.html_state import HtmlState
    from untor.contexts.stacks import Stack

    Conditions = frozenset[tuple[object, bool]]
    """Conditions of the template, and whether they are true."""

NO_CONDITIONS: Conditions = frozenset()
_MOST = 8
_OF_TABLES = TABLE_PARTS | {"table"}


class Way(NamedTuple):
    """What is open if some conditions hold."""

    conditions: Conditions
    inline: Inline
    stack: Stack[str]


def ways_of(machine: HtmlState) -> list[Way]:
    """Return all ways of a machine."""
    return [Way(machine.conditions, machine.formatting, machine.stack), *machine.other_ways]


def set_ways(machine: HtmlState, ways: Iterable[Way]) -> bool:
    """Give a machine its ways; return whether these are not too many."""
    merged = _merged(ways)
    (machine.conditions, machine.formatting, machine.stack), *others = merged
    machine.other_ways = tuple(others)
    return len(merged) <= _MOST


def on_way(machine: HtmlState, way: Way) -> HtmlState:
    """Return a machine that has come on one of the ways."""
    other = machine.copy()
    other.conditions, other.formatting, other.stack = way
    other.other_ways = ()
    return other


def assume(machine: HtmlState, condition: object, *, truth: bool) -> None:
    """Go into a branch in which a condition is true, or false: only ways on which it may be so lead there."""
    machine.assumed |= {(condition, truth)}
    if machine.other_ways:
        ways = ways_of(machine)
        set_ways(machine, [way for way in ways if (condition, not truth) not in way.conditions] or ways)


def forget(machine: HtmlState, known: HtmlState) -> None:
    """Forget the conditions that another machine does not know: in the next round of a loop they may differ."""
    conditions = {condition for way in ways_of(known) for condition, _ in way.conditions}
    set_ways(
        machine,
        [
            way._replace(conditions=frozenset(each for each in way.conditions if each[0] in conditions))
            for way in ways_of(machine)
        ],
    )


def join(first: HtmlState, second: HtmlState, result: HtmlState) -> bool:
    """Put the ways of two machines together; return whether they can be followed."""
    result.assumed = first.assumed & second.assumed
    one, other = ways_of(first), ways_of(second)
    if len(one) == len(other) == 1 and one[0][1:] == other[0][1:]:
        result.conditions = first.conditions & second.conditions
        return True
    ways = [
        way._replace(conditions=way.conditions | (state.assumed - result.assumed))
        for state, several in ((first, one), (second, other))
        for way in several
    ]
    stacks = {way.stack for way in ways}
    may_differ = first.state == second.state == "data" and not first.xml and len(set(map(_around, stacks))) == 1
    return set_ways(result, ways) and (len(stacks) == 1 or may_differ)


def _around(stack: Stack[str]) -> Stack[str]:
    """Return what is open around the tables at the top of a stack."""
    while stack and stack.top in _OF_TABLES:
        stack = stack.below
    return stack


def _merged(ways: Iterable[Way]) -> list[Way]:
    """Put ways together on which the same is open."""
    alike: dict[tuple[Inline, Stack[str]], list[Conditions]] = {}
    for way in ways:
        _add(alike.setdefault((way.inline, way.stack), []), way.conditions)
    if len(alike) == 1:
        # Whatever holds, the same is open.
        return [Way(NO_CONDITIONS, *each) for each in alike]
    return [Way(conditions, *each) for each, several in alike.items() for conditions in several]


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
