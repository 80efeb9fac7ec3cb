"""Generates one function of a page: its parameters, its calls and its operations, one after another."""

from __future__ import annotations

import ast
from itertools import islice

from untor.analysis.ir import (
    Bind,
    CallFunction,
    Choice,
    FixedText,
    Function,
    InlineEnd,
    Loop,
    Nonce,
    Operation,
    PassedArgument,
    PrintValue,
    Scope,
    SlotCall,
    UrlJoin,
    all_operations,
)
from untor.codegen.expression_code import ExpressionGenerator, ModuleState
from untor.codegen.locations import Locations
from untor.codegen.loops import LoopGenerator
from untor.codegen.nodes import APPEND, LOAD, call, constant, load, store
from untor.codegen.output import LONGEST_RUN, OutputWriter, Printed, append, is_static
from untor.codegen.parameters import variables
from untor.language import tree
from untor.runtime.tracebacks import LINES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.codegen.output import Item, Part
    from untor.codegen.variants import Variant

_PRINTING = (FixedText, PrintValue, Nonce)
_CALLING = (CallFunction, SlotCall)

LONGEST_INCLUDED = 40
"""How many operations a function has at most, to be part of what calls it."""

MOST_INCLUDED = 1000
"""How many operations of functions become part of what calls them, in one page."""

LONGEST_TAIL = 200
"""How long text after a choice may be, to be written by each branch."""


