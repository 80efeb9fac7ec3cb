"""Walks the steps of a template, and the templates, parts and slots that it is put together from."""

from __future__ import annotations

from typing import TypeVar

from untor.analysis.branch_walker import BranchWalker
from untor.analysis.composition import (
    FilledSlot,
    Frame,
    SlotContent,
    check_contents,
    check_nesting,
    contents_of,
    match_arguments,
    parameters_of,
    slots_in,
)
from untor.analysis.ir import (
    Bind,
    CallFunction,
    Function,
    PassedArgument,
    Placement,
    Scope,
    SlotCall,
)
from untor.analysis.names import AnalysisError, Names
from untor.diagnostics.problem import suggestion
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.language.parser import ParsedTemplate

    CallKey = tuple[object, ...]
    """A template or part, the names it is given, and the state it is called in."""

State = TypeVar("State")


class BlockWalker(BranchWalker[State]):
    """Walks nodes through states of one kind and collects the operations."""

    def placement(self, node: tree.Print, context: str, path: tuple[str, ...], escapers: tuple[str, ...]) -> Placement:
        """Return the record of a value's place."""
        line, column = self.source.position(node.start)
        expression = self.source.text[node.expression.start : node.expression.end]
        reason = self.names.trusted(node.expression)
        return Placement(self.source.name, line, column, expression, context, path, escapers, reason)

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
        elif isinstance(node, tree.Say):
            self._say(node)
        elif isinstance(node, tree.Include):
            self._include(node)
        elif isinstance(node, tree.Slot):
            self._slot(node)
        elif isinstance(node, tree.Fallback):
            self._fallback()
        else:
            raise TypeError(type(node).__name__)

    def _say(self, node: tree.Say) -> None:
        """Walk a message as it is written."""
        self.operations.append(Scope(self._block(node, tree.said(node))))

    # --- pieces put together -------------------------------------------------------------------------------------

    def page(self) -> None:
        """Walk a whole template or part, inside its layout if it has one, into the frame's function."""
        frame = self.frame
        self.analysis.frames.append(frame)
        parameters = parameters_of(frame.reading, frame.part)
        for parameter in parameters or ():
            if parameter.default is not None:
                frame.names.use(parameter.default)
            frame.names.bind(parameter.name)
        layout = frame.reading.layout if frame.is_file else None
        if layout is None:
            self.walk(frame.reading.parts[frame.part].body if frame.part else frame.reading.body)
        elif self.analysis.collects:
            self._layout_or_content(layout)
        else:
            self._layout(layout)
        self.flush()
        self.analysis.frames.pop()

    def _layout_or_content(self, node: tree.Layout) -> None:
        """Walk the content of a page alone when its layout cannot be walked, for the problems that it has."""
        before = self.remember(node)
        try:
            self._layout(node)
        except AnalysisError as found:
            self.analysis.report(found.problem, self.analysis.frames[0].source)
            self.go_back(before)
            self.lost = True
            for inner in self.frame.reading.body:
                self._scoped(inner.body if isinstance(inner, tree.Into) else [inner])

    def _layout(self, node: tree.Layout) -> None:
        frame = self.frame
        reading = self.analysis.reading(node.target, self.source)
        check_nesting(self.analysis, frame, node.target, reading, "")
        given = match_arguments(frame, node.target, node.arguments, None, all_=False)
        taken = {parameter.name: parameter for parameter in parameters_of(reading, "") or ()}
        given = [PassedArgument(each.name, each.value, taken.get(each.name)) for each in given]
        contents = contents_of(frame, frame.reading.body, node)
        self.collecting(lambda: check_contents(frame, node.target, contents, slots_in(reading, "")))
        extra = [tree.Parameter(node.start, node.end, each.name, "*", None) for each in given if each.name not in taken]
        if not frame.function.context:
            # An included page sees only what it was given, and so does its layout.
            known = {each.name for each in given}
            own = [each for each in frame.function.parameters if each.name not in known]
            given += [PassedArgument(each.name, tree.Name(node.start, node.end, each.name), None) for each in own]
            extra += [
                tree.Parameter(node.start, node.end, each.name, "*", None) for each in own if each.name not in taken
            ]
        parameters = [*taken.values(), *extra]
        name = self.analysis.name("layout")
        function = Function(name, reading.source, parameters, context=frame.function.context)
        self._call(node, reading, "", function, given, contents)

    def _include(self, node: tree.Include) -> None:
        frame, called = self.frame, node.target
        reading = frame.reading
        if called.file:
            reading = self.analysis.reading(called, self.source)
        if called.part and called.part not in reading.parts:
            near = suggestion(called.part, reading.parts, self._parts(reading))
            if not (called.file or near.startswith("Did")):
                near += f' A template of its own is named in quotes: <! {node.word} "{called.part}" !>.'
            words = {"word": called.part, "file": reading.source.name, "near": near}
            raise self.refused("part-unknown", called.start, called.start + len(called.part), **words)
        check_nesting(self.analysis, frame, called, reading, called.part)
        taken = parameters_of(reading, called.part)
        given = match_arguments(frame, called, node.arguments, taken, all_=not node.is_torn)
        contents = contents_of(frame, node.body, node) if node.word == "use" else {}
        self.collecting(lambda: check_contents(frame, called, contents, slots_in(reading, called.part)))
        if taken is None:
            taken = [tree.Parameter(node.start, node.end, each.name, "", None) for each in given]
        name = self.analysis.name("part" if called.part else "piece")
        function = Function(name, reading.source, taken)
        self._call(node, reading, called.part, function, given, contents)

    @staticmethod
    def _parts(reading: ParsedTemplate) -> str:
        return f"It has {', '.join(reading.parts)}." if reading.parts else "It has no parts."

    def _call(  # noqa: PLR0917  the six things that make a call
        self,
        node: tree.Node,
        reading: ParsedTemplate,
        part: str,
        function: Function,
        given: list[PassedArgument],
        contents: dict[str, SlotContent],
    ) -> None:
        """Walk another template or part from here on, or know already where that leads.

        A part that includes itself in a slightly wider state than it began in is walked again from the wider state.
        """
        self.flush()
        shared = not contents and not function.context
        names = tuple(each.name for each in given)
        while True:
            key = (self if self.private else None, id(reading), part, names, self.key(self.state), self.lost)
            if shared and self._call_known(key, given, node):
                return
            start = self.fork(self.state)
            call = CallFunction(function, given, node)
            self.operations.append(call)
            frame = Frame(reading, part, self._scope_of(function), function, call, contents)
            self._walk_callee(frame, key if shared else None)
            if shared and self.shareable(start, self.state):
                self.analysis.memo[key] = (function, self.fork(self.state), reading)
            if not function.recursive:
                return
            joined = self.again(start, self.state)
            if joined is None:
                raise self.differing("part-differs", node, start, self.state, word=part)
            self.state = joined
            if self.same(joined, start):
                return
            self.operations.remove(call)
            self.analysis.functions.remove(function)
            self.analysis.memo.pop(key, None)
            function = Function(self.analysis.name("part"), function.source, function.parameters)

    def _call_known(self, key: CallKey, given: list[PassedArgument], node: tree.Node) -> bool:
        """Call what was walked from this state before, or is being walked right now; return whether there is one."""
        if key in self.analysis.memo:
            known, end, _ = self.analysis.memo[key]
            self.state = self.after_known(end)  # type: ignore[arg-type]
        elif key in self.analysis.in_progress:
            known = self.analysis.in_progress[key]
            known.recursive = True
        else:
            return False
        self.operations.append(CallFunction(known, given, node))
        return True

    def _scope_of(self, function: Function) -> Names:
        """Return the names that are visible in a function: its parameters, and the page's values where it sees them."""
        inputs = self.analysis.inputs if function.context else None
        scope = Names(function.source, self.analysis.filters, inputs, self.analysis.permitted.known)
        for parameter in function.parameters:
            scope.bind(parameter.name)
        return scope

    def _walk_callee(self, frame: Frame, key: CallKey | None) -> None:
        """Walk what is called; while that lasts, a call of the same from the same state is one of itself."""
        function = frame.function
        self.analysis.functions.append(function)
        if key is not None:
            self.analysis.in_progress[key] = function
        self._into_function(function, frame, self.page)
        if key is not None:
            del self.analysis.in_progress[key]

    private = False
    """Whether the functions that this walker makes are of use to itself only."""

    def _into_function(self, function: Function, frame: Frame, walk: Callable[[], None]) -> None:
        """Walk something of another frame into a function of its own."""
        outer = self.frame, self.operations
        before, lost = self.fork(self.state) if self.analysis.collects else self.state, self.lost
        self.frame, self.operations = frame, function.body
        self._deeper(walk)
        self.found_again(before, lost=lost)
        self.end_function(function)
        self.flush()
        self.frame, self.operations = outer

    def after_known(self, end: State) -> State:
        """Return the state after a piece that has been walked before from the state that this is."""
        return self.fork(end)

    def shareable(self, start: State, end: State) -> bool:  # noqa: ARG002  one shape for all walkers
        """Return whether a piece that was walked between two states need not be walked again."""
        return True

    def end_function(self, function: Function) -> None:
        """Look at the state at the end of a function."""

    def _slot(self, node: tree.Slot) -> None:
        frame = self.frame
        content = frame.contents.get(node.name)
        if content is None:
            if node.fallback is not None:
                self.operations.append(Scope(self._block(node, node.fallback)))
            return
        name = self.analysis.name("slot")
        function = Function(name, content.frame.source, [], closure=True)
        assert frame.call is not None  # noqa: S101  a frame with contents was called
        frame.call.closures.append(function)
        frame.function.slots.append(name)
        call = SlotCall(name, function)
        self.operations.append(call)
        owner = content.frame
        outer, owner.slot = owner.slot, content.slot
        if isinstance(content.place, tree.Into):
            owner.slot = FilledSlot(node, frame, call, function)
        # Content belongs to the frame that it is written in: a component may be in its own content.
        frames = self.analysis.frames
        self.analysis.frames = frames[: frames.index(owner) + 1]
        self._into_function(function, owner, lambda: self._scoped(content.nodes))
        self.analysis.frames = frames
        owner.slot = outer

    def _scoped(self, nodes: list[tree.Node]) -> None:
        self.names.enter()
        self.walk(nodes)
        self.names.leave()

    def _fallback(self) -> None:
        slot = self.frame.slot
        if slot is None or slot.node.fallback is None:
            return
        name = self.analysis.name("slot")
        function = Function(name, slot.frame.source, [], closure=True)
        slot.call.closures.append(function)
        slot.function.slots.append(name)
        self.operations.append(SlotCall(name, function))
        fallback = slot.node.fallback
        self._into_function(function, slot.frame, lambda: self._scoped(fallback))
