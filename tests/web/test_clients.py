"""Clients that read slowly, or leave, of pages without end, under real servers: counted in rows."""

from __future__ import annotations

import http.client
import json
import socket
import time
from pathlib import Path
from urllib.parse import urlsplit

import pytest
from serving import ask, command_of, started
from web.endless import BREAKS

RUNS = {
    "asgi": "uvicorn hypercorn granian",
    "starlette": "uvicorn granian",
    "falcon_asgi": "uvicorn hypercorn granian",
    "wsgi": "gunicorn waitress granian",
    "falcon_wsgi": "gunicorn waitress",
    "aiohttp": "aiohttp",
}
"""The applications of ``endless.py``, and the servers that each runs under."""

EACH = pytest.mark.parametrize(("app", "server"), [(each, name) for each in RUNS for name in RUNS[each].split()])


def rows(url: str) -> dict[str, int]:
    """Return the counts."""
    found: dict[str, int] = json.loads(ask(f"{url}/rows").body)
    return found


@EACH
def test_an_error_in_the_middle(app: str, server: str) -> None:
    """A client sees that a page broke in the middle, its rows are closed, and the server goes on."""
    with started(*command_of(server, "endless", app), folder=Path(__file__).parent) as (url, _):
        for time_ in (1, 2):
            with pytest.raises((http.client.IncompleteRead, ConnectionError)):
                ask(f"{url}/broken")
            assert rows(url) == {"read": time_ * (BREAKS + 1), "closed": time_}


@EACH
def test_slow_and_leaving_clients(app: str, server: str) -> None:
    """While a client reads nothing, no rows are read and others are answered; when it leaves, the rows are closed."""
    with started(*command_of(server, "endless", app), folder=Path(__file__).parent) as (url, _):
        parts = urlsplit(url)
        client = socket.create_connection((parts.hostname or "", parts.port or 0), 20)
        client.sendall(f"GET / HTTP/1.1\r\nHost: {parts.netloc}\r\n\r\n".encode())
        assert client.recv(100).startswith(b"HTTP/1.1 200")
        before = -1
        end = time.monotonic() + 30
        while (read := rows(url)["read"]) > before:
            before = read
            assert time.monotonic() < end, f"{read} rows were read, although the client reads none"
            time.sleep(0.5)
        assert rows(url) == {"read": read, "closed": 0}
        client.close()
        end = time.monotonic() + 20
        while not (found := rows(url))["closed"]:
            assert time.monotonic() < end, f"the client has left, and its rows are read on: {found}"
            time.sleep(0.05)
        time.sleep(0.1)
        assert rows(url) == found
