"""Compiled templates on disk: keyed on content, version and options; ignored when damaged or not ours alone."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from untor.build.result import Built

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.source import Source

_FORMAT = "untor 4"


class CodeCache:
    """A folder of compiled templates; without a folder, nothing is kept."""

    def __init__(self, folder: str | os.PathLike[str] | None, options: list[str]) -> None:
        self.folder = None if folder is None else Path(folder)
        self.options = options

    def _path(self, source: Source) -> Path | None:
        if self.folder is None:
            return None
        from untor import __version__  # noqa: PLC0415  known once the package is loaded

        key = [_FORMAT, __version__, sys.version, *self.options, source.name, source.path or "", source.text]
        return self.folder / f"{_digest(chr(0).join(key))}.untor"

    def load(self, source: Source, read: Callable[[str], Source]) -> tuple[Built, Mapping[str, tuple[str, ...]]] | None:
        """Return the code and what was made of a template, when it is there and still what would be made."""
        path = self._path(source)
        if path is None or self.folder is None:
            return None
        import marshal  # noqa: PLC0415  only with a cache

        from untor.errors import UntorError  # noqa: PLC0415

        try:
            if not (_is_ours(self.folder) and _is_ours(path)):
                return None
            octets = path.read_bytes()
            check, body = octets[:64].decode("ascii"), octets[64:]
            if check != _digest(body):
                return None
            code, filters, names, calls, reads, made, others = marshal.loads(body)  # noqa: S302  a file of ours alone
            sources = {source.path or source.name: source}
            for name, digest in others.items():
                other = read(name)
                if _digest(other.text) != digest:
                    return None
                sources[other.path or other.name] = other
        except (OSError, ValueError, EOFError, TypeError, UntorError):
            return None
        return Built(code, filters, names, calls, reads, sources), made

    def save(self, source: Source, built: Built, made: Mapping[str, tuple[str, ...]]) -> None:
        """Keep a compiled template. A folder that cannot be written to, or not safely, keeps nothing."""
        path = self._path(source)
        if path is None or self.folder is None:
            return
        import marshal  # noqa: PLC0415
        import tempfile  # noqa: PLC0415

        others = {each.name: _digest(each.text) for each in built.sources.values() if each is not source}
        if {*others} != {*made["dependencies"]} - {source.name}:
            return
        body = marshal.dumps((built.code, built.filters, built.globals, built.calls, built.reads, dict(made), others))
        try:
            self.folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            if not _is_ours(self.folder):
                return
            handle, temporary = tempfile.mkstemp(dir=self.folder)
            with os.fdopen(handle, "wb") as file:
                file.write(_digest(body).encode("ascii") + body)
            Path(temporary).replace(path)
        except OSError:
            return


def _digest(content: str | bytes) -> str:
    import hashlib  # noqa: PLC0415  only with a cache

    return hashlib.sha256(content.encode("utf-8", "surrogatepass") if isinstance(content, str) else content).hexdigest()


def _is_ours(path: Path) -> bool:
    """Tell whether a file or folder belongs to this user and can be written by nobody else."""
    if not hasattr(os, "geteuid"):
        return True
    state = path.stat()
    return state.st_uid == os.geteuid() and not state.st_mode & 0o022
