"""The objects that a run of values reads from: each is read once for all of them, and not once for each dot."""

from __future__ import annotations

from contextlib import contextmanager

from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    Path = tuple[object, ...]
    """What a name is bound to, and the names that are read from there on."""


class SharedOwners:
    """What is known of the objects that have been read, by their paths: the variable or slot that holds each."""

    def __init__(self, bound: Callable[[str], object]) -> None:
        self.bound = bound
        self.known: dict[Path, int] = {}
        self.number = 0
        """How many of them there are; the next of them has this number."""

    def forget(self) -> None:
        """Begin anew: what comes now may be done at another time, or not at all."""
        self.known.clear()
        self.number = 0

    @contextmanager
    def perhaps(self) -> Iterator[None]:
        """Forget afterwards what is read from now on, since it may not be."""
        known_before = dict(self.known)
        yield
        self.known = known_before

    def find(self, node: tree.Attribute) -> tuple[int, bool] | None:
        """Return the number of an owner, and whether it has been read; ``None`` for one that is not a path of names."""
        names: list[object] = []
        part: tree.Expression = node
        while isinstance(part, tree.Attribute):
            names.append(part.name)
            part = part.owner
        if not isinstance(part, tree.Name):
            return None
        bound = self.bound(part.name)
        if not isinstance(bound, int | str | None):
            return None
        path = (bound, part.name, *reversed(names))
        number = self.known.get(path)
        if number is not None:
            return number, True
        self.known[path] = self.number
        self.number += 1
        return self.number - 1, False


def spine(node: tree.Binary, *, is_logical: bool) -> tuple[tree.Expression, list[tree.Binary]]:
    """Return the first operand of operations that are grouped from the left, and the operations from there on."""
    operations = [node]
    while isinstance(inner := operations[-1].left, tree.Binary) and (inner.operator in {"and", "or"}) == is_logical:
        operations.append(inner)
    return operations[-1].left, operations[::-1]


def groups(operations: list[tree.Binary]) -> list[list[tree.Binary]]:
    """Return logical operations in groups of one operator: in ``a and b or c``, ``c`` may be read, and ``b`` not."""
    found: list[list[tree.Binary]] = []
    for each in operations:
        if found and found[-1][0].operator == each.operator:
            found[-1].append(each)
        else:
            found.append([each])
    return found
