"""The sites that an editor works on, with its unsaved text, and what is known of each template."""

from __future__ import annotations

import os
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple
from urllib.parse import unquote, urlsplit

from untor.check.kept_site import KeptSite
from untor.compiler.compiler import Compiler
from untor.compiler.origin import Origin
from untor.errors import UntorError
from untor.language_server.marks import scanned
from untor.language_server.names import NameIndex
from untor.language_server.positions import Positions
from untor.language_server.typed_page import TypedPage
from untor.loading.cache import CodeCache
from untor.loading.loader import ENDINGS
from untor.loading.overlays import OverlayLoader

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from lsprotocol import types as lsp

    from untor.check.checker import CheckOptions
    from untor.diagnostics.source import Source
    from untor.engine.engine import Engine
    from untor.language import tree
    from untor.language.parser import ParsedTemplate
    from untor.language.scanner import Mark


class Opened(NamedTuple):
    """A site: its engine, how it is checked, whether all of its templates are of interest, and what went wrong."""

    engine: Engine
    wanted: CheckOptions
    is_whole: bool = True
    trouble: str = ""


class EditedSite:
    """A site with unsaved text over its files."""

    def __init__(
        self, opened: Opened, uris: Mapping[str, str] | None = None, positions: Positions | None = None
    ) -> None:
        compiler = opened.engine.compiler
        self.loader = OverlayLoader(compiler.loader)
        self.settings = compiler.settings
        self.compiler = Compiler(self.loader, self.settings, CodeCache(None, self.settings.cache_key))
        self.kept = KeptSite(self.compiler, opened.wanted, is_whole=opened.is_whole)
        self.positions = positions or Positions()
        self.uris = {} if uris is None else uris
        """By real path, the URLs of open files, as the editor writes them."""
        self._documents: dict[str, Document] = {}
        self._pages: dict[object, TypedPage] = {}

    def changed(self, name: str) -> set[str]:
        """Take a change of a template in; return the templates whose problems may have changed."""
        self._pages.clear()
        self._documents.pop(name, None)
        return self.kept.changed(name)

    def document(self, name: str) -> Document | None:
        """Return a template by its full name, or ``None`` if it does not exist."""
        reading = self.kept.reading(name)
        if reading is None:
            return None
        document = self._documents.get(name)
        if document is None or document.reading is not reading:
            document = self._documents[name] = Document(self, name, reading)
        return document

    def named(self, file: str) -> Document | None:
        """Return the template that a step names, or ``None`` if it does not exist."""
        name = self.kept.site.name_of(file)
        return self.document(name) if name else None

    def uri(self, path: str) -> str:
        """Return the URL of a file, as the editor writes it."""
        return self.uris.get(os.path.realpath(path)) or uri_of(path)

    def page(self, name: str) -> TypedPage | None:
        """Return the page that a template is a part of, as it was analysed; ``None`` for one that cannot be read."""
        page = self.kept.page_of(name)
        if page not in self._pages:
            try:
                planned = self.compiler.analyse(Origin(page.file, None, page.part), collects=True)
            except UntorError:
                return None
            self._pages[page] = TypedPage(planned, self.settings)
        return self._pages[page]


@dataclass(eq=False)
class Document:
    """One template: its tree, its marks, its names."""

    site: EditedSite
    name: str
    reading: ParsedTemplate

    @property
    def source(self) -> Source:
        """The source."""
        return self.reading.source

    @cached_property
    def marks(self) -> list[Mark]:
        """The marks, and the text between them."""
        return scanned(self.source)

    @cached_property
    def names(self) -> NameIndex:
        """What its names mean."""
        return NameIndex(self.reading)

    def called(self, target: tree.Target) -> Document | None:
        """Return the template that a step calls, this one for a part of it; ``None`` if it does not exist."""
        return self.site.named(target.file) if target.file else self

    @property
    def page(self) -> TypedPage | None:
        """The page that it is a part of."""
        return self.site.page(self.name)

    def range(self, start: int, end: int) -> lsp.Range:
        """Return the range between two offsets."""
        return self.site.positions.range(self.source, start, end)

    def offset(self, position: lsp.Position) -> int:
        """Return the offset of a position."""
        return self.site.positions.offset(self.source, position)

    @property
    def uri(self) -> str:
        """The address of its file."""
        return self.site.uri(self.source.path or self.name)


class Workspace:
    """All sites; ``opener`` returns the one that a file belongs to, ``warn`` tells what went wrong with it."""

    def __init__(self, opener: Callable[[Path], Opened], warn: Callable[[str], None]) -> None:
        self._opener = opener
        self._warn = warn
        self._warned: set[str] = set()
        self.sites: dict[tuple[tuple[str, str], ...], EditedSite] = {}
        self.positions = Positions()
        self.uris: dict[str, str] = {}
        """By real path, the URLs of open files, as the editor writes them."""

    def find(self, uri: str) -> tuple[EditedSite, str] | None:
        """Return the site and the name of a template file; ``None`` for another file."""
        path = path_of(uri)
        if path is None:
            return None
        for site in self.sites.values():
            if name := site.loader.name_of(path):
                return site, name
        if not path.endswith(ENDINGS):
            return None
        opened = self._opener(Path(path))
        if opened.trouble and opened.trouble not in self._warned:
            self._warned.add(opened.trouble)
            self._warn(opened.trouble)
        key = tuple(opened.engine.compiler.loader.entries)
        site = self.sites.get(key) or EditedSite(opened, self.uris, self.positions)
        name = site.loader.name_of(path)
        if not name:
            return None
        self.sites[key] = site
        return site, name

    def document(self, uri: str) -> Document | None:
        """Return what is known of a template file."""
        found = self.find(uri)
        return found[0].document(found[1]) if found else None


def path_of(uri: str) -> str | None:
    """Return the path of a ``file:`` URL (RFC 8089); ``None`` for another one."""
    parts = urlsplit(uri)
    if parts.scheme != "file":
        return None
    path = unquote(parts.path)
    has_drive = len(path) > 2 and path[0] == "/" and path[2] == ":"  # noqa: PLR2004  as /C:/
    return path[1:] if has_drive else path


def uri_of(path: str) -> str:
    """Return the ``file:`` URL of a path."""
    return Path(os.path.abspath(path)).as_uri()  # noqa: PTH100  links stay as people see them
