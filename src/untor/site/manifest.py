"""What a build has written, kept in the output folder: what to write again, what clashes, what to remove."""

from __future__ import annotations

import errno
import os
import shutil
import sqlite3
from collections import OrderedDict
from contextlib import suppress
from typing import NamedTuple

from untor.site.fingerprints import digest
from untor.site.paths import OWN_FOLDER, folded, path_trouble

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence
    from pathlib import Path
    from typing import Any

_FORMAT = 1
_FOREIGN_SIZE = -1
_COLUMNS = "path, entry, is_listed, build, key, digest, size, modified"
_MOST_PARAMETERS = 500
"""How many values a query is given: less than any SQLite's limit (SQLITE_MAX_VARIABLE_NUMBER)."""

_MOST_FOLDERS = 10_000
"""How many folders are remembered in memory; the others are looked up."""

_SCHEMA = """
create table files(
  folded text primary key,
  path text not null,
  entry text not null,
  is_listed integer not null,  -- whether the sitemap lists it
  build integer not null,  -- the last build that made this file
  key blob,                -- fingerprint of what it is made from; like the rest, null until it is written
  digest blob,             -- fingerprint of its content
  size integer,
  modified integer         -- nanoseconds
) without rowid;
create table folders(folded text primary key, path text not null, build integer not null) without rowid;
create table builds(build integer);
"""


class FolderInUse(OSError):  # noqa: N818  the name describes the error
    """Another build is writing to the folder."""


class Claim(NamedTuple):
    """A file that is about to be made: its path and entry, and whether the sitemap lists it."""

    path: str
    entry: str
    is_listed: bool


class Kept(NamedTuple):
    """What is known of a file from an earlier build."""

    key: bytes | None
    digest: bytes | None
    size: int | None
    modified: int | None


FOREIGN = Kept(None, None, _FOREIGN_SIZE, None)
"""What is known of a file that no build has written."""


class Clash(NamedTuple):
    """Two files that cannot both be there: the path of the other one, and its entry."""

    path: str
    entry: str
    is_folder: bool


