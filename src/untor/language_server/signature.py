"""The call that the cursor is in: its parameters, and which one is being written."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lsprotocol import types as lsp

from untor.language_server.completion import called_parameters, open_call
from untor.language_server.hover import about_function, parameter_shape, parameters_of
from untor.language_server.marks import mark_before

if TYPE_CHECKING:
    from untor.language.tokens import Token
    from untor.language_server.workspace import Document


def signature(document: Document, offset: int) -> lsp.SignatureHelp | None:
    """Return the signature of the filter, function, template or part whose arguments an offset is in."""
    mark = mark_before(document.source, document.marks, offset)
    if mark is None:
        return None
    found = open_call(mark.tokens)
    if found is not None:
        name, index, is_filter = found
        settings = document.site.settings
        function = settings.filters.get(name) if is_filter else settings.everywhere.get(name)
        if not callable(function):
            return None
        parameters = parameters_of(function, is_filter=is_filter)
        label = f"{name}({', '.join(parameters)})"
        return _help(label, parameters, _active(mark.tokens, parameters, index), about_function(name, function))
    calls = document.site.kept.site.calls(document.reading)
    node = next((node for node in calls if node.start == mark.start), None)
    if mark.word not in {"include", "use", "layout"} or node is None or node.target.end >= offset:
        return None
    parameters = [parameter_shape(owner, each) for owner, each in called_parameters(document, node.target)]
    commas = sum(token.text == "," for token in mark.tokens)
    label = f"{mark.word} {node.target}{' ' if parameters else ''}{', '.join(parameters)}"
    return _help(label, parameters, _active(mark.tokens, parameters, commas), "")


def _active(tokens: list[Token], parameters: list[str], index: int) -> int:
    """Return which parameter an argument is for: the one that it names, else the one at its place."""
    for number in range(len(tokens) - 1, 0, -1):
        if tokens[number].text in {",", "("}:
            break
        if tokens[number].text == "=":
            name = tokens[number - 1].text
            named = [
                at for at, each in enumerate(parameters) if each.partition("=")[0].partition(":")[0].strip() == name
            ]
            return named[0] if named else index
    return index


def _help(label: str, parameters: list[str], active: int, about: str) -> lsp.SignatureHelp:
    shown = [lsp.ParameterInformation(label=each) for each in parameters]
    text = lsp.MarkupContent(lsp.MarkupKind.Markdown, about) if about else None
    one = lsp.SignatureInformation(label=label, documentation=text, parameters=shown)
    return lsp.SignatureHelp([one], active_signature=0, active_parameter=active)
