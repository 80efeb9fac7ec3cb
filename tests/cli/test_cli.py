"""The command line, run as a person runs it."""

from __future__ import annotations

import inspect
import json
import os
import platform
import shutil
import signal
import subprocess
import sys
from pathlib import Path

import click
import pytest
from serving import ask, running
from support import untor

from untor import __version__
from untor.cli import messages
from untor.cli.main import main
from untor.escape.accelerated import WHY_NOT

BOARD = "<p>{= day | date =}: <! for call in calls !>{= call.name =} <! end !></p>"
DATA = {"day": "2031-05-17", "calls": [{"name": "Sea <Holly>"}]}
PAGE = "<p>May 17, 2031: Sea &lt;Holly&gt; </p>"


@pytest.fixture
def site(tmp_path: Path) -> Path:
    (tmp_path / "templates").mkdir()
    (tmp_path / "templates/board.html").write_text(BOARD, "utf-8")
    (tmp_path / "board.json").write_text(json.dumps(DATA), "utf-8")
    (tmp_path / "calls.json").write_text(json.dumps(DATA["calls"]), "utf-8")
    return tmp_path


@pytest.mark.parametrize("arguments", [
    ["board", "--data", "board.json"],
    ["board.html", "--data", "board.json"],
    ["templates/board.html", "--data", "board.json"],
    ["board", "--data", "calls.json", "--set", "day=2031-05-17"],
    ["board", "--data", "calls=calls.json", "--set", 'day="2031-05-17"'],
    ["board", "--set", 'calls=[{"name": "Sea <Holly>"}]', "--set", "day=2031-05-17"],
    ["board", "--folder", "nowhere", "--folder", "templates", "--data", "board.json", "-o", "-"],
])  # fmt: skip
def test_render(site: Path, arguments: list[str]) -> None:
    """A page can be named and given its data in several ways."""
    assert untor("render", *arguments, folder=site) == (0, PAGE, "")


def test_render_from_standard_input_into_a_file(site: Path) -> None:
    """Data comes from standard input, the page goes into a file."""
    assert untor("render", "board", "--data", "-", "-o", "out.html", folder=site, given=json.dumps(DATA)) == (0, "", "")
    assert (site / "out.html").read_text("utf-8") == PAGE


def test_folders_from_pyproject(site: Path) -> None:
    """Without --folder, the nearest pyproject.toml names the folders."""
    (site / "pyproject.toml").write_text('[tool.untor]\nfolders = ["templates"]\n', "utf-8")
    (site / "deeper").mkdir()
    assert untor("render", "board", "--data", "../board.json", folder=site / "deeper") == (0, PAGE, "")


def test_links_pipes_and_folders_as_output(site: Path) -> None:
    """A link is followed, a pipe and a device are written to, and a folder is refused before the page is rendered."""
    (site / "real.html").write_text("old", "utf-8")
    (site / "link.html").symlink_to("real.html")
    os.mkfifo(site / "pipe")
    reader = subprocess.Popen(["/bin/cat", "pipe"], cwd=site, stdout=subprocess.PIPE)
    for output in ("link.html", "pipe", "/dev/null"):
        assert untor("render", "board", "--data", "board.json", "-o", output, folder=site) == (0, "", "")
    assert (site / "link.html").is_symlink()
    assert (site / "real.html").read_text("utf-8") == reader.communicate(timeout=30)[0].decode() == PAGE
    assert Path("/dev/null").is_char_device()
    for output, said in (("templates", "templates is a folder."), ("no/out.html", "there is no folder ")):
        status, _, errors = untor("render", "board", "-o", output, folder=site)
        assert (status, f"Error: Invalid value for -o: {said}" in errors) == (2, True)


def test_folders_of_others_are_passed_over(site: Path) -> None:
    """Hidden folders, virtual environments and installed packages have no templates of the site."""
    for folder in (".hidden", "node_modules/kit", "env", "pages"):
        (site / folder).mkdir(parents=True)
        (site / folder / "page.html").write_text("<p>x</p>", "utf-8")
    (site / "env/pyvenv.cfg").touch()
    for path in (*(site / "templates").iterdir(), site / "templates"):
        path.unlink() if path.is_file() else path.rmdir()
    for command in (["check"], ["render", "pages/page"], ["explain", "page"], ["probe", "page"]):
        status, output, errors = untor(*command, folder=site)
        assert (status, output, "no template in the current folder. Name a folder" in errors) == (2, "", True)
    (site / "index.html").write_text("<p>x</p>", "utf-8")
    assert untor("check", folder=site)[:2] == (0, "2 templates checked: nothing is wrong.\n")


