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

_FORMAT = "untor 10"


class CodeCache:
    """A folder of compiled templates; without a folder, nothing is kept."""

    def __init__(self, folder: str | os.PathLike[str] | None, options: list[str]) -> None:
        self.folder = None if folder is None else os.fspath(folder)
        self.options = options

    def _path(self, key: str) -> str | None:
        if self.folder is None:
            return None
        from zlib import crc32  # noqa: PLC0415  only with a cache

        return os.path.join(self.folder, f"{crc32(key.encode('utf-8', 'surrogatepass')):08x}{len(key):x}.untor")

    def _key(self, source: Source, way: str) -> str:
        """Return everything that compiled code depends on; it is stored in the file unchanged."""
        made = "program" if IS_BUILT else way
        facts = [_FORMAT, VERSION, sys.version, made, *self.options]
        return chr(0).join([*facts, source.name, source.path or "", source.text])

    def load(
        self, source: Source, read: Callable[[str], Source], way: str
    ) -> tuple[Code, Mapping[str, tuple[str, ...]]] | None:
        """Return the code of a template for a way to render, and what it is made of, if it is there and still holds."""
        key = self._key(source, way)
        path = self._path(key)
        if path is None or self.folder is None:
            return None
        import marshal  # noqa: PLC0415  only with a cache
        from zlib import crc32  # noqa: PLC0415

        from untor.errors import UntorError  # noqa: PLC0415

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
            return (CompiledProgram if IS_BUILT else CompiledCode)._make((*parts, sources)), made
        except (OSError, ValueError, EOFError, TypeError, UntorError):
            return None

    def save(self, source: Source, built: Code, made: Mapping[str, tuple[str, ...]], way: str) -> None:
        """Keep a compiled template. A folder that cannot be written to, or not safely, keeps nothing."""
        key = self._key(source, way)
        path = self._path(key)
        if path is None or self.folder is None:
            return
        import marshal  # noqa: PLC0415
        import tempfile  # noqa: PLC0415
        from zlib import crc32  # noqa: PLC0415

        others = {each.name: each.text for each in built.sources.values() if each is not source}
        if {*others} != {*made["dependencies"]} - {source.name}:
            return
        body = marshal.dumps((key, tuple(built[:-1]), dict(made), others))
        try:
            os.makedirs(self.folder, mode=0o700, exist_ok=True)
            if not _is_ours(self.folder):
                return
            handle, temporary = tempfile.mkstemp(dir=self.folder)
            with os.fdopen(handle, "wb") as file:
                file.write(f"{crc32(body):08x}".encode("ascii") + body)
            os.replace(temporary, path)
        except OSError:
            return


def _is_ours(path: str) -> bool:
    """Return whether a file or folder belongs to this user and can be written by nobody else."""
    if not hasattr(os, "geteuid"):
        return True
    state = os.stat(path)
    return state.st_uid == os.geteuid() and not state.st_mode & 0o022
