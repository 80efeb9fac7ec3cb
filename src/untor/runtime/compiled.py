"""The results of code generation, importable without it."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from types import CodeType
    from typing import Any, NamedTuple

    from untor.diagnostics.source import Source

    Place = tuple[str, int, int, str, str]
    """A file, the offsets of what is done there, and, where it is a filter or a call, which of the two and its name."""
    Places = tuple[bytes, tuple[str, ...], bool]
    """Places by the steps that they are of: six integers for each, the texts that they name, and whether the integers
    are compressed."""
    LoopTable = tuple[int, int, int, int, bool]
    """A loop's collection, what is done for each item (offsets), and whether the loop looks one item ahead."""
    FunctionTable = tuple[str, tuple[int, ...], tuple[tuple[str, int], ...], tuple[LoopTable, ...]]
    """A function's name; where it begins, how many slots, loops, contents and parameters it has; variables; loops."""

    class CompiledCode(NamedTuple):
        """Code that defines the entry function, and what it needs.

        ``escapers``, ``filters``, ``globals`` and ``inputs`` are the names it reads (the last two are the engine's,
        where the page's context is out of reach, and those of the context); ``calls`` has where (file, and Python's
        line and column) it calls a filter or a function; ``loops`` by which variables they take their items from;
        ``sources`` are the templates it was made of, by file.
        """

        code: CodeType
        escapers: frozenset[str]
        filters: frozenset[str]
        globals: frozenset[str]
        inputs: frozenset[str]
        calls: dict[tuple[str, int, int], tuple[str, str]]
        loops: dict[str, LoopTable]
        sources: dict[str, Source]

    class CompiledProgram(NamedTuple):
        """A program of the extension, and what it needs.

        ``code`` are its steps, as integers of the machine; ``links`` has the constants that are looked up when it is
        loaded; ``places`` where in a template a step, or a value that it writes, comes from.
        """

        code: bytes
        functions: tuple[FunctionTable, ...]
        joins: tuple[tuple[tuple[str, ...], bytes, tuple[tuple[str, str] | None, ...]], ...]
        names: tuple[str, ...]
        constants: tuple[Any, ...]
        links: dict[int, str]
        inputs: tuple[str, ...]
        places: Places
        sources: dict[str, Source]

    Code = CompiledCode | CompiledProgram
else:  # typing is not loaded to render a page
    CompiledCode = namedtuple("CompiledCode", "code escapers filters globals inputs calls loops sources")  # noqa: PYI024
    CompiledProgram = namedtuple("CompiledProgram", "code functions joins names constants links inputs places sources")  # noqa: PYI024


def sharing(program: CompiledProgram, known: dict[object, Any]) -> CompiledProgram:
    """Return the same program, with those of its tables and texts that are known already in place of its own."""
    one = known.setdefault
    joins = tuple(
        [
            (tuple([one(text, text) for text in texts]), one(kinds, kinds), one(edges, edges))
            for texts, kinds, edges in program.joins
        ]
    )
    functions = tuple([one(each, each) for each in program.functions])
    tables: dict[str, Any] = {
        "code": program.code,
        "names": program.names,
        "inputs": program.inputs,
        "places": program.places,
    }
    tables = {name: one(table, table) for name, table in {**tables, "functions": functions}.items()}
    return program._replace(joins=joins, **tables)


def without_steps(program: CompiledProgram) -> CompiledProgram:
    """Return what is needed of a program that has been loaded: where its steps come from."""
    return program._replace(code=b"", joins=(), names=(), constants=(), links={}, inputs=())


_NUMBERS = 6
_WORTH_COMPRESSING = 2000
"""How many bytes a table has that takes much less room compressed; a shorter one would take longer than it is worth."""


def packed(numbers: Sequence[int], texts: Iterable[str]) -> Places:
    """Return places, one after another as their steps are, in little room: they are needed only for what is wrong."""
    from struct import pack  # noqa: PLC0415  only to compile

    table = pack(f"{len(numbers)}i", *numbers)
    if len(table) < _WORTH_COMPRESSING:
        return table, tuple(texts), False
    from zlib import compress  # noqa: PLC0415

    return compress(table), tuple(texts), True


def place_at(places: Places, at: int) -> Place | None:
    """Return the place of a step; ``None`` for one without any."""
    from array import array  # noqa: PLC0415  only where something is wrong
    from bisect import bisect_left  # noqa: PLC0415

    table, texts, is_compressed = places
    if is_compressed:
        from zlib import decompress  # noqa: PLC0415

        table = decompress(table)
    numbers = array("i", table)
    steps = numbers[::_NUMBERS]
    found = bisect_left(steps, at)
    if found == len(steps) or steps[found] != at:
        return None
    start, end, *names = numbers[found * _NUMBERS + 1 : (found + 1) * _NUMBERS]
    file, kind, word = (texts[name] for name in names)
    return file, start, end, kind, word
