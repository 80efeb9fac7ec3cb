"""What each name in a template means: where it is bound, and where it is read."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TypeAlias

from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.language.parser import ParsedTemplate


@dataclass
class Binding:
    """What a name stands for, in a part of a template.

    ``kind`` is ``parameter``, ``loop``, ``position``, ``let``, ``count`` (of a message) or ``context`` for what is
    bound nowhere: a value of the page, a global or a helper. ``owner`` is the node that binds it.
    """

    kind: str
    name: str
    start: int
    owner: tree.Node | None = None
    reads: list[tree.Name] = field(default_factory=list)

    @property
    def places(self) -> list[tuple[int, int]]:
        """Where the name is written, as offsets: where it is bound first, if it is."""
        starts = {*(read.start for read in self.reads)} | ({self.start} if self.owner is not None else set())
        return [(start, start + len(self.name)) for start in sorted(starts)]


Chain: TypeAlias = "tuple[Binding, Chain] | None"
"""The names that are bound somewhere, the last one first; those before are shared."""


class Names:
    """The names that a block binds, with those around it."""

    def __init__(self) -> None:
        self.known: dict[str, Binding] = {}
        self.chain: Chain = None

    def copy(self) -> Names:
        """Return the same names, for a block inside."""
        inner = Names()
        inner.known, inner.chain = {**self.known}, self.chain
        return inner

    def bind(self, binding: Binding) -> None:
        """Add a name."""
        self.known[binding.name] = binding
        self.chain = (binding, self.chain)


class NameIndex:
    """The names of one template."""

    def __init__(self, reading: ParsedTemplate) -> None:
        self.bindings: list[Binding] = []
        self._scopes: list[tuple[int, int, Chain]] = []
        """Spans of nodes with the names that are bound there."""
        self._starts: dict[int, Binding] | None = None
        self._context: dict[str, Binding] = {}
        """The names that are bound nowhere: of the page, then of each part, which sees another context."""
        taken = reading.takes.parameters if reading.takes else []
        page = self._parameters(taken, Names())
        if reading.takes:
            self._note(reading.takes, page)
        if reading.layout:
            self._note(reading.layout, page)
            self._arguments(reading.layout.arguments, page)
        self._nodes(reading.body, page)
        for part in reading.parts.values():
            self._context = {}
            inner = self._parameters(part.parameters, Names())
            self._note(part, inner)
            self._nodes(part.body, inner)

    def at(self, offset: int) -> Binding | None:
        """Return the binding of the name at an offset or ending there, or ``None``."""
        for binding in self.bindings:
            if any(start <= offset <= end for start, end in binding.places):
                return binding
        return None

    def starting(self, offset: int) -> Binding | None:
        """Return what the name that begins at an offset stands for; ``None`` where none begins."""
        if self._starts is None:
            self._starts = {start: binding for binding in self.bindings for start, _ in binding.places}
        return self._starts.get(offset)

    def visible(self, offset: int) -> dict[str, Binding]:
        """Return the names that are bound where an offset is; those of the page's context are not among them."""
        chain: Chain = None
        size = -1
        for start, end, scope in self._scopes:
            if start <= offset <= end and (size < 0 or end - start <= size):
                chain, size = scope, end - start
        found: dict[str, Binding] = {}
        while chain is not None:
            binding, chain = chain
            found.setdefault(binding.name, binding)
        return dict(reversed(found.items()))

    # --- walking -----------------------------------------------------------------------------------------------------

    def _note(self, node: tree.Node, scope: Names) -> None:
        self._scopes.append((node.start, node.end, scope.chain))

    def _bind(self, kind: str, name: str, start: int, owner: tree.Node, scope: Names) -> None:
        binding = Binding(kind, name, start, owner)
        scope.bind(binding)
        self.bindings.append(binding)

    def _parameters(self, parameters: list[tree.Parameter], scope: Names) -> Names:
        inner = scope.copy()
        for parameter in parameters:
            if parameter.default is not None:
                self._read(parameter.default, inner)
            self._bind("parameter", parameter.name, parameter.start, parameter, inner)
        return inner

    def _arguments(self, arguments: list[tree.Argument], scope: Names) -> None:
        for argument in arguments:
            self._read(argument.value, scope)

    def _read(self, expression: tree.Expression | None, scope: Names) -> None:
        todo = [expression] if expression is not None else []
        while todo:
            node = todo.pop()
            todo += tree.children(node)
            if isinstance(node, tree.Name):
                binding = scope.known.get(node.name) or self._context.get(node.name)
                if binding is None:
                    binding = self._context[node.name] = Binding("context", node.name, node.start)
                    self.bindings.append(binding)
                binding.reads.append(node)

    def _nodes(self, nodes: list[tree.Node], scope: Names) -> None:
        inner = scope.copy()
        for node in nodes:
            self._note(node, inner)
            self._node(node, inner)

    def _node(self, node: tree.Node, scope: Names) -> None:
        match node:
            case tree.Print(expression=expression):
                self._read(expression, scope)
            case tree.Let():
                self._read(node.expression, scope)
                self._bind("let", node.name, node.name_start, node, scope)
            case tree.If():
                for branch in node.branches:
                    self._scopes.append((branch.start, branch.end, scope.chain))
                    self._read(branch.test, scope)
                    self._nodes(branch.body, scope)
            case tree.For():
                self._loop(node, scope)
            case tree.Say():
                self._read(node.count, scope)
                inner = scope.copy()
                if node.name:
                    self._bind("count", node.name, node.name_start, node, inner)
                self._nodes(node.body, inner)
                self._nodes(node.plural or [], inner)
            case tree.Include():
                self._arguments(node.arguments, scope)
                self._nodes(node.body, scope)
            case tree.Into() | tree.Slot():
                self._nodes(tree.inside(node), scope)

    def _loop(self, node: tree.For, scope: Names) -> None:
        self._read(node.iterable, scope)
        inner = scope.copy()
        for name, start in zip(node.names, node.name_starts, strict=True):
            self._bind("loop", name, start, node, inner)
        if node.position is not None:
            self._bind("position", node.position, node.position_start, node, inner)
        self._note(node, inner)
        self._read(node.condition, inner)
        self._nodes(node.body, inner)
        self._nodes(node.between or [], inner)
        self._nodes(node.empty or [], scope)
