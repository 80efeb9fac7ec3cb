"""The plan of a template as the code of Python functions, the entry ``render(context=None, /, **values)``."""

from __future__ import annotations

import ast
from dataclasses import replace
from types import CodeType

from untor.codegen.compiled import Built
from untor.codegen.expression_code import Shared
from untor.codegen.functions import Builder
from untor.codegen.locations import place_all
from untor.codegen.output import RETURN, is_one_run
from untor.codegen.parameters import named_values, values_read
from untor.codegen.variants import VARIANTS
from untor.escape.accelerated import IS_BUILT
from untor.runtime.tracebacks import LINES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Plan
    from untor.diagnostics.source import Source

MOST_FILES = 500
"""Of how many files the lines are told apart: those of Python end at two thousand million."""


def build(plan: Plan, variant: str = "render", *, lenient: bool = False) -> Built:
    """Compile a plan without problems; ``lenient`` prints missing values as nothing."""
    shared = _shared(lenient=lenient)
    module = module_of(plan, variant, shared)
    files = {function.name: function.source.path or function.source.name for function in plan.functions}
    file = plan.source.path or plan.source.name
    code = _in_files(compile(module, file, "exec", dont_inherit=True, optimize=0), files)
    names = frozenset(shared.escapers), frozenset(shared.filters), frozenset(shared.globals)
    return Built(code, *names, shared.calls, shared.reads, _sources(plan))


def shown(plan: Plan, *, lenient: bool = False) -> str:
    """Return the code of a plan's function ``render`` as text, for people."""
    return ast.unparse(ast.fix_missing_locations(module_of(plan, "render", _shared(lenient=lenient))))


def _sources(plan: Plan) -> dict[str, Source]:
    return {each.source.path or each.source.name: each.source for each in (plan.main, *plan.functions)}


def _shared(*, lenient: bool) -> Shared:
    return Shared(lenient, joins={} if IS_BUILT else None)


def module_of(plan: Plan, variant: str, shared: Shared) -> ast.Module:
    """Return the syntax tree of a plan's functions."""
    way = replace(VARIANTS[variant], joins=shared.joins is not None)
    whole = is_one_run(plan.main)
    shared.nonces = plan.nonces
    sources = _sources(plan)
    if len(sources) <= MOST_FILES and all(len(source.starts) < LINES for source in sources.values()):
        shared.files = {file: number for number, file in enumerate(sources)}
    builder = Builder(plan.main, shared, way)
    body = builder.body(RETURN if whole else "append")
    functions: dict[str, ast.stmt] = {}
    while waiting := [each for name, each in shared.called.items() if name not in functions]:
        functions |= {each.name: Builder(each, shared, way).definition() for each in waiting}
    named = named_values(plan, builder.expressions.inputs)
    quick = builder.runs.quick([*plan.main.body], named) if whole and named and not plan.nonces else []
    start = [*quick, *values_read(builder.expressions.inputs, named, quick=bool(quick), nonces=plan.nonces)]
    if not whole:
        start += way.start()
        body += way.finish(way.collected())
    module = ast.Module([*shared.made(), *functions.values(), way.entry(named, [*start, *body])], [])
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
