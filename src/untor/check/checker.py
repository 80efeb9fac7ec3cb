"""Applies all rules to a site, in several processes where that is faster."""

from __future__ import annotations

import multiprocessing
import os
import threading
from dataclasses import dataclass, field

from untor.analysis.analyser import XML, ending_of
from untor.analysis.composition import Frame, PageAnalysis
from untor.analysis.ir import Function
from untor.analysis.names import AnalysisError, Names
from untor.check import message_rules, name_rules, page_rules, step_rules, tag_rules, type_rules
from untor.check.findings import Checked, finding_of, shown
from untor.check.site import Site, SitePage
from untor.check.suppressions import Suppressions
from untor.check.tag_walker import TagWalker
from untor.compiler.origin import Origin
from untor.compiler.recursion import with_whole_stack
from untor.diagnostics.problem import Problem
from untor.diagnostics.rules import OFF
from untor.diagnostics.source import Source

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Iterable, Iterator, Mapping

    from untor.analysis.ir import Placement, TemplateIR
    from untor.compiler.compiler import Compiler
    from untor.web.csp import Policy

_ENOUGH = 150
"""From how many pages on a second process earns what it costs."""

_CHUNK = 20


@dataclass(frozen=True, slots=True)
class CheckOptions:
    """The options of a check.

    ``accepted`` are rules that the whole site accepts, each with its reason; ``also`` are rules that are off by
    default; ``most_trusted`` is how many values may be printed as trusted, ``None`` for any number. ``policy`` is the
    pages'. A key of ``accepted`` that ends in ``/`` is a folder of templates with rules of its own.
    """

    accepted: Mapping[str, str | Mapping[str, str]] = field(default_factory=dict)
    also: Collection[str] = ()
    most_trusted: int | None = None
    policy: Policy | None = None


@dataclass(slots=True)
class PageProblems:
    """What was found in one page: the problems, and the values of it that are trusted."""

    problems: list[Problem]
    trusted: list[Placement]


def check(
    compiler: Compiler,
    wanted: CheckOptions = CheckOptions(),
    *,
    only: Collection[str] | None = None,
    progress: Callable[[int, int], None] | None = None,
) -> Checked:
    """Check the templates of a compiler's folders, or ``only`` those of some names; see ``Engine.check``.

    ``progress`` is called with the number of pages that are done and of all.
    """
    site = Site(compiler)
    chosen = site.readings.keys() if only is None else set(only)
    pages = [page for page in site.pages() if only is None or not chosen.isdisjoint(site.reached(page.file))]
    problems: dict[object, Problem] = {}
    trusted: dict[Placement, None] = {}
    for done, page in enumerate(_look_at(site, pages), 1):
        for problem in page.problems:
            problems.setdefault(place_of(problem), problem)
        trusted.update(dict.fromkeys(page.trusted))
        if progress is not None:
            progress(done, len(pages))
    for problem in (
        *site.unread,
        *_hidden(site),
        *(problem for reading in site.readings.values() for problem in reading.problems),
        *name_rules.find(site),
        *step_rules.find(site, wanted.policy),
        *message_rules.find(site),
    ):
        problems.setdefault(place_of(problem), problem)
    return _checked(site, wanted, chosen, list(problems.values()), list(trusted))


def place_of(problem: Problem) -> object:
    """Return what is the same for problems that are one."""
    return problem.code, problem.source and problem.source.name, problem.start, problem.end


def _checked(
    site: Site, wanted: CheckOptions, chosen: Collection[str], problems: list[Problem], trusted: list[Placement]
) -> Checked:
    accepted = Suppressions(site.readings.values(), wanted.accepted)
    off = rules_off(wanted)
    reported = [problem for problem in problems if not accepted.takes(problem) and problem.code not in off]
    reported += accepted.left_over()
    sources = {name: reading.source for name, reading in site.readings.items()}
    trusted = [placement for placement in trusted if placement.template in chosen]
    if wanted.most_trusted is not None and len(trusted) > wanted.most_trusted:
        reported.append(_over_budget(sources, trusted, wanted.most_trusted))
    result = Checked(templates=len(chosen), accepted=accepted.count)
    result.findings = sorted(
        finding_of(problem) for problem in reported if problem.source and _is_chosen(problem.source, site, chosen)
    )
    result.trusted = sorted((shown(sources[placement.template]), placement) for placement in trusted)
    return result


