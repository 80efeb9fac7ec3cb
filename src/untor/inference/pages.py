"""Follows the types of values through a page: its branches, loops, parts, includes, layouts and slots."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from untor.analysis.ir import (
    Bind,
    CallFunction,
    Choice,
    Function,
    Loop,
    PrintValue,
    SlotCall,
    UrlJoin,
    UrlValue,
)
from untor.analysis.ir import (
    Scope as Block,
)
from untor.diagnostics.problem import suggestion
from untor.escape.url import PATH, QUERY
from untor.inference.assignable import is_assignable
from untor.inference.declared import inputs_of, parameter_type, type_of_value
from untor.inference.expressions import Expressions
from untor.inference.paths import POSITION, may_be_missing
from untor.inference.scope import Scope
from untor.types import members
from untor.types.annotations import hints_of
from untor.types.model import ANY, FixedTuple, may_be_none, members_of, shown, union, widened, without_none
from untor.types.model import Function as Callable_

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.analysis.ir import Operation, PassedArgument, Placement, TemplateIR
    from untor.diagnostics.source import Source
    from untor.language import tree
    from untor.types.model import Type

_TEXT = frozenset({
    "attribute", "data-block", "html-attribute", "json-string", "plain-text", "resource-url", "script-regexp",
    "script-string", "script-template", "srcset", "style-name", "style-string", "style-url", "text", "title-text",
    "url", "url-data", "url-fragment", "url-host", "url-path", "url-query",
})  # fmt: skip
"""Contexts in which a value is printed as its text."""

_DEEPEST = 60
"""How many pieces inside one another are followed."""

_MOST_WALKS = 30
"""With how many different types a piece is followed; then those that it does not declare are not known."""


@dataclass(frozen=True)
class Known:
    """What an engine declares: the classes of ``types``, those of ``inputs`` by template, globals, helpers, filters."""

    types: Mapping[str, object]
    inputs: Mapping[str, type]
    values: Mapping[str, object]
    filters: Mapping[str, Callable[..., object]]
    lenient: bool = False
    calls_methods: bool = False


@dataclass
class PageTypes:
    """The types of one page; ``report(code, source, start, end, related, **words)`` receives each type error."""

    planned: TemplateIR
    known: Known
    report: Callable[..., None]
    printed: dict[Placement, Type] = field(default_factory=dict)
    """The type of the value in each placement."""

    def __post_init__(self) -> None:
        self._seen: set[object] = set()
        self._walks: dict[str, int] = {}
        self._depth = 0
        self._callers: list[tuple[str, Source, int, int]] = []
        self._owner = self._class_of_inputs()
        self._given = None if self._owner is None else inputs_of(self._owner)
        self._globals = Scope({name: type_of_value(name, each) for name, each in self.known.values.items()})
        self._page = Scope(self._given or {}, self._globals)

    def _class_of_inputs(self) -> type | None:
        """Return what ``Engine(inputs=…)`` says of the page; ``None`` if it says nothing."""
        name = self.planned.source.name
        return self.known.inputs.get(name) or self.known.inputs.get(name.rpartition(".")[0])

    def walk(self) -> None:
        """Walk the page."""
        main = self.planned.main
        scope = Scope({}, self._page)
        if self._owner is not None:
            self._look_into(self._owner, main.source, 0, 0)
        for parameter in main.parameters:
            self._look_at(parameter, main.source)
            kind = parameter_type(parameter, self.known.types)
            self._page.names[parameter.name] = kind if kind is not None else self._page.names.get(parameter.name, ANY)
        expressions = self._expressions(main.source)
        if self._owner is not None and not main.parameters:
            expressions.declared_by = self._undeclared
        self._operations(main.body, scope, expressions)

    def _undeclared(self, name: str) -> dict[str, str]:
        assert self._owner is not None  # noqa: S101  the caller has looked
        owner = self._owner.__name__
        near = suggestion(name, self._page.names, f"Add it there: {owner}.{name}.")
        return {"name": name, "owner": owner, "near": near}

    def _look_at(self, parameter: tree.Parameter, source: Source) -> None:
        """Report the classes of a declaration whose own annotations cannot be read."""
        todo = [parameter.annotation] if parameter.annotation else []
        while todo:
            node = todo.pop()
            todo += node.arguments
            cls = self.known.types.get(node.name)
            if isinstance(cls, type):
                self._look_into(cls, source, node.start, node.start + len(node.name))

    def _look_into(self, cls: type, source: Source, start: int, end: int) -> None:
        _, unknown = hints_of(cls)
        if unknown and cls not in self._seen:
            self._seen.add(cls)
            names = ", ".join(sorted(unknown))
            self.report("type-unresolved", source, start, end, related=[], owner=cls.__name__, trouble=names)

    def _expressions(self, source: Source) -> Expressions:
        def told(code: str, *place: object, **words: object) -> None:
            self.report(code, *place, related=self._callers[-1:], **words)

        known = self.known
        return Expressions(source, told, known.filters, known.values, known.lenient, known.calls_methods)

    # --- operations --------------------------------------------------------------------------------------------------

    def _operations(self, operations: list[Operation], scope: Scope, of: Expressions) -> None:
        for operation in operations:
            match operation:
                case PrintValue(expression=expression, placement=placement):
                    self._print(expression, placement, scope, of)
                case UrlValue(expression=expression, placement=placement, kind=kind):
                    self._print(expression, placement, scope, of, takes_many=kind in {PATH, QUERY})
                case Bind(node=node):
                    scope.shown = {path: kind for path, kind in scope.shown.items() if path[0] != node.name}
                    scope.names[node.name] = widened(of.data(node.expression, scope))
                case Choice(branches=branches):
                    self._choice(branches, scope, of)
                case Loop():
                    self._loop(operation, scope, of)
                case UrlJoin(body=body):
                    self._operations(body, scope, of)
                case Block(body=body):
                    self._operations(body, scope.inside(), of)
                case CallFunction():
                    self._call(operation, scope, of)
                case SlotCall(closures=closures):
                    self._contents(closures, scope)

    def _print(
        self,
        expression: tree.Expression,
        placement: Placement,
        scope: Scope,
        of: Expressions,
        *,
        takes_many: bool = False,
    ) -> None:
        kind = of.infer(expression, scope)
        self.printed[placement] = union([kind, self.printed[placement]]) if placement in self.printed else kind
        if placement.context not in _TEXT or placement.reason is not None:
            return
        takes_many |= placement.context == "attribute" and "class" in placement.path[-1]
        for each in members_of(kind):
            if isinstance(each, Callable_):
                of.report("type-function", of.source, expression.start, expression.end, name=each.name or "function")
                return
            if not (members.prints(each) or takes_many):
                words = {"kind": shown(each), "where": placement.where}
                of.report("type-print", of.source, expression.start, expression.end, **words)
                return

    def _choice(self, branches: list[tuple[tree.Branch, list[Operation]]], scope: Scope, of: Expressions) -> None:
        for branch, body in branches:
            if branch.test is None:
                self._operations(body, scope.inside(), of)
            else:
                true, scope = of.test(branch.test, scope)
                self._operations(body, true.inside(), of)

    def _loop(self, operation: Loop, scope: Scope, of: Expressions) -> None:
        node = operation.node
        kind = of.infer(node.iterable, scope)
        if may_be_none(kind) and not may_be_missing(node.iterable):
            of.report_none(node.iterable, "cannot be looped over", is_path=True)
        kind = without_none(kind)
        inner = scope.inside()
        for name, item in zip(node.names, self._items(kind, node, of), strict=True):
            inner.names[name] = item
        if node.position is not None:
            inner.names[node.position] = POSITION
        if node.condition is not None:
            inner = of.test(node.condition, inner)[0].inside()
        self._operations(operation.body, inner, of)
        self._operations(operation.empty, scope.inside(), of)

    def _items(self, kind: Type, node: tree.For, of: Expressions) -> list[Type]:
        """Return the types of a loop's names."""
        several: list[list[Type]] = []
        for each in members_of(kind):
            item = members.items_of(each)
            item = None if item is None else members.as_tuple(item) if len(node.names) > 1 else item
            if item is None:
                words = {"name": of.text(node.iterable), "kind": shown(each)}
                of.report("type-loop", of.source, node.iterable.start, node.iterable.end, **words)
                return [ANY for _ in node.names]
            if len(node.names) == 1:
                several.append([item])
            elif isinstance(item, FixedTuple) and len(item.items) == len(node.names):
                several.append([*item.items])
            elif len(node.names) == 2:  # noqa: PLR2004  a mapping's
                several.append([*members.pair_of(each)])
            else:
                several.append([ANY for _ in node.names])
        return [union(kinds) for kinds in zip(*several, strict=True)] if several else [ANY for _ in node.names]

    # --- what is called ----------------------------------------------------------------------------------------------

    def _call(self, operation: CallFunction, scope: Scope, of: Expressions) -> None:
        function, node = operation.function, operation.node
        given = {each.name: (each, of.data(each.value, scope)) for each in operation.given}
        self._contents(operation.closures, scope)
        names: dict[str, Type] = {}
        are_inferred = False
        for parameter in function.parameters:
            declared = parameter_type(parameter, self.known.types)
            passed = given.get(parameter.name)
            if passed is not None and declared is not None:
                self._argument(operation, parameter, declared, *passed, of)
            if declared is not None:
                names[parameter.name] = declared
            elif passed is not None:
                names[parameter.name] = widened(passed[1])
                are_inferred = True
            elif parameter.default is not None:
                names[parameter.name] = widened(
                    self._expressions(function.source).infer(parameter.default, Scope({}, self._globals))
                )
            else:
                names[parameter.name] = self._page.type(parameter.name) if function.context else ANY
        walks = self._walks[function.name] = self._walks.get(function.name, 0) + 1
        if are_inferred and walks > _MOST_WALKS:
            # A part that includes itself with ever new types.
            names = {each.name: parameter_type(each, self.known.types) or ANY for each in function.parameters}
        key = (function.name, tuple(names.values()))
        if key in self._seen or self._depth > _DEEPEST:
            return
        self._seen.add(key)
        self._depth += 1
        if are_inferred:
            self._callers.append((f"{_names(names)} from here", of.source, node.start, node.end))
        outer = self._page if function.context else self._globals
        expressions = self._expressions(function.source)
        expressions.is_inferred = are_inferred
        self._operations(function.body, Scope(names, outer), expressions)
        if are_inferred:
            self._callers.pop()
        self._depth -= 1

    def _argument(  # noqa: PLR0917  what is passed, and to what
        self,
        call: CallFunction,
        parameter: tree.Parameter,
        declared: Type,
        given: PassedArgument,
        kind: Type,
        of: Expressions,
    ) -> None:
        if is_assignable(kind, declared):
            return
        target = f'"{getattr(call.node, "target", call.function.source.name)}"'
        words = {"name": parameter.name, "owner": target, "wanted": str(declared), "kind": shown(kind)}
        place = (f'"{parameter.name}" is declared here', call.function.source, parameter.start, parameter.end)
        self.report("type-argument", of.source, given.value.start, given.value.end, related=[place], **words)

    def _contents(self, closures: list[Function], scope: Scope) -> None:
        """Walk contents for slots, which see the names around them."""
        for content in closures:
            self._operations(content.body, scope.inside(), self._expressions(content.source))


def _names(names: Mapping[str, Type]) -> str:
    return ", ".join(f"{name}: {shown(kind)}" for name, kind in names.items())


def _text(source: Source, node: tree.Expression) -> str:
    return " ".join(source.text[node.start : node.end].split())