class Manifest:
    """The record of an output folder, locked as long as it is open.

    A file is in it before it is written, so that a build that was ended at any point leaves nothing that the next one
    does not know of. Raises ``FolderInUse``, and ``OSError`` for a folder that cannot be written to.
    """

    def __init__(self, output: Path) -> None:
        self.output = output
        self._own = output / OWN_FOLDER
        if self._own.is_symlink():
            raise OSError(errno.ELOOP, "it is a link, and a build keeps its record there", str(self._own))
        self._own.mkdir(parents=True, exist_ok=True)
        self._was_empty = [entry.name for entry in os.scandir(output)] == [OWN_FOLDER]
        """Whether nobody can have put a file there."""
        self._connection = self._opened(self._own / "manifest.sqlite")
        self.build: int = self._connection.execute("select coalesce(max(build), 0) + 1 from builds").fetchone()[0]
        self._folders: OrderedDict[str, str] = OrderedDict()
        self._new_folders: list[tuple[str, str]] = []
        """Folders that are not recorded yet; all of them are among those in memory."""
        self.staging = self._own / f"new-{self.build}-{os.getpid()}"
        try:
            with self._connection:
                self._connection.execute("insert into builds values (?)", (self.build,))
            self._remove_staging()
            self.staging.mkdir()
        except BaseException:
            self._connection.close()
            raise

    def _opened(self, file: Path) -> sqlite3.Connection:
        try:
            return _connected(file)
        except sqlite3.DatabaseError as error:
            if isinstance(error, sqlite3.OperationalError):
                if "locked" in str(error):
                    raise FolderInUse(errno.EBUSY, "another build is writing to it", str(self.output)) from None
                raise OSError(None, str(error), str(file)) from None
        # A damaged record is begun anew: the files that are there are compared, and never overwritten.
        for damaged in self._own.glob("manifest.sqlite*"):
            damaged.unlink()
        return _connected(file)

    def _remove_staging(self) -> None:
        """Remove what builds that were ended have left; what still runs of them can then put nothing in its place."""
        for old in self._own.glob("new-*"):
            shutil.rmtree(old, ignore_errors=True)

    def close(self) -> None:
        """Close the record, and release the folder."""
        self._connection.close()
        shutil.rmtree(self.staging, ignore_errors=True)

    # --- claiming --------------------------------------------------------------------------------------------------

    def claim(self, claims: Sequence[Claim]) -> list[Kept | Clash | None]:
        """Record files before they are written; return what is known of each.

        That is what an earlier build has written, ``FOREIGN`` for a file that somebody else has put there, ``None`` for
        none, or a ``Clash`` with another file of this build.
        """
        names = [folded(claim.path) for claim in claims]
        rows, folders = self._known(names)
        known: list[Kept | Clash | None] = []
        with self._connection:
            same: list[str] = []
            changed: list[tuple[object, ...]] = []
            for claim, name in zip(claims, names, strict=True):
                row = rows.get(name)
                if row is not None and row[3] == self.build:
                    known.append(Clash(row[0], row[1], is_folder=False))
                    continue
                if name in folders or name in self._folders:
                    known.append(Clash(folders.get(name) or self._folders[name], "", is_folder=True))
                    continue
                if "/" in claim.path and (clash := self._folder_clash(claim.path)):
                    known.append(clash)
                    continue
                if row is not None and row[6] != _FOREIGN_SIZE:
                    if row[0] != claim.path and self._is_inside(row[0]):  # another file here, or the same
                        _unlink(self.output / row[0])
                    known.append(Kept(*row[4:]))
                    if row[:3] == claim:
                        same.append(name)
                    else:
                        changed.append((name, *claim, self.build, *row[4:]))
                elif not self._was_empty and os.path.lexists(f"{self.output}/{claim.path}"):
                    known.append(FOREIGN)
                    changed.append((name, *claim, self.build, *FOREIGN))
                else:
                    known.append(None)
                    changed.append((name, *claim, self.build, None, None, None, None))
                rows[name] = (*claim, self.build, None, None, None, None)
            self._connection.executemany(
                "update files set build = ? where folded = ?", [(self.build, name) for name in same]
            )
            self._connection.executemany(
                f"insert or replace into files (folded, {_COLUMNS}) values (?, ?, ?, ?, ?, ?, ?, ?, ?)",  # noqa: S608
                changed,
            )
            self._connection.executemany(
                "insert or replace into folders values (?, ?, ?)",
                [(name, path, self.build) for name, path in self._new_folders],
            )
            self._new_folders.clear()
        return known

    def begin(self, paths: Iterable[str]) -> None:
        """Record files as unfinished, before others take their places: whatever is there then, a build has written."""
        with self._connection:
            self._connection.executemany(
                "update files set key = null, digest = null, size = null, modified = null where folded = ?",
                [(folded(path),) for path in paths],
            )

    def drop(self, paths: Iterable[str]) -> None:
        """Forget files that were claimed and not written; what is there is not touched."""
        with self._connection:
            self._connection.executemany("delete from files where folded = ?", [(folded(path),) for path in paths])

    def _known(self, names: list[str]) -> tuple[dict[str, tuple[Any, ...]], dict[str, str]]:
        """Return what is recorded of files, and which of them are folders of this build."""
        files: dict[str, tuple[Any, ...]] = {}
        folders: dict[str, str] = {}
        for start in range(0, len(names), _MOST_PARAMETERS):
            some = names[start : start + _MOST_PARAMETERS]
            marks = ",".join("?" * len(some))
            query = f"select folded, {_COLUMNS} from files where folded in ({marks})"  # noqa: S608  only marks
            files.update((row[0], row[1:]) for row in self._connection.execute(query, some))
            query = f"select folded, path from folders where build = ? and folded in ({marks})"  # noqa: S608
            folders.update(self._connection.execute(query, (self.build, *some)))
        return files, folders

    def _folder_clash(self, path: str) -> Clash | None:
        """Note the folders of a file; return what clashes with one of them."""
        while "/" in path:
            path = path.rpartition("/")[0]
            name = folded(path)
            known = self._folder(name)
            if known == path:
                return None
            if known is not None:
                return Clash(known, "", is_folder=True)
            file = self._connection.execute("select path, entry, build from files where folded = ?", (name,)).fetchone()
            if file is not None:
                if file[2] == self.build:
                    return Clash(file[0], file[1], is_folder=False)
                self._forget("folded = ?", (name,))
            self._folders[name] = path
            self._new_folders.append((name, path))
            if len(self._folders) > _MOST_FOLDERS + len(self._new_folders):
                self._folders.popitem(last=False)
        return None

    def _folder(self, name: str) -> str | None:
        """Return the path of a folder of this build, from what is equal for all that are the same."""
        if name in self._folders:
            self._folders.move_to_end(name)
            return self._folders[name]
        query = "select path from folders where folded = ? and build = ?"
        row = self._connection.execute(query, (name, self.build)).fetchone()
        return None if row is None else str(row[0])

    # --- what has been written ---------------------------------------------------------------------------------------

    def finish(self, written: Iterable[tuple[str, Kept]]) -> None:
        """Record what files have become."""
        with self._connection:
            self._connection.executemany(
                "update files set key = ?, digest = ?, size = ?, modified = ? where folded = ?",
                [(*kept, folded(path)) for path, kept in written],
            )

    def keep_entries(self, entries: Iterable[str]) -> None:
        """Keep all files of entries whose pages are not known, as their data could not be read."""
        with self._connection:
            for entry in entries:
                self._connection.execute("update files set build = ? where entry = ?", (self.build, entry))

    def remove_others(self) -> int:
        """Remove the files that earlier builds have written and this one has not; return how many.

        One that somebody has changed since stays.
        """
        count, last = 0, ""
        query = "select folded from files where build < ? and folded > ? order by folded limit 256"
        while rows := self._connection.execute(query, (self.build, last)).fetchall():
            with self._connection:
                for (last,) in rows:
                    count += self._forget("folded = ?", (last,))
        with self._connection:
            self._connection.execute("delete from folders where build < ?", (self.build,))
            self._connection.execute("delete from builds where build < ?", (self.build,))
        return count

    def remove_below(self, path: str) -> None:
        """Remove the files of earlier builds in a folder that is to become a file."""
        with self._connection:
            self._forget(
                "folded >= ? and folded < ? and build < ?", (f"{folded(path)}/", f"{folded(path)}0", self.build)
            )

    def _forget(self, which: str, values: tuple[object, ...]) -> int:
        """Remove files, and folders that are empty then; return how many."""
        query = f"select folded, path, digest, size, modified from files where {which}"  # noqa: S608  it is written here
        rows = self._connection.execute(query, values).fetchall()
        for name, path, content, size, modified in rows:
            file = self.output / path
            is_ours = size != _FOREIGN_SIZE and self._is_inside(path)
            if is_ours and _is_as_written(file, content, size, modified):
                _unlink(file)
                for folder in file.parents:
                    if folder == self.output or not _is_removed(folder):
                        break
            self._connection.execute("delete from files where folded = ?", (name,))
        return len(rows)

    def _is_inside(self, path: str) -> bool:
        """Return whether a recorded file is in the folder: somebody may have changed the record, or the folders."""
        parent = (self.output / path).parent
        return not path_trouble(path) and parent.resolve().is_relative_to(self.output.resolve())

    # --- reading -----------------------------------------------------------------------------------------------------

    def listed(self) -> Iterator[str]:
        """Yield the paths of the pages that the sitemap lists, in order."""
        query = "select path from files where build = ? and is_listed order by folded"
        return (row[0] for row in self._connection.execute(query, (self.build,)))

    def paths(self) -> Iterator[str]:
        """Yield the paths of all files of this build, in order."""
        query = "select path from files where build = ? order by folded"
        return (row[0] for row in self._connection.execute(query, (self.build,)))

    def has(self, path: str) -> bool:
        """Return whether this build has a file, by its exact path."""
        query = "select count(*) from files where folded = ? and path = ? and build = ?"
        return bool(self._connection.execute(query, (folded(path), path, self.build)).fetchone()[0])


