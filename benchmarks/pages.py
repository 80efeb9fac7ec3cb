"""The pages that are measured: their data, the template, and the Python that a developer would write instead."""

from __future__ import annotations

import json
import random
import re
from dataclasses import dataclass
from html import escape
from sys import intern
from typing import TYPE_CHECKING, Any, NamedTuple
from urllib.parse import quote, urlsplit

if TYPE_CHECKING:
    from collections.abc import Callable

WORDS = """quay berth tide mooring pilot harbour anchor ballast bollard breakwater buoy cargo channel crane dock dredge
ebb fender ferry gangway hawser hull jetty keel lighter manifest mast pier pontoon radar sluice stern tug wharf""".split()
NASTY = ["<b>", "R&D", 'a "quoted" one', "O'Dell", "</script>"]


class Measured(NamedTuple):
    """A page: its template, its data, the function by hand, the same without any escaping, and how often it is called."""

    template: str
    data: dict[str, Any]
    by_hand: Callable[..., str]
    unescaped: Callable[..., str] | None = None
    calls: int = 1


def texts(count: int, seed: int) -> list[str]:
    """Return texts of a few words; one in ten needs escaping."""
    chance = random.Random(seed)  # noqa: S311  the same data each time
    found = []
    for _ in range(count):
        words = chance.sample(WORDS, chance.randint(1, 3))
        if chance.random() < 0.1:  # noqa: PLR2004  one in ten
            words.append(chance.choice(NASTY))
        found.append(" ".join(words))
    return found


# --- table: rows of dicts ------------------------------------------------------------------------------------------

TABLE = """<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>{= title =}</title></head>
<body>
<table>
<! for row in rows !>
<tr id="r{= row.id =}"><td>{= row.name =}</td><td title="{= row.note =}">{= row.length =}</td><td><a href="/vessels/{= row.slug =}">{= row.skipper =}</a></td></tr>
<! end !>
</table>
</body>
</html>
"""


def _table_data() -> dict[str, Any]:
    columns = ("name", "note", "slug", "skipper")
    pools = {column: texts(1000, seed) for seed, column in enumerate(columns)}
    pools["slug"] = [text.replace(" ", "-") for text in pools["slug"]]
    rows = [
        {"id": number, "length": 20 + number / 10, **{column: pools[column][number] for column in columns}}
        for number in range(1000)
    ]
    return {"title": "Vessels & berths", "rows": rows}


def table_by_hand(title: str, rows: list[dict[str, Any]]) -> str:
    """Write the table as one would."""
    out = [
        f"""<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>{escape(str(title))}</title></head>
<body>
<table>
"""
    ]
    for row in rows:
        out.append(  # noqa: PERF401  as one would write it
            f"""<tr id="r{escape(str(row["id"]))}"><td>{escape(str(row["name"]))}</td><td title="{escape(str(row["note"]))}">{escape(str(row["length"]))}</td><td><a href="/vessels/{quote(str(row["slug"]), safe="")}">{escape(str(row["skipper"]))}</a></td></tr>
"""
        )
    out.append("""</table>
</body>
</html>
""")
    return "".join(out)


def table_unescaped(title: str, rows: list[dict[str, Any]]) -> str:
    """Write the table without any escaping: the limit."""
    out = [
        f"""<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><title>{title}</title></head>
<body>
<table>
"""
    ]
    append = out.append
    for row in rows:
        append(
            f"""<tr id="r{row["id"]}"><td>{row["name"]}</td><td title="{row["note"]}">{row["length"]}</td><td><a href="/vessels/{row["slug"]}">{row["skipper"]}</a></td></tr>
"""
        )
    append("""</table>
</body>
</html>
""")
    return "".join(out)


# --- cards: objects ------------------------------------------------------------------------------------------------

CARDS = """<main>
<! for call in calls !>
<article class="card {= call.vessel.kind =}">
<h2>{= call.vessel.name =}</h2>
<p>{= call.vessel.skipper =} of {= call.vessel.registry.port =}, {= call.vessel.flag =}</p>
<! if call.berth !>
<p>Berth {= call.berth.code =}</p>
<! else !>
<p>At anchor</p>
<! end !>
<ul><! for cargo in call.cargoes !><li>{= cargo.name =}</li><! end !></ul>
</article>
<! end !>
</main>
"""


