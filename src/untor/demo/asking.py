"""Asks an ASGI application, without a server."""

from __future__ import annotations

from typing import NamedTuple
from urllib.parse import unquote

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, MutableMapping
    from typing import Any


class Answer(NamedTuple):
    """What an application answered; headers by their names in small letters."""

    status: int
    headers: dict[str, str]
    body: bytes


async def asked(
    app: Any, method: str, target: str, body: bytes = b"", headers: Iterable[tuple[str, str]] = (("host", "localhost"),)
) -> Answer:
    """Return what an application answers a request with; ``target`` is a path with its query, percent-encoded."""
    path, _, query = target.partition("?")
    scope = {
        "type": "http",
        "asgi": {"version": "3.0"},
        "http_version": "1.1",
        "method": method,
        "scheme": "http",
        "path": unquote(path),
        "raw_path": path.encode("ascii", "replace"),
        "query_string": query.encode("ascii", "replace"),
        "root_path": "",
        "headers": [(name.encode("latin-1"), value.encode("latin-1")) for name, value in headers],
        "server": ("localhost", 80),
    }
    sent: list[MutableMapping[str, Any]] = []

    async def receive() -> MutableMapping[str, Any]:
        return {"type": "http.request", "body": body, "more_body": False}

    async def send(message: MutableMapping[str, Any]) -> None:
        sent.append(message)

    await app(scope, receive, send)
    received = {name.decode(): value.decode("latin-1") for name, value in sent[0]["headers"]}
    return Answer(sent[0]["status"], received, b"".join(message.get("body", b"") for message in sent))
