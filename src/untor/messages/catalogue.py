"""Catalogues of translations: gettext's files, read by Babel."""

from __future__ import annotations

import os
import re
from contextlib import suppress
from functools import lru_cache

from untor.diagnostics.problem import Problem
from untor.diagnostics.source import Source
from untor.messages.locale_codes import code_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

_FILES = (".po", ".mo")
_GREATEST = 1 << 53
"""Rules of gettext are for numbers that are smaller."""
_TEMPLATES = (".html", ".htm", ".xml", ".svg", ".txt")


Key = tuple[str, str]
"""What a message is about, and its singular."""


class Translation:
    """A translation of a message: its strings, one for each form, and where it is, if that is known.

    ``elsewhere`` says whether it belongs to a file that is not a template, such as a Python module.
    """

    __slots__ = ("catalogue", "elsewhere", "fuzzy", "key", "line", "path", "strings")

    def __init__(
        self,
        catalogue: Catalogue,
        key: Key,
        strings: tuple[str, ...],
        path: str = "",
        line: int = 0,
        *,
        fuzzy: bool = False,
        elsewhere: bool = False,
    ) -> None:
        self.catalogue = catalogue
        self.key = key
        self.strings = strings
        self.path = path
        self.line = line
        self.fuzzy = fuzzy
        self.elsewhere = elsewhere


class Catalogue:
    """The translations into one locale: its files, read when the first one is needed. Nothing is raised for them."""

    def __init__(self, code: str, paths: list[str]) -> None:
        self.code = code
        self.paths = paths
        self._texts: dict[str, str | tuple[str, ...]] | None = None
        """What is printed, by gettext's keys, in as little room as there is."""
        self._form: Callable[[int], int] | None = None
        self._of_category: dict[str, int] = {}
        self.count = 0
        """How many forms a message with a plural has."""
        self.trouble: list[Problem] = []
        """What is wrong with the files themselves."""

    def stamp(self) -> object:
        """Return what is another whenever one of the files is."""
        return [(path, os.stat(path).st_mtime_ns, os.stat(path).st_size) for path in self.paths if os.path.exists(path)]  # noqa: PTH110, PTH116  pathlib is not loaded to render a page

    def digest(self) -> str:
        """Return what is the same for the same files."""
        from zlib import crc32  # noqa: PLC0415  only with a cache

        found = []
        for path in self.paths:
            octets = b""
            with suppress(OSError), open(path, "rb") as file:  # noqa: PTH123
                octets = file.read()
            found.append(f"{os.path.basename(path)} {len(octets)} {crc32(octets)}")  # noqa: PTH119
        return " ".join(found)

    def translation(self, about: str, text: str) -> Translation | None:
        """Return what is printed for a message; some of the strings may be empty. ``None`` where there is nothing."""
        texts = self._texts
        if texts is None:
            texts = {}
            for key, entry in self.read().items():
                if not entry.fuzzy and any(entry.strings):
                    strings = entry.strings
                    texts[_gettext_key(*key)] = strings[0] if len(strings) == 1 else strings
            self._texts = texts
        found = texts.get(_gettext_key(about, text))
        if found is None:
            return None
        return Translation(self, (about, text), (found,) if isinstance(found, str) else found)

    def forget(self) -> None:
        """Read the files again when the next translation is needed."""
        self._texts = None

    def read(self) -> dict[Key, Translation]:
        """Read the files, and return all that is in them."""
        entries: dict[Key, Translation] = {}
        trouble: list[Problem] = []
        form: Callable[[int], int] | None = None
        count = 0
        for path in self.paths:
            source, catalog = self._file(path, trouble)
            if catalog is None:
                continue
            if form is None:
                form, count = _plural(source, catalog, trouble)
            for message in catalog:
                if not message.id:
                    continue
                ids = message.id if isinstance(message.id, list | tuple) else (message.id,)
                strings = message.string if isinstance(message.string, list | tuple) else (message.string,)
                key = message.context or "", ids[0]
                flags = {
                    "fuzzy": message.fuzzy,
                    "elsewhere": any(not file.endswith(_TEMPLATES) for file, _ in message.locations),
                }
                found = tuple(each or "" for each in strings)
                entries.setdefault(key, Translation(self, key, found, path, message.lineno or 0, **flags))
        # At once, for other threads that print pages meanwhile.
        self.trouble, self._form, self.count, self._of_category = trouble, form, count, {}
        return entries

    def _file(self, path: str, trouble: list[Problem]) -> tuple[Source, Any]:
        """Return the source of a file, for messages, and what Babel reads in it; ``None`` for one that is not valid."""
        from babel.messages.mofile import read_mo  # noqa: PLC0415  only where there are translations
        from babel.messages.pofile import PoFileError, read_po  # noqa: PLC0415

        source = _source_of(path)
        try:
            with open(path, "rb") as file:  # noqa: PTH123
                if path.endswith(".mo"):
                    return source, read_mo(file)
                return source, read_po(file, locale=self.code.replace("-", "_"), abort_invalid=True)
        except PoFileError as error:
            start = source.starts[min(max(error.lineno, 0), len(source.starts) - 1)]
            trouble.append(Problem("catalogue-unreadable", source, start, start + 1, trouble=str(error)))
        except Exception as error:  # noqa: BLE001  a damaged file fails in any way
            words = f"{type(error).__name__}: {error}".strip(": ")
            trouble.append(Problem("catalogue-unreadable", source, 0, 1, trouble=words))
        return source, None

    def form(self, number: Any) -> int:
        """Return which form a number takes, an integer or not; the last one where the rule of a file fails."""
        rule, last = self._form, self.count - 1
        if rule is None:
            return 0
        if number == number // 1 and abs(number) < _GREATEST:
            try:
                return min(rule(abs(int(number))), last)
            except ZeroDivisionError:
                return last
        from untor.messages.locale_codes import category  # noqa: PLC0415  only for fractions and very large numbers

        if not self._of_category:
            self._of_category = {category(self.code, each): rule(each) for each in range(200, -1, -1)}
        return min(self._of_category.get(category(self.code, number), last), last)

    def problem(self, code: str, translation: Translation, **words: str) -> Problem:
        """Return a problem with a translation, at its line."""
        if not translation.path:
            translation = self.read().get(translation.key, translation)
        stamp = os.stat(translation.path).st_mtime_ns if os.path.exists(translation.path) else 0  # noqa: PTH110, PTH116
        source = _source_as_it_is(translation.path, stamp)
        line = min(max(translation.line, 1), len(source.starts))
        start = source.starts[line - 1]
        found = re.compile(r"^msgstr\b.*", re.MULTILINE).search(source.text, start)
        place = (found.start(), found.end()) if found else (start, start + 1)
        return Problem(code, source, *place, **words)


