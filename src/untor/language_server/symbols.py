"""The outline of a template, what is in all templates by name, what can be folded, and links between files."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lsprotocol import types as lsp

from untor.language import tree
from untor.language.keywords import BLOCKS

if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.language.scanner import Mark
    from untor.language_server.workspace import Document

Kind = lsp.SymbolKind
_MOST = 1000


def spans(marks: list[Mark], size: int) -> list[tuple[Mark, Mark | None, int]]:
    """Return the steps with content: the mark that begins each, the one that ends it, and where it ends.

    Branches are among them: each ends where the next begins.
    """
    found: list[tuple[Mark, Mark | None, int]] = []
    open_: list[tuple[Mark, Mark]] = []
    for mark in marks:
        if mark.kind not in {"step", "broken"}:
            continue
        if mark.word in BLOCKS or mark.word == "verbatim":
            open_.append((mark, mark))
        elif mark.word in {"else", "elif", "between"} and open_:
            first, last = open_[-1]
            found.append((last, mark, mark.start))
            open_[-1] = (first, mark)
        elif mark.word in {"end", "end-verbatim"} and open_:
            first, last = open_.pop()
            if last is not first:
                found.append((last, mark, mark.start))
            found.append((first, mark, mark.end))
    found += [(first, None, size) for first, _ in open_]
    return sorted(found, key=lambda each: (each[0].start, each[2]))


def open_steps(marks: list[Mark], offset: int) -> list[str]:
    """Return the keywords of the steps that are open at an offset, the innermost first."""
    open_: list[str] = []
    for mark in marks:
        if mark.kind not in {"step", "broken"} or mark.start >= offset:
            continue
        if mark.word in BLOCKS or mark.word == "verbatim":
            open_.insert(0, mark.word.removesuffix("-else"))
        elif mark.word in {"end", "end-verbatim"}:
            del open_[:1]
    return open_


def document_symbols(document: Document) -> list[lsp.DocumentSymbol]:
    """Return the outline of a template: what it takes, its layout, its parts, slots and contents."""
    reading, source = document.reading, document.source
    ends = {first.start: end for first, _, end in spans(document.marks, len(source.text))}

    def symbol(name: str, kind: Kind, node: tree.Node, start: int, detail: str = "") -> lsp.DocumentSymbol:
        shown = name or "(main)"
        last = max(ends.get(node.start, node.end), start + len(name))
        inner = document.range(start, max(start + len(name), start))
        return lsp.DocumentSymbol(shown, kind, document.range(min(node.start, start), last), inner, detail, children=[])

    def inside(nodes: list[tree.Node]) -> Iterator[lsp.DocumentSymbol]:
        for node in nodes:
            within = [*inside(tree.inside(node))]
            if isinstance(node, tree.Slot | tree.Into | tree.Let):
                kinds = {tree.Slot: Kind.Field, tree.Into: Kind.Object, tree.Let: Kind.Variable}
                found = symbol(node.name, kinds[type(node)], node, node.name_start, getattr(node, "word", "let"))
                found.children = within
                yield found
            else:
                yield from within

    found = []
    if reading.layout:
        found.append(
            symbol(str(reading.layout.target), Kind.Module, reading.layout, reading.layout.target.start, "layout")
        )
    taken = reading.takes.parameters if reading.takes else []
    found += [symbol(each.name, Kind.Property, each, each.start, "takes") for each in taken]
    for part in reading.parts.values():
        each = symbol(part.name, Kind.Function, part, part.name_start, "part")
        each.children = [*inside(part.body)]
        found.append(each)
    return sorted([*found, *inside(reading.body)], key=lambda each: (each.range.start.line, each.range.start.character))


def workspace_symbols(documents: list[Document], query: str) -> list[lsp.WorkspaceSymbol]:
    """Return templates, parts and slots whose names have the letters of a query in order."""
    found: list[lsp.WorkspaceSymbol] = []
    for document in documents:
        names = [(document.name, Kind.File, 0)]
        names += [(part.name, Kind.Function, part.name_start) for part in document.reading.parts.values()]
        names += [(slot.name, Kind.Field, slot.name_start) for slot in slot_nodes(document) if slot.name]
        for name, kind, start in names:
            if _matches(name.lower(), query.lower()):
                end = start + (len(name) if start else 0)
                where = lsp.Location(document.uri, document.range(start, end))
                container = None if kind == Kind.File else document.name
                found.append(lsp.WorkspaceSymbol(location=where, name=name, kind=kind, container_name=container))
    return found[:_MOST]


def _matches(name: str, query: str) -> bool:
    letters = iter(name)
    return all(letter in letters for letter in query)


def slot_nodes(document: Document) -> list[tree.Slot]:
    """Return the slots of a template, also those in its parts."""
    found: list[tree.Slot] = []
    todo: list[tree.Node] = [*document.reading.body, *document.reading.parts.values()]
    while todo:
        node = todo.pop()
        if isinstance(node, tree.Slot):
            found.append(node)
        todo += tree.inside(node)
    return found


def folding(document: Document) -> list[lsp.FoldingRange]:
    """Return the lines of steps with content, branches and remarks that can be folded."""
    source = document.source
    found: dict[int, lsp.FoldingRange] = {}
    for first, last, end in spans(document.marks, len(source.text)):
        start = source.position(first.end)[0] - 1
        stop = source.position(last.start if last else end)[0] - 1
        if last is not None:
            stop -= 1  # the line of what ends it is seen
        if stop > start and start not in found:
            found[start] = lsp.FoldingRange(start, stop)
    for note in document.reading.notes:
        start, stop = source.position(note.start)[0] - 1, source.position(note.end)[0] - 1
        if stop > start and start not in found:
            found[start] = lsp.FoldingRange(start, stop, kind=lsp.FoldingRangeKind.Comment)
    return [*found.values()]


def links(document: Document) -> list[lsp.DocumentLink]:
    """Return the names of templates in steps, as links to their files."""
    found = []
    for node in document.site.kept.site.calls(document.reading):
        called = document.site.named(node.target.file) if node.target.file else None
        if called is not None:
            where = document.range(node.target.file_start + 1, node.target.file_end - 1)
            found.append(lsp.DocumentLink(where, target=called.uri, tooltip=called.name))
    return found
