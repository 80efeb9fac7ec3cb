"""What generated code calls in pages that await values and iterate over asynchronous iterators."""

from __future__ import annotations

from untor.runtime.iteration import ahead, each, pairs

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncIterable, AsyncIterator
    from typing import Any, Self


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


class _Loop:
    """An asynchronous iterator that ``items_taken`` knows.

    Not an asynchronous generator: the event loop finalizes those later, in a task of its own. This one releases what it
    runs over as soon as the page is dropped.
    """

    __slots__ = ("_items", "number")

    def __init__(self, items: Any) -> None:
        self._items = items
        self.number = 0

    def __aiter__(self) -> Self:
        return self

    async def __anext__(self) -> Any:
        # An error while the next item is fetched belongs to no item.
        taken, self.number = self.number, 0
        item = await self._next(taken)
        self.number = taken + 1
        return item

    async def _next(self, taken: int) -> object:  # noqa: ARG002  subclasses number their items
        for item in self._items:
            return item
        raise StopAsyncIteration


class _Awaiting(_Loop):
    """The items of an asynchronous iterator."""

    __slots__ = ()

    async def _next(self, taken: int) -> object:  # noqa: ARG002  the signature of the base
        return await self._items.__anext__()


class _Indexed(_Awaiting):
    """The index and each item of an asynchronous iterator."""

    __slots__ = ()

    async def _next(self, taken: int) -> object:
        return taken, await super()._next(taken)


class _TakenApart(_Awaiting):
    """The items of an asynchronous iterator, taken apart for several names."""

    __slots__ = ("_names",)

    def __init__(self, items: Any, names: int) -> None:
        super().__init__(items)
        self._names = names

    async def _next(self, taken: int) -> object:
        item = await super()._next(taken)
        return next(iter(pairs([item], self._names, taken + 1)))


class _Ahead(_Awaiting):
    """Each item of an asynchronous iterator and whether it is the last, looking one ahead."""

    __slots__ = ("_waiting",)

    def __init__(self, items: Any) -> None:
        super().__init__(items)
        self._waiting: list[object] | None = None

    async def _next(self, taken: int) -> object:
        if self._waiting is None:
            self._waiting = [await super()._next(taken)]
        if not self._waiting:
            raise StopAsyncIteration
        item = self._waiting.pop()
        try:
            self._waiting.append(await super()._next(taken))
        except StopAsyncIteration:
            return item, True
        return item, False


def each_async(value: Any) -> AsyncIterator[Any]:
    """Return what a loop with one name runs over, awaiting where there is something to await."""
    return _Awaiting(aiter(value)) if _is_async(value) else _Loop(iter(each(value)))


def pairs_async(value: Any, names: int) -> AsyncIterator[Any]:
    """Return what a loop with several names runs over."""
    return _TakenApart(aiter(value), names) if _is_async(value) else _Loop(iter(pairs(value, names)))


def enumerate_async(items: AsyncIterable[object]) -> AsyncIterator[tuple[int, Any]]:
    """Return the index and each item."""
    return _Indexed(aiter(items))


def ahead_async(items: Any) -> AsyncIterator[Any]:
    """Return each item and whether it is the last, looking one ahead."""
    return _Ahead(aiter(items)) if _is_async(items) else _Loop(iter(ahead(items)))


async def sized_async(items: AsyncIterable[object]) -> list[object]:
    """Return items that can be counted."""
    return [item async for item in items]
