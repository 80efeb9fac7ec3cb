"""What a loop prints between two rounds: its ``between``, or an ``if`` about the first or last round.

After ``<! if not row.last !>,<! end !>`` either the next round begins or the loop ends, and which of the two is known
in each branch. So the branches need not end alike, as those of other steps do.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from untor.language import tree

BETWEEN = "_between"
"""The position of a loop that has a ``between`` and names none."""


class Rounds(NamedTuple):
    """A loop taken apart: the step at the start or the end of its body that depends on the round, and the body."""

    node: tree.For
    body: list[tree.Node]
    first: tree.If | None = None
    """The step before the body, which distinguishes the first round."""
    last: tree.If | None = None
    """The step after the body, which distinguishes the last round."""

    @property
    def step(self) -> tree.If | None:
        """The step that distinguishes the rounds."""
        return self.first or self.last


def rounds_of(node: tree.For) -> Rounds:
    """Take a loop apart. White space beside the step moves into each of its branches."""
    if node.between is not None:
        node = replace(node, position=node.position or BETWEEN)
        return Rounds(node, node.body, first=_not_first(node))
    rebound = any(isinstance(inner, tree.Let) and inner.name == node.position for inner in node.body)
    if node.position is None or rebound:
        return Rounds(node, node.body)
    begin, end = _without_blanks(node.body)
    if begin < end and (step := _about(node.body[begin], node.position, "first")):
        return Rounds(node, node.body[begin + 1 :], first=_with(step, node.body[:begin], []))
    if begin < end and (step := _about(node.body[end - 1], node.position, "last")):
        return Rounds(node, node.body[: end - 1], last=_with(step, [], node.body[end:]))
    return Rounds(node, node.body)


def separator(step: tree.If) -> int:
    """Return which of the two branches of a step is the one between two rounds."""
    return int(not isinstance(step.branches[0].test, tree.Unary | tree.Comparisons))


def _not_first(node: tree.For) -> tree.If:
    assert node.between is not None  # noqa: S101  the caller has looked
    start, end = node.start, node.end
    owner = tree.Name(start, end, node.position or "")
    test = tree.Unary(start, end, "not", tree.Attribute(start, end, owner, "first", start))
    return tree.If(start, end, "for", [tree.Branch(start, end, test, node.between), tree.Branch(start, end, None)])


def _without_blanks(nodes: list[tree.Node]) -> tuple[int, int]:
    """Return the indices of the nodes without the white space around them."""
    begin, end = 0, len(nodes)
    while begin < end and _is_blank(nodes[begin]):
        begin += 1
    while end > begin and _is_blank(nodes[end - 1]):
        end -= 1
    return begin, end


def _is_blank(node: tree.Node) -> bool:
    return isinstance(node, tree.Text) and not node.text.strip("\t\n\f\r ")


def _about(node: tree.Node, position: str, which: str) -> tree.If | None:
    """Return a step whose two branches are for the first or last round and for all others; ``None`` for any other."""
    if not isinstance(node, tree.If):
        return None
    if node.branches[-1].test is not None:
        node = replace(node, branches=[*node.branches, tree.Branch(node.end, node.end, None)])
    if len(node.branches) > 2:  # noqa: PLR2004  an elif means something else
        return None
    test = node.branches[0].test
    if isinstance(test, tree.Unary) and test.operator == "not":
        test = test.operand
    elif isinstance(test, tree.Comparisons):
        return node if _is_other_round(test, position, which) else None
    return node if _reads(test, position, which) else None


def _is_other_round(test: tree.Comparisons, position: str, which: str) -> bool:
    """Return whether a comparison holds in all rounds except the first, or except the last."""
    if len(test.rest) > 1:
        return False
    operator, other = test.rest[0]
    if which == "last":
        return operator in {"<", "!="} and _reads(test.first, position, "number") and _reads(other, position, "total")
    least = {"number": 1, "index": 0}
    return (
        operator in {">", "!="}
        and isinstance(other, tree.Constant)
        and any(_reads(test.first, position, name) and other.value == value for name, value in least.items())
    )


def _reads(node: tree.Expression | None, position: str, name: str) -> bool:
    return (
        isinstance(node, tree.Attribute)
        and node.name == name
        and isinstance(node.owner, tree.Name)
        and node.owner.name == position
    )


def _with(step: tree.If, before: list[tree.Node], after: list[tree.Node]) -> tree.If:
    """Return a step with white space in each of its branches instead of around it."""
    return replace(step, branches=[replace(each, body=[*before, *each.body, *after]) for each in step.branches])
