"""Includes, layouts, slots and parts: each is walked where it is used, with the names that it sees there."""

from __future__ import annotations

from dataclasses import dataclass, field

from untor.analysis.ir import CallFunction, Function, PassedArgument, SlotCall
from untor.analysis.names import AnalysisError, Known, Names
from untor.diagnostics import hints
from untor.diagnostics.problem import Problem, suggestion
from untor.errors import UntorError
from untor.language import tree
from untor.language.annotations import unknown_name
from untor.types.parameter_types import TYPES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.contexts.client_libraries import Tables
    from untor.diagnostics.source import Source
    from untor.language.parser import ParsedTemplate
    from untor.messages.translator import Translator

DEEPEST = 100
"""How many pieces may be inside one another."""

MOST_CALLS = 20_000
"""How many pieces a page may be put together from; more come from includes that multiply one another."""

_MOST_STATES = 12
"""In how many different places a part may be inside itself."""


@dataclass(slots=True)
class SlotContent:
    """Content for a slot: nodes, and the frame that they are written in."""

    nodes: list[tree.Node]
    frame: Frame
    slot: FilledSlot | None
    place: tree.Node


@dataclass(slots=True)
class FilledSlot:
    """A slot that is being filled: what ``fallback`` in its content means."""

    node: tree.Slot
    frame: Frame
    call: SlotCall
    function: Function


@dataclass(slots=True)
class Frame:
    """A template or part that is being walked: its tree, the visible names, the content for its slots."""

    reading: ParsedTemplate
    part: str
    names: Names
    function: Function
    call: CallFunction | None = None
    contents: dict[str, SlotContent] = field(default_factory=dict)
    slot: FilledSlot | None = None

    @property
    def source(self) -> Source:
        """The source that the frame's nodes are places of."""
        return self.reading.source

    @property
    def is_file(self) -> bool:
        """Tell a whole template from a part of one."""
        return not self.part


@dataclass(frozen=True, slots=True)
class Permissions:
    """What an engine permits: schemes of URLs, its own rows of the tables of places, calls of its helpers."""

    schemes: frozenset[str]
    tables: Tables
    known: Mapping[str, Known]
    translator: Translator
    types: frozenset[str] = frozenset()
    """The names of ``Engine(types=…)``."""


@dataclass(slots=True)
class PageAnalysis:
    """What all walkers of one page share: the templates it is made of and the functions made so far."""

    load: Callable[[str], ParsedTemplate]
    filters: Mapping[str, Callable[..., object]]
    permitted: Permissions
    functions: list[Function] = field(default_factory=list)
    memo: dict[object, tuple[Function, object, ParsedTemplate]] = field(default_factory=dict)
    """Functions by all that decides how they are read, with the state they end in; the reading is kept alive."""
    in_progress: dict[object, Function] = field(default_factory=dict)
    frames: list[Frame] = field(default_factory=list)
    dependencies: dict[str, None] = field(default_factory=dict)
    levels: int = 0
    """How many blocks and pieces are around what is walked."""
    inputs: set[str] = field(default_factory=set)
    calls: int = 0
    nonces: bool = False
    collects: bool = False
    """Whether problems are kept and the walk goes on after them, as a checker wants it."""
    problems: list[Problem] = field(default_factory=list)
    has_messages: bool = False
    untranslated: list[Problem] = field(default_factory=list)
    """What keeps translations from being printed."""

    def report(self, problem: Problem, main: Source) -> None:
        """Keep a problem, once; say by way of which templates the page came to it."""
        place = (problem.code, problem.source, problem.start, problem.end)
        if any(place == (kept.code, kept.source, kept.start, kept.end) for kept in self.problems):
            return
        chain = [active.source.name for active in self.frames if active.is_file]
        if problem.source is not main and len(chain) > 1:
            used = f"Used by {' → '.join(chain[:-1])}."
            if used not in problem.hint:
                problem.hint = f"{problem.hint}\n{used}" if problem.hint else used
        self.problems.append(problem)

    def name(self, word: str) -> str:
        """Return a new name for a function, which no template can write."""
        self.calls += 1
        return f"_{word}{self.calls}"

    def reading(self, target: tree.Target, source: Source) -> ParsedTemplate:
        """Load the template of a call. Raises ``AnalysisError`` with the problem of finding or reading it."""
        try:
            reading = self.load(target.file)
        except UntorError as error:
            problem = error.problem
            if problem.source is None:
                problem.at(source, target.file_start, target.file_end)
            raise AnalysisError(problem) from None
        self.dependencies[reading.source.name] = None
        if reading.problems and (reading.torn or not self.collects):
            raise AnalysisError(reading.problems[0])
        self.check_types(reading)
        return reading

    def check_types(self, reading: ParsedTemplate) -> None:
        """Check that the types of parameters are known. Raises ``AnalysisError``."""
        taken = [*(reading.takes.parameters if reading.takes else ())]
        for parameter in taken + [each for part in reading.parts.values() for each in part.parameters]:
            unknown = parameter.annotation and unknown_name(parameter.annotation, self.permitted.types)
            if unknown:
                names = sorted(self.permitted.types | TYPES.keys())
                hint = hints.TYPES.get(unknown.name) or suggestion(unknown.name, names) or None
                words = {"word": unknown.name, "types": ", ".join(names)}
                end = unknown.start + len(unknown.name)
                raise AnalysisError(Problem("type-unknown", reading.source, unknown.start, end, hint=hint, **words))


