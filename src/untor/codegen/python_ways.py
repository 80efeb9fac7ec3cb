"""The four ways to render in Python: at once or in chunks, with or without awaiting values."""

from __future__ import annotations

import ast
from dataclasses import dataclass

from untor.codegen.nodes import APPEND, LOAD, call, constant, load, store

FEWEST = 8
"""How many runs of text there are at least before it is looked at how long they are together."""


@dataclass(frozen=True)
class Way:
    """One way to render: ``chunks`` yields the page in pieces, ``awaits`` awaits values and asynchronous loops."""

    name: str
    chunks: bool = False
    awaits: bool = False

    def entry(self, body: list[ast.stmt]) -> ast.stmt:
        """Define the entry function, which adds the template's position to any exception."""
        arguments = ast.arguments([ast.arg("_context")], [], None, [], [], ast.arg("_values"), [constant(None)])
        problem = ast.Assign([store("_problem")], call("_trouble", load("_error")))
        is_none = ast.Compare(load("_problem"), [ast.Is()], [constant(None)])
        raised = [problem, ast.If(is_none, [ast.Raise()], []), ast.Raise(load("_problem"), load("_error"))]
        guarded = ast.Try(body, [ast.ExceptHandler(load("_Exception"), "_error", raised)], [], [])
        if self.awaits:
            return ast.AsyncFunctionDef(self.name, arguments, [guarded], [], None, None)
        return ast.FunctionDef(self.name, arguments, [guarded], [], None, None)

    @staticmethod
    def start() -> list[ast.stmt]:
        """Return the statements that make what the page is collected in."""
        append = ast.Attribute(load("_out"), "append", LOAD)
        return [ast.Assign([store("_out")], ast.List([], LOAD)), ast.Assign([store(APPEND)], append)]

    @staticmethod
    def collected() -> ast.expr:
        """Return what is collected, as one text."""
        return ast.Call(ast.Attribute(constant(""), "join", LOAD), [load("_out")], [])

    def define(
        self, name: str, parameters: list[str], body: list[ast.stmt], *, plain: bool, target: str = APPEND
    ) -> ast.stmt:
        """Define a function that appends a piece of the page; a ``plain`` one never yields."""
        chunks = self.chunks and not plain
        names = [*(["_out"] if chunks else []), target, *parameters]
        arguments = ast.arguments([], [ast.arg(each) for each in names], None, [], [], None, [])
        if chunks:
            # Without a yield in it, it would be no generator.
            body = [*body, ast.If(constant(value=False), [ast.Expr(ast.Yield(None))], [])]
        body = body or [ast.Pass()]
        if self.awaits:
            return ast.AsyncFunctionDef(name, arguments, body, [], None, None)
        return ast.FunctionDef(name, arguments, body, [], None, None)

    def invoke(
        self, name: str, target: str, given: list[ast.expr], named: list[ast.keyword], *, plain: bool
    ) -> ast.stmt:
        """Call such a function."""
        chunks = self.chunks and not plain
        call_node = ast.Call(load(name), [*([load("_out")] if chunks else []), load(target), *given], named)
        if not chunks:
            return ast.Expr(ast.Await(call_node) if self.awaits else call_node)
        if not self.awaits:
            return ast.Expr(ast.YieldFrom(call_node))
        return ast.AsyncFor(store("_chunk"), call_node, [ast.Expr(ast.Yield(load("_chunk")))], [], None)

    def send(self, *, everything: bool) -> list[ast.stmt]:
        """Send off what there is so far: everything, or when there is enough of it."""
        clear = ast.Call(ast.Attribute(load("_out"), "clear", LOAD), [], [])
        enough: ast.expr = load("_out")
        if not everything:
            several = ast.Compare(call("_len", load("_out")), [ast.GtE()], [constant(FEWEST)])
            enough = ast.BoolOp(ast.And(), [several, call("_is_chunk", load("_out"))])
        return [ast.If(enough, [ast.Expr(ast.Yield(self.collected())), ast.Expr(clear)], [])]

    def at_once(self, body: list[ast.stmt]) -> list[ast.stmt] | None:
        """Return statements whose last one writes the whole page, so that they return it, or send it."""
        last = body[-1].value if body and isinstance(body[-1], ast.Expr) else None
        if not isinstance(last, ast.Call) or not last.args:
            return None
        page = last.args[0]
        return [*body[:-1], ast.Expr(ast.Yield(page)) if self.chunks else ast.Return(page)]

    def finish(self) -> list[ast.stmt]:
        """Return the whole page, or send what is left of it."""
        if not self.chunks:
            return [ast.Return(self.collected())]
        return [ast.If(load("_out"), [ast.Expr(ast.Yield(self.collected()))], [])]


WAYS = {
    way.name: way
    for way in (
        Way("render"),
        Way("stream", chunks=True),
        Way("render_async", awaits=True),
        Way("stream_async", chunks=True, awaits=True),
    )
}
"""The ways by the name of the function that each makes."""
