"""The IR of a template as a program of the extension: steps for ``interpreter.c``, and the tables that they name."""

from __future__ import annotations

import struct

from untor.codegen.program_functions import FunctionCompiler
from untor.runtime.compiled import CompiledProgram, packed

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from untor.analysis.ir import Function, TemplateIR
    from untor.diagnostics.source import Source
    from untor.runtime.compiled import FunctionTable

_SCALARS = (str, int, float, bool, type(None))


class ProgramTables:
    """What all functions of one program share."""

    def __init__(self, plan: TemplateIR, *, lenient: bool) -> None:
        self.lenient = lenient
        names = [*plan.inputs, *(each.name for one in plan.functions if one.context for each in one.parameters)]
        self.inputs = {name: number for number, name in enumerate(dict.fromkeys(names))}
        self.constants: list[Any] = []
        self.links: dict[int, str] = {}
        """The constants that are looked up when the program is loaded: what kind of thing, a colon, and its name."""
        self.names: list[str] = []
        self.joins: list[tuple[tuple[str, ...], bytes, tuple[tuple[str, str] | None, ...]]] = []
        self.functions: list[Function] = [plan.main]
        self.sources: dict[str, Source] = {}
        self._constants: dict[object, int] = {}
        self._names: dict[str, int] = {}
        self._reads = 0
        self._functions = {plan.main.name: 0}

    def constant(self, value: Any) -> int:
        """Return the operand of a value that is always the same one."""
        key = (type(value), repr(value)) if isinstance(value, _SCALARS) else (tuple, repr(value))
        number = self._constants.get(key)
        if number is None:
            number = self._constants[key] = len(self.constants)
            self.constants.append(value)
        return ~number

    def link(self, kind: str, name: str) -> int:
        """Return the operand of what is looked up when the program is loaded."""
        key = f"{kind}:{name}"
        number = self._constants.get(key)
        if number is None:
            number = self._constants[key] = len(self.constants)
            self.constants.append(None)
            self.links[number] = key
        return ~number

    def name(self, name: str) -> int:
        """Return the number of a name that is read after a dot, or that can be missing."""
        number = self._names.get(name)
        if number is None:
            number = self._names[name] = len(self.names)
            self.names.append(name)
        return number

    def read(self, *, wait: bool) -> int:
        """Return the number of a read, which keeps what it has seen, and whether it waits."""
        self._reads += 1
        return 2 * (self._reads - 1) + wait

    def function(self, function: Function) -> int:
        """Return the number of a function, which is compiled when it is first called."""
        number = self._functions.get(function.name)
        if number is None:
            number = self._functions[function.name] = len(self.functions)
            self.functions.append(function)
        return number

    def join(self, texts: list[str], letters: str, edges: list[tuple[str, str] | None]) -> int:
        """Return the number of what is written at once."""
        self.joins.append((tuple(texts), letters.encode("ascii"), tuple(edges)))
        return len(self.joins) - 1

    def source(self, source: Source) -> str:
        """Return the file of a source, which is kept to tell where something went wrong."""
        file = source.path or source.name
        self.sources[file] = source
        return file


def build_program(plan: TemplateIR, *, lenient: bool = False) -> CompiledProgram:
    """Compile a plan without problems; ``lenient`` prints missing values as nothing."""
    tables = ProgramTables(plan, lenient=lenient)
    for function in (plan.main, *plan.functions):
        tables.source(function.source)
    code: list[int] = []
    functions: list[FunctionTable] = []
    places: list[int] = []
    texts: dict[str, int] = {}
    word = texts.setdefault
    while len(functions) < len(tables.functions):
        function = tables.functions[len(functions)]
        compiler = FunctionCompiler(function, tables, is_main=not functions)
        compiler.compile()
        start, file = len(code), tables.source(function.source)
        for at in compiler.targets:
            compiler.code[at] += start
        code += compiler.code
        number = word(file, len(texts))
        for at, (first, last, kind, name) in compiler.places.items():
            places += (start + at, first, last, number, word(kind, len(texts)), word(name, len(texts)))
        sizes = (start, compiler.most, compiler.loops, len(compiler.closures), len(function.parameters))
        functions.append((function.name, sizes, tuple(compiler.variables), tuple(compiler.rows)))
    return CompiledProgram(
        struct.pack(f"{len(code)}i", *code),
        tuple(functions),
        tuple(tables.joins),
        tuple(tables.names),
        tuple(tables.constants),
        tables.links,
        tuple(tables.inputs),
        packed(places, texts),
        tables.sources,
    )
