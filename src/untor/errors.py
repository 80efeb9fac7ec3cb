"""The exceptions of Untor.

One base for all, and a class for each kind of error that callers distinguish::

    UntorError
    ├── TemplateMissing     there is no template of that name
    ├── MarkError           a mark, step or expression that cannot be read
    ├── PlacementError      a value where no escaping can keep the page's structure
    ├── RenderError         rendering failed: a value, filter or type that does not fit
    │   └── MissingValue    a name, attribute, key or item that is not there
    └── DataError           a data file that cannot be read

Each carries its ``problem``; its text is the whole message: place, sentence, excerpt and hint.
"""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.problem import Problem


class UntorError(Exception):
    """Anything that Untor refuses or that fails inside a template."""

    __module__ = "untor"

    def __init__(self, problem: Problem) -> None:
        super().__init__(problem)
        self.problem = problem

    @property
    def code(self) -> str:
        """The kind of problem, a key of ``untor.diagnostics.problem.CODES``."""
        return self.problem.code

    @property
    def message(self) -> str:
        """What is wrong, in one sentence."""
        return self.problem.message

    @property
    def hint(self) -> str:
        """What to do about it; empty if the message is enough."""
        return self.problem.hint

    @property
    def name(self) -> str:
        """The name of the template or data file; empty if the error is about neither."""
        return self.problem.source.name if self.problem.source else ""

    @property
    def line(self) -> int | None:
        """The line, from 1; ``None`` when the problem is in no line."""
        return self.problem.source.position(self.problem.start)[0] if self.problem.source else None

    @property
    def column(self) -> int | None:
        """The column, in code points from 1; ``None`` when the problem is in no line."""
        return self.problem.source.position(self.problem.start)[1] if self.problem.source else None

    @property
    def excerpt(self) -> str:
        """The line with carets under the place; empty when the problem is in no line."""
        return self.problem.source.excerpt(self.problem.start, self.problem.end) if self.problem.source else ""

    @property
    def chain(self) -> tuple[str, ...]:
        """How the page got there, innermost first: ``included by board.html, line 4``; empty for the page itself."""
        return self.problem.chain

    def __str__(self) -> str:
        place = f"{self.name}, line {self.line}, column {self.column}" if self.problem.source else ""
        place = f"{', '.join((place, *self.chain))}: " if place else ""
        hint = "\n".join(f"  {line}" for line in self.hint.splitlines())
        return "\n".join(part for part in (place + self.message, self.excerpt, hint) if part)


class TemplateMissing(UntorError):  # noqa: N818  the name describes the error
    """The engine's folders have no template of that name."""

    __module__ = "untor"


class MarkError(UntorError):
    """A mark, step or expression that cannot be read."""

    __module__ = "untor"


class PlacementError(UntorError):
    """A value is printed where no escaping can guarantee that the page keeps its structure."""

    __module__ = "untor"


class RenderError(UntorError):
    """Rendering failed; the exception of the value, filter or helper is its ``__cause__``."""

    __module__ = "untor"


class MissingValue(RenderError):  # noqa: N818  the name describes the error
    """A name, attribute, key or item that is not there."""

    __module__ = "untor"


class DataError(UntorError):
    """A data file that cannot be read."""

    __module__ = "untor"


ERRORS: dict[str, type[UntorError]] = {
    kind.__name__: kind for kind in (TemplateMissing, MarkError, PlacementError, RenderError, MissingValue, DataError)
}
"""The exception class of each name in the table of problem codes."""


def error_of(problem: Problem) -> UntorError:
    """Return the exception that carries a problem."""
    return ERRORS[problem.kind.error](problem)
