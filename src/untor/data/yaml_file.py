"""YAML data files (YAML 1.1, its safe types only): no tags of programs, no aliases that grow without end."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.data.reading import DEEPEST, MOST_VALUES, needs, text_of, wrong

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
        loader = yaml.SafeLoader(source.text)
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
        raise wrong(source, 0, "YAML that can be read", "it is nested too deeply") from None
    except ValueError as error:
        raise wrong(source, 0, "YAML that can be read", str(error)) from None
    finally:
        if loader is not None:
            loader.dispose()


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
            raise wrong(source, node.start_mark.index, "YAML that can be read", "it is nested too deeply")
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
