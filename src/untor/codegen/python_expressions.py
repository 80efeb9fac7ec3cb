"""Expressions of the language as expressions of Python."""

from __future__ import annotations

import ast
import copy
from dataclasses import dataclass, field

from untor.codegen.nodes import LOAD, call, constant, load, store
from untor.codegen.owners import SharedOwners, groups, spine
from untor.filters import NAMES, TAKE_NONE
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping

    from untor.analysis.ir import Function
    from untor.codegen.locations import Locations
    from untor.runtime.compiled import LoopTable

_BINARY: dict[str, type[ast.operator]] = {
    "+": ast.Add,
    "-": ast.Sub,
    "*": ast.Mult,
    "/": ast.Div,
    "//": ast.FloorDiv,
    "%": ast.Mod,
}
_UNARY: dict[str, type[ast.unaryop]] = {"-": ast.USub, "+": ast.UAdd, "not": ast.Not}
_COMPARE: dict[str, type[ast.cmpop]] = {
    "==": ast.Eq,
    "!=": ast.NotEq,
    "<": ast.Lt,
    "<=": ast.LtE,
    ">": ast.Gt,
    ">=": ast.GtE,
    "in": ast.In,
    "not in": ast.NotIn,
}
_IDENTITY: dict[str, type[ast.cmpop]] = {"is": ast.Is, "is not": ast.IsNot}

_MAY_WAIT = (tree.Name, tree.Attribute, tree.Item, tree.Call, tree.Filter, tree.Maybe)

Binding = str | dict[str, ast.expr]
"""What a name of the template is in the code: a local variable, or, of a loop's position, an expression for each
attribute."""


@dataclass
class ModuleState:
    """What all functions of one page share: names used so far, and where filters and functions are called."""

    lenient: bool
    nonces: bool = False
    counter: int = 0
    escapers: set[str] = field(default_factory=set)
    filters: set[str] = field(default_factory=set)
    globals: set[str] = field(default_factory=set)
    inputs: set[str] = field(default_factory=set)
    calls: dict[tuple[str, int, int], tuple[str, str]] = field(default_factory=dict)
    loops: dict[str, LoopTable] = field(default_factory=dict)
    """Where loops are, by the variables that they take their items from."""
    called: dict[str, Function] = field(default_factory=dict)
    """The functions that are called, by name."""

    def escaper(self, name: str) -> str:
        """Return what an escaping function is called in the code."""
        self.escapers.add(name)
        return "_e_" + name.replace("-", "_")


def inputs_read(inputs: Mapping[str, str]) -> list[ast.stmt]:
    """Read the names of the context into local variables."""
    get = ast.Attribute(load("_scope"), "get", LOAD)
    statements: list[ast.stmt] = [ast.Assign([store("_get")], get)] if inputs else []
    for name, variable in sorted(inputs.items()):
        statements.append(ast.Assign([store(variable)], call("_get", constant(name), load("_MISSING"))))
    return statements


