"""The four ways to render: at once or in chunks, with or without awaiting values."""

from __future__ import annotations

import ast
from dataclasses import dataclass

from untor.build.expressions import call, load, store

_START = """
{define} {name}(context=None, /, {named}**values):
    try:
        {start}
    except Exception as error:
        problem = trouble(error)
        if problem is None:
            raise
        raise problem from error
"""
_START_ANY = """scope = values if context is None and not everywhere else merge(context, values)
        get = scope.get
        """
_START_NAMED = """scope = values
        if context is None and not everywhere and {given}:
            {assigned}
        else:
            scope = merge(context, given(values, {passed}))
            get = scope.get
            {read}
        """
_OUT = "out = []\n        append = out.append\n        "
_FINISH = {False: _OUT + "return ''.join(out)", True: _OUT + "yield ''.join(out)"}

CHUNK = 48
"""How many runs of text a chunk is made of: a few kilobytes of an ordinary page."""


@dataclass(frozen=True)
class Variant:
    """One way to render: ``chunks`` yields the page in pieces, ``awaits`` awaits values and asynchronous loops."""

    name: str
    chunks: bool = False
    awaits: bool = False

    def frame(self, named: list[str], *, whole: bool = False, nonces: bool = False) -> tuple[ast.Module, ast.Try]:
        """Return the module with the entry function, and the block that its body goes into.

        The body of a ``whole`` page returns it; any other goes before the last statement. The function takes ``named``
        values as parameters of its own, which Python hands over faster than a dict.
        """
        define = "async def" if self.awaits else "def"
        start = _named_start(named, nonces=nonces) if named else _START_ANY
        start += "" if whole else _FINISH[self.chunks]
        parameters = "".join(f"{name}=MISSING, " for name in named)
        parameters = f"*, {parameters}" if named else ""
        module = ast.parse(_START.format(define=define, name=self.name, named=parameters, start=start))
        function = module.body[0]
        assert isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef)  # noqa: S101  as written above
        guarded = function.body[0]
        assert isinstance(guarded, ast.Try)  # noqa: S101
        return module, guarded

    def define(
        self, name: str, parameters: list[str], body: list[ast.stmt], *, plain: bool, target: str = "append"
    ) -> ast.stmt:
        """Define a function that appends a piece of the page; a ``plain`` one never yields."""
        chunks = self.chunks and not plain
        names = [*(["out"] if chunks else []), target, *parameters]
        arguments = ast.arguments([], [ast.arg(each) for each in names], None, [], [], None, [])
        if chunks:
            # Without a yield in it, it would be no generator.
            body = [*body, ast.If(ast.Constant(value=False), [ast.Expr(ast.Yield(None))], [])]
        body = body or [ast.Pass()]
        if self.awaits:
            return ast.AsyncFunctionDef(name, arguments, body, [], None, None)
        return ast.FunctionDef(name, arguments, body, [], None, None)

    def invoke(
        self, name: str, target: str, given: list[ast.expr], named: list[ast.keyword], *, plain: bool
    ) -> ast.stmt:
        """Call such a function."""
        chunks = self.chunks and not plain
        called = ast.Call(load(name), [*([load("out")] if chunks else []), load(target), *given], named)
        if not chunks:
            return ast.Expr(ast.Await(called) if self.awaits else called)
        if not self.awaits:
            return ast.Expr(ast.YieldFrom(called))
        return ast.AsyncFor(store("chunk"), called, [ast.Expr(ast.Yield(load("chunk")))], [], None)

    def send(self, *, at_least: int) -> list[ast.stmt]:
        """Send off what there is so far, when there is enough of it."""
        joined = ast.Call(ast.Attribute(ast.Constant(""), "join", ast.Load()), [load("out")], [])
        clear = ast.Call(ast.Attribute(load("out"), "clear", ast.Load()), [], [])
        enough = ast.Compare(call("len", load("out")), [ast.GtE()], [ast.Constant(at_least)])
        return [ast.If(enough, [ast.Expr(ast.Yield(joined)), ast.Expr(clear)], [])]


def _named_start(named: list[str], *, nonces: bool) -> str:
    """Return the start of a function that takes named values."""
    assigned = [f"c_{name} = {name}" for name in named]
    read = [f"c_{name} = get('{name}', MISSING)" for name in named]
    if nonces:
        assigned.append("nonce = ''")
        read.append("nonce = get(NONCE, '')")
    return _START_NAMED.format(
        given=" and ".join(f"{name} is not MISSING" for name in named),
        assigned="; ".join(assigned),
        passed=", ".join(f"{name}={name}" for name in named),
        read="; ".join(read),
    )


VARIANTS = {
    variant.name: variant
    for variant in (
        Variant("render"),
        Variant("stream", chunks=True),
        Variant("render_async", awaits=True),
        Variant("stream_async", chunks=True, awaits=True),
    )
}
"""The variants by the name of the function that each makes."""
