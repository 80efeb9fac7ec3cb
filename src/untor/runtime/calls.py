"""What templates may call: functions among the values and helpers; methods of data only if the engine permits it."""

from __future__ import annotations

from types import BuiltinFunctionType, FunctionType, MethodType, ModuleType

from untor.diagnostics.problem import Problem
from untor.diagnostics.wording import with_article
from untor.errors import MissingValue, RenderError
from untor.escape import MISSING
from untor.runtime.attributes import dot
from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

_FORMATTERS = frozenset({"format", "format_map"})
"""Methods of text that read attributes by names made up at run time."""


class Calls:
    """Decides what may be called, for one engine; ``helpers`` are its own functions of any kind."""

    def __init__(self, helpers: dict[str, Callable[..., object]], *, methods: bool) -> None:
        self.helpers = helpers
        self.methods = methods

    def callee(self, value: object, shown: str) -> object:
        """Return a value that may be called. Raises ``RenderError`` for any other."""
        if isinstance(value, FunctionType):
            return value
        if any(value is helper for helper in self.helpers.values()):
            return value
        if isinstance(value, BuiltinFunctionType) and (
            value.__self__ is None or isinstance(value.__self__, ModuleType)
        ):
            return value
        if value is MISSING:
            raise MissingValue(Problem("name-missing", word=shown, near=""))
        if _is_partial(value):
            return value
        if isinstance(value, MethodType | BuiltinFunctionType):
            return self._method(value, shown)
        remedy = "Only functions of the context and helpers can be called."
        what = "None" if value is None else with_article(type(value).__name__)
        raise RenderError(Problem("not-callable", what=f'"{shown}" is {what} and', remedy=remedy))

    def callee_of(self, owner: object, name: str, shown: str) -> object:
        """Return ``owner.name`` to call it: an item of a mapping, or a method where methods may be called."""
        value = dot(owner, name)
        if is_mapping(owner):
            return self.callee(value, shown)
        return self._method(value, shown)

    def _method(self, value: object, shown: str) -> object:
        if not self.methods:
            remedy = 'Use a filter, call it in the view, or allow methods: Engine(…, calls="methods").'
            raise RenderError(Problem("not-callable", what=f'The method "{shown}"', remedy=remedy))
        owner = getattr(value, "__self__", None)
        name = getattr(value, "__name__", "")
        if not isinstance(value, FunctionType | MethodType | BuiltinFunctionType) or name.startswith("_"):
            remedy = "Only functions and methods can be called."
            raise RenderError(Problem("not-callable", what=f'"{shown}"', remedy=remedy))
        if isinstance(owner, str | type) and (name in _FORMATTERS or isinstance(owner, type)):
            remedy = "It could read what is out of reach of templates. Use + or a filter."
            raise RenderError(Problem("not-callable", what=f'The method "{shown}"', remedy=remedy))
        return value


def _is_partial(value: object) -> bool:
    from functools import partial  # noqa: PLC0415  loaded already; the name is needed only here

    return isinstance(value, partial)