class ExpressionGenerator:
    """Builds the expressions of one function.

    ``known`` are the names that it was given, where the page's context is out of reach; ``None`` where it is not.
    With ``awaits``, whatever is read or called is awaited when it can be.
    """

    def __init__(self, locations: Locations, state: ModuleState, *, known: list[str] | None, awaits: bool) -> None:
        self.locations = locations
        self.state = state
        self.lenient = state.lenient
        self.known = known
        self.awaits = awaits
        self.scopes: list[dict[str, Binding]] = [{}]
        self.inputs: dict[str, str] = {}
        self.owners = SharedOwners(self.lookup)
        self.handing_on = False
        """Whether what is built is handed on or tested, so that a dot may not give a function."""

    def fresh(self, word: str) -> str:
        """Return a new name for a local variable."""
        self.state.counter += 1
        return f"{word}{self.state.counter}"

    def bind(self, name: str, binding: Binding) -> None:
        """Add a name to the innermost scope."""
        self.scopes[-1][name] = binding

    def lookup(self, name: str) -> Binding | None:
        """Return what a name is bound to; ``None`` for a name of the context."""
        for scope in reversed(self.scopes):
            if name in scope:
                return scope[name]
        return None

    def handed(self, node: tree.Expression, *, lenient: bool = False) -> ast.expr:
        """Build a value that gets a name, is an argument, or is tested together with others: only data may be."""
        outer, self.handing_on = self.handing_on, True
        expression = self.build(node, lenient=lenient)
        self.handing_on = outer
        return expression

    def build(self, node: tree.Expression, *, lenient: bool = False, awaits: bool = True) -> ast.expr:
        """Build an expression; with ``lenient``, what is missing is ``MISSING`` and no error.

        Without ``awaits``, the value itself may still have to be awaited: see ``awaited``.
        """
        expression: ast.expr = getattr(self, f"_{type(node).__name__.lower()}")(node, lenient or self.lenient)
        if not hasattr(expression, "lineno"):
            self.locations.place(expression, node.start, node.end)
        return self.awaited(expression, node) if awaits else expression

    def awaited(self, built: ast.expr, node: tree.Expression) -> ast.expr:
        """Await the value of an expression, where it can be that it has to be."""
        if not self.may_wait(node):
            return built
        value, again = self.twice(built)
        return self.locations.place(ast.IfExp(_is_plain(value), again, _awaited(again)), node.start, node.end)

    def truth(self, node: tree.Expression) -> ast.expr:
        """Build a test; an array or a data frame is true when it has items."""
        expression = self.build(node, awaits=False)
        if isinstance(node, tree.Comparisons | tree.Constant) or (
            isinstance(node, tree.Unary) and node.operator == "not"
        ):
            return expression
        value, again = self.twice(expression)
        other = _awaited(again) if self.may_wait(node) else again
        chosen = ast.IfExp(_is_plain(value), again, call("_truth", other))
        return self.locations.place(chosen, node.start, node.end)

    def may_wait(self, node: tree.Expression) -> bool:
        """Return whether the value of an expression may have to be awaited."""
        return self.awaits and isinstance(node, _MAY_WAIT)

    def twice(self, built: ast.expr) -> tuple[ast.expr, ast.expr]:
        """Return an expression, and what its value is the second time."""
        if isinstance(built, ast.Name):
            return built, built
        if isinstance(built, ast.NamedExpr):
            return built, load(built.target.id)
        name = self.fresh("_t")
        return ast.NamedExpr(store(name), built), load(name)

    def _placed(self, built: ast.expr, start: int, end: int) -> ast.expr:
        return self.locations.place(built, start, end)

    def _constant(self, node: tree.Constant, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001  one shape for all
        return constant(node.value)

    def _name(self, node: tree.Name, lenient: bool) -> ast.expr:  # noqa: FBT001
        binding = self.lookup(node.name)
        if isinstance(binding, str):
            return load(binding)
        if self.known is None:
            variable = f"_c_{node.name}"
            self.inputs[node.name] = variable
            self.state.inputs.add(node.name)
            scope: ast.expr = load("_scope")
        else:
            variable = f"_g_{node.name}"
            self.state.globals.add(node.name)
            scope = ast.Tuple([constant(name) for name in self.known], LOAD)
        value = self.computed(load(variable), load(variable))
        if lenient:
            return value
        missing = self._placed(call("_missing_name", constant(node.name), scope), node.start, node.end)
        is_there = ast.Compare(load(variable), [ast.IsNot()], [load("_MISSING")])
        is_text = ast.Compare(call("_type", load(variable)), [ast.Is()], [load("_str")])
        # Text, which most printed names are, is neither missing nor deferred: one test is enough for it.
        return ast.IfExp(is_text, load(variable), ast.IfExp(is_there, value, missing))

    @staticmethod
    def computed(value: ast.expr, again: ast.expr) -> ast.expr:
        """Compute a value that is deferred, where it is read."""
        test = ast.Compare(call("_type", value), [ast.IsNot()], [load("_Deferred")])
        return ast.IfExp(test, again, call("_computed", again, load("_scope")))

    def _listdisplay(self, node: tree.ListDisplay, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001
        return ast.List([self.handed(item) for item in node.items], LOAD)

    def _dictdisplay(self, node: tree.DictDisplay, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001
        items = [(self.build(key), self.handed(value)) for key, value in node.items]
        return ast.Dict([key for key, _ in items], [value for _, value in items])

    def _attribute(self, node: tree.Attribute, lenient: bool) -> ast.expr:  # noqa: FBT001
        if isinstance(node.owner, tree.Name):
            binding = self.lookup(node.owner.name)
            if isinstance(binding, dict):
                return copy.deepcopy(binding[node.name])
        owner = self._owner(node.owner, lenient=lenient)
        function = f"_dot{'_data' if self.handing_on else ''}{'_maybe' if lenient else ''}"
        if lenient:
            return call(function, owner, constant(node.name))
        # Dicts and plain objects are read in place: calling a function takes about as long as escaping what it returns.
        first, again = self.twice(owner)
        kind = self.fresh("_k")
        is_dict = ast.Compare(ast.NamedExpr(store(kind), call("_type", first)), [ast.Is()], [load("_dict")])
        is_item = ast.BoolOp(ast.And(), [is_dict, ast.Compare(constant(node.name), [ast.In()], [again])])
        item = ast.Subscript(again, constant(node.name), LOAD)
        found: ast.expr = call(function, again, constant(node.name))
        if not self.handing_on:
            is_plain = ast.Compare(load(kind), [ast.In()], [load("_plain_objects")])
            found = ast.IfExp(is_plain, ast.Attribute(again, node.name, LOAD), found)
        return ast.IfExp(is_item, item, found)

    def _item(self, node: tree.Item, lenient: bool) -> ast.expr:  # noqa: FBT001
        owner = self._owner(node.owner, lenient=lenient)
        return call("_item_maybe" if lenient else "_item", owner, self.build(node.index))

    def _owner(self, node: tree.Expression, *, lenient: bool) -> ast.expr:
        """Build the owner before a dot: after a ``?``, ``None`` is as good as missing."""
        outer, self.handing_on = self.handing_on, False
        shared = self.owners.find(node) if isinstance(node, tree.Attribute) and not (lenient or self.lenient) else None
        expression: ast.expr
        if shared is not None and shared[1]:
            expression = load(f"_o{shared[0]}")
        else:
            expression = self.build(node, lenient=lenient)
            if shared is not None:
                expression = ast.NamedExpr(store(f"_o{shared[0]}"), expression)
        self.handing_on = outer
        return call("_none_is_missing", expression) if isinstance(node, tree.Maybe) and not lenient else expression

    def _slice(self, node: tree.Slice, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001
        parts = [constant(None) if part is None else self.build(part) for part in (node.first, node.last, node.step)]
        return call("_slice", *parts)

    def _maybe(self, node: tree.Maybe, lenient: bool) -> ast.expr:  # noqa: FBT001
        inner = node.value
        if isinstance(inner, tree.Attribute) and not lenient:
            owner = self._owner(inner.owner, lenient=False)
            return call("_dot_data_maybe" if self.handing_on else "_dot_maybe", owner, constant(inner.name))
        if isinstance(inner, tree.Item) and not lenient:
            return call("_item_maybe", self._owner(inner.owner, lenient=False), self.build(inner.index))
        return self.build(inner, lenient=True)

    def _otherwise(self, node: tree.Otherwise, lenient: bool) -> ast.expr:  # noqa: FBT001
        values: list[tuple[ast.expr, str]] = []
        rest: tree.Expression = node
        with self.owners.perhaps():
            while isinstance(rest, tree.Otherwise):
                value = self.build(rest.value, lenient=True)
                name = self.fresh("_t")
                values.append((self._absent(ast.NamedExpr(store(name), value), name), name))
                rest = rest.fallback
            result = self.build(rest, lenient=lenient)
        for absent, name in reversed(values):
            result = ast.IfExp(absent, result, load(name))
        return result

    @staticmethod
    def _absent(first: ast.expr, name: str) -> ast.expr:
        """Test whether a value is ``None``, missing, or NaN and the like; ``first`` reads it the first time."""
        none = ast.Compare(first, [ast.Is()], [constant(None)])
        other = ast.Compare(call("_type", load(name)), [ast.NotIn()], [load("_plain_types")])
        return ast.BoolOp(ast.Or(), [none, ast.BoolOp(ast.And(), [other, call("_is_absent", load(name))])])

    def _unary(self, node: tree.Unary, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001
        signs = [node]
        while isinstance(signs[-1].operand, tree.Unary):
            signs.append(signs[-1].operand)
        value = self.handed(signs[-1].operand)
        for sign in reversed(signs):
            if sign.operator == "not":
                value = self._placed(call("_truth", value), sign.start, sign.end)
            value = self._placed(ast.UnaryOp(_UNARY[sign.operator](), value), sign.start, sign.end)
        return value

    def _binary(self, node: tree.Binary, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001
        is_logical = node.operator in {"and", "or"}
        first, rest = spine(node, is_logical=is_logical)
        if is_logical:
            return self._either(first, rest)
        operand = self.build(first)
        for each in rest:
            right = self.build(each.right)
            operand = (
                call("_modulo", operand, right)
                if each.operator == "%"
                else ast.BinOp(operand, _BINARY[each.operator](), right)
            )
            operand = self._placed(operand, each.start, each.end)
        return operand

    def _either(self, first: tree.Expression, rest: list[tree.Binary]) -> ast.expr:
        """Build ``and`` and ``or``, whose value is that of the operand that decides."""
        built = self.handed(first)
        rights: list[ast.expr] = []
        for group in groups(rest):
            with self.owners.perhaps():
                rights += [self.handed(each.right) for each in group]
        for group in groups(rest):
            own, rights = rights[: len(group)], rights[len(group) :]
            # From the last one, since Python takes more nesting of what is chosen than of what is tested.
            chosen = own[-1]
            for each, value in zip(reversed(group), [*reversed(own[:-1]), built], strict=True):
                tested, again = self.twice(value)
                test = self._placed(call("_truth", tested), each.start, each.end)
                sides = (chosen, again) if each.operator == "and" else (again, chosen)
                chosen = self._placed(ast.IfExp(test, *sides), each.start, each.end)
            built = chosen
        return built

    def _comparisons(self, node: tree.Comparisons, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001
        if len(node.rest) == 1 and node.rest[0][0] in _COMPARE:
            return self._compared_once(node)
        left = self.build(node.first)
        tests: list[ast.expr] = []
        known_before: dict[tuple[object, ...], int] | None = None
        for number, (operator, operand) in enumerate(node.rest, 1):
            right = again = self.build(operand)
            known_before = known_before or dict(self.owners.known)
            if number < len(node.rest):
                right, again = self.twice(right)
            tests.append(self._compared(left, right, operator, node))
            left = again
        self.owners.known = known_before or self.owners.known
        return tests[0] if len(tests) == 1 else ast.BoolOp(ast.And(), tests)

    def _compared_once(self, node: tree.Comparisons) -> ast.expr:
        """Build a single comparison: Python's own where both sides are of kinds that Python compares."""
        operator, right_node = node.rest[0]
        plain: list[ast.expr] = []
        sides: list[ast.expr] = []
        for side in (node.first, right_node):
            first, again = self.build(side), self.build(side) if _is_literal(side) else None
            if again is None:
                first, again = self.twice(first)
                plain.append(_is_plain(first))
            sides.append(again)
        left_again, right_again = sides
        if not plain:
            return self._compared(left_again, right_again, operator, node)
        # Not "and", since both sides are read in any case.
        test = plain[0] if len(plain) == 1 else ast.BinOp(plain[0], ast.BitAnd(), plain[1])
        own = self._placed(ast.Compare(left_again, [_COMPARE[operator]()], [right_again]), node.start, node.end)
        return self._placed(
            ast.IfExp(test, own, self._compared(left_again, right_again, operator, node)), node.start, node.end
        )

    def _compared(self, left: ast.expr, right: ast.expr, operator: str, node: tree.Comparisons) -> ast.expr:
        if operator in _IDENTITY:
            first, again = self.twice(left)
            same = ast.Compare(first, [_IDENTITY[operator]()], [right])
            if not (isinstance(right, ast.Constant) and right.value is None):
                return same
            missing = ast.Compare(again, [_IDENTITY[operator]()], [load("_MISSING")])
            return ast.BoolOp(ast.Or() if operator == "is" else ast.And(), [same, missing])
        return self._placed(call("_compare", left, right, constant(operator)), node.start, node.end)

    def _conditional(self, node: tree.Conditional, lenient: bool) -> ast.expr:  # noqa: FBT001
        chosen: list[tuple[ast.expr, ast.expr]] = []
        rest: tree.Expression = node
        with self.owners.perhaps():
            while isinstance(rest, tree.Conditional):
                test = self.truth(rest.test)
                with self.owners.perhaps():
                    chosen.append((test, self.build(rest.then, lenient=lenient)))
                rest = rest.otherwise
            result = self.build(rest, lenient=lenient)
        for test, then in reversed(chosen):
            result = ast.IfExp(test, then, result)
        return result

    def _call(self, node: tree.Call, lenient: bool) -> ast.expr:  # noqa: ARG002, FBT001
        source_text = self.locations.source.text[node.function.start : node.function.end]
        if isinstance(node.function, tree.Attribute):
            owner = self._owner(node.function.owner, lenient=False)
            function = call("_callee_of", owner, constant(node.function.name), constant(source_text))
        else:
            function = call("_callee", self.build(node.function), constant(source_text))
        self._placed(function, node.function.start, node.function.end)
        arguments = [self.handed(part) for part in node.arguments]
        keywords = [ast.keyword(key, self.handed(part)) for key, part in node.named.items()]
        code_call = ast.Call(function, arguments, keywords)
        self.state.calls[self.locations.called(node.start)] = ("call", source_text)
        return code_call

    def _filter(self, node: tree.Filter, lenient: bool) -> ast.expr:  # noqa: FBT001
        filters = [node]
        while isinstance(filters[-1].value, tree.Filter):
            filters.append(filters[-1].value)
        last = filters[-1]
        # Built-in filters do nothing with a function but refuse it.
        build_value = self.build if last.name in NAMES else self.handed
        value = build_value(last.value, lenient=lenient)
        for each in reversed(filters):
            value = self._filtered(each, value)
            if each is not node:
                value = self.awaited(value, each)
        return value

    def _filtered(self, node: tree.Filter, value: ast.expr) -> ast.expr:
        """Call one filter, which ``None`` and what is missing do not reach."""
        name = self.fresh("_t")
        self.state.filters.add(node.name)
        with self.owners.perhaps():
            arguments: list[ast.expr] = [load(name), *(self.handed(part) for part in node.arguments)]
            keywords = [ast.keyword(key, self.handed(part)) for key, part in node.named.items()]
        if node.name in TAKE_NONE:
            arguments[0] = value
        function = ast.Call(load(f"_f_{node.name}"), arguments, keywords)
        self._placed(function, node.name_start, node.name_start + len(node.name))
        self.state.calls[self.locations.called(node.name_start)] = ("filter", node.name)
        if node.name in TAKE_NONE:
            return function
        return ast.IfExp(self._absent(ast.NamedExpr(store(name), value), name), load(name), function)


def _is_plain(value: ast.expr) -> ast.expr:
    """Test that a value is of a kind that is true or false as Python has it, and is not awaited."""
    return ast.Compare(call("_type", value), [ast.In()], [load("_plain_types")])


def _is_literal(node: tree.Expression) -> bool:
    """Return whether an expression is a literal of a type that Python can compare directly."""
    return isinstance(node, tree.Constant) and type(node.value) in {str, int, bool}


def _awaited(value: ast.expr) -> ast.expr:
    """Await a value if it can be."""
    return ast.IfExp(call("_is_awaitable", value), ast.Await(value), value)
