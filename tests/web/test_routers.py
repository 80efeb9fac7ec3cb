"""Links to the routes of frameworks: what a link says is what the framework's own router reads out of it."""

from __future__ import annotations

import asyncio
from functools import cache
from typing import TYPE_CHECKING, Any
from urllib.parse import quote, unquote

import falcon
import falcon.asgi
import falcon.testing
import pytest
from aiohttp import web
from aiohttp.test_utils import make_mocked_request
from fastapi import FastAPI
from hypothesis import given
from hypothesis import strategies as st
from starlette.applications import Starlette
from starlette.routing import Mount, Route

from untor import Engine, RenderError, Template

if TYPE_CHECKING:
    from collections.abc import Callable


async def nothing(*_: Any, **__: Any) -> web.StreamResponse:
    """Stand in for views."""
    return web.Response()


def fast() -> FastAPI:
    app = FastAPI()
    app.add_api_route("/", nothing, name="home", response_model=None)
    app.add_api_route("/berths/{code}/plan.svg", nothing, name="berth", response_model=None)
    app.add_api_route("/files/{path:path}", nothing, name="file", response_model=None)
    return app


def starlette() -> Starlette:
    routes = [Route("/", nothing, name="home"), Route("/files/{path:path}", nothing, name="file")]
    return Starlette(routes=[*routes, Mount("/berths", routes=[Route("/{code}/plan.svg", nothing, name="berth")])])


def aio() -> web.Application:
    app = web.Application()
    app.router.add_get("/", nothing, name="home")
    app.router.add_get("/files/{path:.+}", nothing, name="file")
    app.router.add_get("/berths/{code}/plan.svg", nothing, name="berth")
    app.router.add_static("/static", "/tmp", name="static")  # noqa: S108  any folder
    return app


class Views:
    """A resource of Falcon, and those below it."""

    async def on_get(self, _req: Any, resp: Any, **values: str) -> None:
        resp.media = values

    async def on_get_berth(self, req: Any, resp: Any, **values: str) -> None:
        await self.on_get(req, resp, **values)

    async def on_get_file(self, req: Any, resp: Any, **values: str) -> None:
        await self.on_get(req, resp, **values)

    async def on_get_twice(self, req: Any, resp: Any) -> None:
        await self.on_get(req, resp)


class WsgiViews:
    """The same for WSGI."""

    def on_get(self, _req: Any, resp: Any, **values: str) -> None:
        resp.media = values

    def on_get_berth(self, req: Any, resp: Any, **values: str) -> None:
        self.on_get(req, resp, **values)

    def on_get_file(self, req: Any, resp: Any, **values: str) -> None:
        self.on_get(req, resp, **values)

    def on_get_twice(self, req: Any, resp: Any) -> None:
        self.on_get(req, resp)


def with_routes(app: Any, views: Any) -> Any:
    app.add_route("/", views)
    app.add_route("/files/{path:path}", views, suffix="file")
    app.add_route("/berths/{code}/plan.svg", views, suffix="berth")
    app.add_route("/a", views, suffix="twice")
    app.add_route("/b", views, suffix="twice")
    return app


def of_starlette(app: Any, url: str) -> dict[str, str]:
    """Return the parameters that Starlette or FastAPI reads out of a URL, whose path the server has decoded."""
    scope = {"type": "http", "method": "GET", "path": unquote(url, errors="surrogateescape"), "root_path": ""}
    for route in app.router.routes:
        match, child = route.matches({**scope, "headers": []})
        if match.name == "FULL" and isinstance(route, Mount):
            for inner in route.routes:
                match, found = inner.matches({**scope, **child})
                if match.name == "FULL":
                    return dict(found["path_params"])
        elif match.name == "FULL":
            return dict(child["path_params"])
    raise AssertionError(url)


def of_aiohttp(app: Any, url: str) -> dict[str, str]:
    found = asyncio.run(app.router.resolve(make_mocked_request("GET", url)))
    assert found.http_exception is None, url
    return dict(found)


def of_falcon(app: Any, url: str) -> dict[str, str]:
    answer = falcon.testing.simulate_get(app, url)
    assert answer.status_code == 200, url
    found: dict[str, str] = answer.json
    return found


