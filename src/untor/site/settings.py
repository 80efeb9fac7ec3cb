"""What a site is built from: its pages, as ``pyproject.toml`` or a call of ``Engine.build`` gives them."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from untor.data import READERS, SQLITE
from untor.data.csv_file import TYPES
from untor.diagnostics.problem import suggestion
from untor.diagnostics.wording import with_article
from untor.site.paths import path_trouble

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping
    from typing import Any


class BuildSettingError(ValueError):
    """A setting of a build that is not valid."""


DataFiles = tuple[tuple[str, str], ...]
"""Data files, each with the name that it gives, which may be empty."""


@dataclass(frozen=True, slots=True)
class PageEntry:
    """One entry of the table of pages: a page, or a page for each record, or for each group of records.

    ``path`` is that of the file, with fields in braces. ``each`` is the name of the records among the data, or the
    records themselves; ``name`` (the setting ``as``) is what the template calls them. With ``per``, there is a page for
    so many records, and ``first`` is the path of the first one.
    """

    path: str
    page: str
    each: object = None
    name: str = ""
    per: int = 0
    first: str = ""
    data: DataFiles = ()
    query: Mapping[str, str] = field(default_factory=dict)
    types: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, object] = field(default_factory=dict)
    locale: str = ""
    in_sitemap: bool = True

    @property
    def title(self) -> str:
        """How messages name the entry."""
        return f"{self.path} ({self.locale})" if self.locale else self.path


FIELD = re.compile(r"\{([^{}]*)\}")
_NAMES = ("page", "each", "as", "per", "first", "data", "query", "types", "values", "locale", "locales", "sitemap")
_SETTINGS = ("output", "url", "data", "query", "types", "values")


@dataclass(frozen=True, slots=True)
class BuildSettings:
    """The table ``[tool.untor.build]``: pages, and what holds for all of them."""

    entries: list[PageEntry] = field(default_factory=list)
    output: str = ""
    url: str = ""


def settings_of(table: Mapping[str, object]) -> BuildSettings:
    """Read the table: a key with a ``/``, a ``.`` or a ``{`` in it is the path of a page, any other a setting.

    Raises ``BuildSettingError``.
    """
    pages = {name: value for name, value in table.items() if {*"/.{"} & {*name}}
    settings = {name: value for name, value in table.items() if name not in pages}
    for name in settings:
        if name not in _SETTINGS:
            known = f'Settings are {", ".join(_SETTINGS)}; a page is named by its path, like "index.html".'
            raise BuildSettingError(f'there is no setting "{name}". {suggestion(name, _SETTINGS, known)}')
    output, url = (_text(settings, name, "", name) for name in ("output", "url"))
    checked_url(url)
    return BuildSettings(entries_of(pages, settings), output, url)


def checked_url(url: str) -> str:
    """Return the path of the site's root in its URL. Raises ``BuildSettingError`` for what is not such a URL."""
    if not url:
        return "/"
    parts = urlsplit(url) if isinstance(url, str) and url.isascii() and url.isprintable() and " " not in url else None
    if parts is None or parts.scheme not in {"http", "https"} or not parts.hostname or parts.query or parts.fragment:
        raise BuildSettingError(f'url must be the address of the site, like "https://ellery.example/", not {url!r}')
    return f"{parts.path.rstrip('/')}/"


def entries_of(pages: Mapping[str, object], common: Mapping[str, object] | None = None) -> list[PageEntry]:
    """Return the entries of a table of pages; ``common`` are data and values for all. Raises ``BuildSettingError``."""
    return [entry for path, given in pages.items() for entry in _entries(path, given, common or {})]


def _entries(path: str, given: object, common: Mapping[str, object]) -> Iterator[PageEntry]:
    where = f'"{path}"'
    if not hasattr(given, "items"):
        article = with_article(type(given).__name__)
        raise BuildSettingError(f'{where} must be a table, like {{page = "index"}}, not {article}')
    table: dict[str, object] = dict(given.items())
    for setting in table:
        if setting not in _NAMES:
            near = suggestion(str(setting), _NAMES, f"A page has {', '.join(_NAMES)}.")
            raise BuildSettingError(f'{where} has no setting "{setting}". {near}')
    path = f"{path}index.html" if path.endswith("/") else path
    if not table.get("page"):
        raise BuildSettingError(f'{where} has no page, the name of its template: {{page = "index"}}')
    page, name, locale, first = (_text(table, key, "", where) for key in ("page", "as", "locale", "first"))
    first = f"{first}index.html" if first.endswith("/") else first
    each, per, in_sitemap = table.get("each"), table.get("per", 0), table.get("sitemap", True)
    _check_records(each, name, per, where)
    if type(in_sitemap) is not bool:
        raise BuildSettingError(f"{where}: sitemap must be true or false")
    if first and not per:
        raise BuildSettingError(f"{where}: first is the path of the first page of several; it needs per")
    locales = _locales(table, locale, path, where)
    if locales == [""] and each is None and "{locale}" in path:
        raise BuildSettingError(f'{where}: {{locale}} in the path needs locales, like locales = ["en", "de"]')
    given_fields = set() if locales == [""] else {"locale"}
    _check_path(path, where, given_fields, has_records=each is not None)
    _check_path(first or "index.html", where, given_fields, has_records=False)
    query, types, values = (
        {**_table(common, key, where), **_table(table, key, where)} for key in ("query", "types", "values")
    )
    for column, kind in types.items():
        if kind not in TYPES:
            known = suggestion(str(kind), TYPES, f"Types are {', '.join(TYPES)}.")
            raise BuildSettingError(f'{where}: there is no type {kind!r} for the column "{column}". {known}')
    data = (*_files(common.get("data"), "data"), *_files(table.get("data"), where))
    for each_locale in locales:
        yield PageEntry(
            path.replace("{locale}", each_locale) if each_locale else path,
            page,
            each,
            name or (str(each).rpartition(".")[2] if per else ""),
            int(str(per)),
            first.replace("{locale}", each_locale) if each_locale else first,
            data,
            query,
            types,
            values,
            each_locale,
            in_sitemap,
        )


def _check_records(each: object, name: str, per: object, where: str) -> None:
    """Check what an entry says about records."""
    if type(per) is not int or per < 0:
        raise BuildSettingError(f"{where}: per is how many records a page has, like 20, not {per!r}")
    if each is None and per:
        raise BuildSettingError(f'{where}: per needs each, the name of the records, like each = "notices"')
    if each is None and name:
        raise BuildSettingError(f'{where}: as is what each record is called; it needs each, like each = "vessels"')
    if each is not None and (not each or not (isinstance(each, str) or hasattr(each, "__iter__"))) and each != []:
        raise BuildSettingError(f'{where}: each is the name of a list in the data, like "vessels", not {each!r}')
    called = name or (each.rpartition(".")[2] if per and isinstance(each, str) else "")
    if (called or per) and not called.isidentifier():
        raise BuildSettingError(f'{where}: the template needs a name for the records, like as = "notices"')


def _locales(table: Mapping[str, object], locale: str, path: str, where: str) -> list[str]:
    several = table.get("locales")
    if several is None:
        return [locale]
    if not isinstance(several, list | tuple) or not several or not all(isinstance(each, str) for each in several):
        raise BuildSettingError(f'{where}: locales must be a list, like ["en", "de"], not {several!r}')
    if locale:
        raise BuildSettingError(f"{where} has both locale and locales; one of them is enough")
    if "{locale}" not in path:
        raise BuildSettingError(f'{where}: with locales, the path must have {{locale}} in it, like "{{locale}}/{path}"')
    return list(several)


def _check_path(path: str, where: str, given: set[str], *, has_records: bool) -> None:
    fields = {*FIELD.findall(path)} - given
    rest = FIELD.sub("x", path)
    if "{" in rest or "}" in rest:
        raise BuildSettingError(f"{where}: a brace in the path belongs to no field; a field is like {{id}}")
    if fields and not has_records:
        raise BuildSettingError(f'{where} has fields, and no records that they are of, like each = "vessels"')
    if has_records and not fields:
        raise BuildSettingError(f"{where} is the same for all records; a field makes them different, like {{id}}")
    if trouble := path_trouble(rest):
        raise BuildSettingError(f"{where} cannot be the path of a file: {trouble}")


def _text(table: Mapping[str, object], name: str, otherwise: str, where: str) -> str:
    value = table.get(name, otherwise)
    if not isinstance(value, str) or (name in table and not value):
        raise BuildSettingError(f"{where}: {name} must be text, not {value!r}")
    return value


def _table(table: Mapping[str, object], name: str, where: str) -> dict[str, Any]:
    value: Any = table.get(name, {})
    if hasattr(value, "items") and all(isinstance(key, str) for key in value):
        found: dict[str, Any] = dict(value.items())
        if name == "values" or all(isinstance(each, str) for each in found.values()):
            return found
    shapes = {"query": '{calls = "select * from calls"}', "types": '{length = "float"}', "values": '{title = "Calls"}'}
    raise BuildSettingError(f"{where}: {name} must be a table, like {shapes[name]}, not {value!r}")


def _files(given: Any, where: str) -> DataFiles:
    if given is None:
        return ()
    if hasattr(given, "items"):
        files = tuple(given.items())
    else:
        files = tuple(("", file) for file in (given if isinstance(given, list | tuple) else [given]))
    for name, file in files:
        if not isinstance(file, str) or not file or (name and not name.isidentifier()):
            shape = "a file, a list of files, or a table of names and files"
            raise BuildSettingError(f"{where}: data is {shape}, not {given!r}")
        if not file.lower().endswith((*READERS, *SQLITE)):
            known = ", ".join([*READERS, *SQLITE])
            raise BuildSettingError(f'{where}: the data file "{file}" has none of the endings {known}')
    return files
