"""How a program reads values: names, dots, items, and the results of calls."""

from __future__ import annotations

from untor.codegen import steps
from untor.codegen.assembler import Assembler
from untor.codegen.owners import SharedOwners
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import NamedTuple

    from untor.analysis.ir import Function
    from untor.codegen.program import ProgramTables

    class Position(NamedTuple):
        """The position of a loop: its number, and the slot with whether the item is the last."""

        loop: int
        last: int
else:  # typing is not loaded to render a page
    from collections import namedtuple

    Position = namedtuple("Position", "loop last")  # noqa: PYI024

_COUNT = {name: number for number, name in enumerate(steps.COUNTING)}

SHARED = 1 << 28
"""The slots of objects that are read from several times are numbered from here on, until all others are known."""


class ValueCompiler(Assembler):
    """Compiles what the expressions of one function read.

    An operand refers to a value: it is the number of a slot, or the complement of a constant's number. ``to`` is the
    slot that a value is wanted in, if any. With ``wait``, a value that can be awaited is, where the page awaits values.
    """

    def __init__(self, function: Function, tables: ProgramTables, *, is_main: bool) -> None:
        super().__init__(len(tables.inputs) if is_main else 0)
        self.function = function
        self.tables = tables
        self.is_main = is_main
        self.scopes: list[dict[str, int | Position]] = [{}]
        self.owners = SharedOwners(self.lookup)
        self.most_owners = 0
        self.handing_on = False
        """Whether what is built is handed on or tested, so that a dot may not give a function."""
        self.known: int | None = None
        if not function.context:
            self.known = tables.constant(tuple(each.name for each in function.parameters))

    def lookup(self, name: str) -> int | Position | None:
        """Return what a name is bound to; ``None`` for a name of the context."""
        for scope in reversed(self.scopes):
            if name in scope:
                return scope[name]
        return None

    def value(self, node: tree.Expression, to: int | None = None, *, lenient: bool = False, wait: bool = True) -> int:
        """Compile an expression; with ``lenient``, what is missing is ``MISSING`` and no error."""
        raise NotImplementedError

    def name(self, node: tree.Name, to: int | None, *, lenient: bool, wait: bool) -> int:
        """Read a name."""
        bound = self.lookup(node.name)
        if isinstance(bound, int):
            return self.moved(bound, to)
        name = -1 if lenient else self.tables.name(node.name)
        number = self.tables.inputs.get(node.name)
        if self.known is not None or number is None:
            slot = self.fresh() if to is None else to
            self.step(steps.COPY, slot, self.tables.link("global", node.name))
            what, names = (
                (steps.OF_SCOPE, self.tables.constant(None)) if self.known is None else (steps.OF_PIECE, self.known)
            )
            self.placed(node.start, node.end, steps.NEED, slot, name, what, names, int(wait))
            return slot
        if self.is_main:
            none = self.tables.constant(None)
            self.placed(node.start, node.end, steps.NEED, number, name, steps.OF_SCOPE, none, int(wait))
            return self.moved(number, to)
        slot = self.fresh() if to is None else to
        self.placed(node.start, node.end, steps.INPUT, slot, number, name, int(wait))
        return slot

    def attribute(self, node: tree.Attribute, to: int | None, *, lenient: bool, wait: bool) -> int:
        """Read a dot."""
        if isinstance(node.owner, tree.Name):
            bound = self.lookup(node.owner.name)
            if bound is not None and not isinstance(bound, int):
                return self.counted(bound, node.name, to)
        mark = self.top
        owner = self.owner(node.owner, lenient=lenient)
        slot = self.into(to, mark)
        if lenient:
            maybe = self.tables.link("runtime", "dot_data_maybe" if self.handing_on else "dot_maybe")
            return self.called(maybe, [owner, self.tables.constant(node.name)], slot, node.start, node.end, wait=wait)
        step = steps.READ_DATA if self.handing_on else steps.READ
        self.placed(node.start, node.end, step, slot, owner, self.tables.name(node.name), self.tables.read(wait=wait))
        return slot

    def counted(self, position: Position, name: str, to: int | None) -> int:
        """Read what is counted by a loop."""
        if name == "last":
            return self.moved(position.last, to)
        slot = self.fresh() if to is None else to
        self.step(steps.POSITION, slot, position.loop, _COUNT[name])
        return slot

    def owner(self, node: tree.Expression, *, lenient: bool) -> int:
        """Compile the owner before a dot: after a ``?``, ``None`` is as good as missing."""
        outer, self.handing_on = self.handing_on, False
        shared = None
        if isinstance(node, tree.Attribute) and not (lenient or self.tables.lenient):
            shared = self.owners.find(node)
        if shared is None:
            operand = self.value(node, lenient=lenient)
        else:
            number, is_read = shared
            self.most_owners = max(self.most_owners, number + 1)
            operand = SHARED + number
            if not is_read:
                self.value(node, operand)
        self.handing_on = outer
        if isinstance(node, tree.Maybe) and not lenient:
            operand = self.none_is_missing(operand)
        return operand

    def none_is_missing(self, operand: int) -> int:
        """Return the operand of a value that is missing when it is ``None``."""
        slot = self.moved(operand, self.fresh())
        absent = self.jump(steps.ABSENT, slot)
        end = self.jump(steps.JUMP)
        self.here(absent)
        self.step(steps.COPY, slot, self.tables.link("runtime", "MISSING"))
        self.here(end)
        return slot

    def item(self, node: tree.Item, to: int | None, *, lenient: bool, wait: bool) -> int:
        """Read an item."""
        mark = self.top
        operands = [self.owner(node.owner, lenient=lenient), self.value(node.index)]
        slot = self.into(to, mark)
        if lenient:
            maybe = self.tables.link("runtime", "item_maybe")
            return self.called(maybe, operands, slot, node.start, node.end, wait=wait)
        self.placed(node.start, node.end, steps.READ_ITEM, slot, *operands, int(wait))
        return slot

    def maybe(self, node: tree.Maybe, to: int | None, *, lenient: bool, wait: bool) -> int:
        """Compile a ``?``: what is missing at its last step is ``MISSING``."""
        inner, mark = node.value, self.top
        if isinstance(inner, tree.Attribute) and not lenient:
            operands = [self.owner(inner.owner, lenient=False), self.tables.constant(inner.name)]
            maybe = self.tables.link("runtime", "dot_data_maybe" if self.handing_on else "dot_maybe")
        elif isinstance(inner, tree.Item) and not lenient:
            operands = [self.owner(inner.owner, lenient=False), self.value(inner.index)]
            maybe = self.tables.link("runtime", "item_maybe")
        else:
            return self.value(inner, to, lenient=True, wait=wait)
        return self.called(maybe, operands, self.into(to, mark), node.start, node.end, wait=wait)

    def called(
        self,
        function: int,
        operands: list[int],
        slot: int,
        start: int,
        end: int,
        *,
        named: tuple[str, ...] = (),
        kind: str = "",
        word: str = "",
        wait: bool = False,
    ) -> int:
        """Call a function with values, the last of them by name, and return the slot of its result."""
        names = self.tables.constant(named or None)
        parts = (steps.CALL, slot, function, names, int(wait), len(operands), *operands)
        self.placed(start, end, *parts, kind=kind, word=word)
        return slot
