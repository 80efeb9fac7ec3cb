"""The files of a site that are not pages: copies of its static files, and its sitemap."""

from __future__ import annotations

import hashlib
import os
import shutil
from pathlib import Path
from typing import NamedTuple

from untor.site.batches import clash_error, foreign_error, is_as_written
from untor.site.fingerprints import DIGEST_BYTES, digest
from untor.site.manifest import FOREIGN, Claim, Clash, Kept
from untor.site.paths import path_trouble
from untor.site.writing import put_in_place

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

    from untor.site.manifest import Manifest
    from untor.site.result import BuildResult

STATIC = "static files"
SITEMAP = "the sitemap"
"""The names of what are no entries of the table of pages."""

_NOT_COPIED = frozenset({".git", ".hg", ".svn", ".DS_Store", "Thumbs.db", "desktop.ini"})
"""Files of other programs."""


class StaticFile(NamedTuple):
    """A file to copy: its path in the site, where it is, and what is equal while it is the same.

    ``trouble`` is why it cannot be copied.
    """

    path: str
    file: str = ""
    key: bytes = b""
    trouble: str = ""


def static_files(entries: Iterable[tuple[str, Path]], base: str) -> Iterator[StaticFile]:
    """Yield the static files that the site itself serves.

    ``entries`` are the paths of URLs with the folders served there; ``base`` is the path of the site's root.
    """
    for url, folder in entries:
        if "://" in url:
            continue
        if not f"{url}/".startswith(base):
            trouble = (
                f"these static files are served outside of the site, whose addresses begin with {base}; "
                f'name them {{"{base.rstrip("/")}{url}" = "{folder.name}"}}'
            )
            yield StaticFile(url, trouble=trouble)
            continue
        before = f"{url}/"[len(base) :]
        for place, folders, files in os.walk(folder):
            folders[:] = sorted(name for name in folders if name not in _NOT_COPIED)
            for name in sorted(files):
                if name not in _NOT_COPIED:
                    yield _static_file(Path(place, name), folder, before)


def _static_file(file: Path, folder: Path, before: str) -> StaticFile:
    path = before + file.relative_to(folder).as_posix()
    if trouble := path_trouble(path):
        return StaticFile(path, trouble=f"a static file cannot have this path: {trouble}")
    if not file.resolve().is_relative_to(folder.resolve()):
        return StaticFile(path, trouble=f"{file} is a link that leads out of the folder")
    try:
        state = file.stat()
    except OSError as error:
        return StaticFile(path, trouble=f"{file}: {(error.strerror or str(error)).lower()}")
    facts = f"{path}\0{file}\0{state.st_size}\0{state.st_mtime_ns}"
    return StaticFile(path, str(file), digest(facts.encode("utf-8", "surrogatepass")))


class FileWriter:
    """Writes files that are not pages, each whole or not at all, if they have changed."""

    def __init__(self, manifest: Manifest, result: BuildResult) -> None:
        self._manifest = manifest
        self._result = result
        self._output = str(manifest.output)
        self._staging = str(manifest.staging)

    def copy(self, file: StaticFile) -> bytes:
        """Copy a static file; return a fingerprint of its content."""
        return self._put(file.path, STATIC, file.key, lambda target: shutil.copyfile(file.file, target))

    def write(self, path: str, make: Callable[[str], object]) -> None:
        """Write a file of the sitemap; ``make`` is given where."""
        self._put(path, SITEMAP, b"", make)

    def _put(self, path: str, entry: str, key: bytes, make: Callable[[str], object]) -> bytes:
        (known,) = self._manifest.claim([Claim(path, entry, is_listed=False)])
        if isinstance(known, Clash):
            self._result.fail(path, "", clash_error(path, known))
            return key
        is_static = entry == STATIC
        self._result.static += is_static
        target = f"{self._output}/{path}"
        is_kept = known is not None and known is not FOREIGN and is_as_written(target, known)
        if is_kept and known is not None and key and known.key == key and known.digest:
            return known.digest
        temporary = f"{self._staging}/file"
        make(temporary)
        content = _digest_of(temporary)
        if known is FOREIGN:
            is_kept = os.path.isfile(target) and not os.path.islink(target) and _digest_of(target) == content
            if not is_kept:
                os.unlink(temporary)
                self._manifest.drop([path])
                self._result.fail(path, "", foreign_error(path))
                return content
        elif known is not None:
            is_kept = is_kept and known.digest == content
        if is_kept:
            os.unlink(temporary)
        else:
            self._manifest.begin([path])
            put_in_place(self._output, self._staging, temporary, target)
            self._result.copied += is_static
        state = os.stat(target)
        self._manifest.finish([(path, Kept(key, content, state.st_size, state.st_mtime_ns))])
        return content


def _digest_of(file: str) -> bytes:
    with Path(file).open("rb") as octets:
        return hashlib.file_digest(octets, lambda: hashlib.blake2b(digest_size=DIGEST_BYTES)).digest()
