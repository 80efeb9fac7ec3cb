"""The exceptions of a filter or an expression that cannot do its work."""

from __future__ import annotations

from untor.diagnostics.wording import with_article


class FilterProblem(ValueError):  # noqa: N818  its text is the whole message
    """Raised by a filter for a value or an argument that it cannot take; its text is a sentence for people."""


class NotComputable(TypeError):  # noqa: N818  its text is the whole message
    """Raised for what an expression of the language does not compute: a sentence for people, and the ``remedy``."""

    def __init__(self, what: str, remedy: str) -> None:
        super().__init__(what)
        self.remedy = remedy


def unfit(needs: str, value: object) -> FilterProblem:
    """Return the exception for a value of a kind that a filter does not work on."""
    kind = type(value).__name__
    return FilterProblem(f"it works on {needs}, not on {with_article(kind)}.")
