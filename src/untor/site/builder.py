"""Builds a site: which pages there are, and what is removed."""

from __future__ import annotations

import sqlite3
from collections.abc import Sized
from itertools import groupby, islice
from pathlib import Path
from typing import NamedTuple

from untor.diagnostics.wording import with_article
from untor.errors import DataError, TemplateMissing, UntorError
from untor.site.batches import PageKind, PageWriter, Workers
from untor.site.datasets import DataFolder
from untor.site.fingerprints import TemplateFingerprint, digest, of_value
from untor.site.link_check import LinkChecker
from untor.site.manifest import Manifest
from untor.site.pages import EntryPages, PathPattern, PlannedPage, page_itself
from untor.site.paths import NOT_FOUND, address_of, path_trouble
from untor.site.result import BuildResult
from untor.site.settings import BuildSettingError, PageEntry, checked_url, entries_of
from untor.site.sitemap import SITEMAP, sitemap_files
from untor.site.static_files import STATIC, FileWriter, static_files

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from collections.abc import Callable, Iterable, Iterator, Mapping
    from typing import Any

    Triple = tuple[str, str, Mapping[str, object]]

_MOST_IN_BATCH = 512


class BuildOptions(NamedTuple):
    """How a site is built.

    ``url`` is its address, ``base`` the folder of its data files, ``code`` a fingerprint of its Python code.
    ``sources`` are files and folders that must not be written into. With ``checks``, links inside the site are checked.
    ``progress`` is called with the number of finished files and the total.
    """

    url: str = ""
    base: str = ""
    code: bytes = b""
    workers: Workers = Workers()
    sources: tuple[Path, ...] = ()
    checks: bool = False
    progress: Callable[[int, int], None] | None = None


