"""A page as an HTTP response: its bytes and headers, as an ASGI app, as a WSGI app, or by hand."""

from __future__ import annotations

import re
from functools import lru_cache

from untor.runtime.parameter_checks import NONCE
from untor.types.parameter_types import is_mapping
from untor.web.streams import send_stream

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import (
        AsyncGenerator,
        Awaitable,
        Callable,
        Coroutine,
        Generator,
        Iterable,
        Iterator,
        Mapping,
        MutableMapping,
        Sequence,
    )
    from typing import Any, Protocol

    from untor.web.csp import Policy

    Scope = MutableMapping[str, Any]
    Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
    Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
    Headers = Mapping[str, str | Sequence[str]] | Iterable[tuple[str, str]]
    """Headers to add: a mapping, whose values may be lists, or pairs, where a name may come several times."""

    class Renderable(Protocol):
        """A compiled template, as far as a page needs one."""

        name: str
        render: Callable[..., str]
        stream: Callable[..., Generator[str]]
        render_async: Callable[..., Coroutine[Any, Any, str]]
        stream_async: Callable[..., AsyncGenerator[str]]

        @property
        def hashes(self) -> dict[str, list[str]]:
            """The hashes of its own scripts and styles."""


TYPES = {
    ".txt": "text/plain; charset=utf-8",
    ".xml": "application/xml; charset=utf-8",
    ".svg": "image/svg+xml; charset=utf-8",
}
"""The content types of the kinds of output; all others are HTML."""

CACHED = "private, no-cache"
"""The default Cache-Control of a page: stored by the visitor's browser, revalidated each time."""

_WORD = "[A-Za-z0-9!#$%&'*+.^_`|~-]+"
_HEADER_NAME = re.compile(_WORD)
_HEADER_VALUE = re.compile("[\t\x20-\x7e\x80-\xff]*")
_DIRECTIVE = re.compile(rf"""[ \t]*(?:({_WORD})(=(?:{_WORD}|"(?:[^"\\]|\\.)*"))?[ \t]*)?(?:,|\Z)""")
"""RFC 9111 §5.2, RFC 9110 §5.6.1, §5.6.4: a member of the list, which may be empty."""
_CACHE_HEADER = re.compile(
    r"(?:.+-)?cache-control|surrogate-control|edge-control|x-accel-expires", re.IGNORECASE | re.ASCII
)
"""Headers that shared caches obey (RFC 9111 §5.2, RFC 9213, and those of widely used caches)."""
_PRIVATE = "private"
_OF_ANSWER = frozenset({"ETag", "Content-Length"})
"""Headers that depend on the body."""
_SENT: dict[str, object] = {}
"""In place of the context of a page that is being sent."""
_OK = 200
_NOT_MODIFIED = 304
_EMPTY = frozenset({204, _NOT_MODIFIED})


