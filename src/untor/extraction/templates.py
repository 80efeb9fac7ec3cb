"""The messages of templates, with the remarks for translators that are written beside them."""

from __future__ import annotations

from typing import NamedTuple

from untor.language import tree
from untor.messages.calls import call_message, is_say
from untor.messages.message import Message, Unsayable, message_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from untor.language.parser import ParsedTemplate

_REMARK = "say:"


class FoundMessage(NamedTuple):
    """A message of a template, the line it begins in, and the remarks about it."""

    message: Message
    line: int
    remarks: list[str]


def messages_in(reading: ParsedTemplate) -> list[FoundMessage]:
    """Return the messages of a template in the order they are written, also those of its parts."""
    nodes: list[tree.Node] = [*reading.body, *reading.parts.values()]
    messages = sorted(_messages(reading, nodes), key=lambda message: message.start)
    remarks = _remarks(reading)
    found, after = [], -1
    for message in messages:
        line = reading.source.position(message.start)[0]
        own: list[str] = []
        above = line if line in remarks and after < remarks[line][0] < message.start else line - 1
        while above in remarks and after < remarks[above][0] < message.start:
            start, text = remarks[above]
            own.insert(0, text)
            above = reading.source.position(start)[0] - 1
        after = message.start
        found.append(FoundMessage(message, line, own))
    return found


def _remarks(reading: ParsedTemplate) -> dict[int, tuple[int, str]]:
    """Return the remarks for translators by the lines that they end in, with where they begin."""
    source = reading.source
    remarks = {}
    for mark in reading.notes:
        text = " ".join(source.text[mark.inner_start : mark.inner_end].split())
        if text.startswith(_REMARK):
            remarks[source.position(mark.end - 1)[0]] = mark.start, text.removeprefix(_REMARK).strip()
    return remarks


def _messages(reading: ParsedTemplate, nodes: list[tree.Node]) -> Iterator[Message]:
    source = reading.source
    for node in every_node(nodes):
        if isinstance(node, tree.Say):
            try:
                yield message_of(node, source, node.kind)
            except Unsayable:
                continue  # an error when the template is compiled
    for expression in every_expression(reading):
        if isinstance(expression, tree.Call) and is_say(expression):
            message = call_message(expression, source)
            if message is not None:
                yield message


def every_node(nodes: Iterable[tree.Node]) -> Iterator[tree.Node]:
    """Yield nodes and all that are inside of them."""
    todo = [*nodes]
    while todo:
        node = todo.pop()
        yield node
        todo += tree.inside(node)


def every_expression(reading: ParsedTemplate) -> Iterator[tree.Expression]:
    """Yield all expressions of a template, with those inside of them."""
    todo: list[tree.Expression | None] = []
    for arguments in (reading.layout.arguments if reading.layout else (),):
        todo += [argument.value for argument in arguments]
    todo += [parameter.default for parameter in (reading.takes.parameters if reading.takes else ())]
    for node in every_node([*reading.body, *reading.parts.values()]):
        match node:
            case tree.Print() | tree.Let():
                todo.append(node.expression)
            case tree.If():
                todo += [branch.test for branch in node.branches]
            case tree.For():
                todo += [node.iterable, node.condition]
            case tree.Include():
                todo += [argument.value for argument in node.arguments]
            case tree.Part():
                todo += [parameter.default for parameter in node.parameters]
    while todo:
        expression = todo.pop()
        if expression is not None:
            yield expression
            todo += tree.children(expression)
