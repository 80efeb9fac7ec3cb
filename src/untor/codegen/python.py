"""The IR of a template as a module of Python functions, with the entry ``render(context=None, /, **values)``.

This code runs where there is no extension, and is shown to people. It does the same as a program, in the same order.
"""

from __future__ import annotations

import ast
from types import CodeType

from untor.codegen.locations import place_all
from untor.codegen.nodes import LOAD, call, constant, load, store
from untor.codegen.python_expressions import ModuleState, inputs_read
from untor.codegen.python_functions import FunctionGenerator
from untor.codegen.python_ways import WAYS
from untor.codegen.runs import is_one_run
from untor.runtime.compiled import CompiledCode

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import TemplateIR
    from untor.diagnostics.source import Source


def build_python(plan: TemplateIR, way: str = "render", *, lenient: bool = False) -> CompiledCode:
    """Compile a plan without problems; ``lenient`` prints missing values as nothing."""
    state = ModuleState(lenient, nonces=plan.nonces)
    module = module_of(plan, way, state)
    files = {function.name: function.source.path or function.source.name for function in plan.functions}
    file = plan.source.path or plan.source.name
    code = _in_files(compile(module, file, "exec", dont_inherit=True, optimize=0), files)
    names = frozenset(state.escapers), frozenset(state.filters), frozenset(state.globals), frozenset(state.inputs)
    return CompiledCode(code, *names, state.calls, state.loops, _sources(plan))


def shown(plan: TemplateIR, *, lenient: bool = False) -> str:
    """Return the code of a plan's function ``render`` as text, for people."""
    module = module_of(plan, "render", ModuleState(lenient, nonces=plan.nonces))
    return ast.unparse(ast.fix_missing_locations(module))


def _sources(plan: TemplateIR) -> dict[str, Source]:
    return {each.source.path or each.source.name: each.source for each in (plan.main, *plan.functions)}


def module_of(plan: TemplateIR, name: str, state: ModuleState) -> ast.Module:
    """Return the syntax tree of a plan's functions."""
    way = WAYS[name]
    main = FunctionGenerator(plan.main, state, way)
    body = main.body()
    functions: dict[str, ast.stmt] = {}
    while waiting := [each for name, each in state.called.items() if name not in functions]:
        functions |= {each.name: FunctionGenerator(each, state, way).definition() for each in waiting}
    alone: list[ast.expr] = [
        ast.Compare(load("_context"), [ast.Is()], [constant(None)]),
        ast.UnaryOp(ast.Not(), load("_everywhere")),
    ]
    merge = call("_merge", load("_context"), load("_values"))
    scope = ast.IfExp(ast.BoolOp(ast.And(), alone), load("_values"), merge)
    start: list[ast.stmt] = [ast.Assign([store("_scope")], scope), *inputs_read(main.expressions.inputs)]
    if plan.nonces:
        nonce = ast.Call(ast.Attribute(load("_scope"), "get", LOAD), [load("_NONCE"), constant("")], [])
        start.append(ast.Assign([store("_nonce")], nonce))
    if is_one_run(plan.main.body) and (at_once := way.at_once(body)):
        whole = at_once
    else:
        whole = [*way.start(), *body, *way.finish()]
    module = ast.Module([*functions.values(), way.entry([*start, *whole])], [])
    place_all(module)
    return module


def _in_files(code: CodeType, files: dict[str, str], file: str = "") -> CodeType:
    """Give each function's code the file that its template came from: a module of Python has only one."""
    is_changed = False
    constants = list(code.co_consts)
    for index, each in enumerate(constants):
        if isinstance(each, CodeType):
            inner = file or files.get(each.co_name, "")
            constants[index] = _in_files(each, files, inner)
            is_changed = True
    if file:
        code = code.replace(co_filename=file)
    return code.replace(co_consts=tuple(constants)) if is_changed else code
