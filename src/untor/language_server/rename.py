"""New names for names, parts and slots, in all templates that write them, if the pages stay the same."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.analysis.analyser import reading_of
from untor.diagnostics.source import Source
from untor.extraction.templates import messages_in
from untor.language.tokens import KEYWORDS
from untor.language_server.names import NameIndex
from untor.language_server.navigation import Symbol, calls_of, places, symbol_at

if TYPE_CHECKING:
    from untor.language.parser import ParsedTemplate
    from untor.language_server.navigation import Place
    from untor.language_server.workspace import Document

_NAME = re.compile(r"[^\W\d]\w*")


class CannotRename(Exception):  # noqa: N818  an answer for the editor
    """Says why something keeps its name."""


def renamable(document: Document, offset: int) -> Place:
    """Return the name at an offset that can be renamed. Raises ``CannotRename``."""
    symbol = _symbol(document, offset)
    for place in places(symbol):
        if place.document.name == document.name and place.start <= offset <= place.end:
            return place
    raise CannotRename("There is nothing here that can be renamed.")


def _symbol(document: Document, offset: int) -> Symbol:
    symbol = symbol_at(document, offset)
    if symbol is None:
        raise CannotRename("There is nothing here that can be renamed.")
    if symbol.kind == "template":
        raise CannotRename("Rename the file, and then its name in the steps that use it.")
    owner, binding = symbol.owner, symbol.binding
    if binding is None:
        return symbol
    is_of_page = binding.kind == "context" or (
        owner.reading.takes is not None and binding.owner in owner.reading.takes.parameters
    )
    if binding.kind == "context" and symbol.name in owner.site.settings.everywhere:
        raise CannotRename(f'"{symbol.name}" is a global of the engine: rename it in Python.')
    if is_of_page and next(calls_of(owner, ""), None) is None:
        raise CannotRename(f'"{symbol.name}" is passed by the view: rename it there.')
    return symbol


def renamed(document: Document, offset: int, name: str) -> dict[Document, list[tuple[int, int, str]]]:
    """Return the edits that give something a new name, by template. Raises ``CannotRename``."""
    symbol = _symbol(document, offset)
    if not _NAME.fullmatch(name) or name in KEYWORDS or name.startswith("_"):
        raise CannotRename(f'"{name}" is not a name: names have letters, digits and _, and do not begin with _.')
    found: dict[str, tuple[Document, dict[int, tuple[int, int, str]]]] = {}
    for place in places(symbol):
        _, edits = found.setdefault(place.document.name, (place.document, {}))
        before = edits.get(place.start)
        # The argument call=call, written "call", of a part that hands it on to itself is renamed on both sides.
        instead = name if before and before[2] != place.instead.format(name) else place.instead.format(name)
        edits[place.start] = (place.start, place.end, instead)
    changes = {owner: sorted(edits.values()) for owner, edits in found.values()}
    for owner, ordered in changes.items():
        _check(owner, ordered, name)
    return changes


def applied(text: str, edits: list[tuple[int, int, str]]) -> str:
    """Return a text after edits, which are in order."""
    pieces, at = [], 0
    for start, end, new in edits:
        pieces += [text[at:start], new]
        at = end
    return "".join([*pieces, text[at:]])


def _check(owner: Document, edits: list[tuple[int, int, str]], new: str) -> None:
    """Require that every name means the same afterwards: that none is hidden by the new one."""
    before = owner.reading
    after = reading_of(Source(owner.name, applied(owner.source.text, edits)))
    if len(after.problems) != len(before.problems) or _meanings(after) != _meanings(before):
        raise CannotRename(f'"{new}" already means something else in {owner.name}.')
    if owner.site.settings.translator.every and _messages(after) != _messages(before):
        raise CannotRename(f"A message in {owner.name} has this name in it, and so have its translations.")


def _messages(reading: ParsedTemplate) -> list[str]:
    return [found.message.text for found in messages_in(reading)]


def _meanings(reading: ParsedTemplate) -> list[tuple[str, int]]:
    """Return which binding each name is read of, in the order of the text: what they are called is not in it."""
    bindings = NameIndex(reading).bindings
    reads = [(read.start, each.kind, number) for number, each in enumerate(bindings) for read in each.reads]
    return [(kind, number) for _, kind, number in sorted(reads)]
