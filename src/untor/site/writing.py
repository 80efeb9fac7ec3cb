"""What a worker does: render some pages of a template, and write each of them whole or not at all."""

from __future__ import annotations

import errno
import os
import pickle
from contextlib import suppress
from itertools import count
from pathlib import Path
from typing import NamedTuple

from untor.errors import UntorError
from untor.site.fingerprints import digest

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from typing import Protocol

    class RenderableTemplate(Protocol):
        """A compiled template."""

        render: Callable[..., str]

    class SiteEngine(Protocol):
        """An engine, as far as a build needs one."""

        def template(self, name: str) -> RenderableTemplate:
            """Return a template."""

        def in_locale(self, locale: str) -> SiteEngine:
            """Return the engine for another locale."""


class PageToWrite(NamedTuple):
    """A page for a worker: its path, its values, and the fingerprint of what is there, if it is what was written.

    ``is_foreign`` says that there is a file that no build has written.
    """

    path: str
    values: Mapping[str, object]
    before: bytes | None
    is_foreign: bool


class Written(NamedTuple):
    """What became of a page: the fingerprint of its text, the state of its file, if it was written; or an error."""

    digest: bytes = b""
    size: int = 0
    modified: int = 0
    is_written: bool = False
    error: Exception | None = None


class Work(NamedTuple):
    """What all pages of a batch have in common."""

    output: str
    staging: str
    template: str
    locale: str


_FATAL = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EIO, errno.EMFILE, errno.ENFILE})
"""Errors of writing that concern every file, so that going on makes no sense."""

_NEW_FILE = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0) | getattr(os, "O_CLOEXEC", 0)

_MOST_FOLDERS = 10_000

_serial = count()
_known_folders: tuple[str, set[str]] = "", set()
"""The build that is going on, by its staging folder, and folders that are there and inside of its output folder."""
_own_staging = "", ""
_unpacked: tuple[bytes, SiteEngine] | None = None
"""In a worker: the engine of the last batch, and what it was sent as."""


class ForeignFile(Exception):  # noqa: N818  the name describes the error
    """A file is there that no build has written."""


def build_batch(sent: bytes | SiteEngine, work: Work, pages: bytes | Sequence[PageToWrite]) -> list[Written]:
    """Render pages and write those whose text is another than before. Raises ``OSError`` if nothing can be written."""
    engine = _engine_of(sent) if isinstance(sent, bytes) else sent
    batch: Sequence[PageToWrite] = pickle.loads(pages) if isinstance(pages, bytes) else pages  # noqa: S301  from the process that made this one
    template = (engine.in_locale(work.locale) if work.locale else engine).template(work.template)
    return [_built(template, work, page) for page in batch]


def _built(template: RenderableTemplate, work: Work, page: PageToWrite) -> Written:
    try:
        octets = template.render(page.values).encode("utf-8", "replace")
    except UntorError as error:
        return Written(error=error)
    try:
        return written(work.output, work.staging, page, octets)
    except ForeignFile as error:
        return Written(error=error)
    except OSError as error:
        if error.errno in _FATAL:
            raise
        return Written(error=OSError(error.errno, error.strerror, page.path))


def written(output: str, staging: str, page: PageToWrite, octets: bytes) -> Written:
    """Write a file so that it is either the old or the new one, unless it is the same already."""
    found = digest(octets)
    path = f"{output}/{page.path}"
    is_same = page.before == found
    if page.is_foreign:
        is_same = _is_same(path, octets)
        if not is_same:
            raise ForeignFile
    if not is_same:
        temporary = f"{_own_folder(staging)}/{next(_serial)}"
        handle = os.open(temporary, _NEW_FILE, 0o666)
        try:
            left = memoryview(octets)
            while left:
                left = left[os.write(handle, left) :]
        finally:
            os.close(handle)
        put_in_place(output, staging, temporary, path)
    state = os.stat(path)
    return Written(found, state.st_size, state.st_mtime_ns, not is_same)


def _own_folder(staging: str) -> str:
    """Return a folder in the staging folder that only this process writes to: others need not wait for it."""
    global _own_staging  # noqa: PLW0603  a memory of the build that is going on
    known = _own_staging  # other threads may be at another build
    if known[0] != staging:
        folder = f"{staging}/{os.getpid()}"
        with suppress(FileExistsError):
            os.mkdir(folder)
        _own_staging = known = staging, folder
    return known[1]


def put_in_place(output: str, staging: str, temporary: str, path: str) -> None:
    """Move a finished file to its path, in folders that are made for it; never outside of the output folder."""
    global _known_folders  # noqa: PLW0603  a memory of the build that is going on
    folder = os.path.dirname(path)
    try:
        known = _known_folders
        if known[0] != staging or len(known[1]) > _MOST_FOLDERS:
            _known_folders = known = staging, set()
        if folder not in known[1]:
            _make_folder(folder, output)
            known[1].add(folder)
        os.replace(temporary, path)
    except BaseException:
        with suppress(OSError):
            os.unlink(temporary)
        raise


def _make_folder(folder: str, output: str) -> None:
    inside = os.path.join(os.path.realpath(folder), "")
    if not inside.startswith(os.path.join(os.path.realpath(output), "")):
        raise OSError(errno.EXDEV, "a link in its path leads out of the output folder", folder)
    os.makedirs(folder, exist_ok=True)


def _is_same(path: str, octets: bytes) -> bool:
    try:
        return not os.path.islink(path) and Path(path).read_bytes() == octets
    except OSError:
        return False


def _engine_of(sent: bytes) -> SiteEngine:
    """Return the engine that a worker was sent; a function that makes one is called once."""
    global _unpacked  # noqa: PLW0603  there is one in a worker
    if _unpacked is None or _unpacked[0] != sent:
        found = pickle.loads(sent)  # noqa: S301  from the process that made this one
        _unpacked = sent, found if hasattr(found, "template") else found()
    return _unpacked[1]


def begin_worker() -> None:
    """Prepare a process of a pool, which ends when the one that made it has ended, whatever the reason."""
    import gc  # noqa: PLC0415  only in workers
    import signal  # noqa: PLC0415
    from multiprocessing import parent_process  # noqa: PLC0415  only in workers
    from multiprocessing.connection import wait  # noqa: PLC0415
    from threading import Thread  # noqa: PLC0415

    gc.freeze()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the process that made it
    parent = parent_process()
    if parent is None:
        return

    def watch() -> None:
        wait([parent.sentinel])
        os._exit(1)

    Thread(target=watch, daemon=True).start()
