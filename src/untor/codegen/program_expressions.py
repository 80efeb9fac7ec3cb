"""Expressions of the language as steps of a program."""

from __future__ import annotations

from untor.codegen import steps
from untor.codegen.assembler import Assembler
from untor.codegen.owners import SharedOwners, spine
from untor.filters import NAMES, TAKE_NONE
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import NamedTuple

    from untor.analysis.ir import Function
    from untor.codegen.program import ProgramTables

    class Position(NamedTuple):
        """The position of a loop: its number, and the slot that says whether the item is the last."""

        loop: int
        last: int
else:  # typing is not loaded to render a page
    from collections import namedtuple

    Position = namedtuple("Position", "loop last")  # noqa: PYI024

_COMPARE = {operator: number for number, operator in enumerate(steps.COMPARING)}
_CALCULATE = {operator: number for number, operator in enumerate(steps.CALCULATING)}
_SIGN = {operator: number for number, operator in enumerate(steps.SIGNING)}
_COUNT = {name: number for number, name in enumerate(steps.COUNTING)}


SHARED = 1_000_000
"""The slots of objects that are read from several times are numbered from here on, until all others are known."""


class ExpressionCompiler(Assembler):
    """Compiles the expressions of one function.

    A value is told of by an operand: the number of a slot, or the complement of the number of a constant. ``to`` is the
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
        self.known = -1
        if not function.context:
            self.known = tables.constant(tuple(each.name for each in function.parameters))

    def lookup(self, name: str) -> int | Position | None:
        """Return what a name is bound to; ``None`` for a name of the context."""
        for scope in reversed(self.scopes):
            if name in scope:
                return scope[name]
        return None

    # --- values ------------------------------------------------------------------------------------------------------

    def handed(self, node: tree.Expression, to: int | None = None, *, lenient: bool = False) -> int:
        """Compile a value that gets a name, is an argument, or is tested together with others: only data may be."""
        outer, self.handing_on = self.handing_on, True
        operand = self.value(node, to, lenient=lenient)
        self.handing_on = outer
        return operand

    def value(self, node: tree.Expression, to: int | None = None, *, lenient: bool = False, wait: bool = True) -> int:
        """Compile an expression; with ``lenient``, what is missing is ``MISSING`` and no error."""
        lenient = lenient or self.tables.lenient
        match node:
            case tree.Constant():
                return self.moved(self.tables.constant(node.value), to)
            case tree.Name():
                return self.name(node, to, lenient=lenient, wait=wait)
            case tree.Attribute():
                return self.attribute(node, to, lenient=lenient, wait=wait)
            case tree.Item():
                return self.item(node, to, lenient=lenient, wait=wait)
            case tree.Filter():
                return self.filter(node, to, lenient=lenient, wait=wait)
            case tree.Call():
                return self.call(node, to, wait=wait)
            case tree.Maybe():
                return self.maybe(node, to, lenient=lenient, wait=wait)
            case tree.Otherwise():
                return self.otherwise(node, to, lenient=lenient)
            case tree.Conditional():
                return self.conditional(node, to, lenient=lenient)
            case tree.Binary(operator="and" | "or"):
                return self.either(node, to)
            case tree.Binary():
                return self.binary(node, to)
            case tree.Comparisons():
                return self.comparisons(node, to)
            case tree.Unary():
                return self.unary(node, to)
            case tree.ListDisplay():
                return self.packed(steps.LIST, node.items, to)
            case tree.DictDisplay():
                return self.dictionary(node, to)
            case tree.Slice():
                parts = [
                    tree.Constant(0, 0, None) if part is None else part for part in (node.first, node.last, node.step)
                ]
                mark = self.top
                operands = [self.value(part) for part in parts]
                return self.called(
                    self.tables.link("runtime", "slice"), operands, self.into(to, mark), node.start, node.end
                )
        raise TypeError(type(node).__name__)

    def name(self, node: tree.Name, to: int | None, *, lenient: bool, wait: bool) -> int:
        """Read a name."""
        bound = self.lookup(node.name)
        if isinstance(bound, int):
            return self.moved(bound, to)
        name = -1 if lenient else self.tables.name(node.name)
        number = self.tables.inputs.get(node.name)
        if self.known != -1 or number is None:
            slot = self.fresh() if to is None else to
            self.step(steps.COPY, slot, self.tables.link("global", node.name))
            what, names = (
                (steps.OF_SCOPE, self.tables.constant(None)) if self.known == -1 else (steps.OF_PIECE, self.known)
            )
            self.placed(node.start, node.end, steps.NEED, slot, name, what, names, int(wait))
            return slot
        if self.is_main:
            if wait or name >= 0:
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
        read = steps.READ_DATA if self.handing_on else steps.READ
        self.placed(node.start, node.end, read, slot, owner, self.tables.name(node.name), int(wait))
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
        found = None
        if isinstance(node, tree.Attribute) and not (lenient or self.tables.lenient):
            found = self.owners.find(node)
        if found is None:
            operand = self.value(node, lenient=lenient)
        else:
            number, is_read = found
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

    def otherwise(self, node: tree.Otherwise, to: int | None, *, lenient: bool) -> int:
        """Compile a ``??``, and those that follow it."""
        slot = self.fresh() if to is None else to
        mark = self.top
        ends: list[int] = []
        rest: tree.Expression = node
        with self.owners.perhaps():
            while isinstance(rest, tree.Otherwise):
                self.value(rest.value, slot, lenient=True)
                absent = self.jump(steps.ABSENT, slot)
                ends.append(self.jump(steps.JUMP))
                self.here(absent)
                rest = rest.fallback
            self.value(rest, slot, lenient=lenient)
        self.here(*ends)
        self.top = mark
        return slot

    def conditional(self, node: tree.Conditional, to: int | None, *, lenient: bool) -> int:
        """Compile ``then if test else otherwise``, and those that follow it."""
        slot = self.fresh() if to is None else to
        mark = self.top
        ends: list[int] = []
        rest: tree.Expression = node
        with self.owners.perhaps():
            while isinstance(rest, tree.Conditional):
                skip = self.test(rest.test)
                with self.owners.perhaps():
                    self.value(rest.then, slot, lenient=lenient)
                ends.append(self.jump(steps.JUMP))
                self.here(skip)
                rest = rest.otherwise
            self.value(rest, slot, lenient=lenient)
        self.here(*ends)
        self.top = mark
        return slot

    def either(self, node: tree.Binary, to: int | None) -> int:
        """Compile ``and`` and ``or``, whose value is that of the operand that decides."""
        slot = self.fresh() if to is None else to
        mark = self.top
        first, rest = spine(node, is_logical=True)
        self.handed(first, slot)
        with self.owners.perhaps():
            for each in rest:
                at = self.placed(each.start, each.end, steps.TEST, slot, 0, 0) + 3
                self.targets.append(at)
                end = at
                if each.operator == "or":
                    end = self.jump(steps.JUMP)
                    self.here(at)
                self.handed(each.right, slot)
                self.here(end)
        self.top = mark
        return slot

    def test(self, node: tree.Expression) -> int:
        """Compile a test; return the place that says where to go on when it is false."""
        mark = self.top
        operand = self.value(node)
        is_truth = isinstance(node, tree.Comparisons | tree.Constant) or (
            isinstance(node, tree.Unary) and node.operator == "not"
        )
        at = self.placed(node.start, node.end, steps.TEST, operand, int(not is_truth), 0)
        self.targets.append(at + 3)
        self.top = mark
        return at + 3

    def unary(self, node: tree.Unary, to: int | None) -> int:
        """Compile a sign, or several."""
        signs = [node]
        while isinstance(signs[-1].operand, tree.Unary):
            signs.append(signs[-1].operand)
        mark = self.top
        operand = self.handed(signs[-1].operand)
        for sign in reversed(signs):
            slot = self.into(to if sign is node else None, mark)
            self.placed(sign.start, sign.end, steps.UNARY, slot, operand, _SIGN[sign.operator])
            operand = slot
        return operand

    def binary(self, node: tree.Binary, to: int | None) -> int:
        """Compile a calculation, or several that follow one another."""
        first, rest = spine(node, is_logical=False)
        mark = self.top
        left = self.value(first)
        for each in rest:
            right = self.value(each.right)
            slot = self.into(to if each is node else None, mark)
            if each.operator == "%":
                self.called(self.tables.link("runtime", "modulo"), [left, right], slot, each.start, each.end)
            else:
                self.placed(each.start, each.end, steps.BINARY, slot, left, right, _CALCULATE[each.operator])
            left = slot
        return left

    def comparisons(self, node: tree.Comparisons, to: int | None) -> int:
        """Compile comparisons, of which the first that is not true decides."""
        slot = self.fresh() if to is None else to
        mark = self.top
        left = self.value(node.first)
        ends = []
        known = None
        for number, (operator, operand) in enumerate(node.rest):
            if number:
                known = known or dict(self.owners.known)
                at = self.placed(node.start, node.end, steps.TEST, slot, 0, 0)
                self.targets.append(at + 3)
                ends.append(at + 3)
            right = self.value(operand)
            self.placed(node.start, node.end, steps.COMPARE, slot, left, right, _COMPARE[operator])
            left = right
        self.owners.known = known or self.owners.known
        self.here(*ends)
        self.top = mark
        return slot

    def packed(self, how: int, items: list[tree.Expression], to: int | None) -> int:
        """Compile a list."""
        mark = self.top
        operands = list(map(self.handed, items))
        slot = self.into(to, mark)
        self.step(steps.PACK, slot, how, len(operands), *operands)
        return slot

    def dictionary(self, node: tree.DictDisplay, to: int | None) -> int:
        """Compile a mapping: keys and values in turn."""
        mark = self.top
        operands: list[int] = []
        for key, value in node.items:
            operands += (self.value(key), self.handed(value))
        slot = self.into(to, mark)
        self.placed(node.start, node.end, steps.PACK, slot, steps.DICT, len(operands), *operands)
        return slot

    # --- calls -------------------------------------------------------------------------------------------------------

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

    def call(self, node: tree.Call, to: int | None, *, wait: bool) -> int:
        """Compile the call of a function."""
        text = self.function.source.text[node.function.start : node.function.end]
        mark = self.top
        shown = self.tables.constant(text)
        if isinstance(node.function, tree.Attribute):
            owner = self.owner(node.function.owner, lenient=False)
            operands = [owner, self.tables.constant(node.function.name), shown]
            function = self.into(None, mark)
            finder = self.tables.link("calls", "callee_of")
            self.called(finder, operands, function, node.function.start, node.function.end)
        else:
            value = self.value(node.function)
            function = self.into(None, mark)
            self.placed(node.function.start, node.function.end, steps.CALLEE, function, value, shown)
        arguments = [self.handed(part) for part in node.arguments]
        arguments += [self.handed(part) for part in node.named.values()]
        slot = self.into(to, mark)
        named = tuple(node.named)
        return self.called(
            function, arguments, slot, node.start, node.end, named=named, kind="call", word=text, wait=wait
        )

    def filter(self, node: tree.Filter, to: int | None, *, lenient: bool, wait: bool) -> int:
        """Compile filters that follow one another; ``None`` and what is missing do not reach them."""
        slot = self.fresh() if to is None else to
        mark = self.top
        filters = [node]
        while isinstance(filters[-1].value, tree.Filter):
            filters.append(filters[-1].value)
        operand = None
        for each in reversed(filters):
            if operand is None:
                # Built-in filters do nothing with a function but refuse it.
                read = self.value if each.name in NAMES else self.handed
                operand = read(each.value, lenient=lenient)
            self.filtered(each, operand, slot, wait=wait or each is not node)
            operand = slot
            self.top = mark
        return slot

    def filtered(self, node: tree.Filter, operand: int, slot: int, *, wait: bool) -> None:
        """Call one filter."""
        skip = None
        if node.name not in TAKE_NONE:
            operand = self.moved(operand, slot)
            skip = self.jump(steps.ABSENT, operand)
        with self.owners.perhaps():
            arguments = [operand, *map(self.handed, node.arguments), *map(self.handed, node.named.values())]
        function, start = self.tables.link("filter", node.name), node.name_start
        end, named = start + len(node.name), tuple(node.named)
        self.called(function, arguments, slot, start, end, named=named, kind="filter", word=node.name, wait=wait)
        if skip is not None:
            self.here(skip)
