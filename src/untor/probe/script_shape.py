"""The shape of scripts, styles and JSON: what is the same when only the strings and numbers in them change."""

from __future__ import annotations

import json
from functools import lru_cache

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import Any

    import tree_sitter

_NAMED = frozenset(
    {
        "identifier",
        "property_identifier",
        "shorthand_property_identifier",
        "statement_identifier",
        "private_property_identifier",
    }
)
_WHOLE = frozenset({"string", "regex", "number", "comment", "html_comment", "string_fragment", "escape_sequence"})
_VALUES = frozenset({"untor-blocked", "var", "calc", "rgb", "rgba", "hsl", "hsla"})
"""Functions that are complete values, harmless everywhere; the first replaces a refused value."""

_RISKY_FUNCTIONS = frozenset({"url", "src", "image", "image-set", "expression", "element", "attr", "paint"})


class Loaded(str):
    """What is done with a URL in code, with the URL itself; ``runs`` means that code comes from it."""

    __slots__ = ("runs", "url")

    url: str
    runs: bool

    @classmethod
    def of(cls, what: str, url: str, *, runs: bool) -> Loaded:
        """Make one."""
        made = cls(what)
        made.url, made.runs = url, runs
        return made


_RUNNING = frozenset({"import", "importScripts", "addModule", "Worker", "SharedWorker", "createScriptURL"})
_FOLLOWING = frozenset({"assign", "replace", "open", "navigate", "openWindow"})
_WINDOWS = frozenset({"", "window", "document", "self", "top", "parent", "globalThis"})
_ASSIGNED = frozenset({"location", "href", "action", "formAction", "src"})


@lru_cache(maxsize=1)
def _javascript() -> tree_sitter.Parser:
    import tree_sitter  # noqa: PLC0415  an extra
    import tree_sitter_javascript  # noqa: PLC0415

    return tree_sitter.Parser(tree_sitter.Language(tree_sitter_javascript.language()))


def script_shape(text: str) -> Iterator[str]:
    """Yield the tokens of a script; strings, numbers and regular expressions only by what they are."""
    cursor = [_javascript().parse(text.encode("utf-8", "replace")).root_node]
    while cursor:
        node = cursor.pop()
        if node.type == "ERROR" or node.is_missing or node.type.endswith("_element"):
            yield "error"
        if node.type in {"string_fragment", "escape_sequence"}:
            continue
        if node.type in {"string", "template_string"} and node.parent is not None and (meaning := _meaning(node)):
            yield meaning
        elif node.type in _WHOLE:
            yield node.type.replace("_", " ")
        elif node.child_count:
            cursor += reversed(node.children)
        elif node.type in _NAMED:
            yield (node.text or b"").decode("utf-8", "replace")
        elif node.type != "program":
            yield node.type


def _meaning(node: tree_sitter.Node) -> str | None:
    """Say what a literal is that is more than text: a directive, an address, the key that sets a prototype."""
    parent = node.parent
    assert parent is not None  # noqa: S101  as the caller has seen
    text = _decoded(_text_of(node)[1:-1])
    if parent.type == "expression_statement" and node.type == "string":
        return f"directive {text}"
    if parent.type == "pair" and parent.child_by_field_name("key") == node:
        return "key __proto__" if text == "__proto__" else None
    if parent.child_by_field_name("source") == node:
        return Loaded.of("module", text, runs=True)
    call = parent.parent
    if parent.type == "arguments" and call is not None:
        function = _text_of(call.child_by_field_name("function") or call.child_by_field_name("constructor"))
        name = function.rpartition(".")[2]
        runs = name in _RUNNING or function.endswith("serviceWorker.register")
        if runs or (name in _FOLLOWING and function in {name, f"location.{name}", f"window.{name}"}):
            return Loaded.of(f"{name}(URL)", text, runs=runs)
    if parent.type == "assignment_expression" and parent.child_by_field_name("right") == node:
        owner, _, name = _text_of(parent.child_by_field_name("left")).rpartition(".")
        if name in _ASSIGNED and (name != "location" or owner in _WINDOWS):
            return Loaded.of(f"{name} = URL", text, runs=False)
    return None


