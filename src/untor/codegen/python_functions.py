"""One function of a page in Python: its parameters, its calls and its operations, one after another."""

from __future__ import annotations

import ast

from untor.analysis.deep import LEVELS, on_a_stack_of_its_own
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
    PrintValue,
    Scope,
    SlotCall,
    UrlFixed,
    UrlJoin,
    UrlValue,
)
from untor.codegen.locations import Locations
from untor.codegen.nodes import APPEND, LOAD, call, constant, load, store
from untor.codegen.python_expressions import ExpressionGenerator, ModuleState, inputs_read
from untor.codegen.python_loops import LoopGenerator
from untor.codegen.runs import BOOLEAN, LONGEST_RUN, escaping_of, is_static
from untor.escape import ESCAPERS
from untor.escape.url import FIXED, QUERY
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from untor.analysis.ir import PassedArgument
    from untor.codegen.python_ways import Way

_ESCAPERS = {escaper.letter: name for name, escaper in ESCAPERS.items() if escaper.letter}
"""The escaping functions that are part of writing, by the letters of the table."""

_OWN_TYPES = frozenset({"str", "int", "float", "bool", "list", "dict"})
"""The types of parameters that are also those of most of their values."""

_TEXT = tuple(constant(character) for character in "&<>")
_SPECIAL = {"t": _TEXT, "r": _TEXT, "a": (*_TEXT, constant('"'), constant("'"))}
"""The characters that are escaped in places where values are tested without a call."""


