"""The applications of the documentation, each under the servers that it can run under, asked over HTTP."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from serving import ask, started

EXAMPLES = Path(__file__).parents[2] / "examples"

UVICORN = ("-m", "uvicorn", "--port", "{port}")
HYPERCORN = ("-m", "hypercorn", "--bind", "127.0.0.1:{port}")
GRANIAN = ("-m", "granian", "--port", "{port}", "--interface")
GUNICORN = ("-m", "gunicorn", "--bind", "127.0.0.1:{port}", "--threads", "2")
WAITRESS = ("-m", "waitress", "--listen=127.0.0.1:{port}")
STANDARD = "from wsgiref.simple_server import make_server as f; from {} import app; f('127.0.0.1', {{port}}, app).serve_forever()"
OWN = "from aiohttp.web import run_app; from aiohttp_app import app; run_app(app, host='127.0.0.1', port={port})"

SERVERS: dict[str, tuple[str, ...]] = {
    "asgi_app uvicorn": UVICORN,
    "asgi_app hypercorn": HYPERCORN,
    "asgi_app granian": (*GRANIAN, "asgi"),
    "starlette_app uvicorn": UVICORN,
    "starlette_app hypercorn": HYPERCORN,
    "starlette_app granian": (*GRANIAN, "asgi"),
    "fastapi_app uvicorn": UVICORN,
    "fastapi_app hypercorn": HYPERCORN,
    "fastapi_app granian": (*GRANIAN, "asgi"),
    "falcon_app uvicorn": UVICORN,
    "falcon_app hypercorn": HYPERCORN,
    "falcon_app granian": (*GRANIAN, "asgi"),
    "wsgi_app gunicorn": GUNICORN,
    "wsgi_app waitress": WAITRESS,
    "wsgi_app granian": (*GRANIAN, "wsgi"),
    "wsgi_app wsgiref": ("-c", STANDARD.format("wsgi_app")),
    "falcon_wsgi_app gunicorn": GUNICORN,
    "falcon_wsgi_app waitress": WAITRESS,
    "falcon_wsgi_app granian": (*GRANIAN, "wsgi"),
    "falcon_wsgi_app wsgiref": ("-c", STANDARD.format("falcon_wsgi_app")),
    "aiohttp_app aiohttp": ("-c", OWN),
    "aiohttp_app gunicorn": (*GUNICORN, "-k", "aiohttp.GunicornWebWorker"),
}


def test_every_example_is_started() -> None:
    """No application is left out, and each is short."""
    files = {each.stem for each in EXAMPLES.glob("*_app.py")}
    assert files == {name.split()[0] for name in SERVERS}
    assert all(len((EXAMPLES / f"{each}.py").read_text("utf-8").splitlines()) < 60 for each in files)


@pytest.mark.parametrize("name", SERVERS)
def test_example(name: str) -> None:
    """An example runs under a real server, and answers with strict policies, cookies, 304 and whole pages."""
    example, command = name.split(maxsplit=1)[0], SERVERS[name]
    module = () if command[0] == "-c" else (f"{example}:app",)
    with started(*command, *module, folder=EXAMPLES) as (url, _):
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
