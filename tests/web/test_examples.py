"""The applications of the documentation, each under the servers that it can run under, asked over HTTP."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from serving import ask, command_of, started

EXAMPLES = Path(__file__).parents[2] / "examples"

RUNS = {
    "asgi_app": "uvicorn hypercorn granian",
    "starlette_app": "uvicorn hypercorn granian",
    "fastapi_app": "uvicorn hypercorn granian",
    "falcon_app": "uvicorn hypercorn granian",
    "wsgi_app": "gunicorn waitress granian wsgiref",
    "falcon_wsgi_app": "gunicorn waitress granian wsgiref",
    "aiohttp_app": "aiohttp gunicorn-aiohttp",
}
"""The applications, and the servers that each runs under."""


def test_every_example_is_started() -> None:
    """No application is left out, and each is short."""
    files = {each.stem for each in EXAMPLES.glob("*_app.py")}
    assert files == {*RUNS}
    assert all(len((EXAMPLES / f"{each}.py").read_text("utf-8").splitlines()) < 60 for each in files)


@pytest.mark.parametrize(("example", "server"), [(each, name) for each in RUNS for name in RUNS[each].split()])
def test_example(example: str, server: str) -> None:
    """An example runs under a real server, and answers with strict policies, cookies, 304 and whole pages."""
    with started(*command_of(server, example), folder=EXAMPLES) as (url, _):
        page = ask(f"{url}/?asked=%3C%2Fscript%3E%3Cscript%3Etaken()")
        assert page.status == 200
        assert page.headers["content-type"] == "text/html; charset=utf-8"
        assert b"taken()" in page.body
        assert b"<script>taken" not in page.body
        nonce = re.findall("'nonce-([^']*)'", page.headers["content-security-policy"])[0]
        assert re.findall('<script nonce="([^"]*)">', page.body.decode()) == [nonce]
        assert page.headers.get("set-cookie", "language=en").startswith("language=en")
        berth = ask(f"{url}/berths/P%224%22")
        assert b"&lt;script&gt;document.title" in berth.body
        again = ask(f"{url}/berths/P%224%22", if_none_match=berth.headers["etag"])
        assert (again.status, again.body, again.headers["etag"]) == (304, b"", berth.headers["etag"])
        assert "content-security-policy" not in again.headers
        head = ask(f"{url}/", "HEAD")
        assert (head.body, int(head.headers["content-length"]) > 100) == (b"", True)
        assert ask(f"{url}/nowhere").status == 404
        log = ask(f"{url}/log")
        assert log.headers["content-type"] == "text/plain; charset=utf-8"
        assert log.body.count(b"\n") in {3, 5000}
