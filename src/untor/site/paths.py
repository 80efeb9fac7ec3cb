"""Paths of files in a built site: which can be written everywhere, and the addresses they are answered at."""

from __future__ import annotations

import re
from unicodedata import normalize

from untor.escape.url import percent

OWN_FOLDER = ".untor-build"
"""The folder in the output in which a build keeps what it needs for the next one."""

NOT_FOUND = "404.html"
"""What static servers answer with where there is no page; in no sitemap."""

MOST_BYTES_OF_NAME = 255
"""How long a name may be in UTF-8: the limit of ext4, XFS, Btrfs, ZFS and APFS (NTFS allows more)."""

MOST_BYTES = 1000
"""How long a path may be in UTF-8: less than macOS's 1,024 for the whole path."""

# Naming Files, Paths, and Namespaces (Win32): characters and names that no file of Windows can have.
_REFUSED = re.compile('[\0-\x1f<>:"|?*\\\\\x7f\ud800-\udfff]')
_DEVICE = re.compile(
    r"(?:CON|PRN|AUX|NUL|CONIN\$|CONOUT\$|(?:COM|LPT)[0-9\u00b9\u00b2\u00b3])[ ]*(?:\..*)?", re.IGNORECASE
)
_SIMPLE = re.compile(
    r"(?:(?!(?:con|prn|aux|nul|com[0-9]|lpt[0-9])(?:[./]|\Z))[a-z0-9_-]{1,80}(?:\.[a-z0-9_-]{1,20})*(?:/(?!\Z)|\Z)){1,8}",
    re.IGNORECASE | re.ASCII,
)
"""Most paths: nothing else needs to be asked of them."""

# Naming Files, Paths, and Namespaces (Win32), "Short vs. Long Names": other names of files with long ones.
_SHORT_NAME = re.compile(r"(?=[^.]{1,8}(?:\.|\Z))[^.~]{1,6}~[0-9]{1,6}(?:\.[^.]{0,3})?")

# Technical Note TN1150 (HFS Plus), "Unicode Subtleties": characters that are ignored when names are compared.
_IGNORED = re.compile("[\u200c-\u200f\u202a-\u202e\u206a-\u206f\ufeff]")

_INDEX = "index.html"


def path_trouble(path: str) -> str:
    """Return why a path cannot be that of a file of the site, or an empty string.

    A path is relative to the output folder, with ``/`` between its names. What some file system cannot hold is refused
    on every one, so that a site that was built here can be built, copied and served anywhere.
    """
    if _SIMPLE.fullmatch(path) and len(path) <= MOST_BYTES_OF_NAME:
        return ""
    for name in path.split("/"):
        if name in {"", ".", ".."}:
            what = f'a part that is "{name}"' if name else "an empty part"
            return f"it has {what}, and would be another place"
        if found := _REFUSED.search(name):
            return f"it has the character {found[0]!r}, which not every file system can hold"
        if name.endswith((".", " ")):
            return f'the name "{name}" ends in a {"dot" if name[-1] == "." else "blank"}, which Windows drops'
        if _DEVICE.fullmatch(name):
            return f'"{name}" is the name of a device on Windows'
        if _SHORT_NAME.fullmatch(name):
            return f'"{name}" could be the short name of another file on Windows'
        if len(name.encode()) > MOST_BYTES_OF_NAME:
            return f"a name in it is longer than {MOST_BYTES_OF_NAME} bytes"
    if len(path.encode()) > MOST_BYTES:
        return f"it is longer than {MOST_BYTES:,} bytes"
    if folded(path).partition("/")[0] == OWN_FOLDER:
        return f"{OWN_FOLDER} belongs to the build itself"
    return ""


def folded(path: str) -> str:
    """Return what is equal for paths that are the same file on some file system.

    Those of Windows and macOS ignore case, those of macOS also how characters are composed (Unicode Standard, D145),
    and one of them characters that are not seen.
    """
    if path.isascii():
        return path.lower()
    return normalize("NFD", normalize("NFD", _IGNORED.sub("", path)).casefold())


def address_of(path: str, base: str = "/") -> str:
    """Return the path of the URL that a static server answers with a file; ``base`` is that of the site's root."""
    if _SIMPLE.fullmatch(path):
        return base + (path.removesuffix(_INDEX) if path == _INDEX or path.endswith(f"/{_INDEX}") else path)
    folder, _, name = path.rpartition("/")
    shown = "" if name == _INDEX else name
    parts = [*(folder.split("/") if folder else []), shown]
    return base + "/".join(percent(part) if part else "" for part in parts)


def root_from(path: str) -> str:
    """Return the relative URL of the site's root, from a page: ``../`` for each folder that it is in."""
    return "../" * path.count("/") or "./"
