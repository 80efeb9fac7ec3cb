"""The grammar of the steps for composition: layout, slot, into, include, use, part, takes."""

from __future__ import annotations

from untor.diagnostics import hints
from untor.diagnostics.problem import Problem
from untor.diagnostics.wording import with_article
from untor.language import tree
from untor.language.annotations import annotation, checked_type
from untor.language.keywords import STEPS
from untor.language.tokens import SyntaxProblem, string_value
from untor.types.parameter_types import type_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.language.expressions import ExpressionParser
    from untor.language.scanner import Mark


def shape_problem(mark: Mark, parser: ExpressionParser, trouble: str, before: str = "") -> SyntaxProblem:
    """Return the exception for a malformed step; ``before`` is a word before the place that may be the mistake."""
    token = parser.token
    place = (token.start, token.end) if token.kind != "end" else (mark.start, mark.end)
    word = mark.word.removesuffix("-else")
    shape, more, _ = STEPS[word].partition(" !> …")
    shape += " !>" if more else ""
    known = hints.SHAPES.get(word, {})
    hint = known.get(token.text if token.kind != "end" else "") or known.get(before)
    return SyntaxProblem(
        Problem("step-shape", parser.source, *place, hint=hint, word=word, trouble=trouble, shape=shape)
    )


def new_name(mark: Mark, parser: ExpressionParser, *, ignorable: bool = False) -> str:
    """Read a name that a step gives to something."""
    token = parser.token
    if token.kind == "word":
        raise shape_problem(mark, parser, f'"{token.text}" cannot be a name')
    if token.kind != "name":
        raise shape_problem(mark, parser, "a name is missing")
    if token.text.startswith("_") and not (ignorable and token.text == "_"):
        raise parser.problem("name-private", token.start, token.end, word=token.text)
    return parser.take().text


def target(mark: Mark, parser: ExpressionParser, *, parts: bool) -> tree.Target:
    """Read what is called: a file's name in quotes or, where ``parts`` can be, ``NAME`` or ``NAME from "FILE"``."""
    token = parser.token
    if parts and token.kind == "name":
        part = new_name(mark, parser)
        if parser.token.kind == "name" and parser.token.text == "from":
            parser.take()
            named = parser.token
            return tree.Target(token.start, named.end, part, _file_name(mark, parser), named.start, named.end)
        return tree.Target(token.start, token.end, part, "")
    return tree.Target(token.start, token.end, "", _file_name(mark, parser), token.start, token.end)


def _file_name(mark: Mark, parser: ExpressionParser) -> str:
    if parser.token.kind != "string":
        raise shape_problem(mark, parser, "the name of a template is missing, in quotes")
    return string_value(parser.source, parser.take())


def arguments(mark: Mark, parser: ExpressionParser, arguments: list[tree.Argument]) -> None:
    """Read ``name=value, name`` to the end of the mark, into a list that keeps what is before a problem."""
    while parser.token.kind != "end":
        token = parser.token
        name = new_name(mark, parser)
        if any(argument.name == name for argument in arguments):
            raise parser.problem("argument-repeated", token.start, token.end, word=name)
        value: tree.Expression = tree.Name(token.start, token.end, name)
        if parser.accept("="):
            value = parser.expression()
        arguments.append(tree.Argument(token.start, value.end, name, value))
        if not parser.accept(","):
            break
    if parser.token.kind != "end":
        trouble = "arguments are NAME=VALUE, or NAME alone, with commas between them"
        raise shape_problem(mark, parser, trouble, arguments[0].name)


def parameters(mark: Mark, parser: ExpressionParser, parameters: list[tree.Parameter], *, closing: str = "") -> None:
    """Read ``NAME: TYPE = DEFAULT, …`` to the closing bracket or the end of the mark, into a list."""
    while parser.token.kind != "end" and not (closing and parser.token.text == closing):
        token = parser.token
        name = new_name(mark, parser)
        if any(parameter.name == name for parameter in parameters):
            raise parser.problem("argument-repeated", token.start, token.end, word=name)
        kind, is_optional, read = "", False, None
        if parser.accept(":"):
            read = annotation(parser, lambda trouble: shape_problem(mark, parser, trouble))
            kind, is_optional = checked_type(read)
        default = parser.expression() if parser.accept("=") else None
        if isinstance(default, tree.Constant):
            is_optional |= default.value is None
            wanted, fits = type_of(kind or "any")
            if default.value is not None and not fits(default.value):
                words = {"word": name, "wanted": wanted, "what": with_article(type(default.value).__name__)}
                raise SyntaxProblem(Problem("default-type", parser.source, default.start, default.end, **words))
        parameters.append(tree.Parameter(token.start, token.end, name, kind, default, is_optional, read))
        if not parser.accept(","):
            break