def rules_off(wanted: CheckOptions) -> frozenset[str]:
    """Return the rules that are not reported."""
    off = OFF - set(wanted.also)
    if wanted.policy is not None:
        # It puts nonces on the scripts itself; what attributes would do, browsers leave out without a word.
        off = off - {"csp-handler", "csp-style"} | {"csp-script"}
    return off


def _is_chosen(source: Source, site: Site, chosen: Collection[str]) -> bool:
    return source.name in chosen or (source.name not in site.readings and len(chosen) == len(site.readings))


def _over_budget(sources: Mapping[str, Source], trusted: list[Placement], most: int) -> Problem:
    places = []
    for placement in sorted(trusted):
        source = sources[placement.template]
        message = f"{placement.expression.partition('|')[0].strip()}, because: {placement.reason}"
        places.append((message, source, *_span(source, placement)))
    _, source, start, end = places[most]
    return Problem("trusted-budget", source, start, end, count=len(trusted), most=most).beside(*places)


# --- pages -----------------------------------------------------------------------------------------------------------


def _look_at(site: Site, pages: list[SitePage]) -> Iterator[PageProblems]:
    """Look at pages in order, with a second process where there are enough of them."""
    workers = min(os.cpu_count() or 1, 8)
    # Forked processes have the site already; a process with threads must not fork.
    can_fork = "fork" in multiprocessing.get_all_start_methods() and threading.active_count() == 1
    if len(pages) < _ENOUGH or workers < 2 or not can_fork:  # noqa: PLR2004
        yield from (problems_of_page(site, page) for page in pages)
        return
    from concurrent.futures import ProcessPoolExecutor  # noqa: PLC0415  only for large sites

    _SHARED.append(site)
    try:
        with ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("fork")) as pool:
            yield from pool.map(_page_of_shared, pages, chunksize=_CHUNK)
    finally:
        _SHARED.remove(site)


_SHARED: list[Site] = []
"""The site that forked processes look at: they have it already."""


def _page_of_shared(page: SitePage) -> PageProblems:
    return problems_of_page(_SHARED[-1], page)


def problems_of_page(site: Site, page: SitePage) -> PageProblems:
    """Return what is wrong with one page."""
    try:
        return _page_found(site, page)
    except RecursionError:
        return with_whole_stack(lambda: _page_found(site, page), lambda: site.compiler.loader.read(page.file))


def _page_found(site: Site, page: SitePage) -> PageProblems:
    planned = site.compiler.analyse(Origin(page.file, None, page.part), collects=True)
    placements = [] if planned.problems else planned.placements
    outlined = _without_echoes(planned.problems, _outlined(site, page, planned))
    problems = [*planned.problems, *(each for each in outlined if not (planned.problems and each.code in _AFTER))]
    problems += _open_resources(site, placements)
    problems += _only_trusted(site, placements)
    problems += type_rules.find(planned, site.declared, page.part)
    if planned.has_messages and not planned.problems:
        for compiler in site.compilers:
            found = compiler.analyse(Origin(page.file, None, page.part), collects=True).untranslated
            problems += [problem for problem in found if problem.code == "message-refused"]
    return PageProblems(problems, [placement for placement in placements if placement.reason is not None])


_DERAILING = frozenset(
    "head-after-text step-inside branches-differ loop-differs part-differs url-split scripting-differs".split(),
)
"""Problems of the markup after which its elements are not known."""


_AFTER = frozenset({"message-text"})
"""Rules for pages without errors: after one, markup may be read as text."""


def _without_echoes(problems: list[Problem], found: Iterable[Problem]) -> Iterator[Problem]:
    """Leave out what is found of the elements after a problem that has caused it."""
    derailed: dict[Source | None, int] = {}
    for problem in problems:
        if problem.code in _DERAILING:
            derailed[problem.source] = min(problem.start, derailed.get(problem.source, problem.start))
    for problem in found:
        start = derailed.get(problem.source)
        if start is None or problem.start < start or not problem.code.startswith("element-"):
            yield problem


