"""More pages as people write them: a form, components, a dashboard, a report, links, a tree; and what stands beside each."""

from __future__ import annotations

import random
from datetime import date, timedelta
from html import escape
from typing import Any
from urllib.parse import quote

from babel import dates, numbers
from pages import Measured, colour, js, texts

# --- form: fields with values and errors -----------------------------------------------------------------------------

FORM = """<form method="post" action="/calls/{= id =}">
<! for field in fields !>
<p><label for="f-{= field.name =}">{= field.label =}</label>
<input id="f-{= field.name =}" name="{= field.name =}" value="{= field.value =}" required={= field.required =}>
<! if field.error !><strong class="error">{= field.error =}</strong><! end !></p>
<! end !>
<select name="berth"><! for berth in berths !><option value="{= berth =}" selected={= berth == chosen =}>{= berth =}</option><! end !></select>
</form>
"""


def _form_data() -> dict[str, Any]:
    labels, values = texts(60, 50), texts(60, 51)
    fields = [
        {"name": f"field-{n}", "label": labels[n], "value": values[n], "required": n % 3 == 0, "error": labels[-n] if n % 7 == 0 else ""}
        for n in range(60)
    ]  # fmt: skip
    berths = [f"B{n}" for n in range(40)]
    return {"id": 417, "fields": fields, "berths": berths, "chosen": "B7"}


def form_by_hand(id: int, fields: list[dict[str, Any]], berths: list[str], chosen: str) -> str:  # noqa: A002  as the page has it
    """Write the form as one would."""
    out = [f'<form method="post" action="/calls/{quote(str(id), safe="")}">\n']
    for field in fields:
        name = escape(field["name"])
        required = " required" if field["required"] else ""
        out.append(
            f'<p><label for="f-{name}">{escape(field["label"])}</label>\n<input id="f-{name}" name="{name}" value="{escape(field["value"])}"{required}>\n'
        )
        if field["error"]:
            out.append(f'<strong class="error">{escape(field["error"])}</strong>')
        out.append("</p>\n")
    out.append('<select name="berth">')
    for berth in berths:
        text = escape(berth)
        out.append(f'<option value="{text}"{" selected" if berth == chosen else ""}>{text}</option>')
    out.append("</select>\n</form>\n")
    return "".join(out)


# --- components: three deep, with slots ------------------------------------------------------------------------------

COMPONENTS = """<! part badge(text: str) !><span class="badge">{= text =}</span><! end !>
<! part card(title: str, kind: str = "plain") !><section class="card {= kind =}"><h2>{= title =}</h2><! slot !></section><! end !>
<! part entry(call) !><! use card title=call.name, kind=call.kind !><p>{= call.note =}</p><! include badge text=call.flag !><! end !><! end !>
<! for call in calls !><! include entry call !><! end !>
"""


def _components_data() -> dict[str, Any]:
    names, notes = texts(200, 60), texts(200, 61)
    return {
        "calls": [
            {"name": names[n], "kind": "late" if n % 5 else "due", "note": notes[n], "flag": notes[-n]}
            for n in range(200)
        ]
    }


def _badge(text: str) -> str:
    return f'<span class="badge">{escape(text)}</span>'


def _card(title: str, kind: str, content: str) -> str:
    return f'<section class="card {escape(kind)}"><h2>{escape(title)}</h2>{content}</section>'


def _entry(call: dict[str, str]) -> str:
    return _card(call["name"], call["kind"], f"<p>{escape(call['note'])}</p>{_badge(call['flag'])}")


def components_by_hand(calls: list[dict[str, str]]) -> str:
    """Write the components as functions, as one would."""
    return "\n\n\n" + "".join([_entry(call) for call in calls])


# --- dashboard: data in scripts, widths in styles ---------------------------------------------------------------------

DASHBOARD = """<! for panel in panels !><section id="p{= panel.id =}"><h2>{= panel.title =}</h2>
<script>draw("p{= panel.id =}", {= panel.points =}, "{= panel.title =}");</script>
<! for bar in panel.bars !><p style="width: {= bar.width =}%; color: {= bar.colour =}" data-value="{= bar.value =}">{= bar.label =}</p><! end !>
</section><! end !>
"""


def _dashboard_data() -> dict[str, Any]:
    chance = random.Random(7)  # noqa: S311  the same data each time
    titles, labels = texts(12, 70), texts(120, 71)
    return {
        "panels": [
            {
                "id": n,
                "title": titles[n],
                "points": [{"x": x, "y": round(chance.random() * 50, 2), "name": labels[x]} for x in range(40)],
                "bars": [{"width": chance.randint(1, 100), "colour": "#0a6c74", "value": x * 1.5, "label": labels[n * 10 + x]} for x in range(10)],
            }
            for n in range(12)
        ]
    }  # fmt: skip


