"""Regular expressions that are compiled at their first use: most pages need few of them, or none."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    import re
    from typing import Any

_METHODS = ("findall", "finditer", "fullmatch", "match", "search", "split", "sub")


class _Pattern:
    """A pattern that is compiled at its first use and then has the compiled methods itself."""

    __slots__ = ("pattern", *_METHODS)

    def __init__(self, pattern: str) -> None:
        self.pattern = pattern

    if not TYPE_CHECKING:  # pragma: no branch

        def __getattr__(self, name: str) -> Any:
            if name not in _METHODS:
                raise AttributeError(name)
            import re  # noqa: PLC0415

            expression = re.compile(self.pattern)
            for each in _METHODS:
                setattr(self, each, getattr(expression, each))
            return getattr(expression, name)


def pattern(expression: str) -> re.Pattern[str]:
    """Return a regular expression; flags are written inside it: ``(?ai)``."""
    return _Pattern(expression)  # type: ignore[return-value]
