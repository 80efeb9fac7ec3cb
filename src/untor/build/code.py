"""The plan of a template as the code of one Python function, ``render(context=None, /, **values)``."""

from __future__ import annotations

import ast
from typing import Any, NamedTuple

from untor.build.expressions import Expressions, call, load, store, variables
from untor.build.positions import Positions
from untor.escape.url import FIXED
from untor.plan.operations import Bind, Choice, Constant, Emit, Loop, Operation, Plan, UrlFixed, UrlJoin, UrlValue

TYPE_CHECKING = False
if TYPE_CHECKING:
    from types import CodeType

    from untor.language import tree

LONGEST_RUN = 60
"""How many values one f-string takes: all of them are on the interpreter's stack at once."""

_FRAME = """
def render(context=None, /, **values):
    try:
        scope = merge(context, values)
        get = scope.get
        out = []
        append = out.append
        return ''.join(out)
    except Exception as error:
        problem = trouble(error)
        if problem is None:
            raise
        raise problem from error
"""


class Built(NamedTuple):
    """Code that defines ``render``, the filters it calls, and where it calls them (Python's line and column)."""

    code: CodeType
    filters: frozenset[str]
    filter_places: dict[tuple[int, int], str]


def build(plan: Plan, *, lenient: bool = False) -> Built:
    """Compile a plan without problems; ``lenient`` prints missing values as nothing."""
    positions = Positions(plan.source)
    builder = _Builder(positions, lenient=lenient)
    body = builder.block(plan.body, "append")
    module = ast.parse(_FRAME)
    function = module.body[0]
    assert isinstance(function, ast.FunctionDef)  # noqa: S101  as written above
    guarded = function.body[0]
    assert isinstance(guarded, ast.Try)  # noqa: S101
    for node in ast.walk(module):
        if isinstance(node, ast.expr | ast.stmt | ast.excepthandler):
            node.lineno = node.end_lineno = 1
            node.col_offset = node.end_col_offset = 0
    guarded.body[-1:-1] = variables(builder.expressions.inputs) + body
    ast.fix_missing_locations(module)
    code = compile(module, plan.source.path or plan.source.name, "exec", dont_inherit=True, optimize=0)
    expressions = builder.expressions
    return Built(code, frozenset(expressions.filters), expressions.filter_places)


