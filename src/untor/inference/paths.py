"""What the dots, items and ``?`` of a path read, and what is reported of them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from untor.inference.scope import Scope, path_of
from untor.language import tree
from untor.types import members
from untor.types.model import (
    ANY,
    BOOL,
    INT,
    NONE,
    Constant,
    Instance,
    Record,
    class_of,
    may_be_none,
    members_of,
    union,
    without_none,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.diagnostics.source import Source
    from untor.types.model import Type

    Report = Callable[..., None]
    """``report(code, source, start, end, **words)``."""

POSITION = Instance(type("Position", (), {}))
"""The type of a loop's position, whose attributes are known."""


@dataclass
class Paths:
    """Infers the types of paths in one function of a page; what is before them is an expression."""

    source: Source
    report: Report
    filters: Mapping[str, Callable[..., object]]
    functions: Mapping[str, Any] = field(default_factory=dict)
    """The globals and helpers of the engine."""
    lenient: bool = False
    """Whether missing values print as nothing; if so, ``None`` is not reported."""
    calls_methods: bool = False
    is_inferred: bool = False
    """Whether types of parameters come from a call: then a test may be there for the values of another call."""
    declared_by: Callable[[str], dict[str, str]] | None = None
    """Where all names of a page are declared: the words for one that is not."""

    def infer(self, node: tree.Expression, scope: Scope, *, maybe: bool = False) -> Type:
        """Return the type of an expression; with ``maybe``, missing values and ``None`` in its path are accepted."""
        raise NotImplementedError

    def _owner(
        self, node: tree.Attribute | tree.Item, scope: Scope, *, maybe: bool, is_last: bool, what: str
    ) -> tuple[Type, bool]:
        """Return the type of what is before a dot or a bracket, and whether nothing is read as it may be ``None``.

        Where it may be ``None`` and must not be, that is reported. ``is_last`` marks the step before a ``?``.
        """
        owner = node.owner
        kind = self.infer(owner, scope, maybe=maybe)
        if not may_be_none(kind):
            return kind, False
        if maybe or is_last or self.lenient or may_be_missing(owner):
            return without_none(kind), True
        self.report_none(owner, what, is_path=True)
        return without_none(kind), False

    def report_none(self, node: tree.Expression, what: str, *, is_path: bool = False) -> None:
        """Report what may be ``None`` and must not be; in a path, a question mark would help."""
        name = self.text(node)
        words = {"name": name, "trouble": f"may be None, which {what}"}
        words["ways"] = f'Add "?" after it, write "({name} ?? VALUE)"' if is_path else f'Write "({name} ?? VALUE)"'
        self.report("type-none", self.source, node.start, node.end, **words)

    def read_path(
        self, node: tree.Attribute | tree.Item, scope: Scope, *, maybe: bool = False, is_last: bool = False
    ) -> Type:
        """Return the type of a dot or an item, as far as a test has not shown it already."""
        path = path_of(node)
        shown_here = None if path is None else scope.shown_of(path)
        if shown_here is not None:
            return shown_here
        if isinstance(node, tree.Attribute):
            return self._attribute(node, scope, maybe=maybe, is_last=is_last)
        return self._item(node, scope, maybe=maybe, is_last=is_last)

    def _attribute(self, node: tree.Attribute, scope: Scope, *, maybe: bool, is_last: bool) -> Type:
        if isinstance(node.owner, tree.Name) and scope.type(node.owner.name) == POSITION:
            return BOOL if node.name in {"first", "last", "odd", "even"} else INT
        what = f'has no attribute "{node.name}"'
        owner, none = self._owner(node, scope, maybe=maybe, is_last=is_last, what=what)
        found = self.read(owner, node.name, node.name_start, node.end, maybe=maybe or is_last)
        return union([found, NONE]) if none else found

    def read(self, owner: Type, name: str, start: int, end: int, *, maybe: bool = False) -> Type:
        """Return what a dot reads of a type; report what none of its members has."""
        results: list[Type] = []
        absent: list[tuple[Type, members.NotThere]] = []
        for each in members_of(owner):
            found = members.attribute(each, name)
            if isinstance(found, members.NotThere):
                if maybe and (self.is_inferred or isinstance(each, Record)):
                    results.append(NONE)
                else:
                    absent.append((each, found))
                continue
            results.append(found.type)
            if found.may_be_missing:
                results.append(NONE)
                if not (maybe or self.lenient):
                    words = {"name": name, "trouble": f"may be missing from {each}"}
                    words["ways"] = 'Add "?" after it, or "?? VALUE"'
                    self.report("type-none", self.source, start, end, **words)
        if absent and (not results or not maybe):
            kind, there = absent[0]
            self.report("type-attribute", self.source, start, end, owner=str(kind), name=name, names=there.names)
            return ANY
        return union(results) if results else ANY

    def _item(self, node: tree.Item, scope: Scope, *, maybe: bool, is_last: bool) -> Type:
        owner, none = self._owner(node, scope, maybe=maybe, is_last=is_last, what="has no items")
        results: list[Type] = [NONE] if none else []
        if isinstance(node.index, tree.Slice):
            for part in (node.index.first, node.index.last, node.index.step):
                if part is not None:
                    self.infer(part, scope)
            return union([*results, *map(members.sliced, members_of(owner))])
        key = self.infer(node.index, scope)
        if may_be_none(key) and any(class_of(each) in {list, tuple, str} for each in members_of(owner)):
            self.report_none(node.index, "is not the number of an item")
        for each in members_of(owner):
            found = members.item(each, key)
            if isinstance(found, members.NotThere):
                if isinstance(key, Constant) and isinstance(key.value, str) and not (maybe or is_last):
                    place, words = (node.index.start, node.index.end), {"owner": str(each), "name": key.value}
                    self.report("type-attribute", self.source, *place, names=found.names, **words)
                return ANY
            results.append(found.type)
        return union(results)

    def maybe(self, value: tree.Expression, scope: Scope) -> Type:
        """Return the type of ``value?``: that of the value, or of nothing."""
        if isinstance(value, tree.Attribute | tree.Item):
            # Only the last step may be missing; what it is read of may be None.
            kind = self.read_path(value, scope, is_last=True)
        else:
            kind = self.infer(value, scope)
        return kind if kind == ANY else union([kind, NONE])

    def text(self, node: tree.Expression) -> str:
        """Return an expression as it is written, on one line."""
        return " ".join(self.source.text[node.start : node.end].split())


def may_be_missing(node: tree.Expression) -> bool:
    """Return whether a ``?`` on the way of a path lets all of it be missing."""
    while isinstance(node, tree.Attribute | tree.Item):
        node = node.owner
    return isinstance(node, tree.Maybe)
