"""The plan of a template as the code of Python functions, the entry ``render(context=None, /, **values)``."""

from __future__ import annotations

import ast
from dataclasses import replace
from types import CodeType

from untor.build.expressions import Expressions, Shared
from untor.build.nodes import LOAD, STORE, call, constant, load, store
from untor.build.parameters import named_values, values_read, variables
from untor.build.positions import Positions, place_all
from untor.build.result import Built
from untor.build.runs import LONGEST_RUN, RETURN, Runs, append, is_one_run, is_static
from untor.build.variants import VARIANTS, Variant
from untor.escape.fast import IS_BUILT
from untor.language import tree
from untor.plan.operations import (
    Bind,
    Call,
    Choice,
    Constant,
    Emit,
    Function,
    Given,
    Group,
    InlineEnd,
    Loop,
    Nonce,
    Operation,
    Plan,
    SlotCall,
    UrlJoin,
    every,
)
from untor.run.trouble import LINES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.build.runs import Item
    from untor.source import Source

LONGEST_INCLUDED = 40
"""How many operations a function has at most, to be part of what calls it."""

MOST_INCLUDED = 1000
"""How many operations of functions become part of what calls them, in one page."""

LONGEST_TAIL = 200
"""How long text after a choice may be, to be written by each branch."""

DEEPEST_LOOPS = 8
"""How many loops may be nested in one function of the code."""


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
    shared.files = {file: number for number, file in enumerate(_sources(plan))}
    builder = _Builder(plan.main, shared, way)
    body = builder.body(RETURN if whole else "append")
    functions: dict[str, ast.stmt] = {}
    while waiting := [each for name, each in shared.called.items() if name not in functions]:
        functions |= {each.name: _Builder(each, shared, way).definition() for each in waiting}
    named = named_values(plan, builder.expressions.inputs)
    quick = builder.runs.quick([*plan.main.body], named) if whole and named and not plan.nonces else []
    start = [*quick, *values_read(builder.expressions.inputs, named, quick=bool(quick), nonces=plan.nonces)]
    if not whole:
        start += way.start()
        body += way.finish(way.collected())
    module = ast.Module([*shared.joins_made(), *functions.values(), way.entry(named, [*start, *body])], [])
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


