"""Loops in Python: what they iterate over, what they count, and what is sent during them."""

from __future__ import annotations

import ast

from untor.codegen.loop_tables import loop_table
from untor.codegen.nodes import APPEND, LOAD, STORE, call, constant, load, store
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Function, Loop, Operation
    from untor.codegen.locations import Locations
    from untor.codegen.python_expressions import ExpressionGenerator
    from untor.codegen.python_ways import Way

DEEPEST_LOOPS = 8
"""How many loops may be nested in one function of the code."""


class LoopGenerator:
    """The loops of one function."""

    function: Function
    way: Way
    locations: Locations
    expressions: ExpressionGenerator
    statements: list[ast.stmt]
    depth: int

    def block(self, operations: list[Operation], target: str) -> list[ast.stmt]:
        """Build operations that append to ``target``."""
        raise NotImplementedError

    def loop(self, operation: Loop, target: str) -> None:
        """Do the body for each item, counting only what is read of the position."""
        node, uses = operation.node, operation.uses
        streams = self.way.chunks and target == APPEND and not self.function.plain
        if streams:
            # The page's own loops send what is ready before they start; those of pieces only when it is enough.
            self.statements += self.way.send(everything=self.function.context and not self.depth)
        items, names = self.items(operation)
        item = _target(names)
        if uses & {"total", "last"}:
            items, item = self.sized(operation, items, item)
        if node.condition is None or uses & {"total", "last"}:
            items = load(self.iterator(items, node, uses))
        if uses - {"total"}:
            index = self.expressions.fresh("_index")
            items = call(self.helper("_enumerate", node), items)
            item = ast.Tuple([store(index), item], STORE)
            self.position(node.position or "").update(_counted(index))
        self.depth += 1
        body = self.block(operation.body, target) or [ast.Pass()]
        self.depth -= 1
        if self.depth and not self.depth % DEEPEST_LOOPS:
            body = self.outlined(body, target, node)
        self.expressions.scopes.pop()
        flag = self.expressions.fresh("_empty")
        if operation.empty:
            self.statements.append(ast.Assign([store(flag)], constant(value=True)))
            body.insert(0, ast.Assign([store(flag)], constant(value=False)))
        if streams:
            body += self.way.send(everything=False)
        # Errors while looping point at the iterable: versions of Python before 3.13 place them at the loop, others at
        # what it runs over.
        place = node.iterable.start, node.iterable.end
        items = self.locations.place(items, *place)
        loop = ast.AsyncFor(item, items, body, []) if self.is_async(node) else ast.For(item, items, body, [])
        self.statements.append(self.locations.place(loop, *place))
        if operation.empty:
            self.statements.append(ast.If(load(flag), self.block(operation.empty, target) or [ast.Pass()], []))

    def outlined(self, body: list[ast.stmt], target: str, node: tree.For) -> list[ast.stmt]:
        """Put statements into a function of their own: Python nests no more than twenty loops in one."""
        name = self.expressions.fresh("_deep")
        plain = target != APPEND or self.function.plain
        define = self.way.define(name, [], body, plain=plain, target=target)
        invoke = self.way.invoke(name, target, [], [], plain=plain)
        return [define, self.locations.place(invoke, node.end, node.end + 1)]

    def iterator(self, items: ast.expr, node: tree.For, uses: frozenset[str], *, conditional: bool = False) -> str:
        """Keep the iterator that a loop takes its items from in a variable: it knows how many those are.

        A conditional one chooses among them first.
        """
        name = self.expressions.fresh("_items")
        if (conditional or "last" not in uses) and not self.is_async(node):
            items = call("_counted", items)
        place = node.iterable.start, node.iterable.end
        items = self.locations.place(items, *place)
        self.statements.append(self.locations.place(ast.Assign([store(name)], items), *place))
        if not (conditional and "last" in uses):
            self.expressions.state.loops[name] = loop_table(node, ahead="last" in uses)
        return name

    def is_async(self, node: tree.For) -> bool:
        """Return whether a loop takes its items as they come, or awaits its condition for each."""
        return self.way.awaits and (self.way.chunks or node.condition is not None)

    def helper(self, name: str, node: tree.For) -> str:
        """Return the name of a function for loops, in its asynchronous form where there must be one."""
        return f"{name}_async" if self.is_async(node) else name

    def items(self, operation: Loop) -> tuple[ast.expr, list[str]]:
        """Return what a loop runs over, and the variables of its names, in a scope of their own."""
        node = operation.node
        collects = self.expressions.awaits and not self.way.chunks
        items = self.expressions.build(node.iterable, awaits=not collects)
        self.expressions.owners.forget()
        if isinstance(node.iterable, tree.Maybe):
            items = call("_none_is_missing", items)
        if collects:
            items = ast.Await(call("_collected", items))
        several = [constant(len(node.names))] if len(node.names) > 1 else []
        source = self.helper("_pairs" if several else "_each", node)
        items = self.locations.place(call(source, items, *several), node.iterable.start, node.iterable.end)
        self.expressions.scopes.append({})
        names = [self.expressions.fresh(f"_v_{name}_") for name in node.names]
        for name, variable in zip(node.names, names, strict=True):
            self.expressions.bind(name, variable)
        if node.condition is not None:
            rows = self.iterator(items, node, operation.uses, conditional=True)
            condition = self.expressions.truth(node.condition)
            self.expressions.owners.forget()
            place = node.iterable.start, node.iterable.end
            source_rows = self.locations.place(ast.Name(rows, LOAD), *place)
            generator = ast.comprehension(_target(names), source_rows, [condition], int(self.is_async(node)))
            element = load(names[0]) if len(names) == 1 else ast.Tuple([load(name) for name in names], LOAD)
            items = self.locations.place(ast.GeneratorExp(element, [generator]), *place)
        return items, names

    def position(self, name: str) -> dict[str, ast.expr]:
        """Return what the attributes of a loop's position are in the code."""
        binding = self.expressions.scopes[-1].setdefault(name, {})
        assert isinstance(binding, dict)  # noqa: S101  a position is never a variable
        return binding

    def sized(self, operation: Loop, items: ast.expr, item: ast.expr) -> tuple[ast.expr, ast.expr]:
        """Count the items, or look one ahead where only the last is requested."""
        node, is_async = operation.node, self.is_async(operation.node)
        position = self.position(node.position or "")
        if "total" not in operation.uses:
            last = self.expressions.fresh("_last")
            position["last"] = load(last)
            return call(self.helper("_ahead", node), items), ast.Tuple([item, store(last)], STORE)
        rows, total = self.expressions.fresh("_rows"), self.expressions.fresh("_total")
        rows_list: ast.expr = call(self.helper("_sized", node), items)
        place = node.iterable.start, node.iterable.end
        rows_list = self.locations.place(ast.Await(rows_list) if is_async else rows_list, *place)
        self.statements.append(self.locations.place(ast.Assign([store(rows)], rows_list), *place))
        self.statements.append(ast.Assign([store(total)], call("_len", load(rows))))
        position["total"] = load(total)
        if "last" in operation.uses:
            last = self.expressions.fresh("_last")
            position["last"] = load(last)
            return call(self.helper("_ahead", node), load(rows)), ast.Tuple([item, store(last)], STORE)
        return (call("_each_async", load(rows)) if is_async else load(rows)), item


def _target(names: list[str]) -> ast.expr:
    return store(names[0]) if len(names) == 1 else ast.Tuple([store(name) for name in names], STORE)


def _counted(index: str) -> dict[str, ast.expr]:
    """Return the attributes of a position that follow from the index."""
    odd = ast.BinOp(load(index), ast.BitAnd(), constant(1))
    return {
        "index": load(index),
        "number": ast.BinOp(load(index), ast.Add(), constant(1)),
        "first": ast.Compare(load(index), [ast.Eq()], [constant(0)]),
        "odd": ast.Compare(odd, [ast.Eq()], [constant(0)]),
        "even": ast.Compare(odd, [ast.Eq()], [constant(1)]),
    }
