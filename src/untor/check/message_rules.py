"""Rules about messages: what catalogues lack or have wrong, messages in pieces, text in none, fixed languages."""

from __future__ import annotations

import re

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

_MOST_SUGGESTIONS = 20
"""For how many unused translations a message like theirs is looked for, which takes time."""


def find(site: Site) -> Iterator[Problem]:
    """Yield what is wrong with the messages of all templates, and with their translations."""
    for reading in site.readings.values():
        yield from of_template(reading)
    yield from of_catalogues(site)


def of_template(reading: ParsedTemplate) -> Iterator[Problem]:
    """Yield what is wrong with the messages of a template."""
    if not reading.torn:
        yield from _joined(reading)


def of_catalogues(site: Site) -> Iterator[Problem]:
    """Yield what is wrong with the translations of a site's messages."""
    catalogues = site.compiler.settings.translator.every
    if catalogues:
        found = [message for each in site.readings.values() if not each.torn for message in messages_in(each)]
        for catalogue in catalogues.values():
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
    for number, ((_, text), entry) in enumerate(status.unused.items()):
        near = suggestion(text, known) if number < _MOST_SUGGESTIONS else ""
        yield entry.catalogue.problem("message-unused", entry, near=near)


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
            todo += _blocks(node)


def _blocks(node: tree.Node) -> list[list[tree.Node]]:
    """Return the contents of a step, each of which is printed without the others."""
    match node:
        case tree.If():
            return [branch.body for branch in node.branches]
        case tree.For():
            return [node.body, node.between or [], node.empty or []]
        case tree.Say():
            return []
    return [tree.inside(node)]


def _is_inline(text: str) -> bool:
    """Return whether text between two messages keeps them in one sentence: no tag, no sentence's end, no separator."""
    return not re.search("[<>\"'.!?:;|/•·\N{EN DASH}\N{EM DASH}\n]", text)


def _is_message(node: tree.Expression) -> bool:
    return isinstance(node, tree.Call) and is_say(node)
