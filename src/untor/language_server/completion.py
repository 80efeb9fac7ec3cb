"""What can be written at the cursor."""

from __future__ import annotations

import inspect
import re
from typing import TYPE_CHECKING

from lsprotocol import types as lsp

from untor.analysis.composition import slots_in
from untor.analysis.names import POSITION
from untor.language import tree
from untor.language.annotations import KNOWN as KNOWN_TYPES
from untor.language.keywords import STEPS
from untor.language_server.hover import about_function, arguments_of, parameter_shape, part_of, signature_of
from untor.language_server.marks import mark_before
from untor.language_server.symbols import open_steps
from untor.language_server.typed_page import fields, items
from untor.language_server.words import CONSTANTS, KEYED, OPERATORS, PATTERNS, SNIPPETS, STEP_HELP
from untor.types.model import ANY, Function, shown

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

    from untor.language.tokens import Token
    from untor.language_server.marks import TypedMark
    from untor.language_server.workspace import Document
    from untor.types.model import Type

_WORD_END = re.compile(r"[\w-]*\Z")
_CALLS = frozenset({"include", "use", "layout"})
_HIDDEN = frozenset({"|", "array", "number"})

Kind = lsp.CompletionItemKind


def completions(document: Document, offset: int, *, snippets: bool = False) -> list[lsp.CompletionItem]:
    """Return what can be written at an offset; an empty list where any text can."""
    mark = mark_before(document.source, document.marks, offset)
    if mark is None:
        return []
    completer = _Completer(document, mark, snippets=snippets)
    return [*completer.found()]


