"""Rules about names: declared and never read, read and never declared, read by an include and not passed to it."""

from __future__ import annotations

from untor.diagnostics.problem import Problem, suggestion
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.check.site import Site
    from untor.language.parser import ParsedTemplate

Read = tuple[tree.Name, bool]
"""A name that is read from outside of a template, and whether it may be missing."""


def find(site: Site) -> Iterator[Problem]:
    """Yield what is wrong with the names of each template."""
    for reading in site.readings.values():
        yield from of_template(site, reading)


def of_template(site: Site, reading: ParsedTemplate) -> Iterator[Problem]:
    """Yield what is wrong with the names of a template."""
    if not reading.torn:
        yield from _of_file(site, reading)
        for part in reading.parts.values():
            yield from _of_part(site, reading, part)


def _of_file(site: Site, reading: ParsedTemplate) -> Iterator[Problem]:
    reads = [*free_names(reading.body), *_of_layout(reading)]
    yield from _not_given(site, reading)
    if reading.takes is None or reading.takes.is_torn:
        return
    parameter_names = {parameter.name for parameter in reading.takes.parameters}
    read = {name.name for name, _ in reads} | _read_by_layouts(site, reading) | _defaults(reading.takes.parameters)
    for parameter in reading.takes.parameters:
        if parameter.name not in read:
            place = (reading.source, parameter.start, parameter.start + len(parameter.name))
            yield Problem("input-unread", *place, name=parameter.name, owner="the takes step")
    told = parameter_names | site.known
    for name, _ in reads:
        if name.name not in told:
            told.add(name.name)
            near = suggestion(
                name.name, parameter_names, f'Add it there, "{name.name} = None" where it may be missing.'
            )
            words = {
                "name": name.name,
                "owner": f"the takes step on line {_line(reading, reading.takes)}",
                "near": near,
            }
            yield Problem("input-undeclared", reading.source, name.start, name.end, **words)


def _of_part(site: Site, reading: ParsedTemplate, part: tree.Part) -> Iterator[Problem]:
    parameter_names = {parameter.name for parameter in part.parameters}
    reads = [*free_names(part.body)]
    read = {name.name for name, _ in reads} | _defaults(part.parameters)
    for parameter in part.parameters:
        if parameter.name not in read:
            place = (reading.source, parameter.start, parameter.start + len(parameter.name))
            yield Problem("input-unread", *place, name=parameter.name, owner=f'the part "{part.name}"')
    told = parameter_names | site.known
    for name, maybe in reads:
        if name.name not in told and not maybe:
            told.add(name.name)
            near = suggestion(name.name, parameter_names, "A part sees its parameters and the engine's globals only.")
            words = {"name": name.name, "owner": f'the part "{part.name}"', "near": near}
            yield Problem("input-undeclared", reading.source, name.start, name.end, **words)


def _not_given(site: Site, reading: ParsedTemplate) -> Iterator[Problem]:
    """Look at each include of a whole template that does not say what it takes."""
    for node in site.calls(reading):
        called = site.called(node.target.file) if node.target.file and not node.target.part else None
        if called is None or called.takes is not None or called.torn or isinstance(node, tree.Layout) or node.is_torn:
            continue
        given = {argument.name for argument in node.arguments} | site.known
        wanted: dict[str, tree.Name] = {}
        for name, maybe in [*free_names(called.body), *_of_layout(called)]:
            if name.name not in given and not maybe:
                wanted.setdefault(name.name, name)
        if wanted:
            names = " and ".join(f'"{name}"' for name in wanted)
            shown = f'<! {node.word} "{node.target.file}" {", ".join(wanted)} !>'
            related = [(f'"{name}" is used here', called.source, read.start, read.end) for name, read in wanted.items()]
            words = {"target": node.target.file, "names": names, "shown": shown}
            problem = Problem("input-not-given", reading.source, node.target.start, node.target.end, **words)
            yield problem.beside(*related)


def _line(reading: ParsedTemplate, node: tree.Node) -> int:
    return reading.source.position(node.start)[0]


def _defaults(parameters: list[tree.Parameter]) -> set[str]:
    """Return the names that the defaults read."""
    expressions = [parameter.default for parameter in parameters if parameter.default is not None]
    return {name.name for default in expressions for name, _ in names_in(default)}


def _of_layout(reading: ParsedTemplate) -> Iterator[Read]:
    if reading.layout is not None:
        for argument in reading.layout.arguments:
            yield from names_in(argument.value)


def _read_by_layouts(site: Site, reading: ParsedTemplate) -> set[str]:
    """Return the names that the layouts of a page read from its context."""
    names: set[str] = set()
    seen = {reading.source.name}
    while reading.layout is not None:
        given = {argument.name for argument in reading.layout.arguments}
        layout = site.called(reading.layout.target.file)
        if layout is None or layout.source.name in seen:
            break
        seen.add(layout.source.name)
        names |= {name.name for name, _ in [*free_names(layout.body), *_of_layout(layout)]} - given
        reading = layout
    return names


def free_names(nodes: list[tree.Node], bound: frozenset[str] = frozenset()) -> Iterator[Read]:
    """Yield the names that nodes read and do not bind themselves, in the order they are written."""
    for node in nodes:
        match node:
            case tree.Print():
                yield from names_in(node.expression, bound)
            case tree.Let():
                yield from names_in(node.expression, bound)
                bound |= {node.name}
            case tree.If():
                for branch in node.branches:
                    if branch.test is not None:
                        yield from names_in(branch.test, bound)
                    yield from free_names(branch.body, bound)
            case tree.Say():
                yield from free_names(tree.said(node), bound)
            case tree.For():
                yield from names_in(node.iterable, bound)
                inner = bound | {*node.names} | ({node.position} if node.position else set())
                if node.condition is not None:
                    yield from names_in(node.condition, inner)
                yield from free_names(node.body, inner)
                yield from free_names(node.between or [], inner)
                yield from free_names(node.empty or [], bound)
            case tree.Include():
                for argument in node.arguments:
                    yield from names_in(argument.value, bound)
                yield from free_names(node.body, bound)
            case tree.Into():
                yield from free_names(node.body, bound)
            case tree.Slot():
                yield from free_names(node.fallback or [], bound)


def names_in(expression: tree.Expression, bound: frozenset[str] = frozenset()) -> Iterator[Read]:
    """Yield the names that an expression reads from outside."""
    todo = [(expression, False)]
    while todo:
        node, maybe = todo.pop(0)
        if isinstance(node, tree.Name) and node.name not in bound:
            yield node, maybe
        if isinstance(node, tree.Otherwise):
            todo[:0] = [(node.value, True), (node.fallback, maybe)]
        else:
            # "a?" lets the name itself be missing; in "a.b?" the first name must be there.
            lenient = isinstance(node, tree.Maybe) and isinstance(node.value, tree.Name)
            paths = maybe and isinstance(node, tree.Attribute | tree.Item | tree.Filter)
            todo[:0] = [(child, lenient or paths) for child in tree.children(node)]
