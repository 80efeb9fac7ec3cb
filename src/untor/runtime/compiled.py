"""The results of code generation, importable without it."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from types import CodeType
    from typing import Any, NamedTuple

    from untor.diagnostics.source import Source

    Place = tuple[str, int, int, str, str]
    """A file, the offsets of what is done there, and, where it is a filter or a call, which of the two and its name."""
    LoopTable = tuple[int, int, int, int, bool]
    """A loop's collection, what is done for each item (offsets), and whether the loop looks one item ahead."""
    FunctionTable = tuple[str, tuple[int, ...], tuple[tuple[str, int], ...], tuple[LoopTable, ...]]
    """A function's name; where it begins, how many slots, loops, contents and parameters it has; variables; loops."""

    class CompiledCode(NamedTuple):
        """Code that defines the entry function, and what it needs.

        ``escapers``, ``filters`` and ``globals`` are the names it reads; ``calls`` has where (file, and Python's line
        and column) it calls a filter or a function; ``loops`` by which variables they take their items from;
        ``sources`` are the templates it was made of, by file.
        """

        code: CodeType
        escapers: frozenset[str]
        filters: frozenset[str]
        globals: frozenset[str]
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
        places: dict[int, Place]
        sources: dict[str, Source]

    Code = CompiledCode | CompiledProgram
else:  # typing is not loaded to render a page
    CompiledCode = namedtuple("CompiledCode", "code escapers filters globals calls loops sources")  # noqa: PYI024
    CompiledProgram = namedtuple("CompiledProgram", "code functions joins names constants links inputs places sources")  # noqa: PYI024
