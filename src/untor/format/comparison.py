"""Whether two spellings of a template are one page: their trees, and their compiled programs."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import TYPE_CHECKING

from untor.format.blank_lines import is_blank, is_dropped

if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.compiler.compiler import Compiler
    from untor.language.parser import ParsedTemplate


class Difference(Exception):  # noqa: N818  says what there is
    """Another spelling would be another page: a mistake in the formatter."""


_PLACES = frozenset(
    """start end name_start name_starts position_start file_start file_end content_end plural_place""".split(),
)
"""Fields of nodes that say where something is written."""


def compare(before: ParsedTemplate, after: ParsedTemplate, compiler: Compiler | None = None) -> None:
    """Require that two templates are the same page. Raises ``Difference``."""
    if [problem.code for problem in before.problems] != [problem.code for problem in after.problems]:
        raise Difference("other problems")
    first, second = _facts(before), _facts(after)
    while True:
        one, other = next(first, None), next(second, None)
        if one != other:
            raise Difference(f"{one!r} became {other!r}")
        if one is None:
            break
    if compiler is not None and not before.problems and _program(before, compiler) != _program(after, compiler):
        raise Difference("another program")


def _facts(reading: ParsedTemplate) -> Iterator[tuple[object, ...]]:
    """Yield all that a tree says, except places."""
    body = [node for node in reading.body if not is_blank(node)] if is_dropped(reading) else reading.body
    todo: list[object] = [reading.layout, reading.takes, body, reading.parts]
    while todo:
        each = todo.pop()
        if isinstance(each, list | tuple):
            yield "many", len(each)
            todo += reversed(each)
        elif isinstance(each, dict):
            yield "keys", *each
            todo += reversed(each.values())
        elif is_dataclass(each):
            yield ("node", type(each).__name__)
            todo += [getattr(each, field.name) for field in reversed(fields(each)) if field.name not in _PLACES]
        else:
            yield type(each).__name__, each


def _program(reading: ParsedTemplate, compiler: Compiler) -> object:
    """Return the program of a template, without where its steps are written; what is wrong with it if it has none."""
    from untor.codegen.program import build_program  # noqa: PLC0415  only to compare

    planned = compiler.analysed(reading, collects=True)
    if planned.problems:
        return [problem.code for problem in planned.problems]
    program = build_program(planned, lenient=compiler.settings.lenient)
    functions = [(name, sizes, variables) for name, sizes, variables, _ in program.functions]
    return program.code, functions, program.joins, program.names, program.constants, program.links, program.inputs
