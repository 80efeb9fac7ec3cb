"""Walks nodes in order, and continues after a problem where a checker collects them all."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Generic, NamedTuple, TypeVar

from untor.analysis.names import AnalysisError, Names
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.analysis.composition import Frame, PageAnalysis
    from untor.analysis.ir import Operation
    from untor.diagnostics.source import Source

State = TypeVar("State")

_NOT_JUDGED = "The values after it have not been judged yet."


class Checkpoint(NamedTuple, Generic[State]):
    """How far a walk had come before a node, to go on from there when the node has a problem."""

    state: State
    frame: Frame
    operations: list[Operation]
    frames: list[Frame]
    scopes: int
    held: list[str]


class Walker(ABC, Generic[State]):
    """Walks nodes one after another; where all problems are wanted, goes on after one."""

    def __init__(self, analysis: PageAnalysis, frame: Frame, state: State) -> None:
        self.analysis = analysis
        self.frame = frame
        self.state = state
        self.operations: list[Operation] = []
        self.lost = False
        """Whether fixed text was met that cannot be judged, so that nothing can be said of the places after it."""

    @property
    def source(self) -> Source:
        """The source of the nodes that are being walked."""
        return self.frame.source

    @property
    def names(self) -> Names:
        """The visible names."""
        return self.frame.names

    @abstractmethod
    def walk(self, nodes: list[tree.Node]) -> None:
        """Walk nodes from the current state to the one after them."""

    def node(self, nodes: list[tree.Node], index: int) -> int:
        """Walk the node at an index; return the index after what was walked."""
        raise NotImplementedError

    @abstractmethod
    def fork(self, state: State) -> State:
        """Return a state that can go its own way."""

    def each(self, nodes: list[tree.Node]) -> None:
        """Walk nodes one after another; where all problems are wanted, go on after one that is refused."""
        index = 0
        while index < len(nodes):
            index = self._collecting(nodes, index) if self.analysis.collects else self.node(nodes, index)

    def _collecting(self, nodes: list[tree.Node], index: int) -> int:
        node = nodes[index]
        before = self.remember(node)
        try:
            if not self.lost or not isinstance(node, tree.Text | tree.Print):
                return self.node(nodes, index)
            if isinstance(node, tree.Print):
                self.names.use(node.expression)
        except AnalysisError as found:
            self.analysis.report(found.problem, self.analysis.frames[0].source)
            self.go_back(before)
            if not self.lost and isinstance(node, tree.Text) and self.step_over(found.problem.code):
                return index
            if not self.lost and isinstance(node, tree.Text | tree.Print):
                self.lost = isinstance(node, tree.Text) or not self.stand_in()
                if self.lost and any(not isinstance(each, tree.Text) for each in nodes[index + 1 :]):
                    found.problem.hint = f"{found.problem.hint}\n{_NOT_JUDGED}".lstrip()
        return index + 1

    def collecting(self, look: Callable[[], None]) -> None:
        """Look at something that the walk does not depend on; where all problems are wanted, go on after one."""
        try:
            look()
        except AnalysisError as found:
            if not self.analysis.collects:
                raise
            self.analysis.report(found.problem, self.analysis.frames[0].source)

    def remember(self, node: tree.Node) -> Checkpoint[State]:
        """Return all that a node may change before it turns out to have a problem."""
        # Other nodes fork the state themselves, or find out before they change it.
        state = self.fork(self.state) if isinstance(node, tree.Include | tree.Slot | tree.Fallback) else self.state
        return Checkpoint(state, self.frame, self.operations, [*self.analysis.frames], len(self.names.scopes), [])

    def go_back(self, to: Checkpoint[State]) -> None:
        """Go back to before a node."""
        self.state, self.frame, self.operations = to.state, to.frame, to.operations
        self.analysis.frames = to.frames
        while len(self.names.scopes) > to.scopes:
            self.names.leave()

    def step_over(self, code: str) -> bool:  # noqa: ARG002  one shape for all walkers
        """Make text readable that has a problem of this kind, and return whether it now is."""
        return False

    def stand_in(self) -> bool:
        """Go over a value that was refused as over one that was not; return whether that is possible."""
        return True

    def found_again(self, before: State, *, lost: bool) -> None:
        """Resume after an unreadable block, assuming that it ends in its start state."""
        if self.lost and not lost:
            self.lost, self.state = False, self.fork(before)
