"""Pages in batches: which of them must be rendered, by whom, and what became of them."""

from __future__ import annotations

import os
import pickle
from collections import deque
from typing import NamedTuple

from untor.errors import UntorError
from untor.site.executors import batches_ahead
from untor.site.fingerprints import digest
from untor.site.manifest import FOREIGN, Claim, Clash, Kept
from untor.site.paths import NOT_FOUND
from untor.site.settings import BuildSettingError
from untor.site.writing import ForeignFile, PageToWrite, Work, Written, build_batch

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from concurrent.futures import Executor, Future
    from typing import Any

    from untor.site.fingerprints import TemplateFingerprint
    from untor.site.manifest import Manifest
    from untor.site.pages import EntryPages, PlannedPage
    from untor.site.result import BuildResult


class PageKind(NamedTuple):
    """What the pages of a batch have in common.

    ``title`` is that of their entry, empty for pages from Python; ``is_listed`` says whether the sitemap lists them.
    """

    title: str
    template: str
    locale: str
    fingerprint: TemplateFingerprint
    pages: EntryPages | None
    is_listed: bool


class _Batch(NamedTuple):
    """Pages being rendered, with their fingerprints, and what is known of their files: ``None`` of new ones."""

    kind: PageKind
    planned: list[PlannedPage]
    keys: list[bytes]
    known: list[Kept | None]


class Workers(NamedTuple):
    """Who renders: an executor and the engine as it is sent to its processes, or this process.

    With ``is_whole``, pages that have not changed are rendered too.
    """

    executor: Executor | None = None
    sent: bytes | None = None
    is_whole: bool = False


class PageWriter:
    """Writes the pages of a build; ``report`` is called with the number of finished pages after each batch."""

    def __init__(
        self,
        engine: Any,
        manifest: Manifest,
        result: BuildResult,
        workers: Workers,
        report: Callable[[int], None],
    ) -> None:
        self._engine = engine
        self._manifest = manifest
        self._output = str(manifest.output)
        self._result = result
        self._workers = workers
        self._report = report
        self._waiting: deque[tuple[_Batch, Future[list[Written]]]] = deque()
        self._done = 0
        self.static_key = b""
        """A fingerprint of all static files."""
        self.kept: set[str] = set()
        """Entries of which some pages are not known, so that none may be removed."""

    def write(self, planned: Sequence[PlannedPage], kind: PageKind) -> None:
        """Claim pages, pass over those that have not changed, and begin with the others."""
        claimable = [page for page in planned if not self._has_failed(page, kind)]
        claims = [
            Claim(page.path, kind.title or page.path, kind.is_listed and page.path != NOT_FOUND) for page in claimable
        ]
        batch = _Batch(kind, [], [], [])
        to_write: list[PageToWrite] = []
        fingerprint = kind.fingerprint
        before = fingerprint.key + (self.static_key if fingerprint.uses_static else b"")
        for page, claimed in zip(claimable, self._manifest.claim(claims), strict=True):
            known = claimed
            if isinstance(known, Clash):
                self._result.fail(page.path, page.record, clash_error(page.path, known))
                self._done += 1
                continue
            self._result.pages += 1
            key = b"" if page.key is None or fingerprint.is_volatile else digest(before + page.key)
            content = None
            if known is not None and known is not FOREIGN and is_as_written(f"{self._output}/{page.path}", known):
                content = known.digest
                if key and key == known.key and not self._workers.is_whole:
                    self._done += 1
                    continue
            elif known is not None:
                known = self._without_folder(page.path, known)
            batch.planned.append(page)
            batch.keys.append(key)
            batch.known.append(None if known is FOREIGN else known)
            to_write.append(PageToWrite(page.path, page.values, content, known is FOREIGN))
        self._manifest.begin(page.path for page, known in zip(to_write, batch.known, strict=True) if known)
        if to_write:
            work = Work(self._output, str(self._manifest.staging), kind.template, kind.locale)
            self._run(batch, work, to_write)
        self._report(self._done)

    def finish(self) -> None:
        """Wait for all pages."""
        self._collect(0)

    def cancel(self) -> None:
        """Do not begin with what has not begun."""
        for _, future in self._waiting:
            future.cancel()

    def _has_failed(self, page: PlannedPage, kind: PageKind) -> bool:
        if page.error is None:
            return False
        self._result.fail(page.path, page.record, page.error)
        if kind.title:
            self.kept.add(kind.title)
        self._done += 1
        return True

    def _without_folder(self, path: str, known: Kept) -> Kept | None:
        """Remove what earlier builds have written into a folder that is to become a file now."""
        if not os.path.isdir(f"{self._output}/{path}"):
            return known
        self._manifest.remove_below(path)
        return None if known is FOREIGN and not os.path.lexists(f"{self._output}/{path}") else known

    def _run(self, batch: _Batch, work: Work, to_write: list[PageToWrite]) -> None:
        executor, sent, _ = self._workers
        if executor is None:
            self._note(batch, build_batch(self._engine, work, to_write))
            return
        pages = to_write if sent is None else _pickled(to_write)
        future = executor.submit(build_batch, self._engine if sent is None else sent, work, pages)
        self._waiting.append((batch, future))
        self._collect(batches_ahead(executor) - 1)

    def _collect(self, most: int) -> None:
        """Wait until at most so many batches are being worked on."""
        while len(self._waiting) > most:
            batch, future = self._waiting.popleft()
            self._note(batch, future.result())
            self._report(self._done)

    def _note(self, batch: _Batch, results: list[Written]) -> None:
        """Record what became of the pages of a batch."""
        finished, dropped = [], []
        for page, key, known, result in zip(batch.planned, batch.keys, batch.known, results, strict=True):
            self._done += 1
            if result.error is not None:
                self._result.pages -= 1
                self._result.fail(page.path, page.record, _explained(result.error, batch.kind, page.path))
                if known is None:
                    dropped.append(page.path)
                else:  # its last version stays
                    finished.append((page.path, known))
                continue
            self._result.rendered += 1
            self._result.written += result.is_written
            finished.append((page.path, Kept(key or None, result.digest, result.size, result.modified)))
        self._manifest.finish(finished)
        self._manifest.drop(dropped)


