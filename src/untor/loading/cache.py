"""Compiled templates on disk, with their sources; ignored if those differ, or a file is damaged or not ours alone."""

from __future__ import annotations

import os
import sys

from untor.escape.accelerated import IS_BUILT
from untor.loading.version import VERSION
from untor.runtime.compiled import CompiledCode, CompiledProgram

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.diagnostics.source import Source
    from untor.runtime.compiled import Code

_FORMAT = "untor 13"
_ENDING = ".untor"
_UNFINISHED = ".untor-new"

MOST_OCTETS = 128 << 20
"""Maximum size of the folder in bytes; beyond it, the least recently used files are removed."""

_EACH = 64
"""An engine checks the size of the folder when it saves its first file, and after each further 64."""

_STALE = 3600
"""Age in seconds after which an unfinished file is considered abandoned."""

_USED = 86_400
"""By how many seconds a file's modification time may lag behind its last use."""


class CodeCache:
    """A folder of compiled templates; without a folder, nothing is kept.

    ``options`` returns what compiled code depends on besides the templates, as text; it is called each time, as an
    engine's filters are added to. A template has one file for each set of options, so that a new version takes the
    place of the one before it.
    """

    def __init__(self, folder: str | os.PathLike[str] | None, options: Callable[[], list[str]]) -> None:
        self.folder = None if folder is None else os.fspath(folder)
        self._options = options
        self._saved = 0

    def _place(self, source: Source, way: str) -> tuple[str, str]:
        """Return the file of a template, and everything that its code depends on, which is stored in it unchanged."""
        from zlib import crc32  # noqa: PLC0415  only with a cache

        made = "program" if IS_BUILT else way
        place = [sys.implementation.cache_tag or "", made, *self._options(), source.name, source.path or ""]
        name = f"{crc32(_octets(place)):08x}{_ENDING}"
        key = chr(0).join([_FORMAT, VERSION, sys.version, *place, source.text])
        return os.path.join(self.folder or "", name), key

    def load(
        self, source: Source, read: Callable[[str], Source], way: str
    ) -> tuple[Code, Mapping[str, tuple[str, ...]]] | None:
        """Return the code of a template for a way to render, and what it is made of, if it is there and still holds."""
        if self.folder is None:
            return None
        import marshal  # noqa: PLC0415  only with a cache
        from zlib import crc32  # noqa: PLC0415

        from untor.errors import UntorError  # noqa: PLC0415

        path, key = self._place(source, way)
        try:
            if not (_is_ours(self.folder) and _is_ours(path)):
                return None
            with open(path, "rb") as file:
                octets = file.read()
            check, body = octets[:8].decode("ascii"), octets[8:]
            if int(check, 16) != crc32(body):
                return None
            entry, parts, made, others = marshal.loads(body)  # noqa: S302  a file of ours alone
            if entry != key:
                return None
            sources = {source.path or source.name: source}
            for name, text in others.items():
                other = read(name)
                if other.text != text:
                    return None
                sources[other.path or other.name] = other
            _note_use(path)
            return (CompiledProgram if IS_BUILT else CompiledCode)._make((*parts, sources)), made
        except (OSError, ValueError, EOFError, TypeError, UntorError):
            return None

    def save(self, source: Source, built: Code, made: Mapping[str, tuple[str, ...]], way: str) -> None:
        """Keep a compiled template. A folder that cannot be written to, or not safely, keeps nothing."""
        others = {each.name: each.text for each in built.sources.values() if each is not source}
        if self.folder is None or {*others} != {*made["dependencies"]} - {source.name}:
            return
        import marshal  # noqa: PLC0415
        import tempfile  # noqa: PLC0415
        from zlib import crc32  # noqa: PLC0415

        path, key = self._place(source, way)
        body = marshal.dumps((key, tuple(built[:-1]), dict(made), others))
        temporary = ""
        try:
            os.makedirs(self.folder, mode=0o700, exist_ok=True)
            if not _is_ours(self.folder):
                return
            handle, temporary = tempfile.mkstemp(_UNFINISHED, dir=self.folder)
            with os.fdopen(handle, "wb") as file:
                file.write(f"{crc32(body):08x}".encode("ascii") + body)
            os.replace(temporary, path)
            temporary = ""
            if self._saved % _EACH == 0:
                _make_room(self.folder)
            self._saved += 1
        except OSError:
            return
        finally:
            if temporary:
                _remove(temporary)


def _octets(texts: list[str]) -> bytes:
    return chr(0).join(texts).encode("utf-8", "surrogatepass")


def _is_ours(path: str) -> bool:
    """Return whether a file or folder belongs to this user and can be written by nobody else."""
    if not hasattr(os, "geteuid"):
        return True
    state = os.stat(path)
    return state.st_uid == os.geteuid() and not state.st_mode & 0o022


def _note_use(path: str) -> None:
    """Update the modification time of a file in use, at most once a day; ignored in a read-only folder."""
    import time  # noqa: PLC0415

    try:
        if os.stat(path).st_mtime < time.time() - _USED:
            os.utime(path)
    except OSError:
        return


def _make_room(folder: str) -> None:
    """Remove abandoned files and, if the folder is too large, the least recently used, down to three quarters."""
    import time  # noqa: PLC0415

    kept: list[tuple[float, int, str]] = []
    with os.scandir(folder) as entries:
        for entry in entries:
            if entry.name.endswith((_ENDING, _UNFINISHED)):
                state = entry.stat(follow_symlinks=False)
                if entry.name.endswith(_ENDING):
                    kept.append((state.st_mtime, state.st_size, entry.path))
                elif state.st_mtime < time.time() - _STALE:
                    _remove(entry.path)
    size = sum(octets for _, octets, _ in kept)
    if size > MOST_OCTETS:
        for _, octets, path in sorted(kept):
            _remove(path)
            size -= octets
            if size <= MOST_OCTETS * 3 // 4:
                return


def _remove(path: str) -> None:
    """Remove a file, if it is still there and this process may."""
    try:
        os.unlink(path)
    except OSError:
        return
