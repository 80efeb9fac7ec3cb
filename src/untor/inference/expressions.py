"""The type of each expression, by what its parts are, and what is certain to be wrong with it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, datetime, time
from decimal import Decimal
from types import NoneType
from typing import TYPE_CHECKING

from untor.escape import kinds
from untor.filters import NAMES, TAKE_NONE
from untor.inference import narrowing
from untor.inference.arguments import Misfit, misfits
from untor.inference.filters import NAMES_OF_ITEMS, result_of_filter, wanted_by
from untor.inference.operations import can_be_equal, can_be_in, can_be_ordered, result_of_operation
from untor.inference.paths import Paths
from untor.inference.scope import Scope, path_of
from untor.language import tree
from untor.types import members
from untor.types.annotations import result_of
from untor.types.model import (
    ANY,
    BOOL,
    FLOAT,
    NONE,
    Constant,
    Either,
    Function,
    Instance,
    Record,
    class_of,
    may_be_none,
    members_of,
    shown,
    union,
    widened,
    without_none,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from untor.types.model import Type

_NUMBERS = frozenset({int, float, Decimal})
_WITHOUT_SIGN = frozenset({str, date, datetime, time, list, dict, tuple, set, frozenset, bytes})
_NO_ARITHMETIC = "does not support arithmetic"


@dataclass
class Expressions(Paths):
    """Infers the types of expressions in one function of a page, and reports what cannot be."""

    def infer(self, node: tree.Expression, scope: Scope, *, maybe: bool = False) -> Type:
        """Return the type of an expression; with ``maybe``, missing values and ``None`` in its path are accepted."""
        match node:
            case tree.Constant(value=value):
                return _of_constant(value)
            case tree.Name(name=name):
                if self.declared_by is not None and not scope.knows(name):
                    self.report("input-undeclared", self.source, node.start, node.end, **self.declared_by(name))
                shown_here = scope.shown_of((name,))
                return scope.type(name) if shown_here is None else shown_here
            case tree.ListDisplay(items=items):
                return Instance(list, (union(widened(self.data(each, scope)) for each in items) if items else ANY,))
            case tree.DictDisplay(items=pairs):
                return self._display(pairs, scope)
            case tree.Attribute() | tree.Item():
                return self.read_path(node, scope, maybe=maybe)
            case tree.Maybe(value=value):
                return self.maybe(value, scope)
            case tree.Otherwise():
                return self._otherwise(node, scope)
            case tree.Unary():
                return self._unary(node, scope)
            case tree.Binary():
                return self._binary(node, scope)
            case tree.Comparisons():
                return self._comparisons(node, scope)
            case tree.Conditional():
                return self._conditional(node, scope)
            case tree.Call():
                return self._call(node, scope)
            case tree.Filter():
                return self._filter(node, scope, maybe=maybe)
        return ANY

    def data(self, node: tree.Expression, scope: Scope) -> Type:
        """Return the type of what is handed on, which no method of data may be."""
        kind = self.infer(node, scope)
        for each in members_of(kind):
            if isinstance(each, Function) and not each.can_be_called:
                self.report("type-function", self.source, node.start, node.end, name=each.name)
                return ANY
        return kind

    def _otherwise(self, node: tree.Otherwise, scope: Scope) -> Type:
        value = self.infer(node.value, scope, maybe=True)
        fallback = self.infer(node.fallback, scope)
        return union([without_none(value), fallback]) if value != NONE else fallback

    # --- operators ---------------------------------------------------------------------------------------------------

    def _display(self, pairs: list[tuple[tree.Expression, tree.Expression]], scope: Scope) -> Type:
        keys = [self.infer(key, scope) for key, _ in pairs]
        values = [widened(self.data(value, scope)) for _, value in pairs]
        if all(isinstance(key, Constant) and isinstance(key.value, str) for key in keys):
            return Record(tuple((str(key.value), value) for key, value in zip(keys, values, strict=True)))  # type: ignore[union-attr]
        return Instance(dict, (union(map(widened, keys)), union(values)))

    def _unary(self, node: tree.Unary, scope: Scope) -> Type:
        kind = self.infer(node.operand, scope)
        if node.operator == "not":
            self.tested(node.operand, kind)
            return BOOL
        if isinstance(kind, Constant) and isinstance(kind.value, int) and node.operator == "-":
            return Constant(-kind.value)
        if any(class_of(each) in _WITHOUT_SIGN for each in members_of(without_none(kind))) or kind == NONE:
            operation = f"{node.operator}{shown(without_none(kind))}"
            self.report("type-operation", self.source, node.start, node.end, operation=operation)
            return ANY
        if may_be_none(kind):
            self.report_none(node.operand, _NO_ARITHMETIC)
            kind = without_none(kind)
        return widened(kind) if class_of(kind) in _NUMBERS else ANY

    def _binary(self, node: tree.Binary, scope: Scope) -> Type:
        left = self.infer(node.left, scope)
        if node.operator in {"and", "or"}:
            self.tested(node.left, left)
            truths = narrowing.shown_by(node.left, self._types_in(scope))
            right = self.infer(node.right, scope.inside(truths[node.operator == "or"]))
            return union([narrowing.truthy(left) if node.operator == "or" else narrowing.falsy(left), right])
        right = self.infer(node.right, scope)
        result = result_of_operation(node.operator, left, right)
        if result is not None:
            return result
        without = result_of_operation(node.operator, without_none(left), without_none(right))
        if without is None or NONE in {left, right}:
            operation = f"{shown(left)} {node.operator} {shown(right)}"
            self.report("type-operation", self.source, node.start, node.end, operation=operation)
            return ANY
        side = node.left if may_be_none(left) else node.right
        self.report_none(side, _NO_ARITHMETIC)
        return without

    def _comparisons(self, node: tree.Comparisons, scope: Scope) -> Type:
        left, first = self.infer(node.first, scope), node.first
        for operator, operand in node.rest:
            right = self.infer(operand, scope)
            literals = isinstance(left, Constant | Either) and isinstance(right, Constant | Either)
            name = str if literals else shown
            shown_here = f"{name(left)} {operator} {name(right)}"
            if operator in {"<", "<=", ">", ">="}:
                self._ordered(first, left, operand, right, shown_here)
            elif not self._can_hold(operator, first, left, operand, right) and not self.is_inferred:
                result = "never true" if operator in {"==", "in"} else "always true"
                place = first.start, operand.end
                self.report("type-comparison", self.source, *place, result=result, operation=shown_here)
            left, first = right, operand
        return BOOL

    def _can_hold(
        self, operator: str, first: tree.Expression, left: Type, second: tree.Expression, right: Type
    ) -> bool:
        """Return whether values of two types may be equal, or one in the other; report ``None`` where it fails."""
        if operator in {"==", "!="}:
            return can_be_equal(left, right)
        if operator not in {"in", "not in"}:
            return True
        if may_be_none(right):
            self.report_none(second, "has no items")
            right = without_none(right)
        if may_be_none(left) and class_of(right) is str:
            self.report_none(first, "cannot be in a string")
            left = without_none(left)
        return can_be_in(left, right)

    def _ordered(
        self, first: tree.Expression, left: Type, second: tree.Expression, right: Type, shown_here: str
    ) -> None:
        if not can_be_ordered(without_none(left), without_none(right)):
            self.report("type-operation", self.source, first.start, second.end, operation=shown_here)
            return
        for node, kind in ((first, left), (second, right)):
            if may_be_none(kind):
                self.report_none(node, "cannot be ordered")

    def _conditional(self, node: tree.Conditional, scope: Scope) -> Type:
        true, false = self.test(node.test, scope)
        return union([self.infer(node.then, true), self.infer(node.otherwise, false)])

    def test(self, node: tree.Expression, scope: Scope) -> tuple[Scope, Scope]:
        """Infer a test; return the scopes in which it is true, and false."""
        self.tested(node, self.infer(node, scope))
        true, false = narrowing.shown_by(node, self._types_in(scope))
        return scope.inside(true), scope.inside(false)

    def tested(self, node: tree.Expression, kind: Type) -> None:
        """Report a test that is always true: of a method, or of an object that is never false."""
        while isinstance(node, tree.Unary) and node.operator == "not":
            node = node.operand
        if path_of(node) is None:
            return
        if isinstance(kind, Function):
            self.report("type-function", self.source, node.start, node.end, name=kind.name or self.text(node))
        elif (
            kind != ANY and not self.is_inferred and not isinstance(node, tree.Maybe) and narrowing.is_always_true(kind)
        ):
            words = {"name": self.text(node), "kind": shown(kind)}
            self.report("type-always", self.source, node.start, node.end, **words)

    def _types_in(self, scope: Scope) -> Callable[[tree.Expression], Type]:
        quiet = replace(self, report=_say_nothing, declared_by=None)
        return lambda node: quiet.infer(node, scope, maybe=True)

    # --- calls and filters -------------------------------------------------------------------------------------------

    def _call(self, node: tree.Call, scope: Scope) -> Type:
        given = [(each, self.data(each, scope)) for each in node.arguments]
        named = {name: (each, self.data(each, scope)) for name, each in node.named.items()}
        kind = self.infer(node.function, scope)
        if isinstance(node.function, tree.Name) and scope.is_global(node.function.name):
            function = self.functions[node.function.name]
            self._misfits(f'"{node.function.name}"', misfits(function, given, named, is_filter=False))
        results: list[Type] = []
        for each in members_of(kind):
            if isinstance(each, Function):
                if not each.can_be_called and not self.calls_methods:
                    self.report("type-function", self.source, node.function.start, node.function.end, name=each.name)
                results.append(each.result)
            elif isinstance(each, Instance) and each.cls is not NoneType and not _may_be_called(each.cls):
                words = {"name": self.text(node.function), "kind": shown(each)}
                self.report("type-call", self.source, node.function.start, node.function.end, **words)
                return ANY
            else:
                return ANY
        return union(results)

    def _filter(self, node: tree.Filter, scope: Scope, *, maybe: bool) -> Type:
        value = self.infer(node.value, scope, maybe=maybe)
        given = [(node.value, value), *((each, self.data(each, scope)) for each in node.arguments)]
        named = {name: (each, self.data(each, scope)) for name, each in node.named.items()}
        function = self.filters.get(node.name)
        if function is not None:
            self._misfits(f'the filter "{node.name}"', misfits(function, given, named, is_filter=True))
        if node.name not in NAMES:
            kind = ANY if function is None else result_of(function)
            return kind if kind == ANY or not may_be_none(value) else union([kind, NONE])
        plain = without_none(value)
        for each in members_of(plain):
            if wanted := wanted_by(node.name, each):
                end = node.name_start + len(node.name)
                words = {"filter": node.name, "wanted": wanted, "kind": shown(each)}
                self.report("type-filter", self.source, node.name_start, end, **words)
                break
        if node.name in NAMES_OF_ITEMS:
            self._names_of_items(node, plain)
        if value in {ANY, NONE} or node.name in TAKE_NONE:
            # None goes through the others.
            return ANY if node.name in TAKE_NONE else value
        result = result_of_filter(node.name, plain, len(node.arguments) + len(node.named))
        return union([result, NONE]) if may_be_none(value) else result

    def _misfits(self, owner: str, found: Iterable[Misfit]) -> None:
        for each in found:
            words = {"name": each.name, "owner": owner, "wanted": str(each.wanted), "kind": shown(each.kind)}
            self.report("type-argument", self.source, each.node.start, each.node.end, **words)

    def _names_of_items(self, node: tree.Filter, value: Type) -> None:
        """Look at the string that names what is read of each item: ``sorted("vessel.name")``."""
        by = node.arguments[0] if node.arguments else node.named.get("by") or node.named.get("name")
        if not isinstance(by, tree.Constant) or not isinstance(by.value, str) or "\\" in self.text(by):
            return
        items = [members.items_of(each) or ANY for each in members_of(value)]
        if any(isinstance(each, Instance) and _is_mapping(each.cls) for each in members_of(value)):
            return
        kind = union(items)
        start = by.start + 1
        for step in by.value.split("."):
            name = step.removesuffix("?")
            if not name.isidentifier():
                return
            kind = self.read(without_none(kind), name, start, start + len(name), maybe=True)
            start += len(step) + 1


def _say_nothing(*_: object, **__: object) -> None:
    """Take a report of what is looked at a second time."""


def _of_constant(value: str | float | bool | None) -> Type:  # noqa: FBT001  a literal
    if value is None:
        return NONE
    return FLOAT if isinstance(value, float) else Constant(value)


def _may_be_called(cls: type) -> bool:
    is_function = kinds.kind_of_class(cls) in {kinds.FUNCTION, kinds.CLASS}
    return members.is_abstract(cls) or is_function or kinds.has_method(cls, "__call__")


def _is_mapping(cls: type) -> bool:
    return kinds.kind_of_class(cls) in {kinds.MAPPING, kinds.ROW, kinds.FRAME, kinds.ARRAY}
