"""Runs an application on this machine: the socket, the hosts that it answers to, the server."""

from __future__ import annotations

import errno
import ipaddress
import socket

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Awaitable, Callable, MutableMapping
    from typing import Any

    Scope = MutableMapping[str, Any]
    Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
    Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
    App = Callable[[Scope, Receive, Send], Awaitable[None]]


class CannotServe(Exception):  # noqa: N818  its text is the whole message
    """The server cannot be started; the text is a message for people."""


def needed(extra: str, error: ImportError) -> CannotServe:
    """Return the exception for a package that is not installed."""
    return CannotServe(f'this needs {error.name}, which is not installed: pip install "untor[{extra}]"')


def is_loopback(host: str) -> bool:
    """Return whether only this machine can reach an address."""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def bound(host: str, port: int) -> socket.socket:
    """Return a socket that listens. Raises ``CannotServe``."""
    try:
        family, kind, protocol, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
    except (OSError, UnicodeError) as error:
        raise CannotServe(f"{host} is not an address of this machine: {error}") from None
    listening = socket.socket(family, kind, protocol)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind(address)
        listening.listen(128)
    except OSError as error:
        listening.close()
        if error.errno == errno.EADDRINUSE:
            other = port + 1 if port < 65535 else 0  # noqa: PLR2004  the last port
            trouble = (
                f"port {port} is in use on {host}; choose another with --port {other}, or any free one with --port 0"
            )
        else:
            trouble = f"{host}, port {port}: {(error.strerror or str(error)).lower()}"
        raise CannotServe(trouble) from None
    return listening


def address_of(listening: socket.socket, host: str) -> str:
    """Return the URL for a browser on this machine."""
    shown = "127.0.0.1" if host in {"0.0.0.0", "::", ""} else host  # noqa: S104  compared only
    return f"http://{f'[{shown}]' if ':' in shown else shown}:{listening.getsockname()[1]}/"


def guarded(app: App, host: str, headers: dict[str, str]) -> App:
    """Answer only to names of this machine while only it can connect, and add headers to every answer.

    Without that, a page anywhere could read what is served here, under a name of its own that it points to this
    machine.
    """
    added = [(name.lower().encode(), value.encode()) for name, value in headers.items()]
    names = {name for name, _ in added}

    async def answer(scope: Scope, receive: Receive, send: Send) -> None:
        async def with_headers(message: MutableMapping[str, Any]) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*((n, v) for n, v in message["headers"] if n.lower() not in names), *added]
            await send(message)

        if scope["type"] == "http" and is_loopback(host) and not _names_this_machine(scope):
            text = b"This server answers to names of this machine only, such as 127.0.0.1 and localhost.\n"
            head = [(b"content-type", b"text/plain; charset=utf-8"), (b"content-length", str(len(text)).encode())]
            await send({"type": "http.response.start", "status": 400, "headers": head})
            await send({"type": "http.response.body", "body": text})
            return
        await app(scope, receive, with_headers if scope["type"] == "http" else send)

    return answer


def _names_this_machine(scope: Scope) -> bool:
    host_header: str = next((value for name, value in scope["headers"] if name == b"host"), b"").decode("latin-1")
    host = host_header[1:].partition("]")[0] if host_header.startswith("[") else host_header.partition(":")[0]
    return is_loopback(host.lower())


def run(app: App, listening: socket.socket, *, before_stop: Callable[[], None] | None = None) -> None:
    """Serve until the process is stopped. Raises ``CannotServe`` without the packages."""
    try:
        import uvicorn  # noqa: PLC0415  only where something is served
    except ImportError as error:
        raise needed("serve", error) from None

    class Server(uvicorn.Server):
        async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
            if before_stop is not None:
                before_stop()
            await super().shutdown(sockets)

    config = uvicorn.Config(
        app, log_level="warning", access_log=False, timeout_graceful_shutdown=2, server_header=False
    )
    try:
        Server(config).run(sockets=[listening])
    except KeyboardInterrupt:
        return
    finally:
        listening.close()
