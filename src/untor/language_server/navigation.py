"""What is written at a place, where it is defined, and where else it is written: in all templates of the site."""

from __future__ import annotations

import inspect
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from lsprotocol import types as lsp

from untor.language import tree
from untor.language_server.symbols import slot_nodes
from untor.language_server.workspace import uri_of
from untor.types.model import Instance, members_of, without_none

if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.language_server.names import Binding
    from untor.language_server.workspace import Document


class Place(NamedTuple):
    """A name as it is written in a template; ``instead`` is what a new name is written as, with ``{}`` for it."""

    document: Document
    start: int
    end: int
    instead: str = "{}"


@dataclass(frozen=True)
class Symbol:
    """Something with a name: ``name``, ``part``, ``slot`` or ``template``, and the template that defines it.

    Of a name, ``binding`` says what it is; a slot may be that of a ``part``.
    """

    kind: str
    owner: Document
    name: str
    binding: Binding | None = None
    part: str = ""


def symbol_at(document: Document, offset: int) -> Symbol | None:
    """Return what is written at an offset, or right before it."""
    for node in document.site.kept.site.calls(document.reading):
        target = node.target
        if target.part and target.start <= offset <= target.start + len(target.part):
            owner = document.called(target)
            return Symbol("part", owner, target.part) if owner and target.part in owner.reading.parts else None
        if target.file and target.file_start <= offset <= target.file_end:
            owner = document.site.named(target.file)
            return Symbol("template", owner, owner.name) if owner else None
        for argument in node.arguments:
            if argument.start <= offset <= argument.start + len(argument.name) and not _is_short(argument):
                return parameter_of(document, target, argument.name)
    for part in document.reading.parts.values():
        if part.name_start <= offset <= part.name_start + len(part.name):
            return Symbol("part", document, part.name)
    for slot, part_name in _slots(document):
        if slot.name and slot.name_start <= offset <= slot.name_start + len(slot.name):
            return Symbol("slot", document, slot.name, part=part_name)
    for into, target in contents(document):
        if into.name_start <= offset <= into.name_start + len(into.name):
            owner = document.called(target)
            return Symbol("slot", owner, into.name, part=target.part) if owner else None
    binding = document.names.at(offset)
    return Symbol("name", document, binding.name, binding) if binding else None


def _is_short(argument: tree.Argument) -> bool:
    """Return whether an argument is written as its name alone."""
    return argument.value.start == argument.start


def parameter_of(document: Document, target: tree.Target, name: str) -> Symbol | None:
    """Return the parameter that an argument is for."""
    owner = document.called(target)
    if owner is None:
        return None
    wanted = owner.reading.parts.get(target.part)
    for binding in owner.names.bindings:
        if binding.name == name and _belongs(owner, binding, wanted):
            return Symbol("name", owner, name, binding)
    return None


def _belongs(owner: Document, binding: Binding, part: tree.Part | None) -> bool:
    """Return whether a name is a parameter of a part, or of the whole template."""
    if part is not None:
        return binding.kind == "parameter" and binding.owner in part.parameters
    if owner.reading.takes is not None:
        return binding.kind == "parameter" and binding.owner in owner.reading.takes.parameters
    return binding.kind == "context"


def _slots(document: Document) -> Iterator[tuple[tree.Slot, str]]:
    """Yield the slots of a template, each with the part that it is in, which is empty for none."""
    in_parts: set[int] = set()
    for part in document.reading.parts.values():
        todo: list[tree.Node] = [*part.body]
        while todo:
            node = todo.pop()
            todo += tree.inside(node)
            if isinstance(node, tree.Slot):
                in_parts.add(node.start)
                yield node, part.name
    for slot in slot_nodes(document):
        if slot.start not in in_parts:
            yield slot, ""


def contents(document: Document) -> Iterator[tuple[tree.Into, tree.Target]]:
    """Yield the contents for slots in a template, each with what it is content for."""
    layout = document.reading.layout
    todo: list[tuple[tree.Node, tree.Target | None]] = []
    todo += [(node, layout.target if layout else None) for node in document.reading.body]
    todo += [(node, None) for part in document.reading.parts.values() for node in part.body]
    while todo:
        node, target = todo.pop()
        if isinstance(node, tree.Into) and target is not None:
            yield node, target
        inner = node.target if isinstance(node, tree.Include) else None
        todo += [(each, inner) for each in tree.inside(node)]


# --- where it is written ---------------------------------------------------------------------------------------------


def places(symbol: Symbol) -> list[Place]:
    """Return where something is written, its definition first."""
    return [*_places(symbol)]


def _users(document: Document) -> Iterator[Document]:
    """Yield the templates that use one, and itself."""
    names = {*document.site.kept.users(document.name), document.name}
    for name in sorted(names):
        user = document.site.document(name)
        if user is not None:
            yield user


def calls_of(owner: Document, part: str) -> Iterator[tuple[Document, tree.Layout | tree.Include]]:
    """Yield the steps that call a template or one of its parts."""
    for user in _users(owner):
        for node in user.site.kept.site.calls(user.reading):
            called = user.called(node.target)
            if called is not None and called.name == owner.name and node.target.part == part:
                yield user, node


