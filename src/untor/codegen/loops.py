"""Loops: what they iterate over, what they count, and what is sent during them."""

from __future__ import annotations

import ast
from itertools import islice

from untor.analysis.ir import Loop, all_operations
from untor.codegen.bytecode import translated
from untor.codegen.nodes import APPEND, LOAD, STORE, call, constant, load, store
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Function, Operation
    from untor.codegen.bytecode import Program
    from untor.codegen.expression_code import ExpressionGenerator, ModuleState
    from untor.codegen.locations import Locations
    from untor.codegen.output import OutputWriter
    from untor.codegen.variants import Variant

MOST_RUN = 300
"""How many operations a loop has at most that the extension runs."""

MOST_MISSED = 3
"""Stop trying nested loops in the extension after this many enclosing loops that it could not run."""

DEEPEST_LOOPS = 8
"""How many loops may be nested in one function of the code."""


class LoopGenerator:
    """The loops of one function."""

    function: Function
    module_state: ModuleState
    output: OutputWriter
    way: Variant
    locations: Locations
    expressions: ExpressionGenerator
    depth: int
    missed: int
    """The number of enclosing loops that run in Python."""

    def block(self, operations: list[Operation], target: str) -> list[ast.stmt]:
        """Build operations that append to ``target``."""
        raise NotImplementedError

    def loop(self, operation: Loop, target: str) -> list[ast.stmt]:
        """Do the body for each item, counting only what is read of the position."""
        node, uses = operation.node, operation.uses
        streams = self.way.chunks and target == APPEND and not (self.function.plain or self.expressions.plain)
        statements: list[ast.stmt] = []
        if streams and not self.depth:
            # The page's own loops send what is ready before they start; those of pieces only when it is enough.
            statements = self.way.send(everything=self.function.context)
        items, names = self.items(operation, statements)
        item = _target(names)
        if uses & {"total", "last"}:
            items, item = self.sized(operation, items, item, statements)
        if uses - {"total"}:
            index = self.expressions.fresh("_index")
            items = call(self.helper("_enumerate"), items)
            item = ast.Tuple([store(index), item], STORE)
            self.position(node.position or "").update(_counted(index))
        program, body = self.translated(operation, target, item)
        nothing: ast.expr | None = None
        if program is not None:
            items, nothing = self.run(operation, program, items, statements)
        if program is None or streams or self.way.awaits:
            self.missed += program is None
            body = self.repeated(operation, target, names, statements)
            self.missed -= program is None
        self.expressions.scopes.pop()
        if operation.empty and nothing is None:
            flag = self.expressions.fresh("_empty")
            statements.append(ast.Assign([store(flag)], constant(value=True)))
            body.insert(0, ast.Assign([store(flag)], constant(value=False)))
            nothing = load(flag)
        if streams:
            body += self.way.send(everything=False)
        loop = ast.AsyncFor(item, items, body, []) if self.is_async else ast.For(item, items, body, [])
        # What goes wrong while looping is told of the iterable, in every version of Python.
        statements.append(self.locations.place(loop, node.iterable.start, node.iterable.end))
        if operation.empty and nothing is not None:
            statements.append(ast.If(nothing, self.block(operation.empty, target) or [ast.Pass()], []))
        return statements

    def repeated(self, operation: Loop, target: str, names: list[str], statements: list[ast.stmt]) -> list[ast.stmt]:
        """Return what is done for each item."""
        self.depth += 1
        self.expressions.loops += 1
        self.expressions.kinds.update(dict.fromkeys(names, False))
        before = len(self.expressions.last)
        body = self.block(operation.body, target) or [ast.Pass()]
        self.depth -= 1
        self.expressions.loops -= 1
        if self.depth and not self.depth % DEEPEST_LOOPS:
            body = self.outlined([*self.forgotten(before), *self.expressions.kinds_known(names), *body], target)
        else:
            body[:0] = [statement for name in names for statement in self.expressions.kind_found(name)]
        if not self.expressions.loops:
            statements += self.forgotten(before)
        return body

    # --- loops of the extension ----------------------------------------------------------------------------------

    def translated(self, operation: Loop, target: str, item: ast.expr) -> tuple[Program | None, list[ast.stmt]]:
        """Return the program of a loop that the extension runs, where it can, and the code that it is made from."""
        if not self.may_be_run(operation, target):
            return None, []
        included, awaits = self.module_state.included, self.expressions.awaits
        self.expressions.plain, self.expressions.awaits = True, False
        self.depth += 1
        self.expressions.loops += 1
        body = self.block(operation.body, target) or [ast.Pass()]
        self.depth -= 1
        self.expressions.loops -= 1
        self.expressions.plain, self.expressions.awaits = False, awaits
        program = translated(item, body, chunks=self.way.chunks, awaits=awaits)
        if program is None or self.way.chunks or awaits:
            self.module_state.included = included
        return program, body

    def run(
        self, operation: Loop, program: Program, items: ast.expr, statements: list[ast.stmt]
    ) -> tuple[ast.expr, ast.expr]:
        """Let the extension do what it can; return the items that it leaves, and the test that there were none."""
        place = operation.node.iterable
        left = self.expressions.fresh("_rows")
        given: list[ast.expr] = [load("_append"), items, *program.given]
        nothing: ast.expr = ast.Compare(load(left), [ast.Is()], [constant(None)])
        if self.way.chunks:
            # It stops when there is enough for a chunk, and goes on where it stopped.
            rest, empty = self.expressions.fresh("_rows"), self.expressions.fresh("_empty")
            given[1] = load(rest)
            statements.append(
                self.locations.place(ast.Assign([store(rest)], call("_iter", items)), place.start, place.end)
            )
            statements.append(ast.Assign([store(empty)], constant(value=True)))
            nothing = ast.BoolOp(ast.And(), [load(empty), nothing])
        found: ast.expr = self.locations.place(
            call(self.module_state.loop(program.made), *given), place.start, place.end
        )
        if self.way.chunks:
            stopped = ast.Compare(ast.NamedExpr(store(left), found), [ast.Is()], [constant(value=True)])
            sent = [ast.Assign([store(empty)], constant(value=False)), *self.way.send(everything=False)]
            statements.append(ast.While(self.locations.place(stopped, place.start, place.end), sent, []))
        elif operation.empty:
            statements.append(ast.Assign([store(left)], found))
        if self.way.chunks or operation.empty:
            found = load(left)
        return ast.BoolOp(ast.Or(), [found, ast.Tuple([], LOAD)]), nothing

    def may_be_run(self, operation: Loop, target: str) -> bool:
        """Tell whether a loop may be the extension's: of what is there already, and of a size that can be tried."""
        if not self.output.joins or self.is_async or self.function.plain or target != APPEND:
            return False
        inside = [*islice(all_operations(operation.body), MOST_RUN + 1)]
        return len(inside) <= MOST_RUN and (
            self.missed < MOST_MISSED or not any(isinstance(each, Loop) for each in inside)
        )

    def forgotten(self, before: int) -> list[ast.stmt]:
        """Let the types that are remembered from a number on begin with none."""
        last = self.expressions.last[before:]
        del self.expressions.last[before:]
        return [ast.Assign([store(name) for name in last], constant(None))] if last else []

    def outlined(self, body: list[ast.stmt], target: str) -> list[ast.stmt]:
        """Put statements into a function of their own: Python nests no more than twenty loops in one."""
        name = self.expressions.fresh("_deep")
        plain = target != APPEND or self.function.plain
        define = self.way.define(name, [], body, plain=plain, target=target)
        return [define, self.way.invoke(name, target, [], [], plain=plain)]

    @property
    def is_async(self) -> bool:
        """Tell whether loops run over asynchronous iterators as they come, not collected first."""
        return self.way.awaits and self.way.chunks

    def helper(self, name: str) -> str:
        """Return the name of a function for loops, in its asynchronous form where there must be one."""
        return f"{name}_async" if self.is_async else name

    def items(self, operation: Loop, statements: list[ast.stmt]) -> tuple[ast.expr, list[str]]:
        """Return what a loop runs over, and the variables of its names, in a scope of their own."""
        node = operation.node
        collects = self.expressions.awaits and not self.way.chunks
        items = self.expressions.build(node.iterable, awaits=not collects)
        if isinstance(node.iterable, tree.Maybe):
            items = call("_none_is_missing", items)
        source = self.helper("_pairs" if len(node.names) == 2 else "_each")  # noqa: PLR2004  key and value
        if source == "_each":
            name = self.expressions.fresh("_t")
            known = ast.Compare(call("_type", ast.NamedExpr(store(name), items)), [ast.Is()], [load("_list")])
            other: ast.expr = load(name)
            items = ast.IfExp(
                known, load(name), call(source, ast.Await(call("_collected", other)) if collects else other)
            )
        else:
            items = call(source, ast.Await(call("_collected", items)) if collects else items)
        items = self.locations.place(items, node.iterable.start, node.iterable.end)
        self.expressions.scopes.append({})
        names = [self.expressions.fresh(f"_v_{name}_") for name in node.names]
        for name, variable in zip(node.names, names, strict=True):
            self.expressions.bind(name, variable)
        if node.condition is not None:
            rows = self.expressions.fresh("_rows")
            statements.append(ast.Assign([store(rows)], items))
            condition = self.expressions.truth(node.condition)
            kept = ast.comprehension(_target(names), load(rows), [condition], int(self.is_async))
            element = load(names[0]) if len(names) == 1 else ast.Tuple([load(name) for name in names], LOAD)
            # In a function that awaits, a generator with a condition that awaits would be an asynchronous one.
            items = ast.ListComp(element, [kept]) if collects else ast.GeneratorExp(element, [kept])
        return items, names

    def position(self, name: str) -> dict[str, ast.expr]:
        """Return what the attributes of a loop's position are in the code."""
        binding = self.expressions.scopes[-1].setdefault(name, {})
        assert isinstance(binding, dict)  # noqa: S101  a position is never a variable
        return binding

    def sized(
        self, operation: Loop, items: ast.expr, item: ast.expr, statements: list[ast.stmt]
    ) -> tuple[ast.expr, ast.expr]:
        """Find out how many items there are, or only look one ahead where just the last is asked for."""
        position = self.position(operation.node.position or "")
        if "total" not in operation.uses:
            last = self.expressions.fresh("_last")
            position["last"] = load(last)
            return call(self.helper("_ahead"), items), ast.Tuple([item, store(last)], STORE)
        rows, total = self.expressions.fresh("_rows"), self.expressions.fresh("_total")
        listed: ast.expr = call(self.helper("_sized"), items)
        statements.append(ast.Assign([store(rows)], ast.Await(listed) if self.is_async else listed))
        statements.append(ast.Assign([store(total)], call("_len", load(rows))))
        position["total"] = load(total)
        if "last" in operation.uses:
            last = self.expressions.fresh("_last")
            position["last"] = load(last)
            return call(self.helper("_ahead"), load(rows)), ast.Tuple([item, store(last)], STORE)
        return (call("_each_async", load(rows)) if self.is_async else load(rows)), item


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
