"""Stacks and sets of states: never changed, so that states share them.

Adding and taking off take the same time at any size. A stack is used as a tuple is: ``stack + (item,)``, ``stack[-1]``,
``stack[:-1]``, ``item in stack``; but it is iterated from the top down.
"""

from __future__ import annotations

import itertools
from collections.abc import Set as AbstractSet
from typing import Generic, TypeVar, overload

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator
    from typing import Any

Item = TypeVar("Item")


class Stack(Generic[Item]):
    """A stack: an item and the stack below it."""

    __slots__ = ("_hash", "below", "depth", "members", "top", "tracked")

    top: Item
    below: Stack[Item]

    def __init__(self, tracked: frozenset[Item] | None = None, nothing: Item | None = None) -> None:
        """Begin an empty stack, with ``nothing`` at its top."""
        if nothing is not None:
            self.top = nothing
        self.depth = 0
        self._hash = 0
        self.tracked = tracked
        """The items with a quick lookup, unless there are few; any other is searched from the top down."""
        self.members: frozenset[Item] = frozenset()
        """Those of the items with a quick lookup that are in it."""

    def push(self, item: Item) -> Stack[Item]:
        """Return the stack with one item more."""
        new: Stack[Item] = object.__new__(Stack)
        new.top, new.below, new.depth = item, self, self.depth + 1
        new._hash = hash((self._hash, item))
        tracked, members = self.tracked, self.members
        new.tracked = tracked
        new.members = members if item in members or not (tracked is None or item in tracked) else members | {item}
        return new

    def __add__(self, items: tuple[Item, ...]) -> Stack[Item]:
        stack = self
        for item in items:
            stack = stack.push(item)
        return stack

    @overload
    def __getitem__(self, index: int) -> Item: ...

    @overload
    def __getitem__(self, index: slice) -> Stack[Item]: ...

    def __getitem__(self, index: int | slice) -> Item | Stack[Item]:
        """Return an item counted from the top, ``[-1]``, or all but some of the items at the top, ``[:-1]``."""
        stack = self
        over = -index.stop if isinstance(index, slice) else -index - 1
        if over < 0:
            raise IndexError("a stack is counted from the top")
        for _ in range(over):
            stack = stack.below
        if isinstance(index, slice):
            return stack
        if not stack.depth:
            raise IndexError(index)
        return stack.top

    def ends_with(self, item: Item) -> bool:
        """Return whether an item is at the top."""
        return self.depth > 0 and self.top == item

    def __contains__(self, item: object) -> bool:
        if self.tracked is None or item in self.tracked:
            return item in self.members
        return any(each == item for each in self)

    def __iter__(self) -> Iterator[Item]:
        """Iterate from the top down."""
        stack = self
        while stack.depth:
            yield stack.top
            stack = stack.below

    def __len__(self) -> int:
        return self.depth

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Stack) or self._hash != other._hash or self.depth != other.depth:
            return False
        one, two = self, other
        while one.depth and one is not two:
            if one.top != two.top:
                return False
            one, two = one.below, two.below
        return True

    def __hash__(self) -> int:
        return self._hash

    def __repr__(self) -> str:
        return f"<{' '.join(map(repr, reversed([*self])))}>"


class NameSet(AbstractSet[str]):
    """A set of names that is never changed: adding takes the same time at any size, if nothing else was added to it."""

    __slots__ = ("count", "order")

    def __init__(self, names: Iterable[str] = ()) -> None:
        self.order: dict[str, int] = {name: index for index, name in enumerate(dict.fromkeys(names))}
        self.count = len(self.order)

    def with_name(self, name: str) -> NameSet:
        """Return the set with one name more."""
        order, count = self.order, self.count
        if order.get(name, count) < count:
            return self
        if not count:
            order = {}
        elif len(order) != count:
            order = {each: index for each, index in order.items() if index < count}
        order[name] = count
        new = NameSet.__new__(NameSet)
        new.order, new.count = order, count + 1
        return new

    def __contains__(self, name: object) -> bool:
        return self.order.get(name, self.count) < self.count  # type: ignore[call-overload, no-any-return]

    def __iter__(self) -> Iterator[str]:
        return itertools.islice(self.order, self.count)

    def __len__(self) -> int:
        return self.count

    def __or__(self, other: Iterable[Any]) -> NameSet:
        names = self
        for name in other:
            names = names.with_name(name)
        return names

    def __eq__(self, other: object) -> bool:
        return self is other or (isinstance(other, AbstractSet) and frozenset(self) == frozenset(other))

    def __hash__(self) -> int:
        return hash(frozenset(self))


NO_NAMES = NameSet()
"""The empty set; what is added to it is kept elsewhere."""
