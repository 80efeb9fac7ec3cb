"""Servers for tests: an application on a port of this machine, and what it answers."""

from __future__ import annotations

import http.client
import threading
import time
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, NamedTuple
from urllib.parse import urlsplit

import uvicorn

from untor.serve.server import address_of, bound

if TYPE_CHECKING:
    from collections.abc import Iterator


class Answer(NamedTuple):
    """What a server answered; headers by their names in small letters."""

    status: int
    headers: dict[str, str]
    body: bytes


@contextmanager
def served(app: Any) -> Iterator[str]:
    """Run an ASGI application; give its URL."""
    listening = bound("127.0.0.1", 0)
    config = uvicorn.Config(app, log_level="critical", timeout_graceful_shutdown=1)
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]})
    thread.start()
    while not server.started:
        time.sleep(0.01)
    try:
        yield address_of(listening, "127.0.0.1").rstrip("/")
    finally:
        server.should_exit = True
        thread.join()
        listening.close()


def ask(url: str, method: str = "GET", body: bytes | None = None, **headers: str) -> Answer:
    """Ask a server, and follow nothing."""
    parts = urlsplit(url)
    connection = http.client.HTTPConnection(parts.hostname or "", parts.port, timeout=20)
    target = parts.path + (f"?{parts.query}" if parts.query else "")
    named = {name.replace("_", "-"): value for name, value in headers.items()}
    try:
        connection.request(method, target or "/", body, named)
        answer = connection.getresponse()
        return Answer(answer.status, {name.lower(): value for name, value in answer.getheaders()}, answer.read())
    finally:
        connection.close()
