"""The server as an editor starts it: a real client, over a pipe."""

from __future__ import annotations

import asyncio
import random
import shutil
import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from lsprotocol import types as lsp
from pygls.exceptions import JsonRpcException
from pygls.lsp.client import LanguageClient
from support import untor

from untor import demo

if TYPE_CHECKING:
    from collections.abc import Callable, Coroutine

PROJECT = '[tool.untor]\nfolders = ["templates"]\n[tool.untor.format]\nquotes = "single"\n'
BITS = [
    "{= ", "=}", "<! ", " !>", "for x in y", "end", 'include "', "|", ".", '"', "<", "\U0001f6a2", "\u2028", "\x00",
    "\r\n",
]  # fmt: skip
WAIT = 120


class Client(LanguageClient):
    """An editor: keeps what it is sent."""

    def __init__(self) -> None:
        super().__init__("editor", "1")
        self.problems: dict[str, list[lsp.Diagnostic]] = {}
        self.shown: list[str] = []
        self.news = asyncio.Event()

        @self.feature(lsp.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)  # type: ignore[untyped-decorator]
        def published(params: lsp.PublishDiagnosticsParams) -> None:
            self.problems[params.uri] = [*params.diagnostics]
            self.news.set()

        @self.feature(lsp.WINDOW_SHOW_MESSAGE)  # type: ignore[untyped-decorator]
        def shown(params: lsp.ShowMessageParams) -> None:
            self.shown.append(params.message)

        @self.feature(lsp.CLIENT_REGISTER_CAPABILITY)  # type: ignore[untyped-decorator]
        def registered(_params: lsp.RegistrationParams) -> None:
            return None

    async def until(self, holds: Callable[[], bool]) -> None:
        """Wait for problems that are as they are wanted."""
        async with asyncio.timeout(WAIT):
            while not holds():
                self.news.clear()
                await self.news.wait()

    def codes(self, uri: str) -> list[object]:
        """Return the codes of a file's problems."""
        return [problem.code for problem in self.problems.get(uri, [])]

    def write(self, uri: str, text: str, version: int) -> None:
        """Send the whole text of a file."""
        changes = [lsp.TextDocumentContentChangeWholeDocument(text)]
        identifier = lsp.VersionedTextDocumentIdentifier(version, uri)
        self.text_document_did_change(lsp.DidChangeTextDocumentParams(identifier, changes))


def session(folder: Path, work: Callable[[Client], Coroutine[object, object, None]]) -> None:
    """Work in an editor that has a folder open; the server has nothing to complain about, and ends when it is told."""

    async def whole() -> None:
        client = Client()
        await client.start_io(sys.executable, "-m", "untor", "language-server", cwd=folder)
        capabilities = lsp.ClientCapabilities(
            general=lsp.GeneralClientCapabilities(position_encodings=["utf-8", "utf-16"]),
            workspace=lsp.WorkspaceClientCapabilities(
                did_change_watched_files=lsp.DidChangeWatchedFilesClientCapabilities(dynamic_registration=True)
            ),
            text_document=lsp.TextDocumentClientCapabilities(
                completion=lsp.CompletionClientCapabilities(
                    completion_item=lsp.ClientCompletionItemOptions(snippet_support=True)
                )
            ),
        )
        async with asyncio.timeout(3 * WAIT):
            await client.initialize_async(lsp.InitializeParams(capabilities=capabilities, root_uri=folder.as_uri()))
            client.initialized(lsp.InitializedParams())
            await work(client)
            await client.shutdown_async(None)
            process = client._server
            assert process is not None
            client.exit(None)
            assert process.stderr is not None
            errors = await process.stderr.read()
            await process.wait()
        assert (process.returncode, errors.decode()) == (0, "imported\n" if client.shown[1:] else "")

    asyncio.run(whole())


