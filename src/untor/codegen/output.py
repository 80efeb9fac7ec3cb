"""Runs: fixed text and values that follow one another in a page, written at once.

A run becomes one f-string. With the extension it becomes the call of a join, which escapes and writes all of it in one
go; the f-string then stands behind it, for values that the join leaves to Python.
"""

from __future__ import annotations

import ast
from typing import Any, NamedTuple

from untor.analysis.ir import FixedText, Nonce, Operation, PrintValue, UrlFixed, UrlJoin, UrlValue
from untor.codegen.nodes import LOAD, call, constant, load, store
from untor.codegen.type_guards import MOST_OWNERS
from untor.escape import EMBEDDING, ESCAPERS
from untor.escape.url import FIXED, QUERY
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.analysis.ir import Function
    from untor.codegen.expression_code import ExpressionGenerator, ModuleState
    from untor.codegen.locations import Locations
    from untor.codegen.variants import Variant

    Item = Operation | ast.expr
    """What a run is made of: operations, and expressions that print something already."""

RETURN = "return"
"""The target of what is the whole page."""

LONGEST_RUN = 60
"""How many values one run takes: all of them are on the interpreter's stack at once."""

_TEXT = tuple(constant(character) for character in "&<>")
_SPECIAL = {"text": _TEXT, "rcdata": _TEXT, "attribute": (*_TEXT, constant('"'), constant("'"))}
"""The characters that are escaped in places where values are tested without a call."""


class Printed(NamedTuple):
    """A value in a run: what a join is given and how it escapes it, and what the f-string prints.

    ``before`` and ``after`` are texts of the join that the f-string prints with the value.
    """

    letter: str
    given: ast.expr
    printed: ast.expr
    before: str = ""
    after: str = ""


Part = str | Printed
"""What is written: fixed text, or a value."""


