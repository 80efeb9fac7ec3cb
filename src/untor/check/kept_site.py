"""A site that is kept while its templates change: what is found in it is found anew only where something changed.

A change costs what the page costs that it is in; what else depends on the template is stale, and is looked at in pieces
when there is time.
"""

from __future__ import annotations

from collections import Counter

from untor.check import message_rules, name_rules, step_rules
from untor.check.checker import place_of, problems_of_page, rules_off
from untor.check.site import Site, SitePage
from untor.check.suppressions import Suppressions

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from untor.check.checker import CheckOptions
    from untor.compiler.compiler import Compiler
    from untor.diagnostics.problem import Problem
    from untor.language.parser import ParsedTemplate

    ByTemplate = dict[str, list[Problem]]
    """Problems by the name of the template that they are in."""


_NO_PAGE = SitePage("", "")
"""Before all pages."""


class KeptSite:
    """The problems of a site's templates, by template. Its compiler must not have ``reload``.

    Of a site that is not whole, only the templates that are asked for are read.
    """

    def __init__(self, compiler: Compiler, wanted: CheckOptions, *, is_whole: bool = True) -> None:
        self.compiler = compiler
        self.wanted = wanted
        self.site = Site(compiler, reads=False)
        self._off = rules_off(wanted)
        self._unread = dict.fromkeys(name for name, _ in compiler.loader.files()) if is_whole else {}
        self._uses: dict[str, set[SitePage]] = {}
        self._users: dict[str, set[str]] = {}
        self._used: Counter[SitePage] = Counter()
        self._pages: dict[SitePage, ByTemplate] = {}
        self._reporting: dict[str, set[SitePage]] = {}
        self._of_file: ByTemplate = {}
        self._of_catalogues: ByTemplate = {}
        self._changed: set[str] = set()
        """Templates of which it has not been found out yet what depends on them."""
        self._fresh: set[SitePage] = set()
        """The pages that were looked at when the only one of them changed."""
        self._stale_pages: dict[SitePage, None] = {}
        self._stale_files: dict[str, None] = {}
        self._are_uses_new = True
        self._are_messages_new = True

    # --- what is known -----------------------------------------------------------------------------------------------

    @property
    def is_settled(self) -> bool:
        """Whether nothing is left to do."""
        are_old = not (self._are_uses_new or self._are_messages_new)
        return are_old and not (self._changed or self._unread or self._stale_files or self._stale_pages)

    def reading(self, name: str) -> ParsedTemplate | None:
        """Return the parsed template, or ``None`` if it does not exist or is not UTF-8."""
        if name in self._unread or name not in self.site.readings:
            self._read(name)
        return self.site.readings.get(name)

    def names(self) -> list[str]:
        """Return the names of all templates."""
        return sorted({*self.site.readings, *self._unread})

    def users(self, name: str) -> set[str]:
        """Return the templates that use one directly, as far as the site has been read."""
        return self._users.get(name, set())

    def problems(self, name: str) -> list[Problem]:
        """Return what is wrong with a template, in the order of its text, without what is accepted or off."""
        found: dict[object, tuple[SitePage, Problem]] = {}
        own = [problem for problem in self.site.unread if problem.source and problem.source.name == name]
        for problem in [*own, *self._of_file.get(name, ()), *self._of_catalogues.get(name, ())]:
            found.setdefault(place_of(problem), (_NO_PAGE, problem))
        for page in self._reporting.get(name, ()):
            for problem in self._pages[page][name]:
                place = place_of(problem)
                if place not in found or page < found[place][0]:
                    found[place] = page, problem
        reading = self.site.readings.get(name)
        accepted = Suppressions([reading] if reading else [], self.wanted.accepted)
        left = [each for _, each in found.values() if each.code not in self._off and not accepted.takes(each)]
        about_notes = [each for each in accepted.left_over() if self.is_settled or each.code != "accept-unused"]
        return sorted([*left, *about_notes], key=lambda problem: (problem.start, problem.code))

    def page_of(self, name: str) -> SitePage:
        """Return a page that a template is a part of, as far as is known: itself, if nothing uses it."""
        seen, way = {name}, [name]
        while way:
            if not self._used[SitePage(way[-1], "")]:
                return SitePage(way[-1], "")
            user = min(self.users(way[-1]) - seen, default=None)
            if user is None:
                way.pop()
            else:
                seen.add(user)
                way.append(user)
        # In a circle, one of its templates is the page.
        return min((page for page in self._pages if page.file in seen), default=SitePage(name, ""))

    # --- changes -----------------------------------------------------------------------------------------------------

    def changed(self, name: str) -> set[str]:
        """Read a template again, and look at the page it is in; return the templates whose problems may have changed.

        The others that depend on it are stale then.
        """
        was_there = name in self.site.readings
        self._read(name)
        self._changed.add(name)
        if was_there != (name in self.site.readings):
            # What could not be found may be there now, or the other way round.
            self._changed |= {each for each in [*self.site.readings] if self._note_uses(each)}
        changed = {name, *self._look_at_file(name)}
        pages = [self.page_of(name), *self._parts_alone(name)]
        for page in pages:
            self._are_uses_new |= page not in self._pages
            changed |= self._look_at(page)
        # Where others have changed too, what has just been looked at may depend on them.
        self._fresh = {*pages} if self._changed == {name} else set()
        return changed

    def _spread(self) -> None:
        """Find out what depends on the templates that have changed: it is stale."""
        above = self._dependants(self._changed)
        self._stale_files.update(dict.fromkeys(above - (self._changed if self._fresh else set())))
        # As long as not all had been read, it was not known what a page depends on.
        self._stale_pages.update(dict.fromkeys(page for page in self._pages if self._unread or page.file in above))
        self._stale_pages.update(dict.fromkeys(SitePage(each, "") for each in above if self._is_page(each)))
        self._stale_pages.update(dict.fromkeys(part for each in above for part in self._parts_alone(each)))
        for page in self._fresh:
            self._stale_pages.pop(page, None)
        self._changed.clear()

    def catalogues_changed(self) -> None:
        """Read the translations again, when there is time."""
        for compiler in (self.compiler, *self.site.compilers):
            compiler.settings.translator.forget()
        self._are_messages_new = True
        self._stale_pages.update(dict.fromkeys(self._pages))

    def work(self) -> set[str] | None:
        """Do a piece of what is left; return the templates whose problems may have changed, ``None`` if all is done."""
        if self._changed:
            self._spread()
            return set()
        if self._unread:
            name = next(iter(self._unread))
            self._read(name)
            self._stale_files.update(dict.fromkeys({name, *self.users(name)}))
            return set()
        if self._are_uses_new:
            self._are_uses_new = False
            return self._sort_pages()
        if self._stale_files:
            name = next(iter(self._stale_files))
            return self._look_at_file(name)
        if self._stale_pages:
            return self._look_at(next(iter(self._stale_pages)))
        if self._are_messages_new:
            self._are_messages_new = False
            before = {*self._of_catalogues}
            self._of_catalogues = _by_template(message_rules.of_catalogues(self.site))
            return before | {*self._of_catalogues}
        return None

    def _read(self, name: str) -> None:
        self._unread.pop(name, None)
        self.compiler.forget(name)
        self.site.read(name)
        self._are_messages_new = self._are_messages_new or bool(self.compiler.settings.translator.every)
        self._note_uses(name)

    def _note_uses(self, name: str) -> bool:
        """Find out which templates a template uses; return whether they are others than before."""
        reading = self.site.readings.get(name)
        before = self._uses.get(name, set())
        after = {*self._named(reading)} if reading else set()
        if before == after:
            return False
        self._uses[name] = after
        self._used.subtract(before - after)
        self._used.update(after - before)
        for use in before - after:
            if not any(other.file == use.file for other in after):
                self._users.get(use.file, set()).discard(name)
        for use in after:
            self._users.setdefault(use.file, set()).add(name)
        self._are_uses_new = True
        return True

    def _named(self, reading: ParsedTemplate) -> Iterator[SitePage]:
        """Yield what a template uses, also what has not been read yet."""
        for node in self.site.calls(reading):
            file = self.site.name_of(node.target.file) if node.target.file else reading.source.name
            if file:
                yield SitePage(file, node.target.part)

    def _dependants(self, changed: Iterable[str]) -> set[str]:
        """Return the templates that templates are a part of, however deep, with themselves."""
        names, todo = {*changed}, [*changed]
        while todo:
            for user in self.users(todo.pop()) - names:
                names.add(user)
                todo.append(user)
        return names

    def _is_page(self, name: str) -> bool:
        return not self._used[SitePage(name, "")] and name in self.site.readings

    def _parts_alone(self, name: str) -> list[SitePage]:
        """Return the parts of a template that nothing uses."""
        reading = self.site.readings.get(name)
        parts = [SitePage(name, part) for part in reading.parts] if reading else []
        return [part for part in parts if not self._used[part]]

    def _sort_pages(self) -> set[str]:
        """Find out which templates are pages, now that others are used; return where problems are gone."""
        pages = {*self.site.pages()}
        self._stale_pages.update(dict.fromkeys(page for page in pages if page not in self._pages))
        changed: set[str] = set()
        for page in [*self._pages, *self._stale_pages]:
            if page not in pages:
                changed |= {*self._pages.get(page, {})}
                self._keep(page, {})
                self._pages.pop(page, None)
                self._stale_pages.pop(page, None)
        return changed

    # --- looking -----------------------------------------------------------------------------------------------------

    def _look_at(self, page: SitePage) -> set[str]:
        """Look at a page; return the templates whose problems may have changed."""
        self._stale_pages.pop(page, None)
        reading = self.reading(page.file)
        before = {*self._pages.get(page, {})}
        if reading is None or (page.part and page.part not in reading.parts):
            self._keep(page, {})
            self._pages.pop(page, None)
            return before
        found = _by_template(problems_of_page(self.site, page).problems)
        self._keep(page, found)
        return before | {*found}

    def _keep(self, page: SitePage, found: ByTemplate) -> None:
        for name in self._pages.get(page, {}):
            self._reporting[name].discard(page)
        self._pages[page] = found
        for name in found:
            self._reporting.setdefault(name, set()).add(page)

    def _look_at_file(self, name: str) -> set[str]:
        self._stale_files.pop(name, None)
        reading = self.site.readings.get(name)
        if reading is None:
            self._of_file.pop(name, None)
            return {name}
        rules = (
            reading.problems,
            name_rules.of_template(self.site, reading),
            step_rules.of_template(self.site, reading, self.wanted.policy),
            message_rules.of_template(reading),
        )
        self._of_file[name] = [problem for rule in rules for problem in rule]
        return {name}


def _by_template(problems: Iterable[Problem]) -> ByTemplate:
    found: ByTemplate = {}
    for problem in problems:
        if problem.source is not None:
            found.setdefault(problem.source.name, []).append(problem)
    return found
