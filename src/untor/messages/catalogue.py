"""Catalogues of translations: gettext's files, read by Babel."""

from __future__ import annotations

import os
import re
from contextlib import suppress

from untor.diagnostics.problem import Problem
from untor.diagnostics.source import Source
from untor.messages.locale_codes import code_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from typing import Any

_FILES = (".po", ".mo")
_TEMPLATES = (".html", ".htm", ".xml", ".svg", ".txt")


class Translation:
    """A translation of a message: its strings, one for each form, and the line of its file.

    ``elsewhere`` says whether it is of a file that is no template, such as one of Python.
    """

    __slots__ = ("catalogue", "elsewhere", "fuzzy", "line", "path", "strings")

    def __init__(
        self,
        catalogue: Catalogue,
        strings: tuple[str, ...],
        path: str = "",
        line: int = 0,
        *,
        fuzzy: bool = False,
        elsewhere: bool = False,
    ) -> None:
        self.catalogue = catalogue
        self.strings = strings
        self.path = path
        self.line = line
        self.fuzzy = fuzzy
        self.elsewhere = elsewhere


Key = tuple[str, str]
"""What a message is about, and its singular."""


class Catalogue:
    """The translations into one locale: its files, read when the first one is needed.

    Raises ``OSError`` and ``CatalogueError`` when they cannot be read.
    """

    def __init__(self, code: str, paths: list[str]) -> None:
        self.code = code
        self.paths = paths
        self._entries: dict[Key, Translation] | None = None
        self._stamp: object = None
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

    @property
    def entries(self) -> Mapping[Key, Translation]:
        """The translations by what they are about and the singular."""
        entries = self._entries
        return self._read() if entries is None else entries

    def forget(self) -> None:
        """Read the files again when the next translation is needed."""
        self._entries = None

    def _read(self) -> dict[Key, Translation]:
        entries: dict[Key, Translation] = {}
        self.trouble = []
        self._form, self.count, self._of_category = None, 0, {}
        for path in self.paths:
            source, catalog = self._file(path)
            if catalog is None:
                continue
            self._plural(source, catalog)
            for message in catalog:
                if not message.id:
                    continue
                ids = message.id if isinstance(message.id, list | tuple) else (message.id,)
                strings = message.string if isinstance(message.string, list | tuple) else (message.string,)
                about, text = message.context or "", ids[0]
                elsewhere = any(not file.endswith(_TEMPLATES) for file, _ in message.locations)
                entry = Translation(
                    self,
                    tuple(each or "" for each in strings),
                    path,
                    message.lineno or 0,
                    fuzzy=message.fuzzy,
                    elsewhere=elsewhere,
                )
                entries.setdefault((about, text), entry)
        self._entries = entries
        return entries

    def _file(self, path: str) -> tuple[Source, Any]:
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
            self.trouble.append(Problem("catalogue-unreadable", source, start, start + 1, trouble=str(error)))
        except Exception as error:  # noqa: BLE001  a damaged file fails in any way
            trouble = f"{type(error).__name__}: {error}".strip(": ")
            self.trouble.append(Problem("catalogue-unreadable", source, 0, 1, trouble=trouble))
        return source, None

    # --- plural forms --------------------------------------------------------------------------------------------

    def _plural(self, source: Source, catalog: Any) -> None:
        """Take over the rule of a file for plural forms, which is its own or, where it has none, that of CLDR."""
        from gettext import c2py  # noqa: PLC0415  only where there are translations

        if self._form is not None:
            return
        try:
            self._form, self.count = c2py(catalog.plural_expr), catalog.num_plurals
            counts = {self._form(number) for number in range(1001)}
        except (ValueError, RecursionError, ZeroDivisionError, OverflowError, TypeError, AttributeError):
            counts, self.count = {-1}, 0
        if not counts <= set(range(self.count)):
            found = re.search(r"Plural-Forms", source.text)
            start = found.start() if found else 0
            self.trouble.append(
                Problem("catalogue-unreadable", source, start, start + 1, trouble="Plural-Forms is not valid.")
            )
            self._form, self.count = None, 0

    def form(self, number: Any) -> int:
        """Return which form a number takes, an integer or not."""
        if not self.count or self._form is None:
            return 0
        if number == number // 1 and abs(number) < 1 << 53:
            return self._form(abs(int(number)))
        if not self._of_category:
            from untor.messages.locale_codes import category  # noqa: PLC0415

            for each in range(200, -1, -1):
                self._of_category[category(self.code, each)] = self._form(each)
        from untor.messages.locale_codes import category  # noqa: PLC0415

        return self._of_category.get(category(self.code, number), self.count - 1)

    def problem(self, code: str, translation: Translation, **words: str) -> Problem:
        """Return a problem with a translation, at its line."""
        source = _source_of(translation.path)
        line = min(max(translation.line, 1), len(source.starts))
        start = source.starts[line - 1]
        found = re.compile(r"^msgstr\b.*", re.MULTILINE).search(source.text, start)
        place = (found.start(), found.end()) if found else (start, start + 1)
        return Problem(code, source, *place, **words)


def _source_of(path: str) -> Source:
    """Return a file as messages show it: the text of a ``.po`` file, which is read again."""
    text = ""
    if path.endswith(".po"):
        with suppress(OSError), open(path, "rb") as file:  # noqa: PTH123
            text = file.read().decode("utf-8-sig", "replace")
    return Source(os.path.basename(path), text, path)  # noqa: PTH119


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