class OutputWriter:
    """Builds the runs of one function."""

    def __init__(
        self, expressions: ExpressionGenerator, locations: Locations, module_state: ModuleState, way: Variant
    ) -> None:
        self.expressions = expressions
        self.locations = locations
        self.module_state = module_state
        self.way = way
        self.read: dict[int, str] = {}
        """The variables that hold values of the run which were read before it, by the nodes of the tree."""

    @property
    def joins(self) -> bool:
        """Tell whether runs are written with joins; a fallback is kept short."""
        return self.module_state.joins is not None and not self.expressions.plain

    def collected(self, run: list[Item]) -> tuple[list[ast.stmt], list[Part]]:
        """Return the statements that read what a run reads from objects, and the texts and values of the run."""
        first = self.reading([node for operation in run for node in _values(operation)])
        parts = self.parts(run)
        self.read = {}
        return first, parts

    @staticmethod
    def settled(parts: list[Part]) -> tuple[list[ast.stmt], list[Part]]:
        """Return statements that find out the values of parts, which are then written after other things are done."""
        statements: list[ast.stmt] = []
        parts_settled: list[Part] = []
        for part in parts:
            if isinstance(part, Printed) and isinstance(part.given, ast.NamedExpr):
                statements.append(ast.Assign([part.given.target], part.given.value))
                parts_settled.append(part._replace(given=load(part.given.target.id)))
            else:
                parts_settled.append(part)
        return statements, parts_settled

    # --- reading -----------------------------------------------------------------------------------------------------

    def reading(self, values: list[tree.Expression]) -> list[ast.stmt]:
        """Read values into variables, in a copy for each kind that the objects they are read from may be."""
        owners = self.expressions.owners()
        if not (self.expressions.lenient or self.expressions.plain):
            owners.read(values)
        if not 0 < len(owners.found) <= MOST_OWNERS:
            return []
        nodes = [node for node in values if not isinstance(node, (tree.Name, tree.Constant))]
        variable_of = {id(node): self.expressions.fresh("_r") for node in nodes}
        copies = []
        for items in (True, False):
            test = self.expressions.guard(owners.found, items=items)
            copies.append((test, self.assigned(nodes, variable_of)))
        self.expressions.direct, self.expressions.plain = {}, True
        inner = self.assigned(nodes, variable_of)
        self.expressions.plain = False
        for test, statements in reversed(copies):
            inner = [ast.If(test, statements, inner)]
        self.read = variable_of
        return inner

    def assigned(self, nodes: list[tree.Expression], read: dict[int, str]) -> list[ast.stmt]:
        """Return what assigns the values of nodes to variables."""
        return [
            self.locations.place(
                ast.Assign([store(read[id(node)])], self.expressions.build(node, awaits=False)), node.start, node.end
            )
            for node in nodes
        ]

    def value(self, node: tree.Expression) -> ast.expr:
        """Return a value of the run, which may have been read already."""
        name = self.read.get(id(node))
        if name is None:
            return self.expressions.build(node)
        return self.expressions.awaited(load(name), node)

    # --- writing -----------------------------------------------------------------------------------------------------

    def written(self, parts: list[Part], target: str) -> list[ast.stmt]:
        """Return the statements that write texts and values."""
        given = [part.given for part in parts if isinstance(part, Printed)]
        whole = target == RETURN
        if not (self.joins and given):
            return self.way.finish(_joined(parts)) if whole else [append(_joined(parts), target)]
        join_call = call(self.module_state.join(*_shape(parts)), constant(None) if whole else load(target), *given)
        if whole:
            return self.way.finish(ast.BoolOp(ast.Or(), [join_call, _joined(parts)]))
        return [ast.Expr(ast.BoolOp(ast.Or(), [join_call, append(_joined(parts), target).value]))]

    def quick(self, run: list[Item], named: list[str]) -> list[ast.stmt]:
        """Return the whole page where all that it prints are values that were handed over by name."""
        if any(not isinstance(node, tree.Name) for operation in run for node in _values(operation)):
            return []
        self.expressions.scopes.append({name: name for name in named})
        parts = self.parts(run)
        self.expressions.scopes.pop()
        if not self.joins:
            there: list[ast.expr] = [ast.Compare(load(name), [ast.IsNot()], [load("_MISSING")]) for name in named]
            all_there = there[0] if len(there) == 1 else ast.BoolOp(ast.And(), there)
            return [ast.If(all_there, self.way.finish(_joined(parts)), [])]
        if any(part.letter == "=" for part in parts if isinstance(part, Printed)):
            return []
        given = [part.given for part in parts if isinstance(part, Printed)]
        page = ast.NamedExpr(store("_quick"), call(self.module_state.join(*_shape(parts)), constant(None), *given))
        return [ast.If(ast.Compare(page, [ast.IsNot()], [constant(None)]), self.way.finish(load("_quick")), [])]

    def parts(self, run: list[Item]) -> list[Part]:
        """Return the texts and values of a run, no two texts one after another."""
        parts: list[Part] = []
        for operation in run:
            found = self.printed(operation)
            for part in found:
                if isinstance(part, str) and parts and isinstance(before := parts[-1], str):
                    parts[-1] = before + part
                elif part:
                    parts.append(part)
        return parts

    def printed(self, operation: Item) -> list[Part]:
        """Return what one operation of a run prints."""
        match operation:
            case FixedText():
                return [operation.text]
            case PrintValue():
                return self.emit(operation)
            case UrlJoin():
                pieces = ast.Tuple([self.piece(piece) for piece in operation.body], LOAD)
                return [self.ready(call(self.module_state.escaper(operation.escaper), pieces))]
            case Nonce():
                return [] if operation.own else [self.ready(load("_nonce"))]
        assert isinstance(operation, ast.expr)  # noqa: S101  nothing else is in a run
        return [self.ready(operation)]

    def emit(self, operation: PrintValue) -> list[Part]:
        """Print a value through its escaping functions."""
        node = operation.expression
        first, *others = operation.escapers
        if others and others[0] == "attribute" and ESCAPERS[first].inert:
            del others[0]
        letter = ESCAPERS[first].letter if self.joins and not others else ""
        given = None
        if letter:
            given, value = self.given(node)
        else:
            value = self.value(node)
        before = [constant(text) for text in operation.before]
        after = [constant(text) for text in operation.after]
        if first in EMBEDDING and others:
            inner = load(self.module_state.escaper(others[0]))
            whole = call(self.module_state.escaper(EMBEDDING[first]), *before, value, inner)
            return [self.ready(self.locations.place(whole, node.start, node.end))]
        expression: ast.expr = call(self.module_state.escaper(first), *before, value, *after)
        self.locations.place(expression, node.start, node.end)
        for outer in others:
            expression = self.locations.place(call(self.module_state.escaper(outer), expression), node.start, node.end)
        if given is None:
            is_alone = self.module_state.joins is None and not (self.expressions.plain or others)
            if is_alone and isinstance(value, ast.Name) and first in _SPECIAL:
                expression = self.tested(value, _SPECIAL[first], expression)
            return [self.ready(expression)]
        return [Printed(letter, given, expression, *operation.before, *operation.after)]

    @staticmethod
    def tested(value: ast.Name, special: tuple[ast.Constant, ...], built: ast.expr) -> ast.expr:
        """Print text that has nothing to escape as it is: not to call a function for each value is worth more code."""
        there: list[ast.expr] = [ast.Compare(character, [ast.In()], [value]) for character in special]
        is_text = ast.Compare(call("_type", value), [ast.Is()], [load("_str")])
        printable = ast.Call(ast.Attribute(value, "isprintable", LOAD), [], [])
        clean = ast.BoolOp(ast.And(), [is_text, ast.UnaryOp(ast.Not(), ast.BoolOp(ast.Or(), there)), printable])
        return ast.IfExp(clean, value, built)

    def given(self, node: tree.Expression) -> tuple[ast.expr, ast.expr]:
        """Return a value as a join is given it, and as the f-string behind it reads it again."""
        if isinstance(node, tree.Name) and (variable := self.expressions.variable_of(node)):
            # What is missing, a join leaves to the f-string.
            return load(variable), self.value(node)
        name = self.read.get(id(node))
        if name is not None:
            return load(name), self.value(node)
        name = self.expressions.fresh("_r")
        given = ast.NamedExpr(store(name), self.expressions.build(node, awaits=False))
        return given, self.expressions.awaited(load(name), node)

    def ready(self, printed: ast.expr) -> Printed:
        """Return what is printed already: for a join and behind it, made only once."""
        if not self.joins or isinstance(printed, ast.Name):
            return Printed("=", printed, printed)
        name = self.expressions.fresh("_r")
        return Printed("=", ast.NamedExpr(store(name), printed), load(name))

    def piece(self, piece: Operation) -> ast.expr:
        """Build a piece of a URL: kind, value, and of fixed text what a browser reads it as."""
        if isinstance(piece, UrlFixed):
            fixed: Any = (FIXED, piece.raw, piece.plain)
            return constant(fixed)
        assert isinstance(piece, UrlValue)  # noqa: S101  others are steps
        value = self.value(piece.expression)
        if piece.kind != QUERY:
            value = call("_printed", value)
            self.locations.place(value, piece.expression.start, piece.expression.end)
        return ast.Tuple([constant(piece.kind), value, constant("")], LOAD)


