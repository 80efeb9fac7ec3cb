"""The views: the engine, and the values of each page."""

from __future__ import annotations

from importlib.resources import files

from untor.demo import harbour as records
from untor.demo.figures import MEAN, tide_figure, turning_points
from untor.demo.harbour import TODAY
from untor.demo.trials import EXAMPLES, FIRST, REFUSED, Trial, Trials
from untor.diagnostics.source import Source
from untor.engine.engine import Engine
from untor.web.csp import Policy

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

    from untor.demo.harbour import Harbour, Invoice, Vessel

Context = dict[str, object]

ROUTES = {
    "try": "/",
    "results": "/results",
    "tried": "/tried/{escaping}/{number}",
    "arrivals": "/arrivals",
    "vessel": "/vessels/{id}",
    "notices": "/notices",
    "berths": "/berths",
    "tide": "/tide",
    "invoices": "/invoices",
    "invoice": "/invoices/{number}",
    "search": "/search",
    "log": "/log",
    "template": "/templates/{name}",
    "explained": "/explained/{name}",
    "source": "/source",
}
"""The site's addresses by name, for the application and for the links in its pages."""

PAGES = ("try", "arrivals", "vessel", "notices", "berths", "tide", "invoices", "invoice", "search", "log")
"""The templates of the pages, in the order of the tour."""

LANGUAGES = {"en": "English", "de": "Deutsch", "ar": "العربية"}
"""The languages of the site, each as its readers call it."""

TYPES = {
    **{name: getattr(records, name) for name in "Berth Call Entry Invoice Message Place Tide Turn Vessel".split()},
    "Source": Source,
    "Trial": Trial,
}
"""The classes that the templates take values of."""

_PER_PAGE = 4
_HERE = files("untor.demo")


pages = Engine(
    str(_HERE / "templates"),
    messages=str(_HERE / "messages"),
    types=TYPES,
    globals={"languages": LANGUAGES},
    static={"/static": str(_HERE / "static")},
    links=ROUTES,
    policy=Policy(directives={"img-src": "'self' data:"}),
)


def static_folder() -> Path:
    """Return the folder of the static files."""
    assert pages.assets is not None  # noqa: S101  the engine has them
    return pages.assets.entries[0][1]


def language_of(asked: str | None, kept: str | None, accepted: str) -> str:
    """Return the visitor's language: the requested or the stored one, else the one that the browser prefers."""
    return next((each for each in (asked, kept) if each in LANGUAGES), None) or pages.negotiate(accepted)


trials = Trials(pages)


def tried(value: str | None) -> Context:
    """Return what the first page shows: something nasty in ten contexts, and a template that is refused."""
    value = FIRST if value is None else value
    results, blocked = trials.tried(value)
    shown = {"value": value, "trials": results, "blocked": blocked}
    return {**shown, "examples": [*EXAMPLES], "refused": REFUSED, "refusal": trials.refusal}


def arrivals(harbour: Harbour) -> Context:
    """Return what the arrivals board shows."""
    return {"day": TODAY, "calls": harbour.calls(), "messages": harbour.messages()}


def vessel(harbour: Harbour, shown: Vessel) -> Context:
    """Return what the page of a vessel shows."""
    return {"vessel": shown, "calls": harbour.calls(shown.id), "messages": harbour.messages(shown.id)}


def notices(harbour: Harbour, typed: Mapping[str, str], errors: Mapping[str, str]) -> Context:
    """Return what the notice board shows, with what was typed and what is wrong with it."""
    vessels = harbour.vessels()
    chosen = next((vessel.id for vessel in vessels if str(vessel.id) == typed.get("vessel")), None)
    return {
        "messages": harbour.messages()[::-1],
        "vessels": vessels,
        "chosen": chosen,
        "typed": typed,
        "errors": errors,
    }


def berths(harbour: Harbour) -> Context:
    """Return the map: each berth with the vessel there today."""
    there = {call.berth.code: call.vessel for call in harbour.calls() if call.berth and call.arrives.date() == TODAY}
    return {"berths": [{"berth": berth, "vessel": there.get(berth.code)} for berth in harbour.berths()]}


def tide(harbour: Harbour) -> Context:
    """Return the tide of the day: its curve, and its high and low waters; the figure only with Matplotlib."""
    tides = harbour.tides()
    heights = [each.height for each in tides]
    places = [(round(_LEFT + _HALF_HOUR * number, 1), _y(height)) for number, height in enumerate(heights)]
    turns = [
        {"tide": tides[index], "high": heights[index] > MEAN, "x": places[index][0], "y": places[index][1]}
        for index in turning_points(heights)
    ]
    scale = {
        "hours": [{"hour": hour, "x": _LEFT + 2 * _HALF_HOUR * hour} for hour in range(0, 25, 3)],
        "metres": [{"metres": metres, "y": _y(metres)} for metres in range(6)],
    }
    return {
        "day": TODAY,
        "tides": tides,
        "turns": turns,
        "places": places,
        "scale": scale,
        "figure": tide_figure(tides),
    }


_LEFT, _BOTTOM = 46, 330
_HALF_HOUR, _METRE = 18.5, 58
"""The place of the chart's origin, and the lengths of its units, as the viewBox of its SVG counts."""


def _y(height: float) -> float:
    return round(_BOTTOM - _METRE * height, 1)


def invoices(harbour: Harbour) -> Context:
    """Return the list of invoices."""
    return {"invoices": harbour.invoices(), "today": TODAY}


def invoice(shown: Invoice) -> Context:
    """Return what an invoice shows."""
    return {"invoice": shown, "today": TODAY}


def search(harbour: Harbour, words: str, kind: str, number: int) -> Context:
    """Return a page of what has some words in it."""
    vessels, messages = harbour.found(words, kind)
    kinds = sorted({each.kind for each in harbour.vessels()})
    results = [*vessels, *messages]
    last = max(1, -(-len(results) // _PER_PAGE))
    number = min(max(number, 1), last)
    page_slice = slice((number - 1) * _PER_PAGE, number * _PER_PAGE)
    return {
        "words": words,
        "kind": kind,
        "kinds": kinds,
        "vessels": vessels[page_slice],
        "messages": messages[max(0, page_slice.start - len(vessels)) : max(0, page_slice.stop - len(vessels))],
        "count": len(results),
        "number": number,
        "last": last,
    }


def sources(name: str) -> Context:
    """Return the source of a page's template and of those that it is made of."""
    template = pages.template(name)
    files_ = [pages.compiler.loader.read(each) for each in (pages.compiler.loader.name(name), *template.dependencies)]
    return {"name": name, "files": files_}
