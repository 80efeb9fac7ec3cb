"""How a page's function reads its values: as parameters, which is faster in Python than a dict, or by name."""

from __future__ import annotations

import ast
import re
from keyword import iskeyword

from untor.codegen.nodes import LOAD, call, constant, load, store

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from untor.analysis.ir import TemplateIR

MOST_NAMED = 30
"""How many values are parameters of their own."""

_OWN_NAMES = frozenset(
    """MISSING NONCE ahead ahead_async append callee callee_of check chunk collected context dict direct dot
    dot_data dot_data_maybe dot_maybe each each_async enumerate enumerate_async error everywhere get given is_awaitable
    item item_maybe iter join len list loop merge missing_name modulo nonce none_is_missing out page pairs pairs_async
    plain_values printed problem quick scope sized sized_async slice str takes_missing
    trouble truth type values""".split()
)
"""What the code reads and writes, besides names of these shapes: a prefix and more, or a word and a number."""

_OWN_SHAPE = re.compile(r"k?[cpv]_|[efg]_|(?:[djlort]|add|deep|empty|index|last|pieces|rows|total)\d+\Z")


def named_values(plan: TemplateIR, inputs: Iterable[str]) -> list[str]:
    """Return the values that the entry function takes as parameters of their own; none where that cannot be."""
    names = sorted(inputs)
    if plan.main.parameters or not 0 < len(names) <= MOST_NAMED or any(each.context for each in plan.functions):
        return []
    return names if all(map(_is_free, names)) else []


def _is_free(name: str) -> bool:
    """Tell whether a name means nothing in the code: no variable, no function, no keyword of Python."""
    return name.isascii() and not (name in _OWN_NAMES or iskeyword(name) or _OWN_SHAPE.match(name))


def variables(inputs: Mapping[str, str]) -> list[ast.stmt]:
    """Read the names of the context into local variables."""
    return [
        ast.Assign([store(variable)], call("get", constant(name), load("MISSING")))
        for name, variable in sorted(inputs.items())
    ]


def values_read(inputs: Mapping[str, str], named: list[str], *, quick: bool, nonces: bool) -> list[ast.stmt]:
    """Return the statements that read the values of a page into variables.

    Where all values were given by name, nothing else is looked at; with ``quick``, that has been seen to before.
    """
    read: list[ast.stmt] = [ast.Assign([store("get")], ast.Attribute(load("scope"), "get", LOAD))]
    read += variables(inputs)
    if nonces:
        read.append(ast.Assign([store("nonce")], call("get", load("NONCE"), constant(""))))
    alone: list[ast.expr] = [
        ast.Compare(load("context"), [ast.Is()], [constant(None)]),
        ast.UnaryOp(ast.Not(), load("everywhere")),
    ]
    if not named:
        merged = call("merge", load("context"), load("values"))
        return [ast.Assign([store("scope")], ast.IfExp(ast.BoolOp(ast.And(), alone), load("values"), merged)), *read]
    given = ast.Call(load("given"), [load("values")], [ast.keyword(name, load(name)) for name in named])
    read.insert(0, ast.Assign([store("scope")], call("merge", load("context"), given)))
    if quick:
        return read
    alone += [ast.Compare(load(name), [ast.IsNot()], [load("MISSING")]) for name in named]
    taken: list[ast.stmt] = [ast.Assign([store(inputs[name])], load(name)) for name in named]
    if nonces:
        taken.append(ast.Assign([store("nonce")], constant("")))
    return [
        ast.Assign([store("scope")], load("values")),
        ast.If(ast.BoolOp(ast.And(), alone), taken, read),
    ]
