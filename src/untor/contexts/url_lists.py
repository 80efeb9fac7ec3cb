"""URLs inside something else, value by value: in CSS, in lists of images, in ``ping``, in a refresh of the page.

Where a whole attribute is a URL, the decision is made on the whole at run time (``untor.analysis.url_walker``); here
each value must be safe alone, so less is possible.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.contexts.embedded_language import EmbeddedLanguage, run
from untor.contexts.placement import Place, Refusal, refused, unreadable
from untor.contexts.url_states import UrlState
from untor.escape.dot_segments import could_become_dots
from untor.escape.url import SCHEMES

if TYPE_CHECKING:
    from collections.abc import Callable

_DELIMITER = re.compile(r"[/?#\\]")
_IGNORED = re.compile("[\t\n\r]+")
_SEPARATOR = re.compile(r"[/\\]")
_END_OF_PATH = re.compile("[?#]")
_SPACE = re.compile("[ \t\n\f\r]+")
_NOT_SPACE = re.compile("[^ \t\n\f\r]+")
_COMMAS = re.compile("[ \t\n\f\r,]+")
_REFRESH = re.compile("_*[0-9.]*_*[;,]?_*(?:url_*=_*)?[\"']?".replace("_", r"[ \t\n\r\f]"), re.IGNORECASE | re.ASCII)

_REMEDY = "Pass the whole URL as one value: {= url =}."


class LocalUrl(EmbeddedLanguage):
    """The state of a URL in which each value is made safe alone; ``kind`` is the escaper of a whole one."""

    def __init__(self, kind: str) -> None:
        self.kind = kind
        self.url = UrlState()
        self.first = False
        """Whether a value is part of what is before the first delimiter, where a colon would make a scheme of it."""
        self.segment = ""
        """The fixed text of the path segment so far."""
        self.filled = False
        """Whether a value is part of that segment."""

    def _eat(self, text: str) -> None:
        if not text:
            return
        if self.url.state == "unknown" and (text[0] not in "?#/" or self.kind == "resource-url"):
            raise unreadable("right before this in a URL", "together they could be another scheme or host", _REMEDY)
        delimiter = _DELIMITER.search(text)
        if self.first and ":" in text[: delimiter.start() if delimiter else len(text)]:
            raise unreadable("before this colon in a URL", "it would be a part of the scheme", _REMEDY)
        self.first = self.first and delimiter is None
        if self.url.state not in {"query", "fragment"}:
            self._read_segments(_IGNORED.sub("", text))
        self.url = self.url.read(text, SCHEMES)

    def _read_segments(self, text: str) -> None:
        """Follow the path segments: one with a value in it may not be ``.`` or ``..`` without it."""
        first, *others = _SEPARATOR.split(_END_OF_PATH.split(text, maxsplit=1)[0])
        self.segment += first
        if self.filled and self.segment and could_become_dots(self.segment):
            raise unreadable("right before this in a URL", "an empty value would make .. of it", "Write it out.")
        if others:
            self.segment, self.filled = others[-1], False

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        state = self.url.state
        if self.url.percent:
            return Refusal("place-percent", {"text": self.url.percent})
        if state in {"path", "scheme"} and self.segment and could_become_dots(self.segment):
            return refused("right after a dot in a URL", "together they could be ..", "Write the segment out.")
        if state == "scheme start":
            context = "resource-url" if self.kind == "resource-url" else "url"
            return Place("value", context, ("URL",), (f"encoded-{self.kind}",))
        if state in {"query", "fragment"}:
            return Place("value", f"url-{state}", (f"URL {state}",), ("percent",))
        if state in {"scheme", "path"}:
            return Place("value", "url-path", ("URL path",), ("url-segment",))
        if state == "relative slash":
            return Place("value", "url-path", ("URL path",), ("url-first-segment",))
        if state == "picture data" and self.kind == "image-url":
            return Place("value", "url-data", ("URL", "picture data"), ("percent-data",))
        if state in {"data", "picture data", "blocked scheme"}:
            scheme = self.url.scheme.partition(":")[0]
            reason = "of such a URL only the data of a picture may be a value"
            return refused(f'after "{scheme}:" in a URL', reason, "Write it out: data:image/png;base64,{= … =}.")
        reason = "the URL is judged value by value there, and this one could be its scheme or host"
        return refused("in this part of a URL", reason, _REMEDY)

    def is_mixed(self) -> bool:
        """Tell a URL that may be in one part or another."""
        return self.url.state == "mixed"

    def is_bare(self) -> bool:
        """Tell a URL without a delimiter so far."""
        return self.url.state == "scheme"

    def took_value(self) -> LocalUrl:
        """Return the state after a value."""
        other = self.copy()
        other.first = self.first or self.url.state == "scheme"
        other.filled = self.url.state not in {"scheme start", "query", "fragment"}
        other.url = other.url.took_value()
        return other

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
        """Join two states: where one may still be at its start, nothing can follow but its end."""
        if not isinstance(other, LocalUrl) or self.kind != other.kind:
            return None
        first, second = self.url.state, other.url.state
        result = self.copy()
        result.first = self.first or other.first
        result.filled = self.filled or other.filled
        dotted = next((each for each in (self.segment, other.segment) if each and could_become_dots(each)), "a")
        result.segment = self.segment if self.segment == other.segment else dotted
        if first == second and self.url.percent == other.url.percent:
            result.url = self.url
            return result
        joined = self.url.joined(other.url)
        result.url = joined if joined and {first, second} <= {"path", "query", "fragment"} else UrlState("mixed")
        return result


class UrlList(EmbeddedLanguage):
    """URLs between white space, as in ``ping``; or, with ``descriptors``, a srcset (HTML §4.8.4.2.1).

    ``state`` is ``start`` (of a candidate), ``url`` or ``descriptor``.
    """

    def __init__(self, kind: str, *, descriptors: bool) -> None:
        self.state = "start"
        self.descriptors = descriptors
        self.url = LocalUrl(kind)
        self.word = ""
        self.digits = False

    def _eat(self, text: str) -> None:
        run(_LIST_STATES, self, text)  # type: ignore[arg-type]

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        words = "srcset" if self.descriptors else "list of URLs"
        if self.state == "descriptor":
            if self.word:
                reason = "together they would be another number"
                return refused("right after the descriptor in a srcset", reason, "Print the whole number: {= w =}w.")
            return Place("value", "srcset", (words, "descriptor"), ("descriptor",))
        if self.descriptors and self.url.url.state in {"data", "picture data"}:
            reason = "if it is empty, the comma before it ends the URL"
            return refused("in a data: URL of a srcset", reason, "Put it into the attribute src.")
        place = self.url.place()
        if isinstance(place, Refusal):
            return place
        context = "srcset" if self.descriptors else place.context
        escaper = place.escapers[0].replace("encoded-", "listed-")
        return Place("value", context, (words, *place.path), (escaper,))

    def took_value(self) -> UrlList:
        """Return the state after a value."""
        other = self.copy()
        if other.state == "descriptor":
            other.word = "0"
        else:
            other.state, other.url = "url", other.url.took_value()
        return other

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
        """Join two states."""
        if self == other or not isinstance(other, UrlList):
            return self if self == other else None
        if (self.descriptors, self.url.kind) != (other.descriptors, other.url.kind):
            return None
        result = self.copy()
        if {self.state, other.state} == {"url"}:
            joined = self.url.joined(other.url)
            assert isinstance(joined, LocalUrl)  # noqa: S101  of the same kind
            result.url = joined
            return result
        return None


def _start(urls: UrlList, text: str, position: int) -> int:
    """Go over white space and, in a srcset, commas before a URL."""
    match = (_COMMAS if urls.descriptors else _SPACE).match(text, position)
    urls.url, urls.word = LocalUrl(urls.url.kind), ""
    if match:
        return match.end()
    urls.state = "url"
    return position


def _url(urls: UrlList, text: str, position: int) -> int:
    """Go over a URL up to white space; commas at its end end the candidate."""
    match = _NOT_SPACE.match(text, position)
    if match:
        urls.url = urls.url.read(match[0].rstrip(",") if urls.descriptors else match[0])
        urls.word = match[0][-1]
        return match.end()
    urls.state = "descriptor" if urls.descriptors and urls.word != "," else "start"
    urls.word = ""
    return position


def _descriptor(urls: UrlList, text: str, position: int) -> int:
    """Go over descriptors up to the comma that ends them; commas in brackets do not."""
    char = text[position]
    if char == "(":
        raise unreadable("in a srcset with brackets in it", "browsers know no such descriptor", "Take them away.")
    urls.word = "" if char in " \t\n\f\r" else char
    if char == ",":
        urls.state, urls.url, urls.word = "start", LocalUrl(urls.url.kind), ""
    return position + 1


_LIST_STATES: dict[str, Callable[[UrlList, str, int], int]] = {"start": _start, "url": _url, "descriptor": _descriptor}


class Refresh(EmbeddedLanguage):
    """The instruction of ``<meta http-equiv=refresh>`` (HTML §4.2.5.3 "refresh"): seconds, then a URL."""

    def __init__(self) -> None:
        self.text = ""
        self.url: LocalUrl | None = None

    def _eat(self, text: str) -> None:
        if self.url is not None:
            self.url = self.url.read(text)
            return
        self.text += text
        match = _REFRESH.match(self.text)
        rest = self.text[match.end() :] if match else ""
        if rest or (match and "=" in match[0]):
            self.url = LocalUrl("url").read(rest)

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        if self.url is None and not self.text.strip(" \t\n\r\f"):
            return Place("value", "attribute", ("reload", "seconds"), ("seconds",))
        if self.url is None:
            reason = "the URL must come after fixed text"
            return refused("here in an instruction to reload", reason, 'Write content="5; url={= url =}".')
        place = self.url.place()
        return place if isinstance(place, Refusal) else place._replace(path=("reload", *place.path))

    def took_value(self) -> Refresh:
        """Return the state after a value."""
        other = self.copy()
        other.text = other.text if other.text.strip(" \t\n\r\f") else "0"
        other.url = other.url and other.url.took_value()
        return other

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
        """Join two states in which the URL has begun."""
        if self == other or not isinstance(other, Refresh) or self.url is None or other.url is None:
            return self if self == other else None
        result = self.copy()
        joined = self.url.joined(other.url)
        assert isinstance(joined, LocalUrl)  # noqa: S101  of the same kind
        result.url = joined
        return result