def _text_of(node: tree_sitter.Node | None) -> str:
    return "" if node is None else (node.text or b"").decode("utf-8", "replace")


def _decoded(text: str) -> str:
    """Return what the text of a literal means, where JSON would read it in the same way."""
    try:
        return str(json.loads(f'"{text.replace(chr(34), chr(92) + chr(34))}"', strict=False))
    except ValueError:
        return text


class _Pairs(list[tuple[str, object]]):
    """An object of JSON, with names that come twice."""


def json_shape(text: str) -> Iterator[str]:
    """Yield the shape of JSON: lists and objects, how much is in them, and the types of that."""
    try:
        value = json.loads(text, object_pairs_hook=_Pairs)
    except (ValueError, RecursionError):
        yield "that is none"
        return
    todo: list[object] = [value]
    while todo:
        part = todo.pop()
        if isinstance(part, _Pairs):
            yield f"object of {len(part)}"
            todo += [value for _, value in part]
        elif isinstance(part, list):
            yield f"list of {len(part)}"
            todo += part
        else:
            yield "number" if type(part) in {int, float} else type(part).__name__


def style_shape(text: str, *, inside: bool) -> Iterator[str]:
    """Yield the rules and declarations of a style sheet, or of a style attribute, and what values fetch."""
    import tinycss2  # noqa: PLC0415  an extra

    nodes = tinycss2.parse_blocks_contents(text) if inside else tinycss2.parse_stylesheet(text)
    yield from _style(nodes)


def _style(nodes: list[object]) -> Iterator[str]:
    import tinycss2  # noqa: PLC0415

    for node in nodes:
        kind = node.type  # type: ignore[attr-defined]
        if kind == "declaration":
            yield f"{node.lower_name}:{' !important' if node.important else ''}"  # type: ignore[attr-defined]
            yield from _fetches(node.value)  # type: ignore[attr-defined]
        elif kind in {"qualified-rule", "at-rule"}:
            name = f"@{node.lower_at_keyword} " if kind == "at-rule" else ""  # type: ignore[attr-defined]
            yield f"rule {name}{''.join(_punctuation(node.prelude))}".strip()  # type: ignore[attr-defined]
            yield from _imported(node) if name == "@import " else _fetches(node.prelude)  # type: ignore[attr-defined]
            if node.content is not None:  # type: ignore[attr-defined]
                yield from _style(tinycss2.parse_blocks_contents(node.content))  # type: ignore[attr-defined]
        elif kind in {"comment", "error"}:
            yield kind


def _imported(rule: Any) -> Iterator[str]:
    """Yield the address of the sheet that an ``@import`` loads."""
    for node in rule.prelude:
        arguments = node.arguments if node.type == "function" else []
        for part in (node, *arguments):
            if part.type in {"string", "url"}:
                yield Loaded.of("@import URL", part.value, runs=True)
                return


def _punctuation(nodes: list[object]) -> Iterator[str]:
    """Yield the parts of a selector or a condition except names, strings and numbers, which values may be."""
    for node in nodes:
        kind = node.type  # type: ignore[attr-defined]
        if kind == "function" and node.lower_name not in _VALUES:  # type: ignore[attr-defined]
            yield f"{node.lower_name}("  # type: ignore[attr-defined]
            yield from _punctuation(node.arguments)  # type: ignore[attr-defined]
            yield ")"
        elif kind.endswith("block"):
            yield kind[0]
            yield from _punctuation(node.content)  # type: ignore[attr-defined]
            yield kind[1]
        elif kind == "literal":
            yield str(node.value)  # type: ignore[attr-defined]
        elif kind == "hash":
            yield "#"
        elif kind in {"error", "url", "at-keyword", "unicode-range"}:
            yield kind


def _fetches(nodes: list[object]) -> Iterator[str]:
    for node in nodes:
        kind = node.type  # type: ignore[attr-defined]
        if kind == "url":
            yield "url()"
        elif kind == "function":
            name = node.lower_name  # type: ignore[attr-defined]
            if name in _RISKY_FUNCTIONS:
                yield f"{name}()"
            yield from _fetches(node.arguments)  # type: ignore[attr-defined]
        elif kind.endswith("block"):
            yield from _fetches(node.content)  # type: ignore[attr-defined]
