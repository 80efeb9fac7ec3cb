"""Static files: their URLs with a fingerprint of the content, and their integrity hashes."""

from __future__ import annotations

import os
from pathlib import Path

from untor.diagnostics.problem import suggestion
from untor.escape import TrustedScriptURL
from untor.escape.url import percent
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    Static = str | os.PathLike[str] | Mapping[str, str | os.PathLike[str]]

_MOST_LISTED = 5000
_LENGTH = 16
"""How many hexadecimal digits a fingerprint has."""


class Assets:
    """The static files of a site: folders, each with the URL that its files are served under.

    ``static`` is one folder, served under ``/static``, or a mapping of URLs to folders. With ``reload``, each use looks
    whether the file has changed; without, a file is read once. Raises ``ValueError`` for a URL that cannot be.
    """

    def __init__(self, static: Static, *, reload: bool = False) -> None:
        given = {"/static": static} if isinstance(static, str | os.PathLike) else static
        self.entries = [(_prefix(url), Path(folder)) for url, folder in given.items()]
        self.reload = reload
        self._known: dict[str, tuple[object, TrustedScriptURL, str]] = {}

    def asset(self, name: str) -> TrustedScriptURL:
        """Return the URL of a static file, which is another one whenever its content is.

        So it can be served with ``Cache-Control: public, max-age=31536000, immutable``. A template may load scripts
        and styles from it. Raises ``FilterProblem`` for a file that is not there.
        """
        return self._made(name)[1]

    def integrity(self, name: str) -> str:
        """Return the hash of a static file for an ``integrity`` attribute (Subresource Integrity §3.1)."""
        return self._made(name)[2]

    def trouble(self, name: object) -> str:
        """Return why a name is not that of a static file; an empty string if it is."""
        try:
            self.find(name)
        except FilterProblem as found:
            return str(found)
        return ""

    def find(self, name: object) -> tuple[str, Path]:
        """Return the URL of a static file without its fingerprint, and the file. Raises ``FilterProblem``."""
        if not isinstance(name, str) or not name or "\0" in name or "\\" in name or name.startswith("/"):
            raise FilterProblem(f"{name!r} is not a valid name of a static file, like 'site.css' or 'icons/berth.svg'.")
        parts = name.split("/")
        for url, folder in self.entries:
            path = folder.joinpath(*parts)
            inside = not {"", ".", ".."} & set(parts) and path.is_file()
            if inside and path.resolve().is_relative_to(folder.resolve()):
                return f"{url}/{'/'.join(map(percent, parts))}", path
        looked = ", ".join(str(folder) for _, folder in self.entries)
        near = suggestion(name, self._names())
        raise FilterProblem(f'there is no static file "{name}" in {looked}.' + (f" {near}" if near else ""))

    def _made(self, name: str) -> tuple[object, TrustedScriptURL, str]:
        known = self._known.get(name)
        if known is not None and not self.reload:
            return known
        url, path = self.find(name)
        state = path.stat()
        stamp = (str(path), state.st_mtime_ns, state.st_size, state.st_ino)
        if known is None or known[0] != stamp:
            import base64  # noqa: PLC0415  once a file
            import hashlib  # noqa: PLC0415

            octets = path.read_bytes()
            print_ = hashlib.sha256(octets).hexdigest()[:_LENGTH]
            integrity = f"sha384-{base64.b64encode(hashlib.sha384(octets).digest()).decode()}"
            trusted = TrustedScriptURL(f"{url}?v={print_}", reason="a static file of the site")
            known = self._known[name] = (stamp, trusted, integrity)
        return known

    def _names(self) -> Iterator[str]:
        left = _MOST_LISTED
        for _, folder in self.entries:
            for place, folders, files in os.walk(folder):
                folders.sort()
                for file in files[:left]:
                    yield (Path(place) / file).relative_to(folder).as_posix()
                left -= len(files)
                if left <= 0:
                    return


def _prefix(url: str) -> str:
    fits = isinstance(url, str) and url.isascii() and url.isprintable() and not set(url) & set(" ?#\"'<>\\")
    starts = fits and (url.startswith(("https://", "http://")) or (url.startswith("/") and not url.startswith("//")))
    if not starts:
        raise ValueError(f"static takes URLs of folders, like '/static' or 'https://cdn.ellery.example', not {url!r}")
    return url.rstrip("/")