@dataclass
class Registry:
    """Where a vessel is registered."""

    port: str


@dataclass
class Vessel:
    """A ship."""

    name: str
    kind: str
    skipper: str
    registry: Registry
    flag: str


@dataclass
class Berth:
    """A place at a quay."""

    code: str


@dataclass
class Cargo:
    """What is on board."""

    name: str


@dataclass
class Call:
    """A visit."""

    vessel: Vessel
    berth: Berth | None
    cargoes: list[Cargo]


def _cards_data() -> dict[str, Any]:
    names, kinds, skippers, ports, flags, codes, cargoes = (texts(600, seed) for seed in range(10, 17))
    calls = [
        Call(
            Vessel(names[n], kinds[n], skippers[n], Registry(ports[n]), flags[n]),
            Berth(codes[n]) if n % 3 else None,
            [Cargo(cargoes[2 * n]), Cargo(cargoes[2 * n + 1])],
        )
        for n in range(300)
    ]
    return {"calls": calls}


def cards_by_hand(calls: list[Call]) -> str:
    """Write the cards as one would."""
    out = ["<main>\n"]
    for call in calls:
        out.append(
            f"""<article class="card {escape(str(call.vessel.kind))}">
<h2>{escape(str(call.vessel.name))}</h2>
<p>{escape(str(call.vessel.skipper))} of {escape(str(call.vessel.registry.port))}, {escape(str(call.vessel.flag))}</p>
"""
        )
        if call.berth:
            out.append(f"<p>Berth {escape(str(call.berth.code))}</p>\n")
        else:
            out.append("<p>At anchor</p>\n")
        out.append("<ul>")
        for cargo in call.cargoes:
            out.append(f"<li>{escape(str(cargo.name))}</li>")  # noqa: PERF401  as one would write it
        out.append("</ul>\n</article>\n")
    out.append("</main>\n")
    return "".join(out)


def cards_unescaped(calls: list[Call]) -> str:
    """Write the cards without any escaping: the limit."""
    out = ["<main>\n"]
    append = out.append
    for call in calls:
        vessel = call.vessel
        append(
            f"""<article class="card {vessel.kind}">
<h2>{vessel.name}</h2>
<p>{vessel.skipper} of {vessel.registry.port}, {vessel.flag}</p>
"""
        )
        if call.berth:
            append(f"<p>Berth {call.berth.code}</p>\n<ul>")
        else:
            append("<p>At anchor</p>\n<ul>")
        for cargo in call.cargoes:
            append(f"<li>{cargo.name}</li>")
        append("</ul>\n</article>\n")
    append("</main>\n")
    return "".join(out)


# --- article: much text, few values -----------------------------------------------------------------------------------


def _fixed(seed: int) -> str:
    chance = random.Random(seed)  # noqa: S311
    return "\n".join(f"<p>{' '.join(chance.choices(WORDS, k=70))}.</p>" for _ in range(7))


FIXED = [_fixed(number) for number in range(21)]
ARTICLE = "".join(f"{text}\n<h2>{{= v{number} =}}</h2>\n" for number, text in enumerate(FIXED[:20])) + FIXED[20]


def _article_functions() -> tuple[Callable[..., str], Callable[..., str]]:
    """Make the functions: twenty names by hand would be the same, but longer to read."""
    names = [f"v{number}" for number in range(20)]
    made = []
    for value, parts in (("{escape(str(%s))}", "''.join([{}])"), ("{%s}", "{}")):
        lines = [f"{text}\n<h2>{value % name}</h2>\n" for text, name in zip(FIXED, names, strict=False)]
        between = ", " if "join" in parts else " "
        whole = between.join([*(f"f{line!r}" for line in lines), repr(FIXED[20])])
        source = f"def page({', '.join(names)}):\n    return {parts.replace('{}', whole)}"
        namespace: dict[str, Any] = {"escape": escape}
        exec(source, namespace)  # noqa: S102  made right here
        made.append(namespace["page"])
    return made[0], made[1]


# --- small: three values, often ---------------------------------------------------------------------------------------

SMALL = '<p class="{= kind =}">{= name =}: <b>{= note =}</b></p>'


def small_by_hand(kind: str, name: str, note: str) -> str:
    """Write the small page as one would."""
    return f'<p class="{escape(str(kind))}">{escape(str(name))}: <b>{escape(str(note))}</b></p>'


