"""Expressions of the language as steps of a program."""

from __future__ import annotations

from untor.codegen import steps
from untor.codegen.owners import groups, spine
from untor.codegen.program_values import ValueCompiler
from untor.filters import NAMES, TAKE_NONE
from untor.language import tree

_COMPARE = {operator: number for number, operator in enumerate(steps.COMPARING)}
_CALCULATE = {operator: number for number, operator in enumerate(steps.CALCULATING)}
_SIGN = {operator: number for number, operator in enumerate(steps.SIGNING)}


class ExpressionCompiler(ValueCompiler):
    """Compiles the expressions of one function."""

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
        if isinstance(node, tree.Attribute):
            return self.attribute(node, to, lenient=lenient, wait=wait)
        if isinstance(node, tree.Name):
            return self.name(node, to, lenient=lenient, wait=wait)
        match node:
            case tree.Constant():
                return self.moved(self.tables.constant(node.value), to)
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
        for group in groups(rest):
            with self.owners.perhaps():
                for each in group:
                    at = self.placed(each.start, each.end, steps.TEST, slot, 0) + 2
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
        """Compile a test; return the place of the target for when it is false."""
        mark = self.top
        operand = self.value(node)
        at = self.placed(node.start, node.end, steps.TEST, operand, 0)
        self.targets.append(at + 2)
        self.top = mark
        return at + 2

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
        operand = self.value(first)
        for each in rest:
            right = self.value(each.right)
            slot = self.into(to if each is node else None, mark)
            if each.operator == "%":
                self.called(self.tables.link("runtime", "modulo"), [operand, right], slot, each.start, each.end)
            else:
                self.placed(each.start, each.end, steps.BINARY, slot, operand, right, _CALCULATE[each.operator])
            operand = slot
        return operand

    def comparisons(self, node: tree.Comparisons, to: int | None) -> int:
        """Compile comparisons, of which the first that is not true decides."""
        slot = self.fresh() if to is None else to
        mark = self.top
        left_operand = self.value(node.first)
        ends = []
        known_before = None
        for number, (operator, operand) in enumerate(node.rest):
            if number:
                known_before = known_before or dict(self.owners.known)
                at = self.placed(node.start, node.end, steps.TEST, slot, 0)
                self.targets.append(at + 2)
                ends.append(at + 2)
            right = self.value(operand)
            self.placed(node.start, node.end, steps.COMPARE, slot, left_operand, right, _COMPARE[operator])
            left_operand = right
        self.owners.known = known_before or self.owners.known
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

    def call(self, node: tree.Call, to: int | None, *, wait: bool) -> int:
        """Compile the call of a function."""
        text = self.function.source.text[node.function.start : node.function.end]
        mark = self.top
        words = self.tables.constant(text)
        if isinstance(node.function, tree.Attribute):
            owner = self.owner(node.function.owner, lenient=False)
            operands = [owner, self.tables.constant(node.function.name), words]
            function = self.into(None, mark)
            finder = self.tables.link("calls", "callee_of")
            self.called(finder, operands, function, node.function.start, node.function.end)
        else:
            value = self.value(node.function)
            function = self.into(None, mark)
            self.placed(node.function.start, node.function.end, steps.CALLEE, function, value, words)
        arguments = [self.handed(part) for part in node.arguments]
        arguments += [self.handed(part) for part in node.named.values()]
        slot = self.into(to, mark)
        names = tuple(node.named)
        return self.called(
            function, arguments, slot, node.start, node.end, named=names, kind="call", word=text, wait=wait
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
                compile_value = self.value if each.name in NAMES else self.handed
                operand = compile_value(each.value, lenient=lenient)
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
        end, names = start + len(node.name), tuple(node.named)
        self.called(function, arguments, slot, start, end, named=names, kind="filter", word=node.name, wait=wait)
        if skip is not None:
            self.here(skip)