class _Completer:
    """Finds what can be written in one mark."""

    def __init__(self, document: Document, mark: TypedMark, *, snippets: bool) -> None:
        self.document = document
        self.mark = mark
        self.snippets = snippets
        self.settings = document.site.settings
        tokens = mark.tokens
        text = document.source.text
        if mark.string_start is not None:
            self.start = mark.string_start
        else:
            found = _WORD_END.search(text, mark.inner_start, mark.offset)
            self.start = found.start() if found else mark.offset
            if tokens and tokens[-1].end == mark.offset and tokens[-1].kind in {"name", "word", "number"}:
                tokens = tokens[:-1]
        self.tokens = tokens
        self.before = tokens[-1].text if tokens else ""

    def item(self, label: str, kind: Kind, text: str = "", *, detail: str = "", about: str = "") -> lsp.CompletionItem:
        """Return one thing to write; ``text`` may have places to fill in."""
        is_snippet = bool(text) and "$" in text
        if is_snippet and not self.snippets:
            text = re.sub(r"\$\{\d+:([^}]*)\}|\$\d+", r"\1", text)
            is_snippet = False
        where = self.document.range(self.start, self.mark.offset)
        return lsp.CompletionItem(
            label=label,
            kind=kind,
            detail=detail or None,
            documentation=lsp.MarkupContent(lsp.MarkupKind.Markdown, about) if about else None,
            insert_text_format=lsp.InsertTextFormat.Snippet if is_snippet else lsp.InsertTextFormat.PlainText,
            text_edit=lsp.TextEdit(where, text or label),
        )

    def found(self) -> Iterator[lsp.CompletionItem]:
        """Yield what can be written."""
        mark, word = self.mark, self.mark.word
        if mark.is_keyword:
            yield from self.steps()
        elif mark.string_start is not None:
            yield from self.strings()
        elif self.before == ".":
            yield from self.attributes()
        elif self.before == "|":
            yield from self.filters()
        elif word in {"takes", "part"} and self._is_in_type():
            yield from self.types()
        elif word == "end":
            yield from self.open_steps()
        elif word == "into":
            yield from self.slots()
        elif word in {"include", "use"} and not self.tokens:
            for part in self.document.reading.parts.values():
                yield self.item(part.name, Kind.Function, detail=signature_of((self.document, part)))
        elif word in _CALLS and self._is_at_argument():
            yield from self.parameters()
        elif self._binds():
            return
        else:
            yield from self.values()

    # --- steps -------------------------------------------------------------------------------------------------------

    def steps(self) -> Iterator[lsp.CompletionItem]:
        """Yield the keywords of steps."""
        text, end = self.document.source.text, self.mark.offset
        is_closed = text.startswith("!>", end) or text.startswith(" !>", end)
        blank = "" if text[self.start - 1 : self.start] != "!" else " "
        for step in STEPS:
            whole = step if is_closed else SNIPPETS[step]
            yield self.item(step, Kind.Keyword, f"{blank}{whole}", detail=STEP_HELP[step], about=f"`{STEPS[step]}`")

    def open_steps(self) -> Iterator[lsp.CompletionItem]:
        """Yield the step that an ``end`` here would end."""
        for word in open_steps(self.document.marks, self.mark.start):
            yield self.item(word, Kind.Keyword)

    def slots(self) -> Iterator[lsp.CompletionItem]:
        """Yield the slots that there can be content for."""
        reading = self.document.reading
        calls = [node for node in self.document.site.kept.site.calls(reading) if node.start < self.mark.start]
        owners = [node for node in calls if isinstance(node, tree.Layout) or node.word == "use"]
        found: dict[str, str] = {}
        for node in owners[-1:] + owners[:1]:
            called = self.document.called(node.target)
            if called is not None and (not node.target.part or node.target.part in called.reading.parts):
                for name in sorted(slots_in(called.reading, node.target.part) - {""}):
                    found.setdefault(name, str(node.target))
        for name, owner in found.items():
            yield self.item(name, Kind.Field, detail=f"slot of {owner}")

    def types(self) -> Iterator[lsp.CompletionItem]:
        """Yield the types of parameters."""
        for name in sorted(KNOWN_TYPES - _HIDDEN):
            yield self.item(name, Kind.TypeParameter)
        for name, cls in self.settings.types.items():
            yield self.item(name, Kind.Class, about=inspect.getdoc(cls) or "")

    def _is_in_type(self) -> bool:
        for token in reversed(self.tokens):
            if token.text in {",", "(", "="}:
                return False
            if token.text in {":", "[", "|"}:
                return True
        return False

    # --- templates, parts and what they take -------------------------------------------------------------------------

    def strings(self) -> Iterator[lsp.CompletionItem]:
        """Yield what can be in the string at the cursor."""
        word, tokens = self.mark.word, self.tokens
        is_file = (word in _CALLS and not tokens) or (len(tokens) == 2 and tokens[1].text == "from")  # noqa: PLR2004
        if is_file and word in _CALLS:
            for name in self.document.site.kept.names():
                if name != self.document.name:
                    yield self.item(name.removesuffix(".html"), Kind.File)
            return
        function = self._function()
        if function is None:
            return
        name, index, is_filter = function
        if not is_filter or index:
            return
        for pattern in PATTERNS.get(name, ()):
            yield self.item(pattern, Kind.Value)
        if name in KEYED:
            for field, kind in fields(items(self._type_before_filter())).items():
                yield self.item(field, Kind.Field, detail=_shown(kind))

    def _is_at_argument(self) -> bool:
        """Return whether the name of an argument can be here."""
        called = self._called()
        return called is not None and (self.before == "," or self.tokens[-1].end == called.end)

    def _called(self) -> tree.Target | None:
        calls = self.document.site.kept.site.calls(self.document.reading)
        node = next((node for node in calls if node.start == self.mark.start), None)
        return node.target if node and self.tokens and node.target.end <= self.mark.offset else None

    def parameters(self) -> Iterator[lsp.CompletionItem]:
        """Yield the names of the arguments that can be passed, without those that are."""
        target = self._called()
        given = {token.text for token, after in zip(self.tokens, self.tokens[1:], strict=False) if after.text == "="}
        if target is None:
            return
        for owner, parameter in called_parameters(self.document, target):
            if parameter.name not in given:
                shape = parameter_shape(owner, parameter)
                yield self.item(parameter.name, Kind.Property, f"{parameter.name}=", detail=shape)
        if self.before == ",":
            yield from self.names()

    # --- expressions -------------------------------------------------------------------------------------------------

    def attributes(self) -> Iterator[lsp.CompletionItem]:
        """Yield what a dot reads here."""
        owner = owner_before(self.tokens[:-1])
        if owner is None:
            return
        binding = self.document.names.visible(self.mark.start).get(self.tokens[-2].text)
        if binding is not None and binding.kind == "position" and owner == self.tokens[-2].start:
            for name in sorted(POSITION):
                yield self.item(name, Kind.Field)
            return
        for name, kind in fields(self._type_of(owner, self.tokens[-2].end)).items():
            yield self.item(name, Kind.Field, detail=_shown(kind))

    def _type_of(self, start: int, end: int) -> Type:
        page = self.document.page
        if page is None:
            return ANY
        return page.type_of_text(self.document, self.mark.offset, start, end)

    def _type_before_filter(self) -> Type:
        bars = [number for number, token in enumerate(self.tokens) if token.text == "|"]
        owner = owner_before(self.tokens[: bars[-1]]) if bars else None
        return ANY if owner is None else self._type_of(owner, self.tokens[bars[-1] - 1].end)

    def filters(self) -> Iterator[lsp.CompletionItem]:
        """Yield the filters."""
        for name, function in self.settings.filters.items():
            if name.startswith("_"):
                continue
            required = _required(function)
            places = ", ".join(f"${{{number}:{each}}}" for number, each in enumerate(required, 1))
            text = f"{name}({places})" if required else name
            about = about_function(f"value | {name}", function, is_filter=True)
            shape = arguments_of(function, is_filter=True)
            yield self.item(name, Kind.Function, text, detail=shape, about=about)

    def names(self) -> Iterator[lsp.CompletionItem]:
        """Yield the names of values."""
        document = self.document
        visible = document.names.visible(self.mark.start)
        for name, binding in visible.items():
            is_parameter = isinstance(binding.owner, tree.Parameter)
            kind = parameter_shape(document, binding.owner) if is_parameter else binding.kind  # type: ignore[arg-type]
            yield self.item(name, Kind.Variable, detail=kind)
        everywhere = self.settings.everywhere
        context = [each for each in document.names.bindings if each.kind == "context"]
        typed = self.start, self.mark.offset
        # The word that is being typed is not one of them.
        for name in dict.fromkeys(each.name for each in context if each.places != [typed]):
            if name not in visible and name not in everywhere:
                yield self.item(name, Kind.Variable, detail="value of the page")
        for name, value in everywhere.items():
            if name in visible:
                continue
            if callable(value):
                yield self.item(name, Kind.Function, f"{name}($0)", about=about_function(name, value))
            else:
                yield self.item(name, Kind.Constant)

    def values(self) -> Iterator[lsp.CompletionItem]:
        """Yield what an expression can have here."""
        function = self._function()
        if function is not None:
            name, _, is_filter = function
            called = self.settings.filters.get(name) if is_filter else self.settings.everywhere.get(name)
            for keyword in _keywords(called, is_filter=is_filter):
                yield self.item(keyword, Kind.Property, f"{keyword}=", detail=f"argument of {name}")
        last = self.tokens[-1] if self.tokens else None
        if last is not None and (last.kind in {"name", "number", "string"} or last.text in {")", "]", "}", "?"}):
            for word in OPERATORS:
                yield self.item(word, Kind.Operator)
            return
        yield from self.names()
        for word in (*CONSTANTS, "not"):
            yield self.item(word, Kind.Keyword)

    def _function(self) -> tuple[str, int, bool] | None:
        """Return the function whose arguments the cursor is in, which argument that is, and whether it is a filter."""
        return open_call(self.tokens)

    def _binds(self) -> bool:
        """Return whether a new name is written here."""
        word, count = self.mark.word, len(self.tokens)
        if word in {"let", "slot", "part"}:
            return not count or (word == "part" and self.before in {",", "("})
        if word == "takes":
            return not count or self.before == ","
        if word == "for":
            return not any(token.text == "in" for token in self.tokens) or self.before == "as"
        return False


