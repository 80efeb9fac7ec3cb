"""Helpers for a site's own tests; they need ``pip install "untor[probe]"``."""

from __future__ import annotations

from untor.escape import SCHEMES
from untor.probe.payloads import HOSTILE
from untor.probe.prober import Change, Probed
from untor.probe.prober import probe as _probe
from untor.probe.structure import StructureMissing, differing, side_by_side, structure_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from untor.engine.engine import Engine

__all__ = ["HOSTILE", "Change", "Comparison", "Probed", "StructureMissing", "probe", "same_structure"]


def probe(
    engine: Engine,
    page: str,
    context: Mapping[str, object] | None = None,
    *,
    values: Sequence[str] = HOSTILE,
) -> Probed:
    """Render a page with hostile values in place of its real ones, and report what changes its structure.

    ``context`` is what the view passes; each value that is printed, named, passed on or looped over is replaced, one
    at a time and all together, before and after the filters. The result's ``changes`` are empty when nothing got
    through; ``missed`` are placements that the context does not lead to::

        assert not probe(pages, "arrivals", {"calls": calls}).changes

    Raises what rendering the page with its own context raises, and ``StructureMissing`` without the extra ``probe``.
    """
    return _probe(engine.compiler, page, context, values=values)


class Comparison:
    """Whether two pages have the same structure; false when they do not, and then its text shows where."""

    def __init__(self, difference: str) -> None:
        self.difference = difference
        """The two structures side by side, where they begin to differ; empty when they are the same."""

    def __bool__(self) -> bool:
        return not self.difference

    def __repr__(self) -> str:
        return f"different structures:\n{self.difference}" if self.difference else "the same structure"


def same_structure(first: str, second: str, *, xml: bool = False, schemes: Iterable[str] = SCHEMES) -> Comparison:
    """Compare two pages as a parser reads them: elements, attributes, script tokens, URLs, style declarations.

    Texts and numbers may differ, also inside scripts and styles. Links may lead elsewhere with one of ``schemes``;
    URLs that code or frames are loaded from may not. Use it in an assertion, which then shows the difference::

        assert same_structure(page("Sea Holly"), page("<script>"))

    Raises ``StructureMissing`` without the extra ``probe``.
    """
    one, two = structure_of(first, xml=xml), structure_of(second, xml=xml)
    at = differing(one, two, frozenset(schemes) | {"data:image"}, links_may_differ=True)
    return Comparison("" if at is None else side_by_side(one, two, at, titles=("the first page", "the second page")))