def parameters_of(reading: ParsedTemplate, part: str) -> list[tree.Parameter] | None:
    """Return what a template or part takes; ``None`` for a template that does not say."""
    if part:
        return reading.parts[part].parameters
    return reading.takes.parameters if reading.takes else None


def match_arguments(
    frame: Frame, target: tree.Target, arguments: list[tree.Argument], taken: list[tree.Parameter] | None, *, all_: bool
) -> list[PassedArgument]:
    """Match arguments with parameters. Raises ``AnalysisError`` for an unknown one or, with ``all_``, a missing one."""
    known = {parameter.name: parameter for parameter in taken or ()}
    shown = ", ".join(known) or "nothing"
    for argument in arguments:
        frame.names.use(argument.value)
        if taken is not None and argument.name not in known:
            near = suggestion(argument.name, known, f"It takes {shown}.")
            words = {"target": str(target), "word": argument.name, "near": near}
            raise AnalysisError(Problem("argument-unknown", frame.source, argument.start, argument.end, **words))
    names = {argument.name for argument in arguments}
    missing = [name for name, parameter in known.items() if name not in names and parameter.default is None]
    if missing and all_:
        words = {"target": str(target), "word": ", ".join(missing), "takes": shown}
        raise AnalysisError(Problem("argument-missing", frame.source, target.start, target.end, **words))
    return [PassedArgument(argument.name, argument.value, known.get(argument.name)) for argument in arguments]


def contents_of(frame: Frame, nodes: list[tree.Node], place: tree.Node) -> dict[str, SlotContent]:
    """Sort what a page or a ``use`` has in it: content for named slots, and the rest for the one without a name.

    Each has the values that were named before it. Raises ``AnalysisError`` for two contents of one slot.
    """
    contents: dict[str, SlotContent] = {}
    rest: list[tree.Node] = []
    lets: list[tree.Node] = []
    for node in nodes:
        if not isinstance(node, tree.Into):
            rest.append(node)
            if isinstance(node, tree.Let):
                lets.append(node)
            continue
        if node.name in contents:
            line = frame.source.position(contents[node.name].place.start)[0]
            words = {"word": node.name, "line": str(line)}
            raise AnalysisError(Problem("into-repeated", frame.source, node.start, node.end, **words))
        contents[node.name] = SlotContent([*lets, *node.body], frame, frame.slot, node)
    if any(
        not isinstance(node, tree.Let) and not (isinstance(node, tree.Text) and not node.text.strip()) for node in rest
    ):
        contents[""] = SlotContent(rest, frame, frame.slot, place)
    return contents


def slots_in(reading: ParsedTemplate, part: str) -> set[str]:
    """Return the names of the slots of a template or part, also those inside its steps."""
    names: set[str] = set()
    todo: list[tree.Node] = list(reading.parts[part].body if part else reading.body)
    while todo:
        node = todo.pop()
        if isinstance(node, tree.Slot):
            names.add(node.name)
        todo += tree.inside(node)
    return names


def check_contents(frame: Frame, target: tree.Target, contents: dict[str, SlotContent], slots: set[str]) -> None:
    """Refuse content for a slot that is not there."""
    named = sorted(slots - {""})
    for name, content in contents.items():
        if name in slots:
            continue
        if name:
            near = suggestion(name, named, f"Its slots are {', '.join(named)}." if named else "It has no named slots.")
            words = {"target": str(target), "word": name, "near": near}
            start = content.place.name_start if isinstance(content.place, tree.Into) else content.place.start
            raise AnalysisError(Problem("slot-unknown", frame.source, start, start + len(name), **words))
        near = f": {', '.join(named)}" if named else ""
        words = {"target": str(target), "near": near}
        raise AnalysisError(Problem("slot-missing", frame.source, content.place.start, content.place.end, **words))


def check_nesting(
    analysis: PageAnalysis, frame: Frame, target: tree.Target, reading: ParsedTemplate, part: str
) -> None:
    """Refuse what would go on without end when the page is put together."""
    place = (frame.source, target.start, target.end)
    if len(analysis.frames) >= DEEPEST or analysis.calls > MOST_CALLS:
        raise AnalysisError(
            Problem("too-deep", *place, most=DEEPEST if len(analysis.frames) >= DEEPEST else MOST_CALLS)
        )
    names = [active.source.name for active in analysis.frames if active.is_file]
    if not part and reading.source.name in names:
        circle = " → ".join([*names[names.index(reading.source.name) :], reading.source.name])
        raise AnalysisError(Problem("circular", *place, circle=circle))
    same = [active for active in analysis.frames if active.part == part and active.source is reading.source]
    if part and len(same) > _MOST_STATES:
        raise AnalysisError(Problem("part-differs", *place, word=part, first="in one place", second="in ever new ones"))
