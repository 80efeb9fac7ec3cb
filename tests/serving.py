"""Servers for tests: an application on a port of this machine, and what it answers."""

from __future__ import annotations

import asyncio
import http.client
import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, NamedTuple
from urllib.parse import urlsplit

import uvicorn

from untor.serve.server import address_of, bound

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path


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
    connection = http.client.HTTPConnection(parts.hostname or "", parts.port, timeout=180)
    target = parts.path + (f"?{parts.query}" if parts.query else "")
    named = {name.replace("_", "-"): value for name, value in headers.items()}
    try:
        connection.request(method, target or "/", body, named)
        answer = connection.getresponse()
        return Answer(answer.status, {name.lower(): value for name, value in answer.getheaders()}, answer.read())
    finally:
        connection.close()


@contextmanager
def running(*arguments: str, folder: Path) -> Iterator[tuple[str, subprocess.Popen[str]]]:
    """Run a command that serves; give its URL."""
    environment = {**os.environ, "PYTHONUNBUFFERED": "1"}
    command = [sys.executable, "-m", *arguments]
    process = subprocess.Popen(
        command, cwd=folder, text=True, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
    )
    try:
        assert process.stdout is not None
        line = ""
        while "http://" not in line:
            line = process.stdout.readline()
            assert line, "the server has ended"
        yield re.findall(r"http://[^/ \s]+", line)[0], process
    finally:
        process.send_signal(signal.SIGINT)
        process.communicate(timeout=20)


@contextmanager
def started(*arguments: str, folder: Path, seconds: float = 180) -> Iterator[tuple[str, subprocess.Popen[bytes]]]:
    """Run a server of another project on a free port, ``{port}`` in its arguments; give its URL."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, *(each.replace("{port}", str(port)) for each in arguments)]
    process = subprocess.Popen(command, cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        end = time.monotonic() + seconds
        while True:
            try:
                socket.create_connection(("127.0.0.1", port), 1).close()
                break
            except OSError:
                assert process.poll() is None, "the server has ended"
                assert time.monotonic() < end, "the server does not answer"
                time.sleep(0.05)
        yield f"http://127.0.0.1:{port}", process
    finally:
        process.send_signal(signal.SIGINT)
        try:
            process.wait(20)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


SERVERS = {
    "uvicorn": "-m uvicorn --port {port} %(module)s:%(app)s",
    "hypercorn": "-m hypercorn --bind 127.0.0.1:{port} %(module)s:%(app)s",
    "granian": "-m granian --port {port} --interface %(interface)s %(module)s:%(app)s",
    "gunicorn": "-m gunicorn --bind 127.0.0.1:{port} --threads 2 --graceful-timeout 2 %(module)s:%(app)s",
    "gunicorn-aiohttp": "-m gunicorn --bind 127.0.0.1:{port} -k aiohttp.GunicornWebWorker %(module)s:%(app)s",
    "waitress": "-m waitress --listen=127.0.0.1:{port} %(module)s:%(app)s",
    "wsgiref": "-c|from wsgiref.simple_server import make_server as f; from %(module)s import %(app)s as a; f('127.0.0.1', {port}, a).serve_forever()",
    "aiohttp": "-c|from aiohttp.web import run_app; from %(module)s import %(app)s as a; run_app(a, host='127.0.0.1', port={port})",
}
"""The servers of other projects, and how each is told what to run."""


def command_of(server: str, module: str, app: str = "app") -> list[str]:
    """Return how a server runs an application; those of WSGI have it in their names."""
    interface = "wsgi" if "wsgi" in module + app else "asgi"
    text = SERVERS[server] % {"module": module, "app": app, "interface": interface}
    return text.split("|") if "|" in text else text.split()


def asked(
    app: Any, path: str = "/", query: str = "", method: str = "GET", client: str = "127.0.0.1", **headers: str
) -> tuple[int, list[tuple[str, str]], bytes]:
    """Ask an application of ASGI without a server; return the status, the headers as pairs and the body."""
    sent: list[Any] = []

    async def run() -> None:
        async def send(message: Any) -> None:
            sent.append(message)

        async def receive() -> dict[str, Any]:
            await asyncio.sleep(60)
            return {"type": "http.disconnect"}

        named = [(name.replace("_", "-").lower().encode(), value.encode()) for name, value in headers.items()]
        scope = {"type": "http", "asgi": {"version": "3.0"}, "method": method, "path": path, "raw_path": path.encode()}
        scope |= {"query_string": query.encode(), "headers": named, "http_version": "1.1", "scheme": "http"}
        await app({**scope, "root_path": "", "server": ("h", 80), "client": (client, 1)}, receive, send)

    asyncio.run(run())
    pairs = [(name.decode(), value.decode("latin-1")) for name, value in sent[0]["headers"]]
    return sent[0]["status"], pairs, b"".join(message.get("body", b"") for message in sent)