class FunctionGenerator(LoopGenerator):
    """Builds one function; values and fixed text that follow one another become one f-string."""

    def __init__(
        self, function: Function, module_state: ModuleState, way: Variant, inside: FunctionGenerator | None = None
    ) -> None:
        self.function = function
        self.inlined_into = inside
        """What builds the function that this one is part of; contents for slots are its own."""
        self.way = way
        self.module_state = module_state
        self.locations = Locations(function.source)
        if inside is not None and self.locations.own != inside.locations.file:
            first = LINES * module_state.files[self.locations.own]
            self.locations = Locations(function.source, inside.locations.file, first)
        known = None if function.context else [parameter.name for parameter in function.parameters]
        self.expressions = ExpressionGenerator(self.locations, module_state, known=known, awaits=way.awaits)
        self.depth = self.missed = 0
        if inside is not None:
            self.expressions.share(inside.expressions)
            self.depth, self.missed = inside.depth, inside.missed
        self.output = OutputWriter(self.expressions, self.locations, module_state, way)
        self.pieces = ""

    # --- functions -------------------------------------------------------------------------------------------------

    def body(self, target: str) -> list[ast.stmt]:
        """Return the statements of the entry function, but for those that read its values."""
        taken = [self.taken(parameter, entry=True) for parameter in self.function.parameters]
        inner = self.block(self.function.body, target)
        known = self.expressions.kinds_known([*self.expressions.kinds])
        return [*(statement for each in taken for statement in each), *known, *inner]

    def definition(self) -> ast.stmt:
        """Return the definition of a function."""
        function = self.function
        parameter_code = [statement for each in function.parameters for statement in self.taken(each, entry=False)]
        inner = self.block(function.body, APPEND)
        start: list[ast.stmt] = []
        if function.context:
            get = ast.Attribute(load("_scope"), "get", LOAD)
            start = [ast.Assign([store("_get")], get), *variables(self.expressions.inputs)]
        parameter_code += self.expressions.kinds_known([*self.expressions.kinds])
        names = [*self.passed_to(function), *(f"_p_{each.name}" for each in function.parameters)]
        return self.way.define(
            function.name, [*names, *function.slots], [*start, *parameter_code, *inner], plain=function.plain
        )

    def taken(self, parameter: tree.Parameter, *, entry: bool, variable: str = "") -> list[ast.stmt]:
        """Bind what the function takes: what it was given, the context's value, the default, or an error."""
        variable = variable or f"_p_{parameter.name}"
        self.expressions.bind(parameter.name, variable)
        self.expressions.kinds[variable] = False
        name = constant(parameter.name)
        statements: list[ast.stmt] = []
        if parameter.type == "*":
            return statements
        from_context = call("_check", call("_get", name, load("_MISSING")), name, *_wanted(parameter))
        if entry:
            statements.append(ast.Assign([store(variable)], from_context))
        elif self.function.context:
            statements.append(self.when_missing(variable, from_context))
        if parameter.default is not None:
            # What kinds the values are of is found out after this.
            plain, self.expressions.plain = self.expressions.plain, True
            statements.append(self.when_missing(variable, self.expressions.build(parameter.default)))
            self.expressions.plain = plain
        elif self.function.context:
            statements.append(self.when_missing(variable, call("_takes_missing", name, load("_scope"))))
        return [self.locations.place(each, parameter.start, parameter.end) for each in statements]

    def passed_to(self, function: Function) -> list[str]:
        """Return what a function is given besides its parameters."""
        return [*(["_nonce"] if self.module_state.nonces else []), *(["_scope"] if function.context else [])]

    @staticmethod
    def when_missing(variable: str, value: ast.expr) -> ast.stmt:
        """Assign a value to a variable that is missing."""
        test = ast.Compare(load(variable), [ast.Is()], [load("_MISSING")])
        return ast.If(test, [ast.Assign([store(variable)], value)], [])

    def closure(self, function: Function) -> ast.stmt:
        """Return the definition of content for a slot, which sees the names around it."""
        depth, self.depth = self.depth, 0
        loops, self.expressions.loops = self.expressions.loops, 0
        body = self.block(function.body, APPEND)
        self.depth, self.expressions.loops = depth, loops
        return self.way.define(function.name, function.slots, body, plain=function.plain)

    def is_included(self, operation: Operation, target: str) -> bool:
        """Tell whether what is called is done in place: in a loop, calling it would cost as much as a value or two."""
        if isinstance(operation, SlotCall):
            return self.inlined_into is not None and operation.name in self.function.slots
        if not (isinstance(operation, CallFunction) and self.depth and target == APPEND):
            return False
        source = operation.function.source
        is_near = self.locations.file == (source.path or source.name) or bool(self.module_state.files)
        return is_near and self.module_state.included < MOST_INCLUDED and inlined_size(operation) > 0

    def call(self, operation: CallFunction, target: str) -> list[ast.stmt]:
        """Call another template or part."""
        function, node = operation.function, operation.node
        given = {each.name: each for each in operation.given}
        self.module_state.called.setdefault(function.name, function)
        values: list[ast.expr] = [load(name) for name in self.passed_to(function)]
        values += [self.value_given(given.get(parameter.name)) for parameter in function.parameters]
        slots = [ast.keyword(name, load(name)) for name in function.slots]
        closures = [self.closure(each) for each in operation.closures]
        invoked = self.way.invoke(function.name, target, values, slots, plain=function.plain)
        return [*closures, self.locations.place(invoked, node.start, node.end)]

    def value_given(self, given: PassedArgument | None) -> ast.expr:
        """Build what is given to a parameter."""
        if given is None:
            return load("_MISSING")
        value = self.expressions.handed(given.value)
        if given.parameter is not None and given.parameter.type not in {"", "*", "any"}:
            checked = call("_check", value, constant(given.name), *_wanted(given.parameter))
            value = self.locations.place(checked, given.value.start, given.value.end)
        return value

    def included(self, operation: CallFunction | SlotCall, target: str, waiting: list[Part] | None) -> list[ast.stmt]:
        """Do what is called in place, after what is waiting to be written."""
        if isinstance(operation, SlotCall):
            assert self.inlined_into is not None  # noqa: S101  as is_included has told
            return self.inlined_into.block(operation.content.body, target, waiting)
        self.module_state.included += inlined_size(operation)
        function = operation.function
        given = {each.name: each for each in operation.given}
        inner = FunctionGenerator(function, self.module_state, self.way, inside=self)
        statements: list[ast.stmt] = []
        values = [self.value_given(given.get(parameter.name)) for parameter in function.parameters]
        variables: list[str] = []
        for parameter, value in zip(function.parameters, values, strict=True):
            if isinstance(value, ast.Name) and value.id.startswith(("_v_", "_p_")) and parameter.default is None:
                # A variable here is the same one there.
                inner.expressions.bind(parameter.name, value.id)
                continue
            variable = self.expressions.fresh(f"_v_{parameter.name}_")
            variables.append(variable)
            statements.append(ast.Assign([store(variable)], value))
            statements += inner.taken(parameter, entry=False, variable=variable)
        body = inner.block(function.body, APPEND, waiting)
        return [*statements, *self.expressions.kinds_known(variables), *body]

    # --- statements ------------------------------------------------------------------------------------------------

    def block(self, operations: list[Operation], target: str, waiting: list[Part] | None = None) -> list[ast.stmt]:
        """Build operations that append to ``target``; names that they bind end with them.

        ``waiting`` is what is still to be written before them; what they leave to be written is then added there.
        """
        statements: list[ast.stmt] = []
        run: list[Item] = []
        parts = [] if waiting is None else waiting
        self.expressions.scopes.append({})
        for operation in push_text_into_branches(operations):
            if isinstance(operation, FixedText) and run and isinstance(before := run[-1], FixedText):
                run[-1] = FixedText(before.text + operation.text)
            elif isinstance(operation, _PRINTING) or (isinstance(operation, UrlJoin) and is_static(operation)):
                run.append(operation)
            elif isinstance(operation, _CALLING) and self.is_included(operation, target):
                # With the extension, what is done in place is written together with what is around it.
                together = self.output.joins and target == APPEND
                self.flush(run, parts, statements, "" if together else target)
                statements += self.included(operation, target, parts if together else None)
            elif not isinstance(operation, InlineEnd):
                self.flush(run, parts, statements, target)
                statements += self.step(operation, target)
                if isinstance(operation, UrlJoin):
                    run.append(call(self.module_state.escaper(operation.escaper), load(self.pieces)))
            if len(run) >= LONGEST_RUN:
                self.flush(run, parts, statements, target)
        self.flush(run, parts, statements, target if waiting is None else "")
        self.expressions.scopes.pop()
        return statements

    def flush(self, run: list[Item], parts: list[Part], statements: list[ast.stmt], target: str) -> None:
        """Write what is waiting, and a run of text and values; without a target, the run is left waiting too."""
        if run:
            first, more = self.output.collected(run)
            run.clear()
            statements += first
            if not target:
                first, more = self.output.settled(more)
                statements += first
            if sum(isinstance(part, Printed) for part in (*parts, *more)) > LONGEST_RUN:
                statements += self.output.written(parts, APPEND)
                parts.clear()
            parts += more
        if target and parts:
            statements += self.output.written(parts, target)
            parts.clear()

    def step(self, operation: Operation, target: str) -> list[ast.stmt]:
        """Build a step."""
        match operation:
            case Bind():
                return [self.bind(operation.node)]
            case Choice():
                return [self.choice(operation, target)]
            case Loop():
                return self.loop(operation, target)
            case Scope():
                return self.block(operation.body, target)
            case CallFunction():
                return self.call(operation, target)
            case SlotCall():
                closures = [self.closure(each) for each in operation.closures]
                given: list[ast.expr] = [load(each.name) for each in operation.closures]
                return [*closures, self.way.invoke(operation.name, target, given, [], plain=operation.plain)]
            case UrlJoin():
                return self.capture(operation)
        return [append(self.output.piece(operation), target)]

    def capture(self, operation: UrlJoin) -> list[ast.stmt]:
        """Collect the pieces of a URL."""
        pieces, add = self.expressions.fresh("_pieces"), self.expressions.fresh("_add")
        self.depth += 1
        body = self.block(operation.body, add)
        self.depth -= 1
        self.pieces = pieces
        return [
            ast.Assign([store(pieces)], ast.List([], LOAD)),
            ast.Assign([store(add)], ast.Attribute(load(pieces), "append", LOAD)),
            *body,
        ]

    def bind(self, node: tree.Let) -> ast.stmt:
        """Give a value a name."""
        value = self.expressions.handed(node.expression)
        name = self.expressions.fresh(f"_v_{node.name}_")
        self.expressions.bind(node.name, name)
        return self.locations.place(ast.Assign([store(name)], value), node.start, node.end)

    def choice(self, operation: Choice, target: str) -> ast.stmt:
        """Do one of several branches."""
        result: list[ast.stmt] = []
        for branch, body in reversed(operation.branches):
            statements = self.block(body, target) or [ast.Pass()]
            if branch.test is None:
                result = statements
                continue
            chosen = ast.If(self.expressions.truth(branch.test), statements, result)
            result = [self.locations.place(chosen, branch.start, branch.end)]
        return result[0]


