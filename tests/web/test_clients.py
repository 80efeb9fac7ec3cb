"""Clients that read slowly, or leave, of pages without end, under real servers: counted in rows."""

from __future__ import annotations

import json
import socket
import time
from pathlib import Path
from urllib.parse import urlsplit

import pytest
from serving import ask, started
from web.test_examples import GRANIAN, GUNICORN, HYPERCORN, UVICORN, WAITRESS

OWN = "from aiohttp.web import run_app; from endless import aiohttp; run_app(aiohttp, host='127.0.0.1', port={port})"
SERVERS = {
    "asgi uvicorn": UVICORN,
    "asgi hypercorn": HYPERCORN,
    "asgi granian": (*GRANIAN, "asgi"),
    "starlette uvicorn": UVICORN,
    "starlette granian": (*GRANIAN, "asgi"),
    "falcon_asgi uvicorn": UVICORN,
    "falcon_asgi hypercorn": HYPERCORN,
    "falcon_asgi granian": (*GRANIAN, "asgi"),
    "wsgi gunicorn": GUNICORN,
    "wsgi waitress": WAITRESS,
    "wsgi granian": (*GRANIAN, "wsgi"),
    "falcon_wsgi gunicorn": GUNICORN,
    "falcon_wsgi waitress": WAITRESS,
    "aiohttp aiohttp": ("-c", OWN),
}
"""An application of ``endless.py``, and a server for it."""


def rows(url: str) -> dict[str, int]:
    """Return the counts."""
    found: dict[str, int] = json.loads(ask(f"{url}/rows").body)
    return found


@pytest.mark.parametrize("name", SERVERS)
def test_slow_and_leaving_clients(name: str) -> None:
    """While a client reads nothing, no rows are read and others are answered; when it leaves, the rows are closed."""
    command = SERVERS[name]
    module = () if command[0] == "-c" else (f"endless:{name.split(maxsplit=1)[0]}",)
    with started(*command, *module, folder=Path(__file__).parent) as (url, _):
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
