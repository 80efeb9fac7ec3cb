"""Blank lines between the contents of a page with a layout, which never reach the page: one at most."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.language import tree

if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.language.parser import ParsedTemplate

_BLANK_LINES = re.compile(r"(\r\n|\n|\r)(?:[ \t]*(?:\r\n|\n|\r))+")


def is_dropped(reading: ParsedTemplate) -> bool:
    """Return whether the white space between the contents of a page is dropped: it has content for named slots only."""
    if reading.layout is None or not any(isinstance(node, tree.Into) for node in reading.body):
        return False
    return all(isinstance(node, tree.Into | tree.Let) or is_blank(node) for node in reading.body)


def is_blank(node: tree.Node) -> bool:
    """Return whether a node is white space."""
    return isinstance(node, tree.Text) and not node.text.strip()


def between_contents(reading: ParsedTemplate) -> Iterator[tuple[int, int, str]]:
    """Yield what to replace, so that no two blank lines follow one another there."""
    if reading.problems or not is_dropped(reading):
        return
    for node in reading.body:
        if is_blank(node):
            for match in _BLANK_LINES.finditer(reading.source.text, node.start, node.end):
                breaks = len(re.findall(r"\r\n|\n|\r", match[0]))
                # The line break of a line that holds only steps is not in the text after it.
                most = 1 if reading.source.text[match.start() - 1 : match.start()] in {"\n", "\r"} else 2
                if breaks > most:
                    yield match.start(), match.end(), match[1] * most
