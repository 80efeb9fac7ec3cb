"""What a view must pass to each page, written as Python for the view's own type checker."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from decimal import Decimal
from enum import Enum
from keyword import iskeyword
from types import NoneType
from typing import TYPE_CHECKING, NamedTuple

from untor.inference.declared import inputs_of, parameter_type
from untor.loading.loader import ENDINGS
from untor.types.model import ANY, Constant, Either, FixedTuple, Instance, members_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from untor.compiler.settings import CompilerSettings
    from untor.language.parser import ParsedTemplate
    from untor.types.model import Type

_WIDER: dict[type, tuple[str, str]] = {
    list: ("collections.abc", "Sequence"),
    dict: ("collections.abc", "Mapping"),
}
"""What a page accepts in place of a class."""

_HEAD = '''"""The values of the pages of this site, for type checkers.

Written by `untor types`: make the engine with `Pages(…)` in place of `Engine(…)`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor import Engine

if TYPE_CHECKING:
'''

_OWN_IMPORTS = {
    "collections.abc": "Mapping",
    "typing": "Any Literal NotRequired TypedDict Unpack overload",
    "untor": "Page Policy",
    "untor.web.headers": "Headers",
}
"""What the module itself needs."""

_METHODS = '''
    class Pages(Engine):
        """An engine whose pages have types."""
