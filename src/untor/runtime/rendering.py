"""The ways to render a page: at once, in chunks, and with values that are awaited; by a program of the extension."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Callable, Coroutine, Iterator, Mapping
    from typing import Any

    from untor.escape._extension import Program, Rendering

    Context = Mapping[str, object] | None


_SHORTEST_CHUNK = 16_000
"""How long a chunk is, at least; that of the extension is as long."""


def is_chunk(out: list[str]) -> bool:
    """Join what code in Python has written so far, and return whether it is enough for a chunk."""
    out[:] = ["".join(out)]
    return len(out[0]) >= _SHORTEST_CHUNK


def way_of(program: Program, way: str) -> Callable[..., Any]:
    """Return the function for a way to render: ``render``, ``stream``, ``render_async`` or ``stream_async``."""
    return program.render if way == "render" else _WAYS[way](program)


def _stream(program: Program) -> Callable[..., Iterator[str]]:
    def stream(context: Context = None, /, **values: object) -> Iterator[str]:
        rendering = program.begin(context, values, True, False)  # noqa: FBT003  in chunks, and nothing awaited
        while (chunk := rendering.resume(None)) is not None:
            yield chunk

    return stream


def _render_async(program: Program) -> Callable[..., Coroutine[Any, Any, str]]:
    async def render_async(context: Context = None, /, **values: object) -> str:
        rendering = program.begin(context, values, False, True)  # noqa: FBT003  at once, and awaiting
        result = rendering.resume(None)
        while type(result) is not str:
            result = rendering.resume(await _awaited(rendering, result))
        return result

    return render_async


def _stream_async(program: Program) -> Callable[..., AsyncIterator[str]]:
    async def stream_async(context: Context = None, /, **values: object) -> AsyncIterator[str]:
        rendering = program.begin(context, values, True, True)  # noqa: FBT003  in chunks, and awaiting
        result = rendering.resume(None)
        while result is not None:
            if type(result) is str:
                yield result
                result = rendering.resume(None)
            else:
                result = rendering.resume(await _awaited(rendering, result))

    return stream_async


_WAYS: dict[str, Callable[[Program], Callable[..., Any]]] = {
    "stream": _stream,
    "render_async": _render_async,
    "stream_async": _stream_async,
}


async def _awaited(rendering: Rendering, found: Any) -> object:
    """Await what a page waits for: one thing, several at the same time, or a turn of other tasks."""
    try:
        if found is True:
            await _turn()
            return None
        if type(found) is list:
            return await _together(found)
        return await found
    except StopAsyncIteration as error:
        if rendering.end_items():
            return None
        raise rendering.failed(error) from error
    except Exception as error:
        instead = rendering.failed(error)
        if instead is error:
            raise
        raise instead from error


def _has_loop() -> bool:
    """Return whether the page is rendered in an event loop of ``asyncio``, the only supported one."""
    import sys  # noqa: PLC0415  loaded by every Python already

    asyncio = sys.modules.get("asyncio")
    return asyncio is not None and asyncio._get_running_loop() is not None  # noqa: SLF001  the public one raises


async def _turn() -> None:
    if _has_loop():
        from asyncio import sleep  # noqa: PLC0415  loaded by whoever runs the loop

        await sleep(0)


async def _together(values: list[Any]) -> list[object]:
    """Await several values at the same time, where that can be; when one of them fails, the others are cancelled."""
    if not _has_loop():
        return [await value for value in values]
    from asyncio import ensure_future, gather  # noqa: PLC0415

    futures = [ensure_future(value) for value in values]
    try:
        return list(await gather(*futures))
    finally:
        for future in futures:
            future.cancel()
