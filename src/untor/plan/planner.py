"""From source text to a plan, by the kind of output."""

from __future__ import annotations

from untor.language import tree
from untor.language.reader import read
from untor.plan.blocks import BlockWalker
from untor.plan.names import Names, Refused
from untor.plan.operations import Constant, Emit, Plan
from untor.plan.pages import PageWalker
from untor.plan.surroundings import PageSurroundings
from untor.problems import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.source import Source

PLAIN_TEXT = frozenset({".txt"})
HTML = frozenset({".html", ".htm", ""})


class PlainWalker(BlockWalker[None]):
    """Walks a plain text template, where nothing is escaped."""

    def fork(self, state: None) -> None:
        """Return the only state there is."""

    def join(self, first: None, second: None) -> None:
        """Return the only state there is."""

    def same(self, first: None, second: None) -> bool:  # noqa: ARG002  one shape for all walkers
        """Tell that there is one state only."""
        return True

    def describe(self, state: None) -> str:  # noqa: ARG002  one shape for all walkers
        """Say in words where a state is."""
        return "in plain text"

    def walk(self, nodes: list[tree.Node]) -> None:
        """Walk nodes."""
        for node in nodes:
            if isinstance(node, tree.Text):
                self.operations.append(Constant(node.text))
            elif isinstance(node, tree.Print):
                self.names.use(node.expression)
                placement = self.placement(node, "plain-text", ("plain text",), ())
                self.operations.append(Emit(node.expression, "plain", placement))
            else:
                self.step(node)


def plan(source: Source, filters: Mapping[str, Callable[..., object]], schemes: frozenset[str]) -> Plan:
    """Plan a template. The problems of the result say what is wrong; with any, the plan cannot be built."""
    ending = source.name[source.name.rfind(".") :] if "." in source.name else ""
    plain = ending in PLAIN_TEXT
    reading = read(source, None if plain else PageSurroundings())
    result = Plan(source, problems=reading.problems)
    if reading.problems:
        return result
    names = Names(source, filters)
    try:
        if not plain and ending not in HTML:
            _refuse_marks(source, reading.body, ending)
        if plain:
            text = PlainWalker(source, names, None)
            text.walk(reading.body)
            result.body = text.operations
        else:
            walker = PageWalker(source, names, schemes)
            walker.page(reading.body)
            result.body = walker.operations
    except Refused as found:
        result.problems = [found.problem]
    result.inputs = tuple(sorted(names.inputs))
    return result


def _refuse_marks(source: Source, nodes: list[tree.Node], ending: str) -> None:
    """Refuse all marks in files of other kinds, for which there is no escaping."""
    for node in nodes:
        if not isinstance(node, tree.Text):
            words = {
                "place": f"in a {ending} file",
                "remedy": "Use an .html or .txt file, or a package for that format.",
            }
            raise Refused(Problem("place-later", source, node.start, node.end, **words))
