"""The parameters of a template: checks of the values passed to it."""

from __future__ import annotations

from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.wording import with_article
from untor.errors import MissingValue, RenderError
from untor.escape import MISSING, kinds
from untor.escape.kinds import is_absent, kind_of, value_of_member
from untor.runtime.attributes import missing_name
from untor.types.parameter_types import is_mapping, type_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping


class _Key:
    """A key that no data can have."""

    __slots__ = ()

    def __repr__(self) -> str:
        return "<the page's nonce>"


TAKEN = 1
"""How a program marks a name that is one of the page's parameters."""

NONCE = _Key()
"""The key of the printed nonce attribute in the context of a page that is being answered."""


def check(value: object, name: str, wanted: str, none: bool) -> object:  # noqa: FBT001  generated code calls it
    """Return a value that has the type that is taken. Raises ``RenderError`` for another."""
    if value is MISSING or (none and is_absent(value)):
        return value
    words, fits = type_of(wanted)
    if fits(value):
        return value
    what = "None" if value is None else with_article(type(value).__name__)
    raise RenderError(
        Problem("takes-type", word=name, wanted=words, what=what, remedy=_remedy(value, name, wanted)),
    )


def _remedy(value: object, name: str, wanted: str) -> str:
    kind = kind_of(value)
    if kind == kinds.ABSENT:
        return f"If it may be None, say so: {name}: {wanted} | None."
    if kind == kinds.ENUM and type_of(wanted)[1](value_of_member(value)):
        return f"Pass its value: {name}.value."
    if wanted in {"int", "float", "decimal"} and isinstance(value, str):
        return f"Turn it into a number in the view: {'Decimal' if wanted == 'decimal' else wanted}(…)."
    if wanted == "dict" and kind == kinds.ROW:
        return "Make a dict of it in the view: dict(…)."
    if wanted == "list" and hasattr(type(value), "__iter__") and not isinstance(value, str) and not is_mapping(value):
        return "Make a list of it in the view: list(…)."
    return ""


def takes_missing(name: str, scope: Iterable[str]) -> object:
    """Raise ``MissingValue`` for what a page was not given."""
    near = suggestion(name, scope, "Pass it to render, or give it a default in the takes step.")
    raise MissingValue(Problem("takes-missing", word=name, near=near))


def missing(how: int, name: str, names: Mapping[str, object] | tuple[str, ...]) -> object:
    """Raise ``MissingValue`` for a name, as a program requests it: of a page, of its parameters, or of a piece."""
    return takes_missing(name, names) if how == TAKEN else missing_name(name, names)