WSGI, ASGI = with_routes(falcon.App(), WsgiViews()), with_routes(falcon.asgi.App(), Views())
ROUTERS: dict[str, tuple[Any, Callable[[Any, str], dict[str, str]], tuple[str, str, str]]] = {
    "starlette": (starlette(), of_starlette, ("home", "berth", "file")),
    "fastapi": (fast(), of_starlette, ("home", "berth", "file")),
    "aiohttp": (aio(), of_aiohttp, ("home", "berth", "file")),
    "falcon": (WSGI, of_falcon, ("WsgiViews", "WsgiViews.berth", "WsgiViews.file")),
    "falcon asgi": (ASGI, of_falcon, ("Views", "Views.berth", "Views.file")),
}
TEXTS = st.text(st.sampled_from("ab/.%2F ?#&é\\+;:@~!'\"<>日\u2028"), max_size=6) | st.text(max_size=4)


@pytest.mark.parametrize("name", ROUTERS)
def test_links_lead_to_their_routes(name: str) -> None:
    """A link is the path of the route, in the application and in its router; what is wrong is said with the names."""
    app, _, (home, berth, file) = ROUTERS[name]
    for links in (app, getattr(app, "router", app)):
        page = Engine(links=links).compile(
            f'<a href="{{= link("{home}") =}}">{{= link("{berth}", code="a b") =}} {{= link("{file}", path="a/é") =}}</a>'
        )
        path = "a/%C3%A9" if name != "aiohttp" else "a%2F%C3%A9"
        assert page.render() == f'<a href="/">/berths/a%20b/plan.svg /files/{path}</a>'
    engine = Engine(links=app)
    for call, said in {
        f'link("{berth}s", code=1)': f'Did you mean "{berth}"?',
        f'link("{berth}")': "code",
        f'link("{berth}", cod="a")': "cod",
        f'link("{file}", path="..")': "the parameter \"path\" is '..', which is not a path segment.",
    }.items():
        with pytest.raises(RenderError) as found:
            engine.compile(f"{{= {call} =}}").render()
        assert said in found.value.message or (name == "aiohttp" and "%2F" not in call)


@cache
def page_of(name: str, route: str, parameter: str) -> Template:
    """Return a page that is a link."""
    return Engine(links=ROUTERS[name][0]).compile(f'{{= link("{route}", {parameter}=x) =}}', "a.txt")


@pytest.mark.parametrize("name", ROUTERS)
@given(data=st.data())
def test_values_are_encoded_once(name: str, data: st.DataObject) -> None:
    """The framework reads out of a link the value that was put into it, or the link is refused."""
    app, read, (_, *routes) = ROUTERS[name]
    for route, parameter in zip(routes, ("code", "path"), strict=True):
        value = data.draw(TEXTS)
        # The patterns of Starlette take the end of a line for that of the path.
        value = value.replace("\n", "") if read is of_starlette else value
        try:
            url = page_of(name, route, parameter).render(x=value)
        except RenderError:
            # Braces, and the end of a line, which aiohttp's own patterns leave out.
            braces = name == "aiohttp" and set(value) & {"{", "}", "\n"}
            assert braces or "/" in value or value in {"", ".", ".."}, repr(value)
            continue
        assert url.startswith("/")
        assert not url.startswith("//")
        assert url.isascii()
        assert read(app, url) == {parameter: value}


def test_routes_that_are_added_later() -> None:
    """An application adds its routes after it has made its engine; a name of several paths is not one."""
    app = web.Application()
    page = Engine(links=app).compile('{= link("late") =}')
    with pytest.raises(RenderError, match='there is no route "late"'):
        page.render()
    app.router.add_get("/late", nothing, name="late")
    assert page.render() == "/late"
    with pytest.raises(RenderError, match=r'there is no route "Views\.twice"'):
        Engine(links=ASGI).compile('{= link("Views.twice") =}').render()


def test_a_route_that_does_not_match() -> None:
    """What the pattern of a route does not match is no link to it."""
    app = web.Application()
    app.router.add_get("/{year:[0-9]+}", nothing, name="year")
    page = Engine(links=app).compile('{= link("year", year=x) =}')
    assert page.render(x=2031) == "/2031"
    with pytest.raises(RenderError, match='the route "year" does not match /next, which these parameters make'):
        page.render(x="next")


def test_a_function_is_given_encoded_values() -> None:
    """A function only puts its parameters into the path: they are encoded already, once."""

    def path(name: str, **values: str) -> str:
        return f"/{name}/{'/'.join(values.values())}"

    value = "50% é/?#"
    url = Engine(links=path).compile('{= link("berth", code=x) =}', "a.txt").render(x=value.replace("/", ""))
    assert url == f"/berth/{quote(value.replace('/', ''))}"
