"""The server: takes an editor's requests and notices, and answers them, over standard input and output."""

from __future__ import annotations

import asyncio
import logging
import os
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING

from lsprotocol import types as lsp
from pygls.capabilities import ServerCapabilitiesBuilder
from pygls.exceptions import JsonRpcException, JsonRpcInvalidParams
from pygls.lsp.server import LanguageServer

from untor.format.formatter import formatted
from untor.language_server import symbols
from untor.language_server.actions import actions, diagnostic
from untor.language_server.completion import completions
from untor.language_server.hover import hover
from untor.language_server.navigation import definitions, location, places, symbol_at
from untor.language_server.rename import CannotRename, renamable, renamed
from untor.language_server.semantic_tokens import TYPES, semantic_tokens
from untor.language_server.signature import signature
from untor.language_server.workspace import Workspace, path_of
from untor.loading.loader import ENDINGS
from untor.loading.version import VERSION

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from typing import Any

    from untor.format.formatter import Style
    from untor.language_server.workspace import Document, EditedSite, Opened

_LOGGER = logging.getLogger("untor.language_server")
_REST = 0.15
"""Seconds without a change after which what depends on the changed template is looked at."""
_PIECE = 0.02
"""Seconds of such work between requests."""


class Server(LanguageServer):
    """Answers for all templates of the folder that an editor has open."""

    def __init__(self, opener: Callable[[Path], Opened], style: Callable[[Path], Style]) -> None:
        super().__init__("untor", VERSION, text_document_sync_kind=lsp.TextDocumentSyncKind.Full)
        self.templates = Workspace(opener, self.warn)
        self.style = style
        self.waiting: dict[EditedSite, set[str]] = {}
        """Templates whose problems are to be sent, by site."""
        self.changed: dict[EditedSite, set[str]] = {}
        """Templates that have changed and have not been looked at since."""
        self.places: dict[tuple[EditedSite, str], str] = {}
        """The URLs by which problems of templates were sent."""
        self.sent: dict[str, list[lsp.Diagnostic]] = {}
        self.snippets = False
        self.work: asyncio.Task[None] | None = None
        self.versions: dict[str, int | None] = {}

    # --- problems ----------------------------------------------------------------------------------------------------

    def update(self, uri: str, text: str | None) -> None:
        """Take unsaved text in, or with ``None`` the file's own.

        The template is checked when all pending messages have been read, or before the next answer.
        """
        found = self.templates.find(uri)
        path = path_of(uri)
        if found is None or path is None:
            return
        site, _ = found
        name = site.loader.drop(path) if text is None else site.loader.put(path, text)
        self.changed.setdefault(site, set()).add(name)
        self.go_on()

    def catch_up(self) -> None:
        """Look at the templates that have changed, each with the page that it is in; send what is wrong with them."""
        while self.changed:
            site, names = self.changed.popitem()
            waiting = self.waiting.setdefault(site, set())
            for name in sorted(names):
                waiting |= site.changed(name) - {name}
            self.send(site, names)

    def send(self, site: EditedSite, names: Iterable[str]) -> None:
        """Send the problems of templates, where they are not those that were sent last."""
        for name in sorted(names):
            document = site.document(name)
            problems = [problem for problem in site.kept.problems(name) if problem.source]
            path = (
                document.source.path if document else next((each.source.path for each in problems if each.source), None)
            )
            # For a deleted file, the problems that were sent are cleared.
            uri = self.places.get((site, name), "") if path is None else site.uri(path)
            if not uri:
                continue
            self.places[site, name] = uri
            found = [diagnostic(problem, site) for problem in problems]
            if found != self.sent.get(uri, None if uri in self.versions else []):
                self.sent[uri] = found
                self.text_document_publish_diagnostics(
                    lsp.PublishDiagnosticsParams(uri, found, version=self.versions.get(uri)),
                )

    def go_on(self) -> None:
        """Look at what has changed, and when the editor rests, at what depends on it."""
        if self.work is not None:
            self.work.cancel()
        self.work = asyncio.get_running_loop().create_task(self._work())

    async def _work(self) -> None:
        try:
            self.catch_up()
            await asyncio.sleep(_REST)
            for site, waiting in [*self.waiting.items()]:
                await self._work_on(site, waiting)
        except Exception:
            _LOGGER.exception("Looking at templates failed")

    async def _work_on(self, site: EditedSite, waiting: set[str]) -> None:
        loop = asyncio.get_running_loop()
        begun = loop.time()
        while (changed := site.kept.work()) is not None:
            waiting |= changed
            if loop.time() - begun > _PIECE:
                await asyncio.sleep(0)
                begun = loop.time()
        # Now it is known of all notes whether something breaks their rules.
        opened = [found for uri in self.versions if (found := self.templates.find(uri))]
        names = {*waiting, *(name for owner, name in opened if owner is site)}
        waiting.clear()
        self.send(site, names)

    def warn(self, text: str) -> None:
        """Show a person what went wrong."""
        self.window_show_message(lsp.ShowMessageParams(lsp.MessageType.Warning, f"Untor: {text}"))

    # --- requests ----------------------------------------------------------------------------------------------------

    def document(self, identifier: lsp.TextDocumentIdentifier) -> Document | None:
        """Return what is known of a template."""
        self.catch_up()
        return self.templates.document(identifier.uri)