def small_unescaped(kind: str, name: str, note: str) -> str:
    """Write the small page without any escaping: the limit."""
    return f'<p class="{kind}">{name}: <b>{note}</b></p>'


# --- places: all kinds of them ------------------------------------------------------------------------------------------

PLACES = """<! for vessel in vessels !>
<style>.v{= vessel.id =} { color: {= vessel.flag =} }</style>
<a class="v{= vessel.id =}" href="{= vessel.website =}" onclick="track('{= vessel.name =}')">{= vessel.name =}</a>
<img srcset="/p/{= vessel.slug =}.jpg 1x, /p/{= vessel.slug =}-large.jpg 2x" alt="{= vessel.name =}">
<script>add({= vessel.cargo =}, "{= vessel.name =}");</script>
<! end !>
"""
_COLOUR = re.compile(r"#[0-9a-f]{3,6}|[a-z]+", re.IGNORECASE)


def _places_data() -> dict[str, Any]:
    names, slugs = texts(100, 40), texts(100, 41)
    return {
        "vessels": [
            {
                "id": n,
                "name": names[n],
                "slug": slugs[n].replace(" ", "-"),
                "flag": "red; x:y" if n % 10 == 0 else "#0a6c74",
                "website": "javascript:f()" if n % 10 == 1 else f"https://v{n}.example/?a=1&b=2",
                "cargo": {"tons": n, "what": names[-n]},
            }
            for n in range(100)
        ]
    }


def colour(value: str) -> str:
    """Return a colour, or nothing that could be anything else."""
    return value if _COLOUR.fullmatch(value) else "inherit"


def _url(value: str) -> str:
    stripped = value.strip().replace("\t", "").replace("\n", "").replace("\r", "")
    return escape(value) if urlsplit(stripped).scheme.lower() in {"", "http", "https", "mailto"} else "about:invalid"


def js(value: object) -> str:
    """Return a value as one would write it into a script."""
    text = json.dumps(value)
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026").replace("'", "\\u0027")


def places_by_hand(vessels: list[dict[str, Any]]) -> str:
    """Write the page as a careful developer would."""
    out = []
    for vessel in vessels:
        slug = quote(str(vessel["slug"]), safe="")
        name = escape(str(vessel["name"]))
        out.append(
            f"""<style>.v{escape(str(vessel["id"]))} {{ color: {colour(str(vessel["flag"]))} }}</style>
<a class="v{escape(str(vessel["id"]))}" href="{_url(str(vessel["website"]))}" onclick="track({escape(js(str(vessel["name"])))})">{name}</a>
<img srcset="/p/{slug}.jpg 1x, /p/{slug}-large.jpg 2x" alt="{name}">
<script>add({js(vessel["cargo"])}, {js(str(vessel["name"]))});</script>
"""
        )
    return "".join(out)


def places_unescaped(vessels: list[dict[str, Any]]) -> str:
    """Write the page without any escaping: the limit."""
    return "".join(
        [
            f"""<style>.v{vessel["id"]} {{ color: {vessel["flag"]} }}</style>
<a class="v{vessel["id"]}" href="{vessel["website"]}" onclick="track('{vessel["name"]}')">{vessel["name"]}</a>
<img srcset="/p/{vessel["slug"]}.jpg 1x, /p/{vessel["slug"]}-large.jpg 2x" alt="{vessel["name"]}">
<script>add({vessel["cargo"]}, "{vessel["name"]}");</script>
"""
            for vessel in vessels
        ]
    )


_article = _article_functions()

PAGES: dict[str, Measured] = {
    "table": Measured(TABLE, _table_data(), table_by_hand, table_unescaped),
    "cards": Measured(CARDS, _cards_data(), cards_by_hand, cards_unescaped),
    "article": Measured(
        ARTICLE, {intern(f"v{number}"): text for number, text in enumerate(texts(20, 30))}, *_article, calls=20
    ),
    "small": Measured(
        SMALL, {"kind": "note", "name": "Sea Holly", "note": "R&D"}, small_by_hand, small_unescaped, calls=1000
    ),
    "places": Measured(PLACES, _places_data(), places_by_hand, places_unescaped),
}
"""The pages by name."""