def _connected(file: Path) -> sqlite3.Connection:
    connection = sqlite3.connect(file, timeout=0.2, isolation_level="IMMEDIATE")
    try:
        connection.execute("pragma locking_mode = exclusive")
        connection.execute("pragma journal_mode = wal")
        connection.execute("pragma synchronous = normal")
        connection.execute("begin exclusive")
        version = connection.execute("pragma user_version").fetchone()[0]
        if version != _FORMAT:
            for table in connection.execute("select name from sqlite_master where type = 'table'").fetchall():
                connection.execute(f'drop table "{table[0]}"')
            for statement in _SCHEMA.split(";\n"):
                connection.execute(statement)
            connection.execute(f"pragma user_version = {_FORMAT}")
        connection.commit()
    except BaseException:
        connection.close()
        raise
    return connection


def _is_removed(folder: Path) -> bool:
    try:
        folder.rmdir()
    except OSError:
        return False
    return True


def _unlink(file: Path) -> None:
    """Remove a file, if it is still there and a file."""
    with suppress(FileNotFoundError, NotADirectoryError, IsADirectoryError):
        file.unlink()


def _is_as_written(file: Path, content: bytes | None, size: int | None, modified: int | None) -> bool:
    """Return whether a file is what a build has written; also for one whose writing was not finished."""
    if content is None:
        return True
    try:
        state = file.lstat()
        same = (state.st_size, state.st_mtime_ns) == (size, modified)
        return same or (state.st_size == size and digest(file.read_bytes()) == content)
    except OSError:
        return False
