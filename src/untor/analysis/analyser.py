"""From a parsed template to its IR, by the kind of output."""

from __future__ import annotations

from untor.analysis.composition import Frame, PageAnalysis, Permissions, parameters_of
from untor.analysis.html_walker import HtmlWalker
from untor.analysis.ir import FixedText, Function, PrintValue, TemplateIR
from untor.analysis.markup_tracker import MarkupTracker
from untor.analysis.message_walker import MessageWalker
from untor.analysis.names import AnalysisError, Names
from untor.contexts.html_state import HtmlState
from untor.diagnostics.problem import Problem
from untor.language import tree
from untor.language.parser import parse

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.diagnostics.source import Source
    from untor.language.parser import ParsedTemplate

PLAIN_TEXT = frozenset({".txt"})
HTML = frozenset({".html", ".htm", ""})
XML = frozenset({".xml", ".svg"})


class PlainWalker(MessageWalker[tuple[()]]):
    """Walks a plain text template, where nothing is escaped and there is only one state."""

    def fork(self, state: tuple[()]) -> tuple[()]:
        """Return the state."""
        return state

    def join(self, first: tuple[()], second: tuple[()]) -> tuple[()]:  # noqa: ARG002  one shape for all walkers
        """Return the state."""
        return first

    def same(self, first: tuple[()], second: tuple[()]) -> bool:  # noqa: ARG002
        """Tell that there is one state only."""
        return True

    def key(self, state: tuple[()]) -> object:
        """Return what is the same everywhere."""
        return state

    def kind_here(self, node: tree.Say) -> str:  # noqa: ARG002  one shape for all walkers
        """Return that text means nothing but itself."""
        return "raw"

    def walk(self, nodes: list[tree.Node]) -> None:
        """Walk nodes."""
        self.each(nodes)

    def node(self, nodes: list[tree.Node], index: int) -> int:
        """Walk a node."""
        node = nodes[index]
        if isinstance(node, tree.Text | tree.Letters):
            self.operations.append(FixedText(node.text))
        elif isinstance(node, tree.Print):
            self.names.use(node.expression)
            placement = self.placement(node, "plain-text", ("plain text",), ())
            self.operations.append(PrintValue(node.expression, ("plain",), placement))
        else:
            self.step(node)
        return index + 1


def reading_of(source: Source) -> ParsedTemplate:
    """Read a template in the way of its kind of output."""
    return parse(source, surroundings_of(source))


def surroundings_of(source: Source) -> MarkupTracker | None:
    """Return the tracker that distinguishes steps from markup; ``None`` for plain text."""
    ending = ending_of(source)
    return None if ending in PLAIN_TEXT else MarkupTracker(xml=ending in XML)


def ending_of(source: Source) -> str:
    """Return the ending of a template's name, which decides the kind of output."""
    return source.name[source.name.rfind(".") :] if "." in source.name else ""


def analyse(
    reading: ParsedTemplate,
    load: Callable[[str], ParsedTemplate],
    filters: Mapping[str, Callable[..., object]],
    permitted: Permissions,
    part: str = "",
    *,
    collects: bool = False,
) -> TemplateIR:
    """Plan a template, or a part of it; ``load`` reads the others that it uses.

    The problems of the result say what is wrong; with any, the plan cannot be built. They are those of the language,
    else the first one of the plan, or with ``collects`` all that can be distinguished. With ``collects``, the plan goes
    as far as it can.
    """
    source = reading.source
    main = Function("render", source, [], context=True)
    result = TemplateIR(source, main, problems=reading.problems, parts=tuple(reading.parts))
    if reading.problems and not collects:
        return result
    analysis = PageAnalysis(load, filters, permitted, collects=collects)
    frame = Frame(reading, part, Names(source, filters, analysis.inputs, permitted.known), main)
    try:
        analysis.check_types(reading)
        walker = _walker(analysis, frame)
        main.parameters = parameters_of(reading, part) or []
        analysis.inputs.update(parameter.name for parameter in main.parameters)
        walker.page()
        main.body = walker.operations
    except AnalysisError as found:
        analysis.report(found.problem, source)
    # Editors need the plan of a torn template, but problems after the tear may only be echoes of it.
    result.problems = reading.problems + ([] if reading.torn else analysis.problems)
    result.functions = analysis.functions
    result.nonces = analysis.nonces
    result.has_messages = analysis.has_messages
    result.untranslated = analysis.untranslated
    result.inputs = tuple(sorted(analysis.inputs))
    result.dependencies = tuple(analysis.dependencies)
    return result


def _walker(analysis: PageAnalysis, frame: Frame) -> PlainWalker | HtmlWalker:
    ending = ending_of(frame.source)
    if ending in PLAIN_TEXT:
        return PlainWalker(analysis, frame, ())
    if ending not in HTML | XML:
        _refuse_marks(frame.source, frame.reading.body, ending)
    return HtmlWalker(analysis, frame, HtmlState(xml=ending in XML, tables=analysis.permitted.tables))


def _refuse_marks(source: Source, nodes: list[tree.Node], ending: str) -> None:
    """Refuse all marks in files of other kinds, for which there is no escaping."""
    for node in nodes:
        if not isinstance(node, tree.Text):
            words = {
                "place": f"in a {ending} file",
                "reason": "Untor knows no escaping for that format",
                "remedy": "Use an .html, .xml, .svg or .txt file, or a package for that format.",
            }
            raise AnalysisError(Problem("place-refused", source, node.start, node.end, **words))
