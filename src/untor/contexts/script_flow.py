"""Where the values of a script go: the call or assignment that an expression is part of (ECMAScript §13.3, §13.15).

It follows the tokens beside the lexer, and knows of each place whether it is the whole argument of an injection sink, a
part of one, or neither.
"""

from __future__ import annotations

from typing import NamedTuple

from untor.contexts.placement import Unreadable, unreadable
from untor.contexts.script_sinks import BOUND, HTML_STREAMS, VALUE, Chain, Sink, assigned, called, is_sink, keyed
from untor.contexts.stacks import Stack

Chains = frozenset[Chain]
"""What the last operand may be called; branches may have ended in several."""

_NONE: Chains = frozenset()
_UNNAMED: Chains = frozenset({("",)})
_ASSIGNMENTS = frozenset({"=", "+=", "||=", "&&=", "??="})
_BINARY = frozenset({"in", "instanceof", "of", "extends"})
_ENDS = frozenset({")", "]", "}", ",", ";", ":"})
_MOST_ARGUMENTS = 4
_FUNCTIONS = frozenset({"{fe", "{fd", "{m", "{a"})
_ENTRY_OF_CALL = frozenset({"operand", "dot", "ambiguous"})


class Level(NamedTuple):
    """What is known inside one open bracket, or outside of all.

    ``base`` is what holds for the argument or for all in the bracket, ``sink`` what holds now; ``at`` is how far its
    expression has come: ``start``, ``literal``, ``value`` or ``more``. ``callee`` and ``argument`` tell the call and
    which argument, ``first`` is the text of the first one; ``target`` is what is being assigned to, ``outer`` what an
    index is of, ``owner`` what ``Object.assign`` gives its objects to.
    """

    kind: str = ""
    base: Sink | None = None
    sink: Sink | None = None
    at: str = "start"
    callee: Chains = _NONE
    argument: int = 0
    first: str | None = None
    target: Chains = _NONE
    outer: Chains = _NONE
    owner: Chains | None = None


_OUTERMOST = Stack[Level]().push(Level())


