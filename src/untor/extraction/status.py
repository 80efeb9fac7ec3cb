"""What catalogues have and lack, for each locale."""

from __future__ import annotations

from typing import NamedTuple

from untor.messages.translation import Unfit, nodes_of_form
from untor.messages.translator import call_problem, forms_trouble

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    from untor.diagnostics.problem import Problem
    from untor.extraction.templates import FoundMessage
    from untor.messages.catalogue import Catalogue, Key, Translation


class CatalogueStatus(NamedTuple):
    """The translations of one locale: the messages that are translated, and those that are not, or wrongly.

    ``missing`` are messages; ``fuzzy`` and ``unused`` translations by key; ``wrong`` problems at their lines;
    ``unreadable`` what is wrong with the files.
    """

    code: str
    translated: list[FoundMessage]
    missing: list[FoundMessage]
    fuzzy: dict[Key, Translation]
    unused: dict[Key, Translation]
    wrong: list[Problem]
    unreadable: list[Problem]

    @property
    def is_complete(self) -> bool:
        """Whether every message is printed in this language."""
        return not (self.missing or self.fuzzy or self.wrong or self.unreadable)


def distinct(messages: Iterable[FoundMessage]) -> dict[Key, FoundMessage]:
    """Return messages by what identifies them, each at its first place."""
    found: dict[Key, FoundMessage] = {}
    for each in messages:
        found.setdefault((each.message.about, each.message.text), each)
    return found


def status_of(catalogue: Catalogue, messages: Iterable[FoundMessage]) -> CatalogueStatus:
    """Compare a catalogue with the messages of a site."""
    every = [*messages]
    keys = distinct(every)
    entries = catalogue.read()
    status = CatalogueStatus(catalogue.code, [], [], {}, {}, [], [*catalogue.trouble])
    for key, found in keys.items():
        entry = entries.get(key)
        if entry is None or not any(entry.strings):
            status.missing.append(found)
        elif entry.fuzzy:
            status.fuzzy[key] = entry
    told: set[Key] = set()
    for each in every:
        key = each.message.about, each.message.text
        entry = entries.get(key)
        if entry is None or entry.fuzzy or not any(entry.strings) or key in told:
            continue
        problem = problem_of(each, entry)
        if problem is not None:
            told.add(key)
            place = f"the message in {each.message.source.name}"
            status.wrong.append(problem.beside((place, each.message.source, each.message.start, each.message.end)))
        elif keys[key] is each:
            status.translated.append(each)
    unused = {key: entry for key, entry in entries.items() if key not in keys and not entry.elsewhere}
    status.unused.update(unused)
    return status


def problem_of(found: FoundMessage, entry: Translation) -> Problem | None:
    """Return what keeps a translation from being printed for a message, as far as its words tell."""
    message = found.message
    several = len(message.forms) > 1
    if all(isinstance(piece, str) for form in message.forms for piece in form.pieces) and message.values:
        return call_problem(entry, [form.text for form in message.forms], {*message.values}, several=several)
    if not all(entry.strings):
        return entry.catalogue.problem("message-plural", entry, trouble="lacks some of its forms")
    if trouble := forms_trouble(entry, several=several):
        return entry.catalogue.problem("message-plural", entry, trouble=trouble)
    try:
        for text in entry.strings:
            nodes_of_form(text, message)
    except Unfit as wrong:
        return entry.catalogue.problem(wrong.code, entry, **wrong.words)
    return None