def test_a_page_that_fails_leaves_the_file(site: Path) -> None:
    """When a page fails, its output file stays as it was, and nothing else is left behind."""
    (site / "out.html").write_text("old", "utf-8")
    status, output, errors = untor("render", "board", "-o", "out.html", folder=site)
    assert (status, output, (site / "out.html").read_text("utf-8")) == (1, "", "old")
    assert errors.startswith('untor: board.html, line 1, column 7: There is no "day" here.\n')
    assert sorted(path.name for path in site.iterdir()) == ["board.json", "calls.json", "out.html", "templates"]


PROBLEMS = [
    (["render", "bord"], 2, 'untor: There is no template "bord".\n  Did you mean "board"?\n  Looked in templates.\n'),
    (["render", "board", "--folder", "nowhere"], 2, 'untor: There is no template "board".\n  Looked in nowhere (which does not exist).\n'),
    (["render", "../board"], 2, "untor: '../board' is not a valid name of a template: it has an empty part, . or .. in it.\n  Names are relative to the templates' folders, with / between folders.\n"),
    (
        ["render", "board", "--data", "bad.json"],
        1,
        "untor: bad.json, line 2, column 3: This is not JSON: expecting property name enclosed in double quotes.\n"
        '  2 |   day: 1}\n    |   ^\n  Names are in double quotes: {"name": …}, with no comma at the end.\n',
    ),
    (["render", "board", "--data", "latin.json"], 1, "untor: latin.json, line 1, column 3: This is not UTF-8: the byte 0xE9 is not valid here.\n"),
    (["render", "board", "--data", "gone.json"], 1, "untor: The data file cannot be read: gone.json: no such file or directory.\n"),
    (
        ["render", "board", "--data", "board.ini"],
        1,
        "untor: The data file cannot be read: board.ini has none of the endings .json, .toml, .yaml, .yml, .csv, .tsv, .xml, .sqlite, "
        ".sqlite3, .db, which decide how it is read.\n",
    ),
    (["render", "latin"], 1, "untor: latin.html, line 1, column 5: This file is not UTF-8: the byte 0xE9 is not valid here.\n  1 | <p>a�\n    |     ^\n  Save the template as UTF-8.\n"),
    (["render", "board", "--data", "board.json", "-o", "no/out.html"], 2, "Usage: python -m untor render [OPTIONS] PAGE\n"),
    (["render", "board", "--set", "day"], 2, "Usage: python -m untor render [OPTIONS] PAGE\n"),
    (["rendr"], 2, "Usage: python -m untor [OPTIONS] COMMAND [ARGS]...\n"),
    (["demo", "board.json"], 2, "Usage: python -m untor demo [OPTIONS]\n"),
]  # fmt: skip


@pytest.mark.parametrize(("arguments", "status", "message"), PROBLEMS)
def test_problem(site: Path, arguments: list[str], status: int, message: str) -> None:
    """Whatever is wrong: a message on standard error, an exit status, no traceback."""
    (site / "bad.json").write_text("{\n  day: 1}", "utf-8")
    (site / "latin.json").write_bytes(b'["\xe9"]')
    (site / "templates/latin.html").write_bytes(b"<p>a\xe9")
    found, output, errors = untor(*arguments, folder=site)
    assert (found, output) == (status, "")
    assert errors.startswith(message)
    assert "Traceback" not in errors


COMMANDS = {name: each for name, each in main.commands.items() if not isinstance(each, click.Group)}
COMMANDS |= {f"messages {name}": each for name, each in messages.command.commands.items()}


@pytest.mark.parametrize("name", COMMANDS)
def test_help(name: str) -> None:
    """The help of a command has examples, its exit statuses and the options of all, and a summary that fits."""
    command = COMMANDS[name]
    assert len(command.get_short_help_str(100)) <= 50
    assert command.help is not None
    text = inspect.cleandoc(command.help)
    assert f"\n\x08\nuntor {name}" in text
    assert "\n\nExit status: 0 " in text
    options = {option for parameter in command.params for option in parameter.opts}
    assert {"-q", "--quiet"} <= options
    if name not in {"demo", "start"}:
        assert {"--folder", "--engine"} <= options