class FunctionGenerator(LoopGenerator):
    """Builds one function; values and fixed text that follow one another become one f-string."""

    def __init__(self, function: Function, state: ModuleState, way: Way) -> None:
        self.function = function
        self.way = way
        self.state = state
        self.locations = Locations(function.source)
        names = None if function.context else [parameter.name for parameter in function.parameters]
        self.expressions = ExpressionGenerator(self.locations, state, known=names, awaits=way.awaits)
        self.depth = self.levels = 0
        self.statements: list[ast.stmt] = []
        self.parts: list[ast.expr] = []
        """What is to be written: constants, and the values between them."""
        self.values = 0
        self.written: dict[tuple[str, str], tuple[int, ast.Name]] = {}
        """Of the values of a run, where each is in ``parts``, and its variable, by its expression and its letter."""
        self.waiting: list[tuple[str, tree.Expression]] = []
        """The variables of values that are awaited before they are written."""

    # --- functions -------------------------------------------------------------------------------------------------

    def body(self) -> list[ast.stmt]:
        """Return the statements of the entry function, except those that read its values."""
        statements = [statement for each in self.function.parameters for statement in self.taken(each, entry=True)]
        return [*statements, *self.block(self.function.body, APPEND)]

    def definition(self) -> ast.stmt:
        """Return the definition of a function."""
        function = self.function
        statements = [statement for each in function.parameters for statement in self.taken(each, entry=False)]
        inner = self.block(function.body, APPEND)
        start = inputs_read(self.expressions.inputs) if function.context else []
        names = [*self.passed_to(), *(f"_p_{each.name}" for each in function.parameters)]
        body = [*start, *statements, *inner]
        return self.way.define(function.name, [*names, *function.slots], body, plain=function.plain)

    def taken(self, parameter: tree.Parameter, *, entry: bool) -> list[ast.stmt]:
        """Bind what the function takes: what it was given, the context's value, the default, or an error."""
        variable = f"_p_{parameter.name}"
        self.expressions.bind(parameter.name, variable)
        name = constant(parameter.name)
        statements: list[ast.stmt] = []
        if parameter.type == "*":
            return statements
        self.state.inputs.add(parameter.name)
        given = ast.Call(ast.Attribute(load("_scope"), "get", LOAD), [name, load("_MISSING")], [])
        value = self.expressions.computed(*self.expressions.twice(given))
        from_context = self.checked(parameter, self.expressions.awaited(value, tree.Name(0, 0, parameter.name)))
        if entry:
            statements.append(ast.Assign([store(variable)], from_context))
        elif self.function.context:
            statements.append(self.when_missing(variable, from_context))
        if parameter.default is not None:
            statements.append(self.when_missing(variable, self.expressions.build(parameter.default)))
            self.expressions.owners.forget()
        elif self.function.context:
            statements.append(self.when_missing(variable, call("_takes_missing", name, load("_scope"))))
        return [self.locations.place(each, parameter.start, parameter.end) for each in statements]

    def checked(self, parameter: tree.Parameter, value: ast.expr) -> ast.expr:
        """Check a value against the type of its parameter; Python's own types are compared in place."""
        if parameter.type in {"", "*", "any"}:
            return value
        first, again = self.expressions.twice(value)
        check = call("_check", again, constant(parameter.name), constant(parameter.type), constant(parameter.optional))
        if parameter.type not in _OWN_TYPES:
            return call("_check", value, *check.args[1:])
        return ast.IfExp(ast.Compare(call("_type", first), [ast.Is()], [load(f"_{parameter.type}")]), again, check)

    def passed_to(self) -> list[str]:
        """Return what a function receives in addition to its parameters."""
        return [*(["_nonce"] if self.state.nonces else []), "_scope"]

    @staticmethod
    def when_missing(variable: str, value: ast.expr) -> ast.stmt:
        """Assign a value to a variable that is missing."""
        test = ast.Compare(load(variable), [ast.Is()], [load("_MISSING")])
        return ast.If(test, [ast.Assign([store(variable)], value)], [])

    def content(self, function: Function) -> ast.stmt:
        """Return the definition of content for a slot, which sees the names around it."""
        depth, self.depth = self.depth, 0
        body = self.block(function.body, APPEND)
        self.depth = depth
        return self.way.define(function.name, function.slots, body, plain=function.plain)

    def call(self, operation: CallFunction, target: str) -> None:
        """Call another template or part."""
        function, node = operation.function, operation.node
        arguments = {each.name: each for each in operation.given}
        self.state.called.setdefault(function.name, function)
        self.statements += [self.content(each) for each in operation.closures]
        values: list[ast.expr] = [load(name) for name in self.passed_to()]
        values += [self.value_given(arguments.get(parameter.name)) for parameter in function.parameters]
        slots = [ast.keyword(name, load(name)) for name in function.slots]
        invoked = self.way.invoke(function.name, target, values, slots, plain=function.plain)
        self.statements.append(self.locations.place(invoked, node.start, node.end))

    def value_given(self, given: PassedArgument | None) -> ast.expr:
        """Build what is given to a parameter."""
        if given is None:
            return load("_MISSING")
        value = self.expressions.handed(given.value)
        if given.parameter is None or given.parameter.type in {"", "*", "any"}:
            return value
        return self.locations.place(self.checked(given.parameter, value), given.value.start, given.value.end)

    # --- operations --------------------------------------------------------------------------------------------------

    def block(self, operations: list[Operation], target: str) -> list[ast.stmt]:
        """Build operations that append to ``target``; names that they bind end with them."""
        outer, self.statements = self.statements, []
        self.levels += 1
        if self.levels % LEVELS:
            self.operations(operations, target)
        else:
            on_a_stack_of_its_own(lambda: self.operations(operations, target))
        self.levels -= 1
        statements, self.statements = self.statements, outer
        return statements

    def operations(self, operations: list[Operation], target: str) -> None:
        """Build the operations of a block, one after another."""
        self.expressions.scopes.append({})
        for operation in operations:
            match operation:
                case FixedText():
                    self.write_text(operation.text)
                case PrintValue():
                    self.print(operation)
                case Nonce():
                    if not operation.own:
                        self.write(load("_nonce"))
                case UrlJoin() if is_static(operation):
                    pieces = ast.Tuple([self.piece(piece) for piece in operation.body], LOAD)
                    self.joined(operation, pieces)
                case InlineEnd():
                    pass
                case _:
                    self.flush(target)
                    self.operation(operation, target)
                    if not self.parts:
                        self.expressions.owners.forget()
            if self.values >= LONGEST_RUN:
                self.flush(target)
        self.flush(target)
        self.expressions.scopes.pop()

    def operation(self, operation: Operation, target: str) -> None:
        """Build what is not only written."""
        match operation:
            case Bind():
                node = operation.node
                value = self.expressions.handed(node.expression)
                name = self.expressions.fresh(f"_v_{node.name}_")
                self.expressions.bind(node.name, name)
                self.statements.append(self.locations.place(ast.Assign([store(name)], value), node.start, node.end))
            case Choice():
                self.choice(operation, target)
            case Loop():
                self.loop(operation, target)
            case Scope():
                self.statements += self.block(operation.body, target)
            case CallFunction():
                self.call(operation, target)
            case SlotCall():
                self.statements += [self.content(each) for each in operation.closures]
                given: list[ast.expr] = [load(each.name) for each in operation.closures]
                self.statements.append(self.way.invoke(operation.name, target, given, [], plain=operation.plain))
            case UrlJoin():
                pieces, add = self.expressions.fresh("_pieces"), self.expressions.fresh("_add")
                self.depth += 1
                body = self.block(operation.body, add)
                self.depth -= 1
                self.statements.append(ast.Assign([store(pieces)], ast.List([], LOAD)))
                self.statements.append(ast.Assign([store(add)], ast.Attribute(load(pieces), "append", LOAD)))
                self.statements += body
                self.joined(operation, load(pieces))
            case UrlFixed() | UrlValue():
                self.statements.append(ast.Expr(call(target, self.piece(operation))))

    def choice(self, operation: Choice, target: str) -> None:
        """Do one of several branches."""
        result: list[ast.stmt] = []
        for branch, body in reversed(operation.branches):
            statements = self.block(body, target)
            if branch.test is None:
                result = statements
                continue
            self.expressions.owners.forget()
            test = self.expressions.truth(branch.test)
            self.expressions.owners.forget()
            chosen = ast.If(test, statements or [ast.Pass()], result)
            result = [self.locations.place(chosen, branch.start, branch.end)]
        self.statements += result

    # --- writing -----------------------------------------------------------------------------------------------------

    def write_text(self, text: str) -> None:
        """Let fixed text be written next."""
        before = self.parts[-1] if self.parts else None
        if isinstance(before, ast.Constant) and isinstance(before.value, str):
            self.parts[-1] = constant(before.value + text)
        elif text:
            self.parts.append(constant(text))

    def write(self, printed: ast.expr) -> None:
        """Let a value be written next."""
        self.parts.append(printed)
        self.values += 1

    def flush(self, target: str) -> None:
        """Write what is waiting."""
        for name, node in self.waiting:
            awaited = ast.Assign([store(name)], self.expressions.awaited(load(name), node))
            self.statements.append(self.locations.place(awaited, node.start, node.end))
        if self.parts:
            text = self.parts[0]
            if len(self.parts) > 1:
                parts: list[ast.expr] = [
                    each if isinstance(each, ast.Constant) else ast.FormattedValue(each, -1) for each in self.parts
                ]
                text = ast.JoinedStr(parts)
            statement = ast.Expr(call(target, text))
            self.statements.append(statement)
        self.parts, self.values, self.waiting, self.written = [], 0, [], {}
        self.expressions.owners.forget()

    def read(self, value: ast.expr, node: tree.Expression) -> ast.expr:
        """Read a value before anything of its run is written, and return what it is written as."""
        if isinstance(value, ast.Name | ast.Constant):
            return value
        name = self.expressions.fresh("_r")
        self.statements.append(self.locations.place(ast.Assign([store(name)], value), node.start, node.end))
        return load(name)

    def print(self, operation: PrintValue) -> None:
        """Print a value through its escaping functions."""
        node = operation.expression
        functions, letter = escaping_of(operation)
        if functions == BOOLEAN:
            attribute = ast.IfExp(self.expressions.truth(node), constant(f" {operation.before[0]}"), constant(""))
            self.write(self.read(attribute, node))
            return
        value = self.expressions.build(node, awaits=bool(functions) or not letter)
        before: list[ast.expr] = [constant(text) for text in operation.before]
        after: list[ast.expr] = [constant(text) for text in operation.after]
        for name, inner in functions:
            others = [load(self.state.escaper(inner))] if inner else after
            value = call(self.state.escaper(name), *before, value, *others)
            self.locations.place(value, node.start, node.end)
            before, after = [], []
        if self.expressions.may_wait(node) and not functions and letter:
            # All values of a run are read before the first of them is awaited.
            name = self.expressions.fresh("_r")
            self.statements.append(self.locations.place(ast.Assign([store(name)], value), node.start, node.end))
            self.waiting.append((name, node))
            value = load(name)
        value = self.read(value, node)
        if not letter:
            self.write(value)
            return
        written_value: ast.expr = call(self.state.escaper(_ESCAPERS[letter]), *before, value, *after)
        self.locations.place(written_value, node.start, node.end)
        if letter in _SPECIAL and isinstance(value, ast.Name):
            written_value = self.tested(value, _SPECIAL[letter], written_value)
            written_value = self.written_again(value, letter, node, written_value)
        self.write(written_value)

    def written_again(self, value: ast.Name, letter: str, node: tree.Expression, built: ast.expr) -> ast.expr:
        """Print a string that the run has printed in the same way already as it was printed then."""
        key = self.locations.source.text[node.start : node.end], letter
        if key not in self.written:
            self.written[key] = len(self.parts), value
            return built
        index, first = self.written[key]
        before = self.parts[index]
        if not isinstance(before, ast.NamedExpr):
            before = self.parts[index] = ast.NamedExpr(store(self.expressions.fresh("_w")), before)
        same = ast.Compare(value, [ast.Is()], [first])
        is_text = ast.Compare(call("_type", value), [ast.Is()], [load("_str")])
        return ast.IfExp(ast.BoolOp(ast.And(), [same, is_text]), load(before.target.id), built)

    @staticmethod
    def tested(value: ast.Name, special: tuple[ast.Constant, ...], built: ast.expr) -> ast.expr:
        """Print a string without special characters unchanged: avoiding a call per value is worth more code."""
        there: list[ast.expr] = [ast.Compare(character, [ast.In()], [value]) for character in special]
        is_text = ast.Compare(call("_type", value), [ast.Is()], [load("_str")])
        printable = ast.Call(ast.Attribute(value, "isprintable", LOAD), [], [])
        clean = ast.BoolOp(ast.And(), [is_text, ast.UnaryOp(ast.Not(), ast.BoolOp(ast.Or(), there)), printable])
        return ast.IfExp(clean, value, built)

    def joined(self, operation: UrlJoin, pieces: ast.expr) -> None:
        """Decide on a URL, and let it be written next."""
        name = self.expressions.fresh("_r")
        value = call(self.state.escaper(operation.escaper), pieces)
        self.locations.place(value, operation.start, operation.end)
        self.statements.append(ast.Assign([store(name)], value))
        self.write(load(name))

    def piece(self, piece: Operation) -> ast.expr:
        """Build a piece of a URL: kind, value, and of fixed text what a browser reads it as."""
        if isinstance(piece, UrlFixed):
            fixed: Any = (FIXED, piece.raw, piece.plain)
            return constant(fixed)
        assert isinstance(piece, UrlValue)  # noqa: S101  nothing else is in a URL
        value = self.expressions.build(piece.expression)
        if piece.kind != QUERY:
            value = call("_printed", value)
            self.locations.place(value, piece.expression.start, piece.expression.end)
        return ast.Tuple([constant(piece.kind), value, constant("")], LOAD)