def inlined_size(call: CallFunction) -> int:
    """Return how many operations a function has, when it may be part of what calls it; else 0. It calls nothing."""
    function = call.function
    if (
        function.recursive
        or function.context
        or function.plain
        or {*function.slots} != {each.name for each in call.closures}
    ):
        return 0
    operations = [*islice(all_operations(function.body), LONGEST_INCLUDED + 1)]
    if len(operations) > LONGEST_INCLUDED or any(isinstance(each, CallFunction) for each in operations):
        return 0
    # Contents that ask for what is there without them are functions.
    asks = any(isinstance(each, SlotCall) and (each.closures or each.content.slots) for each in operations)
    return 0 if asks else len(operations)


def push_text_into_branches(operations: list[Operation]) -> Iterator[Operation]:
    """Yield operations, text after a choice moved to the end of all its branches: each writes it with its own."""
    waiting: Choice | None = None
    for operation in operations:
        if waiting is not None:
            if isinstance(operation, FixedText) and len(operation.text) <= LONGEST_TAIL:
                branches = [(branch, [*body, operation]) for branch, body in waiting.branches]
                if branches[-1][0].test is not None:
                    branches.append((tree.Branch(branches[-1][0].start, branches[-1][0].end, None, []), [operation]))
                yield Choice(branches)
                waiting = None
                continue
            yield waiting
            waiting = None
        if isinstance(operation, Choice):
            waiting = operation
        else:
            yield operation
    if waiting is not None:
        yield waiting


def _wanted(parameter: tree.Parameter) -> list[ast.expr]:
    """Return the type that a value must have, and whether it may be ``None``."""
    default = parameter.default
    none = isinstance(default, tree.Constant) and default.value is None
    return [constant(parameter.type), constant(none)]
