"""Parses a source into a tree and collects every problem; never raises for an author's mistake."""

from __future__ import annotations

from dataclasses import dataclass, field

from untor.diagnostics.problem import Problem
from untor.language import tree
from untor.language.composition_steps import arguments, new_name, parameters, shape_problem, target
from untor.language.expressions import ExpressionParser, plain_path
from untor.language.keywords import BLOCKS
from untor.language.scanner import Mark, Scanner, Surroundings
from untor.language.tokens import SyntaxProblem, string_value
from untor.language.unreadable import tokens_before, unreadable

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

TEARING = frozenset(
    """step-unknown comment-unclosed verbatim-unclosed end-missing end-extra end-mismatch branch-misplaced
    branch-after-else too-deep""".split(),
)
"""Problems after which the tree may not be the one that was meant."""

MOST_NAMES = 100
"""How many names a loop may have; the extension has room for as many."""

DEEPEST = 250
"""How deep steps may be nested."""


@dataclass(slots=True)
class ParsedTemplate:
    """The tree of a source and what is wrong with it, in the order of the text."""

    source: Source
    body: list[tree.Node] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    layout: tree.Layout | None = None
    takes: tree.Takes | None = None
    parts: dict[str, tree.Part] = field(default_factory=dict)
    notes: list[Mark] = field(default_factory=list)

    @property
    def torn(self) -> bool:
        """Return whether the tree may not be the one that was meant."""
        return any(problem.code in TEARING for problem in self.problems)


@dataclass(slots=True)
class OpenStep:
    """A step whose ``end`` has not come yet; ``node`` is ``None`` for one with a problem."""

    word: str
    mark: Mark
    node: tree.Block | None
    body: list[tree.Node]
    else_mark: Mark | None = None


def parse(source: Source, surroundings: Surroundings | None = None) -> ParsedTemplate:
    """Read a source. The problems of the result say what could not be read; the tree holds the rest."""
    scanner = Scanner(source, surroundings)
    marks = scanner.scan()
    reader = _TemplateParser(source)
    for mark in marks:
        reader.mark(mark)
    reader.finish()
    reader.reading.problems = sorted(scanner.problems + reader.problems, key=lambda problem: problem.start)
    return reader.reading


