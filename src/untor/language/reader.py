"""Reads a source into a tree, with every problem on the way; never raises for what an author wrote."""

from __future__ import annotations

from dataclasses import dataclass, field

from untor.language import tree
from untor.language.expressions import Parser
from untor.language.marks import Mark, Scanner, Surroundings
from untor.language.tokens import ProblemFound
from untor.language.words import BLOCKS, LATER, STEPS
from untor.problems import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.source import Source

DEEPEST = 250
"""How deep steps may be nested."""


@dataclass(slots=True)
class Reading:
    """The tree of a source and what is wrong with it, in the order of the text."""

    body: list[tree.Node] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


@dataclass(slots=True)
class Open:
    """A step whose ``end`` has not come yet; ``node`` is ``None`` for one with a problem."""

    word: str
    mark: Mark
    node: tree.If | tree.For | None
    body: list[tree.Node]
    else_mark: Mark | None = None


def read(source: Source, surroundings: Surroundings | None = None) -> Reading:
    """Read a source. The problems of the result say what could not be read; the tree holds the rest."""
    scanner = Scanner(source, surroundings)
    marks = scanner.scan()
    reader = _Reader(source)
    for mark in marks:
        reader.mark(mark)
    reader.finish()
    problems = sorted(scanner.problems + reader.problems, key=lambda problem: problem.start)
    return Reading(reader.root, problems)