class Flow(NamedTuple):
    """The state: open brackets, the name of the last operand, the text of the last literal if it is alone.

    ``held`` means that a value in a sink must be the whole of it; ``elements`` are those that the script has made and
    named; ``element`` is the one whose event handler this is: its properties are in scope there, and those of the
    document (HTML §8.1.8.1). ``streams`` means that something unknown has been written into the document.
    """

    levels: Stack[Level] = _OUTERMOST
    chains: Chains = _NONE
    literal: str | None = None
    held: bool = False
    elements: frozenset[tuple[Chain, str]] = frozenset()
    streams: bool = False
    element: str = ""

    @property
    def level(self) -> Level:
        """The innermost level."""
        return self.levels.top

    @property
    def sink(self) -> Sink | None:
        """The sink that the expression is given to."""
        return self.levels.top.sink

    def change(self, **changes: object) -> Flow:
        """Return the flow with something else known of the innermost level."""
        return self._replace(levels=self.levels.below.push(self.levels.top._replace(**changes)))  # type: ignore[arg-type]

    # --- operands --------------------------------------------------------------------------------------------------

    def word(self, word: str, before: str) -> Flow:
        """Go over a name or keyword."""
        if before == "dot":
            chains = frozenset((*chain, word) for chain in self.chains) or frozenset({("", word)})
            return self.more()._replace(chains=chains, literal=None)
        flow = self._operand(before)
        chain: Chain = (word,)
        if self.element and word != "import":
            chain = (self.element,) if word == "this" else (self.element, word)
        return flow.more()._replace(chains=frozenset({chain}), literal=None)

    def keyword(self, word: str, before: str) -> Flow:
        """Go over a keyword that is not an operand."""
        flow = self if word in _BINARY else self._operand(before)
        return flow.more()._replace(chains=_NONE, literal=None)

    def given_to(self, sink: Sink) -> Flow:
        """Say that the whole script is an expression whose value is given to a sink."""
        return self.change(base=sink, sink=sink, at="start")

    def imported(self) -> Flow:
        """Go to the literal that names the module of a static import."""
        return self.change(sink=Sink("module", "import … from …"), at="start")

    def scoped(self) -> Flow:
        """Go to the object of a ``with``, whose names decide what those in the statement mean (§14.11)."""
        return self.change(sink=Sink("closed", "a with statement"), at="more")

    def tagged(self) -> Flow:
        """Go to a template literal with a tag, which is called with the parts and the values."""
        if any(map(is_sink, self.chains)):
            return self.change(sink=Sink("closed", "a template literal with this tag"), at="more")
        return self

    def unnamed(self, before: str) -> Flow:
        """Go over a number or a regular expression."""
        return self._operand(before).more()._replace(chains=_UNNAMED, literal=None)

    def value(self, before: str) -> Flow:
        """Go over a value that is an expression."""
        flow = self._operand(before)
        if flow.sink is not None and flow.level.at == "start":
            return flow.change(at="value")._replace(chains=_UNNAMED, literal=None, held=True)
        named = frozenset({(VALUE,)}) if flow.level.kind == "index" else _UNNAMED
        return flow.more()._replace(chains=named, literal=None)

    def literal_begins(self, before: str) -> Flow:
        """Go over the quote that begins a literal."""
        flow = self._operand(before)
        return flow.change(at="literal" if flow.level.at == "start" else "more")._replace(literal=None)

    def literal_ends(self, text: str | None, *, valued: bool, is_open: bool) -> Flow:
        """Go over the quote that ends a literal; ``text`` is what it means, where that is fixed."""
        alone = self.level.at == "literal"
        streams = self.streams or (is_open and self._streams())
        named = frozenset({(VALUE,)}) if valued and self.level.kind == "index" else _UNNAMED
        held = self.held or (valued and self.sink is not None)
        return self._replace(chains=named, literal=text if alone else None, held=held, streams=streams)

    def _operand(self, before: str) -> Flow:
        """Begin another statement where an operand follows one (§12.10 automatic semicolon insertion)."""
        return self._ended() if before == "operand" else self

    def more(self) -> Flow:
        """Go over a token after which the expression is more than one literal or value."""
        if self.sink is None and self.level.kind not in {"call", "index"}:
            return self
        if self._streams():
            return self.change(at="more")._replace(streams=True)
        return self if self.level.at == "more" else self.change(at="more")

    def _streams(self) -> bool:
        return self.sink is not None and self.sink.what.partition("(")[0] in HTML_STREAMS

    # --- punctuators -----------------------------------------------------------------------------------------------

    def operator(self, lexeme: str) -> Flow:
        """Go over an operator, an assignment or an arrow."""
        if lexeme in _ASSIGNMENTS:
            sinks = [assigned(chain, self.elements, appends=lexeme == "+=") for chain in self.chains]
            sink = _strictest(sinks)
            flow = self.change(target=self.chains)
            if sink is not None:
                return flow.change(sink=sink, at="start")._replace(chains=_NONE, literal=None)
            return flow.more()._replace(chains=_NONE, literal=None)
        if lexeme == "=>" and self.sink is not None and self.sink.functions:
            return self.change(sink=None)._replace(chains=_NONE, literal=None)
        return self.more()._replace(chains=_NONE, literal=None)

    def opened(self, entry: str, before: str) -> Flow:
        """Go over a bracket that opens; ``entry`` is what the lexer has made of it."""
        call = entry == "(import" or (entry == "(" and before in _ENTRY_OF_CALL and self.chains != _NONE)
        index = entry == "[" and before in {"operand", "dot"}
        inside = self.sink
        outer = self.more() if inside is not None else self
        if call:
            callee = self.chains or frozenset({("import",)})
            if any(chain[-1] == VALUE for chain in callee):
                raise unreadable(
                    "in the name of what is called right here",
                    "it would decide which function is run",
                    "Choose the function by fixed names: call = {a: f, b: g}[key] ?? f.",
                )
            level = Level("call", inside, inside, "start" if inside is None else "more", callee)
            sink = _argument(level, None, self.elements)
            if sink is not None:
                level = level._replace(base=sink, sink=sink, at="start")
            elif inside is not None and inside.functions and all(chain[-1] == "bind" for chain in callee):
                level = level._replace(base=None, sink=None)
            if any(chain[-2:] == ("Object", "assign") for chain in callee):
                level = level._replace(owner=_NONE)
            return outer._replace(levels=outer.levels.push(level), chains=_NONE, literal=None)
        if index:
            # What is read from a table of code or addresses by a value is a choice that the value makes.
            chosen = None if inside is None or inside.kind in {"html", "url"} else Sink("closed", inside.what)
            level = Level("index", chosen, chosen, "start", outer=self.chains or _UNNAMED)
            return outer._replace(levels=outer.levels.push(level), chains=_NONE, literal=None)
        if entry in _FUNCTIONS and inside is not None and inside.functions:
            inside = None
        if entry == "{x":
            inside = Sink("closed", "the names and attributes of an import or export")
        kind = "object" if entry == "{o" else "group" if entry == "(" else ""
        owner = self.level.owner if kind == "object" and self.level.kind == "call" else None
        level = Level(kind, inside, inside, "start" if inside is None else "more", owner=owner)
        return outer._replace(levels=outer.levels.push(level), chains=_NONE, literal=None)

    def closed(self) -> Flow:
        """Go over a bracket that closes."""
        if len(self.levels) == 1:
            return self
        inner, levels = self.level, self.levels.below
        flow = self._end_of_statement()._replace(levels=levels)
        if inner.kind == "index":
            name = self.literal
            if name is None:
                name = VALUE if frozenset({(VALUE,)}) == self.chains else ""
            return flow._replace(chains=frozenset((*chain, name) for chain in inner.outer), literal=None)
        if inner.kind == "group" and self.chains:
            return flow._replace(chains=self.chains)
        bound = {(*chain[:-1], BOUND) for chain in inner.callee if chain[-1] == "bind" and is_sink(chain[:-1])}
        if bound:
            return flow._replace(chains=frozenset(bound), literal=None)
        made = self._made(inner)
        if made:
            named = frozenset((target, made) for target in flow.level.target)
            return flow._replace(chains=frozenset({(f"<{made}>",)}), literal=None, elements=flow.elements | named)
        return flow._replace(chains=_UNNAMED, literal=None)

    def _made(self, inner: Level) -> str:
        """Return the name of the element that a call makes; empty for any other call."""
        names = {chain[-1] for chain in inner.callee}
        if names == {"createElement"} and inner.argument == 0:
            return (self.literal or "").lower()
        if names == {"createElementNS"} and inner.argument == 1:
            return (self.literal or "").lower().rpartition(":")[2]
        return ""

    def comma(self) -> Flow:
        """Go over a comma: to the next argument, property or declaration."""
        level = self.level
        flow = self._end_of_statement()
        if level.kind != "call":
            return flow
        by_namespace = any(chain[-1] == "setAttributeNS" for chain in level.callee)
        first = self.literal if level.argument == by_namespace else level.first
        index = min(level.argument + 1, _MOST_ARGUMENTS)
        owner = self.chains if level.owner is not None and level.argument == 0 else level.owner
        reflects = any(chain[-2:-1] == ("Reflect",) for chain in level.callee)
        if reflects and (level.base is not None or any(map(is_sink, self.chains))):
            sink: Sink | None = Sink("closed", "a function that Reflect calls")
        else:
            sink = _argument(level._replace(argument=index, first=first), first, self.elements)
        inherited = flow.levels[-2].sink if len(flow.levels) > 1 else None
        inherited = None if inherited is not None and inherited.functions else inherited
        at = "start" if sink is not None or inherited is None else "more"
        return flow.change(
            argument=index, first=first, base=sink or inherited, sink=sink or inherited, at=at, owner=owner
        )

    def colon(self, *, of_property: bool) -> Flow:
        """Go over a colon; that of a property begins its value."""
        if not of_property or self.level.kind != "object":
            return self.more()._replace(chains=_NONE, literal=None)
        name = self.literal if self.literal is not None else next((chain[-1] for chain in self.chains), "")
        owner = self.level.owner
        owners: frozenset[Chain | None] = frozenset({None}) if owner is None else frozenset({*owner} or {()})
        sink = _strictest([keyed(name, each, self.elements) for each in owners])
        if sink is None or self.level.base is not None:
            return self._replace(chains=_NONE, literal=None)
        return self.change(sink=sink, at="start")._replace(chains=_NONE, literal=None)

    def semicolon(self) -> Flow:
        """Go over a semicolon."""
        return self._end_of_statement()

    def _ended(self) -> Flow:
        return self._end_of_statement() if self.held or self.level.target or self.sink is not self.level.base else self

    def _end_of_statement(self) -> Flow:
        at = "more" if self.level.base is not None else "start"
        return self.change(sink=self.level.base, at=at, target=_NONE)._replace(chains=_NONE, literal=None, held=False)

    def dotted(self) -> Flow:
        """Go over a dot: the name goes on."""
        return self.more()

    def check(self, lexeme: str, *, newline: bool) -> None:
        """Look at the token after a value in a sink: the value must be the whole. Raises ``Unreadable``."""
        begins = lexeme[0] in "\"'_$" or lexeme[0].isalnum()
        if lexeme in _ENDS or (lexeme in {"++", "--"} and newline) or (begins and lexeme not in _BINARY):
            return
        sink = self.sink
        raise in_part(sink, "before what goes on here") if sink is not None else AssertionError("a value outside")

    # --- branches --------------------------------------------------------------------------------------------------

    def joined(self, other: Flow) -> Flow | None:
        """Return the flow after branches that end in these two; ``None`` where the rest would be judged anew."""
        if self == other:
            return self
        if len(self.levels) != len(other.levels):
            return None
        levels: Stack[Level] = Stack()
        for one, two in zip(reversed([*self.levels]), reversed([*other.levels]), strict=True):
            if (one.kind, one.base, one.sink, one.owner) != (two.kind, two.base, two.sink, two.owner):
                return None
            levels = levels.push(
                one._replace(
                    at=one.at if one.at == two.at else "more",
                    callee=one.callee | two.callee,
                    argument=max(one.argument, two.argument),
                    first=one.first if one.first == two.first else None,
                    target=one.target | two.target,
                    outer=one.outer | two.outer,
                )
            )
        return Flow(
            levels,
            self.chains | other.chains,
            self.literal if self.literal == other.literal else None,
            self.held or other.held,
            self.elements | other.elements,
            self.streams or other.streams,
            self.element,
        )


