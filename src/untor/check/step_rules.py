"""Rules about steps: a ``let`` that seems to add up, arguments of layouts, blocked pictures, marks of another kind."""

from __future__ import annotations

import re

from untor.check.name_rules import free_names
from untor.diagnostics.hints import STEPS as ELSEWHERE
from untor.diagnostics.problem import Problem, nearest, suggestion
from untor.language import tree
from untor.language.keywords import STEPS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.check.site import Site
    from untor.language.parser import ParsedTemplate
    from untor.web.csp import Policy


def find(site: Site, policy: Policy | None) -> Iterator[Problem]:
    """Yield what is wrong with the steps and expressions of each template."""
    for reading in site.readings.values():
        yield from of_template(site, reading, policy)


def of_template(site: Site, reading: ParsedTemplate, policy: Policy | None) -> Iterator[Problem]:
    """Yield what is wrong with the steps and expressions of a template."""
    if not reading.torn:
        yield from _accumulating(reading, reading.body, frozenset())
        for part in reading.parts.values():
            yield from _accumulating(reading, part.body, frozenset())
        yield from _of_layout(site, reading)
        if policy is not None:
            yield from _blocked_filters(reading, policy)


# --- let in a loop ---------------------------------------------------------------------------------------------------


def _accumulating(
    reading: ParsedTemplate, nodes: list[tree.Node], outside: frozenset[str], *, in_loop: bool = False
) -> Iterator[Problem]:
    """Look for a ``let`` in a loop that gives a name of outside of it a value made from its own."""
    own: set[str] = set()
    for node in nodes:
        if isinstance(node, tree.Let):
            reads = {name.name for name in _names(node.expression)}
            if in_loop and node.name in outside - own and node.name in reads:
                yield Problem("let-accumulates", reading.source, node.start, node.end, name=node.name)
            own.add(node.name)
        elif isinstance(node, tree.For):
            around = outside | own
            yield from _accumulating(reading, node.body, around - {*node.names}, in_loop=True)
            yield from _accumulating(reading, node.between or [], around - {*node.names}, in_loop=True)
            yield from _accumulating(reading, node.empty or [], around, in_loop=in_loop)
        else:
            around = outside if in_loop else outside | own
            yield from _accumulating(reading, tree.inside(node), around, in_loop=in_loop)


def _names(expression: tree.Expression) -> Iterator[tree.Name]:
    todo = [expression]
    while todo:
        node = todo.pop()
        if isinstance(node, tree.Name):
            yield node
        todo += tree.children(node)


# --- layouts ---------------------------------------------------------------------------------------------------------


def _of_layout(site: Site, reading: ParsedTemplate) -> Iterator[Problem]:
    """Look at the arguments of a layout: those that it has no use for, and those that it requires and nobody gives."""
    node = reading.layout
    layout = None if node is None else site.called(node.target.file)
    if node is None or node.is_torn or layout is None or layout.torn:
        return
    taken = None if layout.takes is None else {each.name for each in layout.takes.parameters}
    used = taken if taken is not None else _used(site, layout)
    meant: set[str] = set()
    for argument in node.arguments:
        if argument.name not in used:
            meant |= {*nearest(argument.name, used)}
            near = suggestion(argument.name, used, f"It uses {', '.join(sorted(used))}." if used else "Remove it.")
            words = {"target": node.target.file, "name": argument.name, "near": near}
            end = argument.start + len(argument.name)
            yield Problem("layout-argument", reading.source, argument.start, end, **words)
    if layout.takes is None or reading.takes is None:
        return
    told = {argument.name for argument in node.arguments} | {each.name for each in reading.takes.parameters}
    for parameter in layout.takes.parameters:
        if parameter.default is None and parameter.name not in told | site.known | meant:
            shown = f'<! layout "{node.target.file}" {parameter.name}=… !>'
            words = {"target": node.target.file, "name": parameter.name, "shown": shown}
            yield Problem("layout-input", reading.source, node.start, node.end, **words)


def _used(site: Site, layout: ParsedTemplate) -> set[str]:
    """Return the names that a layout without ``takes`` reads, with its own layouts."""
    names: set[str] = set()
    seen: set[str] = set()
    reading: ParsedTemplate | None = layout
    while reading is not None and reading.source.name not in seen:
        seen.add(reading.source.name)
        names |= {name.name for name, _ in free_names(reading.body)}
        if reading.layout is None:
            break
        names |= {name.name for each in reading.layout.arguments for name in _names(each.value)}
        reading = site.called(reading.layout.target.file)
    return names


# --- filters and the policy ------------------------------------------------------------------------------------------


def _blocked_filters(reading: ParsedTemplate, policy: Policy) -> Iterator[Problem]:
    """CSP Level 3 §6.1: a picture in a ``data:`` URL needs that scheme in ``img-src``."""
    sources = policy.directives.get("img-src", policy.directives.get("default-src", "data:"))
    if "data:" in sources.split():
        return
    todo: list[tree.Node] = [*reading.body, *reading.parts.values()]
    while todo:
        node = todo.pop()
        todo += tree.inside(node)
        expressions = [node.expression] if isinstance(node, tree.Print | tree.Let) else []
        while expressions:
            expression = expressions.pop()
            expressions += tree.children(expression)
            if isinstance(expression, tree.Filter) and expression.name == "picture":
                start, end = expression.name_start, expression.name_start + len(expression.name)
                yield Problem("csp-picture", reading.source, start, end, sources=sources)


# --- marks of another spelling ---------------------------------------------------------------------------------------

OTHER_MARKS = re.compile(
    r"\{\{[\s{]*(?P<value>[^\W\d]\w*)(?:[\s.|}\[(]|$)|[$#]\{\s*(?P<inner>[^\W\d]\w*)(?=[\s.}\[|(])"
    r"|\{%[-+~]?\s*(?P<step>/?[a-z_-]+)|<%[-=]?\s*(?P<code>[^\W\d]\w*)"
)
"""Marks of other languages, with the first word in them."""
_WHOLE = re.compile(r"\{\{[^\n{}]{0,60}\}\}|\{%[^\n{}]{0,60}%\}|<%[^\n<>]{0,60}%>|[$#]\{[^\n{}]{0,60}\}")
_OTHER_STEPS = {*STEPS, *ELSEWHERE}


def whole_mark(text: str, start: int) -> str:
    """Return a mark of another spelling with its end; an empty string if that is not near."""
    match = _WHOLE.match(text, start)
    return match[0] if match else ""


def is_mark(match: re.Match[str], known: set[str]) -> bool:
    """Return whether text is a mark of another spelling: its word is a step, or a name that the template knows."""
    word = match["value"] or match["inner"]
    return word in known if word else (match["step"] or match["code"]) in _OTHER_STEPS | known
