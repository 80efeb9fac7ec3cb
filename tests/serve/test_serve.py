"""The preview and the site to begin from: real servers, asked over HTTP and by a browser."""

from __future__ import annotations

import json
import re
import signal
import subprocess
import sys
import time
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from serving import Answer, ask, running, served
from support import untor

from untor import Engine
from untor.cli.main import main
from untor.serve.preview import Preview
from untor.serve.server import CannotServe, bound, guarded, is_loopback
from untor.serve.viewer import NEVER_KEPT, PreviewApp

if TYPE_CHECKING:
    from collections.abc import Iterator

    from selenium.webdriver import Chrome


@pytest.fixture
def site(tmp_path: Path) -> Path:
    """A folder as people have it: templates, data beside them, a style."""
    (tmp_path / "templates/mail").mkdir(parents=True)
    (tmp_path / "static").mkdir()
    pages = {
        "frame.html": '<!doctype html><title>{= title =}</title><link rel="stylesheet" href="{= asset("a.css") =}"><! slot !>',
        "arrivals.html": '<! layout "frame" title="Arrivals" !><h1>{= heading =}</h1><! for call in calls !><p>{= call.name =}<! end !>',
        "arrivals.json": json.dumps({"heading": "Now", "calls": [{"name": "<b>Sea Holly</b>"}]}),
        "mail/index.txt": "Dear {= name =}",
        "beside.css": "p {}",
        "quay é 1.txt": "odd name",
        "secret.json": "{}",
    }
    for name, text in pages.items():
        (tmp_path / "templates" / name).write_text(text, "utf-8")
    (tmp_path / "static/a.css").write_text("h1 { color: rgb(1, 2, 3) }", "utf-8")
    return tmp_path


@contextmanager
def previewed(site: Path, said: list[str] | None = None) -> Iterator[str]:
    """Preview a site; give its URL."""
    engine = Engine(site / "templates", static=site / "static", reload=True)
    report = (said if said is not None else []).append
    preview = PreviewApp(Preview(engine, lambda: {"name": "Runa"}), [site], report)
    with served(guarded(preview.app, "127.0.0.1", NEVER_KEPT)) as url:
        try:
            yield url
        finally:
            preview.stop()


PAGE = (
    '<!doctype html><title>Arrivals</title><link rel="stylesheet" href="/static/a.css?v={}">'
    "<h1>Now</h1><p>&lt;b&gt;Sea Holly&lt;/b&gt;"
)


def test_preview_pages(site: Path) -> None:
    """Pages are sent as they are, with the data beside them; what they are made of, and never what is private."""
    with previewed(site) as url:
        for path in ("/arrivals", "/arrivals.html", "/arrivals/"):
            answer = ask(url + path)
            assert (answer.status, answer.headers["cache-control"]) == (200, "no-store")
            assert re.fullmatch(re.escape(PAGE).replace(r"\{\}", "[0-9a-f]{16}"), answer.body.decode())
        assert ask(f"{url}/mail").body == b"Dear Runa"
        assert ask(f"{url}/static/a.css?v=1").body.startswith(b"h1 {")
        assert ask(f"{url}/beside.css").body == b"p {}"
        assert ask(f"{url}/quay%20%C3%A9%201").body == b"odd name"
        for path in ("/secret.json", "/arrivals.json", "/..%2fsecret.json", "/nowhere", "/.hidden.css", "/static/../x"):
            assert ask(url + path).status == 404
        assert ask(f"{url}/arrivals", "POST").status == 405
        index = ask(f"{url}/~untor/").body.decode()
        assert re.findall(r'<th scope="row"><a href="([^"]*)">', index) == ["/arrivals", "/mail/", "/quay%20%C3%A9%201"]
        assert "arrivals.json" in index
        assert ask(url).headers["location"] == "/~untor/"
        explained = ask(f"{url}/~untor/explain/arrivals")
        assert b"call.name" in explained.body
        assert "'nonce-" in explained.headers["content-security-policy"]
        outline = ask(f"{url}/~untor/outline/arrivals")
        assert b"call.name" in outline.body
        assert "'nonce-" in outline.headers["content-security-policy"]
        for about in ("explain", "outline"):
            assert b"There is no template" in ask(f"{url}/~untor/{about}/arivals").body


def test_preview_of_hosts(site: Path) -> None:
    """A name of another machine is not answered, whatever the page; nor is anything kept."""
    with previewed(site) as url:
        port = url.rpartition(":")[2]
        for host, status in {
            "evil.example": 400,
            f"localhost:{port}": 200,
            f"[::1]:{port}": 200,
            "127.0.0.1.evil": 400,
        }.items():
            answer = ask(f"{url}/arrivals", host=host)
            assert (answer.status, answer.headers.get("cache-control")) == (
                status,
                "no-store" if status == 200 else None,
            )
    assert [is_loopback(host) for host in ("127.0.0.9", "::1", "localhost", "10.0.0.1", "localhost.evil")] == [
        True, True, True, False, False,
    ]  # fmt: skip