class Page:
    """One answer to one request; made by ``Engine.page`` and ``Template.page``.

    It is an ASGI app and a WSGI app, so that a view returns it or calls it: ``await page(scope, receive, send)`` and
    ``page(environ, start_response)``. For any other framework, ``answer`` returns status, headers and body; it also has
    ``status``, ``headers`` and ``body``, and yields its bytes in chunks, with ``for`` or ``async for``.

    It is rendered by the call that makes it; with ``stream`` it is rendered while it is sent, and an error after the
    first chunk breaks the connection off, so that no browser takes it for a whole page. An answer that is not streamed
    has an ETag, and becomes an empty 304 if the browser has the page already (RFC 9110 §13.1.2).
    """

    __module__ = "untor"

    def __init__(
        self,
        template: Renderable,
        context: Mapping[str, object] | None,
        policy: Policy | None,
        *,
        status: int = 200,
        headers: Headers | None = None,
        cache: str = CACHED,
        stream: bool = False,
        language: str = "",
        varies: bool = False,
    ) -> None:
        """Make an answer; ``language`` is that of the page, if known, ``varies`` whether requests decide on it."""
        self.template = template
        self.status = status
        self.policy = policy
        self.stream = stream
        self.nonce = ""
        """The nonce of this answer; empty without a policy that has one."""
        # RFC 9110 §15; those below 200 are not answers yet.
        if isinstance(status, bool) or not isinstance(status, int) or not 200 <= status <= 599:  # noqa: PLR2004
            raise ValueError(f"status must be an integer from 200 to 599, not {status!r}")
        hashes: dict[str, list[str]] | None = None
        if policy is not None and policy.hashes:
            hashes = template.hashes
        elif policy is not None:
            from secrets import token_urlsafe  # noqa: PLC0415  only with a policy

            self.nonce = token_urlsafe(18)
        if self.nonce and (context is None or is_mapping(context)):
            context = {**(context or {}), NONCE: f' nonce="{self.nonce}"'}  # type: ignore[dict-item]
        self._context = context
        self._body: bytes | None = None
        self._begun = False
        ending = template.name.partition("#")[0].rpartition(".")[2]
        self._headers = {
            "Content-Type": TYPES.get(f".{ending}", "text/html; charset=utf-8"),
            "X-Content-Type-Options": "nosniff",
            "Cache-Control": cache,
        }
        if language:
            self._headers["Content-Language"] = language
        if varies:
            self._headers["Vary"] = "Accept-Language"
        if policy is not None:
            self._headers[policy.header] = policy.value(self.nonce, hashes)
        self._repeated: list[tuple[str, str]] = []
        """Headers of names that come several times, and cookies."""
        given: set[str] = set()
        for name, value in _pairs(headers):
            _check_header(name, value, is_new=bool(self.nonce))
            known = next((each for each in (*self._headers, "ETag") if each.lower() == name.lower()), name)
            if known.lower() == "set-cookie" or known in given:
                self._repeated.append((known, value))
            else:
                self._headers[known] = value
            given.add(known)
        if self.nonce:
            _check_caches([*self._headers.items(), *self._repeated])
        for name, value in self._headers.items():
            _check_header(name, value, is_new=bool(self.nonce))

    # --- by hand ---------------------------------------------------------------------------------------------------

    @property
    def body(self) -> bytes:
        """The page, in UTF-8."""
        if self._body is None:
            self._body = b"".join(map(_octets, self.template.stream(self._context)))
        return self._body

    @property
    def headers(self) -> dict[str, str]:
        """The headers of the answer by name, with the first value of each; cookies are in ``answer`` alone.

        The ETag, which depends on the body, is there if the page is not streamed.
        """
        headers = dict(self._headers)
        # With a validator, a cache that may keep a page but not use it would send its nonce again.
        validates = not self.nonce or _directives(headers["Cache-Control"]).get(_PRIVATE) == ""
        if not self.stream and self.status == _OK and "ETag" not in headers and validates:
            headers["ETag"] = self._etag()
        return headers

    @property
    def pairs(self) -> list[tuple[str, str]]:
        """The headers of the whole answer, as pairs: names may come several times."""
        return self._answer("GET", "")[1]

    def answer(self, method: str = "GET", if_none_match: str = "") -> tuple[int, list[tuple[str, str]], bytes]:
        """Return the status, the headers and the body of the answer to a request, for any framework.

        ``method`` is that of the request, ``if_none_match`` its header of that name: if the browser has the page
        already, the status is 304 and the body is empty.
        """
        body = self.body
        status, headers, empty = self._answer(method, if_none_match)
        return status, headers, b"" if empty else body

    def rendered(self) -> Page:
        """Render the page if it is not streamed, and return it."""
        if not self.stream:
            self._body = _octets(self.template.render(self._context))
        return self

    async def rendered_async(self) -> Page:
        """Render the page, awaiting values that are awaitable, and return it."""
        if not self.stream:
            self._body = _octets(await self.template.render_async(self._context))
        return self

    def __iter__(self) -> Generator[bytes]:
        if self._body is not None:
            yield self._body
            return
        context = self._taken()
        chunks = self.template.stream(context)
        try:
            for chunk in chunks:
                if chunk:
                    yield _octets(chunk)
            self._context = context
        finally:
            del context
            chunks.close()

    async def __aiter__(self) -> AsyncGenerator[bytes]:
        if self._body is not None:
            yield self._body
            return
        context = self._taken()
        chunks = self.template.stream_async(context)
        try:
            async for chunk in chunks:
                if chunk:
                    yield _octets(chunk)
            self._context = context
        finally:
            del context
            await chunks.aclose()

    def _taken(self) -> Mapping[str, object] | None:
        """Return the context and drop it, so that the iterators of a page that is not sent to its end are closed."""
        if self._context is _SENT:
            raise RuntimeError("this page has been sent in part: make a new one")
        context, self._context = self._context, _SENT
        return context

    def _etag(self) -> str:
        """Return what identifies this answer: body and headers but cookies, without the nonce, which always differs."""
        from hashlib import blake2b  # noqa: PLC0415  only for answers

        pairs = [*self._headers.items(), *self._repeated]
        shown = "\n".join(f"{name}: {value}" for name, value in pairs if name.lower() != "set-cookie")
        same = blake2b(self.body.replace(self.nonce.encode(), b"") if self.nonce else self.body, digest_size=16)
        same.update((shown.replace(self.nonce, "") if self.nonce else shown).encode("latin-1"))
        return f'"{same.hexdigest()}"'

    # --- as an app -------------------------------------------------------------------------------------------------

    def __call__(self, *arguments: Any) -> Any:
        """Answer a request, of ASGI (three arguments) or of WSGI (two)."""
        if self._begun and self.nonce:
            raise RuntimeError("this page has been sent, and its nonce is for one answer only: make a new one")
        self._begun = True
        if len(arguments) == 2:  # noqa: PLR2004  environ, start_response
            return self._wsgi(*arguments)
        return self._asgi(*arguments)

    async def _asgi(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request of ASGI 3.0."""
        if scope["type"] != "http":
            raise RuntimeError(f"a page answers requests of HTTP, not of {scope['type']}")
        etags = b",".join([value for name, value in scope["headers"] if name.lower() == b"if-none-match"])
        chunks = aiter(self) if self._body is None else None
        # What is sent is known to be possible before anything is.
        first = self.body if chunks is None else await anext(chunks, b"")
        status, headers, empty = self._answer(scope["method"], etags.decode("latin-1"))
        # What is another for each answer is not worth remembering.
        octets = [
            _octets_of(name, value) if name in _OF_ANSWER or self.nonce else _encoded(name, value)
            for name, value in headers
        ]
        await send({"type": "http.response.start", "status": status, "headers": octets})
        if chunks is None or empty:
            if chunks is not None:
                await chunks.aclose()
            await send({"type": "http.response.body", "body": b"" if empty else first})
        else:
            await send_stream(first, chunks, receive, send)

    def _wsgi(self, environ: Mapping[str, Any], start_response: Callable[..., object]) -> Iterable[bytes]:
        """Answer a request of WSGI (PEP 3333)."""
        from http import HTTPStatus  # noqa: PLC0415  only where it is requested

        chunks = iter(self)
        first = next(chunks, b"")
        status, headers, empty = self._answer(environ["REQUEST_METHOD"], environ.get("HTTP_IF_NONE_MATCH", ""))
        known = status in {each.value for each in HTTPStatus}
        start_response(f"{status} {HTTPStatus(status).phrase if known else 'Status'}", headers)
        if empty:
            chunks.close()
            return []
        return _after(first, chunks)

    def _answer(self, method: str, asked: str) -> tuple[int, list[tuple[str, str]], bool]:
        """Return status and headers, and whether the answer has no body."""
        headers = self.headers
        tags = {tag.strip().removeprefix("W/") for tag in asked.split(",")} if asked else set()
        is_same = bool(tags) and not tags.isdisjoint({headers.get("ETag"), "*"})
        if is_same and method in {"GET", "HEAD"} and self.status == _OK:
            # RFC 9110 §15.4.5. A policy with a nonce is left out: the stored page has its own, with that page's nonce.
            left_out = {"Content-Type", self.policy.header if self.policy is not None and self.nonce else ""}
            return _NOT_MODIFIED, self._all({name: headers[name] for name in headers if name not in left_out}), True
        if self.status in _EMPTY:
            return self.status, self._all({name: headers[name] for name in headers if name != "Content-Type"}), True
        if self._body is not None:
            headers["Content-Length"] = str(len(self._body))
        return self.status, self._all(headers), method == "HEAD"

    def _all(self, headers: dict[str, str]) -> list[tuple[str, str]]:
        return [*headers.items(), *self._repeated]

    def __repr__(self) -> str:
        return f"<Page {self.template.name} {self.status}>"


def _directives(value: str) -> dict[str, str]:
    """Return the directives of a Cache-Control with their arguments; none if it is not well-formed (RFC 9111 §5.2)."""
    directives: dict[str, str] = {}
    position = 0
    while position < len(value):
        found = _DIRECTIVE.match(value, position)
        if found is None:
            return {}
        if found[1]:
            directives[found[1].lower()] = found[2] or ""
        position = found.end()
    return directives


def _pairs(headers: Headers | None) -> Iterator[tuple[str, str]]:
    """Yield headers one by one. Raises ``ValueError`` for what is neither a mapping nor pairs."""
    given: Any = headers or ()
    for pair in given.items() if is_mapping(given) else given:
        if isinstance(pair, str) or len(pair) != 2:  # noqa: PLR2004  a name and a value
            raise ValueError(f"headers must be a mapping or pairs of a name and a value, not {pair!r}")
        name, values = pair
        for value in values if isinstance(values, list | tuple) else [values]:
            yield name, value


def _check_caches(headers: Iterable[tuple[str, str]]) -> None:
    """Check that no shared cache may keep a page that has a nonce. Raises ``ValueError``."""
    for name, value in headers:
        if not isinstance(value, str) or not _CACHE_HEADER.fullmatch(name):
            continue
        directives = _directives(value)
        shared = "public" in directives or "s-maxage" in directives
        if shared or "" not in {directives.get(each) for each in (_PRIVATE, "no-store", "no-cache")}:
            raise ValueError(
                f"a page with a nonce is for one visitor, but {name} is {value!r}: "
                f'say "private", "no-store" or "no-cache", or use Policy(hashes=True)'
            )


def _fits(name: str, value: str) -> bool:
    return bool(_HEADER_NAME.fullmatch(name) and _HEADER_VALUE.fullmatch(value))


_is_header = lru_cache(500)(_fits)


def _check_header(name: object, value: object, *, is_new: bool) -> None:
    """Check that a header can be one (RFC 9110 §5). Raises ``ValueError``."""
    check = _fits if is_new else _is_header
    if not (isinstance(name, str) and isinstance(value, str) and check(name, value)):
        raise ValueError(f"{name!r}: {value!r} cannot be a header")


def _octets_of(name: str, value: str) -> tuple[bytes, bytes]:
    """Return a header as ASGI has it."""
    return name.lower().encode("latin-1"), value.encode("latin-1")


_encoded = lru_cache(500)(_octets_of)


def _octets(text: str) -> bytes:
    return text.encode("utf-8", "replace")


def _after(first: bytes, rest: Generator[bytes]) -> Iterator[bytes]:
    """Yield chunks; closing this closes those that are left, and with them the iterators of the page."""
    try:
        yield first
        yield from rest
    finally:
        rest.close()
