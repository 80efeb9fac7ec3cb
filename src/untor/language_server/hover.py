"""What is under the cursor: a value with its type and escaping, a filter, a step, a template."""

from __future__ import annotations

import inspect
from typing import TYPE_CHECKING

from untor.analysis.names import POSITION
from untor.explain.printed_values import context_in_words, value_of
from untor.language import tree
from untor.language.keywords import STEPS
from untor.language.tokens import KEYWORDS
from untor.language.unreadable import tokens_before
from untor.language_server.marks import mark_at
from untor.language_server.words import STEP_HELP
from untor.types.model import ANY, shown

if TYPE_CHECKING:
    from untor.language.scanner import Mark
    from untor.language.tokens import Token
    from untor.language_server.workspace import Document

_KINDS = {
    "parameter": "parameter",
    "loop": "loop item",
    "position": "position of the loop",
    "let": "named value",
    "count": "counted value of the message",
    "context": "value of the page",
}


def hover(document: Document, offset: int) -> tuple[str, int, int] | None:
    """Return Markdown about what is at an offset, and the span that it is about; ``None`` for plain text."""
    mark = mark_at(document.marks, offset)
    if mark is None or mark.word in {"note", "end-verbatim"}:
        return None
    source = document.source
    if mark.kind == "step" and offset < mark.inner_start:
        word = mark.word.removesuffix("-else")
        return f"```\n{STEPS[word]}\n```\n{STEP_HELP[word]}", mark.start, mark.inner_start
    tokens = tokens_before(source, mark.inner_start, mark.inner_end)
    index = next((number for number, each in enumerate(tokens) if each.start <= offset < each.end), None)
    if index is None or tokens[index].kind == "operator":
        # A cursor after a word is at that word.
        index = next((number for number, each in enumerate(tokens) if each.end == offset and each.kind != "end"), index)
    if index is None:
        return (_printed(document, mark), mark.start, mark.end) if mark.kind == "print" else None
    token = tokens[index]
    before = tokens[index - 1].text if index else ""
    text = _about(document, token, before)
    if mark.kind == "print" and (printed := _printed(document, mark)):
        text = f"{text}\n\n{printed}" if text else printed
    return (text, token.start, token.end) if text else None


def _about(document: Document, token: Token, before: str) -> str:
    """Return what one word of a mark is."""
    filters = document.site.settings.filters
    if before == "|" and token.text in filters:
        return about_function(f"value | {token.text}", filters[token.text], is_filter=True)
    if token.kind == "string":
        target = next((each for each in targets(document) if each.file_start == token.start), None)
        called = document.site.named(target.file) if target else None
        return f"```\n{shape_of(called)}\n```" if called else ""
    if token.kind not in {"name", "word"} or (token.text in KEYWORDS and before != "."):
        return ""
    target = next((each for each in targets(document) if each.start == token.start and each.part), None)
    if target is not None:
        part = part_of(document, target)
        return f"```\npart {signature_of(part)}\n```" if part else ""
    page = document.page
    seen = page.at(document.name, token.start) if page else None
    kind = "" if seen is None or seen.type == ANY else shown(seen.type)
    binding = document.names.at(token.start) if before != "." else None
    if binding is None:
        if seen is None or not isinstance(seen.node, tree.Attribute):
            return ""
        return f"```\n{token.text}: {kind or 'any'}\n```"
    if page is not None and not kind:
        known = page.type_of_binding(document, binding)
        kind = "" if known == ANY else shown(known)
    everywhere = document.site.settings.everywhere
    if binding.kind == "context" and token.text in everywhere:
        value = everywhere[token.text]
        return about_function(token.text, value) if callable(value) else f"```\n{token.text}: {kind or 'any'}\n```"
    if binding.kind == "position":
        return f"```\n{token.text}\n```\nThe position of the loop. It has {', '.join(sorted(POSITION))}."
    if isinstance(binding.owner, tree.Parameter):
        return f"```\n{parameter_shape(document, binding.owner)}\n```\n{_KINDS[binding.kind].capitalize()}."
    return f"```\n{token.text}: {kind or 'any'}\n```\n{_KINDS[binding.kind].capitalize()}."


def _printed(document: Document, mark: Mark) -> str:
    """Say where the value of a print mark is printed, and how it is escaped there."""
    page = document.page
    lines: list[str] = []
    for placement in page.placements(document.name, mark.start, mark.end, document.source) if page else []:
        done = "; ".join(value_of(0, placement, "").done)
        line = f"**{context_in_words(placement)}**: {done}"
        if line not in lines:
            lines.append(line)
    return "\n\n".join(lines)


def about_function(name: str, function: object, *, is_filter: bool = False) -> str:
    """Return the signature of a function, and its docstring."""
    text = inspect.getdoc(function) or ""
    return f"```\n{name}{arguments_of(function, is_filter=is_filter)}\n```\n{text.replace('``', '`')}".rstrip()


def arguments_of(function: object, *, is_filter: bool = False) -> str:
    """Return the parameters of a function as they are written, in brackets; of a filter, without its value."""
    parameters = parameters_of(function, is_filter=is_filter)
    return f"({', '.join(parameters)})" if parameters or not is_filter else ""


def parameters_of(function: object, *, is_filter: bool = False) -> list[str]:
    """Return the parameters of a function as they are written."""
    try:
        signature = inspect.signature(function)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return []
    parameters = [each.replace(annotation=each.empty) for each in signature.parameters.values()]
    shown_ones = [str(each) for each in (parameters[1:] if is_filter else parameters)]
    first = next((number for number, each in enumerate(parameters) if each.kind == each.KEYWORD_ONLY), None)
    if first is not None and not any(each.kind == each.VAR_POSITIONAL for each in parameters):
        shown_ones.insert(first - is_filter, "*")
    return shown_ones


# --- templates and parts ---------------------------------------------------------------------------------------------


def targets(document: Document) -> list[tree.Target]:
    """Return what the steps of a template call."""
    return [node.target for node in document.site.kept.site.calls(document.reading)]


def part_of(document: Document, target: tree.Target) -> tuple[Document, tree.Part] | None:
    """Return the part that a step calls, with its template."""
    owner = document.called(target)
    part = owner.reading.parts.get(target.part) if owner else None
    return (owner, part) if owner and part else None


def signature_of(part: tuple[Document, tree.Part]) -> str:
    """Return a part as it is defined."""
    owner, node = part
    return f"{node.name}({', '.join(parameter_shape(owner, each) for each in node.parameters)})"


def shape_of(document: Document) -> str:
    """Return a template with what it takes, and its slots."""
    taken = document.reading.takes.parameters if document.reading.takes else []
    return "\n".join([document.name, *(f"  {parameter_shape(document, each)}" for each in taken)])


def parameter_shape(document: Document, parameter: tree.Parameter) -> str:
    """Return a parameter as it is written: name, type and default."""
    return " ".join(document.source.text[parameter.start : _end_of(parameter)].split()).rstrip(" ,)")


def _end_of(parameter: tree.Parameter) -> int:
    ends = [parameter.end]
    ends += [parameter.annotation.end] if parameter.annotation else []
    ends += [parameter.default.end] if parameter.default else []
    return max(ends)
