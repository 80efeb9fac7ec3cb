"""Messages: the words that translators see of a ``say``, with its values by name and its elements by shape."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from html import unescape

from untor.contexts.html_elements import INLINE_VOID, MESSAGE_ELEMENTS
from untor.contexts.html_state import TAG_STATES, VALUE_STATES, HtmlState
from untor.contexts.placement import Unreadable
from untor.diagnostics.problem import Problem
from untor.language import tree
from untor.messages.placeholders import VALUE

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

_BLANKS = re.compile(r"[ \t\n\f\r]+")
_TAG = re.compile(r"<(?=[A-Za-z/!?])")
_ELEMENT = re.compile(r"</?[A-Za-z]")
_IN_TAG = TAG_STATES | VALUE_STATES | {"before attribute value"}
_TAG_NAME = re.compile(r"</?([^\t\n\f\r />]*)")
_XML = (".xml", ".svg")


class Unsayable(Exception):  # noqa: N818  never leaves the compiler
    """Something that cannot be a message, or be in one."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(problem)
        self.problem = problem


@dataclass(slots=True)
class Element:
    """A tag of a message: its name, ``name`` as translators see it, ``kind`` is ``open``, ``close`` or ``void``.

    ``nodes`` are those of the template that write the tag.
    """

    tag: str
    name: str
    kind: str
    nodes: list[tree.Node]

    def __str__(self) -> str:
        return f"</{self.name}>" if self.kind == "close" else f"<{self.name}>"


@dataclass(slots=True)
class Value:
    """A value of a message, by its name; ``node`` prints it, and is ``None`` in a call of ``say``."""

    name: str
    node: tree.Print | None

    def __str__(self) -> str:
        return f"{{{self.name}}}"


@dataclass(slots=True)
class Form:
    """The singular or the plural of a message: its text, and what it consists of; strings are letters.

    ``before`` and ``after`` are the white space around it.
    """

    text: str
    pieces: list[str | Value | Element]
    before: list[tree.Node] = field(default_factory=list)
    after: list[tree.Node] = field(default_factory=list)


@dataclass(slots=True)
class Message:
    """A message of a template, from ``start`` to ``end`` in its source; ``kind`` is that of ``tree.Say``.

    ``count`` is the name of the number that decides between the forms; empty for a message with one form.
    """

    source: Source
    start: int
    end: int
    about: str
    kind: str
    forms: list[Form]
    count: str = ""
    values: dict[str, Value] = field(default_factory=dict)

    @property
    def elements(self) -> list[str]:
        """The names of its elements, as the template has them."""
        return [piece.tag for form in self.forms for piece in form.pieces if isinstance(piece, Element)]

    @property
    def text(self) -> str:
        """The singular, which identifies the message together with ``about``."""
        return self.forms[0].text

    @property
    def plural(self) -> str | None:
        """The plural; ``None`` for a message with one form."""
        return self.forms[1].text if len(self.forms) > 1 else None


def message_of(node: tree.Say, source: Source, kind: str) -> Message:
    """Return the message of a step whose text is read as ``kind``. Raises ``Unsayable``."""
    names = _ValueNames(source)
    if node.count is not None:
        names.known[node.name] = names.unused.name(node.name)
    forms = [_form(node, source, kind, body, names) for body in (node.body, node.plural) if body is not None]
    count = node.name if node.plural is not None else ""
    return Message(source, node.start, node.end, node.about, kind, forms, count, names.values)


def _form(node: tree.Say, source: Source, kind: str, body: list[tree.Node], names: _ValueNames) -> Form:
    cutter = _Cutter(source, kind, names)
    for inner in body:
        cutter.node(inner)
    form = cutter.finish(node)
    if not form.text:
        raise Unsayable(Problem("say-empty", source, node.start, node.end))
    return form