def dashboard_by_hand(panels: list[dict[str, Any]]) -> str:
    """Write the dashboard as a careful developer would."""
    out = []
    for panel in panels:
        number = escape(str(panel["id"]))
        out.append(
            f'<section id="p{number}"><h2>{escape(panel["title"])}</h2>\n<script>draw("p{number}", {js(panel["points"])}, {js(panel["title"])});</script>\n'
        )
        for bar in panel["bars"]:
            shown = colour(bar["colour"])
            out.append(
                f'<p style="width: {float(bar["width"]):g}%; color: {shown}" data-value="{escape(str(bar["value"]))}">{escape(bar["label"])}</p>'
            )
        out.append("\n</section>")
    return "".join(out) + "\n"


# --- report: numbers, money and dates of a locale ---------------------------------------------------------------------

REPORT = """<table><! for row in rows !>
<tr><td>{= row.day | date =}</td><td>{= row.tons | number =}</td><td>{= row.dues | money("EUR") =}</td><td>{= row.name =}</td></tr><! end !>
</table>
"""


def _report_data() -> dict[str, Any]:
    chance = random.Random(8)  # noqa: S311  the same data each time
    names = texts(300, 80)
    return {
        "rows": [
            {"day": date(2031, 1, 1) + timedelta(n), "tons": chance.randint(1, 90_000) / 10, "dues": round(chance.random() * 9000, 2), "name": names[n]}
            for n in range(300)
        ]
    }  # fmt: skip


def report_by_hand(rows: list[dict[str, Any]]) -> str:
    """Write the report with Babel, as one would."""
    out = ["<table>"]
    for row in rows:
        day = escape(dates.format_date(row["day"], locale="en"))
        tons = escape(numbers.format_decimal(row["tons"], locale="en"))
        dues = escape(numbers.format_currency(row["dues"], "EUR", locale="en"))
        out.append(f"\n<tr><td>{day}</td><td>{tons}</td><td>{dues}</td><td>{escape(row['name'])}</td></tr>")
    out.append("\n</table>\n")
    return "".join(out)


# --- links: to the pages of the application ---------------------------------------------------------------------------

LINKS = """<! for vessel in vessels !><li><a href="{= link("vessel", slug=vessel.slug) =}">{= vessel.name =}</a> <a href="{= link("calls", slug=vessel.slug, year=vessel.year) =}">{= vessel.year =}</a></li><! end !>
"""
ROUTES = {"vessel": "/vessels/{slug}", "calls": "/vessels/{slug}/calls/{year}"}


def _links_data() -> dict[str, Any]:
    names = texts(300, 90)
    return {
        "vessels": [{"name": names[n], "slug": names[n].replace(" ", "-"), "year": 2000 + n % 40} for n in range(300)]
    }


def _link(name: str, **parameters: object) -> str:
    return ROUTES[name].format(**{key: quote(str(value), safe="") for key, value in parameters.items()})


def links_by_hand(vessels: list[dict[str, Any]]) -> str:
    """Write the links with a small function, as one would."""
    out = []
    for vessel in vessels:
        one = escape(_link("vessel", slug=vessel["slug"]))
        other = escape(_link("calls", slug=vessel["slug"], year=vessel["year"]))
        out.append(
            f'<li><a href="{one}">{escape(vessel["name"])}</a> <a href="{other}">{escape(str(vessel["year"]))}</a></li>'
        )
    return "".join(out) + "\n"


# --- tree: comments in comments ---------------------------------------------------------------------------------------

TREE = """<! part comment(node) !><li><b>{= node.author =}</b> {= node.text =}<! if node.replies !><ul><! for each in node.replies !><! include comment node=each !><! end !></ul><! end !></li><! end !>
<ul><! for node in comments !><! include comment node !><! end !></ul>
"""


def _tree_data() -> dict[str, Any]:
    authors, said = texts(5000, 100), texts(5000, 101)
    nodes: list[dict[str, Any]] = [{"author": authors[n], "text": said[n], "replies": []} for n in range(5000)]
    for n in range(5, 5000):
        nodes[n // 5]["replies"].append(nodes[n])
    return {"comments": nodes[1:5]}


def _comment(node: dict[str, Any], out: list[str]) -> None:
    out.append(f"<li><b>{escape(node['author'])}</b> {escape(node['text'])}")
    if node["replies"]:
        out.append("<ul>")
        for each in node["replies"]:
            _comment(each, out)
        out.append("</ul>")
    out.append("</li>")


def tree_by_hand(comments: list[dict[str, Any]]) -> str:
    """Write the tree with a function that calls itself, as one would."""
    out = ["\n<ul>"]
    for node in comments:
        _comment(node, out)
    out.append("</ul>\n")
    return "".join(out)


MORE_PAGES: dict[str, Measured] = {
    "form": Measured(FORM, _form_data(), form_by_hand),
    "components": Measured(COMPONENTS, _components_data(), components_by_hand),
    "dashboard": Measured(DASHBOARD, _dashboard_data(), dashboard_by_hand),
    "report": Measured(REPORT, _report_data(), report_by_hand),
    "links": Measured(LINKS, _links_data(), links_by_hand),
    "tree": Measured(TREE, _tree_data(), tree_by_hand),
}
"""The pages by name."""
