"""The IR of a template as a module of Python functions, with the entry ``render(context=None, /, **values)``."""

from __future__ import annotations

import ast
from dataclasses import replace
from types import CodeType

from untor.codegen.compiled import CompiledCode
from untor.codegen.expression_code import ModuleState
from untor.codegen.functions import FunctionGenerator
from untor.codegen.locations import place_all
from untor.codegen.nodes import APPEND
from untor.codegen.output import RETURN, is_one_run
from untor.codegen.parameters import named_values, values_read
from untor.codegen.variants import VARIANTS
from untor.escape.accelerated import IS_BUILT
from untor.runtime.tracebacks import LINES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import TemplateIR
    from untor.diagnostics.source import Source

MOST_FILES = 500
"""The most files whose line numbers can be encoded: Python's are 32 bits."""


def build_python(plan: TemplateIR, variant: str = "render", *, lenient: bool = False) -> CompiledCode:
    """Compile a plan without problems; ``lenient`` prints missing values as nothing."""
    module_state = _shared(lenient=lenient)
    module = module_of(plan, variant, module_state)
    files = {function.name: function.source.path or function.source.name for function in plan.functions}
    file = plan.source.path or plan.source.name
    code = _in_files(compile(module, file, "exec", dont_inherit=True, optimize=0), files)
    names = frozenset(module_state.escapers), frozenset(module_state.filters), frozenset(module_state.globals)
    return CompiledCode(code, *names, module_state.calls, module_state.reads, _sources(plan))


def shown(plan: TemplateIR, *, lenient: bool = False) -> str:
    """Return the code of a plan's function ``render`` as text, for people."""
    return ast.unparse(ast.fix_missing_locations(module_of(plan, "render", _shared(lenient=lenient))))


def _sources(plan: TemplateIR) -> dict[str, Source]:
    return {each.source.path or each.source.name: each.source for each in (plan.main, *plan.functions)}


def _shared(*, lenient: bool) -> ModuleState:
    return ModuleState(lenient, joins={} if IS_BUILT else None)


def module_of(plan: TemplateIR, variant: str, module_state: ModuleState) -> ast.Module:
    """Return the syntax tree of a plan's functions."""
    way = replace(VARIANTS[variant], joins=module_state.joins is not None)
    whole = is_one_run(plan.main)
    module_state.nonces = plan.nonces
    sources = _sources(plan)
    if len(sources) <= MOST_FILES and all(len(source.starts) < LINES for source in sources.values()):
        module_state.files = {file: number for number, file in enumerate(sources)}
    builder = FunctionGenerator(plan.main, module_state, way)
    body = builder.body(RETURN if whole else APPEND)
    functions: dict[str, ast.stmt] = {}
    while waiting := [each for name, each in module_state.called.items() if name not in functions]:
        functions |= {each.name: FunctionGenerator(each, module_state, way).definition() for each in waiting}
    named = named_values(plan, builder.expressions.inputs)
    quick = builder.output.quick([*plan.main.body], named) if whole and named and not plan.nonces else []
    start = [*quick, *values_read(builder.expressions.inputs, named, quick=bool(quick), nonces=plan.nonces)]
    if not whole:
        start += way.start()
        body += way.finish(way.collected())
    module = ast.Module([*module_state.made(), *functions.values(), way.entry(named, [*start, *body])], [])
    place_all(module)
    return module


def _in_files(code: CodeType, files: dict[str, str], file: str = "") -> CodeType:
    """Give each function's code the file that its template came from: a module of Python has only one."""
    changed = False
    constants = list(code.co_consts)
    for index, each in enumerate(constants):
        if isinstance(each, CodeType):
            inner = file or files.get(each.co_name, "")
            constants[index] = _in_files(each, files, inner)
            changed = True
    if file:
        code = code.replace(co_filename=file)
    return code.replace(co_consts=tuple(constants)) if changed else code