def _outlined(site: Site, page: SitePage, planned: TemplateIR) -> Iterator[Problem]:
    """Yield what is wrong with a page's elements and tags."""
    reading = site.readings[page.file]
    if reading.torn or ending_of(reading.source) == ".txt":
        return
    analysis = PageAnalysis(
        site.compiler.reading, site.compiler.settings.filters, site.compiler.permitted(), collects=True
    )
    frame = Frame(
        reading, page.part, Names(reading.source, analysis.filters, set()), Function("page", reading.source, [])
    )
    walker = TagWalker(analysis, frame, xml=ending_of(reading.source) in XML)
    try:
        walker.page()
    except AnalysisError:
        return  # what the plan has reported
    yield from walker.elements.problems(walker.state.open)
    for source, start, text, name in walker.unmarked:
        yield Problem("value-unmarked", source, start, start + len(text), text=text, name=name)
    known: dict[Source, set[str]] = {}
    for source, match, start in walker.other_marks:
        if source not in known:
            known[source] = site.names_known(source.name)
        if step_rules.is_mark(match, known[source]):
            text = step_rules.whole_mark(source.text, start) or match[0].rstrip(" .|}[(")
            yield Problem("mark-unknown", source, start, start + len(text), text=text)
    yield from page_rules.untranslated(walker)
    if not walker.elements.xml:
        yield from page_rules.find(walker)
    translator = site.compiler.settings.translator
    if translator.several and planned.has_messages:
        yield from page_rules.fixed_language(walker, len({*translator.every, translator.own}))
    yield from tag_rules.charset(walker.tags)
    for tag in walker.tags:
        yield from tag_rules.opener(tag)
        yield from tag_rules.policy(tag)


def _open_resources(site: Site, placements: Iterable[Placement]) -> Iterator[Problem]:
    """Yield URLs of code whose origin the template does not fix."""
    if site.compiler.settings.resource_origins:
        return
    for placement in placements:
        if placement.context == "resource-url" and placement.template in site.readings:
            if "asset" in site.compiler.settings.helper_checks and placement.expression.startswith("asset("):
                continue
            source = site.readings[placement.template].source
            start, end = _span(source, placement)
            name = next((step for step in placement.path if step.startswith("attribute ")), "")
            where = f'the attribute "{name.removeprefix("attribute ")}"' if name else "this script"
            yield Problem("resource-open", source, start, end, where=where)


_ONLY = {
    "script-statement": ("script", "TrustedScript", "Name the value, const call = {= … =};, and use the name."),
    "style-rules": ("style", "TrustedCSS", "Write the selector or the property out, and print its value alone."),
}
"""Escaping functions that let only a trusted kind of value through."""


def _only_trusted(site: Site, placements: Iterable[Placement]) -> Iterator[Problem]:
    """Yield values that can only be printed where they are of a trusted kind."""
    for placement in placements:
        found = next((_ONLY[escaper] for escaper in placement.escapers if escaper in _ONLY), None)
        if found is not None and placement.reason is None and placement.template in site.readings:
            source = site.readings[placement.template].source
            where, kind, remedy = found
            yield Problem("trusted-only", source, *_span(source, placement), where=where, kind=kind, remedy=remedy)


def _span(source: Source, placement: Placement) -> tuple[int, int]:
    """Return where the print mark of a placement begins and ends."""
    start = source.starts[placement.line - 1] + placement.column - 1
    inside = source.text.find(placement.expression, start) + len(placement.expression)
    return start, source.text.find("=}", inside) + 2


def _hidden(site: Site) -> Iterator[Problem]:
    """Yield the files that others hide."""
    for name, winner, path in site.hidden:
        text = path.read_text("utf-8", "replace")
        words = {"path": shown(Source(name, "", str(path))), "winner": shown(Source(name, "", str(winner)))}
        yield Problem("template-hidden", Source(name, text, str(path)), 0, 1, **words)
