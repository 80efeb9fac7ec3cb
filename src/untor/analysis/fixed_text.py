"""Fixed text between marks: runs of it, positions in them, and ends that nothing after them can change."""

from __future__ import annotations

from untor.analysis.names import AnalysisError
from untor.contexts.html_references import neutral
from untor.contexts.html_state import VALUE_STATES
from untor.diagnostics.problem import Problem
from untor.escape import EMBEDDING, ESCAPERS, Escapers, NotPrintable
from untor.language import tree

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.contexts.html_state import HtmlState
    from untor.diagnostics.source import Source


def text_run(nodes: list[tree.Node], index: int) -> list[tree.Text]:
    """Return the consecutive texts from an index on, where there is one; notes between them are skipped."""
    end = index + 1
    while end < len(nodes) and isinstance(nodes[end], tree.Text):
        end += 1
    return nodes[index:end]  # type: ignore[return-value]


def source_offset(run: list[tree.Text], offset: int) -> int:
    """Turn an offset in the joined texts into one in the source."""
    for node in run:
        if offset < len(node.text):
            return node.start + offset
        offset -= len(node.text)
    return run[-1].end - 1


_ESCAPERS = Escapers()
"""Those that depend on nothing that an engine permits."""


def is_fixed(text: str, escapers: tuple[str, ...]) -> bool:
    """Return whether text is printed as the same by every engine, and never an error."""
    if escapers[0] in EMBEDDING or any(ESCAPERS[name].made_for for name in escapers):
        return False
    try:
        escaped_letters(text, escapers)
    except NotPrintable:
        return False
    return True


def escaped_letters(text: str, escapers: tuple[str, ...]) -> str:
    """Return text as a value would be printed through escaping functions."""
    for name in escapers:
        text = str(_ESCAPERS[name](text))
    return text


def settled(source: Source, run: list[tree.Text], text: str, machine: HtmlState) -> str:
    """Finish a character reference at the end of fixed text, so that nothing after it can become a part of it.

    Raises ``AnalysisError`` where its meaning depends on what comes next.
    """
    reference = machine.unfinished(text)
    if not reference:
        return text
    finished = neutral(reference)
    if finished is None:
        end = run[-1].end
        raise AnalysisError(Problem("place-reference", source, end - len(reference), end, reference=reference))
    if machine.state in VALUE_STATES:
        machine.value = machine.value[: len(machine.value) - len(reference)] + finished
    return text[: len(text) - len(reference)] + finished
