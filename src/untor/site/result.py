"""What a build has done."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Self

from untor.diagnostics.wording import counted

if TYPE_CHECKING:
    from untor.site.link_check import BrokenLink

MOST_FAILURES = 1000
"""How many failures are kept; the others are counted."""


@dataclass(frozen=True, slots=True)
class Failure:
    """A page that was not built: its path, the record that it is made from (empty for none), and the error.

    Where several pages have the same cause (a template that does not compile, data that cannot be read), ``path`` is
    the one in the table of pages, with its fields.
    """

    path: str
    record: str
    error: Exception

    __module__ = "untor"

    @property
    def title(self) -> str:
        """The page and the record, as messages name them."""
        return f"{self.path}, {self.record}" if self.record else self.path


@dataclass(slots=True)
class BuildResult:
    """What a build has done, in numbers of files, and what it could not do.

    ``pages`` are those that the site has; ``written`` those whose text is new or another than before; ``rendered``
    includes the ones whose text came out the same. ``removed`` are files of earlier builds that are in the site no
    longer. ``failed`` counts the pages that could not be built, of which ``failures`` has the first thousand.
    ``broken`` are links that lead nowhere, where they have been checked.
    """

    pages: int = 0
    rendered: int = 0
    written: int = 0
    static: int = 0
    copied: int = 0
    removed: int = 0
    failed: int = 0
    failures: list[Failure] = field(default_factory=list)
    broken: list[BrokenLink] = field(default_factory=list)

    __module__ = "untor"

    def fail(self, path: str, record: str, error: Exception, pages: int = 1) -> None:
        """Note a failure, of several pages where they have the same cause."""
        self.failed += pages
        if len(self.failures) < MOST_FAILURES:
            self.failures.append(Failure(path, record, error))


class BuildFailed(ExceptionGroup[Exception]):
    """Some pages could not be built; the others were. ``result`` says what was done.

    It is a group of the errors, for ``except*``; each has a note that names its page and record.
    """

    __module__ = "untor"

    result: BuildResult

    def __new__(cls, result: BuildResult) -> Self:
        """Make the group of the errors of a result."""
        errors = []
        for failure in result.failures:
            if failure.title not in getattr(failure.error, "__notes__", ()):
                failure.error.add_note(failure.title)
            errors.append(failure.error)
        group = super().__new__(cls, f"{counted(result.failed, 'page')} could not be built", errors)
        group.result = result
        return group
