"""Loops as programs of the extension: the same code, as instructions that ``interpreter.c`` runs for each item.

What is translated is the code that the builder has written for the loop's body, so that the two cannot mean different
things; that code stays behind the program, for the items from the first one on that the program leaves to it.
"""

from __future__ import annotations

import ast
from typing import NamedTuple

from untor.codegen.nodes import call, constant, load
from untor.escape import ESCAPERS
from untor.filters import NAMES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

# The steps and their options, as interpreter.h has them.
READ, WRITE, TEST, JUMP, ITEMS, FOR, SPLIT, CALL, COMPARE, BINARY, UNARY, COPY, ABSENT, NEED, PACK = range(15)
_COMPARE = {
    op: how
    for how, op in enumerate(
        (ast.Lt, ast.LtE, ast.Eq, ast.NotEq, ast.Gt, ast.GtE, ast.In, ast.NotIn, ast.Is, ast.IsNot)
    )
}
_BINARY = {op: how for how, op in enumerate((ast.Add, ast.Sub, ast.Mult, ast.Div, ast.FloorDiv, ast.BitAnd))}
_UNARY = {op: how for how, op in enumerate((ast.Not, ast.USub, ast.UAdd))}

MOST_SLOTS = 250
MOST_VALUES = 60
"""How many values one step writes."""
LONGEST = 100_000
"""How long a program is, in numbers."""
DEEPEST = 12
"""How many loops a program has in one another."""

_LETTERS = {f"_e_{name.replace('-', '_')}": row.letter for name, row in ESCAPERS.items() if row.letter}
"""The escaping functions that are part of writing, by the letters of joins."""

Slot = tuple[str, int]
"""Where a value is: the item, what the loop is given, what it keeps, or one of its own; numbered when all are known."""


class Untranslatable(Exception):  # noqa: N818  no error: the loop is left to Python
    """No instruction does this."""


class Program(NamedTuple):
    """A loop of the extension: what makes it, and the values it is called with after its items."""

    made: ast.expr
    given: list[ast.expr]


