"""The first page: something nasty printed in ten contexts, by Untor and by ``html.escape`` alone."""

from __future__ import annotations

import logging
import re
from contextlib import contextmanager
from html import escape
from html.parser import HTMLParser
from threading import get_ident
from typing import TypedDict

from untor.demo.harbour import shipped
from untor.errors import UntorError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from untor.engine.engine import Engine

FIRST = "x onfocus=alert(1) ');alert(1);('</textarea><script>alert(1)</script>"
"""What is in the field when nobody has typed anything yet."""

EXAMPLES = (FIRST, "javascript:alert(1)", "alert(1)", "red; background: url(//ellery.example)", "Sea Holly & Sons")
"""What can be tried with one click."""

LONGEST = 500
"""How many characters are tried."""

REFUSED = "<p>The vessel {= value =} is here.</p>\n<{= value =}>Sea Holly</{= value =}>"
"""A template that no escaping can make safe."""

_MARK = "{= value =}"
_HARMLESS = "harmless"
_ESCAPED = re.compile(
    r"(&(?:#\w+|\w+);|\\u[0-9a-fA-F]{4}|\\[0-9a-fA-F]{1,6} ?|%[0-9A-F]{2}|about:invalid|untor-blocked\(\))"
)


class Piece(TypedDict):
    """A piece of emitted source; ``escaped`` marks escaped characters, and what a value was replaced by."""

    text: str
    escaped: bool


class Trial(TypedDict):
    """A context, its template, what Untor makes of the value, and whether the structure is as with a harmless one."""

    number: int
    name: str
    source: str
    emitted: list[Piece]
    same: bool
    naive_same: bool


class Trials:
    """The ten contexts, compiled once for an engine."""

    def __init__(self, engine: Engine) -> None:
        shown: list[Mapping[str, str]] = shipped("trials")
        self._names = [each["name"] for each in shown]
        self._sources = [each["source"] for each in shown]
        self._pieces = [engine.compile(source, "trial.html") for source in self._sources]
        layout = '<! layout "trial" !>\n'
        self._frames = [engine.compile(layout + source, "trial-page.html") for source in self._sources]
        self._frame = engine.compiler.loader.read("trial").text
        try:
            engine.compile(REFUSED, "refused.html")
        except UntorError as error:
            self.refusal = str(error)

    def tried(self, value: str) -> tuple[list[Trial], int]:
        """Return what each context makes of a value, and in how many it was blocked."""
        value = value[:LONGEST]
        trials: list[Trial] = []
        with _counted() as blocked:
            for number, template in enumerate(self._pieces):
                emitted = template.render(value=value)
                trials.append(
                    {
                        "number": number,
                        "name": self._names[number],
                        "source": self._sources[number],
                        "emitted": [*_marked(emitted)],
                        "same": _structure(emitted) == _structure(template.render(value=_HARMLESS)),
                        "naive_same": _structure(self._naive(number, value))
                        == _structure(self._naive(number, _HARMLESS)),
                    }
                )
        return trials, len(blocked)

    def framed(self, number: int, value: str, *, by_untor: bool) -> str | None:
        """Return the page of a frame, which shows a value in a context; ``None`` for a context that there is not."""
        if number >= len(self._frames):
            return None
        if by_untor:
            with _counted():
                return self._frames[number].render(value=value[:LONGEST])
        return self._frame.replace("<! slot !>", self._naive(number, value[:LONGEST]))

    def _naive(self, number: int, value: str) -> str:
        """Return what ``html.escape`` alone makes of it."""
        return self._sources[number].replace(_MARK, escape(value))


def _marked(emitted: str) -> Iterator[Piece]:
    for number, text in enumerate(_ESCAPED.split(emitted)):
        if text:
            yield {"text": text, "escaped": number % 2 == 1}


class _Shape(HTMLParser):
    """Notes the elements of a page and the names of their attributes."""

    def __init__(self) -> None:
        super().__init__()
        self.shape: list[object] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.shape.append((tag, [name for name, _ in attrs]))

    def handle_endtag(self, tag: str) -> None:
        self.shape.append(tag)


def _structure(page: str) -> list[object]:
    looked = _Shape()
    looked.feed(page)
    looked.close()
    return looked.shape


class _Counting(logging.Filter):
    """Counts what this thread's rendering blocks, and keeps it out of the log: it is what is tried here."""

    def __init__(self) -> None:
        super().__init__()
        self.blocked: list[str] = []
        self._thread = get_ident()

    def filter(self, record: logging.LogRecord) -> bool:
        if record.thread != self._thread:
            return True
        self.blocked.append(record.getMessage())
        return False


@contextmanager
def _counted() -> Iterator[list[str]]:
    counting = _Counting()
    logger = logging.getLogger("untor.blocked")
    logger.addFilter(counting)
    try:
        yield counting.blocked
    finally:
        logger.removeFilter(counting)