def open_call(tokens: list[Token]) -> tuple[str, int, bool] | None:
    """Return the function whose brackets are open at the end of tokens: its name, which argument, and if it filters."""
    depth = index = 0
    for number in range(len(tokens) - 1, 0, -1):
        text = tokens[number].text
        if text in {")", "]", "}"}:
            depth += 1
        elif text in {"[", "{"}:
            if depth == 0:
                index = 0
            depth = max(depth - 1, 0)
        elif text == "(":
            before = tokens[number - 1]
            if depth == 0 and before.kind == "name":
                is_filter = number > 1 and tokens[number - 2].text == "|"
                return before.text, index, is_filter
            depth = max(depth - 1, 0)
        elif text == "," and depth == 0:
            index += 1
    return None


def owner_before(tokens: list[Token]) -> int | None:
    """Return where the value begins that tokens end with: a name with dots, items, calls and ``?`` after it."""
    number = len(tokens) - 1
    while number >= 0:
        token = tokens[number]
        before = tokens[number - 1] if number else None
        if token.text == "?":
            number -= 1
        elif token.text in {")", "]"}:
            number = _opening(tokens, number)
            before = tokens[number - 1] if number > 0 else None
            if before is None or not (before.kind in {"name", "string"} or before.text in {")", "]", "?"}):
                return tokens[number].start if number >= 0 else None
            number -= 1
        elif token.kind not in {"name", "word", "string", "number"}:
            return None
        elif before is None or before.text != ".":
            return token.start
        else:
            number -= 2
    return None


def _opening(tokens: list[Token], number: int) -> int:
    """Return the index of the bracket that the one at an index closes; -1 for none."""
    depth = 0
    while number >= 0:
        depth += (tokens[number].text in {")", "]", "}"}) - (tokens[number].text in {"(", "[", "{"})
        if depth == 0:
            return number
        number -= 1
    return -1


def called_parameters(document: Document, target: tree.Target) -> list[tuple[Document, tree.Parameter]]:
    """Return what a step's template or part takes, with the template that says it."""
    if target.part:
        found = part_of(document, target)
        return [(found[0], each) for each in found[1].parameters] if found else []
    called = document.site.named(target.file)
    if called is None:
        return []
    if called.reading.takes is None:
        free = [each for each in called.names.bindings if each.kind == "context"]
        names = [each for each in free if each.name not in document.site.settings.everywhere]
        return [
            (called, tree.Parameter(each.start, each.start + len(each.name), each.name, "", None)) for each in names
        ]
    return [(called, each) for each in called.reading.takes.parameters]


def _required(function: Callable[..., object]) -> list[str]:
    try:
        _, *parameters = inspect.signature(function).parameters.values()
    except (TypeError, ValueError):
        return []
    by_place = {inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD}
    return [each.name for each in parameters if each.default is each.empty and each.kind in by_place]


def _keywords(function: object, *, is_filter: bool) -> Iterable[str]:
    if function is None:
        return []
    try:
        parameters = [*inspect.signature(function).parameters.values()]  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return []
    named = {inspect.Parameter.KEYWORD_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD}
    return [each.name for each in parameters[is_filter:] if each.kind in named]


def _shown(kind: Type) -> str:
    return "" if kind == ANY or isinstance(kind, Function) else shown(kind)
