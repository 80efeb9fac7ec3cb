"""Values that are computed when a page first reads them, and the values of a request that every page can read."""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor
from contextvars import ContextVar, copy_context
from typing import TYPE_CHECKING, Any

import pytest

from untor import Deferred, Engine, RenderError, Template, UntorError

if TYPE_CHECKING:
    from collections.abc import Callable

FILES = {
    "row.html": "<i>{= user.name =}</i>",
    "frame.html": "<title>{= user.name =}</title><body><! slot !>",
}


def in_all_ways(template: Template, **values: object) -> list[Callable[[], str]]:
    """Return the ways to render a template."""

    async def streamed() -> str:
        return "".join([chunk async for chunk in template.stream_async(values)])

    return [
        lambda: template.render(values),
        lambda: template.render(**values),
        lambda: "".join(template.stream(values)),
        lambda: asyncio.run(template.render_async(values)),
        lambda: asyncio.run(streamed()),
    ]


PAGES = {
    "read twice": ("{= user.name =} {= user.name | upper =}", "Runa RUNA", 1),
    "not read": ("<! if 0 !>{= user.name =}<! end !>-", "-", 0),
    "not reached": ("{= 1 if True else user =}", "1", 0),
    "in a loop": ("<! for n in [1, 2] !>{= user.name =}<! end !>", "RunaRuna", 1),
    "in a condition": ("<! if user? and user.name !>{= user.name =}<! end !>", "Runa", 1),
    "given a name": ("<! let u = user !>{= u.name =}{= user.name =}", "RunaRuna", 1),
    "missing, or else": ("{= (user ?? 1).name =}{= nobody ?? user.name =}", "RunaRuna", 1),
    "declared": ("<! takes user: dict !><! if 0 !>{= user =}<! end !>-", "-", 1),
    "in a part": ("<! part p() !>{= user.name =}<! end !><! use p !><! end !>{= user.name =}", "RunaRuna", 1),
    "in an include": ('{= user.name =}<! include "row" !>', "Runa<i>Runa</i>", 1),
    "in a layout": ('<! layout "frame" !>{= user.name =}', "<title>Runa</title><body>Runa", 1),
    "looped over": ("<! for key, value in user !>{= key =}{= value =}<! end !>", "nameRuna", 1),
    "under two names": ("{= user.name =}{= again.name =}", "RunaRuna", 1),
    "in a script": ("<script>f({= user =})</script>", '<script>f(({"name":"Runa"}))</script>', 1),
}


@pytest.mark.parametrize(("source", "page", "calls"), PAGES.values(), ids=PAGES)
@pytest.mark.parametrize("origin", ["globals", "context"])
def test_computed_when_first_read(tmp_path: Any, source: str, page: str, calls: int, origin: str) -> None:
    """A deferred value is computed when it is first read, and at most once in a rendering, wherever it comes from."""
    called: list[int] = []

    def user() -> dict[str, str]:
        called.append(1)
        return {"name": "Runa"}

    async def user_later() -> dict[str, str]:
        await asyncio.sleep(0)
        return user()

    if origin == "context" and ("part p" in source or "include" in source):
        source = (
            source.replace("part p()", "part p(user)").replace("use p", "use p user").replace('"row"', '"row" user')
        )
    for name, text in FILES.items():
        takes = "<! takes user !>" if origin == "context" and name == "row.html" else ""
        (tmp_path / name).write_text(takes + text, "utf-8")
    for function in (user, user_later):
        deferred = Deferred(function)
        given = {"user": deferred, "again": deferred}
        engine = Engine(tmp_path, globals=given if origin == "globals" else None)
        values = {} if origin == "globals" else given
        for way in in_all_ways(engine.compile(source), **values)[3 if function is user_later else 0 :]:
            called.clear()
            assert (way(), len(called)) == (page, calls)


def _fails() -> int:
    raise OSError("the lock gate is stuck")


WRONG = {
    "raises": ("a{= x =}", _fails, "1, column 5: This cannot be computed: _fails raised OSError: the lock gate is stuck"),
    "a type of its own": ("{= x =}", lambda: 1 + None, "<lambda> raised TypeError: unsupported operand"),  # type: ignore[operator]
    "nothing": ("{= x.a =}", lambda: None, 'There is no "a" here, because x is None'),
    "deferred again": ("{= x =}", lambda: Deferred(list), "Return the value from its function"),
    "inside": ("{= y.x =}", list, "A deferred value is inside another value"),
    "inside, tested": ("<! if y.x !>a<! end !>", list, "A deferred value is inside another value"),
    "inside, looped over": ("<! for a in y.x !>a<! end !>", list, "A loop cannot run over a Deferred"),
    "checked": ("<! takes x: int !>", list, "must be an integer (int), not a list"),
}  # fmt: skip


@pytest.mark.parametrize(("source", "function", "message"), WRONG.values(), ids=WRONG)
def test_what_is_wrong_is_said_where_it_is_read(source: str, function: Callable[[], object], message: str) -> None:
    """What its function raises, or returns, is reported at the place that reads it first."""
    deferred = Deferred(function)
    for way in in_all_ways(Engine().compile(source), x=deferred, y={"x": deferred}):
        with pytest.raises(UntorError) as found:
            way()
        assert message in str(found.value), str(found.value)


def test_awaited_values_need_a_page_that_awaits() -> None:
    """A coroutine is not printed, and the message says which ways await."""

    async def later() -> str:
        return "x"  # pragma: no cover

    coroutines: list[Any] = []

    def kept() -> object:
        coroutines.append(later())
        return coroutines[-1]

    with pytest.raises(RenderError, match="render the page with render_async or page_async"):
        Engine().compile("{= x =}").render(x=Deferred(kept))
    coroutines[0].close()


def test_only_functions() -> None:
    """Anything else is refused when it is made."""
    with pytest.raises(TypeError, match="Deferred takes a function, not a str"):
        Deferred("user")  # type: ignore[arg-type]


def test_each_request_has_its_own() -> None:
    """With a context variable, each thread and each task sees its own values, read once for each page."""
    user: ContextVar[str] = ContextVar("user")
    engine = Engine(globals={"user": Deferred(user.get), "site": "Port Ellery"})
    source = "<! for n in numbers !>{= user =} {= site =},<! end !>"
    template, number = engine.compile(source), 2000

    def in_thread(name: str) -> bool:
        user.set(name)
        page = template.render(numbers=range(number))
        return page == f"{name} Port Ellery," * number

    with ThreadPoolExecutor(8) as threads:
        found = list(threads.map(lambda name: copy_context().run(in_thread, name), map(str, range(200))))
    assert all(found)

    async def in_task(name: str) -> bool:
        user.set(name)
        page = "".join([chunk async for chunk in template.stream_async(numbers=range(number))])
        return page == f"{name} Port Ellery," * number

    async def all_tasks() -> list[bool]:
        return await asyncio.gather(*(asyncio.create_task(in_task(str(name))) for name in range(50)))

    assert all(asyncio.run(all_tasks()))


def test_outside_of_asyncio() -> None:
    """Whatever runs the coroutine, a deferred value is awaited: no task of asyncio is made for it."""

    async def later() -> str:
        return "<x>"

    rendering = Engine().compile("{= x =}").render_async(x=Deferred(later))
    with pytest.raises(StopIteration) as done:
        rendering.send(None)
    assert done.value.value == "&lt;x&gt;"