class _Reader:
    """Puts marks into a tree."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.root: list[tree.Node] = []
        self.problems: list[Problem] = []
        self.open: list[Open] = []

    @property
    def body(self) -> list[tree.Node]:
        return self.open[-1].body if self.open else self.root

    def report(self, code: str, mark: Mark, **words: object) -> None:
        self.problems.append(Problem(code, self.source, mark.start, mark.end, **words))  # type: ignore[arg-type]

    def mark(self, mark: Mark) -> None:
        """Take the next mark in."""
        if mark.kind == "text":
            if mark.end > mark.start:
                self.body.append(tree.Text(mark.start, mark.end, self.source.text[mark.start : mark.end]))
        elif mark.kind == "print":
            self.print(mark)
        elif mark.kind == "step":
            self.step(mark)
        elif mark.kind == "broken" and mark.word in BLOCKS:
            self.push(Open(mark.word, mark, None, []))

    def print(self, mark: Mark) -> None:
        if not self.source.text[mark.inner_start : mark.inner_end].strip():
            self.report("print-empty", mark)
            return
        try:
            parser = Parser(self.source, mark.inner_start, mark.inner_end)
            expression = parser.expression()
            parser.finish()
        except ProblemFound as found:
            self.problems.append(found.problem)
        else:
            self.body.append(tree.Print(mark.start, mark.end, expression))

    def step(self, mark: Mark) -> None:
        if mark.word in {"note", "verbatim", "end-verbatim"}:
            return
        if mark.word in LATER:
            self.report("step-later", mark, word=mark.word)
            if mark.word in BLOCKS:
                self.push(Open(mark.word, mark, None, []))
            return
        try:
            parser = Parser(self.source, mark.inner_start, mark.inner_end)
        except ProblemFound as found:
            self.problems.append(found.problem)
            if mark.word in BLOCKS:
                self.push(Open(mark.word, mark, None, []))
            elif mark.word == "end":
                self.close(mark)
            return
        getattr(self, f"step_{mark.word}")(mark, parser)

    def push(self, opened: Open) -> None:
        if len(self.open) == DEEPEST:
            self.report("too-deep", opened.mark, most=DEEPEST)
        self.open.append(opened)

    def shape(self, mark: Mark, parser: Parser, trouble: str) -> ProblemFound:
        """Return the exception for a step that is not written as it should be."""
        token = parser.token
        place = (token.start, token.end) if token.kind != "end" else (mark.start, mark.end)
        shape = STEPS[mark.word].partition(" …")[0]
        return ProblemFound(
            Problem("step-shape", self.source, *place, word=mark.word, trouble=trouble, shape=shape),
        )

    def new_name(self, mark: Mark, parser: Parser, *, ignorable: bool = False) -> str:
        """Read a name that a step gives to a value."""
        token = parser.token
        if token.kind == "word":
            raise self.shape(mark, parser, f'"{token.text}" cannot be a name')
        if token.kind != "name":
            raise self.shape(mark, parser, "a name is missing")
        if token.text.startswith("_") and not (ignorable and token.text == "_"):
            raise parser.problem("name-private", token.start, token.end, word=token.text)
        return parser.take().text

    # --- for -----------------------------------------------------------------------------------------------------

    def step_for(self, mark: Mark, parser: Parser) -> None:
        opened = Open("for", mark, None, [])
        try:
            node = self.loop(mark, parser)
        except ProblemFound as found:
            self.problems.append(found.problem)
        else:
            opened.node, opened.body = node, node.body
            self.body.append(node)
        self.push(opened)

    def loop(self, mark: Mark, parser: Parser) -> tree.For:
        names = [self.new_name(mark, parser, ignorable=True)]
        if parser.accept(","):
            names.append(self.new_name(mark, parser, ignorable=True))
        if not parser.accept("in"):
            raise self.shape(mark, parser, '"in" is missing after the name')
        iterable = parser.no_conditional()
        condition = parser.no_conditional() if parser.accept("if") else None
        position = self.new_name(mark, parser) if parser.accept("as") else None
        parser.finish()
        return tree.For(mark.start, mark.end, "for", names, iterable, condition, position)

    # --- if ------------------------------------------------------------------------------------------------------

    def step_if(self, mark: Mark, parser: Parser) -> None:
        opened = Open("if", mark, None, [])
        test = self.test(mark, parser)
        if test is not None:
            branch = tree.Branch(mark.start, mark.end, test)
            opened.node, opened.body = tree.If(mark.start, mark.end, "if", [branch]), branch.body
            self.body.append(opened.node)
        self.push(opened)

    def test(self, mark: Mark, parser: Parser) -> tree.Expression | None:
        try:
            if parser.token.kind == "end":
                raise self.shape(mark, parser, "the condition is missing")
            test = parser.expression()
            parser.finish()
        except ProblemFound as found:
            self.problems.append(found.problem)
            return None
        return test

    def step_elif(self, mark: Mark, parser: Parser) -> None:
        test = self.test(mark, parser)
        opened = self.branching(mark, {"if"}, "<! if !>")
        if opened is None:
            return
        if isinstance(opened.node, tree.If) and test is not None:
            branch = tree.Branch(mark.start, mark.end, test)
            opened.node.branches.append(branch)
            opened.body = branch.body
        else:
            opened.body = []

    def step_else(self, mark: Mark, parser: Parser) -> None:
        try:
            if parser.accept("if"):
                raise self.shape(mark, parser, '"else if" is written "elif"')
            parser.finish()
        except ProblemFound as found:
            self.problems.append(found.problem)
        opened = self.branching(mark, {"if", "for"}, "<! if !> or <! for !>")
        if opened is None:
            return
        opened.else_mark = mark
        opened.body = []
        if isinstance(opened.node, tree.If):
            opened.node.branches.append(tree.Branch(mark.start, mark.end, None, opened.body))
        elif isinstance(opened.node, tree.For):
            opened.node.empty = opened.body

    def branching(self, mark: Mark, owners: set[str], example: str) -> Open | None:
        """Return the open step that a branch belongs to."""
        opened = self.open[-1] if self.open else None
        if opened is None or opened.word not in owners:
            names = " or ".join(f'"{owner}"' for owner in sorted(owners, reverse=True))
            self.report("branch-misplaced", mark, word=mark.word, owners=names, example=example)
            return None
        if opened.else_mark is not None:
            line = self.source.position(opened.else_mark.start)[0]
            self.report("branch-after-else", mark, word=mark.word, line=line)
            opened.body = []
            return None
        return opened

    # --- the others ----------------------------------------------------------------------------------------------

    def step_let(self, mark: Mark, parser: Parser) -> None:
        try:
            name = self.new_name(mark, parser)
            if not parser.accept("="):
                raise self.shape(mark, parser, '"=" is missing after the name')
            expression = parser.expression()
            parser.finish()
        except ProblemFound as found:
            self.problems.append(found.problem)
        else:
            self.body.append(tree.Let(mark.start, mark.end, name, expression))

    def step_end(self, mark: Mark, parser: Parser) -> None:
        closes = parser.take().text if parser.token.kind != "end" else ""
        try:
            parser.finish()
        except ProblemFound as found:
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
        self.open.pop()

    def finish(self) -> None:
        """Report what was never closed."""
        for opened in self.open:
            if opened.mark.kind != "broken":
                self.report("end-missing", opened.mark, word=opened.word, more="")
