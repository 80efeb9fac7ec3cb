"""Fingerprints of what a page is made from: while they are the same, it need not be rendered again."""

from __future__ import annotations

import functools
import hashlib
import marshal
import sys
from contextlib import suppress
from dataclasses import fields, is_dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from uuid import UUID

from untor.data.xml_file import XmlNode, source_of
from untor.filters import NAMES
from untor.language import tree
from untor.loading.version import VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping
    from typing import Any

    from untor.compiler.compiler import Compiler

DIGEST_BYTES = 16

_STABLE = 2
"""The version of marshal's format that depends on values alone, not on which of them are the same object."""

_CONVERTED = b"converted"
"""Begins the fingerprints of values that marshal has no types for: they are never those of others."""

_PURE = frozenset({"range", "link", "asset", "integrity", "say"})
"""The engine's own helpers: what they return depends on options, static files and catalogues alone."""
_OF_STATIC_FILES = frozenset({"asset", "integrity"})
_OF_THE_CLOCK = frozenset({"ago"})


def digest(octets: bytes) -> bytes:
    """Return a fingerprint of bytes."""
    return hashlib.blake2b(octets, digest_size=DIGEST_BYTES).digest()


def of_value(value: Any) -> bytes | None:
    """Return what is equal for values that print the same; ``None`` for what is more than plain data.

    Plain data are numbers, text, dates and the like, in lists and mappings. Of any other object nobody can know
    whether it reads the same the next time.
    """
    try:
        octets = marshal.dumps(value, _STABLE)
        if _is_read_back(octets, value):
            return octets
    except (ValueError, BufferError):
        pass
    try:
        return _CONVERTED + marshal.dumps(_plain(value), _STABLE)
    except (ValueError, RecursionError):
        return None


def _is_read_back(octets: bytes, value: Any) -> bool:
    """Return whether a value is made of marshal's own types: of anything with a buffer, it writes the bytes alone.

    So NumPy's 0 and 0.0 would be the same.
    """
    try:
        return bool(marshal.loads(octets) == value)  # noqa: S302  written just now
    except Exception:  # noqa: BLE001  an object compares as it likes
        return False


def _plain(value: Any) -> Any:
    """Return a value in marshal's own types. Raises ``ValueError`` for what is no plain data."""
    kind = type(value)
    if value is None or kind in {str, int, float, bool, bytes}:
        return value
    if kind is dict:
        return {_plain(key): _plain(each) for key, each in value.items()}
    if kind in {list, tuple}:
        return [kind.__name__, *map(_plain, value)]
    if kind in {date, datetime, time, timedelta, Decimal, UUID}:
        return (kind.__name__, repr(value))
    if kind is XmlNode:
        return ("xml", source_of(value))
    raise ValueError(kind)


class TemplateFingerprint:
    """What the pages of a template depend on besides their values.

    ``key`` is a fingerprint of the template, of everything that it is made of, of the options and the code of the site.
    ``is_volatile`` says that its pages must be rendered each time: they use a function of the site, whose result may be
    another, a value that is no plain data, or the clock. ``uses_static`` says that they have addresses of static files,
    which change with the files.
    """

    __slots__ = ("is_volatile", "key", "uses_static")

    def __init__(self, compiler: Compiler, names: Iterable[str], code: bytes) -> None:
        settings = compiler.settings
        hashed = hashlib.blake2b(code, digest_size=DIGEST_BYTES)
        read: set[str] = set()
        filters: set[str] = set()
        for name in sorted(names):
            reading = compiler.reading(name)
            _add(hashed, name, reading.source.text)
            _collect([reading.body, reading.layout, reading.takes, reading.parts], read, filters)
        _add(hashed, *settings.cache_key(), VERSION, sys.version, *_versions())
        globals_read = {name: settings.globals[name] for name in sorted(read & settings.globals.keys())}
        values = of_value(globals_read)
        hashed.update(values or b"")
        for name in sorted(filters - {*NAMES}):
            hashed.update(_code_of(settings.filters.get(name)))
        self.uses_static = bool(read & _OF_STATIC_FILES & settings.helpers.keys())
        self.is_volatile = (
            values is None
            or bool(read & settings.helpers.keys() - _PURE)
            or bool(filters & _OF_THE_CLOCK)
            or ("link" in read and "link" in settings.helpers and "link" not in _constant(settings.helper_checks))
        )
        self.key = hashed.digest()


@functools.cache
def _versions() -> list[str]:
    """Return the versions of the packages that decide what some filters print."""
    found = []
    for package in ("babel", "nh3", "tzdata"):
        with suppress(PackageNotFoundError):
            found.append(f"{package} {version(package)}")
    return found


def _constant(checks: Mapping[str, object]) -> set[str]:
    """Return the helpers whose calls are checked when a template is compiled, as everything about them is known."""
    return {name for name, check in checks.items() if getattr(getattr(check, "__self__", None), "table", 1) is not None}


def _add(hashed: Any, *texts: str) -> None:
    for text in texts:
        octets = text.encode("utf-8", "surrogatepass")
        hashed.update(len(octets).to_bytes(8, "big") + octets)


def _collect(node: object, names: set[str], filters: set[str]) -> None:
    """Collect all names and filters of a tree, wherever they are in it."""
    todo: list[object] = [node]
    while todo:
        found = todo.pop()
        if isinstance(found, tree.Name):
            names.add(found.name)
        elif isinstance(found, tree.Filter):
            filters.add(found.name)
        if isinstance(found, list | tuple | set):
            todo += found
        elif isinstance(found, dict):
            todo += found.values()
        elif is_dataclass(found):
            todo += [getattr(found, each.name) for each in fields(found)]


def _code_of(function: object) -> bytes:
    """Return the source of the module that a function is from."""
    module = sys.modules.get(getattr(function, "__module__", None) or "")
    file = getattr(module, "__file__", None)
    try:
        return digest(Path(file).read_bytes()) if file else b""
    except OSError:
        return b""


def code_in(folder: Path) -> bytes:
    """Return a fingerprint of the Python files of a site that are in use: its engine, filters, and what they import."""
    hashed = hashlib.blake2b(digest_size=DIGEST_BYTES)
    for name, module in sorted([*sys.modules.items()]):
        file = getattr(module, "__dict__", {}).get("__file__")  # of modules that load lazily, without loading them
        if not isinstance(file, str) or not file.endswith(".py") or name.partition(".")[0] == "untor":
            continue
        path = Path(file)
        if path.is_relative_to(folder) and "site-packages" not in path.parts:
            try:
                octets = path.read_bytes()
            except OSError:
                continue
            _add(hashed, name)
            hashed.update(digest(octets))
    return hashed.digest()