def safe(otherwise: object = None) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Make a handler that answers even if something is wrong with it: that is logged, and the editor goes on."""

    def made(handler: Callable[..., Any]) -> Callable[..., Any]:
        @wraps(handler)
        def handled(*given: Any) -> Any:
            try:
                return handler(*given)
            except JsonRpcException:
                raise
            except Exception:
                _LOGGER.exception("%s failed", handler.__name__)
                return otherwise

        return handled

    return made


def server(opener: Callable[[Path], Opened], style: Callable[[Path], Style]) -> Server:
    """Return a server with all that it answers."""
    made = Server(opener, style)
    logging.getLogger("pygls.protocol.json_rpc").addFilter(_is_no_refusal)
    _notices(made)
    _questions(made)
    _changes(made)
    return made


def _is_no_refusal(record: logging.LogRecord) -> bool:
    """Leave out of the log what is an answer: that something cannot be renamed."""
    return not (record.exc_info and isinstance(record.exc_info[1], JsonRpcInvalidParams))


def _notices(made: Server) -> None:
    @made.feature(lsp.INITIALIZE)
    @safe()
    def initialize(ls: Server, params: lsp.InitializeParams) -> None:
        text = params.capabilities.text_document
        item = text.completion.completion_item if text and text.completion else None
        ls.snippets = bool(item and item.snippet_support)
        folders = [each.uri for each in params.workspace_folders or []] or [params.root_uri or ""]
        path = path_of(folders[0])
        if path is not None and Path(path).is_dir():
            os.chdir(path)  # the folders of engines are relative to that of the project
        ls.templates.positions.encoding = ServerCapabilitiesBuilder.choose_position_encoding(params.capabilities)

    @made.feature(lsp.TEXT_DOCUMENT_DID_OPEN)
    @safe()
    def opened(ls: Server, params: lsp.DidOpenTextDocumentParams) -> None:
        uri = params.text_document.uri
        ls.templates.uris[_real(uri)] = uri
        ls.versions[uri] = params.text_document.version
        ls.update(uri, params.text_document.text)

    @made.feature(lsp.TEXT_DOCUMENT_DID_CHANGE)
    @safe()
    def changed(ls: Server, params: lsp.DidChangeTextDocumentParams) -> None:
        ls.versions[params.text_document.uri] = params.text_document.version
        ls.update(params.text_document.uri, params.content_changes[-1].text)

    @made.feature(lsp.TEXT_DOCUMENT_DID_CLOSE)
    @safe()
    def closed(ls: Server, params: lsp.DidCloseTextDocumentParams) -> None:
        ls.versions.pop(params.text_document.uri, None)
        ls.update(params.text_document.uri, None)
        ls.templates.uris.pop(_real(params.text_document.uri), None)

    @made.feature(lsp.WORKSPACE_DID_CHANGE_WATCHED_FILES)
    @safe()
    def watched(ls: Server, params: lsp.DidChangeWatchedFilesParams) -> None:
        for change in params.changes:
            if change.uri.endswith((".po", ".mo")):
                for site in ls.templates.sites.values():
                    site.kept.catalogues_changed()
                    ls.waiting.setdefault(site, set())
                ls.go_on()
            elif change.uri.endswith(ENDINGS) and _real(change.uri) not in ls.templates.uris:
                ls.update(change.uri, None)

    @made.feature(lsp.INITIALIZED)
    async def initialized(ls: Server, _params: lsp.InitializedParams) -> None:
        watch = ls.client_capabilities.workspace and ls.client_capabilities.workspace.did_change_watched_files
        if watch and watch.dynamic_registration:
            patterns = [lsp.FileSystemWatcher(f"**/*{ending}") for ending in (*ENDINGS, ".po", ".mo")]
            options = lsp.DidChangeWatchedFilesRegistrationOptions(patterns)
            registration = lsp.Registration("templates", lsp.WORKSPACE_DID_CHANGE_WATCHED_FILES, options)
            try:
                await ls.client_register_capability_async(lsp.RegistrationParams([registration]))
            except JsonRpcException as refusal:
                _LOGGER.info("The editor does not watch files: %s", refusal)


def _real(uri: str) -> str:
    """Return the real path of a file; a URL of another kind as it is."""
    path = path_of(uri)
    return uri if path is None else os.path.realpath(path)


def _questions(made: Server) -> None:
    @made.feature(lsp.TEXT_DOCUMENT_HOVER)
    @safe()
    def hovered(ls: Server, params: lsp.HoverParams) -> lsp.Hover | None:
        document = ls.document(params.text_document)
        found = hover(document, document.offset(params.position)) if document else None
        if document is None or found is None:
            return None
        text, start, end = found
        return lsp.Hover(lsp.MarkupContent(lsp.MarkupKind.Markdown, text), document.range(start, end))

    @made.feature(
        lsp.TEXT_DOCUMENT_COMPLETION, lsp.CompletionOptions(trigger_characters=[".", "|", '"', "'", "!", "=", "<", " "])
    )
    @safe()
    def completed(ls: Server, params: lsp.CompletionParams) -> list[lsp.CompletionItem]:
        document = ls.document(params.text_document)
        if document is None:
            return []
        return completions(document, document.offset(params.position), snippets=ls.snippets)

    @made.feature(lsp.TEXT_DOCUMENT_SIGNATURE_HELP, lsp.SignatureHelpOptions(trigger_characters=["(", ","]))
    @safe()
    def signed(ls: Server, params: lsp.SignatureHelpParams) -> lsp.SignatureHelp | None:
        document = ls.document(params.text_document)
        return signature(document, document.offset(params.position)) if document else None

    @made.feature(lsp.TEXT_DOCUMENT_DEFINITION)
    @safe()
    def defined(ls: Server, params: lsp.DefinitionParams) -> list[lsp.Location]:
        document = ls.document(params.text_document)
        return definitions(document, document.offset(params.position)) if document else []

    @made.feature(lsp.TEXT_DOCUMENT_REFERENCES)
    @safe()
    def referenced(ls: Server, params: lsp.ReferenceParams) -> list[lsp.Location]:
        document = ls.document(params.text_document)
        found = symbol_at(document, document.offset(params.position)) if document else None
        return [location(place) for place in places(found)] if found else []

    @made.feature(lsp.TEXT_DOCUMENT_DOCUMENT_HIGHLIGHT)
    @safe()
    def highlighted(ls: Server, params: lsp.DocumentHighlightParams) -> list[lsp.DocumentHighlight]:
        document = ls.document(params.text_document)
        found = symbol_at(document, document.offset(params.position)) if document else None
        own = [place for place in places(found) if document and place.document.name == document.name] if found else []
        return [lsp.DocumentHighlight(location(place).range) for place in own if place.end > place.start]

    @made.feature(lsp.TEXT_DOCUMENT_DOCUMENT_SYMBOL)
    @safe()
    def outlined(ls: Server, params: lsp.DocumentSymbolParams) -> list[lsp.DocumentSymbol]:
        document = ls.document(params.text_document)
        return symbols.document_symbols(document) if document else []

    @made.feature(lsp.WORKSPACE_SYMBOL)
    @safe()
    def searched(ls: Server, params: lsp.WorkspaceSymbolParams) -> list[lsp.WorkspaceSymbol]:
        ls.catch_up()
        documents = [site.document(name) for site in ls.templates.sites.values() for name in site.kept.names()]
        return symbols.workspace_symbols([each for each in documents if each], params.query)

    @made.feature(lsp.TEXT_DOCUMENT_FOLDING_RANGE)
    @safe()
    def folded(ls: Server, params: lsp.FoldingRangeParams) -> list[lsp.FoldingRange]:
        document = ls.document(params.text_document)
        return symbols.folding(document) if document else []

    @made.feature(lsp.TEXT_DOCUMENT_DOCUMENT_LINK)
    @safe()
    def linked(ls: Server, params: lsp.DocumentLinkParams) -> list[lsp.DocumentLink]:
        document = ls.document(params.text_document)
        return symbols.links(document) if document else []

    @made.feature(
        lsp.TEXT_DOCUMENT_SEMANTIC_TOKENS_FULL, lsp.SemanticTokensLegend(token_types=[*TYPES], token_modifiers=[])
    )
    @safe(lsp.SemanticTokens([]))
    def coloured(ls: Server, params: lsp.SemanticTokensParams) -> lsp.SemanticTokens:
        document = ls.document(params.text_document)
        return lsp.SemanticTokens(semantic_tokens(document) if document else [])


def _changes(made: Server) -> None:
    @made.feature(lsp.TEXT_DOCUMENT_CODE_ACTION, lsp.CodeActionOptions([lsp.CodeActionKind.QuickFix]))
    @safe()
    def acted(ls: Server, params: lsp.CodeActionParams) -> list[lsp.CodeAction]:
        document = ls.document(params.text_document)
        if document is None:
            return []
        return actions(document, document.offset(params.range.start), document.offset(params.range.end))

    @made.feature(lsp.TEXT_DOCUMENT_FORMATTING)
    @safe()
    def formatted_all(ls: Server, params: lsp.DocumentFormattingParams) -> list[lsp.TextEdit]:
        return _formatting(ls, params.text_document, None)

    @made.feature(lsp.TEXT_DOCUMENT_RANGE_FORMATTING)
    @safe()
    def formatted_range(ls: Server, params: lsp.DocumentRangeFormattingParams) -> list[lsp.TextEdit]:
        return _formatting(ls, params.text_document, params.range)

    @made.feature(lsp.TEXT_DOCUMENT_PREPARE_RENAME)
    @safe()
    def asked(ls: Server, params: lsp.PrepareRenameParams) -> lsp.Range | None:
        document = ls.document(params.text_document)
        if document is None:
            return None
        try:
            place = renamable(document, document.offset(params.position))
        except CannotRename as reason:
            raise JsonRpcInvalidParams(str(reason)) from None
        return document.range(place.start, place.end)

    @made.feature(lsp.TEXT_DOCUMENT_RENAME, lsp.RenameOptions(prepare_provider=True))
    @safe()
    def named(ls: Server, params: lsp.RenameParams) -> lsp.WorkspaceEdit | None:
        document = ls.document(params.text_document)
        if document is None:
            return None
        try:
            found = renamed(document, document.offset(params.position), params.new_name)
        except CannotRename as reason:
            raise JsonRpcInvalidParams(str(reason)) from None
        changes = {
            owner.uri: [lsp.TextEdit(owner.range(start, end), new) for start, end, new in edits]
            for owner, edits in found.items()
        }
        return lsp.WorkspaceEdit(changes=changes)


def _formatting(ls: Server, identifier: lsp.TextDocumentIdentifier, where: lsp.Range | None) -> list[lsp.TextEdit]:
    document = ls.document(identifier)
    if document is None:
        return []
    source = document.source
    lines = None if where is None else (where.start.line + 1, where.end.line + 1)
    result = formatted(source, ls.style(Path(source.path or ".")), lines=lines, compiler=document.site.compiler)
    return [lsp.TextEdit(document.range(start, end), text) for start, end, text in result.edits]