def opened(client: Client, path: Path) -> str:
    """Open a file, and return its URL."""
    uri = path.as_uri()
    client.text_document_did_open(
        lsp.DidOpenTextDocumentParams(lsp.TextDocumentItem(uri, "html", 1, path.read_text("utf-8")))
    )
    return uri


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A project with a layout, a part and two pages."""
    files = {
        "pyproject.toml": PROJECT,
        "templates/base.html": '<! takes heading: str !><html lang="en"><title>{= heading =}</title><! slot !></html>',
        "templates/row.html": "<! takes call !><p>{= call.name =}</p>",
        "templates/page.html": '<! layout "base" heading="Berths" !>\n<! for call in calls !>\n<! include "row" call !>\n<! end !>\n',
        "templates/other.html": '<! layout "base" heading="Tides" !>\n<p>Tides</p>\n',
    }
    for name, text in files.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_text(text, "utf-8")
    return tmp_path


def test_session(folder: Path) -> None:
    """Edit, see what is wrong, also elsewhere, complete, fix, rename, format, save, close."""
    templates = folder / "templates"

    async def work(client: Client) -> None:
        page = opened(client, templates / "page.html")
        text = (templates / "page.html").read_text("utf-8")
        identifier = lsp.TextDocumentIdentifier(page)
        client.write(page, text + "<p>{= calls | lenn =}</p>{= calls.", 2)
        await client.until(lambda: client.codes(page) == ["filter-unknown", "print-unclosed"])

        found = await client.text_document_completion_async(lsp.CompletionParams(identifier, lsp.Position(4, 14)))
        assert isinstance(found, list)
        assert "upper" in [item.label for item in found]
        place = lsp.Range(lsp.Position(4, 14), lsp.Position(4, 16))
        actions = await client.text_document_code_action_async(
            lsp.CodeActionParams(identifier, place, lsp.CodeActionContext([]))
        )
        assert actions
        (edit,) = [action.edit for action in actions if isinstance(action, lsp.CodeAction) and action.is_preferred]
        assert edit
        assert edit.changes
        assert [change.new_text for change in edit.changes[page]] == ["len"]

        base = opened(client, templates / "base.html")
        layout = (templates / "base.html").read_text("utf-8")
        client.write(page, text, 3)
        client.write(base, layout.replace("heading: str", "title: str").replace("{= heading", "{= title"), 2)
        other = (templates / "other.html").as_uri()
        await client.until(lambda: "layout-argument" in client.codes(page) and "layout-argument" in client.codes(other))
        client.write(base, layout, 3)
        await client.until(lambda: client.codes(page) == client.codes(other) == [])

        at = lsp.Position(1, 8)
        renamed = await client.text_document_rename_async(lsp.RenameParams(identifier, at, "each"))
        assert renamed
        assert renamed.changes
        assert [change.new_text for change in renamed.changes[page]] == ["each", "call=each"]
        with pytest.raises(JsonRpcException, match="is passed by the view"):
            await client.text_document_rename_async(lsp.RenameParams(identifier, lsp.Position(1, 16), "rows"))

        client.write(page, text.replace('"row"', "  'row'").replace("<! end", "   <!end"), 4)
        options = lsp.FormattingOptions(2, insert_spaces=True)
        formatted = await client.text_document_formatting_async(lsp.DocumentFormattingParams(identifier, options))
        assert [edit.new_text for edit in formatted or []] == [
            "<! layout 'base' heading='Berths' !>",
            "<! include 'row' call !>",
            "",
            "<! end !>",
        ]
        ranged = await client.text_document_range_formatting_async(
            lsp.DocumentRangeFormattingParams(identifier, lsp.Range(lsp.Position(2, 0), lsp.Position(2, 5)), options)
        )
        assert [edit.new_text for edit in ranged or []] == ["<! include 'row' call !>"]

    session(folder, work)


def test_files(folder: Path) -> None:
    """Files that change, come and go without the editor are seen, and what depends on them is looked at."""
    templates = folder / "templates"

    async def work(client: Client) -> None:
        page = opened(client, templates / "page.html")
        identifier = lsp.TextDocumentIdentifier(page)
        await client.until(lambda: client.problems.get(page) == [])
        (templates / "row.html").write_text("<! takes call, more !>{= call =}{= more =}", "utf-8")
        changes = [lsp.FileEvent((templates / "row.html").as_uri(), lsp.FileChangeType.Changed)]
        client.workspace_did_change_watched_files(lsp.DidChangeWatchedFilesParams(changes))
        await client.until(lambda: "argument-missing" in client.codes(page))
        gone = templates / "gone.html"

        def noticed(kind: lsp.FileChangeType) -> None:
            changes = [lsp.FileEvent(gone.as_uri(), kind)]
            client.workspace_did_change_watched_files(lsp.DidChangeWatchedFilesParams(changes))

        gone.write_text("{= a + =}", "utf-8")
        noticed(lsp.FileChangeType.Created)
        await client.until(lambda: client.codes(gone.as_uri()) == ["expression-end"])
        gone.unlink()
        noticed(lsp.FileChangeType.Deleted)
        await client.until(lambda: client.codes(gone.as_uri()) == [])
        client.text_document_did_close(lsp.DidCloseTextDocumentParams(identifier))
        symbols = await client.workspace_symbol_async(lsp.WorkspaceSymbolParams("oth"))
        assert [symbol.name for symbol in symbols or []] == ["other.html"]

    session(folder, work)


def test_any_edits(tmp_path: Path) -> None:
    """Whatever is typed into the templates of the demo, each question has an answer, and none is an exception."""
    templates = shutil.copytree(Path(demo.__path__[0], "templates"), tmp_path / "templates")
    chance = random.Random(7)  # noqa: S311  for a test

    async def work(client: Client) -> None:
        for number in range(40):
            path = chance.choice(sorted(templates.iterdir()))
            uri = opened(client, path)
            text = path.read_text("utf-8")
            for version in range(2, 5):
                at = chance.randrange(len(text))
                text = text[:at] + chance.choice(BITS) + text[at + chance.randrange(3) :]
                client.write(uri, text, version)
                identifier = lsp.TextDocumentIdentifier(uri)
                place = lsp.Position(text.count("\n", 0, at), chance.randrange(40))
                whole = lsp.Range(lsp.Position(0, 0), place)
                await asyncio.gather(
                    client.text_document_hover_async(lsp.HoverParams(identifier, place)),
                    client.text_document_completion_async(lsp.CompletionParams(identifier, place)),
                    client.text_document_signature_help_async(lsp.SignatureHelpParams(identifier, place)),
                    client.text_document_definition_async(lsp.DefinitionParams(identifier, place)),
                    client.text_document_references_async(
                        lsp.ReferenceParams(lsp.ReferenceContext(include_declaration=True), identifier, place)
                    ),
                    client.text_document_document_highlight_async(lsp.DocumentHighlightParams(identifier, place)),
                    client.text_document_document_symbol_async(lsp.DocumentSymbolParams(identifier)),
                    client.text_document_folding_range_async(lsp.FoldingRangeParams(identifier)),
                    client.text_document_document_link_async(lsp.DocumentLinkParams(identifier)),
                    client.text_document_semantic_tokens_full_async(lsp.SemanticTokensParams(identifier)),
                    client.text_document_code_action_async(
                        lsp.CodeActionParams(identifier, whole, lsp.CodeActionContext([]))
                    ),
                    client.text_document_formatting_async(
                        lsp.DocumentFormattingParams(identifier, lsp.FormattingOptions(2, insert_spaces=True))
                    ),
                )
            if number % 3:
                client.text_document_did_close(lsp.DidCloseTextDocumentParams(lsp.TextDocumentIdentifier(uri)))

    session(tmp_path, work)


def test_troubles(folder: Path) -> None:
    """Settings that are wrong are shown, and templates are checked without them; other files are none of its business."""
    (folder / "pyproject.toml").write_text('[tool.untor]\nengine = "gone:pages"\n', "utf-8")
    other = folder / "other" / "templates"
    other.mkdir(parents=True)
    (other.parent / "pyproject.toml").write_text('[tool.untor]\nengine = "ends:pages"\n', "utf-8")
    (other.parent / "ends.py").write_text("print('imported')\nraise SystemExit(3)", "utf-8")
    (other / "page.html").write_text("{= b * =}", "utf-8")

    async def work(client: Client) -> None:
        page = opened(client, folder / "templates" / "page.html")
        client.write(page, "\U0001f6a2é{= a + =}", 2)
        await client.until(lambda: client.codes(page) == ["expression-end"])
        # It has chosen the encoding that the editor likes best: four octets, two, and five.
        assert client.problems[page][0].range.start == lsp.Position(0, 11)
        assert [text for text in client.shown if 'There is no module "gone"' in text]
        ended = opened(client, other / "page.html")
        await client.until(lambda: client.codes(ended) == ["expression-end"])
        assert [text for text in client.shown if "it ends the program" in text]
        note = opened(client, folder / "pyproject.toml")
        found = await client.text_document_hover_async(
            lsp.HoverParams(lsp.TextDocumentIdentifier(note), lsp.Position(0, 3))
        )
        assert found is None
        alone = folder / "alone.html"
        alone.write_text("<p>{= a", "utf-8")
        uri = opened(client, alone)
        await client.until(lambda: "print-unclosed" in client.codes(uri))

    session(folder, work)


def test_without_its_packages(tmp_path: Path) -> None:
    """Where the extra is missing, what to install is said."""
    (tmp_path / "pygls.py").write_text("raise ModuleNotFoundError(name='pygls')", "utf-8")
    status, output, errors = untor_with_path(tmp_path)
    assert (status, output) == (2, "")
    assert 'pip install "untor[language-server]"' in errors


def untor_with_path(folder: Path) -> tuple[int, str, str]:
    """Run the server where a module of another name comes first."""
    script = (
        f"import sys; sys.path.insert(0, {str(folder)!r}); from untor.cli.main import main; main(['language-server'])"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    return done.returncode, done.stdout, done.stderr


def test_help(tmp_path: Path) -> None:
    """Its help has examples and its statuses."""
    status, output, _ = untor("language-server", "--help", folder=tmp_path)
    assert status == 0
    assert "Exit status:" in output