'''


class Value(NamedTuple):
    """A value that a page is given: its name, its type, and whether it may be left out."""

    name: str
    type: Type
    may_be_left_out: bool


@dataclass
class _Imports:
    """The imports of the module that is written; classes of one name get others there."""

    local: dict[tuple[str, str], str] = field(default_factory=dict)
    taken: set[str] = field(default_factory=lambda: {"Engine", "Pages", "TYPE_CHECKING"})

    def add(self, module: str, name: str) -> str:
        """Import the outermost name of a class, and return the class as it is written."""
        outer, dot, rest = name.partition(".")
        if (module, outer) not in self.local:
            chosen, number = outer, 1
            while chosen in self.taken:
                number += 1
                chosen = f"{outer}{number}"
            self.taken.add(chosen)
            self.local[module, outer] = chosen
        return f"{self.local[module, outer]}{dot}{rest}"

    def lines(self) -> Iterable[str]:
        """Yield the imports, one line for each module."""
        modules: dict[str, list[str]] = {}
        for (module, name), local in sorted(self.local.items()):
            modules.setdefault(module, []).append(name if local == name else f"{name} as {local}")
        for module, names in modules.items():
            yield f"from {module} import {', '.join(names)}"


def values_of_pages(
    readings: Mapping[str, ParsedTemplate], settings: CompilerSettings
) -> dict[str, list[Value] | None]:
    """Return what each page is given, by its ``takes`` and ``Engine(inputs=…)``; ``None`` where neither says it."""
    return {
        name: _values_of(reading, settings, settings.inputs.get(name) or settings.inputs.get(name.rpartition(".")[0]))
        for name, reading in sorted(readings.items())
    }


def _values_of(reading: ParsedTemplate, settings: CompilerSettings, inputs: type | None) -> list[Value] | None:
    known = settings.globals.keys() | {"locale", "say"}
    if reading.takes is not None:
        return [
            Value(
                each.name, parameter_type(each, settings.types) or ANY, each.default is not None or each.name in known
            )
            for each in reading.takes.parameters
        ]
    if inputs is None:
        return None
    return [Value(name, kind, hasattr(inputs, name) or name in known) for name, kind in inputs_of(inputs).items()]


def module_of(pages: Mapping[str, list[Value] | None]) -> str:
    """Return the module for the pages of a site, by the names of their templates."""
    imports = _Imports()
    for module, names in _OWN_IMPORTS.items():
        for name in names.split():
            imports.add(module, name)
    typed = {name: values for name, values in pages.items() if values is not None}
    untyped = [name for name, values in pages.items() if values is None]
    classes: dict[str, str] = {}
    blocks: list[str] = []
    for name, values in typed.items():
        classes[name] = _class_name(name, imports.taken)
        imports.taken.add(classes[name])
        blocks.append(_typed_dict(classes[name], name, values, imports))
    methods = _METHODS + "".join(_overloads(classes, typed, untyped))
    head = _HEAD + "".join(f"    {line}\n" for line in imports.lines())
    ending = "\nelse:\n    Pages = Engine\n"
    return head + "".join(blocks) + methods + ending


def _class_name(name: str, taken: Iterable[str]) -> str:
    stem = name.removesuffix(".html")
    words = re.split(r"[^0-9A-Za-z]+", stem)
    made = "".join(word[:1].upper() + word[1:] for word in words) or "Page"
    made = f"{'Page' if made[0].isdigit() else ''}{made}Values"
    number, chosen = 1, made
    while chosen in taken:
        number += 1
        chosen = f"{made}{number}"
    return chosen


def _typed_dict(cls: str, name: str, values: list[Value], imports: _Imports) -> str:
    rows = []
    for value in values:
        shown = annotation_of(value.type, imports)
        if value.may_be_left_out:
            shown = f"NotRequired[{shown}]"
        rows.append((value.name, shown))
    if any(iskeyword(key) for key, _ in rows):
        fields = "".join(f"            {_quoted(key)}: {shown},\n" for key, shown in rows)
        return f"\n    {cls} = TypedDict(\n        {_quoted(cls)},\n        {{\n{fields}        }},\n    )\n"
    fields = "".join(f"        {key}: {shown}\n" for key, shown in rows)
    about = f'"""The values of {_quoted(name)[1:-1]}."""'
    return f"\n    class {cls}(TypedDict):\n        {about}\n{fields and chr(10)}{fields}"


_OPTIONS = {
    "render": "",
    "page": "status: int = 200, headers: Headers | None = None, policy: Policy | bool = True, cache: str = '', "
    "stream: bool = False, ",
}
_OPTION_NAMES = frozenset({"status", "headers", "policy", "cache", "stream"})
_RESULTS = {"render": "str", "page": "Page"}


def _overloads(classes: Mapping[str, str], typed: Mapping[str, list[Value]], untyped: list[str]) -> Iterable[str]:
    """Yield the overloads of ``render``, ``page`` and ``page_async``, two for each page: a mapping, or by name."""
    for method in ("render", "page", "page_async"):
        options, result = _OPTIONS[method.partition("_")[0]], _RESULTS[method.partition("_")[0]]
        start = "async def" if "_" in method else "def"
        made: list[str] = []
        for name, cls in classes.items():
            named = f"name: {_literal(name)}"
            star = f"*, {options}" if options else ""
            may_lack_all = all(value.may_be_left_out for value in typed[name])
            context = f"context: {cls}{' | None = None' if may_lack_all else ''}, /"
            made.append(f"{start} {method}(self, {named}, {context}{f', *, {options}' if options else ''}".rstrip(", "))
            if not (options and _OPTION_NAMES & {value.name for value in typed[name]}):
                made.append(f"{start} {method}(self, {named}, /, {star}**values: Unpack[{cls}]")
        if untyped:
            names = ", ".join(_literal(name)[8:-1] for name in untyped)
            star = f"*, {options}" if options else ""
            made.append(
                f"{start} {method}(self, name: Literal[{names}], context: Mapping[str, object] | None = None, /, "
                f"{star}**values: Any"
            )
        yield from _written(made, f"{start} {method}(self, name: str, context: Any = None, /, **values: Any", result)


def _written(made: list[str], general: str, result: str) -> Iterable[str]:
    """Yield overloads as they are written, and the method that they are of."""
    if len(made) == 1:
        yield f"\n        {made[0]}) -> {result}: ...  # type: ignore[override]\n"
    elif made:
        for number, each in enumerate(made):
            ignored = "" if number else "  # type: ignore[override]"
            yield f"\n        @overload{ignored}\n        {each}) -> {result}: ...\n"
        yield f"\n        {general}) -> {result}:\n            raise NotImplementedError\n"


def _literal(name: str) -> str:
    ending = next((each for each in ENDINGS if name.endswith(each)), "")
    names = [name.removesuffix(ending), name] if ending == ENDINGS[0] else [name]
    return f"Literal[{', '.join(map(_quoted, names))}]"


def _quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def annotation_of(kind: Type, imports: _Imports) -> str:
    """Return a type as an annotation, with what it imports."""
    match kind:
        case Either():
            constants = [each for each in members_of(kind) if isinstance(each, Constant)]
            shown = [annotation_of(each, imports) for each in members_of(kind) if not isinstance(each, Constant)]
            if constants:
                values = ", ".join(_constant(each, imports) for each in constants)
                shown.insert(0, f"{imports.add('typing', 'Literal')}[{values}]")
            return " | ".join(dict.fromkeys(shown))
        case Constant():
            return f"{imports.add('typing', 'Literal')}[{_constant(kind, imports)}]"
        case FixedTuple(items=items):
            return f"tuple[{', '.join(annotation_of(each, imports) for each in items) or '()'}]"
        case Instance():
            return _of_instance(kind, imports)
    return imports.add("typing", "Any")


def _of_instance(kind: Instance, imports: _Imports) -> str:
    cls = kind.cls
    if cls is NoneType:
        return "None"
    if cls is float:
        return f"float | {imports.add('decimal', 'Decimal')}"
    if cls is Decimal:
        return f"{imports.add('decimal', 'Decimal')} | int"
    if cls.__module__ == "__main__" or "<locals>" in cls.__qualname__:
        return imports.add("typing", "Any")
    if cls in _WIDER:
        name = imports.add(*_WIDER[cls])
    elif cls.__module__ == "builtins":
        name = cls.__name__
    else:
        name = imports.add(cls.__module__, cls.__qualname__)
    arguments = [annotation_of(each, imports) for each in kind.arguments]
    return f"{name}[{', '.join(arguments)}]" if arguments else name


def _constant(kind: Constant, imports: _Imports) -> str:
    if isinstance(kind.value, Enum):
        cls = type(kind.value)
        return f"{imports.add(cls.__module__, cls.__qualname__)}.{kind.value.name}"
    return _quoted(kind.value) if isinstance(kind.value, str) else repr(kind.value)
