"""The grammar of types in ``takes`` and ``part``: annotations as Python writes them."""

from __future__ import annotations

from untor.language import tree
from untor.language.tokens import number_value, string_value
from untor.types.parameter_types import NAMES, TYPES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.language.expressions import ExpressionParser
    from untor.language.tokens import SyntaxProblem

    Refuse = Callable[[str], SyntaxProblem]
    """Returns the exception for what is wrong at the next token."""

DEEPEST = 20
"""How deep brackets of a type may be nested."""

KNOWN = frozenset({"|", "None", "Optional", "Union", "Literal", "Annotated", *NAMES, *TYPES})
"""Names in types that need no ``Engine(types=…)``."""

_CONSTANTS = {"None": None, "True": True, "False": False}


def annotation(parser: ExpressionParser, refuse: Refuse, depth: int = 0) -> tree.Annotation:
    """Read a type: ``str``, ``list[Call]``, ``Call | None``, ``Literal["in", "out"]``. Raises ``SyntaxProblem``."""
    members = [_single(parser, refuse, depth)]
    while parser.accept("|"):
        members.append(_single(parser, refuse, depth))
    return members[0] if len(members) == 1 else tree.Annotation(members[0].start, members[-1].end, "|", members)


def _single(parser: ExpressionParser, refuse: Refuse, depth: int) -> tree.Annotation:
    token = parser.token
    if token.kind != "name" and token.text != "None":
        raise refuse(f"a type is missing after the {'colon' if depth == 0 else 'bracket or comma'}")
    parser.take()
    name, end = token.text, token.end
    while parser.accept("."):
        if parser.token.kind != "name":
            raise refuse("a name is missing after the dot")
        name, end = f"{name}.{parser.token.text}", parser.take().end
    node = tree.Annotation(token.start, end, name)
    if opened := parser.accept("["):
        if depth >= DEEPEST:
            raise refuse(f"more than {DEEPEST} brackets are nested")
        is_literal = name.rpartition(".")[2] == "Literal"
        while True:
            node.arguments.append(_literal(parser, refuse) if is_literal else annotation(parser, refuse, depth + 1))
            if not parser.accept(",") or parser.token.text == "]":
                break
        node.end = parser.expect("]", opened).end
    return node


def _literal(parser: ExpressionParser, refuse: Refuse) -> tree.Annotation:
    """Read a value of ``Literal``."""
    token = parser.token
    value: str | float | bool | None
    if token.kind == "string":
        value = string_value(parser.source, token)
    elif token.kind == "number" and token.text.isdigit():
        value = number_value(parser.source, token)
    elif token.text in _CONSTANTS:
        value = _CONSTANTS[token.text]
    else:
        raise refuse("Literal has strings, integers, True, False or None in its brackets")
    parser.take()
    return tree.Annotation(token.start, token.end, "", [], value)


def checked_type(node: tree.Annotation) -> tuple[str, bool]:
    """Return what is checked when a value is passed, and whether it may be ``None``.

    The first is one of ``TYPES``, or several with ``|`` between them; classes are checked by ``untor check`` only.
    """
    kinds, is_optional = _kinds(node)
    return ("any" if "any" in kinds or not kinds else " | ".join(sorted(kinds))), is_optional


def _kinds(node: tree.Annotation) -> tuple[set[str], bool]:
    name = node.name.rpartition(".")[2]
    if name == "None":
        return set(), True
    if name in {"|", "Union", "Optional"}:
        found = [_kinds(each) for each in node.arguments]
        kinds = {kind for inner, _ in found for kind in inner}
        return kinds, name == "Optional" or any(is_optional for _, is_optional in found)
    if name == "Literal":
        values = [each.value for each in node.arguments]
        return {type(value).__name__ for value in values if value is not None}, None in values
    if name == "Annotated" and node.arguments:
        return _kinds(node.arguments[0])
    return {NAMES.get(name, name if name in TYPES else "any")}, False


def unknown_name(node: tree.Annotation, known: frozenset[str]) -> tree.Annotation | None:
    """Return the first part of a type that is neither one of ours nor one of the site's; ``None`` for none."""
    todo = [node]
    while todo:
        each = todo.pop(0)
        if each.name and each.name not in known and each.name.rpartition(".")[2] not in KNOWN:
            return each
        todo[:0] = each.arguments
    return None