class _Builder:
    """Builds one function; values and constant text that stand in a run become one f-string."""

    def __init__(self, function: Function, shared: Shared, way: Variant, inside: _Builder | None = None) -> None:
        self.function = function
        self.inside = inside
        """What builds the function that this one is part of; contents for slots are its own."""
        self.way = way
        self.shared = shared
        self.positions = Positions(function.source)
        if inside is not None and self.positions.own != inside.positions.file:
            first = LINES * shared.files[self.positions.own]
            self.positions = Positions(function.source, inside.positions.file, first)
        known = None if function.context else [parameter.name for parameter in function.parameters]
        self.expressions = Expressions(self.positions, shared, known=known, awaits=way.awaits)
        self.runs = Runs(self.expressions, self.positions, shared, way)
        self.depth = 0
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
        taken = [statement for each in function.parameters for statement in self.taken(each, entry=False)]
        inner = self.block(function.body, "append")
        start: list[ast.stmt] = []
        if function.context:
            get = ast.Attribute(load("scope"), "get", LOAD)
            start = [ast.Assign([store("get")], get), *variables(self.expressions.inputs)]
        taken += self.expressions.kinds_known([*self.expressions.kinds])
        names = [*self.passed_to(function), *(f"p_{each.name}" for each in function.parameters)]
        return self.way.define(function.name, [*names, *function.slots], [*start, *taken, *inner], plain=function.plain)

    def taken(self, parameter: tree.Parameter, *, entry: bool, variable: str = "") -> list[ast.stmt]:
        """Bind what the function takes: what it was given, the context's value, the default, or an error."""
        variable = variable or f"p_{parameter.name}"
        self.expressions.bind(parameter.name, variable)
        self.expressions.kinds[variable] = False
        name = constant(parameter.name)
        statements: list[ast.stmt] = []
        if parameter.type == "*":
            return statements
        from_context = call("check", call("get", name, load("MISSING")), name, *_wanted(parameter))
        if entry:
            statements.append(ast.Assign([store(variable)], from_context))
        elif self.function.context:
            statements.append(self.when_missing(variable, from_context))
        if parameter.default is not None:
            # What kinds the values are of is found out after this.
            self.expressions.plain = True
            statements.append(self.when_missing(variable, self.expressions.build(parameter.default)))
            self.expressions.plain = False
        elif self.function.context:
            statements.append(self.when_missing(variable, call("takes_missing", name, load("scope"))))
        return [self.positions.place(each, parameter.start, parameter.end) for each in statements]

    def passed_to(self, function: Function) -> list[str]:
        """Return what a function is given besides its parameters."""
        return [*(["nonce"] if self.shared.nonces else []), *(["scope"] if function.context else [])]

    @staticmethod
    def when_missing(variable: str, value: ast.expr) -> ast.stmt:
        """Assign a value to a variable that is missing."""
        test = ast.Compare(load(variable), [ast.Is()], [load("MISSING")])
        return ast.If(test, [ast.Assign([store(variable)], value)], [])

    def closure(self, function: Function) -> ast.stmt:
        """Return the definition of content for a slot, which sees the names around it."""
        depth, self.depth = self.depth, 0
        body = self.block(function.body, "append")
        self.depth = depth
        return self.way.define(function.name, function.slots, body, plain=function.plain)

    def call(self, operation: Call, target: str) -> list[ast.stmt]:
        """Call another template or part, or do in place what it does."""
        function, node = operation.function, operation.node
        given = {each.name: each for each in operation.given}
        if self.depth and target == "append" and self.shared.included < MOST_INCLUDED and (size := small(operation)):
            self.shared.included += size
            return self.included(operation, given)
        self.shared.called.setdefault(function.name, function)
        values: list[ast.expr] = [load(name) for name in self.passed_to(function)]
        values += [self.value_given(given.get(parameter.name)) for parameter in function.parameters]
        slots = [ast.keyword(name, load(name)) for name in function.slots]
        closures = [self.closure(each) for each in operation.closures]
        invoked = self.way.invoke(function.name, target, values, slots, plain=function.plain)
        return [*closures, self.positions.place(invoked, node.start, node.end)]

    def value_given(self, given: Given | None) -> ast.expr:
        """Build what is given to a parameter."""
        if given is None:
            return load("MISSING")
        value = self.runs.value(given.value)
        if given.parameter is not None and given.parameter.type not in {"", "*", "any"}:
            checked = call("check", value, constant(given.name), *_wanted(given.parameter))
            value = self.positions.place(checked, given.value.start, given.value.end)
        return value

    def included(self, operation: Call, given: dict[str, Given]) -> list[ast.stmt]:
        """Do what a function does where it is called: in a loop, calling it would cost as much as a value or two."""
        function = operation.function
        inner = _Builder(function, self.shared, self.way, inside=self)
        inner.expressions.kinds = self.expressions.kinds
        inner.depth = self.depth
        statements = self.runs.reading([each.value for each in operation.given])
        values = [self.value_given(given.get(parameter.name)) for parameter in function.parameters]
        self.runs.read = {}
        variables: list[str] = []
        for parameter, value in zip(function.parameters, values, strict=True):
            if isinstance(value, ast.Name) and value.id[0] in "vp" and parameter.default is None:
                # A variable here is the same one there.
                inner.expressions.bind(parameter.name, value.id)
                continue
            variable = self.expressions.fresh(f"v_{parameter.name}_")
            variables.append(variable)
            statements.append(ast.Assign([store(variable)], value))
            statements += inner.taken(parameter, entry=False, variable=variable)
        body = inner.block(function.body, "append")
        return [*statements, *self.expressions.kinds_known(variables), *body]

    # --- statements ------------------------------------------------------------------------------------------------

    def block(self, operations: list[Operation], target: str) -> list[ast.stmt]:
        """Build operations that append to ``target``; names that they bind end with them."""
        statements: list[ast.stmt] = []
        run: list[Item] = []
        self.expressions.scopes.append({})
        for operation in with_tails(operations):
            if isinstance(operation, Constant) and run and isinstance(before := run[-1], Constant):
                run[-1] = Constant(before.text + operation.text)
            elif isinstance(operation, Constant | Emit | Nonce) or (
                isinstance(operation, UrlJoin) and is_static(operation)
            ):
                run.append(operation)
            elif not isinstance(operation, InlineEnd):
                self.flush(run, statements, target)
                statements += self.step(operation, target)
                if isinstance(operation, UrlJoin):
                    run.append(call(self.shared.escaper(operation.escaper), load(self.pieces)))
            if len(run) >= LONGEST_RUN:
                self.flush(run, statements, target)
        self.flush(run, statements, target)
        self.expressions.scopes.pop()
        return statements

    def flush(self, run: list[Item], statements: list[ast.stmt], target: str) -> None:
        """Write a run of text and values, if there is any."""
        if run:
            statements += self.runs.build(run, target)
            run.clear()

    def step(self, operation: Operation, target: str) -> list[ast.stmt]:
        """Build a step."""
        match operation:
            case Bind():
                return [self.bind(operation.node)]
            case Choice():
                return [self.choice(operation, target)]
            case Loop():
                return self.loop(operation, target)
            case Group():
                return self.block(operation.body, target)
            case Call():
                return self.call(operation, target)
            case SlotCall() if self.inside is not None and operation.name in self.function.slots:
                return self.inside.block(operation.content.body, target)
            case SlotCall():
                closures = [self.closure(each) for each in operation.closures]
                given: list[ast.expr] = [load(each.name) for each in operation.closures]
                return [*closures, self.way.invoke(operation.name, target, given, [], plain=operation.plain)]
            case UrlJoin():
                return self.capture(operation)
        return [append(self.runs.piece(operation), target)]

    def capture(self, operation: UrlJoin) -> list[ast.stmt]:
        """Collect the pieces of a URL."""
        pieces, add = self.expressions.fresh("pieces"), self.expressions.fresh("add")
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
        value = self.expressions.build(node.expression)
        name = self.expressions.fresh(f"v_{node.name}_")
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
            chosen = ast.If(self.expressions.truth(branch.test), statements, result)
            result = [self.positions.place(chosen, branch.start, branch.end)]
        return result[0]

    def loop(self, operation: Loop, target: str) -> list[ast.stmt]:
        """Do the body for each item, counting only what is read of the position."""
        node, uses = operation.node, operation.uses
        streams = self.way.chunks and target == "append" and not self.function.plain
        statements: list[ast.stmt] = []
        if streams and not self.depth:
            # The page's own loops send what is ready before they start; those of pieces only when it is enough.
            statements = self.way.send(everything=self.function.context)
        items, names = self.items(operation, statements)
        item = _target(names)
        if uses & {"total", "last"}:
            items, item = self.sized(operation, items, item, statements)
        if uses - {"total"}:
            index = self.expressions.fresh("index")
            items = call(self.helper("enumerate"), items)
            item = ast.Tuple([store(index), item], STORE)
            self.position(node.position or "").update(_counted(index))
        self.depth += 1
        self.expressions.kinds.update(dict.fromkeys(names, False))
        body = self.block(operation.body, target) or [ast.Pass()]
        self.depth -= 1
        self.expressions.scopes.pop()
        if self.depth and not self.depth % DEEPEST_LOOPS:
            body = self.outlined([*self.expressions.kinds_known(names), *body], target)
        else:
            for name in names:
                before, inside = self.expressions.kind_found(name)
                statements += before
                body[:0] = inside
        if operation.empty:
            flag = self.expressions.fresh("empty")
            statements.append(ast.Assign([store(flag)], constant(value=True)))
            body.insert(0, ast.Assign([store(flag)], constant(value=False)))
        if streams:
            body += self.way.send(everything=False)
        loop = ast.AsyncFor(item, items, body, []) if self.is_async else ast.For(item, items, body, [])
        # What goes wrong while looping is told of the iterable, in every version of Python.
        statements.append(self.positions.place(loop, node.iterable.start, node.iterable.end))
        if operation.empty:
            statements.append(ast.If(load(flag), self.block(operation.empty, target) or [ast.Pass()], []))
        return statements

    def outlined(self, body: list[ast.stmt], target: str) -> list[ast.stmt]:
        """Put statements into a function of their own: Python nests no more than twenty loops in one."""
        name = self.expressions.fresh("deep")
        plain = target != "append" or self.function.plain
        define = self.way.define(name, [], body, plain=plain, target=target)
        return [define, self.way.invoke(name, target, [], [], plain=plain)]

    @property
    def is_async(self) -> bool:
        """Tell whether loops run over asynchronous iterators as they come, not collected first."""
        return self.way.awaits and self.way.chunks

    def helper(self, name: str) -> str:
        """Return the name of a function for loops, in its asynchronous form where there must be one."""
        return f"{name}_async" if self.is_async else name

    def items(self, operation: Loop, statements: list[ast.stmt]) -> tuple[ast.expr, list[str]]:
        """Return what a loop runs over, and the variables of its names, in a scope of their own."""
        node = operation.node
        collects = self.way.awaits and not self.way.chunks
        items = self.expressions.build(node.iterable, awaits=not collects)
        if isinstance(node.iterable, tree.Maybe):
            items = call("none_is_missing", items)
        source = self.helper("pairs" if len(node.names) == 2 else "each")  # noqa: PLR2004  key and value
        if source == "each":
            name = self.expressions.fresh("t")
            known = ast.Compare(call("type", ast.NamedExpr(store(name), items)), [ast.Is()], [load("list")])
            other: ast.expr = load(name)
            items = ast.IfExp(
                known, load(name), call(source, ast.Await(call("collected", other)) if collects else other)
            )
        else:
            items = call(source, ast.Await(call("collected", items)) if collects else items)
        items = self.positions.place(items, node.iterable.start, node.iterable.end)
        self.expressions.scopes.append({})
        names = [self.expressions.fresh(f"v_{name}_") for name in node.names]
        for name, variable in zip(node.names, names, strict=True):
            self.expressions.bind(name, variable)
        if node.condition is not None:
            every = self.expressions.fresh("rows")
            statements.append(ast.Assign([store(every)], items))
            condition = self.expressions.truth(node.condition)
            kept = ast.comprehension(_target(names), load(every), [condition], int(self.is_async))
            element = load(names[0]) if len(names) == 1 else ast.Tuple([load(name) for name in names], LOAD)
            # In a function that awaits, a generator with a condition that awaits would be an asynchronous one.
            whole = self.way.awaits and not self.way.chunks
            items = ast.ListComp(element, [kept]) if whole else ast.GeneratorExp(element, [kept])
        return items, names

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
            return call(self.helper("ahead"), items), ast.Tuple([item, store(last)], STORE)
        rows, total = self.expressions.fresh("rows"), self.expressions.fresh("total")
        listed: ast.expr = call(self.helper("sized"), items)
        statements.append(ast.Assign([store(rows)], ast.Await(listed) if self.is_async else listed))
        statements.append(ast.Assign([store(total)], call("len", load(rows))))
        position["total"] = load(total)
        if "last" in operation.uses:
            last = self.expressions.fresh("last")
            position["last"] = load(last)
            return call(self.helper("ahead"), load(rows)), ast.Tuple([item, store(last)], STORE)
        return (call("each_async", load(rows)) if self.is_async else load(rows)), item