def _places(symbol: Symbol) -> Iterator[Place]:
    owner, name = symbol.owner, symbol.name
    match symbol.kind:
        case "name":
            yield from _of_binding(symbol)
        case "part":
            start = owner.reading.parts[name].name_start
            yield Place(owner, start, start + len(name))
            for user, node in calls_of(owner, name):
                yield Place(user, node.target.start, node.target.start + len(name))
        case "slot":
            for slot, part in _slots(owner):
                if slot.name == name and part == symbol.part:
                    yield Place(owner, slot.name_start, slot.name_start + len(name))
            for user in _users(owner):
                for into, target in contents(user):
                    called = user.called(target)
                    if (
                        into.name == name
                        and called is not None
                        and (called.name, target.part) == (owner.name, symbol.part)
                    ):
                        yield Place(user, into.name_start, into.name_start + len(name))
        case "template":
            yield Place(owner, 0, 0)
            for user in _users(owner):
                for node in user.site.kept.site.calls(user.reading):
                    called = user.site.named(node.target.file) if node.target.file else None
                    if called is not None and called.name == owner.name:
                        yield Place(user, node.target.file_start + 1, node.target.file_end - 1)


def _of_binding(symbol: Symbol) -> Iterator[Place]:
    binding, owner = symbol.binding, symbol.owner
    assert binding is not None  # noqa: S101  a name has one
    short = {
        argument.start: argument.name
        for node in owner.site.kept.site.calls(owner.reading)
        for argument in node.arguments
        if _is_short(argument)
    }
    for start, end in binding.places:
        # An argument that is short for name=name goes on to have its own name.
        yield Place(owner, start, end, f"{short[start]}={{}}" if start in short else "{}")
    for part in ("", *owner.reading.parts):
        if _belongs(owner, binding, owner.reading.parts.get(part)):
            for user, node in calls_of(owner, part):
                for argument in node.arguments:
                    if argument.name == symbol.name:
                        end = argument.start + len(argument.name)
                        instead = f"{{}}={argument.name}" if _is_short(argument) else "{}"
                        yield Place(user, argument.start, end, instead)


# --- where it is defined ---------------------------------------------------------------------------------------------


def location(place: Place) -> lsp.Location:
    """Return a place as the protocol has it."""
    return lsp.Location(place.document.uri, place.document.range(place.start, place.end))


def definitions(document: Document, offset: int) -> list[lsp.Location]:
    """Return where what is at an offset is defined: in a template, or in Python."""
    symbol = symbol_at(document, offset)
    if symbol is None:
        return _of_attribute(document, offset)
    if symbol.kind != "name":
        return [location(place) for place in places(symbol)[:1]]
    assert symbol.binding is not None  # noqa: S101  a name has one
    if symbol.binding.kind != "context":
        start = symbol.binding.start
        return [location(Place(symbol.owner, start, start + len(symbol.name)))]
    value = document.site.settings.everywhere.get(symbol.name)
    return _of_python(value) if callable(value) else _declared(document, symbol.name)


def _declared(document: Document, name: str) -> list[lsp.Location]:
    """Return where the class of a page's inputs declares a value."""
    inputs = document.site.settings.inputs
    owner = inputs.get(document.name) or inputs.get(document.name.rpartition(".")[0])
    return _of_python(owner, name) if owner is not None else []


def _of_attribute(document: Document, offset: int) -> list[lsp.Location]:
    """Return where the class of a value declares the attribute at an offset; or the class, for the name of a type."""
    page = document.page
    seen = page.at(document.name, offset) if page else None
    if page is not None and seen is not None and isinstance(seen.node, tree.Attribute):
        for kind in members_of(without_none(page.of_node(document.name, seen.node.owner))):
            if isinstance(kind, Instance) and (found := _of_python(kind.cls, seen.node.name)):
                return found
    taken = document.reading.takes.parameters if document.reading.takes else []
    todo = [each.annotation for each in taken]
    todo += [each.annotation for part in document.reading.parts.values() for each in part.parameters]
    while todo:
        node = todo.pop()
        if node is None:
            continue
        todo += node.arguments
        if node.start <= offset <= node.start + len(node.name) and node.name in document.site.settings.types:
            return _of_python(document.site.settings.types[node.name])
    return []


def _of_python(value: object, attribute: str = "") -> list[lsp.Location]:
    """Return where a function or class is written, or an attribute of a class."""
    try:
        if attribute and isinstance(value, type):
            for cls in value.__mro__:
                if attribute in {*inspect.get_annotations(cls), *cls.__dict__}:
                    lines, first = inspect.getsourcelines(cls)
                    number = next((at for at, text in enumerate(lines) if _declares(text, attribute)), 0)
                    return [_line(inspect.getsourcefile(cls) or "", first - 1 + number)]
            return []
        unwrapped = inspect.unwrap(value)  # type: ignore[arg-type]
        _, first = inspect.getsourcelines(unwrapped)
        return [_line(inspect.getsourcefile(unwrapped) or "", max(first - 1, 0))]
    except (OSError, TypeError, ValueError):
        return []  # it is not written in Python, or its source is not there


def _declares(line: str, attribute: str) -> bool:
    text = line.strip()
    return text.startswith((f"{attribute}:", f"{attribute} ", f"{attribute}=", f"def {attribute}("))


def _line(path: str, number: int) -> lsp.Location:
    return lsp.Location(uri_of(path), lsp.Range(lsp.Position(number, 0), lsp.Position(number, 0)))
