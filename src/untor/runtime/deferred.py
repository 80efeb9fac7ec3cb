"""Values of a page that are computed when it first reads them."""

from __future__ import annotations

from untor.diagnostics.wording import with_article
from untor.runtime.filter_error import NotComputable

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Generator
    from typing import Any, NoReturn


class Deferred:
    """A value that is computed when a page first reads it, at most once in a rendering.

    ``function`` is called without arguments and returns the value; what it returns is awaited where the page awaits its
    values. Give it by name in a context, or in the engine's ``globals`` for values of the request that any page may
    read: ``Engine(…, globals={"user": Deferred(current_user)})``. A name that a template declares with ``takes`` is
    read when that template begins, since its type is checked there.

    Raises ``TypeError`` for what cannot be called.
    """

    __module__ = "untor"

    __slots__ = ("__weakref__", "function")

    def __init__(self, function: Callable[[], object]) -> None:
        if not callable(function):
            raise TypeError(f"Deferred takes a function, not {with_article(type(function).__name__)}")
        self.function = function

    def _refuse(self, *_: object) -> NoReturn:
        raise NotComputable(
            "A deferred value is inside another value, where it is not computed.",
            "Pass it by a name of its own, or compute it in the view.",
        )

    __bool__ = __str__ = _refuse

    def __repr__(self) -> str:
        return f"<Deferred {getattr(self.function, '__qualname__', 'function')}>"


class AwaitedLater:
    """What a deferred value is until it has been awaited, by whichever part of the page comes to it first."""

    __slots__ = ("is_done", "source", "task", "value")

    def __init__(self, source: Any) -> None:
        self.source = source
        self.task: Any = None
        self.value: object = None
        self.is_done = False

    def __await__(self) -> Generator[Any, Any, object]:
        if not self.is_done:
            if self.task is None:
                self.task = _task_of(self.source)
            self.value = yield from self.task.__await__()
            self.is_done = True
        return self.value


def _task_of(source: Any) -> Any:
    """Return a task of the running loop, which several may await; outside ``asyncio``, pages await one by one."""
    import sys  # noqa: PLC0415  loaded by every Python already

    asyncio = sys.modules.get("asyncio")
    if asyncio is None or asyncio._get_running_loop() is None:  # noqa: SLF001  the public one raises
        return source
    return asyncio.ensure_future(source)


class _Key:
    """A key that no data can have."""

    __slots__ = ()

    def __repr__(self) -> str:
        return "<the page's computed values>"


_COMPUTED = _Key()


def computed(deferred: Deferred, values: dict[Any, Any]) -> object:
    """Return the value of a deferred one, computed if ``values``, by which each is kept, do not have it yet."""
    if deferred in values:
        return values[deferred]
    found: Any = deferred.function()
    if type(found) is Deferred:
        raise NotComputable("A deferred value is another deferred value.", "Return the value from its function.")
    value = AwaitedLater(found) if hasattr(type(found), "__await__") else found
    return values.setdefault(deferred, value)


def computed_in(deferred: Deferred, scope: dict[Any, Any]) -> object:
    """Return the value of a deferred one, which is kept among the names of the page."""
    return computed(deferred, scope.setdefault(_COMPUTED, {}))