def _gettext_key(about: str, text: str) -> str:
    return f"{about}\x04{text}" if about else text


@lru_cache(2)
def _source_as_it_is(path: str, _stamp: int) -> Source:
    """Return the source of a file for its problems, of which there can be many."""
    return _source_of(path)


def _source_of(path: str) -> Source:
    """Return a file as messages show it: the text of a ``.po`` file, which is read again."""
    text = ""
    if path.endswith(".po"):
        with suppress(OSError), open(path, "rb") as file:  # noqa: PTH123
            text = file.read().decode("utf-8-sig", "replace")
    return Source(os.path.basename(path), text, path)  # noqa: PTH119


def _plural(source: Source, catalog: Any, trouble: list[Problem]) -> tuple[Callable[[int], int] | None, int]:
    """Return the rule of a file for plural forms, which is its own or, where it has none, Babel's, and their count."""
    from gettext import c2py  # noqa: PLC0415  only where there are translations

    try:
        form, count = c2py(catalog.plural_expr), catalog.num_plurals
        if {form(number) for number in range(1001)} <= set(range(count)):
            return form, count
    except (ValueError, RecursionError, ZeroDivisionError, OverflowError, TypeError, AttributeError):
        pass
    start = max(source.text.find("Plural-Forms"), 0)
    trouble.append(Problem("catalogue-unreadable", source, start, start + 1, trouble="Plural-Forms is not valid."))
    return None, 0


def catalogues_in(folder: str) -> dict[str, Catalogue]:
    """Return the catalogues of a folder by their locales: ``de.po``, ``de.mo`` or ``de/LC_MESSAGES/NAME.mo``.

    A ``.po`` file comes before a ``.mo`` file beside it. Raises ``ValueError`` for a name that is no locale.
    """
    paths: dict[str, dict[str, str]] = {}
    for name in sorted(os.listdir(folder)):  # noqa: PTH208
        path = os.path.join(folder, name)  # noqa: PTH118
        stem, ending = os.path.splitext(name)  # noqa: PTH122
        inner = os.path.join(path, "LC_MESSAGES")  # noqa: PTH118
        if ending in _FILES and os.path.isfile(path):  # noqa: PTH113
            _add(paths, path, stem, "")
        elif os.path.isdir(inner):  # noqa: PTH112
            for each in sorted(os.listdir(inner)):  # noqa: PTH208
                if each.endswith(_FILES):
                    _add(paths, os.path.join(inner, each), name, os.path.splitext(each)[0])  # noqa: PTH118, PTH122
    return {code: Catalogue(code, [*found.values()]) for code, found in paths.items()}


def _add(paths: dict[str, dict[str, str]], path: str, locale: str, domain: str) -> None:
    code = code_of(locale)
    if not code:
        raise ValueError(f'messages: {path} is not named after a locale, like "de.po" or "pt_BR.po"')
    of_locale = paths.setdefault(code, {})
    if domain not in of_locale or path.endswith(".po"):
        of_locale[domain] = path
