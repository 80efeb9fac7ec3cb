"""How a page's function reads its values: as parameters, which is faster in Python than a dict, or by name."""

from __future__ import annotations

import ast
from keyword import iskeyword

from untor.codegen.nodes import LOAD, call, constant, load, store

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from untor.analysis.ir import TemplateIR

MOST_NAMED = 30
"""How many values are parameters of their own."""


def named_values(plan: TemplateIR, inputs: Iterable[str]) -> list[str]:
    """Return the values that the entry function takes as parameters of their own; none where that cannot be."""
    names = sorted(inputs)
    if plan.main.parameters or not 0 < len(names) <= MOST_NAMED or any(each.context for each in plan.functions):
        return []
    return names if all(name.isascii() and not iskeyword(name) for name in names) else []


def variables(inputs: Mapping[str, str]) -> list[ast.stmt]:
    """Read the names of the context into local variables."""
    return [
        ast.Assign([store(variable)], call("_get", constant(name), load("_MISSING")))
        for name, variable in sorted(inputs.items())
    ]


def values_read(inputs: Mapping[str, str], named: list[str], *, quick: bool, nonces: bool) -> list[ast.stmt]:
    """Return the statements that read the values of a page into variables.

    Where all values were given by name, nothing else is looked at; with ``quick``, that has been seen to before.
    """
    by_name: list[ast.stmt] = [ast.Assign([store("_get")], ast.Attribute(load("_scope"), "get", LOAD))]
    by_name += variables(inputs)
    if nonces:
        by_name.append(ast.Assign([store("_nonce")], call("_get", load("_NONCE"), constant(""))))
    alone: list[ast.expr] = [
        ast.Compare(load("_context"), [ast.Is()], [constant(None)]),
        ast.UnaryOp(ast.Not(), load("_everywhere")),
    ]
    if not named:
        merged = call("_merge", load("_context"), load("_values"))
        return [
            ast.Assign([store("_scope")], ast.IfExp(ast.BoolOp(ast.And(), alone), load("_values"), merged)),
            *by_name,
        ]
    given = ast.Call(load("_given"), [load("_values")], [ast.keyword(name, load(name)) for name in named])
    by_name.insert(0, ast.Assign([store("_scope")], call("_merge", load("_context"), given)))
    if quick:
        return by_name
    alone += [ast.Compare(load(name), [ast.IsNot()], [load("_MISSING")]) for name in named]
    by_parameter: list[ast.stmt] = [ast.Assign([store(inputs[name])], load(name)) for name in named]
    if nonces:
        by_parameter.append(ast.Assign([store("_nonce")], constant("")))
    return [
        ast.Assign([store("_scope")], load("_values")),
        ast.If(ast.BoolOp(ast.And(), alone), by_parameter, by_name),
    ]
