"""A page as it was analysed, with the type of each expression in it, and the scope that it has."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from untor.analysis.ir import PrintValue, UrlValue, all_operations
from untor.check.name_rules import names_in
from untor.check.type_rules import known_of
from untor.inference.declared import parameter_type
from untor.inference.expressions import Expressions
from untor.inference.pages import PageTypes
from untor.inference.scope import Scope
from untor.language import tree
from untor.language.expressions import ExpressionParser
from untor.language.tokens import SyntaxProblem
from untor.types import members
from untor.types.model import ANY, FixedTuple, Instance, Record, members_of, without_none
from untor.types.model import Function as Callable_

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.analysis.ir import Placement, TemplateIR
    from untor.compiler.settings import CompilerSettings
    from untor.diagnostics.source import Source
    from untor.language_server.names import Binding
    from untor.language_server.workspace import Document
    from untor.types.model import Type


class Seen(NamedTuple):
    """An expression of a template, its type, and the names that it sees."""

    node: tree.Expression
    type: Type
    scope: Scope
    of: Expressions


@dataclass
class _WatchedExpressions(Expressions):
    """Keeps what is inferred."""

    watch: Callable[[Source, Seen], None] = lambda *_: None

    def infer(self, node: tree.Expression, scope: Scope, *, maybe: bool = False) -> Type:
        kind = super().infer(node, scope, maybe=maybe)
        self.watch(self.source, Seen(node, kind, scope, self))
        return kind


@dataclass
class _WatchedTypes(PageTypes):
    watch: Callable[[Source, Seen], None] = lambda *_: None

    def _expressions(self, source: Source) -> Expressions:
        return _WatchedExpressions(**vars(super()._expressions(source)), watch=self.watch)


class TypedPage:
    """What is known of the values of a page's templates."""

    def __init__(self, planned: TemplateIR, settings: CompilerSettings) -> None:
        self.planned = planned
        self._seen: dict[str, list[Seen]] = {}
        self._known = known_of(settings)
        _WatchedTypes(planned, self._known, lambda *_, **__: None, watch=self._watch).walk()

    def _watch(self, source: Source, seen: Seen) -> None:
        self._seen.setdefault(source.name, []).append(seen)

    def at(self, template: str, offset: int) -> Seen | None:
        """Return the innermost expression around an offset, the first one where a template is used several times."""
        around = [each for each in self._seen.get(template, ()) if each.node.start <= offset <= each.node.end]
        return min(around, key=lambda each: each.node.end - each.node.start, default=None)

    def of_node(self, template: str, node: tree.Expression) -> Type:
        """Return the type of an expression."""
        return next((each.type for each in self._seen.get(template, ()) if each.node is node), ANY)

    def type_of_text(self, document: Document, offset: int, start: int, end: int) -> Type:
        """Return the type of an expression's text before an offset, with the names that are known there."""
        template, source = document.name, document.source
        try:
            parser = ExpressionParser(source, start, end)
            node = parser.expression()
            parser.finish()
        except SyntaxProblem:
            return ANY
        names = [name.name for name, _ in names_in(node)]
        before = [each for each in self._seen.get(template, ()) if each.node.start <= offset]
        knowing = [each for each in before if all(each.scope.knows(name) for name in names)]
        if not knowing:
            return self._with_bindings(document, start, node)
        around = [each for each in knowing if each.node.end >= offset]
        nearest = max(around or knowing, key=lambda each: each.node.start)
        return nearest.of.infer(node, nearest.scope, maybe=True)

    def _with_bindings(self, document: Document, start: int, node: tree.Expression) -> Type:
        """Return the type of an expression where no other one is known: by what its names are bound to."""
        seen = next(iter(self._seen.get(document.name, ())), None)
        if seen is None:
            return ANY
        names = {name: self.type_of_binding(document, each) for name, each in document.names.visible(start).items()}
        return seen.of.infer(node, Scope(names, [*seen.scope][-1]), maybe=True)

    def type_of_binding(self, document: Document, binding: Binding) -> Type:
        """Return the type of what a name stands for."""
        for read in binding.reads:
            kind = self.of_node(document.name, read)
            if kind != ANY:
                return kind
        owner = binding.owner
        if isinstance(owner, tree.For) and binding.kind == "loop" and len(owner.names) == 1:
            return items(self.of_node(document.name, owner.iterable))
        if isinstance(owner, tree.Let):
            return self.of_node(document.name, owner.expression)
        if isinstance(owner, tree.Parameter):
            return parameter_type(owner, self._known.types) or ANY
        return ANY

    def placements(self, template: str, start: int, end: int, source: Source) -> list[Placement]:
        """Return the placements of a print mark, each once."""
        found: dict[Placement, None] = {}
        for operation in all_operations(self.planned.body):
            if isinstance(operation, PrintValue | UrlValue) and operation.placement.template == template:
                offset = source.starts[operation.placement.line - 1] + operation.placement.column - 1
                if start <= offset < end:
                    found[operation.placement] = None
        return [*found]


def fields(kind: Type) -> dict[str, Type]:
    """Return what a dot reads of a value of a type, by name."""
    found: dict[str, Type] = {}
    for each in members_of(without_none(kind)):
        if isinstance(each, Record):
            found.update(each.fields)
        elif isinstance(each, Instance):
            for name in _readable(each):
                member = members.attribute(each, name)
                if isinstance(member, members.Member) and not isinstance(member.type, Callable_):
                    found.setdefault(name, member.type)
    return found


def _readable(kind: Instance) -> list[str]:
    if hasattr(kind.cls, "__required_keys__"):
        return [*kind.cls.__annotations__]
    return [name for name in members.readable(kind) if not name.startswith("_")]


def items(kind: Type) -> Type:
    """Return the type of the items of a collection."""
    for each in members_of(without_none(kind)):
        item = members.items_of(each)
        if item is not None and not isinstance(each, FixedTuple):
            return item
    return ANY
