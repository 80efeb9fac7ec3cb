"""The pages of a site, one after the other: their paths, values and fingerprints."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from itertools import islice
from typing import NamedTuple

from untor.diagnostics.problem import suggestion
from untor.errors import UntorError
from untor.filters.strings import slug
from untor.runtime.attributes import dot
from untor.site.datasets import counted_records
from untor.site.fingerprints import of_value
from untor.site.paths import address_of, path_trouble, root_from
from untor.site.settings import FIELD, BuildSettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator
    from typing import Protocol

    from untor.site.datasets import Dataset
    from untor.site.settings import PageEntry

    class PathField(Protocol):
        """A compiled template of plain text, which prints a field."""

        inputs: tuple[str, ...]
        render: Callable[..., str]


_LONG = 10**18
"""Integers with more digits are printed as in a template, which reports those that Python does not print."""


class PlannedPage(NamedTuple):
    """A page that is to be there: its path and values.

    ``key`` is what its text depends on, besides the template; ``None`` where that cannot be known. ``record`` names
    what it is made from, for messages. ``error`` is what keeps it from being made.
    """

    path: str
    values: Mapping[str, object]
    key: bytes | None
    record: str = ""
    error: Exception | None = None


class PagePathError(Exception):
    """A record makes a path that no file can have."""


class PathPattern:
    """The path of the pages of an entry, with fields in braces.

    A field is an expression over the record: its own fields, and the record by the name that the template has for it.
    ``make`` compiles an expression as a template of plain text. Raises ``BuildSettingError`` for one that is not valid.
    """

    def __init__(self, path: str, name: str, make: Callable[[str], PathField]) -> None:
        self._pieces = FIELD.split(path)
        self._name = name
        self._make = make
        self._fields: dict[str, PathField] = {}
        for field in self._pieces[1::2]:
            if not field.isidentifier():
                self._template(field)

    def _template(self, field: str) -> PathField:
        if field not in self._fields:
            try:
                self._fields[field] = self._make(field)
            except UntorError as error:
                raise BuildSettingError(f"the field {{{field}}} is not an expression: {error.message}") from None
        return self._fields[field]

    def filled(self, record: object) -> str:
        """Return the path for a record. Raises ``PagePathError``."""
        pieces = self._pieces
        parts = [pieces[0]]
        for number in range(1, len(pieces), 2):
            field = pieces[number]
            value = record.get(field) if type(record) is dict else None
            is_short = type(value) is int and -_LONG < value < _LONG
            text = value if type(value) is str else str(value) if is_short else self._text(field, record)
            if not text:
                raise PagePathError(f"its field {{{field}}} is empty")
            if "/" in text:
                near = f"; {{{field} | slug}} would be {slug(text)[:80]!r}" if "slug" not in field else ""
                raise PagePathError(f"its field {{{field}}} has a / in it: {text[:80]!r}{near}")
            parts += (text, pieces[number + 1])
        path = "".join(parts)
        if trouble := path_trouble(path):
            raise PagePathError(f"its path would be {path[:200]!r}: {trouble}")
        return path

    def _text(self, field: str, record: object) -> str:
        template = self._template(field)
        names: dict[str, object] = {}
        for name in template.inputs:
            with suppress(UntorError):
                names[name] = record if name == self._name else dot(record, name)
        try:
            return template.render(names)
        except UntorError as error:
            known = [*record] if isinstance(record, Mapping) else []
            near = suggestion(field, known, f"The record has {', '.join(map(str, known[:20]))}." if known else "")
            raise PagePathError(f"its field {{{field}}} cannot be printed: {error.message} {near}".strip()) from None


def page_itself(path: str, base: str, origin: str) -> dict[str, object]:
    """Return what a template can read of its own page; ``base`` and ``origin`` are those of the site's address."""
    address = address_of(path, base)
    return {"path": path, "address": address, "url": origin + address if origin else None, "root": root_from(path)}


