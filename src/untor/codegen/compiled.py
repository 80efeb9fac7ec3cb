"""The result of code generation, importable without it."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from types import CodeType
    from typing import NamedTuple

    from untor.diagnostics.source import Source

    class CompiledCode(NamedTuple):
        """Code that defines the entry function, and what it needs.

        ``escapers``, ``filters`` and ``globals`` are the names it reads; ``calls`` tells where (file, and Python's line
        and column) it calls a filter or a function, ``reads`` (with the end too) where it reads a name of a variable;
        ``sources`` are the templates it was made of, by file.
        """

        code: CodeType
        escapers: frozenset[str]
        filters: frozenset[str]
        globals: frozenset[str]
        calls: dict[tuple[str, int, int], tuple[str, str]]
        reads: dict[tuple[str, int, int, int, int, bool], tuple[str, str]]
        sources: dict[str, Source]
else:  # typing is not loaded to render a page
    CompiledCode = namedtuple("Built", "code escapers filters globals calls reads sources")