def small(call: Call) -> int:
    """Return how many operations a function has, when it may be part of what calls it; else 0. It calls nothing."""
    function = call.function
    if (
        function.recursive
        or function.context
        or function.plain
        or {*function.slots} != {each.name for each in call.closures}
    ):
        return 0
    operations = [*every(function.body)]
    if len(operations) > LONGEST_INCLUDED or any(isinstance(each, Call) for each in operations):
        return 0
    # Contents that ask for what is there without them are functions.
    asks = any(isinstance(each, SlotCall) and (each.closures or each.content.slots) for each in operations)
    return 0 if asks else len(operations)


def with_tails(operations: list[Operation]) -> Iterator[Operation]:
    """Yield operations, text after a choice moved to the end of all its branches: each writes it with its own."""
    waiting: Choice | None = None
    for operation in operations:
        if waiting is not None:
            if isinstance(operation, Constant) and len(operation.text) <= LONGEST_TAIL:
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


def _target(names: list[str]) -> ast.expr:
    return store(names[0]) if len(names) == 1 else ast.Tuple([store(name) for name in names], STORE)


def _counted(index: str) -> dict[str, ast.expr]:
    """Return the attributes of a position that follow from the index."""
    odd = ast.BinOp(load(index), ast.BitAnd(), constant(1))
    return {
        "index": load(index),
        "number": ast.BinOp(load(index), ast.Add(), constant(1)),
        "first": ast.Compare(load(index), [ast.Eq()], [constant(0)]),
        "odd": ast.Compare(odd, [ast.Eq()], [constant(0)]),
        "even": ast.Compare(odd, [ast.Eq()], [constant(1)]),
    }
