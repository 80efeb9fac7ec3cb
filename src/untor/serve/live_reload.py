"""Notifies browsers of changed files, by server-sent events (HTML §9.2)."""

from __future__ import annotations

import asyncio
import json
import secrets

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Iterable
    from pathlib import Path

_SECONDS = 15
"""How often an empty line is sent, to notice closed connections."""


class Changes:
    """Who waits for changes. Belongs to one event loop."""

    def __init__(self) -> None:
        self._run = secrets.token_hex(8)
        self._count = 0
        self._waiting: set[asyncio.Queue[str]] = set()
        self._stopped = asyncio.Event()

    @property
    def state(self) -> str:
        """A token that changes with every file change and every start of the server."""
        return f"{self._run}-{self._count}"

    def tell(self, names: Iterable[str]) -> None:
        """Tell everybody which files have changed."""
        self._count += 1
        message = json.dumps({"state": self.state, "files": sorted(names)})
        for queue in self._waiting:
            queue.put_nowait(message)

    def stop(self) -> None:
        """End all answers, so that the server can stop."""
        self._stopped.set()
        for queue in self._waiting:
            queue.put_nowait("")

    async def events(self) -> AsyncIterator[str]:
        """Yield the event stream of one browser: first the state that it comes into, then each change."""
        queue: asyncio.Queue[str] = asyncio.Queue()
        self._waiting.add(queue)
        try:
            yield f"retry: 500\nevent: state\ndata: {self.state}\n\n"
            while not self._stopped.is_set():
                try:
                    said = await asyncio.wait_for(queue.get(), _SECONDS)
                except TimeoutError:
                    yield ":\n\n"
                    continue
                if said:
                    yield f"event: change\ndata: {said}\n\n"
        finally:
            self._waiting.discard(queue)

    async def watch(self, places: Iterable[Path]) -> None:
        """Look at folders and files until stopped, and tell of each change."""
        from watchfiles import awatch  # noqa: PLC0415  of the extra "serve"

        async for found in awatch(*places, stop_event=self._stopped, debounce=100, step=20):
            self.tell({path for _, path in found})
