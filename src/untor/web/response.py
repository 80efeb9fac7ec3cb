"""A page as an HTTP response: its bytes and headers, as an ASGI app, as a WSGI app, or by hand."""

from __future__ import annotations

from untor.runtime.parameter_checks import NONCE
from untor.types.parameter_types import is_mapping
from untor.web.headers import (
    check_caches,
    check_header,
    common_headers,
    encoded,
    hash_of,
    is_private,
    octets_of,
    pairs_of,
    ready_headers,
)
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
    )
    from typing import Any, Protocol

    from untor.web.csp import Policy
    from untor.web.headers import Headers, ReadyHeaders

    Scope = MutableMapping[str, Any]
    Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
    Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]

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


CACHED = "private, no-cache"
"""The default Cache-Control of a page: stored by the visitor's browser, revalidated each time."""

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
        cache = cache or CACHED
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
        header = None if policy is None else (policy.header, policy.value(self.nonce, hashes))
        self._ready: ReadyHeaders | None = None
        self._headers: Mapping[str, str]
        self._own: list[tuple[str, str]] = []
        """The headers of this answer alone, beside those that are ready."""
        self._repeated: list[tuple[str, str]] = []
        """Headers of names that come several times, and cookies."""
        if headers or type(cache) is not str:
            self._headers = common_headers(template.name, cache, language, varies=varies, policy=header)
            self._add(headers)
            return
        self._ready = ready_headers(
            template.name, cache, language, varies=varies, policy=None if self.nonce else header
        )
        self._headers = self._ready.named
        if self.nonce and header is not None:
            check_header(*header, is_new=True)
            check_caches([("Cache-Control", cache)])
            self._own = [header]
            self._headers = {**self._headers, header[0]: header[1]}

    def _add(self, given: Headers | None) -> None:
        """Add headers, or put them in the place of others. Raises ``ValueError``."""
        headers, seen = {**self._headers}, set[str]()
        for name, value in pairs_of(given):
            check_header(name, value, is_new=bool(self.nonce))
            known = next((each for each in (*headers, "ETag") if each.lower() == name.lower()), name)
            if known.lower() == "set-cookie" or known in seen:
                self._repeated.append((known, value))
            else:
                headers[known] = value
            seen.add(known)
        if self.nonce:
            check_caches([*headers.items(), *self._repeated])
        for name, value in headers.items():
            check_header(name, value, is_new=bool(self.nonce))
        self._headers = headers

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
        if not self.stream and self.status == _OK and "ETag" not in headers and self._validates:
            headers["ETag"] = self._etag()
        return headers

    @property
    def _validates(self) -> bool:
        # With a validator, a cache that may keep a page but not use it would send its nonce again.
        return not self.nonce or is_private(self._headers["Cache-Control"])

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
        if self._ready is None:
            same = hash_of([*self._headers.items(), *self._repeated], self.nonce)
        else:
            same = self._ready.hashed.copy()
            for name, value in self._own:
                same.update(f"\n{name}: {value.replace(self.nonce, '')}".encode("latin-1"))
        same.update(self.body.replace(self.nonce.encode(), b"") if self.nonce else self.body)
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
        ready = self._ready
        if ready is not None and not self.stream and self.status == _OK and scope["method"] == "GET" and not etags:
            status, empty = _OK, False
            octets = [*ready.octets, *(octets_of(*pair) for pair in self._own)]
            if self._validates:
                octets.append((b"etag", self._etag().encode()))
            octets.append((b"content-length", b"%d" % len(first)))
        else:
            status, headers, empty = self._answer(scope["method"], etags.decode("latin-1"))
            # What is another for each answer is not worth remembering.
            octets = [
                octets_of(name, value) if name in _OF_ANSWER or self.nonce else encoded(name, value)
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

    def __getstate__(self) -> dict[str, object]:
        return {**vars(self), "_ready": None}

    def __repr__(self) -> str:
        return f"<Page {self.template.name} {self.status}>"


def _octets(text: str) -> bytes:
    return text.encode("utf-8", "replace")


def _after(first: bytes, rest: Generator[bytes]) -> Iterator[bytes]:
    """Yield chunks; closing this closes those that are left, and with them the iterators of the page."""
    try:
        yield first
        yield from rest
    finally:
        rest.close()
