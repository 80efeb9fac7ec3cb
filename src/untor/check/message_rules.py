"""Rules about messages: what catalogues lack or have wrong, messages in pieces, text in none, fixed languages."""

from __future__ import annotations

import re

from untor.check.site import inside
from untor.diagnostics.problem import Problem, suggestion
from untor.extraction.status import distinct, status_of
from untor.extraction.templates import every_expression, messages_in
from untor.language import tree
from untor.messages.calls import is_say

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.check.site import Site
    from untor.extraction.status import CatalogueStatus
    from untor.extraction.templates import FoundMessage
    from untor.language.parser import ParsedTemplate

_WORD = re.compile(r"[^\W\d_]{2,}")


def find(site: Site) -> Iterator[Problem]:
    """Yield what is wrong with the messages of all templates, and with their translations."""
    found: list[FoundMessage] = []
    for reading in site.readings.values():
        if not reading.torn:
            found += messages_in(reading)
            yield from _joined(reading)
    for catalogue in site.compiler.settings.translator.every.values():
        yield from _of_catalogue(status_of(catalogue, found), found)


def _of_catalogue(status: CatalogueStatus, found: list[FoundMessage]) -> Iterator[Problem]:
    yield from status.unreadable
    if status.unreadable:
        return
    yield from status.wrong
    known = [text for _, text in distinct(found)]
    for each in status.missing:
        message = each.message
        words = {"locale": status.code, "text": message.text}
        yield Problem("message-missing", message.source, message.start, message.end, **words)
    for entry in status.fuzzy.values():
        yield entry.catalogue.problem("message-fuzzy", entry)
    for (_, text), entry in status.unused.items():
        yield entry.catalogue.problem("message-unused", entry, near=suggestion(text, known))


# --- messages in pieces ----------------------------------------------------------------------------------------------


def _joined(reading: ParsedTemplate) -> Iterator[Problem]:
    """Look for sentences that are made of several messages."""
    source = reading.source
    for expression in every_expression(reading):
        if isinstance(expression, tree.Binary) and expression.operator == "+":
            calls = [each for each in (expression.left, expression.right) if _is_message(each)]
            if calls:
                yield Problem("message-joined", source, calls[0].start, calls[0].end)
    todo: list[list[tree.Node]] = [reading.body, *(part.body for part in reading.parts.values())]
    while todo:
        nodes = todo.pop()
        last: tree.Say | None = None
        for node in nodes:
            if isinstance(node, tree.Say):
                if last is not None:
                    yield Problem("message-joined", source, node.start, node.end)
                last = node
            elif not isinstance(node, tree.Print) and not (isinstance(node, tree.Text) and _is_inline(node.text)):
                last = None
            if children := inside(node):
                todo.append(children)


def _is_inline(text: str) -> bool:
    """Return whether text between two messages keeps them in one sentence: no tag, no sentence's end, no separator."""
    return not re.search(r"[<.!?:;|/•·\N{EN DASH}\N{EM DASH}\n]", text)


def _is_message(node: tree.Expression) -> bool:
    return isinstance(node, tree.Call) and is_say(node)


# --- text in no message ----------------------------------------------------------------------------------------------


def words_of(text: str) -> str:
    """Return the words of a text that people read, with one blank between them; empty for a text without any."""
    return " ".join(text.split()) if _WORD.search(text) else ""