def shown(answer: Answer) -> str:
    """Return the text of an error page, without its style."""
    text = re.sub(r"(?s)<(style|script).*?</\1>", "", answer.body.decode())
    return " ".join(re.sub(r"<[^>]*>", " ", text).split())


def test_error_page(site: Path) -> None:
    """An error is a page with message, lines, hint and the values in reach; the values themselves when asked for."""
    (site / "templates/arrivals.html").write_text(
        '<! layout "frame" title="x" !>\n<! for call in calls !>\n<! let nothing = 1 !>\n<p>{= call.nam =}\n<! end !>',
        "utf-8",
    )
    said: list[str] = []
    with previewed(site, said) as url:
        answer = ask(f"{url}/arrivals?day=1")
        text = shown(answer)
        assert answer.status == 500
        assert said[0].startswith(
            'arrivals.html, line 4, column 12, item 1 of "calls": There is no "nam" in this dict.'
        )
        for part in ("MissingValue", "line 4, column 12", "4 &lt;p&gt;{= call. nam =}", "Did you mean &#34;name&#34;?".replace("&#34;", '"'),
                     "call this template dict with name", "nothing this template int", "heading the page's data str, 3 characters"):  # fmt: skip
            assert part in text, text
        assert "Sea Holly" not in text
        assert "Sea Holly" in shown(ask(f"{url}/arrivals?day=1&untor-values=1"))
        (site / "templates/arrivals.html").write_text("<p>{= a + =}<p>\n<! fro x !>", "utf-8")
        answer = ask(f"{url}/arrivals")
        assert "1 of 2" in shown(answer)
        linked, *_ = re.findall('<a href="(/~untor/problems/.*?)"', answer.body.decode())
        assert "An example page.html, line 1, column" in shown(ask(url + linked))
        assert ask(f"{url}/~untor/problems/nothing").status == 404
        (site / "templates/arrivals.json").write_text('{"a": }', "utf-8")
        assert "DataError" in shown(ask(f"{url}/arrivals"))
        assert 'Did you mean "arrivals"?' in shown(ask(f"{url}/arival"))


def test_live_reload(site: Path, browser: Chrome) -> None:
    """The page in the browser follows its template, layout, data and style; an error is shown until it is fixed."""
    page, frame = site / "templates/arrivals.html", site / "templates/frame.html"
    right = page.read_text("utf-8")

    def read(script: str) -> object:
        return browser.execute_script(f"const d = document.getElementById('page').contentDocument; return {script}")

    def wait(script: str, wanted: object) -> None:
        until = time.monotonic() + 20
        while (found := read(script)) != wanted:
            assert time.monotonic() < until, (script, found)
            time.sleep(0.05)

    with previewed(site) as url:
        browser.get(f"{url}/arrivals")
        wait("d.querySelector('h1')?.textContent", "Now")
        wait("document.getElementById('state').textContent", "reloads when a file changes")
        assert read("d.querySelector('p').textContent") == "<b>Sea Holly</b>"
        page.write_text(right.replace("{= heading =}", "Later"), "utf-8")
        wait("d.querySelector('h1')?.textContent", "Later")
        frame.write_text(frame.read_text("utf-8") + "<footer>end</footer>", "utf-8")
        wait("d.querySelector('footer')?.textContent", "end")
        (site / "templates/arrivals.json").write_text('{"heading": "x", "calls": [{"name": "Gannet"}]}', "utf-8")
        wait("d.querySelector('p')?.firstChild.data", "Gannet")
        (site / "static/a.css").write_text("h1 { color: rgb(9, 8, 7) }", "utf-8")
        wait("d.querySelector('h1') && getComputedStyle(d.querySelector('h1')).color", "rgb(9, 8, 7)")
        page.write_text("<p>{= heading", "utf-8")
        wait("d.querySelector('h1')?.textContent", "This print mark is never closed.")
        page.write_text(right, "utf-8")
        wait("d.querySelector('h1')?.textContent", "x")
        wait("document.title", "Arrivals")
        browser.get(f"{url}/~untor/")
        wait("d.querySelectorAll('tbody tr').length", 3)
        (site / "templates/new.html").write_text("new", "utf-8")
        wait("d.querySelectorAll('tbody tr').length", 4)


# --- commands ------------------------------------------------------------------------------------------------------