class _Builder:
    """Builds statements; values and constant text that stand in a run become one f-string."""

    def __init__(self, positions: Positions, *, lenient: bool) -> None:
        self.positions = positions
        self.expressions = Expressions(positions, lenient=lenient)

    def block(self, operations: list[Operation], target: str) -> list[ast.stmt]:
        """Build operations that append to ``target``; names that they bind end with them."""
        statements: list[ast.stmt] = []
        run: list[ast.expr] = []
        self.expressions.scopes.append({})
        for operation in operations:
            if isinstance(operation, Constant):
                run.append(ast.Constant(operation.text))
            elif isinstance(operation, Emit):
                run.append(self.emit(operation))
            elif isinstance(operation, UrlJoin) and self.is_static(operation):
                pieces = ast.Tuple([self.piece(piece) for piece in operation.body], ast.Load())
                run.append(call(_escaper(operation.escaper), pieces))
            else:
                self.flush(run, statements, target)
                statements += self.step(operation, target)
                if isinstance(operation, UrlJoin):
                    run.append(call(_escaper(operation.escaper), load(self.pieces)))
            if len(run) >= LONGEST_RUN:
                self.flush(run, statements, target)
        self.flush(run, statements, target)
        self.expressions.scopes.pop()
        return statements

    def flush(self, run: list[ast.expr], statements: list[ast.stmt], target: str) -> None:
        """Append a run of text and values."""
        if not run:
            return
        if len(run) == 1:
            joined = run[0]
        else:
            values: list[ast.expr] = [
                part if isinstance(part, ast.Constant) else ast.FormattedValue(part, -1) for part in run
            ]
            joined = ast.JoinedStr(values)
        statements.append(self.append(joined, target))
        run.clear()

    @staticmethod
    def append(value: ast.expr, target: str) -> ast.stmt:
        """Append one thing."""
        statement = ast.Expr(call(target, value))
        if hasattr(value, "lineno"):
            ast.copy_location(statement, value)
            ast.copy_location(statement.value, value)
        return statement

    def emit(self, operation: Emit) -> ast.expr:
        """Print a value through its escaping function."""
        node = operation.expression
        before = [ast.Constant(text) for text in operation.before]
        after = [ast.Constant(text) for text in operation.after]
        value = self.expressions.build(node)
        return self.positions.place(call(_escaper(operation.escaper), *before, value, *after), node.start, node.end)

    @staticmethod
    def is_static(operation: UrlJoin) -> bool:
        """Tell whether the pieces of a URL are always the same ones."""
        return all(isinstance(piece, UrlFixed | UrlValue) for piece in operation.body)

    def piece(self, piece: Operation) -> ast.expr:
        """Build a piece of a URL: kind, value, and of fixed text what a browser reads it as."""
        if isinstance(piece, UrlFixed):
            fixed: Any = (FIXED, piece.raw, piece.plain)
            return ast.Constant(fixed)
        assert isinstance(piece, UrlValue)  # noqa: S101  others are steps
        value = call("printed", self.expressions.build(piece.expression))
        self.positions.place(value, piece.expression.start, piece.expression.end)
        return ast.Tuple([ast.Constant(piece.kind), value, ast.Constant("")], ast.Load())

    def step(self, operation: Operation, target: str) -> list[ast.stmt]:
        """Build a step."""
        if isinstance(operation, Bind):
            return [self.bind(operation.node)]
        if isinstance(operation, Choice):
            return [self.choice(operation, target)]
        if isinstance(operation, Loop):
            return self.loop(operation, target)
        if isinstance(operation, UrlJoin):
            self.pieces = self.expressions.fresh("pieces")
            pieces = self.pieces
            add = self.expressions.fresh("add")
            body = self.block(operation.body, add)
            self.pieces = pieces
            return [
                ast.Assign([store(pieces)], ast.List([], ast.Load())),
                ast.Assign([store(add)], ast.Attribute(load(pieces), "append", ast.Load())),
                *body,
            ]
        return [self.append(self.piece(operation), target)]

    def bind(self, node: tree.Let) -> ast.stmt:
        """Give a value a name."""
        value = self.expressions.build(node.expression)
        name = self.expressions.fresh("v")
        self.expressions.bind(node.name, name)
        return self.positions.place(ast.Assign([store(name)], value), node.start, node.end)

    def choice(self, operation: Choice, target: str) -> ast.stmt:
        """Do one of several branches."""
        result: list[ast.stmt] = []
        for branch, body in reversed(operation.branches):
            statements = self.block(body, target) or [ast.Pass()]
            if branch.test is None:
                result = statements
                continue
            chosen = ast.If(self.expressions.build(branch.test), statements, result)
            result = [self.positions.place(chosen, branch.start, branch.end)]
        return result[0]

    def loop(self, operation: Loop, target: str) -> list[ast.stmt]:
        """Do the body for each item, counting only what is read of the position."""
        node, uses = operation.node, operation.uses
        statements: list[ast.stmt] = []
        items: ast.expr = self.expressions.build(node.iterable)
        source = {True: "pairs", False: "each"}[len(node.names) == 2]  # noqa: PLR2004  key and value
        if type(node.iterable).__name__ == "Maybe":
            items = call("none_is_missing", items)
        items = self.positions.place(call(source, items), node.iterable.start, node.iterable.end)
        self.expressions.scopes.append({})
        names = [self.expressions.fresh("v") for _ in node.names]
        for name, variable in zip(node.names, names, strict=True):
            self.expressions.bind(name, variable)
        condition = None if node.condition is None else self.expressions.build(node.condition)
        if condition is not None:
            # The whole is read first, so that the first, last and total row are those that are kept.
            every = self.expressions.fresh("rows")
            statements.append(ast.Assign([store(every)], items))
            kept = ast.comprehension(_target(names), load(every), [condition], 0)
            element = load(names[0]) if len(names) == 1 else ast.Tuple([load(name) for name in names], ast.Load())
            items = ast.ListComp(element, [kept]) if uses & {"total", "last"} else ast.GeneratorExp(element, [kept])
        item = _target(names)
        if uses & {"total", "last"}:
            items, item = self.sized(operation, items, item, statements)
        if uses - {"total"}:
            index = self.expressions.fresh("index")
            items = call("enumerate", items)
            item = ast.Tuple([store(index), item], ast.Store())
            self.expressions.scopes[-1].setdefault(node.position or "", {})
            self.position(node.position or "").update(_counted(index))
        body = self.block(operation.body, target) or [ast.Pass()]
        self.expressions.scopes.pop()
        if operation.empty:
            flag = self.expressions.fresh("empty")
            statements.append(ast.Assign([store(flag)], ast.Constant(value=True)))
            body.insert(0, ast.Assign([store(flag)], ast.Constant(value=False)))
        loop = ast.For(item, items, body, [])
        # What goes wrong while looping is told of the iterable, in every version of Python.
        statements.append(self.positions.place(loop, node.iterable.start, node.iterable.end))
        if operation.empty:
            statements.append(ast.If(load(flag), self.block(operation.empty, target) or [ast.Pass()], []))
        return statements

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
            last = self.expressions.fresh("last")
            position["last"] = load(last)
            return call("ahead", items), ast.Tuple([item, store(last)], ast.Store())
        rows, total = self.expressions.fresh("rows"), self.expressions.fresh("total")
        statements.append(ast.Assign([store(rows)], call("sized", items)))
        statements.append(ast.Assign([store(total)], call("len", load(rows))))
        position["total"] = load(total)
        if "last" in operation.uses:
            last = self.expressions.fresh("last")
            position["last"] = load(last)
            return call("ahead", load(rows)), ast.Tuple([item, store(last)], ast.Store())
        return load(rows), item


def _escaper(name: str) -> str:
    return "e_" + name.replace("-", "_")


def _target(names: list[str]) -> ast.expr:
    return store(names[0]) if len(names) == 1 else ast.Tuple([store(name) for name in names], ast.Store())


def _counted(index: str) -> dict[str, ast.expr]:
    """Return the attributes of a position that follow from the index."""
    odd = ast.BinOp(load(index), ast.BitAnd(), ast.Constant(1))
    return {
        "index": load(index),
        "number": ast.BinOp(load(index), ast.Add(), ast.Constant(1)),
        "first": ast.Compare(load(index), [ast.Eq()], [ast.Constant(0)]),
        "odd": ast.Compare(odd, [ast.Eq()], [ast.Constant(0)]),
        "even": ast.Compare(odd, [ast.Eq()], [ast.Constant(1)]),
    }