def _explained(error: Exception, kind: PageKind, path: str) -> Exception:
    if isinstance(error, ForeignFile):
        return foreign_error(path)
    if isinstance(error, UntorError) and kind.pages is not None:
        kind.pages.explain(error)
    return error


def _pickled(pages: list[PageToWrite]) -> bytes:
    try:
        return pickle.dumps(pages)
    except Exception as error:
        what = f"the values of {pages[0].path} and the pages after it cannot be sent to other processes"
        raise BuildSettingError(f"{what}: {error}. Pass plain data, or build in one process") from error


def is_as_written(file: str, known: Kept) -> bool:
    """Return whether a file is still what an earlier build has written, by its size and time."""
    try:
        state = os.lstat(file)
    except OSError:
        return False
    return known.size == state.st_size and known.modified == state.st_mtime_ns


def foreign_error(path: str) -> Exception:
    """Return the error for a file that no build has written."""
    what = "it is there, and no build has written it: remove it, or build into another folder"
    return FileExistsError(17, what, path)


def clash_error(path: str, clash: Clash) -> Exception:
    """Return the error for two files that cannot both be there."""
    if clash.is_folder:
        return BuildSettingError(f"it clashes with the folder {clash.path}, which other files are in")
    of = f" (of {clash.entry})" if clash.entry != clash.path else ""
    if clash.path == path:
        return BuildSettingError(f"there is already a file with this path{of}")
    if path.startswith(f"{clash.path}/"):
        return BuildSettingError(f"its folder clashes with the file {clash.path}{of}")
    return BuildSettingError(
        f"it is the same file as {clash.path}{of} where case, or the form of letters, does not count"
    )
