"""The operations of one function of a page as steps of a program."""

from __future__ import annotations

from untor.analysis.deep import LEVELS, on_a_stack_of_its_own
from untor.analysis.ir import (
    Bind,
    CallFunction,
    Choice,
    FixedText,
    Function,
    InlineEnd,
    Loop,
    Nonce,
    Operation,
    PrintValue,
    Scope,
    SlotCall,
    UrlFixed,
    UrlJoin,
    UrlValue,
)
from untor.codegen import steps
from untor.codegen.program_loops import LoopCompiler
from untor.codegen.program_values import SHARED
from untor.codegen.runs import BOOLEAN, LONGEST_RUN, escaping_of, is_static
from untor.escape import ESCAPERS
from untor.escape.url import FIXED, QUERY

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import PassedArgument
    from untor.codegen.program import ProgramTables
    from untor.language import tree


LONGEST_END = 200
"""How long fixed text is at most that each branch writes together with its own."""


def ends_a_choice(operations: list[Operation], number: int) -> bool:
    """Return whether an operation is short text after a choice that nothing else would be written together with."""
    if not 0 < number < len(operations) or not isinstance(operations[number - 1], Choice):
        return False
    text, after = operations[number], operations[number + 1 : number + 2]
    is_last = not any(isinstance(each, FixedText | PrintValue | Nonce | UrlJoin) for each in after)
    return is_last and isinstance(text, FixedText) and len(text.text) <= LONGEST_END


