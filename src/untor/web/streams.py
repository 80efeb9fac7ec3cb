"""Sends a page in chunks over ASGI: fair to other requests, and no longer than the client is there."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from asyncio import Task
    from collections.abc import AsyncGenerator, AsyncIterable, Awaitable, Callable, MutableMapping
    from typing import Any

    Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
    Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]


async def while_connected(page: AsyncIterable[bytes], receive: Receive | None) -> AsyncGenerator[bytes]:
    """Yield the chunks of a page until the client has gone, with a turn of other requests after each."""
    gone = None if receive is None else _until_gone(receive)
    chunks: Any = aiter(page)
    try:
        async for chunk in chunks:
            yield chunk
            await _turn()
            if gone is not None and gone.done() and gone.exception() is None:
                return
    finally:
        if gone is not None:
            gone.cancel()
        await chunks.aclose()
        # The event loop finalizes asynchronous generators, such as a loop with a condition, in its next two turns.
        await _turn()
        await _turn()


async def send_stream(first: bytes, chunks: AsyncGenerator[bytes], receive: Receive, send: Send) -> None:
    """Send chunks until they end, or the client has gone; then their iterators are closed."""
    gone = _until_gone(receive)
    try:
        chunk: bytes | None = first
        while chunk is not None:
            if gone is not None and gone.done() and gone.exception() is None:
                return
            await send({"type": "http.response.body", "body": chunk, "more_body": True})
            if gone is not None:
                # A page that never waits would keep all other requests waiting, and its own end from being noticed.
                await _turn()
            chunk = await anext(chunks, None)
        await send({"type": "http.response.body", "body": b""})
    finally:
        if gone is not None:
            gone.cancel()
        await chunks.aclose()
        # The event loop finalizes asynchronous generators, such as a loop with a condition, in its next two turns.
        await _turn()
        await _turn()


def _until_gone(receive: Receive) -> Task[None] | None:
    """Return a task that ends when the client has gone; ``None`` outside of ``asyncio``, which has no such task."""
    import asyncio  # noqa: PLC0415  only for streams

    try:
        asyncio.get_running_loop()
    except RuntimeError:
        return None

    async def wait() -> None:
        while (await receive())["type"] != "http.disconnect":  # noqa: ASYNC110  no event of this loop
            # A server that does not wait must not stop the page.
            await asyncio.sleep(0)

    return asyncio.create_task(wait())


async def _turn() -> None:
    import sys  # noqa: PLC0415  loaded by every Python already

    asyncio = sys.modules.get("asyncio")
    if asyncio is not None and asyncio._get_running_loop() is not None:  # noqa: SLF001  the public one raises
        await asyncio.sleep(0)