class _ValueNames:
    """The names of a message's values: the last one of the expression; a number tells those of one name apart."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.known: dict[str, str] = {}
        self.values: dict[str, Value] = {}
        self.unused = _Unused()

    def value(self, node: tree.Print) -> Value:
        """Return the value of a print mark; the same expression has one name."""
        shown = _BLANKS.sub(" ", self.source.text[node.expression.start : node.expression.end].strip())
        name = self.known.get(shown)
        if name is None:
            name = self.known[shown] = self.unused.name(name_of(node.expression))
        return self.values.setdefault(name, Value(name, node))


class _Unused:
    """Gives names that are not used yet: the second ``a`` is ``a2``."""

    def __init__(self, *used: str) -> None:
        self.used = {*used}
        self.next: dict[str, int] = {}

    def name(self, name: str) -> str:
        """Return a name, with a number where it is used already."""
        unused = name
        while unused in self.used:
            number = self.next[name] = self.next.get(name, 1) + 1
            unused = f"{name}{number}"
        self.used.add(unused)
        return unused


def name_of(expression: tree.Expression) -> str:
    """Return the last name of an expression before its filters; ``value`` for one without a name."""
    while True:
        match expression:
            case tree.Name(name=name) | tree.Attribute(name=name):
                return name
            case tree.Item(index=tree.Constant(value=str(name))) if name.isidentifier():
                return name
            case tree.Filter(value=inner) | tree.Maybe(value=inner) | tree.Otherwise(value=inner):
                expression = inner
            case tree.Item(owner=inner) | tree.Call(function=inner) | tree.Conditional(then=inner):
                expression = inner
            case tree.Unary(operand=inner) | tree.Binary(left=inner):
                expression = inner
            case _:
                return "value"


class _Cutter:
    """Cuts the content of a message into letters, values and tags."""

    def __init__(self, source: Source, kind: str, names: _ValueNames) -> None:
        self.source = source
        self.kind = kind
        self.names = names
        self.xml = source.name.endswith(_XML)
        self.machine = HtmlState(xml=self.xml, rough=True)
        self.pieces: list[str | Value | Element] = []
        self.letters: list[tree.Text] = []
        """The texts that are letters, to find the white space around the message."""
        self.tag: list[tree.Node] | None = None
        self.open: list[tuple[str, str]] = []
        """The open elements: the name in the template, and the one that translators see."""
        self.unused = _Unused()

    def refused(self, code: str, start: int, end: int, **words: str) -> Unsayable:
        return Unsayable(Problem(code, self.source, start, end, **words))

    def node(self, node: tree.Node) -> None:
        """Take the next node in."""
        if isinstance(node, tree.Text):
            self._text(node)
        elif not isinstance(node, tree.Print):
            word = node.word if isinstance(node, tree.Block) else "let"
            remedy = "Put the step around the message, or write a message for each branch."
            raise self.refused("say-content", node.start, node.end, what=f'The step "{word}"', remedy=remedy)
        elif self.tag is not None:
            self.machine.took_value()
            self.tag.append(node)
        else:
            self.pieces.append(self.names.value(node))

    def _text(self, node: tree.Text) -> None:
        text, position = node.text, 0
        while position < len(text):
            if self.tag is None:
                found = _TAG.search(text, position) if self.kind == "markup" else None
                start = found.start() if found else len(text)
                self._letters(node, position, start)
                if found is None:
                    return
                self._check_tag(node, start)
                self.tag, position = [], start
            end = text.find(">", position) + 1 or len(text)
            try:
                self.machine.read(text[position:end])
            except Unreadable:
                raise self._content(node.start + position, "This tag") from None
            self.tag.append(tree.Text(node.start + position, node.start + end, text[position:end]))
            position = end
            if text[end - 1] == ">" and self.machine.state not in _IN_TAG:
                self._element(self.tag)
                self.tag = None

    def _letters(self, node: tree.Text, start: int, end: int) -> None:
        if start == end:
            return
        raw = node.text[start:end]
        if self.kind == "raw" and "\\" in raw:
            place = node.start + start + raw.index("\\")
            remedy = 'Write {= say("…") =} there: its text is escaped.'
            raise self.refused("say-content", place, place + 1, what='A "\\"', remedy=remedy)
        letters = raw if self.kind == "raw" else unescape(raw)
        mistaken = VALUE.search(letters) or (_ELEMENT.search(letters) if self.kind == "markup" else None)
        if mistaken is not None:
            shown = letters[mistaken.start() : mistaken.start() + 20].split(" ")[0]
            what = "a value" if shown[0] == "{" else "an element"
            place = node.start + start
            raise self.refused("say-ambiguous", place, node.start + end, text=shown, what=what)
        self.pieces.append(letters)
        self.letters.append(tree.Text(node.start + start, node.start + end, raw))

    def _check_tag(self, node: tree.Text, start: int) -> None:
        after = node.text[start + 1 : start + 3]
        if after[0] in "!?" or (after[0] == "/" and not after[1:].isalpha()):
            raise self._content(node.start + start, "A comment or declaration")

    def _content(self, start: int, what: str) -> Unsayable:
        return self.refused("say-content", start, start + 1, what=what, remedy="Put it outside of the message.")

    def _element(self, nodes: list[tree.Node]) -> None:
        first = nodes[0]
        assert isinstance(first, tree.Text)  # noqa: S101  a tag begins with its name
        found = _TAG_NAME.match(first.text)
        assert found is not None  # noqa: S101  it begins with <
        name = found[1] if self.xml else found[1].lower()
        closing = first.text.startswith("</")
        if closing:
            if not self.open or self.open[-1][0] != name:
                raise self._content(first.start, f"A </{name}> that closes nothing")
            self.pieces.append(Element(*self.open.pop(), "close", nodes))
            return
        if not (self.xml or name in MESSAGE_ELEMENTS or "-" in name):
            raise self._content(first.start, f"A <{name}>")
        if not self.xml and name == "a" and any(tag == "a" for tag, _ in self.open):
            raise self._content(first.start, "A link inside of a link")
        if name in {"rp", "rt"} and not self.xml and (not self.open or self.open[-1][0] != "ruby"):
            raise self._content(first.start, f"A <{name}> outside of its <ruby>")
        shown = self.unused.name(name)
        last = nodes[-1]
        void = name in INLINE_VOID if not self.xml else isinstance(last, tree.Text) and last.text.endswith("/>")
        self.pieces.append(Element(name, shown, "void" if void else "open", nodes))
        if not void:
            self.open.append((name, shown))

    def finish(self, node: tree.Say) -> Form:
        """Return what has been cut. Raises ``Unsayable`` for an element that is not closed."""
        if self.tag is not None or self.open:
            name = self.open[-1][0] if self.open else "tag"
            what = f"A <{name}> that is not closed in it"
            raise self.refused("say-content", node.start, node.end, what=what, remedy="Close it in the message.")
        text = _BLANKS.sub(" ", "".join(map(str, self.pieces))).strip(" ")
        form = Form(text, self.pieces)
        if self.letters and isinstance(self.pieces[0], str):
            first = self.letters[0]
            blank = len(first.text) - len(first.text.lstrip(" \t\n\f\r"))
            form.before = [tree.Text(first.start, first.start + blank, first.text[:blank])] if blank else []
        if self.letters and isinstance(self.pieces[-1], str) and (len(self.pieces) > 1 or text):
            last = self.letters[-1]
            kept = len(last.text.rstrip(" \t\n\f\r"))
            form.after = [tree.Text(last.start + kept, last.end, last.text[kept:])] if kept < len(last.text) else []
        return form
