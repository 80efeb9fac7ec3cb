"""The standards' inventories: each element, attribute, event, property, rule and sink in them has a decision here.

``inventories/standards.json`` holds the registries' lists (MIT licence, see ``update.mjs``), ``decisions.txt`` what we
decided for each name. A name that a new list brings fails until somebody has decided.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from support import cases

from untor import Engine, MarkError, PlacementError
from untor.contexts.css_rules import AT_RULES, LOADING, SELECTOR_FUNCTIONS
from untor.contexts.script_sinks import assigned, called

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

HERE = Path(__file__).parent / "inventories"
STANDARDS = json.loads((HERE / "standards.json").read_text("utf-8"))
engine = Engine()

Names = dict[str, str]


def context(source: str, name: str = "page.html") -> str:
    """Return what a value in a template is printed as, or the code of the problem."""
    try:
        return engine.compile(source, name).placements[0].context
    except (MarkError, PlacementError) as error:
        return error.code


def html_attributes() -> Iterator[tuple[str, str]]:
    for element, attributes in STANDARDS["htmlAttributes"].items():
        tag = "p" if element == "*" else element
        for attribute in attributes:
            yield f"{element} {attribute}", context(f'<{tag} {attribute}="{{= x =}}">')


def elements() -> Iterator[tuple[str, str]]:
    for kind, names in STANDARDS["elements"].items():
        for name in names:
            around = "" if kind == "html" else f"<{kind}>"
            yield f"{kind} {name}", context(f"<body>{around}<{name}>{{= x =}}")


def svg_attributes() -> Iterator[tuple[str, str]]:
    for attribute in STANDARDS["svgAttributes"]:
        yield attribute, context(f'<svg><g {attribute}="{{= x =}}"/></svg>')


def animated() -> Iterator[tuple[str, str]]:
    for attribute in STANDARDS["svgAttributes"]:
        yield attribute, context(f'<svg><set to="{{= x =}}" attributeName="{attribute}"/></svg>')


def handlers() -> Iterator[tuple[str, str]]:
    for name in sorted({*STANDARDS["handlers"], *(f"on{event.lower()}" for event in STANDARDS["events"])}):
        yield name, context(f'<p {name}="f({{= x =}})">')


def aria() -> Iterator[tuple[str, str]]:
    for name in STANDARDS["ariaAttributes"]:
        yield name, context(f'<p {name}="{{= x =}}">')


def properties() -> Iterator[tuple[str, str]]:
    for name in STANDARDS["properties"]:
        yield name, context(f"<style>p {{ {name}: {{= x =}} }}</style>")


def functions() -> Iterator[tuple[str, str]]:
    for name in STANDARDS["functions"]:
        source = f"<style>p {{ a: {name[:-1]}%s) }}</style>"
        yield name, f"{context(source % '{= x =}')} {context(source % chr(34).join(['', '{= x =}', '']))}"


def selectors() -> Iterator[tuple[str, str]]:
    for name in STANDARDS["selectors"]:
        if name.endswith("()"):
            yield name, SELECTOR_FUNCTIONS.get(name.strip(":()"), "refused")
        elif name.startswith(":"):
            yield name, context(f"<style>p{name}{{= x =}} {{}}</style>")
        else:
            yield name, context(f"<style>p {name} {{= x =}} {{}}</style>")


def at_rules() -> Iterator[tuple[str, str]]:
    for name in STANDARDS["atRules"]:
        rule = AT_RULES.get(name[1:])
        yield name, "loads" if name[1:] in LOADING else f"{rule.prelude} {rule.block}" if rule else "unknown"


def sinks() -> Iterator[tuple[str, str]]:
    for sink in STANDARDS["sinks"]:
        owner, _, name = sink.partition(".")
        name = {"constructor": owner, "TimerHandler": "setTimeout"}.get(name, name)
        owners = {"ServiceWorkerContainer": "serviceWorker", "Document": "document", "SVGAnimatedString": "href"}
        chain = (owners.get(owner, "a"), name)
        found = (
            assigned(chain, frozenset()) or called(chain, 0, None, frozenset()) or called(chain, 1, None, frozenset())
        )
        yield sink, found.kind if found else "none"


INVENTORIES: dict[str, Callable[[], Iterator[tuple[str, str]]]] = {
    "elements": elements,
    "HTML attributes": html_attributes,
    "SVG attributes": svg_attributes,
    "SVG attributes that are animated": animated,
    "ARIA attributes": aria,
    "event handlers": handlers,
    "CSS properties": properties,
    "CSS functions, a value and a string": functions,
    "CSS selectors": selectors,
    "CSS at-rules": at_rules,
    "injection sinks": sinks,
}


def decisions() -> dict[str, Names]:
    """Read the decisions: a heading, then a line for each decision with the names it is about."""
    found: dict[str, Names] = {}
    for line in (HERE / "decisions.txt").read_text("utf-8").splitlines():
        if line.startswith("=== "):
            names = found[line[4:]] = {}
        elif line:
            decision, _, about = line.partition(": ")
            names |= dict.fromkeys(about.split(", "), decision)
    return found


@pytest.mark.parametrize("inventory", INVENTORIES)
def test_every_name_has_its_decision(inventory: str) -> None:
    """What a value becomes is what was decided, for each name that the standards know; no name is undecided."""
    decided, now = decisions()[inventory], dict(INVENTORIES[inventory]())
    assert sorted(now.keys() - decided.keys()) == []
    assert {name: decided[name] for name in now} == now


def test_every_production_has_a_case() -> None:
    """Each production of ECMAScript that holds a literal, a name or an expression has a case with its name."""
    titles = {case.title.removeprefix("ECMAScript ").partition(",")[0] for case in cases("places.txt")}
    productions = (HERE / "ecmascript.txt").read_text("utf-8").split()
    assert len(productions) > 60
    assert [name for name in productions if name not in titles] == []


def test_every_sink_has_a_case() -> None:
    """Each injection sink has a case of a value that is given to it."""
    titles = {case.title.removeprefix("sink ").partition(",")[0] for case in cases("places.txt")}
    named = {sink.split(".")[0 if sink.endswith(".constructor") else 1] for sink in STANDARDS["sinks"]}
    assert sorted({"setTimeout" if name == "TimerHandler" else name for name in named} - titles) == ["TrustedType"]