class Builder:
    """Builds the pages of an engine into a folder; used once. Raises ``BuildSettingError`` for what cannot be."""

    def __init__(self, engine: Any, output: str | os.PathLike[str], options: BuildOptions) -> None:
        self._engine = engine
        self._output = Path(output)
        self._options = options
        self._base = checked_url(options.url)
        self._origin = options.url.rstrip("/").removesuffix(self._base.rstrip("/"))
        self._result = BuildResult()
        self._fingerprints: dict[tuple[str, str], TemplateFingerprint] = {}
        self._unusable: set[str] = set()
        """Templates that do not compile; their error is kept for the first of their pages."""
        self._total = 0
        self._check_output()

    def build(self, pages: Mapping[str, object] | list[PageEntry] | Iterable[Triple]) -> BuildResult:
        """Build pages: a table of them, or triples of path, template and values.

        Raises ``BuildSettingError``, ``FolderInUse``, ``OSError`` where nothing can be written, and what an iterable of
        pages raises; what was built until then is there, and nothing is removed.
        """
        entries = self._entries(pages)
        manifest = Manifest(self._output)
        folder = DataFolder(self._options.base)
        writer = PageWriter(self._engine, manifest, self._result, self._options.workers, self._report)
        files = FileWriter(manifest, self._result)
        try:
            self._copy_static(writer, files)
            if entries is None:
                self._build_triples(pages, writer)  # type: ignore[arg-type]
            else:
                self._build_entries(entries, folder, writer)
            writer.finish()
            manifest.keep_entries(sorted(writer.kept))
            self._write_sitemap(manifest, files)
            self._result.removed = manifest.remove_others()
            if self._options.checks:
                checker = LinkChecker(self._output, self._origin, self._base, manifest.has, manifest.paths)
                self._result.broken = checker.check()
        except sqlite3.DatabaseError as error:
            raise OSError(None, f"the record of what was built cannot be used ({error})", str(self._output)) from None
        finally:
            writer.cancel()
            folder.close()
            manifest.close()
        return self._result

    def _entries(self, pages: Any) -> list[PageEntry] | None:
        if isinstance(pages, str | bytes) or not hasattr(pages, "__iter__"):
            shape = "a table of them by path, or an iterable of paths, names of templates and values"
            raise BuildSettingError(f"pages must be {shape}, not {with_article(type(pages).__name__)}")
        if hasattr(pages, "items"):
            entries = entries_of(pages)
        elif isinstance(pages, list) and pages and all(isinstance(each, PageEntry) for each in pages):
            entries = pages
        else:
            return None
        titles = [entry.title for entry in entries]
        for entry in entries:
            if titles.count(entry.title) > 1:
                raise BuildSettingError(f'"{entry.title}" is there twice')
        if NOT_FOUND not in titles and self._has_not_found():
            return [*entries, PageEntry(NOT_FOUND, NOT_FOUND)]
        return entries

    def _has_not_found(self) -> bool:
        """Return whether the site has a template for the page of what is not there, which needs no values."""
        try:
            template = self._engine.template(NOT_FOUND)
        except TemplateMissing:
            return False
        except UntorError:
            return True  # its error is reported as that of a page
        return not {*template.inputs} - self._engine.compiler.settings.everywhere.keys() - {"page"}

    def _check_output(self) -> None:
        if self._output.exists() and not self._output.is_dir():
            raise BuildSettingError(f'the output "{self._output}" is not a folder')
        output = self._output.resolve()
        folders = [Path(folder) for _, folder in self._engine.compiler.loader.entries]
        folders += [folder for _, folder in getattr(self._engine.assets, "entries", ())]
        for source in (*folders, *self._options.sources):
            own = source.resolve()
            is_in = own == output or own in output.parents
            if is_in or output in own.parents:
                where = "is in" if is_in else "contains"
                raise BuildSettingError(
                    f'the output folder "{self._output}" {where} "{source}", which the site is made from; '
                    "build into a folder of its own"
                )

    def _report(self, done: int) -> None:
        if self._options.progress is not None:
            self._options.progress(done, max(self._total, done))

    # --- pages of the table ------------------------------------------------------------------------------------------

    def _build_entries(self, entries: list[PageEntry], folder: DataFolder, writer: PageWriter) -> None:
        planned = []
        for entry in entries:
            try:
                template = self._engine_of(entry.locale).template(entry.page)
                pattern = PathPattern(entry.path, entry.name, self._field)
                dataset = folder.dataset(entry)
                pages = EntryPages(entry, dataset, template.inputs, pattern, base=self._base, origin=self._origin)
            except UntorError as error:
                self._fail_entry(entry, error, writer)
                continue
            listed = entry.in_sitemap and template.name.endswith(".html")
            fingerprint = self._fingerprint(entry.page, entry.locale)
            planned.append((pages, PageKind(entry.title, entry.page, entry.locale, fingerprint, pages, listed)))
        self._total = sum(pages.count or 0 for pages, _ in planned)
        for pages, kind in planned:
            try:
                for batch in _batches(pages):
                    writer.write(batch, kind)
            except DataError as error:
                self._fail_entry(pages.entry, error, writer)

    def _fail_entry(self, entry: PageEntry, error: Exception, writer: PageWriter) -> None:
        self._result.fail(entry.title, "", error)
        writer.kept.add(entry.title)

    def _engine_of(self, locale: str) -> Any:
        try:
            return self._engine.in_locale(locale) if locale else self._engine
        except ValueError as error:
            raise BuildSettingError(f"locale: {error}") from None

    def _fingerprint(self, name: str, locale: str) -> TemplateFingerprint:
        key = name, locale
        if key not in self._fingerprints:
            engine = self._engine_of(locale)
            template = engine.template(name)
            self._fingerprints[key] = TemplateFingerprint(
                engine.compiler, (template.name, *template.dependencies), self._options.code
            )
        return self._fingerprints[key]

    def _field(self, expression: str) -> Any:
        """Return the template that prints a field of a path."""
        return self._engine.compile(f"{{= {expression} =}}", "path.txt")

    # --- pages from Python -------------------------------------------------------------------------------------------

    def _build_triples(self, pages: Iterable[Triple], writer: PageWriter) -> None:
        self._total = len(pages) if isinstance(pages, Sized) else 0
        for batch in _batches(_triple(number, given) for number, given in enumerate(pages, 1)):
            for name, several in groupby(batch, key=lambda triple: triple[1]):
                self._build_named(name, [*several], writer)

    def _build_named(self, name: str, pages: list[Triple], writer: PageWriter) -> None:
        try:
            template = self._engine.template(name)
            fingerprint = self._fingerprint(name, "")
        except UntorError as error:
            if name in self._unusable:
                self._result.failed += len(pages)
            else:
                self._result.fail(pages[0][0], "", error, len(pages))
            self._unusable.add(name)
            writer.kept |= {path for path, _, _ in pages}
            return
        planned = []
        reads_page = "page" in template.inputs
        for path, _, given in pages:
            trouble = path_trouble(path)
            values = given
            if reads_page and "page" not in given and not trouble:
                values = {**given, "page": page_itself(path, self._base, self._origin)}
            key = None if fingerprint.is_volatile else of_value(dict(values))
            planned.append(PlannedPage(path, values, key, "", BuildSettingError(trouble) if trouble else None))
        writer.write(planned, PageKind("", name, "", fingerprint, None, template.name.endswith(".html")))

    # --- other files -------------------------------------------------------------------------------------------------

    def _copy_static(self, writer: PageWriter, files: FileWriter) -> None:
        entries = getattr(self._engine.assets, "entries", ())
        keys = [repr(entry).encode() for entry in entries if "://" in entry[0]]
        for file in static_files(entries, self._base):
            if file.trouble:
                self._result.fail(file.path, "", BuildSettingError(file.trouble))
                writer.kept.add(STATIC)
            else:
                keys.append(file.path.encode() + files.copy(file))
        writer.static_key = digest(b"".join(keys))

    def _write_sitemap(self, manifest: Manifest, files: FileWriter) -> None:
        if self._origin and not manifest.has(SITEMAP):  # a site may have one of its own
            urls = (self._origin + address_of(path, self._base) for path in manifest.listed())
            for file in sitemap_files(urls, self._origin, self._base):
                files.write(file.path, file.write)


def _batches(pages: Iterable[Any]) -> Iterator[list[Any]]:
    """Yield pages in batches: small ones first, so that all workers have something to do, then larger ones.

    What ends them with an error ends them after the pages before it.
    """
    rest = iter(pages)
    size = 1
    while True:
        batch: list[Any] = []
        try:
            batch.extend(islice(rest, size))
        except DataError:
            if batch:
                yield batch
            raise
        if not batch:
            return
        yield batch
        size = min(size * 2, _MOST_IN_BATCH)


def _triple(number: int, given: object) -> Triple:
    if isinstance(given, tuple | list) and len(given) == 3:  # noqa: PLR2004
        path, page, values = given
        values = {} if values is None else values
        if isinstance(path, str) and isinstance(page, str) and hasattr(values, "keys"):
            return f"{path}index.html" if path.endswith("/") else path, page, values
    shape = "a path, the name of a template, and a mapping of values"
    what = f"a tuple of {len(given)}" if isinstance(given, tuple) else with_article(type(given).__name__)
    raise BuildSettingError(f"page {number} must be {shape}, not {what}")