class BytecodeCompiler:
    """Translates the body of one loop."""

    def __init__(self, *, chunks: bool = False, awaits: bool = False) -> None:
        self.chunks = chunks
        """Whether the loop stops when there is enough for a chunk, and is called again."""
        self.awaits = awaits
        """Whether what can be awaited is left to Python."""
        self.code: list[int | Slot] = []
        self.names: list[str] = []
        self.joins: list[tuple[tuple[str, ...], bytes]] = []
        self.given: dict[str, Slot] = {}
        self.kept: dict[object, tuple[Slot, ast.expr]] = {}
        self.own = 0
        self.variables: dict[str, Slot] = {}
        self.owners: dict[tuple[str, ...], Slot] = {}
        """The objects that the statement has read from already, by their paths."""
        self.depth = 0
        self.texts: list[str] = [""]
        """What is to be written before anything is decided: texts, and the values between them with their letters."""
        self.letters = ""
        self.values: list[Slot] = []

    def program(self, target: ast.expr, body: list[ast.stmt]) -> Program:
        """Translate a body for items that are assigned to a target. Raises ``Untranslatable``."""
        self.assigned(target, ("item", 0))
        self.block(body)
        first = {"item": 0, "given": 1, "kept": 1 + len(self.given), "own": 1 + len(self.given) + len(self.kept)}
        slots = first["own"] + self.own
        if slots > MOST_SLOTS or len(self.code) > LONGEST:
            raise Untranslatable
        code = tuple([each if isinstance(each, int) else first[each[0]] + each[1] for each in self.code])
        kept = ast.Tuple([each for _, each in self.kept.values()], ast.Load())
        tables = constant(code), constant(tuple(self.names)), constant(tuple(self.joins))
        numbers = constant(len(self.given)), constant(slots)
        maker = call("_loop", *tables, kept, *numbers, constant(self.chunks), constant(self.awaits))
        return Program(maker, [load(name) for name in self.given])

    # --- steps and slots -----------------------------------------------------------------------------------------

    def step(self, *parts: int | Slot) -> int:
        """Add a step, and return where it begins."""
        self.code += parts
        return len(self.code) - len(parts)

    def here(self, *places: int) -> None:
        """Let jumps lead to where the code is now; a place is that of the number that says where."""
        for place in places:
            self.code[place] = len(self.code)

    def fresh(self) -> Slot:
        """Return a new slot."""
        self.own += 1
        return "own", self.own - 1

    def into(self, slot: Slot | None) -> Slot:
        """Return the slot that a value is wanted in, or a new one."""
        return self.fresh() if slot is None else slot

    def keep(self, key: object, made: ast.expr) -> Slot:
        """Return the slot of what the loop always has."""
        return self.kept.setdefault(key, (("kept", len(self.kept)), made))[0]

    def assigned(self, target: ast.expr, slot: Slot) -> None:
        """Bind the names of a target to a value, or to the two of a pair."""
        if isinstance(target, ast.Name):
            self.variables[target.id] = slot
            return
        if not isinstance(target, ast.Tuple) or len(target.elts) != 2:  # noqa: PLR2004  a pair
            raise Untranslatable
        first, second = self.fresh(), self.fresh()
        self.step(SPLIT, slot, first, second)
        self.assigned(target.elts[0], first)
        self.assigned(target.elts[1], second)

    # --- statements ----------------------------------------------------------------------------------------------

    def block(self, statements: Iterable[ast.stmt]) -> None:
        """Translate statements."""
        for statement in statements:
            self.owners.clear()
            self.statement(statement)
        self.flush()
        self.owners.clear()

    def statement(self, statement: ast.stmt) -> None:
        """Translate a statement."""
        match statement:
            case ast.Expr(ast.Call(ast.Name("_append"), [written], [])):
                self.written(written)
            case ast.Assign([ast.Name(name)], value) if name.startswith("_rows"):
                self.variables[name] = self.items(value)
            case ast.Assign([ast.Name(name)], value):
                if name in self.variables:
                    self.flush()
                slot = self.variables.get(name) or self.fresh()
                self.value(value, slot)
                self.variables[name] = slot
            case ast.If(test, body, otherwise):
                self.flush()
                self.choice(test, body, otherwise)
            case ast.For(target, items, body):
                self.flush()
                self.loop(target, items, body)
            case ast.Pass():
                pass
            case _:
                raise Untranslatable

    def choice(self, test: ast.expr, body: list[ast.stmt], otherwise: list[ast.stmt]) -> None:
        """Translate an ``if``."""
        skip = self.test(test)
        self.block(body)
        if otherwise:
            to_end = self.step(JUMP, 0) + 1
            self.here(skip)
            self.block(otherwise)
            self.here(to_end)
        else:
            self.here(skip)

    def loop(self, target: ast.expr, items: ast.expr, body: list[ast.stmt]) -> None:
        """Translate a loop in the loop."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise Untranslatable
        tests: list[ast.expr] = []
        if isinstance(items, ast.GeneratorExp):
            (part,) = items.generators
            tests, items = part.ifs, part.iter
        item, found = self.fresh(), self.items(items)
        at = self.step(FOR, found, item, 0, 0)
        self.assigned(target, item)
        skips = [self.test(test) for test in tests]
        self.block(body)
        self.here(*skips, at + 3, at + 4)
        self.depth -= 1

    def items(self, items: ast.expr) -> Slot:
        """Translate what a loop runs over: only what could be run over again, should its item be left to Python."""
        match items:
            case ast.IfExp(ast.Compare(ast.Call(ast.Name("_type"), [given])), _, ast.Call(ast.Name("_each"))):
                how = 0
            case ast.Call(ast.Name("_pairs"), [given], []):
                how = 1
            case ast.Call(ast.Name(name), [inner], []) if name in {"_ahead", "_enumerate", "_sized"}:
                return self.called(load(name), [self.items(inner)], uses_up=False)
            case ast.Name(name) if name in self.variables:
                # Items that were found before, to be counted or tested.
                return self.variables[name]
            case _:
                raise Untranslatable
        slot = self.value(given)
        found = self.fresh()
        self.step(ITEMS, found, slot, how)
        return found

    # --- writing -------------------------------------------------------------------------------------------------

    def written(self, written: ast.expr) -> None:
        """Translate what is written: text, a value, or texts and values."""
        parts = written.values if isinstance(written, ast.JoinedStr) else [written]
        for part in parts:
            if isinstance(part, ast.Constant) and isinstance(part.value, str):
                self.texts[-1] += part.value
                continue
            letter, value, before, after = _escaped(part.value if isinstance(part, ast.FormattedValue) else part)
            slot = self.value(value)
            if len(self.values) >= MOST_VALUES:
                self.flush()
            self.values.append(slot)
            self.letters += letter
            self.texts[-1] += before
            self.texts.append(after)

    def flush(self) -> None:
        """Write what is waiting."""
        if self.values or self.texts[0]:
            shape = tuple(self.texts), self.letters.encode("ascii")
            self.step(WRITE, _index(self.joins, shape), *self.values)
            self.texts, self.letters, self.values = [""], "", []

    # --- values --------------------------------------------------------------------------------------------------

    def value(self, node: ast.expr, to: Slot | None = None) -> Slot:
        """Translate an expression, and return where its value is: in the slot it is wanted in, if any."""
        if isinstance(node, ast.Call):
            return self.call(node, to)
        if isinstance(node, ast.Name):
            return self.moved(self.variable(node.id), to)
        match node:
            case ast.Constant(value):
                return self.moved(self.keep((type(value), repr(value)), node), to)
            case ast.NamedExpr(ast.Name(name), value):
                slot = self.value(value)
                self.variables[name] = slot
                return self.moved(slot, to)
            case ast.IfExp(
                ast.Compare(ast.Name(name), [ast.IsNot()], [ast.Name("_MISSING")]),
                _,
                ast.Call(ast.Name("_missing_name")),
            ):
                slot = self.variable(name)
                self.step(NEED, slot)
                return self.moved(slot, to)
            case ast.IfExp(test, then, otherwise):
                return self.either(test, then, otherwise, to)
            case ast.BoolOp():
                return self.either_of(node, to)
            case ast.Compare(left, [operator], [right]) if type(operator) in _COMPARE:
                sides = self.value(left), self.value(right)
                slot = self.into(to)
                self.step(COMPARE, slot, *sides, _COMPARE[type(operator)])
                return slot
            case ast.BinOp(left, operator, right) if type(operator) in _BINARY:
                sides = self.value(left), self.value(right)
                slot = self.into(to)
                self.step(BINARY, slot, *sides, _BINARY[type(operator)])
                return slot
            case ast.UnaryOp(operator, operand) if type(operator) in _UNARY:
                inner = self.value(operand)
                slot = self.into(to)
                self.step(UNARY, slot, inner, _UNARY[type(operator)])
                return slot
            case ast.Tuple(parts):
                return self.tuple(parts, to)
        raise Untranslatable

    def moved(self, slot: Slot, to: Slot | None) -> Slot:
        """Copy a value to where it is wanted."""
        if to is None or to == slot:
            return slot
        self.step(COPY, to, slot)
        return to

    def variable(self, name: str) -> Slot:
        """Return the slot of a variable: one of the body's, one of all pages, or one from around the loop."""
        if name in self.variables:
            return self.variables[name]
        if name == "_MISSING" or name.startswith(("_g_", "_e_")):
            return self.keep(name, load(name))
        return self.given.setdefault(name, ("given", len(self.given)))

    def read(self, owner: ast.expr, name: str, to: Slot | None = None) -> Slot:
        """Translate a dot; the objects that a statement reads from, it reads once."""
        slot = self.into(to)
        self.step(READ, slot, self.owner(owner), _index(self.names, name))
        return slot

    def owner(self, node: ast.expr) -> Slot:
        """Translate the owner before a dot."""
        path = _path(node)
        if not isinstance(node, ast.Call) or path is None:
            return self.value(node)
        if path not in self.owners:
            self.owners[path] = self.value(node)
        return self.owners[path]

    def call(self, node: ast.Call, to: Slot | None) -> Slot:
        """Translate a call; that of a dot is a step of its own."""
        if (dot := _dot(node)) is not None:
            return self.read(*dot, to)
        arguments = [self.value(each) for each in node.args]
        names = tuple(each.arg for each in node.keywords if each.arg)
        if len(names) < len(node.keywords):
            raise Untranslatable
        return self.called(node.func, [*arguments, *(self.value(each.value) for each in node.keywords)], names, to)

    def called(
        self,
        function: ast.expr,
        arguments: list[Slot],
        names: tuple[str, ...] = (),
        to: Slot | None = None,
        *,
        uses_up: bool = True,
    ) -> Slot:
        """Call a function of Untor with values; one that ``uses_up`` iterators leaves them to Python.

        Functions and filters of the site are left to Python: they may count how often they are called, and Python
        begins anew with an item that the program cannot finish.
        """
        name = function.id if isinstance(function, ast.Name) else ""
        if not (name in _FUNCTIONS or name.startswith("_e_") or (name.startswith("_f_") and name[3:] in NAMES)):
            raise Untranslatable
        named = self.keep((tuple, names), constant(names)) if names else -1
        callee, slot = self.keep(name, function), self.into(to)
        self.step(CALL, slot, callee, named, int(uses_up), len(arguments), *arguments)
        return slot

    def tuple(self, parts: list[ast.expr], to: Slot | None) -> Slot:
        """Translate a tuple."""
        slots = [self.value(each) for each in parts]
        slot = self.into(to)
        self.step(PACK, slot, len(slots), *slots)
        return slot

    # --- decisions -----------------------------------------------------------------------------------------------

    def test(self, node: ast.expr) -> int:
        """Translate a test; return the place of the number that says where to go on when it is false."""
        match node:
            case ast.IfExp(ast.Compare(ast.Call(ast.Name("_type"), [given])), _, ast.Call(ast.Name("_truth"))):
                return self.step(TEST, self.value(given), 0, 1) + 2
        return self.step(TEST, self.value(node), 0, 0) + 2

    def either(self, test: ast.expr, then: ast.expr, otherwise: ast.expr, to: Slot | None) -> Slot:
        """Translate ``then if test else otherwise``; what is read in only one of them is not known after it."""
        slot = self.fresh() if to is None else to
        match test:
            case ast.BoolOp(
                ast.Or(),
                [
                    ast.Compare(first, [ast.Is()], [ast.Constant(None)]),
                    ast.Compare(_, [ast.Is()], [ast.Name("_MISSING")]),
                ],
            ):
                # What is None or missing: the other way round.
                found = self.value(first)
                skip, (then, otherwise) = self.step(ABSENT, found, 0) + 2, (otherwise, then)
            case _:
                skip = self.test(test)
        known = dict(self.owners)
        self.value(then, slot)
        to_end = self.step(JUMP, 0) + 1
        self.here(skip)
        self.owners = dict(known)
        self.value(otherwise, slot)
        self.here(to_end)
        self.owners = known
        return slot

    def either_of(self, node: ast.BoolOp, to: Slot | None) -> Slot:
        """Translate ``and`` and ``or``, whose value is that of the operand that decides."""
        slot = self.fresh() if to is None else to
        first, *rest = node.values
        self.value(first, slot)
        known = dict(self.owners)
        ends = []
        for operand in rest:
            place = self.step(TEST, slot, 0, 0) + 2
            if isinstance(node.op, ast.Or):
                ends.append(self.step(JUMP, 0) + 1)
                self.here(place)
            else:
                ends.append(place)
            self.value(operand, slot)
        self.here(*ends)
        self.owners = known
        return slot