def append(value: ast.expr, target: str) -> ast.Expr:
    """Append one thing."""
    called = call(target, value)
    statement = ast.Expr(called)
    if (line := value.__dict__.get("lineno")) is not None:
        for node in (called, statement):
            node.lineno, node.col_offset = line, value.col_offset
            node.end_lineno, node.end_col_offset = value.end_lineno, value.end_col_offset
    return statement


def is_static(operation: UrlJoin) -> bool:
    """Tell whether the pieces of a URL are always the same ones."""
    return all(isinstance(piece, UrlFixed | UrlValue) for piece in operation.body)


def is_one_run(function: Function) -> bool:
    """Tell whether a function does nothing but print values and text in one run."""
    printing = sum(isinstance(operation, FixedText | PrintValue | Nonce) for operation in function.body)
    return 0 < printing <= LONGEST_RUN and printing == len(function.body)


def _joined(parts: list[Part]) -> ast.expr:
    """Return a run as one expression of Python alone."""
    built = [constant(part) if isinstance(part, str) else part.printed for part in parts]
    if len(built) == 1:
        return built[0]
    return ast.JoinedStr([part if isinstance(part, ast.Constant) else ast.FormattedValue(part, -1) for part in built])


def _shape(parts: list[Part]) -> tuple[tuple[str, ...], bytes]:
    """Return the texts of a join, one more than there are values, and the letters of the values."""
    texts, letters = [""], ""
    for part in parts:
        if isinstance(part, str):
            texts[-1] += part
        else:
            texts[-1] += part.before
            texts.append(part.after)
            letters += part.letter
    return tuple(texts), letters.encode("ascii")


def _values(operation: Item) -> Iterator[tree.Expression]:
    """Yield the expressions that an operation of a run prints, in order."""
    if isinstance(operation, PrintValue | UrlValue):
        yield operation.expression
    elif isinstance(operation, UrlJoin):
        for piece in operation.body:
            yield from _values(piece)