class FunctionCompiler(LoopCompiler):
    """Compiles one function; values and fixed text that follow one another are written in one step."""

    def __init__(self, function: Function, tables: ProgramTables, *, is_main: bool) -> None:
        super().__init__(function, tables, is_main=is_main)
        self.levels = 0
        self.closures: list[str] = list(function.slots)
        """The available contents of slots: those passed to the function, and those that it defines."""
        self.contents = {name: number for number, name in enumerate(function.slots)}
        self.texts = [""]
        self.letters = ""
        self.edges: list[tuple[str, str] | None] = []
        self.waiting: list[tuple[int, tree.Expression | None]] = []
        """What is to be written: texts, and between them values, with how they are escaped and where they are from."""

    def compile(self) -> None:
        """Compile the whole function."""
        parameters = self.function.parameters
        self.top += len(parameters)
        self.base = self.most = self.top
        for number, parameter in enumerate(parameters):
            self.take(parameter, self.top - len(parameters) + number)
        self.block(self.function.body)
        self.step(steps.LEAVE)
        if self.most_owners:
            self.code = [number if number < SHARED else number - SHARED + self.most for number in self.code]
            self.most += self.most_owners

    # --- functions ---------------------------------------------------------------------------------------------------

    def take(self, parameter: tree.Parameter, slot: int) -> None:
        """Bind what the function takes: what it was given, the context's value, the default, or an error."""
        self.scopes[-1][parameter.name] = slot
        self.variables.append((parameter.name, slot))
        if parameter.type == "*":
            return
        place = parameter.start, parameter.end
        if self.is_main or self.function.context:
            jump = self.jump(steps.GIVEN, slot) if not self.is_main else None
            number = self.tables.inputs[parameter.name]
            if self.is_main:
                self.step(steps.COPY, slot, number)
                self.placed(*place, steps.NEED, slot, -1, steps.OF_SCOPE, self.tables.constant(None), 1)
            else:
                self.placed(*place, steps.INPUT, slot, number, -1, 1)
            self.checked(parameter, slot, *place)
            if jump is not None:
                self.here(jump)
        if parameter.default is not None:
            jump = self.jump(steps.GIVEN, slot)
            self.value(parameter.default, slot)
            self.here(jump)
        elif self.function.context:
            name, none = self.tables.name(parameter.name), self.tables.constant(None)
            self.placed(*place, steps.NEED, slot, name, steps.TAKEN, none, 0)
        self.top = self.base
        self.owners.forget()

    def checked(self, parameter: tree.Parameter, slot: int, start: int, end: int) -> None:
        """Check a value against the type of its parameter."""
        if parameter.type in {"", "*", "any"}:
            return
        operands = [self.tables.constant(each) for each in (parameter.name, parameter.type, parameter.optional)]
        kind = steps.KINDS.index(parameter.type) if parameter.type in steps.KINDS else 0
        self.placed(start, end, steps.CHECK, slot, self.tables.link("runtime", "check"), *operands, kind)

    def enter(self, operation: CallFunction) -> None:
        """Call another template or part."""
        function, node = operation.function, operation.node
        arguments = {each.name: each for each in operation.given}
        number = self.tables.function(function)
        for content in operation.closures:
            self.content(content)
        operands = [self.argument(arguments.get(parameter.name)) for parameter in function.parameters]
        contents = [self.contents[name] for name in function.slots]
        parts = (steps.ENTER, number, len(operands), *operands, len(contents), *contents)
        self.placed(node.start, node.end, *parts)

    def argument(self, given: PassedArgument | None) -> int:
        """Compile what is given to a parameter."""
        if given is None:
            return self.tables.link("runtime", "MISSING")
        operand = self.handed(given.value)
        if given.parameter is not None and given.parameter.type not in {"", "*", "any"}:
            operand = self.moved(operand, self.fresh()) if operand < self.base else operand
            self.checked(given.parameter, operand, given.value.start, given.value.end)
        return operand

    def content(self, content: Function) -> None:
        """Define content for a slot, which sees the names around it."""
        number = len(self.closures)
        self.closures += (content.name, *content.slots)
        outer = dict(self.contents)
        self.contents |= {name: number + 1 + each for each, name in enumerate(content.slots)}
        skip = self.jump(steps.CONTENT, number, number + 1, len(content.slots))
        depth, self.depth = self.depth, 0
        self.block(content.body)
        self.depth = depth
        self.step(steps.LEAVE)
        self.here(skip)
        self.contents = outer | {content.name: number}

    def slot(self, operation: SlotCall) -> None:
        """Print the content of a slot."""
        for content in operation.closures:
            self.content(content)
        numbers = [self.contents[each.name] for each in operation.closures]
        self.step(steps.SLOT, self.contents[operation.name], len(numbers), *numbers)

    # --- operations --------------------------------------------------------------------------------------------------

    def block(self, operations: list[Operation]) -> None:
        """Compile operations; names that they bind end with them."""
        self.levels += 1
        if self.levels % LEVELS:
            self.operations(operations)
        else:
            on_a_stack_of_its_own(lambda: self.operations(operations))
        self.levels -= 1

    def operations(self, operations: list[Operation]) -> None:
        """Compile the operations of a block, one after another."""
        outer, self.base = self.base, self.top
        self.scopes.append({})
        for number, operation in enumerate(operations):
            if isinstance(operation, FixedText):
                if not ends_a_choice(operations, number):
                    self.texts[-1] += operation.text
            elif isinstance(operation, PrintValue):
                self.print(operation)
            elif isinstance(operation, Nonce):
                if not operation.own:
                    slot = self.fresh()
                    self.step(steps.NONCE, slot)
                    self.write("=", slot, None)
            elif isinstance(operation, UrlJoin) and is_static(operation):
                self.url(operation)
            elif not isinstance(operation, InlineEnd):
                self.flush()
                end = [operations[number + 1]] if ends_a_choice(operations, number + 1) else []
                self.operation(operation, *end)
                if not self.waiting:
                    self.owners.forget()
            if len(self.waiting) >= LONGEST_RUN:
                self.flush()
        self.flush()
        self.scopes.pop()
        self.base, self.top = outer, self.base

    def operation(self, operation: Operation, *end: Operation) -> None:
        """Compile what is not only written, and the text that each branch of a choice ends with."""
        match operation:
            case Bind():
                slot = self.fresh()
                self.handed(operation.node.expression, slot)
                self.scopes[-1][operation.node.name] = slot
                self.variables.append((operation.node.name, slot))
                self.base = self.top = slot + 1
            case Choice():
                self.choice(operation, *end)
            case Loop():
                self.loop(operation)
            case Scope():
                self.block(operation.body)
            case CallFunction():
                self.enter(operation)
                self.top = self.base
            case SlotCall():
                self.slot(operation)
            case UrlJoin():
                self.collected(operation)
            case UrlFixed() | UrlValue():
                self.step(steps.PIECE, self.piece(operation))
                self.top = self.base

    def choice(self, operation: Choice, *end: Operation) -> None:
        """Do one of several branches, and each time its end."""
        ends: list[int] = []
        for number, (branch, body) in enumerate(operation.branches):
            if branch.test is None:
                self.block([*body, *end])
                break
            self.owners.forget()
            skip = self.test(branch.test)
            self.owners.forget()
            self.block([*body, *end])
            if end or number < len(operation.branches) - 1:
                ends.append(self.jump(steps.JUMP))
            self.here(skip)
        else:
            self.block([*end])
        self.here(*ends)

    # --- printing ----------------------------------------------------------------------------------------------------

    def write(self, letter: str, operand: int, node: tree.Expression | None, before: str = "", after: str = "") -> None:
        """Let a value be written next, between texts that belong to it."""
        self.letters += letter
        self.waiting.append((operand, node))
        self.texts[-1] += before
        self.texts.append(after)
        self.edges.append((before, after) if letter == "s" else None)

    def flush(self) -> None:
        """Write what is waiting."""
        if self.waiting or self.texts[0]:
            join = self.tables.join(self.texts, self.letters, self.edges)
            at = self.step(steps.WRITE, join, *[operand for operand, _ in self.waiting])
            for number, (_, node) in enumerate(self.waiting):
                if node is not None:
                    self.places[at + 2 + number] = (node.start, node.end, "", "")
        self.texts, self.letters, self.edges, self.waiting = [""], "", [], []
        self.top = self.base
        self.owners.forget()

    def print(self, operation: PrintValue) -> None:
        """Print a value through its escaping functions."""
        node = operation.expression
        functions, letter = escaping_of(operation)
        if functions == BOOLEAN:
            self.boolean(operation)
            return
        value = self.value(node, wait=bool(functions) or not letter)
        before, after = operation.before, operation.after
        for function, inner in functions:
            operands = [*map(self.tables.constant, before), value]
            operands += [self.tables.link("escaper", inner)] if inner else map(self.tables.constant, after)
            written, simple = self.fresh(), ESCAPERS[function].simple
            skip: tuple[int, ...] = ()
            if simple:
                kind = steps.SIMPLE_VALUES.index(simple)
                skip = (self.jump(steps.SIMPLE, written, value, self.tables.link("web", "permitted"), kind),)
            self.called(self.tables.link("escaper", function), operands, written, node.start, node.end)
            self.here(*skip)
            before, after, value = (), (), written
        self.write(letter or "=", value, node, *before, *after)

    def boolean(self, operation: PrintValue) -> None:
        """Print a boolean attribute when its value is true."""
        written = self.fresh()
        self.step(steps.COPY, written, self.tables.constant(""))
        is_false = self.test(operation.expression)
        self.step(steps.COPY, written, self.tables.constant(f" {operation.before[0]}"))
        self.here(is_false)
        self.write("=", written, operation.expression)

    def url(self, operation: UrlJoin) -> None:
        """Print a URL whose pieces are always the same ones."""
        pieces = [self.piece(piece) for piece in operation.body]
        whole = self.fresh()
        self.step(steps.PACK, whole, steps.TUPLE, len(pieces), *pieces)
        self.joined(operation, whole)

    def collected(self, operation: UrlJoin) -> None:
        """Collect the pieces of a URL, and print it."""
        pieces = self.fresh()
        self.base = self.top
        self.step(steps.COLLECT, pieces, 1)
        self.collects += 1
        self.block(operation.body)
        self.collects -= 1
        self.step(steps.COLLECT, pieces, 0)
        self.joined(operation, pieces)
        self.base = pieces

    def joined(self, operation: UrlJoin, pieces: int) -> None:
        """Decide on a URL, and let it be written next."""
        escaper = self.tables.link("escaper", operation.escaper)
        self.called(escaper, [pieces], pieces, operation.start, operation.end)
        self.write("=", pieces, None)

    def piece(self, piece: Operation) -> int:
        """Compile a piece of a URL: kind, value, and of fixed text what a browser reads it as."""
        if isinstance(piece, UrlFixed):
            return self.tables.constant((FIXED, piece.raw, piece.plain))
        assert isinstance(piece, UrlValue)  # noqa: S101  nothing else is in a URL
        node = piece.expression
        value = self.value(node)
        if piece.kind != QUERY:
            operand, value = value, self.fresh()
            self.placed(node.start, node.end, steps.PRINTED, value, operand)
        slot = self.fresh()
        kind, plain = self.tables.constant(piece.kind), self.tables.constant("")
        self.step(steps.PACK, slot, steps.TUPLE, 3, kind, value, plain)
        return slot