_FUNCTIONS = frozenset(
    """_ahead _check _dot _dot_data _dot_data_maybe _dot_maybe _enumerate _item _item_maybe _len _modulo
    _none_is_missing _printed _sized _truth""".split()
)
"""The functions that a program may call, besides built-in filters and escaping functions."""


def _escaped(node: ast.expr) -> tuple[str, ast.expr, str, str]:
    """Return how what is printed is escaped when it is written, the value, and the texts around it."""
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and (letter := _LETTERS.get(node.func.id)):
        match node.args:
            case [value]:
                return letter, value, "", ""
            case [ast.Constant(str(before)), value, ast.Constant(str(after))]:
                return letter, value, before, after
    return "=", node, "", ""


def _dot(node: ast.expr) -> tuple[ast.expr, str] | None:
    """Return what a dot reads from, and the name; ``None`` for anything else."""
    if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "_dot"):
        return None
    owner, name = node.args
    return (owner, name.value) if isinstance(name, ast.Constant) and isinstance(name.value, str) else None


def _path(node: ast.expr) -> tuple[str, ...] | None:
    """Return the variable and the names after it that an object is read by."""
    names: list[str] = []
    while (dot := _dot(node)) is not None:
        node, name = dot
        names.append(name)
    return (node.id, *reversed(names)) if isinstance(node, ast.Name) else None


def _index(table: list[object] | list[str] | list[tuple[tuple[str, ...], bytes]], entry: object) -> int:
    """Return where an entry is in a table, which has it from now on."""
    if entry not in table:
        table.append(entry)  # type: ignore[arg-type]
    return table.index(entry)  # type: ignore[arg-type]


def translated(target: ast.expr, body: list[ast.stmt], *, chunks: bool, awaits: bool) -> Program | None:
    """Return a loop's program; ``None`` if it has none."""
    try:
        return BytecodeCompiler(chunks=chunks, awaits=awaits).program(target, body)
    except Untranslatable:
        return None
