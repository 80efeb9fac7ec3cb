"""Static files and links: the helpers asset, integrity and link."""

from __future__ import annotations

import base64
import hashlib
import os
import pickle
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.applications import Starlette
from starlette.routing import Mount, Route

from untor import Engine, MarkError, RenderError
from untor.runtime.filter_error import FilterProblem
from untor.web.routes import Links
from untor.web.static import Assets

if TYPE_CHECKING:
    from pathlib import Path

ROUTES = {"home": "/", "vessel": "/vessels/{id}", "file": "/files/{kind}/{path}", "out": "https://ellery.example/{id}"}


@pytest.fixture
def static(tmp_path: Path) -> Path:
    (tmp_path / "static/icons").mkdir(parents=True)
    (tmp_path / "static/site.css").write_text("p {}", "utf-8")
    (tmp_path / "static/icons/a b#é.svg").write_text("<svg/>", "utf-8")
    (tmp_path / "secret.txt").write_text("secret", "utf-8")
    (tmp_path / "static/link").symlink_to(tmp_path / "secret.txt")
    return tmp_path / "static"


def test_asset(static: Path) -> None:
    """The URL of a file changes with its content, and is one that scripts and styles may be loaded from."""
    engine = Engine(static=static, reload=True)
    page = engine.compile(
        '<link rel="stylesheet" href="{= asset("site.css") =}" integrity="{= integrity("site.css") =}">'
    )
    digest = hashlib.sha256(b"p {}").hexdigest()[:16]
    whole = base64.b64encode(hashlib.sha384(b"p {}").digest()).decode()
    before = page.render()
    assert before == f'<link rel="stylesheet" href="/static/site.css?v={digest}" integrity="sha384-{whole}">'
    (static / "site.css").write_text("q {}", "utf-8")
    os.utime(static / "site.css", ns=(1, 1))
    assert page.render() != before
    image = engine.compile('<img src="{= asset(name) =}" alt="">').render(name="icons/a b#é.svg")
    assert image.startswith('<img src="/static/icons/a%20b%23%C3%A9.svg?v=')
    assert engine.check() == []


def test_assets_are_read_once(static: Path) -> None:
    """Without reload, a file is read once."""
    page = Engine(static={"https://cdn.ellery.example/a/": static}).compile('{= asset("site.css") =}')
    before = page.render()
    assert before.startswith("https://cdn.ellery.example/a/site.css?v=")
    (static / "site.css").write_text("another", "utf-8")
    assert page.render() == before


@pytest.mark.parametrize("name", ["../secret.txt", "link", "", "/etc/passwd", "icons", "icons/../site.css", "icons//a",
                                  "a\\b", "a\0b", ".", "..", "site.css/", "nowhere.css", 3, None])  # fmt: skip
def test_no_asset(static: Path, name: Any) -> None:
    """Nothing outside of the folder has a URL, by whatever name."""
    with pytest.raises(FilterProblem):
        Assets(static).asset(name)
    with pytest.raises(RenderError):
        Engine(static=static).compile("{= asset(name) =}").render(name=name)


@given(st.text(alphabet="abz./\\%é\0 ~", max_size=12))
def test_any_asset_stays_inside(name: str) -> None:
    """Whatever name is requested, the file found is one in the folder."""
    folder = Assets(os.path.dirname(__file__))  # noqa: PTH120  text is taken too
    try:
        _, path = folder.find(name)
    except FilterProblem:
        return
    assert path.resolve().is_relative_to(os.path.dirname(__file__))  # noqa: PTH120


LINKS = [
    ('link("home")', "/"),
    ('link("vessel", id=3)', "/vessels/3"),
    ('link("vessel", id="a/b ?#é")', "/vessels/a%2Fb%20%3F%23%C3%A9"),
    ('link("file", kind="k", path=["a b", "c"])', "/files/k/a%20b/c"),
    ('link("out", id=1)', "https://ellery.example/1"),
]


