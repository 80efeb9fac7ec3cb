"""The template catalogue (``.pot``) of a site, and the extraction method for Babel's own command."""

from __future__ import annotations

import io

from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po, write_po

from untor.analysis.analyser import reading_of
from untor.diagnostics.source import Source
from untor.errors import error_of
from untor.extraction.templates import messages_in
from untor.loading.version import VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator
    from typing import Any

    from untor.extraction.templates import FoundMessage
    from untor.language.parser import ParsedTemplate

_KEYWORDS = {
    (False, False): "gettext",
    (False, True): "ngettext",
    (True, False): "pgettext",
    (True, True): "npgettext",
}
"""Babel's names of the kinds of messages: with a context, with a plural."""


def extract(
    fileobj: Any,
    keywords: object,  # noqa: ARG001  the shape of Babel's extraction methods
    comment_tags: object,  # noqa: ARG001
    options: dict[str, str],
) -> Iterator[tuple[int, str, str | tuple[str, ...], list[str]]]:
    """Yield the messages of a template for Babel: line, kind, texts, remarks.

    The extraction method ``untor`` of ``pybabel extract``; the option ``encoding`` is UTF-8 by default. Raises
    ``MarkError`` for a template with a mark that cannot be read.
    """
    text = fileobj.read().decode(options.get("encoding", "utf-8"))
    name = str(getattr(fileobj, "name", "template.html")).replace("\\", "/").rpartition("/")[2]
    reading = reading_of(Source(name, text))
    if reading.problems:
        # Of a mark that cannot be read, a message would lack the value.
        raise error_of(reading.problems[0])
    for found in messages_in(reading):
        message = found.message
        texts = [message.text, *([message.plural] if message.plural is not None else [])]
        kind = _KEYWORDS[bool(message.about), message.plural is not None]
        arguments = ([message.about] if message.about else []) + texts
        yield found.line, kind, arguments[0] if len(arguments) == 1 else tuple(arguments), found.remarks


def template_catalogue(readings: Iterable[tuple[str, ParsedTemplate]], project: str) -> bytes:
    """Return a ``.pot`` file with the messages of templates, which come with the paths that translators see."""
    catalog = Catalog(project=project, version=VERSION, charset="utf-8")
    for path, reading in readings:
        for found in messages_in(reading):
            _add(catalog, path, found)
    written = io.BytesIO()
    write_po(written, catalog, width=100, sort_by_file=True)
    return written.getvalue()


def _add(catalog: Catalog, path: str, found: FoundMessage) -> None:
    message = found.message
    ids = message.text if message.plural is None else (message.text, message.plural)
    catalog.add(ids, locations=[(path, found.line)], auto_comments=found.remarks, context=message.about or None)


def says_the_same(one: bytes, other: bytes) -> bool:
    """Return whether two template catalogues differ in their dates alone."""
    shown = []
    for octets in (one, other):
        try:
            catalog = read_po(io.BytesIO(octets), abort_invalid=True)
        except (ValueError, LookupError):
            return False
        shown.append([(m.context, m.id, m.locations, m.auto_comments) for m in catalog if m.id])
    return shown[0] == shown[1]
