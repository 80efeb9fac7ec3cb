"""Unsaved text over template files: that of an editor, which comes before the content of the disk."""

from __future__ import annotations

import itertools
import os
from pathlib import Path
from typing import NamedTuple

from untor.diagnostics.source import Source
from untor.loading.loader import ENDINGS, TemplateLoader

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator


class Unsaved(NamedTuple):
    """The text of a template, the file that it is of, and a number that no other text has."""

    text: str
    path: str
    number: int


class OverlayLoader(TemplateLoader):
    """Finds templates as another loader does, with unsaved text in the place of files, also of files not there yet."""

    def __init__(self, loader: TemplateLoader) -> None:
        self.entries = loader.entries
        self._folders = [(prefix, Path(os.path.realpath(folder))) for prefix, folder in loader.entries]
        self._numbers = itertools.count()
        self._unsaved: dict[str, Unsaved] = {}

    def put(self, path: str, text: str) -> str:
        """Take a text for the content of a file; return the template's name, empty for a file in none of the folders.

        The text is UTF-8 when it is saved: what cannot be is replaced.
        """
        name = self.name_of(path)
        if name:
            readable = text.encode("utf-8", "replace").decode("utf-8")
            self._unsaved[name] = Unsaved(readable, os.path.abspath(path), next(self._numbers))
        return name

    def drop(self, path: str) -> str:
        """Take the file's own content again; return the template's name."""
        name = self.name_of(path)
        self._unsaved.pop(name, None)
        return name

    def name_of(self, path: str) -> str:
        """Return the template name of a file, or an empty string if it is not a template of these folders."""
        real = Path(os.path.realpath(path))
        if not path.endswith(ENDINGS):
            return ""
        for number, (prefix, folder) in enumerate(self._folders):
            if real.is_relative_to(folder):
                inner = real.relative_to(folder).as_posix()
                hidden = any(before == prefix and (other / inner).is_file() for before, other in self._folders[:number])
                return "" if hidden else f"{prefix}/{inner}" if prefix else inner
        return ""

    def find(self, name: str) -> str:
        """Return the file of a template, which may be unsaved. Raises ``TemplateMissing``."""
        if self._unsaved and isinstance(name, str):
            for candidate in (name, *(name + ending for ending in ENDINGS)):
                if candidate in self._unsaved:
                    return self._unsaved[candidate].path
                if any((folder / candidate).is_file() for prefix, folder in self._folders if not prefix):
                    break
        return super().find(name)

    def read(self, name: str) -> Source:
        """Return the source of a template. Raises ``TemplateMissing``, and ``MarkError`` when it is not UTF-8."""
        path = self.find(name)
        ending = os.path.splitext(path)[1]
        whole = name if name.endswith(ending) else name + ending
        unsaved = self._unsaved.get(whole)
        if unsaved is None:
            return super().read(name)
        source = Source(whole, unsaved.text, path)
        source.stamp = ("unsaved", unsaved.number)
        return source

    def stamp(self, name: str) -> object:
        """Return what changes when the text of a template does; ``None`` if not known."""
        unsaved = self._unsaved.get(name)
        return ("unsaved", unsaved.number) if unsaved else super().stamp(name)

    def _listed(self) -> Iterator[tuple[str, str, str]]:
        seen: set[str] = set()
        for name, folder, inner in super()._listed():
            seen.add(name)
            yield name, folder, inner
        for name, unsaved in [*self._unsaved.items()]:
            if name not in seen:
                yield name, os.path.dirname(unsaved.path), os.path.basename(unsaved.path)