def in_part(sink: Sink, where: str) -> Unreadable:
    """Return the exception for a value that is a part only of what a sink is given."""
    return unreadable(f"in {sink.what} {where}", "what the parts would mean together is not known", REMEDIES[sink.kind])


REMEDIES = {
    "html": "Make it one literal, or put the text there by textContent.",
    "url": "Make it one literal, or print the whole URL: {= url =}.",
    "resource-url": 'Make it one literal whose beginning is fixed: "/m/{= name =}.js".',
    "module": 'Make it one literal whose beginning is fixed: "/m/{= name =}.js".',
    "code": "Pass a function, and print the value in it: () => f({= … =}).",
    "closed": "Write it out, or choose between fixed spellings.",
}


def _argument(level: Level, first: str | None, elements: frozenset[tuple[Chain, str]]) -> Sink | None:
    return _strictest([called(chain, level.argument, first, elements) for chain in level.callee])


_ORDER = ("closed", "code", "module", "resource-url", "html", "url")


def _strictest(sinks: list[Sink | None]) -> Sink | None:
    """Return the sink of several that allows least; where they differ in kind, nothing may be given to them."""
    ordered = sorted({sink for sink in sinks if sink is not None}, key=lambda sink: (_ORDER.index(sink.kind), sink))
    if not ordered:
        return None
    return ordered[0] if len({sink.kind for sink in ordered}) == 1 else Sink("closed", ordered[0].what)
