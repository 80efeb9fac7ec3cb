"""Loops as steps of a program: what they iterate over, what they count, and what is sent during them."""

from __future__ import annotations

from untor.codegen import steps
from untor.codegen.loop_tables import loop_table
from untor.codegen.program_expressions import ExpressionCompiler
from untor.codegen.program_values import Position
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Function, Loop, Operation
    from untor.codegen.program import ProgramTables
    from untor.runtime.compiled import LoopTable


class LoopCompiler(ExpressionCompiler):
    """Compiles the loops of one function."""

    def __init__(self, function: Function, tables: ProgramTables, *, is_main: bool) -> None:
        super().__init__(function, tables, is_main=is_main)
        self.loops = 0
        self.depth = 0
        """How many loops are around, of those that this function or content has."""
        self.collects = 0
        """How many URLs are being collected, whose pieces are not sent off."""
        self.base = self.top
        """The first slot above those of variables."""
        self.rows: list[LoopTable] = []
        """Where each loop is in the template."""
        self.variables: list[tuple[str, int]] = []
        """The names of the template that slots hold the values of."""

    def block(self, operations: list[Operation]) -> None:
        """Compile operations; names that they bind end with them."""
        raise NotImplementedError

    def loop(self, operation: Loop) -> None:
        """Do the body for each item, counting only what is read of the position."""
        node, uses = operation.node, operation.uses
        outer = self.base
        sends = not (self.function.plain or self.collects)
        if sends:
            self.step(steps.SEND, int(self.function.context and not self.depth))
        self.depth += 1
        number, self.loops = self.loops, self.loops + 1
        self.rows.append(loop_table(node, ahead="last" in uses))
        condition = self.begin(node, uses, number)
        self.base = self.top = outer
        item = self.fresh()
        self.base = self.top
        top = len(self.code)
        if "last" in uses:
            last, top, end_of_items = self.ahead(node, number, item, condition)
        else:
            last, end_of_items = -1, self.next(node, number, item)
            if condition is not None:
                self.scopes.append({})
                self.names(node, item)
                self.condition(condition, top)
                self.scopes.pop()
        if uses - {"total"} or operation.empty:
            self.step(steps.COUNT, number)
        self.scopes.append({node.position: Position(number, last)} if node.position else {})
        self.names(node, item)
        self.block(operation.body)
        self.scopes.pop()
        if sends:
            self.step(steps.SEND, 0)
        if last < 0:
            self.back(top, steps.JUMP)
        else:
            self.back(top, steps.TEST, last)
        self.here(*end_of_items)
        self.depth -= 1
        self.base = self.top = outer
        if operation.empty:
            skip = self.jump(steps.EMPTY, number)
            self.block(operation.empty)
            self.here(skip)

    def begin(self, node: tree.For, uses: frozenset[str], number: int) -> tree.Expression | None:
        """Find what a loop runs over, and return the condition that is still to be tested for each item."""
        names = len(node.names)
        operand = self.value(node.iterable)
        self.owners.forget()
        if isinstance(node.iterable, tree.Maybe):
            operand = self.none_is_missing(operand)
        condition = node.condition
        if condition is not None and "total" in uses:
            operand, condition, names = self.kept(node, number, operand), None, 1
        self.items(node, number, operand, names, is_sized="total" in uses)
        return condition

    def items(self, node: tree.For, number: int, operand: int, names: int, *, is_sized: bool = False) -> None:
        """Begin to run over a value, whose items are taken apart for several names."""
        self.placed(node.iterable.start, node.iterable.end, steps.ITEMS, number, operand, int(is_sized), names)

    def next(self, node: tree.For, number: int, item: int) -> list[int]:
        """Take the next item; return the jumps to the end of the loop."""
        at = self.placed(node.iterable.start, node.iterable.end, steps.NEXT, number, item, 0)
        self.targets.append(at + 3)
        return [at + 3]

    def names(self, node: tree.For, item: int) -> None:
        """Bind the names of a loop to its item, or to the values in it."""
        slots = [item]
        if len(node.names) > 1:
            slots = [self.fresh() for _ in node.names]
            self.placed(node.iterable.start, node.iterable.end, steps.SPLIT, item, len(slots), *slots)
            self.base = self.top
        for name, slot in zip(node.names, slots, strict=True):
            self.scopes[-1][name] = slot
            self.variables.append((name, slot))

    def condition(self, condition: tree.Expression, otherwise: int) -> None:
        """Compile the condition of a loop, which goes on with the next item where it does not hold."""
        self.owners.forget()
        self.code[self.test(condition)] = otherwise
        self.owners.forget()

    def ahead(
        self, node: tree.For, number: int, item: int, condition: tree.Expression | None
    ) -> tuple[int, int, list[int]]:
        """Look one item ahead, to know the last.

        Returns the slot of that flag, the step that takes the next item, and the jumps to the end of the loop.
        """
        last, waiting, next_item, following = (self.fresh() for _ in range(4))
        true, false = self.tables.constant(value=True), self.tables.constant(value=False)
        self.base = self.top
        self.step(steps.COPY, waiting, false)
        self.step(steps.COPY, last, false)
        take = len(self.code)
        drained = self.next(node, number, following)
        if condition is not None:
            self.scopes.append({})
            self.names(node, following)
            self.condition(condition, take)
            self.scopes.pop()
        first = self.jump(steps.TEST, waiting)
        self.step(steps.COPY, item, next_item)
        self.step(steps.COPY, next_item, following)
        begin = self.jump(steps.JUMP)
        self.here(first)
        self.step(steps.COPY, next_item, following)
        self.step(steps.COPY, waiting, true)
        self.back(take, steps.JUMP)
        self.here(*drained)
        nothing = self.jump(steps.TEST, waiting)
        self.step(steps.COPY, item, next_item)
        self.step(steps.COPY, last, true)
        self.here(begin)
        return last, take, [nothing]

    def kept(self, node: tree.For, number: int, operand: int) -> int:
        """Collect the items that a condition holds for, and return the slot of their list."""
        assert node.condition is not None  # noqa: S101  called with a condition only
        operand = self.moved(operand, self.fresh())
        self.base = self.top
        self.items(node, number, operand, len(node.names))
        self.step(steps.PACK, operand, steps.LIST, 0)
        item = self.fresh()
        self.base = self.top
        top = len(self.code)
        end = self.next(node, number, item)
        self.scopes.append({})
        self.names(node, item)
        self.condition(node.condition, top)
        self.scopes.pop()
        self.step(steps.ADD, operand, item)
        self.back(top, steps.JUMP)
        self.here(*end)
        return operand