@pytest.mark.parametrize(("call", "url"), LINKS)
def test_link(call: str, url: str) -> None:
    """A link is the path of its route, each parameter one segment; it stays the same in a URL and in text."""
    page = Engine(links=ROUTES).compile(
        f'<a href="{{= {call} =}}">{{= {call} =}}</a><a href="{{= {call} =}}?a=b">x</a>'
    )
    assert page.render() == f'<a href="{url}">{url}</a><a href="{url}?a=b">x</a>'


WRONG = [
    ('asset("sit.css")', 'there is no static file "sit.css" in {static}. Did you mean "site.css"?'),
    ('integrity("x")', 'there is no static file "x" in {static}.'),
    ('link("vesel", id=3)', 'there is no route "vesel". Did you mean "vessel"?'),
    ('link("q")', 'there is no route "q". Routes are home, vessel, file, out.'),
    ('link("vessel", ids=3)', 'the route "vessel" has no parameter "ids". Did you mean "id"?'),
    ('link("home", id=3)', 'the route "home" has no parameter "id". The route "home" takes nothing.'),
    ('link("file")', 'kind, path are missing. The route "file" takes kind, path.'),
]


@pytest.mark.parametrize(("call", "trouble"), WRONG)
def test_wrong_call(static: Path, call: str, trouble: str) -> None:
    """A wrong name or parameter is found when compiling, with a suggestion; with a name from data, when rendering."""
    engine = Engine(static=static, links=ROUTES)
    word, said = call.partition("(")[0], trouble.format(static=static)
    with pytest.raises(MarkError) as found:
        engine.compile("<p>\n{= " + call + " =}")
    assert (found.value.code, found.value.line, found.value.column) == ("call-wrong", 2, 4)
    assert found.value.message == f'This call of "{word}" fails: {said}'
    name = call.partition('"')[2].partition('"')[0]
    with pytest.raises(RenderError) as later:
        engine.compile("{= " + call.replace(f'"{name}"', "name") + " =}").render(name=name)
    assert later.value.message == f'"{word}" failed: {said}'


@pytest.mark.parametrize(("value", "trouble"), [
    (None, "is None, which is not a path segment."), ("", "is '', which is not a path segment."), ("..", "is '..', which"),
    (["a", "."], "is '.', which"), ([], "is '', which"), (b"x", "which cannot be in a path"),
])  # fmt: skip
def test_wrong_parameter(value: object, trouble: str) -> None:
    """A value that would make another path of a link is an error."""
    with pytest.raises(RenderError, match="failed: the parameter") as found:
        Engine(links=ROUTES).compile('{= link("vessel", id=x) =}').render(x=value)
    assert trouble in found.value.message


def test_links_of_a_router() -> None:
    """Links come from the application's own router too, and its names are suggested."""
    routes = [
        Route("/v/{id:int}", print, name="vessel"),
        Mount("/s", name="static", routes=[Route("/{a}", print, name="a")]),
    ]
    app = Starlette(routes=routes)
    for router in (app, app.router, app.url_path_for):
        engine = Engine(links=router)
        assert engine.compile('{= link("vessel", id=3) =} {= link("static:a", a="b") =}').render() == "/v/3 /s/b"
    odd = Engine(links=app).compile('<a href="{= link("static:a", a=x) =}">x</a>')
    assert odd.render(x="a?b#c d") == '<a href="/s/a%3Fb%23c%20d">x</a>'
    for value in ("a/b", "../x", "a//b", ""):
        with pytest.raises(RenderError):
            odd.render(x=value)
    engine = Engine(links=app)
    for call, said in [
        ('link("vesel", id=3)', 'Did you mean "vessel"?'),
        ('link("vessel", i=3)', "It takes id, and was given i."),
    ]:
        with pytest.raises(RenderError, match="the router has no") as found:
            engine.compile(f"{{= {call} =}}").render()
        assert found.value.message.endswith(said)


