"""YAML data files (YAML 1.1, its safe types only): no tags of programs, no aliases that grow without end."""

from __future__ import annotations

import re
from functools import cache
from typing import TYPE_CHECKING

from untor.data.reading import DEEPEST, MOST_DIGITS, MOST_VALUES, needs, text_of, too_deep, too_long, wrong

if TYPE_CHECKING:
    from typing import Any

    from untor.diagnostics.source import Source


def read_yaml(octets: bytes, name: str) -> object:
    """Return the value of a YAML file. Raises ``DataError`` with line and column."""
    try:
        import yaml  # noqa: PLC0415  an extra
    except ImportError:
        raise needs("pyyaml", "YAML") from None
    source = text_of(octets, name)
    loader: Any = None
    try:
        loader = _loader_class(yaml)(source.text)
        node = loader.get_single_node()
        if node is None:
            return None
        _measure(node, source)
        return loader.construct_document(node)
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        trouble = error.problem or error.context or "it cannot be read"
        remedy = ""
        if (opened := _OPENED.get(error.context or "")) and trouble.endswith(("<stream end>'", "end of stream")):
            mark, trouble = error.context_mark, f"{opened} that begins here is never closed"
        for found, said in _SAID:
            trouble = re.sub(found, said, trouble)
        if "could not determine a constructor" in trouble:
            trouble, remedy = (
                "a tag has a type that is not allowed in data",
                "Take the tag away: data has no code in it.",
            )
        raise wrong(source, mark.index if mark else 0, "YAML", trouble, remedy) from None
    except yaml.YAMLError as error:
        position = getattr(error, "position", 0)
        raise wrong(source, position, "YAML", "it contains a character that YAML does not allow") from None
    except RecursionError:
        raise too_deep(source, "YAML", loader.peek_event().start_mark.index if loader and loader.depth else 0) from None
    except ValueError:
        raise too_long(source, "YAML") from None
    finally:
        if loader is not None:
            loader.dispose()


@cache
def _loader_class(yaml: Any) -> Any:
    """Return the loader of safe types, without numbers of base 60: ``12:30`` is text, as in YAML 1.2."""

    class Loader(yaml.SafeLoader):  # type: ignore[misc]
        """Counts the lists and mappings around each node while they are opened."""

        depth = 0

        def compose_node(self, parent: Any, index: Any) -> Any:
            """Return the next node. Raises ``RecursionError`` where it is nested deeper than is read."""
            is_nested = self.check_event(yaml.CollectionStartEvent)
            self.depth += is_nested
            if self.depth > DEEPEST:
                raise RecursionError
            node = super().compose_node(parent, index)
            self.depth -= is_nested
            return node

        def construct_object(self, node: Any, deep: bool = False) -> Any:  # noqa: FBT001, FBT002  as it is called
            """Return the value of a node. Raises ``ConstructorError`` for a scalar that its type does not have."""
            try:
                return super().construct_object(node, deep)
            except (ValueError, LookupError, AttributeError, TypeError, ArithmeticError) as error:
                kind = node.tag.rpartition(":")[2]
                if kind == "int" and len(str(node.value)) > MOST_DIGITS:
                    raise
                shown = repr(node.value[:40]) if isinstance(node.value, str) else "this"
                trouble = f"{shown} is not a valid {kind}"
                raise yaml.constructor.ConstructorError(None, None, trouble, node.start_mark) from error

    Loader.yaml_implicit_resolvers = {
        first: [(tag, _OTHER_NUMBERS.get(tag, pattern)) for tag, pattern in resolvers]
        for first, resolvers in yaml.SafeLoader.yaml_implicit_resolvers.items()
    }
    return Loader


_OTHER_NUMBERS = {
    "tag:yaml.org,2002:int": re.compile(r"[-+]?(?:0b[0-1_]+|0[0-7_]+|(?:0|[1-9][0-9_]*)|0x[0-9a-fA-F_]+)\Z"),
    "tag:yaml.org,2002:float": re.compile(
        r"(?:[-+]?[0-9][0-9_]*\.[0-9_]*(?:[eE][-+][0-9]+)?|\.[0-9][0-9_]*(?:[eE][-+][0-9]+)?"
        r"|[-+]?\.(?:inf|Inf|INF)|\.(?:nan|NaN|NAN))\Z"
    ),
}
"""Integers and floating-point numbers (YAML 1.1, https://yaml.org/type/), without those of base 60."""

_OPENED = {
    "while parsing a flow sequence": "a list",
    "while parsing a flow mapping": "a mapping",
    "while scanning a quoted scalar": "a string",
}
"""PyYAML's names for what it was reading."""

_SAID = (
    (r"expected (.+), but (?:got|found) (.+)", r"expected \1, and here is \2"),
    (r"'?<(?:stream end|document end)>'?", "the end"),
    (r"'?<block mapping start>'?", "the first name of a mapping"),
    (r"'?<block end>'?", "the end of the block"),
    (r"'?<scalar>'?", "a value"),
    (r"mapping values are not allowed here", "a colon is not allowed here"),
    (r"could not find expected ':'", "a colon is missing"),
    (r"found character '(.+)' that cannot start any token", r"\1 is not allowed here"),
)
"""Words of PyYAML, and ours."""


def _measure(root: Any, source: Source) -> None:
    """Refuse what is too deep, refers to itself, or is too large with all aliases written out."""
    sizes: dict[int, int] = {}
    active: set[int] = set()

    def size(node: Any, depth: int) -> int:
        if id(node) in active:
            raise wrong(
                source, node.start_mark.index, "YAML that can be printed", "an alias refers to a value that contains it"
            )
        if depth > DEEPEST:
            raise too_deep(source, "YAML", node.start_mark.index)
        if id(node) in sizes:
            return sizes[id(node)]
        active.add(id(node))
        total = 1
        if node.id == "sequence":
            total += sum(size(part, depth + 1) for part in node.value)
        elif node.id == "mapping":
            total += sum(size(part, depth + 1) for pair in node.value for part in pair)
        active.discard(id(node))
        if total > MOST_VALUES:
            raise wrong(source, node.start_mark.index, "YAML that can be read", "its aliases expand to too many values")
        sizes[id(node)] = total
        return total

    size(root, 0)
