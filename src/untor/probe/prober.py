"""Renders a page with hostile values, one placement at a time and all together, and reports what changes the page."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from untor.compiler.origin import Origin
from untor.diagnostics.wording import shortened
from untor.errors import UntorError
from untor.escape import printed
from untor.filters.marking import cleaned
from untor.filters.strings import lines, paragraphs
from untor.probe.injection_points import HOOK, InjectionPoint, InstrumentedPage
from untor.probe.minimize import shortest, smallest
from untor.probe.payloads import HALVES, HOSTILE, harmless
from untor.probe.structure import differing, side_by_side, structure_of
from untor.probe.substitute import replaced
from untor.probe.translations import TranslatedPage

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from untor.compiler.compiler import Compiler
    from untor.messages.catalogue import Key
    from untor.probe.structure import StructureEntry

_NEVER = frozenset({"javascript", "vbscript", "data", "blob", "filesystem"})
"""Schemes that run code, whatever an engine permits."""

_MAKE_HTML = {"cleaned": cleaned, "lines": lines, "paragraphs": paragraphs}
"""Built-in filters that make elements of what is in a text, as they should: the probe sees the text in their place."""

_LONGEST = 80

Values = dict[int, str]
"""The text that each site has in place of its value."""


@dataclass(frozen=True, slots=True)
class Change:
    """A change of a page's structure: the sites and the values that cause it, as few and short as they can be.

    ``structures`` shows the harmless and the changed structure side by side, where they begin to differ;
    ``found_with`` is the value that was tried first.
    """

    sites: tuple[InjectionPoint, ...]
    values: tuple[str, ...]
    found_with: str
    structures: str

    def __str__(self) -> str:
        lines = []
        for site, value in zip(self.sites, self.values, strict=True):
            where = f" (in {site.place})" if site.place else ""
            lines.append(f"{site}: the page changes when {site.expression}{where} is {_short(value)}")
        if len(self.sites) == 1 and self.found_with != self.values[0]:
            lines.append(f"  first seen with {_short(self.found_with)}")
        return "\n".join([*lines, self.structures])


@dataclass(slots=True)
class Probed:
    """What a probe tried and found.

    ``placements`` are the places where values are printed, ``sites`` all places where values come in, ``missed`` the
    placements that the data did not lead to. Of the ``renderings``, those that were ``refused`` ended in an error, as
    a filter that takes numbers ends with text; the others were compared.
    """

    page: str
    changes: list[Change] = field(default_factory=list)
    values: int = 0
    placements: int = 0
    sites: int = 0
    missed: tuple[InjectionPoint, ...] = ()
    renderings: int = 0
    refused: int = 0
    messages: int = 0
    """The messages that were tried with hostile translations."""


class _Prober:
    """One page with its data."""

    def __init__(self, compiler: Compiler, page: str, context: Mapping[str, object]) -> None:
        planned = compiler.analyse(Origin(page))
        self.sites = InstrumentedPage(planned).sites
        self.xml = planned.source.name.endswith((".xml", ".svg"))
        self.plain = planned.source.name.endswith(".txt")
        self.schemes = (compiler.settings.url_schemes | {"data:image"}) - _NEVER
        # What can be read only once is read now: the page is rendered many times.
        self.context = {name: list(value) if isinstance(value, Iterator) else value for name, value in context.items()}
        self.active: Values = {}
        self.broken: Exception | None = None
        self.tried: set[int] = set()
        self.reached: set[int] = set()
        self.result = Probed(planned.source.name)
        built_in = {name: _plainly for name in _MAKE_HTML if compiler.settings.filters.get(name) is _MAKE_HTML[name]}
        self._render = compiler.function(planned, helpers={HOOK: self._function()}, filters=built_in)
        self._known: dict[object, list[StructureEntry] | None] = {}

    def _function(self) -> Callable[[int, object], object]:
        """Return the hook as a function: templates call no methods."""

        def hook(number: int, value: object) -> object:
            self.reached.add(number)
            if number not in self.active:
                return value
            try:
                return replaced(value, self.active[number], prints=self.sites[number].prints)
            except Exception as error:
                self.broken = error
                raise

        return hook

    def structure(self, values: Values) -> list[StructureEntry] | None:
        """Return the structure of the page with some values; ``None`` where they end in an error."""
        self.active = values
        try:
            page = self._render(self.context)
        except UntorError:
            if self.broken is not None:
                # A value that could not be replaced has not been tried: never count it as harmless.
                raise self.broken from None
            return None
        finally:
            self.active = {}
        return structure_of(page, xml=self.xml)

    def harmless(self, values: Values) -> list[StructureEntry] | None:
        """Return the structure of the page with harmless values in the place of others."""
        plain = {number: self._plain(self.sites[number], text) for number, text in values.items()}
        key = tuple(sorted(plain.items()))
        if key not in self._known:
            self._known[key] = self.structure(plain)
        return self._known[key]

    @staticmethod
    def _plain(site: InjectionPoint, text: str) -> str:
        """Return the harmless text in place of another; where the template may count with it, one of its length."""
        if site.prints and (text or site.context != "whole-attribute"):
            return harmless("printed")
        # A boolean attribute is there or not by the truth of its value, which an empty text decides.
        return harmless(text) if not site.prints else ""

    def difference(self, values: Values) -> tuple[list[StructureEntry], list[StructureEntry], int] | None:
        """Return two structures and where they differ; ``None`` when they are the same."""
        before, after = self.harmless(values), self.structure(values)
        if before is None or after is None:
            return None
        at = self.first_difference(before, after, values)
        return None if at is None else (before, after, at)

    def first_difference(self, before: list[StructureEntry], after: list[StructureEntry], values: Values) -> int | None:
        """Return where the structures of two pages begin to differ, except links that a value may decide on."""
        alone = [self.sites[number].context for number in values]
        return differing(before, after, self.schemes, links_may_differ=alone in (["url"], ["srcset"]))

    def _still_differs(self, values: Values, number: int) -> Callable[[str], bool]:
        return lambda text: self.difference({**values, number: text}) is not None

    def attempt(self, values: Values) -> bool:
        """Try values; keep a change that they make, as small as it can be. Return whether they make one."""
        before = self.harmless(values)
        self.result.renderings += 1
        after = None if before is None else self.structure(values)
        if before is None or after is None:
            self.result.refused += 1
            return False
        self.tried |= values.keys()
        if self.first_difference(before, after, values) is None:
            return False
        few = smallest(values, lambda some: self.difference(some) is not None)
        for number in [*few]:
            few[number] = shortest(few[number], self._still_differs(few, number))
        difference = self.difference(few)
        assert difference is not None  # noqa: S101  only what still differs was kept
        sites = tuple(self.sites[number] for number in few)
        if not any(change.sites == sites for change in self.result.changes):
            comparison = side_by_side(*difference, titles=("with a harmless value", "with this one"))
            self.result.changes.append(Change(sites, tuple(few.values()), values[next(iter(few))], comparison))
        return True


def probe(
    compiler: Compiler,
    page: str,
    context: Mapping[str, object] | None = None,
    *,
    values: Sequence[str] = HOSTILE,
    progress: Callable[[int, int], None] | None = None,
) -> Probed:
    """Try a page with hostile values in each place of its real data; see ``untor.testing.probe``."""
    prober = _Prober(compiler, page, context or {})
    result = prober.result
    with _quiet():
        compiler.compile(Origin(page)).render(prober.context)
        prober.structure({})
        sites = [site for site in prober.sites if site.number in prober.reached]
        result.sites, result.values = len(prober.sites), len(values)
        places = {(str(site), site.place) for site in prober.sites if site.prints}
        result.placements = len({place for place, _ in places})
        if prober.plain:
            return result
        total = len(sites) * len(values) + 2 * (len(values) + 2 * len(HALVES))
        guilty: set[int] = set()
        for done, wanted in enumerate(_rounds(prober, sites, values), 1):
            # One change is enough for a site; together, the others are tried.
            left = {number: text for number, text in wanted.items() if number not in guilty}
            if left and prober.attempt(left):
                guilty |= {site.number for site in result.changes[-1].sites}
            if progress is not None:
                progress(done, total)
        tried = {str(site) for site in prober.sites if site.prints and site.number in prober.tried}
        _translations(prober, compiler, values)
        missed = {str(site): site for site in prober.sites if site.prints and str(site) not in tried}
        result.missed = tuple(missed.values())
    return result


def _translations(prober: _Prober, compiler: Compiler, values: Sequence[str]) -> None:
    """Try hostile translations of all messages together; of a change, find the message that makes it."""
    page, result = TranslatedPage(compiler, result_page := prober.result.page), prober.result
    text, messages = page.render(harmless("printed"), prober.context)
    result.messages = len(messages)
    if not messages or text is None:
        return
    before = structure_of(text, xml=prober.xml)

    def difference(words: str, only: Key | None) -> tuple[list[StructureEntry], list[StructureEntry], int] | None:
        text, _ = page.render(words, prober.context, only)
        after = before if text is None else structure_of(text, xml=prober.xml)
        at = prober.first_difference(before, after, {})
        return None if at is None else (before, after, at)

    for words in values:
        result.renderings += 1
        if difference(words, None) is None:
            continue
        for key in messages:
            found = difference(words, key)
            if found is not None:
                site = InjectionPoint(-1, result_page, 1, 1, f"the translation of {_short(key[1])}", prints=True)
                shown = side_by_side(*found, titles=("with harmless words", "with these"))
                result.changes.append(Change((site,), (words,), words, shown))
                return


def _rounds(prober: _Prober, sites: list[InjectionPoint], values: Sequence[str]) -> Iterator[Values]:
    """Yield what to try: each value at each site, then all data as it comes in, and all values as they are printed."""
    yield from ({site.number: text} for site in sites for text in values)
    # A site that takes no text, as before a filter for dates, would keep all others from being tried together.
    able = [site for site in sites if site.number in prober.tried]
    for some in ([site for site in able if not site.filtered], [site for site in able if site.prints]):
        yield from ({site.number: text for site in some} for text in values)
        for pair in HALVES:
            yield from ({site.number: pair[(index + by) % 2] for index, site in enumerate(some)} for by in (0, 1))


def _plainly(value: object, **_: object) -> str:
    return printed(value)


@contextmanager
def _quiet() -> Iterator[None]:
    """Keep blocked values from being reported one by one."""
    logger = logging.getLogger("untor.blocked")
    before, logger.disabled = logger.disabled, True
    try:
        yield
    finally:
        logger.disabled = before


def _short(text: str) -> str:
    return shortened(repr(text), _LONGEST)
