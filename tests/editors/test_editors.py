"""What is there for editors: the grammar for highlighting, as they run it, and the extension."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from support import cases

if TYPE_CHECKING:
    from support import Case

HERE = Path(__file__).parent
EXTENSION = HERE.parents[1] / "editors" / "extension"
GRAMMAR = EXTENSION / "untor.tmLanguage.json"
PACKAGES = ("vscode-textmate@9", "vscode-oniguruma@2")

NODE = shutil.which("node") or "node"

pytestmark = pytest.mark.skipif(shutil.which("npm") is None, reason="the grammar runs in Node.js, which is not here")


@pytest.fixture(scope="module")
def packages(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of the packages that run grammars."""
    folder = tmp_path_factory.mktemp("packages")
    command = ["npm", "install", "--no-save", "--silent", "--ignore-scripts", "--no-package-lock", *PACKAGES]
    subprocess.run([*command, "--prefix", str(folder)], check=True, capture_output=True, timeout=300)
    return folder / "node_modules"


def tokens(packages: Path, text: str, scope: str = "text.html.basic") -> list[tuple[str, list[str]]]:
    """Return the tokens of a text with their scopes, outermost first."""
    command = [NODE, *map(str, (HERE / "tokens.js", packages, GRAMMAR, HERE / "hosts.json", scope))]
    done = subprocess.run(command, input=text, capture_output=True, encoding="utf-8", check=True)
    return [(token, scopes) for line in json.loads(done.stdout) for token, scopes in line]


@pytest.mark.parametrize("case", cases("highlighting.txt"), ids=lambda case: case.title)
def test_scopes(packages: Path, case: Case) -> None:
    """Words have the scopes that the case names, and not those after a "!"."""
    found = tokens(packages, case.parts["template"])
    at = 0
    for line in case.parts["scopes"].splitlines():
        word, _, wanted = line.rpartition(": ")
        number = next(
            (index for index, (token, _) in enumerate(found) if index >= at and token.strip() == word.strip()), None
        )
        assert number is not None, (line, found[at:])
        at = number
        scopes = " ".join(found[number][1])
        for name in wanted.split():
            assert (name.removeprefix("!") in scopes) is not name.startswith("!"), (line, scopes)


@pytest.mark.parametrize(
    ("scope", "text"), [("text.xml", '<a b="{= c =}"/>{= c =}'), ("text.plain", "Hi {= c =}! <! if c !>")]
)
def test_other_hosts(packages: Path, scope: str, text: str) -> None:
    """Marks are coloured in XML and in plain text too."""
    found = [scopes for token, scopes in tokens(packages, text, scope) if token == "c"]  # noqa: S105  a word
    assert len(found) == 2
    assert all(scopes[-1] == "variable.other.untor" for scopes in found)


def test_extension() -> None:
    """What the extension's manifest names is there, and its client can be read by Node.js."""
    manifest = json.loads((EXTENSION / "package.json").read_text("utf-8"))
    (grammar,) = manifest["contributes"]["grammars"]
    assert (EXTENSION / grammar["path"]).samefile(GRAMMAR)
    assert json.loads(GRAMMAR.read_text("utf-8"))["scopeName"] == grammar["scopeName"]
    for name in (*manifest["files"], manifest["contributes"]["languages"][0]["configuration"]):
        assert (EXTENSION / name).is_file(), name
    subprocess.run([NODE, "--check", EXTENSION / manifest["main"]], check=True, capture_output=True)


def test_client(tmp_path: Path) -> None:
    """The extension starts the server, and gets what is wrong with a page; where it does not start, it says why."""
    extension = Path(shutil.copytree(EXTENSION, tmp_path / "extension"))
    command = ["npm", "install", "--omit=dev", "--silent", "--ignore-scripts", "--no-package-lock"]
    subprocess.run(command, cwd=extension, check=True, capture_output=True, timeout=300)
    site = tmp_path / "site"
    site.mkdir()
    (site / "page.html").write_text("<p>{= a + =}{= b", "utf-8")

    def run(*server: str) -> str:
        arguments = [NODE, str(HERE / "editor.js"), str(extension), json.dumps(server)]
        return subprocess.run(arguments, cwd=site, capture_output=True, text=True, check=True, timeout=100).stdout

    assert run(sys.executable, "-m", "untor", "language-server") == "active 2\nproblems 2\n"
    assert 'Untor: "nowhere" did not start' in run("nowhere")
