"""The names that an expression sees, with their types, and what tests around it have shown."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.language import tree
from untor.types.model import ANY

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from untor.types.model import Type

Path = tuple[str, ...]
"""A name, and the attributes and constant items after it: ``calls[0].vessel`` is ``("calls", "[0]", ".vessel")``."""


def path_of(node: tree.Expression) -> Path | None:
    """Return the path that an expression is, without its ``?``; ``None`` for anything else."""
    steps: list[str] = []
    while True:
        match node:
            case tree.Maybe(value=inner):
                node = inner
            case tree.Attribute(owner=owner, name=name):
                steps.append(f".{name}")
                node = owner
            case tree.Item(owner=owner, index=tree.Constant(value=value)):
                steps.append(f"[{value!r}]")
                node = owner
            case tree.Name(name=name):
                return (name, *reversed(steps))
            case _:
                return None


class Scope:
    """Names with their types; inner scopes see those around them."""

    def __init__(self, names: Mapping[str, Type], outer: Scope | None = None) -> None:
        self.names = dict(names)
        self.outer = outer
        self.shown: dict[Path, Type] = {}
        """What tests have shown of paths."""

    def __iter__(self) -> Iterator[Scope]:
        scope: Scope | None = self
        while scope is not None:
            yield scope
            scope = scope.outer

    def knows(self, name: str) -> bool:
        """Return whether a name is bound here or around."""
        return any(name in scope.names for scope in self)

    def is_global(self, name: str) -> bool:
        """Return whether a name is that of a global or a helper of the engine, which the outermost scope has."""
        scope = next((scope for scope in self if name in scope.names), None)
        return scope is not None and scope.outer is None

    def type(self, name: str) -> Type:
        """Return the type of a name."""
        return next((scope.names[name] for scope in self if name in scope.names), ANY)

    def shown_of(self, path: Path) -> Type | None:
        """Return what tests have shown of a path; ``None`` for nothing."""
        for scope in self:
            if path in scope.shown:
                return scope.shown[path]
            if path[0] in scope.names:
                return None
        return None

    def inside(self, shown: Mapping[Path, Type] | None = None) -> Scope:
        """Return a scope inside of this one, in which a test has shown something."""
        inner = Scope({}, self)
        inner.shown.update(shown or {})
        return inner