@pytest.mark.parametrize("options", [
    {"static": {"static": "x"}}, {"static": {"//static": "x"}}, {"static": {"/a b": "x"}}, {"static": {"javascript:": "x"}},
    {"links": {"a": "vessels"}}, {"links": {"a": "//x"}}, {"links": {"a": "/{x}{y}"}}, {"links": {"a": "/{x}/{x}"}},
    {"links": {"a": "/a-{x}"}}, {"links": {"a": "/{not valid}"}}, {"links": {"a": "/{"}}, {"links": {"a": 3}}, {"links": 3},
    {"links": {"a": "javascript:{x}"}}, {"links": ROUTES, "helpers": {"link": print}}, {"static": "x", "helpers": {"asset": print}},
])  # fmt: skip
def test_options_that_cannot_be(options: dict[str, Any]) -> None:
    """Addresses that could not be right are refused when the engine is made."""
    with pytest.raises(ValueError, match=r"must be|takes|of its own"):
        Engine(**options)


def test_names_of_data_hide_helpers(static: Path) -> None:
    """A name that a template binds is that value, not the helper; engines with both pickle."""
    engine = Engine(static=static, links=Links(ROUTES).link)
    assert engine.compile('<! let link = {"a": 1} !>{= link.a =}').render() == "1"
    assert pickle.loads(pickle.dumps(Engine(static=static, links=ROUTES))).compile('{= link("home") =}').render() == "/"
    with pytest.raises(ValueError, match="of its own"):

        @engine.helper
        def asset() -> None:
            """Hide the engine's own."""


OWN = [
    ('<p hx-get="{= link("vessel", id=x) =}">', '<p hx-get="/vessels/%2F%2Fh">'), ("<iframe src={= link('vessel', id=x) =}></iframe>", '<iframe src="/vessels/%2F%2Fh"></iframe>'),
    ("<script>location = {= link('vessel', id=x) =}</script>", '<script>location = "/vessels/%2F%2Fh"</script>'),
    ("<script>frame.src = '{= link('vessel', id=x) =}'</script>", "<script>frame.src = '/vessels/%2F%2Fh'</script>"),
    ('<p hx-get="{= x =}">', '<p hx-get="about:invalid">'), ("<! let link = x !><p hx-get='{= link =}'>", "<p hx-get='about:invalid'>"),
    ('<p hx-get="{= [link("vessel", id=x)][0] =}">', '<p hx-get="about:invalid">'),
    ('<p hx-get="{= link("vessel", id=x) =}?a={= x =}">', '<p hx-get="/vessels/%2F%2Fh?a=%2F%2Fh">'), ('<p hx-get="{= link("vessel", id=x) =}#{= x =}">', '<p hx-get="/vessels/%2F%2Fh#%2F%2Fh">'),
    ('<p hx-get="{= link("vessel", id=x) =}/{= x =}">', '<p hx-get="about:invalid">'), ('<p hx-get="{= link("vessel", id=x) =}{= x =}">', '<p hx-get="about:invalid">'),
    ('<p hx-get="{= x =}?a={= link("vessel", id=x) =}">', '<p hx-get="about:invalid">'),
    ('<p hx-get="<! if not x !>{= link("vessel", id=x) =}<! else !>{= x =}<! end !>?a=1">', '<p hx-get="about:invalid">'),
    ('<p hx-get="<! for y in [1] !>{= x =}<! end !>{= link("vessel", id=x) =}?a={= x =}">', '<p hx-get="about:invalid">'),
]  # fmt: skip


@pytest.mark.parametrize(("source", "expected"), OWN)
def test_links_are_the_templates_own_text(source: str, expected: str) -> None:
    """What the helper ``link`` returns counts as the template's own text where the origin of a URL must be its own.

    So does an address with a query or a fragment after it, and nothing that could go on with its host.
    """
    assert Engine(links={"vessel": "/vessels/{id}"}).compile(source).render(x="//h") == expected
