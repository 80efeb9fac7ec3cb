"""What generated code calls in pages that await values and iterate over asynchronous iterators."""

from __future__ import annotations

from untor.runtime.iteration import ahead, each, pairs

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncIterable, AsyncIterator, Iterable


def is_awaitable(value: object) -> bool:
    """Return whether a value must be awaited."""
    return hasattr(type(value), "__await__")


def _is_async(value: object) -> bool:
    return hasattr(type(value), "__aiter__")


async def collected(value: object) -> object:
    """Return the items of an asynchronous iterable as a list, anything else unchanged; awaitables are awaited first."""
    if is_awaitable(value):
        value = await value  # type: ignore[misc]
    if _is_async(value):
        return [item async for item in value]  # type: ignore[attr-defined]
    return value


async def each_async(value: object) -> AsyncIterator[object]:
    """Yield what a loop with one name runs over, awaiting where there is something to await."""
    number = 0  # read by items_taken, here and below
    if _is_async(value):
        async for item in value:  # type: ignore[attr-defined]
            number += 1
            yield item
    else:
        for item in each(value):
            number += 1
            yield item


async def pairs_async(value: object, names: int) -> AsyncIterator[object]:
    """Yield what a loop with several names runs over."""
    number = 0
    if _is_async(value):
        async for item in value:  # type: ignore[attr-defined]
            for pair in pairs([item], names):
                number += 1
                yield pair
    else:
        for item in pairs(value, names):
            number += 1
            yield item


async def enumerate_async(items: AsyncIterable[object]) -> AsyncIterator[tuple[int, object]]:
    """Yield the index and each item."""
    index = 0
    async for item in items:
        yield index, item
        index += 1


async def ahead_async(items: AsyncIterable[object] | Iterable[object]) -> AsyncIterator[tuple[object, bool]]:
    """Yield each item and whether it is the last, looking one ahead."""
    number = 0
    if not _is_async(items):
        for pair in ahead(items):  # type: ignore[arg-type]
            number += 1
            yield pair
        return
    waiting: list[object] = []
    async for item in items:  # type: ignore[union-attr]
        if waiting:
            number += 1
            yield waiting.pop(), False
        waiting.append(item)
    if waiting:
        number += 1
        yield waiting.pop(), True


async def sized_async(items: AsyncIterable[object]) -> list[object]:
    """Return items that can be counted."""
    return [item async for item in items]
