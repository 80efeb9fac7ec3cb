"""Branches and loops: walks every path through a template, and joins the states that the paths end in."""

from __future__ import annotations

from abc import abstractmethod
from functools import reduce
from typing import TypeVar

from untor.analysis.deep import LEVELS, on_a_stack_of_its_own
from untor.analysis.ir import Choice, Loop, Operation
from untor.analysis.names import AnalysisError
from untor.analysis.recovery import Walker
from untor.analysis.separators import Rounds, rounds_of, separator
from untor.diagnostics.problem import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.language import tree

State = TypeVar("State")

_MOST_ROUNDS = 8


class BranchWalker(Walker[State]):
    """Walks the branches and loops of nodes through states of one kind."""

    @abstractmethod
    def join(self, first: State, second: State) -> State | None:
        """Return the state after ways that end in these two; ``None`` when what follows would be read differently."""

    def again(self, before: State, after: State) -> State | None:
        """Return the state in which a loop may begin again, after it began and ended in these two."""
        return self.join(before, after)

    def after_rounds(self, end: State, again: State) -> None:
        """Add to the state after a loop's last round what rounds before it may have left, after which it began again.

        Only what ``same`` does not compare can differ.
        """

    @abstractmethod
    def same(self, first: State, second: State) -> bool:
        """Return whether two states are the same in everything."""

    @abstractmethod
    def key(self, state: State) -> object:
        """Return what decides how a piece is read from a state on."""

    def differing(self, code: str, node: tree.Node, first: State, second: State, **words: str) -> AnalysisError:
        """Return the exception for a step after which two ways end in these two states."""
        raise NotImplementedError

    def flush(self) -> None:
        """Bring text that is held back into the operations."""

    def end_block(self, node: tree.Block) -> None:
        """Look at the state at the end of a block of a step."""

    def refused(self, code: str, start: int, end: int, **words: str) -> AnalysisError:
        """Return the exception for a problem at a place of the source."""
        return AnalysisError(Problem(code, self.source, start, end, **words))

    def _block(
        self, node: tree.Block, nodes: list[tree.Node], then: Callable[[], None] | None = None
    ) -> list[Operation]:
        """Walk the nodes of a step's block, and what comes at its end, from the current state to the one after it."""
        outer, self.operations = self.operations, []
        before, lost = self.fork(self.state) if self.analysis.collects else self.state, self.lost
        self.names.enter()
        self._deeper(lambda: self.walk(nodes))
        self.found_again(before, lost=lost)
        if then is not None:
            then()
        self.end_block(node)
        self.flush()
        self.names.leave()
        inner, self.operations = self.operations, outer
        return inner

    def _deeper(self, walk: Callable[[], None]) -> None:
        """Walk what is one level deeper, on a stack of its own where this one could come to its end."""
        self.analysis.levels += 1
        try:
            if self.analysis.levels % LEVELS:
                walk()
            else:
                on_a_stack_of_its_own(walk)
        finally:
            self.analysis.levels -= 1

    def _choice(self, node: tree.If) -> None:
        before = self.state
        branches: list[tuple[tree.Branch, list[Operation]]] = []
        ends: list[State] = []
        conditions: list[object] = []
        for branch in node.branches:
            if branch.test is not None:
                self.names.use(branch.test)
                conditions.append(self.names.condition(branch.test))
            self.state = self.fork(before)
            self.enter_branch(self.state, conditions, last=branch.test is None)
            branches.append((branch, self._block(node, branch.body)))
            ends.append(self.state)
        if node.branches[-1].test is not None:
            otherwise = self.fork(before)
            self.enter_branch(otherwise, conditions, last=True)
            ends.append(otherwise)
        self.state = reduce(lambda joined, end: self._joined(node, "if", joined, end), ends)
        self.operations.append(Choice(branches))

    def _joined(self, node: tree.Block, word: str, first: State, second: State) -> State:
        """Return the state after branches of a step. Raises ``AnalysisError`` if they end too differently."""
        joined = self.join(first, second)
        if joined is None:
            raise self.differing("branches-differ", node, first, second, word=word)
        self.depends_on(node, joined)
        return joined

    def enter_branch(self, state: State, conditions: list[object], *, last: bool) -> None:
        """Go into a branch: the last of the conditions is true in it, or with ``last`` none of them is."""

    def depends_on(self, node: tree.Block, state: State) -> None:
        """Note the step that decides on a state, for messages."""

    def _loop(self, node: tree.For) -> None:
        rounds = rounds_of(node)
        node = rounds.node
        self.names.use(node.iterable)
        self.names.enter()
        for name in node.names:
            self.names.bind(name)
        if node.condition is not None:
            self.names.use(node.condition)
        uses: set[str] = set()
        if node.position is not None:
            self.names.bind(node.position, uses)
        start = self.state
        alone: list[Operation] = []
        if rounds.first:
            self.state = self.fork(start)
            alone = self._alone(rounds)
        before = first = self.state
        after: State | None = None
        for _ in range(_MOST_ROUNDS):
            self.state = self.fork(before)
            body, end = self._round(rounds, alone)
            after = self.state if after is None else after
            joined = self.again(before, self.state)
            if joined is None:
                raise self.differing("loop-differs", node, first, after)
            self.depends_on(node, joined)
            if self.same(joined, before):
                break
            before = joined
        else:
            raise self.differing("loop-differs", node, first, after or before)
        self.names.leave()
        if end is not None:
            self.after_rounds(end, joined)
        empty: list[Operation] = []
        if node.empty is not None:
            self.state = self.fork(start)
            empty = self._block(node, node.empty)
            self.state = self._joined(node, "for", joined if end is None else end, self.state)
        elif end is not None:
            self.state = self._joined(node, "for", start, end)
        else:
            self.state = joined
        self.operations.append(Loop(node, frozenset(uses), body, empty))

    def _round(self, rounds: Rounds, alone: list[Operation]) -> tuple[list[Operation], State | None]:
        """Walk the body of a loop, from the state of a round to that of the next.

        Returns the operations, and the state in which the loop ends if the last round ends in another state.
        """
        ends: list[State] = []

        def separate() -> None:
            self.flush()
            end = self.fork(self.state)
            others = self._alone(rounds)
            ends.append(self.state)
            self.state = end
            self.operations.append(self._step_between(rounds, others))

        body = self._block(rounds.node, rounds.body, separate if rounds.last else None)
        if rounds.first:
            ends.append(self.fork(self.state))
            body = [self._step_between(rounds, alone), *body]
        return body, ends[0] if ends else None

    def _alone(self, rounds: Rounds) -> list[Operation]:
        """Walk what is printed in the first round alone, or in the last."""
        step = rounds.step
        assert step is not None  # noqa: S101  the caller has looked
        return self._block(step, step.branches[1 - separator(step)].body)

    def _step_between(self, rounds: Rounds, alone: list[Operation]) -> Choice:
        """Walk what is printed between two rounds; return the step that chooses."""
        step = rounds.step
        assert step is not None  # noqa: S101  the caller has looked
        test = step.branches[0].test
        assert test is not None  # noqa: S101  only the second has none
        self.names.use(test)
        between = separator(step)
        operations = self._block(step, step.branches[between].body)
        bodies = [alone, operations] if between else [operations, alone]
        return Choice([*zip(step.branches, bodies, strict=True)])
