"""Which objects a run of values reads from, so that their types are tested once and not at each dot.

In a run, all values are printed one after another. What they read is read from objects that have a path of names, like
``call.vessel``. When all of these are dicts, or all of types whose dots are attributes, the run reads them directly.
"""

from __future__ import annotations

from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

Path = tuple[str, ...]
"""A variable of the code, and the names read from there on."""

MOST_OWNERS = 6
"""How many objects are tested together; of more, it is not likely that all are of one kind."""


class AttributeOwners:
    """The objects that expressions read from, each after the one that it is itself read from."""

    def __init__(self, variable_of: Callable[[tree.Name], str | None]) -> None:
        self.variable_of = variable_of
        self.found: dict[Path, tree.Expression] = {}

    def path(self, node: tree.Expression) -> Path | None:
        """Return the path of an object; ``None`` for one that is not a name with names after it."""
        names: list[str] = []
        while isinstance(node, tree.Attribute):
            names.append(node.name)
            node = node.owner
        variable = self.variable_of(node) if isinstance(node, tree.Name) else None
        return None if variable is None else (variable, *reversed(names))

    def read(self, nodes: Iterable[tree.Expression]) -> None:
        """Collect the owners that every evaluation reads."""
        todo = [*nodes][::-1]
        while todo:
            node = todo.pop()
            match node:
                case tree.Attribute(name="None" | "True" | "False"):
                    todo.append(node.owner)
                case tree.Attribute():
                    if self.path(node.owner) is None:
                        todo.append(node.owner)
                    else:
                        self._add(node.owner)
                case tree.Filter():
                    todo.append(node.value)
                case tree.Unary():
                    todo.append(node.operand)
                case tree.Binary():
                    todo += [node.left] if node.operator in {"and", "or"} else [node.right, node.left]
                case tree.Comparisons():
                    todo += [node.rest[0][1], node.first]
                case tree.Conditional():
                    todo.append(node.test)
                case tree.ListDisplay():
                    todo += node.items[::-1]
                case tree.Item():
                    todo += [node.index, node.owner]

    def _add(self, node: tree.Expression) -> None:
        chain = [node]
        while isinstance(node, tree.Attribute):
            node = node.owner
            chain.append(node)
        for owner in reversed(chain):
            path = self.path(owner)
            assert path is not None  # noqa: S101  the path of the whole is none otherwise
            self.found.setdefault(path, owner)