def test_serve_command(site: Path) -> None:
    """The command serves a folder, with data that it is given, and stops when it is told to."""
    (site / "calls.json").write_text('{"name": "Osk"}', "utf-8")
    for folder, cwd in ((".", site), ("templates", site), (str(site), Path("/"))):
        with running("untor", "serve", folder, "--port", "0", "--data", str(site / "calls.json"), folder=cwd) as (
            url,
            process,
        ):
            assert ask(f"{url}/mail").body == b"Dear Osk"
            assert ask(f"{url}/arrivals").status == 200
        assert process.returncode in {0, -signal.SIGINT}


def test_serve_troubles(site: Path) -> None:
    """What cannot be served is said, with what to do instead."""
    taken = bound("127.0.0.1", 0)
    port = taken.getsockname()[1]
    use = f"untor: port {port} is in use on 127.0.0.1; choose another with --port {port + 1}, or any free one with --port 0\n"
    cases = [
        (["--port", str(port)], 2, use),
        (["nowhere"], 2, "Error: nowhere does not exist.\n"),
        (["static/a.css"], 2, "Error: static/a.css is not a folder.\n"),
        (["--host", "nowhere.invalid"], 2, "untor: nowhere.invalid is not an address of this machine: "),
        (["--data", "no.json"], 1, "untor: The data file cannot be read: no.json: no such file or directory.\n"),
        (["--engine", "views:pages"], 2, 'Error: There is no module "views" for the engine views:pages. Looked in the current folder and where Python looks (sys.path).\n'),
        (["--port", "70000"], 2, "Error: Invalid value for '--port': '70000' is not an integer from 0 to 65535.\n"),
    ]  # fmt: skip
    for arguments, status, errors in cases:
        found = untor("serve", *arguments, folder=site)
        assert (found[0], found[1]) == (status, "")
        assert errors in found[2]
        assert "Traceback" not in found[2]
    taken.close()
    with pytest.raises(CannotServe, match=r"192\.0\.2\.1, port"):
        bound("192.0.2.1", 1)


@pytest.mark.parametrize(("command", "extra"), [("serve", "serve"), ("demo", "demo")])
def test_extra_missing(command: str, extra: str, tmp_path: Path) -> None:
    """Without the extra's packages, a command says what to install."""
    script = f"import sys; sys.modules['starlette'] = None; from untor.cli.main import main; main(['{command}'])"
    done = subprocess.run([sys.executable, "-c", script], cwd=tmp_path, capture_output=True, text=True, check=False)
    said = f'untor: this needs starlette.applications, which is not installed: pip install "untor[{extra}]"\n'
    assert (done.returncode, done.stderr) == (2, said)


def test_start(tmp_path: Path) -> None:
    """The site to begin from checks clean, passes its own tests, previews and answers; what is there is left alone."""
    status, output, errors = untor("start", "site", folder=tmp_path)
    assert (status, errors) == (0, "")
    assert output.endswith("Look at it:  untor serve site\n")
    folder = tmp_path / "site"
    code = [path.read_text("utf-8").split("\n") for path in folder.rglob("*") if path.suffix in {".py", ".html"}]
    assert sum(1 for lines in code for line in lines if line.strip()) < 120, "small enough to be read"
    assert untor("check", folder=folder) == (0, "4 templates checked: nothing is wrong.\n", "")
    tested = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider"], cwd=folder, capture_output=True, check=False
    )
    assert tested.returncode == 0, tested.stdout
    assert "3.5 m" in untor("render", "calls", "--data", "templates/calls.json", folder=folder)[1]
    with running("untor", "serve", "site", "--port", "0", folder=tmp_path) as (url, _):
        assert b'"/announce"' in ask(f"{url}/calls").body
    with running("uvicorn", "views:app", "--port", "0", folder=folder) as (url, _):
        for path, status in {"/": 200, "/announce": 200, "/static/site.css": 200, "/x": 404}.items():
            assert ask(f"{url}{path}").status == status, path
    before = sorted(path.name for path in folder.rglob("*"))
    refused = "untor: site: it is not empty, and nothing in it was touched\n"
    assert untor("start", "site", folder=tmp_path) == (1, "", refused)
    refused = "untor: site/views.py: it is a file; a folder is made here\n"
    assert untor("start", "site/views.py", folder=tmp_path)[2] == refused
    assert before == sorted(path.name for path in folder.rglob("*"))


# --- commands -----------------------------------------------------------------------------------------------------


def test_main_has_all_commands() -> None:
    """The commands are those of the manual."""
    names = "build check demo explain format language-server messages probe render serve start types"
    assert sorted(main.commands) == names.split()
