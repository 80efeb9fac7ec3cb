"""Finds template files by name in an engine's folders, and nothing outside of them."""

from __future__ import annotations

import os
import time
from itertools import islice

from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.source import Source
from untor.diagnostics.wording import with_article
from untor.errors import MarkError, TemplateMissing

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence
    from pathlib import Path
    from typing import Any

ENDINGS = (".html", ".htm", ".xml", ".svg", ".txt")
"""Endings that a name may leave out, in the order they are tried."""

_MOST_LISTED = 5000
_TICK = 20_000_000
"""Nanoseconds within which a file system may give two contents of a file the same time."""


class TemplateLoader:
    """TemplateLoader in search order, each with a prefix that names of its templates begin with (mostly none)."""

    def __init__(self, folders: str | os.PathLike[str] | Sequence[str | os.PathLike[str]] | Mapping[str, Any]) -> None:
        self.entries: list[tuple[str, str]] = []
        if isinstance(folders, str | os.PathLike):
            folders = [folders]
        if hasattr(folders, "items"):
            for prefix, inner in folders.items():
                inner_folders = [inner] if isinstance(inner, str | os.PathLike) else list(inner)
                self.entries += [(prefix, _folder(folder)) for folder in inner_folders]
        else:
            self.entries = [("", _folder(folder)) for folder in folders]

    def find(self, name: str) -> str:
        """Return the file of a template. Raises ``TemplateMissing``."""
        trouble = _trouble(name)
        if trouble:
            raise TemplateMissing(Problem("template-name", word=repr(name)[:80], trouble=trouble))
        for prefix, folder in self.entries:
            inner = name
            if prefix:
                if not name.startswith(f"{prefix}/"):
                    continue
                inner = name[len(prefix) + 1 :]
            for candidate in (inner, *(inner + ending for ending in ENDINGS)):
                path = os.path.join("" if folder == "." else folder, candidate)
                if candidate.endswith(ENDINGS) and os.path.isfile(path):
                    if not _is_inside(path, folder):
                        trouble = "it is a link that leads out of the folder"
                        raise TemplateMissing(Problem("template-name", word=repr(name), trouble=trouble))
                    return path
        raise TemplateMissing(Problem("template-missing", word=name, near=self._near(name)))

    def read(self, name: str) -> Source:
        """Return the source of a template. Raises ``TemplateMissing``, and ``MarkError`` when it is not UTF-8."""
        path = self.find(name)
        try:
            with open(path, "rb") as file:
                stamp = _stamp(path, os.fstat(file.fileno()))
                octets = file.read()
        except OSError as error:
            words = {"word": name, "trouble": (error.strerror or str(error)).lower()}
            raise TemplateMissing(Problem("template-unreadable", **words)) from error
        source = decoded(octets, _with_ending(name, path), path)
        source.stamp = stamp
        return source

    def stamp(self, name: str) -> object:
        """Return what changes when the file of a template does, or another takes its place; ``None`` if not known."""
        try:
            path = self.find(name)
            return _stamp(path, os.stat(path))
        except (TemplateMissing, OSError):
            return None

    def name(self, name: str) -> str:
        """Return the whole name of a template, with its ending. Raises ``TemplateMissing``."""
        return _with_ending(name, self.find(name))

    def files(self) -> Iterator[tuple[str, Path]]:
        """Yield the name and the file of each template, in search order; a name may come twice."""
        from pathlib import Path  # noqa: PLC0415  rendering does without

        for name, folder, inner in self._listed():
            yield name, Path(folder, inner)

    def names(self) -> Iterator[str]:
        """Yield the names of templates, of the first some thousand files."""
        for name, _, _ in islice(self._listed(), _MOST_LISTED):
            yield name

    def _listed(self) -> Iterator[tuple[str, str, str]]:
        """Yield the name of each template, its folder and where it is in that."""
        for prefix, folder in self.entries:
            for place, folders, files in os.walk(folder):
                folders[:] = sorted(name for name in folders if not _is_passed_over(place, name))
                inside = place[len(folder) :].replace(os.sep, "/").strip("/")
                for file in sorted(files):
                    if file.endswith(ENDINGS):
                        inner = f"{inside}/{file}" if inside else file
                        yield (f"{prefix}/{inner}" if prefix else inner), folder, inner

    def _near(self, name: str) -> str:
        names = set(self.names())
        stems = {known.rsplit(".", 1)[0] for known in names}
        last = name.rsplit("/", 1)[-1].split(".", 1)[0]
        moved = sorted(known for known in stems if known.rsplit("/", 1)[-1] == last)
        near = f'There is "{moved[0]}".' if moved else suggestion(name, names if "." in name else stems)
        looked = [
            f"{_SHOWN.get(folder, folder)}{'' if os.path.isdir(folder) else ' (which does not exist)'}"
            + (f' (as "{prefix}/…")' if prefix else "")
            for prefix, folder in self.entries
        ]
        places = f"Looked in {', '.join(looked)}." if looked else "The engine has no folders."
        return f"{near}\n{places}" if near else places


_SHOWN = {".": "the current folder (.)"}


def _is_passed_over(place: str, name: str) -> bool:
    """Return whether a folder has files of other programs: a hidden one, a virtual environment, installed packages."""
    environment = os.path.join(place, name, "pyvenv.cfg")
    return name.startswith(".") or name in {"node_modules", "__pycache__"} or os.path.isfile(environment)


def _folder(given: str | os.PathLike[str]) -> str:
    """Return the path of a folder as messages show it: without ``./`` before and ``/`` after it."""
    path = os.fspath(given)
    while path.startswith("./"):
        path = path[2:].lstrip("/")
    return path.rstrip("/" + os.sep) or (path[:1] or ".")


def _stamp(path: str, state: os.stat_result) -> tuple[str, int, int, int] | None:
    """Return what changes when a file does; ``None`` for one just changed, which may again within a tick."""
    if state.st_mtime_ns > time.time_ns() - _TICK:
        return None
    return path, state.st_mtime_ns, state.st_size, state.st_ino


def _with_ending(name: str, path: str) -> str:
    """Return the name of a template with the ending of its file."""
    ending = os.path.splitext(path)[1]
    return name if name.endswith(ending) else name + ending


def _is_inside(path: str, folder: str) -> bool:
    """Return whether a file is in a folder when all links are followed."""
    return os.path.realpath(path).startswith(os.path.join(os.path.realpath(folder), ""))


def _trouble(name: str) -> str:
    """Say why a name can be none of a template; empty when it can."""
    if not isinstance(name, str):
        return f"names are strings, and this is {with_article(type(name).__name__)}"
    if not name.strip():
        return "it is empty"
    if "\0" in name or "\\" in name:
        return "it has a backslash or a NUL in it"
    if name.startswith("/") or os.path.isabs(name) or os.path.splitdrive(name)[0]:
        return "it is an absolute path"
    if any(part in {"", ".", ".."} for part in name.split("/")):
        return "it has an empty part, . or .. in it"
    return ""


def decoded(octets: bytes, name: str, path: str | None) -> Source:
    """Return UTF-8 bytes, with or without byte order mark, as a source; line breaks stay as they are."""
    octets = octets.removeprefix(b"\xef\xbb\xbf")
    try:
        return Source(name, octets.decode("utf-8"), path)
    except UnicodeDecodeError as error:
        source = Source(name, octets.decode("utf-8", "replace"), path)
        start = len(octets[: error.start].decode("utf-8", "replace"))
        byte = f"0x{octets[error.start]:02X}"
        raise MarkError(Problem("not-utf8", source, start, start + 1, byte=byte)) from None
