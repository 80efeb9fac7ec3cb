"""The places where values come in: a hook for each value that a page prints, names, passes on or loops over."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from untor.analysis.ir import (
    Bind,
    CallFunction,
    Choice,
    Function,
    Loop,
    Operation,
    PrintValue,
    Scope,
    SlotCall,
    UrlJoin,
    UrlValue,
)
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.analysis.ir import TemplateIR
    from untor.diagnostics.source import Source

HOOK = "untor_probe"
"""The name of the function that each value goes through; a page with a value of this name cannot be probed."""

_PATHS = (tree.Name, tree.Attribute, tree.Item, tree.Maybe, tree.Otherwise)


@dataclass(frozen=True, slots=True)
class InjectionPoint:
    """A place in a template where a value comes in.

    ``prints`` is true for a printed value; one that is named, passed on or looped over may decide what
    the template does; ``filtered`` one that has gone through filters and operators from what it was at another site.
    ``context`` and ``place`` are where it lands, where that is known.
    """

    number: int
    template: str
    line: int
    column: int
    expression: str
    prints: bool
    filtered: bool = False
    context: str = ""
    place: str = ""

    def __str__(self) -> str:
        return f"{self.template}:{self.line}:{self.column}"


class InstrumentedPage:
    """Rewrites a plan so that its values go through the hook, and lists the sites."""

    def __init__(self, planned: TemplateIR) -> None:
        self.sites: list[InjectionPoint] = []
        self._done: set[int] = set()
        self._function(planned.main)
        for function in planned.functions:
            self._function(function)

    def _function(self, function: Function) -> None:
        if id(function) not in self._done:
            self._done.add(id(function))
            function.body = self._body(function.body, function.source)

    def _body(self, body: list[Operation], source: Source) -> list[Operation]:
        return [self._operation(operation, source) for operation in body]

    def _operation(self, operation: Operation, source: Source) -> Operation:
        match operation:
            case PrintValue() | UrlValue():
                return self._printed(operation, source)
            case UrlJoin() | Scope():
                return replace(operation, body=self._body(operation.body, source))
            case Choice():
                return Choice([(branch, self._body(body, source)) for branch, body in operation.branches])
            case Loop():
                node = replace(operation.node, iterable=self._in(operation.node.iterable, source))
                return Loop(
                    node, operation.uses, self._body(operation.body, source), self._body(operation.empty, source)
                )
            case Bind():
                return Bind(replace(operation.node, expression=self._in(operation.node.expression, source)))
            case CallFunction():
                for given in operation.given:
                    given.value = self._in(given.value, source)
                for function in (operation.function, *operation.closures):
                    self._function(function)
            case SlotCall():
                for function in (operation.content, *operation.closures):
                    self._function(function)
        return operation

    def _printed(self, operation: Any, source: Source) -> Operation:
        placement = operation.placement

        def add(node: tree.Expression, *, filtered: bool = False) -> tree.Expression:
            about = {"context": placement.context, "place": placement.where}
            return self._hooked(node, source, prints=True, filtered=filtered, **about)

        node = _wrapped(operation.expression, add)
        # A value that has gone through filters is replaced after them too, so that the place itself is tried.
        whole = node if isinstance(operation.expression, _PATHS) else add(node, filtered=True)
        operation_of_whole: Operation = replace(operation, expression=whole)
        return operation_of_whole

    def _in(self, node: tree.Expression, source: Source) -> tree.Expression:
        return _wrapped(node, lambda inner: self._hooked(inner, source, prints=False))

    def _hooked(self, node: tree.Expression, source: Source, **more: Any) -> tree.Expression:
        line, column = source.position(node.start)
        source_text = source.text[node.start : node.end]
        site = InjectionPoint(len(self.sites), source.name, line, column, source_text, **more)
        self.sites.append(site)
        start, end = node.start, node.end
        return tree.Call(start, end, tree.Name(start, end, HOOK), [tree.Constant(start, end, site.number), node], {})


def _wrapped(node: tree.Expression, add: Callable[[tree.Expression], tree.Expression]) -> tree.Expression:
    """Put hooks around the data that an expression is made from, but not around what it decides with."""

    def inner(part: tree.Expression) -> tree.Expression:
        return _wrapped(part, add)

    if isinstance(node, _PATHS):
        return add(node)
    match node:
        case tree.Call():
            named = {name: inner(part) for name, part in node.named.items()}
            return add(replace(node, arguments=[inner(part) for part in node.arguments], named=named))
        case tree.Filter():
            named = {name: inner(part) for name, part in node.named.items()}
            arguments = [inner(part) for part in node.arguments]
            return replace(node, value=inner(node.value), arguments=arguments, named=named)
        case tree.Binary(operator="+" | "and" | "or"):
            return replace(node, left=inner(node.left), right=inner(node.right))
        case tree.Conditional():
            return replace(node, then=inner(node.then), otherwise=inner(node.otherwise))
        case tree.ListDisplay():
            return replace(node, items=[inner(part) for part in node.items])
        case tree.DictDisplay():
            return replace(node, items=[(key, inner(part)) for key, part in node.items])
    return node
