"""The previewed site: the pages of an engine's folders, the data files beside them, the static files."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from untor.check.site import Site
from untor.data import READERS, ReadOptions, load
from untor.data.sqlite_file import ENDINGS as SQLITE
from untor.errors import TemplateMissing
from untor.loading.loader import ENDINGS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.engine.engine import Engine

DATA = tuple(ending for ending in (*READERS, *SQLITE) if ending not in ENDINGS)
"""Endings of data files that may accompany a template; XML could be a template itself."""

FILES = frozenset(
    """.avif .bmp .css .eot .gif .ico .jpeg .jpg .js .m4a .map .mjs .mp3 .mp4 .ogg .otf .pdf .png .svg .ttf .wasm .wav
    .webm .webmanifest .webp .woff .woff2""".split()
)
"""Endings of files next to the templates that are sent unchanged."""


class IndexEntry(NamedTuple):
    """A page of the index; ``path`` is that of its URL, without the first solidus."""

    name: str
    path: str
    data: list[str]
    makes: list[str]


class Preview:
    """A site that is previewed. ``given`` returns the values that every page has in addition to its own data file."""

    def __init__(self, engine: Engine, given: Callable[[], Mapping[str, object]]) -> None:
        self.engine = engine
        self.loader = engine.compiler.loader
        self.given = given

    def name_of(self, path: str) -> str | None:
        """Return the template for a URL's path; ``None`` if there is none."""
        wanted = path.strip("/")
        for name in (wanted, f"{wanted}/index" if wanted else "index"):
            try:
                return self.loader.name(name)
            except TemplateMissing:
                continue
        return None

    def file_of(self, path: str) -> Path | None:
        """Return the file beside the templates for a URL's path, if it is of a kind that is sent."""
        parts = path.strip("/").split("/")
        if any(part in {"", ".", ".."} or part.startswith(".") or "\\" in part or "\0" in part for part in parts):
            return None
        for prefix, folder in self.loader.entries:
            inner = parts
            if prefix:
                before = prefix.split("/")
                if parts[: len(before)] != before:
                    continue
                inner = parts[len(before) :]
            file = Path(folder, *inner)
            if (
                file.suffix.lower() in FILES
                and file.is_file()
                and file.resolve().is_relative_to(Path(folder).resolve())
            ):
                return file
        return None

    def beside(self, name: str) -> list[Path]:
        """Return the data files beside a template, which have its name and endings of their own."""
        file = Path(self.loader.find(name))
        return [file.with_suffix(ending) for ending in DATA if file.with_suffix(ending).is_file()]

    def context(self, name: str) -> dict[str, object]:
        """Return the values of a page, read anew. Raises ``DataError``."""
        context = dict(self.given())
        for file in self.beside(name):
            context |= load(str(file), None, ReadOptions())
        return context

    def pages(self) -> tuple[list[IndexEntry], list[str]]:
        """Return the pages of the site, and the templates that others are made of."""
        site = Site(self.engine.compiler)
        pages = dict.fromkeys(page.file for page in site.pages() if not page.part)
        entries = []
        for name in sorted(pages):
            others = sorted(site.reached(name) - {name})
            path = next((name.removesuffix(end) for end in ENDINGS if self._leads(name, end)), name)
            path = path.removesuffix("index") if path == "index" or path.endswith("/index") else path
            entries.append(IndexEntry(name, path, [file.name for file in self.beside(name)], others))
        unread = {problem.source.name for problem in site.unread if problem.source is not None}
        rest = sorted({*site.readings, *unread} - pages.keys())
        return entries, rest

    def _leads(self, name: str, ending: str) -> bool:
        """Return whether a name without this ending leads to the template."""
        return name.endswith(ending) and self.loader.name(name.removesuffix(ending)) == name