class _TemplateParser:
    """Puts marks into a tree."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.reading = ParsedTemplate(source)
        self.problems: list[Problem] = []
        self.open: list[OpenStep] = []

    @property
    def body(self) -> list[tree.Node]:
        return self.open[-1].body if self.open else self.reading.body

    def report(self, code: str, mark: Mark, **words: object) -> None:
        self.problems.append(Problem(code, self.source, mark.start, mark.end, **words))  # type: ignore[arg-type]

    def mark(self, mark: Mark) -> None:
        """Take the next mark in."""
        count = len(self.problems)
        if mark.kind == "text":
            if mark.end > mark.start:
                self.body.append(tree.Text(mark.start, mark.end, self.source.text[mark.start : mark.end]))
        elif mark.kind == "print":
            self.print(mark)
        elif mark.kind == "step":
            self.step(mark)
        elif mark.kind == "broken" and mark.word in BLOCKS:
            self.push(OpenStep(mark.word, mark, None, self.body))
        elif mark.kind == "broken" and mark.word == "end" and self.open:
            self.open.pop()
        if mark.is_torn:
            # That it is never closed has been reported, and the rest follows from that.
            del self.problems[count:]

    def print(self, mark: Mark) -> None:
        if known := plain_path(self.source, mark.inner_start, mark.inner_end):
            self.body.append(tree.Print(mark.start, mark.end, known))
            return
        if not self.source.text[mark.inner_start : mark.inner_end].strip():
            self.report("print-empty", mark)
            self.body.append(tree.Print(mark.start, mark.end, unreadable(self.source, mark)))
            return
        try:
            parser = ExpressionParser(self.source, mark.inner_start, mark.inner_end)
            expression = parser.expression()
            parser.finish()
        except SyntaxProblem as found:
            self.problems.append(found.problem)
            expression = unreadable(self.source, mark)
        self.body.append(tree.Print(mark.start, mark.end, expression))

    def step(self, mark: Mark) -> None:
        if mark.word == "note":
            self.reading.notes.append(mark)
        if mark.word in {"note", "verbatim", "end-verbatim"}:
            return
        try:
            parser = ExpressionParser(self.source, mark.inner_start, mark.inner_end)
        except SyntaxProblem as found:
            # What can be read before it is.
            parser = ExpressionParser(self.source, mark.inner_start, mark.inner_start)
            parser.tokens = tokens_before(self.source, mark.inner_start, found.problem.start) or parser.tokens
            count = len(self.problems)
            getattr(self, f"step_{mark.word.replace('-', '_')}")(mark, parser)
            del self.problems[count:]
            self.problems.append(found.problem)
            return
        getattr(self, f"step_{mark.word.replace('-', '_')}")(mark, parser)

    def push(self, opened: OpenStep) -> None:
        if len(self.open) == DEEPEST:
            self.report("too-deep", opened.mark, most=DEEPEST)
        if len(self.open) >= DEEPEST:
            # What is in it stays on this level, so that a tree has no more levels than that.
            opened.node, opened.body = None, self.body
        self.open.append(opened)

    # --- for -----------------------------------------------------------------------------------------------------

    def step_for(self, mark: Mark, parser: ExpressionParser) -> None:
        node = tree.For(mark.start, mark.end, "for", [], tree.Unreadable(mark.start, mark.end, []), None, None)
        try:
            self.loop(mark, parser, node)
        except SyntaxProblem as found:
            self.problems.append(found.problem)
            unread = unreadable(self.source, mark, node.names)
            if isinstance(node.iterable, tree.Unreadable):
                node.iterable = unread
            elif node.condition is None:
                node.condition = unread
        self.body.append(node)
        self.push(OpenStep("for", mark, node, node.body))

    def loop(self, mark: Mark, parser: ExpressionParser, node: tree.For) -> None:
        names, starts = node.names, [parser.token.start]
        names.append(new_name(mark, parser, ignorable=True))
        node.name_starts = (*starts,)
        while parser.accept(","):
            starts.append(parser.token.start)
            names.append(new_name(mark, parser, ignorable=True))
            node.name_starts = (*starts,)
        if len(names) > MOST_NAMES:
            raise shape_problem(mark, parser, f"it has more than {MOST_NAMES} names")
        if not parser.accept("in"):
            raise shape_problem(mark, parser, '"in" is missing after the name', names[0])
        node.iterable = parser.no_conditional()
        node.condition = parser.no_conditional() if parser.accept("if") else None
        if parser.accept("as"):
            start, position = parser.token.start, new_name(mark, parser)
            if position in names:
                raise shape_problem(mark, parser, f'"{position}" cannot be both an item and the position')
            node.position, node.position_start = position, start
        parser.finish()

    def step_between(self, mark: Mark, parser: ExpressionParser) -> None:
        try:
            if parser.token.kind != "end":
                raise shape_problem(mark, parser, "what is printed between two rounds comes after the mark")
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        opened = self.branching(mark, {"for"}, "<! for !>")
        if opened is None:
            return
        opened.body = []
        if isinstance(opened.node, tree.For):
            if opened.node.between is not None:
                self.report("between-repeated", mark)
            opened.node.between = opened.body

    # --- if ------------------------------------------------------------------------------------------------------

    def step_if(self, mark: Mark, parser: ExpressionParser) -> None:
        branch = tree.Branch(mark.start, mark.end, self.test(mark, parser))
        node = tree.If(mark.start, mark.end, "if", [branch])
        self.body.append(node)
        self.push(OpenStep("if", mark, node, branch.body))

    def test(self, mark: Mark, parser: ExpressionParser) -> tree.Expression:
        try:
            if parser.token.kind == "end":
                raise shape_problem(mark, parser, "the condition is missing")
            test = parser.expression()
            parser.finish()
        except SyntaxProblem as found:
            self.problems.append(found.problem)
            return unreadable(self.source, mark)
        return test

    def step_elif(self, mark: Mark, parser: ExpressionParser) -> None:
        test = self.test(mark, parser)
        opened = self.branching(mark, {"if"}, "<! if !>")
        if opened is None:
            return
        if isinstance(opened.node, tree.If):
            branch = tree.Branch(mark.start, mark.end, test)
            opened.node.branches.append(branch)
            opened.body = branch.body
        else:
            opened.body = []

    def step_else(self, mark: Mark, parser: ExpressionParser) -> None:
        try:
            if parser.accept("if"):
                raise shape_problem(mark, parser, '"else if" is written "elif"')
            parser.finish()
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        opened = self.branching(mark, {"if", "for", "say"}, "<! if !> or <! for !>")
        if opened is None:
            return
        if isinstance(opened.node, tree.Say) and opened.node.count is None:
            self.report("say-count", mark)
        opened.else_mark = mark
        opened.body = []
        if isinstance(opened.node, tree.If):
            opened.node.branches.append(tree.Branch(mark.start, mark.end, None, opened.body))
        elif isinstance(opened.node, tree.For):
            opened.node.empty = opened.body
            opened.node.content_end = mark.start
        elif isinstance(opened.node, tree.Say):
            opened.node.plural, opened.node.plural_place = opened.body, (mark.start, mark.end)

    def branching(self, mark: Mark, owners: set[str], example: str) -> OpenStep | None:
        """Return the open step that a branch belongs to."""
        opened = self.open[-1] if self.open else None
        if opened is None or opened.word not in owners:
            names = " or ".join(f'"{owner}"' for owner in sorted(owners - {"say"}, reverse=True))
            self.report("branch-misplaced", mark, word=mark.word, owners=names, example=example)
            return None
        if opened.else_mark is not None:
            line = self.source.position(opened.else_mark.start)[0]
            self.report("branch-after-else", mark, word=mark.word, line=line)
            opened.body = []
            return None
        return opened

    # --- messages ------------------------------------------------------------------------------------------------

    def step_say(self, mark: Mark, parser: ExpressionParser) -> None:
        node = tree.Say(mark.start, mark.end, "say", "", None, "", mark.place)
        try:
            if parser.token.kind == "name":
                node.name_start, node.name = parser.token.start, new_name(mark, parser)
                node.count = unreadable(self.source, mark)
                if not parser.accept("="):
                    raise shape_problem(mark, parser, '"=" is missing after the name')
                node.count = parser.expression()
            if parser.token.kind == "string":
                node.about = string_value(self.source, parser.take())
            parser.finish()
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        self.block(mark, node, node.body)

    # --- pieces put together -------------------------------------------------------------------------------------

    def block(self, mark: Mark, node: tree.Block | None, body: list[tree.Node]) -> None:
        """Open a step with content; without a node, one with a problem."""
        if node is not None:
            self.body.append(node)
        self.push(OpenStep(mark.word.removesuffix("-else"), mark, node, body))

    def step_layout(self, mark: Mark, parser: ExpressionParser) -> None:
        try:
            if self.open or self.reading.layout or any(_counts(node) for node in self.reading.body):
                raise parser.problem("layout-late", mark.start, mark.end)
            called = target(mark, parser, parts=False)
            self.reading.layout = node = tree.Layout(mark.start, mark.end, called, [], is_torn=True)
            arguments(mark, parser, node.arguments)
            node.is_torn = mark.is_torn
        except SyntaxProblem as found:
            self.problems.append(found.problem)

    def step_takes(self, mark: Mark, parser: ExpressionParser) -> None:
        try:
            if self.open or self.reading.takes or any(_counts(node) for node in self.reading.body):
                raise parser.problem("takes-late", mark.start, mark.end)
            if parser.token.kind == "end":
                raise shape_problem(mark, parser, "a name is missing")
            self.reading.takes = node = tree.Takes(mark.start, mark.end, [], is_torn=True)
            parameters(mark, parser, node.parameters)
            parser.finish()
            node.is_torn = mark.is_torn
        except SyntaxProblem as found:
            self.problems.append(found.problem)

    def step_include(self, mark: Mark, parser: ExpressionParser) -> None:
        node = self.called(mark, parser)
        if node is not None:
            self.body.append(node)

    def step_use(self, mark: Mark, parser: ExpressionParser) -> None:
        node = self.called(mark, parser)
        self.block(mark, node, node.body if node else [])

    def called(self, mark: Mark, parser: ExpressionParser) -> tree.Include | None:
        """Read what an ``include`` or ``use`` calls, and as many of its arguments as can be read."""
        node: tree.Include | None = None
        try:
            called = target(mark, parser, parts=True)
            node = tree.Include(mark.start, mark.end, mark.word, called, [], is_torn=True)
            arguments(mark, parser, node.arguments)
            node.is_torn = mark.is_torn
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        return node

    def step_into(self, mark: Mark, parser: ExpressionParser) -> None:
        node: tree.Into | None = None
        try:
            start, name = parser.token.start, new_name(mark, parser)
            parser.finish()
            owner = self.open[-1].node if self.open else self.reading.layout
            if isinstance(owner, tree.Layout | tree.Include):
                node = tree.Into(mark.start, mark.end, "into", name, name_start=start)
            elif not (self.open and self.open[-1].node is None):
                raise parser.problem("into-misplaced", mark.start, mark.end)
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        self.block(mark, node, node.body if node else [])

    def step_slot(self, mark: Mark, parser: ExpressionParser) -> None:
        start, name = parser.token.start, self.slot_name(mark, parser)
        if name is not None:
            self.body.append(tree.Slot(mark.start, mark.end, "slot", name, None, start))

    def step_slot_else(self, mark: Mark, parser: ExpressionParser) -> None:
        start, name = parser.token.start, self.slot_name(mark, parser)
        fallback: list[tree.Node] = []
        node = None if name is None else tree.Slot(mark.start, mark.end, "slot", name, fallback, start)
        self.block(mark, node, fallback)

    def slot_name(self, mark: Mark, parser: ExpressionParser) -> str | None:
        try:
            name = new_name(mark, parser) if parser.token.kind == "name" else ""
            parser.accept("else")
            parser.finish()
        except SyntaxProblem as found:
            self.problems.append(found.problem)
            return None
        return name

    def step_fallback(self, mark: Mark, parser: ExpressionParser) -> None:
        try:
            parser.finish()
            if not any(opened.word == "into" for opened in self.open):
                raise parser.problem("fallback-misplaced", mark.start, mark.end)
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        else:
            self.body.append(tree.Fallback(mark.start, mark.end))

    def step_part(self, mark: Mark, parser: ExpressionParser) -> None:
        node: tree.Part | None = None
        try:
            token = parser.token
            name = new_name(mark, parser)
            part_parameters: list[tree.Parameter] = []
            if opened := parser.accept("("):
                parameters(mark, parser, part_parameters, closing=")")
                parser.expect(")", opened)
            parser.finish()
            if self.open:
                raise parser.problem("part-misplaced", mark.start, mark.end)
            if name in self.reading.parts:
                line = self.source.position(self.reading.parts[name].start)[0]
                raise parser.problem("part-repeated", token.start, token.end, word=name, line=line)
            node = tree.Part(mark.start, mark.end, "part", name, part_parameters, name_start=token.start)
            self.reading.parts[name] = node
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        self.push(OpenStep("part", mark, node, node.body if node else []))

    # --- the others ----------------------------------------------------------------------------------------------

    def step_let(self, mark: Mark, parser: ExpressionParser) -> None:
        start, name = parser.token.start, ""
        try:
            name = new_name(mark, parser)
            if not parser.accept("="):
                raise shape_problem(mark, parser, '"=" is missing after the name')
            expression = parser.expression()
            if parser.token.text == ",":
                raise shape_problem(mark, parser, "it names one value")
            parser.finish()
        except SyntaxProblem as found:
            self.problems.append(found.problem)
            expression = unreadable(self.source, mark, (name,))
        if name:
            self.body.append(tree.Let(mark.start, mark.end, name, expression, start))

    def step_end(self, mark: Mark, parser: ExpressionParser) -> None:
        closes = parser.take().text if parser.token.kind != "end" else ""
        try:
            parser.finish()
        except SyntaxProblem as found:
            self.problems.append(found.problem)
        self.close(mark, closes)

    def close(self, mark: Mark, closes: str = "") -> None:
        """Close the innermost open step, which must be the one named, if one is named."""
        if not self.open:
            self.report("end-extra", mark)
            return
        opened = self.open[-1]
        if closes and closes != opened.word and opened.mark.kind != "broken":
            line = self.source.position(opened.mark.start)[0]
            self.report("end-mismatch", mark, closes=closes, word=opened.word, line=line)
            while any(step.word == closes for step in self.open) and self.open[-1].word != closes:
                self.open.pop()
        closed = self.open.pop().node
        if isinstance(closed, tree.For) and not closed.content_end:
            closed.content_end = mark.start

    def finish(self) -> None:
        """Report what was never closed."""
        for opened in self.open:
            if opened.mark.kind != "broken":
                self.report("end-missing", opened.mark, word=opened.word, more="")


def _counts(node: tree.Node) -> bool:
    """Return whether something counts as content: anything but white space."""
    return not (isinstance(node, tree.Text) and not node.text.strip())
