"""The text that a value is printed as, before any escaping."""

from __future__ import annotations

from types import (
    BuiltinFunctionType,
    ClassMethodDescriptorType,
    FunctionType,
    MethodDescriptorType,
    MethodType,
    MethodWrapperType,
    WrapperDescriptorType,
)

from untor.escape.lazy_patterns import pattern

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator


class Missing:
    """The value of what is not there and may be missing; prints as nothing, is false, has no items."""

    __slots__ = ()

    def __bool__(self) -> bool:
        return False

    def __len__(self) -> int:
        return 0

    def __iter__(self) -> Iterator[object]:
        return iter(())

    def __repr__(self) -> str:
        return "missing"

    def __reduce__(self) -> str:
        return "MISSING"


MISSING = Missing()
"""The one instance of ``Missing``."""

_BYTES = (bytes, bytearray, memoryview)
FUNCTIONS = (
    FunctionType,
    BuiltinFunctionType,
    MethodType,
    MethodDescriptorType,
    MethodWrapperType,
    WrapperDescriptorType,
    ClassMethodDescriptorType,
)

FORBIDDEN = pattern("[\x00-\x08\x0b\x0e-\x1f\x7f-\x9f\ud800-\udfff]")
"""Control characters that HTML forbids (HTML §13.1.4: controls other than ASCII white space), and lone surrogates."""

SURROGATES = pattern("[\ud800-\udfff]")


class NotPrintable(TypeError):  # noqa: N818  the name says what is the matter
    """A value of a kind that is never meant to be printed: ``what`` it is and the ``remedy``."""

    def __init__(self, what: str, remedy: str) -> None:
        super().__init__(what, remedy)
        self.what = what
        self.remedy = remedy


def printed(value: object) -> str:
    """Return the text of a value: ``str()`` of it, nothing for ``None`` and missing values.

    The result is always an exact ``str``, so that no subclass can bring methods of its own.
    Raises ``NotPrintable`` for bytes, functions, methods and awaitables, and whatever ``__str__`` raises.
    """
    kind = type(value)
    if kind is str:
        return value  # type: ignore[return-value]
    if kind is int or kind is float:
        return repr(value)
    if value is None or value is MISSING:
        return ""
    if isinstance(value, _BYTES):
        raise NotPrintable("A value of bytes", 'Decode it in the view: data.decode("utf-8").')
    if isinstance(value, FUNCTIONS):
        name = getattr(value, "__name__", "function")
        raise NotPrintable(f'The function or method "{name}"', "Call it in the view, or use a filter: value | filter.")
    if isinstance(value, type):
        raise NotPrintable(f"The class {value.__name__}", "Pass on what the page needs of it.")
    if kind.__name__ == "partial" and kind.__module__ == "functools":
        raise NotPrintable("A function", "Call it in the view, or use a filter: value | filter.")
    if hasattr(kind, "__await__"):
        raise NotPrintable(f"An awaitable ({kind.__name__})", "Await it in the view and pass on the result.")
    text = str(value)
    return text if type(text) is str else str.__str__(text)