class EntryPages:
    """Yields the pages of an entry.

    ``inputs`` are the names that its template reads; ``base`` and ``origin`` are the path and the rest of the site's
    address. Raises ``DataError``, also while it yields.
    """

    def __init__(
        self,
        entry: PageEntry,
        dataset: Dataset,
        inputs: Iterable[str],
        pattern: PathPattern,
        *,
        base: str = "/",
        origin: str = "",
    ) -> None:
        self.entry = entry
        self._dataset = dataset
        self._inputs = {*inputs}
        self._pattern = pattern
        self._base, self._origin = base, origin
        self._reads_page = "page" in self._inputs
        if self._reads_page and "page" in dataset.names:
            raise BuildSettingError(
                f'"{entry.title}": the data has a value "page", which in a built site is the page itself. '
                'Give the data another name, like data = {notice = "page.json"}'
            )
        self._records: Iterable[object] = ()
        self.count: int | None = 1
        if isinstance(entry.each, str):
            self._records, self.count = dataset.records(entry.each)
        elif entry.each is not None:
            self._records, self.count = counted_records(entry.each)
        if entry.per:
            if self.count is None:
                self._records = [*self._records]
                self.count = len(self._records)
            self.count = max(1, -(-self.count // entry.per))

    def __iter__(self) -> Iterator[PlannedPage]:
        shared = self._shared()
        shared_key = of_value(shared)
        if self.entry.each is None:
            yield self._page(self.entry.path, shared, shared_key, {})
        elif self.entry.per:
            yield from self._groups(shared, shared_key)
        else:
            yield from self._each(shared, shared_key)

    def _shared(self) -> dict[str, object]:
        """Return the values that all pages have in common, as far as the template reads them."""
        hidden = {self.entry.name} if self.entry.each is not None else set()
        return {name: self._dataset.value(name) for name in sorted(self._inputs & self._dataset.names - hidden)}

    def _each(self, shared: Mapping[str, object], shared_key: bytes | None) -> Iterator[PlannedPage]:
        name = self.entry.name
        what = self.entry.each if isinstance(self.entry.each, str) else "the records"
        for number, record in enumerate(self._records, 1):
            label = f"record {number:,} of {what}"
            if name:
                values = {**shared, name: record}
            elif isinstance(record, Mapping):
                values = {**shared, **record}
            else:
                trouble = PagePathError("it has no fields of its own; give it a name with as")
                yield PlannedPage(self.entry.path, {}, None, label, trouble)
                continue
            try:
                path = self._pattern.filled(record)
            except PagePathError as error:
                yield PlannedPage(self.entry.path, {}, None, label, error)
                continue
            key = of_value(record) if shared_key is not None else None
            yield self._page(path, values, None if key is None or shared_key is None else shared_key + key, {}, label)

    def _groups(self, shared: Mapping[str, object], shared_key: bytes | None) -> Iterator[PlannedPage]:
        rest = iter(self._records)
        total = self.count or 1
        for number in range(1, total + 1):
            records = [*islice(rest, self.entry.per)]
            around = {each: self._group_path(each) for each in (number - 1, number, number + 1) if 1 <= each <= total}
            position: dict[str, object] = {
                "number": number,
                "total": total,
                "first": number == 1,
                "last": number == total,
                "previous": address_of(around[number - 1], self._base) if number > 1 else None,
                "next": address_of(around[number + 1], self._base) if number < total else None,
            }
            key = of_value(records) if shared_key is not None else None
            values = {**shared, self.entry.name: records}
            label = f"page {number:,} of {total:,}"
            joined = None if key is None or shared_key is None else shared_key + key
            yield self._page(around[number], values, joined, position, label)

    def _group_path(self, number: int) -> str:
        return self.entry.first if number == 1 and self.entry.first else self._pattern.filled({"page": number})

    def _page(
        self, path: str, values: dict[str, object], key: bytes | None, position: dict[str, object], record: str = ""
    ) -> PlannedPage:
        if self._reads_page:
            if "page" in values:
                what = 'it has a field "page", which in a built site is the page itself; give the record a name with as'
                return PlannedPage(path, {}, None, record, PagePathError(what))
            page = {**page_itself(path, self._base, self._origin), **position}
            values = {**values, "page": page}
            key = None if key is None else key + (of_value(page) or b"")
        return PlannedPage(path, values, key, record)

    def explain(self, error: UntorError) -> None:
        """Say of a name that a page was not given which one of the data was meant."""
        problem = error.problem
        if problem.code in {"name-missing", "takes-missing"} and problem.source is not None:
            name = problem.source.text[problem.start : problem.end]
            near = suggestion(name, self._dataset.names - self._inputs)
            if near and near not in problem.hint:
                problem.hint = f"{near} {problem.hint}".rstrip()