def test_help_as_it_is_shown(tmp_path: Path) -> None:
    """The help of a command shows how it is called, a line each."""
    status, output, _ = untor("render", "--help", folder=tmp_path)
    assert status == 0
    assert "\n  untor render arrivals --data arrivals.json\n  untor render templates/vessel.html " in output


def test_version(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The version says whether the extension is in use, and why not."""
    begin = f"untor {__version__} on {platform.python_implementation()} {platform.python_version()}, with"
    how = f"out the extension in C ({WHY_NOT})" if WHY_NOT else " the extension in C"
    assert untor("--version", folder=tmp_path) == (0, f"{begin}{how}\n", "")
    monkeypatch.setenv("UNTOR_EXTENSION", "off")
    assert untor("--version", folder=tmp_path)[1] == f"{begin}out the extension in C (UNTOR_EXTENSION=off)\n"


@pytest.mark.parametrize(("arguments", "loud", "quiet"), [
    (["check"], "1 template checked: nothing is wrong.\n", ""),
    (["check", "--folder", "wrong"], "1 template checked: 1 error and 0 warnings", "wrong/a.html:1:"),
    (["explain", "board"], "board.html prints 2 values.", "call.name"),
    (["probe", "board", "--data", "board.json"], "The structure stays the same.\n", ""),
    (["start", "new"], "untor serve new\n", ""),
    (["render", "board", "--data", "board.json"], PAGE, PAGE),
])  # fmt: skip
def test_quiet(site: Path, arguments: list[str], loud: str, quiet: str) -> None:
    """With -q, results and errors are all that is printed; the exit status is the same."""
    (site / "wrong").mkdir()
    (site / "wrong/a.html").write_text("{= x", "utf-8")
    status, output, _ = untor(*arguments, folder=site)
    assert loud in output
    shutil.rmtree(site / "new", ignore_errors=True)
    assert untor(*arguments, "-q", folder=site)[0] == status
    shutil.rmtree(site / "new", ignore_errors=True)
    output = untor(*arguments, "--quiet", folder=site)[1]
    assert (output == "", quiet in output) == (quiet == "", True)
    assert loud not in output or loud == quiet


@pytest.mark.parametrize(
    "environment",
    [{"LC_ALL": "C", "PYTHONCOERCECLOCALE": "0", "PYTHONUTF8": "0"}, {"COLUMNS": "40"}, {"HOME": ""}],
    ids=str,
)
def test_odd_surroundings(site: Path, environment: dict[str, str]) -> None:
    """Without a locale, without a home, in a narrow window: no traceback, and the page is the same."""
    (site / "templates/é.html").write_text("<p>é{= x =}</p>", "utf-8")
    surroundings = {"PATH": os.environ["PATH"], **environment}
    commands = [["explain", "é"], ["check"], ["check", "--help"], ["probe", "é", "--set", "x=ü"], ["render", "é"]]
    for arguments in [*commands, ["render", "é", "--set", "x=ü"]]:
        command = [sys.executable, "-m", "untor", *arguments]
        done = subprocess.run(command, cwd=site, env=surroundings, capture_output=True, check=False)
        assert b"Traceback" not in done.stderr
        assert done.returncode == (arguments == ["render", "é"])
    assert done.stdout.decode() == "<p>éü</p>"


def test_closed_pipes(site: Path) -> None:
    """Somebody who has read enough ends the command."""
    (site / "templates/long.html").write_text("".join(f"<p>{{= x{n} =}}" for n in range(3000)), "utf-8")
    command = [sys.executable, "-m", "untor", "explain", "long"]
    with subprocess.Popen(command, cwd=site, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
        assert process.stdout is not None
        assert process.stderr is not None
        process.stdout.read(10)
        process.stdout.close()
        assert process.stderr.read() == b""


def test_completion(site: Path) -> None:
    """A shell completes commands, names of templates and files."""

    def completed(*words: str) -> list[str]:
        given = {"_UNTOR_COMPLETE": "bash_complete", "COMP_WORDS": " ".join(words), "COMP_CWORD": str(len(words) - 1)}
        command = [Path(sys.executable).with_name("untor")]
        done = subprocess.run(
            command, cwd=site, env={**os.environ, **given}, capture_output=True, text=True, check=False
        )
        return done.stdout.split()

    assert completed("untor", "ch") == ["plain,check"]
    assert completed("untor", "render", "bo") == ["plain,board", "file,bo"]
    assert completed("untor", "render", "board", "-o", "x") == ["file,x"]


def test_an_engine_of_a_project_above(site: Path) -> None:
    """The engine in a pyproject.toml is imported from its folder, wherever in the project one is."""
    (site / "pyproject.toml").write_text('[tool.untor]\nengine = "harbour_views:pages"\n', "utf-8")
    views = "from pathlib import Path\nfrom untor import Engine\n"
    views += "pages = Engine(Path(__file__).parent / 'templates', globals={'port': 'Port Ellery'})\n"
    (site / "harbour_views.py").write_text(views, "utf-8")
    (site / "templates/port.html").write_text("{= port =}", "utf-8")
    (site / "deeper").mkdir()
    assert untor("render", "port", folder=site / "deeper") == (0, "Port Ellery", "")
    assert untor("check", "-q", folder=site / "deeper") == (0, "", "")


@pytest.mark.parametrize(("settings", "message"), [
    ("[tool.untor\n", "pyproject.toml cannot be read: "),
    ("[tool.untor]\nfolders = 5\n", 'folders in [tool.untor] must be a list, like ["templates"]'),
])  # fmt: skip
def test_wrong_settings(site: Path, settings: str, message: str) -> None:
    """Settings that cannot be read are a usage error that names the file."""
    (site / "pyproject.toml").write_text(settings, "utf-8")
    status, output, errors = untor("render", "board", "--data", "board.json", folder=site)
    assert (status, output) == (2, "")
    assert message in errors


def test_a_page_outside_of_all_folders(site: Path) -> None:
    """A file in none of the folders finds its layout in the nearest folder named templates, else beside itself."""
    for folder in ("shop/templates/mail", "loose"):
        (site / folder).mkdir(parents=True)
    (site / "shop/templates/frame.html").write_text("<p><! slot !></p>", "utf-8")
    (site / "shop/templates/mail/note.html").write_text('<! layout "frame" !>{= x =}', "utf-8")
    (site / "loose/a.html").write_text('<! include "b" !>', "utf-8")
    (site / "loose/b.html").write_text("b", "utf-8")
    assert untor("render", "shop/templates/mail/note.html", "--set", "x=<", folder=site) == (0, "<p>&lt;</p>", "")
    assert untor("render", "loose/a.html", folder=site) == (0, "b", "")


def test_commands_load_what_they_use(site: Path) -> None:
    """Rendering loads no other command, and nothing of the checker."""
    script = (
        "import sys; from untor.cli.main import main\n"
        "main(['render', 'board', '--data', 'board.json'], standalone_mode=False)\n"
        "print('', *sys.modules, sep='\\n')"
    )
    done = subprocess.run([sys.executable, "-c", script], cwd=site, capture_output=True, text=True, check=True)
    page, *loaded = done.stdout.splitlines()
    assert page == PAGE
    ours = [name.split(".")[1:3] for name in loaded if name.startswith("untor.")]
    assert not {"check", "inference", "probe", "serve", "site"} & {name[0] for name in ours}
    assert not {*main.commands} - {"render"} & {name[1] for name in ours if name[0] == "cli" and name[1:]}


@pytest.mark.skipif(sys.platform == "win32", reason="no such signals")
@pytest.mark.parametrize(("signal_", "status"), [(signal.SIGTERM, 143), (signal.SIGINT, 0)])
def test_asked_to_end(signal_: signal.Signals, status: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A command that is asked to end stops with its status, and leaves no temporary file."""
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    with running("untor", "demo", "--port", "0", folder=tmp_path) as (url, process):
        assert ask(url).status == 200
        assert [*tmp_path.iterdir()], "the demo keeps its database in a temporary folder"
        process.send_signal(signal_)
        assert process.wait(20) == status
        assert process.stdout is not None
        assert "Traceback" not in process.stdout.read()
    assert not [*tmp_path.iterdir()]
