"""Branches and loops: walks each way that a template can go, and joins the states that the ways end in."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Generic, TypeVar

from untor.language import tree
from untor.plan.names import Names, Refused
from untor.plan.operations import Bind, Choice, Loop, Operation, Placement
from untor.problems import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.source import Source

State = TypeVar("State")

DEEPEST_LOOPS = 16
"""How deep loops may be nested: Python allows twenty blocks of its own."""

_MOST_ROUNDS = 8


class BlockWalker(ABC, Generic[State]):
    """Walks nodes through states of one kind and collects the operations."""

    def __init__(self, source: Source, names: Names, state: State) -> None:
        self.source = source
        self.names = names
        self.state = state
        self.operations: list[Operation] = []
        self.loops = 0

    @abstractmethod
    def walk(self, nodes: list[tree.Node]) -> None:
        """Walk nodes from the current state to the one after them."""

    @abstractmethod
    def fork(self, state: State) -> State:
        """Return a state that can go its own way."""

    @abstractmethod
    def join(self, first: State, second: State) -> State | None:
        """Return the state after ways that end in these two; ``None`` when what follows would be read differently."""

    @abstractmethod
    def same(self, first: State, second: State) -> bool:
        """Tell whether two states are the same in everything."""

    @abstractmethod
    def describe(self, state: State) -> str:
        """Say in words where a state is."""

    def flush(self) -> None:
        """Bring text that is held back into the operations."""

    def end_block(self, node: tree.Block) -> None:
        """Look at the state at the end of a block of a step."""

    def refused(self, code: str, start: int, end: int, **words: str) -> Refused:
        """Return the exception for a problem at a place of the source."""
        return Refused(Problem(code, self.source, start, end, **words))

    def placement(self, node: tree.Print, context: str, path: tuple[str, ...], escapers: tuple[str, ...]) -> Placement:
        """Return the record of a value's place."""
        line, column = self.source.position(node.start)
        expression = self.source.text[node.expression.start : node.expression.end]
        return Placement(self.source.name, line, column, expression, context, path, escapers)

    def step(self, node: tree.Node) -> None:
        """Walk a step."""
        self.flush()
        if isinstance(node, tree.Let):
            self.names.use(node.expression)
            self.names.bind(node.name)
            self.operations.append(Bind(node))
        elif isinstance(node, tree.If):
            self._choice(node)
        elif isinstance(node, tree.For):
            self._loop(node)
        else:
            raise TypeError(type(node).__name__)

    def _block(self, node: tree.Block, nodes: list[tree.Node]) -> list[Operation]:
        outer, self.operations = self.operations, []
        self.names.enter()
        self.walk(nodes)
        self.end_block(node)
        self.flush()
        self.names.leave()
        inner, self.operations = self.operations, outer
        return inner

    def _choice(self, node: tree.If) -> None:
        before = self.state
        branches: list[tuple[tree.Branch, list[Operation]]] = []
        ends: list[State] = []
        for branch in node.branches:
            if branch.test is not None:
                self.names.use(branch.test)
            self.state = self.fork(before)
            branches.append((branch, self._block(node, branch.body)))
            ends.append(self.state)
        if node.branches[-1].test is not None:
            ends.append(before)
        joined = ends[0]
        for end in ends[1:]:
            together = self.join(joined, end)
            if together is None:
                words = {"word": "if", "first": self.describe(joined), "second": self.describe(end)}
                raise self.refused("branches-differ", node.start, node.end, **words)
            joined = together
        self.state = joined
        self.operations.append(Choice(branches))

    def _loop(self, node: tree.For) -> None:
        self.loops += 1
        if self.loops > DEEPEST_LOOPS:
            raise self.refused("too-deep", node.start, node.end, most=str(DEEPEST_LOOPS))
        self.names.use(node.iterable)
        self.names.enter()
        for name in node.names:
            self.names.bind(name)
        if node.condition is not None:
            self.names.use(node.condition)
        uses: set[str] = set()
        if node.position is not None:
            self.names.bind(node.position, uses)
        start = self.fork(self.state)
        before = self.state
        for _ in range(_MOST_ROUNDS):
            self.state = self.fork(before)
            body = self._block(node, node.body)
            joined = self.join(before, self.state)
            if joined is None:
                raise self._differs(node, before)
            if self.same(joined, before):
                break
            before = joined
        else:
            raise self._differs(node, before)
        self.names.leave()
        empty: list[Operation] = []
        if node.empty is not None:
            self.state = start
            empty = self._block(node, node.empty)
            joined = self.join(before, self.state)
            if joined is None:
                words = {"word": "for", "first": self.describe(before), "second": self.describe(self.state)}
                raise self.refused("branches-differ", node.start, node.end, **words)
        self.state = joined
        self.loops -= 1
        self.operations.append(Loop(node, frozenset(uses), body, empty))

    def _differs(self, node: tree.For, before: State) -> Refused:
        words = {"first": self.describe(before), "second": self.describe(self.state)}
        return self.refused("loop-differs", node.start, node.end, **words)
