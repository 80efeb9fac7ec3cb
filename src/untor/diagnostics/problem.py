"""What can be wrong with a template, as data: the record of one problem.

Each code is here once, with its message, hint, an input that causes it and the fixed input.
Tests, documentation and the command line all read this table.
"""

from __future__ import annotations

from untor.diagnostics.codes import CODES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    from untor.diagnostics.codes import Code
    from untor.diagnostics.edits import Edit
    from untor.diagnostics.source import Source

__all__ = ["CODES", "Problem", "nearest", "suggestion"]


class Problem:
    """One thing that is wrong, at one place of a source.

    ``code`` names the kind in the table ``CODES``; ``message`` and ``hint`` are sentences for people;
    ``source`` with ``start`` and ``end`` (offsets) is the place, where there is one. ``related`` are other places that
    have to do with it, each a sentence, a source and two offsets. ``chain`` is how the page
    got there, innermost first. ``known_edits`` are those that the one who found it knows.
    """

    __module__ = "untor"

    __slots__ = ("chain", "code", "end", "hint", "known_edits", "message", "related", "source", "start")

    def __init__(
        self,
        code: str,
        source: Source | None = None,
        start: int = 0,
        end: int | None = None,
        /,
        *,
        hint: str | None = None,
        **words: object,
    ) -> None:
        kind = kind_of(code)
        self.code = code
        self.source = source
        self.start = start
        self.end = start + 1 if end is None else end
        self.message = kind.message.format(**words)
        self.hint = kind.hint.format(**words) if hint is None else hint
        self.related: tuple[tuple[str, Source, int, int], ...] = ()
        self.chain: tuple[str, ...] = ()
        self.known_edits: tuple[Edit, ...] = ()

    @property
    def kind(self) -> Code:
        """The row of the table."""
        return kind_of(self.code)

    @property
    def edits(self) -> list[Edit]:
        """What the hint says, as changes of the source; one of them is enough."""
        from untor.diagnostics.edits import edits_of  # noqa: PLC0415  only editors ask

        return edits_of(self)

    def beside(self, *related: tuple[str, Source, int, int]) -> Problem:
        """Name other places that have to do with it, and return the problem."""
        self.related = related
        return self

    def at(self, source: Source, start: int, end: int) -> None:
        """Say where the problem is, when that was not known to the one who found it."""
        self.source, self.start, self.end = source, start, end

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        return _restore, tuple(getattr(self, name) for name in self.__slots__)

    def __repr__(self) -> str:
        return f"<Problem {self.code} {self.source.name if self.source else ''}:{self.start}-{self.end}>"


def kind_of(code: str) -> Code:
    """Return the row of a code, of a problem or of a rule of the checker."""
    if code in CODES:
        return CODES[code]
    from untor.diagnostics.rules import RULES  # noqa: PLC0415  only the checker needs it

    return RULES[code]


def _restore(*values: object) -> Problem:
    problem = Problem.__new__(Problem)
    for name, value in zip(Problem.__slots__, values, strict=True):
        setattr(problem, name, value)
    return problem


_MUCH_LESS = 0.15
"""How much less alike than the best a name may be to be suggested too."""


_ALIKE = 0.72
"""From how alike a name is suggested: one letter more, less or other in four."""


def nearest(word: str, known: Iterable[object]) -> list[str]:
    """Return the known names that a mistyped one may have meant, best first, at most three."""
    from difflib import SequenceMatcher, get_close_matches  # noqa: PLC0415  only needed once something is wrong

    names = sorted({name for name in known if isinstance(name, str)})
    folded = {name.lower(): name for name in names}
    written = word.lower()[:80]
    close = get_close_matches(written, list(folded), n=3, cutoff=_ALIKE)
    alike = [SequenceMatcher(None, found, written).ratio() for found in close]
    near = [folded[found] for found, ratio in zip(close, alike, strict=True) if ratio > alike[0] - _MUCH_LESS]
    swapped = [name for each, name in folded.items() if sorted(each) == sorted(written)]
    begun = [name for name in names if len(word) > 1 and name.lower().startswith(written)]
    return near or swapped[:1] or begun[:3]


def suggestion(word: str, known: Iterable[object], otherwise: str = "") -> str:
    """Say "Did you mean …?" about a mistyped name, or ``otherwise`` when nothing is near."""
    near = [f'"{name}"' for name in nearest(word, known)]
    if not near:
        return otherwise
    return f"Did you mean {' or '.join([', '.join(near[:-1]), near[-1]] if len(near) > 1 else near)}?"
