"""The text that a value is printed as, before any escaping."""

from __future__ import annotations

from types import FunctionType

from untor.escape import kinds
from untor.escape.kinds import MISSING, full_name, is_absent, kind_of, plain_types, scalar_of, value_of_member
from untor.escape.lazy_patterns import pattern

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

FORBIDDEN = pattern("[\x00-\x08\x0b\x0e-\x1f\x7f-\x9f\ud800-\udfff]")
"""Control characters that HTML forbids (HTML §13.1.4: controls other than ASCII white space), and lone surrogates."""

SURROGATES = pattern("[\ud800-\udfff]")


class NotPrintable(TypeError):  # noqa: N818  the name describes the error
    """A value of a kind that is never meant to be printed: ``what`` it is and the ``remedy``.

    ``path`` leads to it from the printed value where it is inside of that: ``[1].owner``.
    """

    def __init__(self, what: str, remedy: str, path: str = "") -> None:
        super().__init__(what, remedy)
        self.what = what
        self.remedy = remedy
        self.path = path


def printed(value: object) -> str:
    """Return the text of a value: ``str()`` of it, nothing for ``None``, missing values, NaN and the like.

    A member of an enumeration is printed as its value. The result is always an exact ``str``, so that no subclass can
    bring methods of its own. Raises ``NotPrintable`` for what nobody wants to see in a page (bytes, functions,
    awaitables, collections, objects without a text of their own), and whatever ``__str__`` raises.
    """
    kind = type(value)
    if kind is str:
        return value  # type: ignore[return-value]
    if kind is int:
        return repr(value)
    if kind is float:
        return repr(value) if value == value else ""  # noqa: PLR0124  NaN is not itself
    if value is None or value is MISSING:
        return ""
    text = _text_of(value)
    return text if type(text) is str else str.__str__(text)


_has_text: dict[type, bool] = {}
"""Whether the values of a type have a text, and one that is theirs to print."""
_MOST_TYPES = 1000


def _text_of(value: Any) -> str:
    kind = type(value)
    has_text = _has_text.get(kind)
    if has_text is None:
        has_text = _seen(kind, kind_of(value))
    if has_text and (kind in plain_types or not is_absent(value)):
        return str(value)
    return _other_text(value)


def _other_text(value: Any) -> str:
    kind = kind_of(value)
    if is_absent(value):
        return ""
    if kind == kinds.ENUM:
        return printed(value_of_member(value))
    if kind == kinds.ARRAY and (scalar := scalar_of(value)) is not MISSING:
        return printed(scalar)
    if kind in {kinds.OBJECT, kinds.MODEL} and _repr_is_written(type(value)):
        text = str(value)
        if not _ADDRESS.search(text):
            return text
    raise not_printable(value)


_ADDRESS = pattern(r" at 0x[0-9A-Fa-f]+>+\Z")
_ALWAYS = frozenset({
    kinds.TEXT, kinds.BOOLEAN, kinds.INTEGER, kinds.FLOAT, kinds.COMPLEX, kinds.DECIMAL, kinds.FRACTION, kinds.MOMENT,
    kinds.DURATION, kinds.WORD, kinds.NUMPY_MOMENT, kinds.NUMPY_DURATION,
})  # fmt: skip
"""Kinds of single values, each of which has its text."""
_OF_CLASS = frozenset({kinds.SEQUENCE, kinds.SET, kinds.MAPPING, kinds.ROW, kinds.MODEL, kinds.OBJECT})
"""Kinds whose classes may have a text of their own."""

_LIBRARY_TEXTS = frozenset({
    "builtins.object",
    "builtins.mappingproxy",
    "numpy.void",
    "polars.lazyframe.frame.LazyFrame",
    "pydantic._internal._repr.Representation",
    "pydantic.main.BaseModel",
    "pydantic.v1.main.BaseModel",
    "pydantic.v1.utils.Representation",
    "sqlmodel.main.SQLModel",
})  # fmt: skip
"""Classes whose ``__str__`` is for debugging: it shows all fields, or an address in memory."""


def _seen(kind: type, of_kind: str) -> bool:
    if len(_has_text) >= _MOST_TYPES:
        _has_text.clear()
    is_own = full_name(_definer(kind, "__str__")) not in _LIBRARY_TEXTS
    _has_text[kind] = of_kind in _ALWAYS or (of_kind in _OF_CLASS and is_own)
    return _has_text[kind]


def has_text(kind: type) -> bool:
    """Return whether values of a class may be printed: that of an array or an object only one that has a text."""
    of_kind = kinds.kind_of_class(kind)
    if of_kind in {kinds.ENUM, kinds.ABSENT, kinds.ARRAY}:
        return True
    return _seen(kind, of_kind) or (of_kind in {kinds.OBJECT, kinds.MODEL} and _repr_is_written(kind))


def _definer(kind: type, method: str) -> type:
    return next(base for base in kind.__mro__ if method in base.__dict__)


def _repr_is_written(kind: type) -> bool:
    """Return whether somebody wrote the ``__repr__`` of a class, so that it is a text to show."""
    definer = _definer(kind, "__repr__")
    method = definer.__dict__["__repr__"]
    if not isinstance(method, FunctionType) or full_name(definer) in _LIBRARY_TEXTS:
        return False
    if "__dataclass_fields__" in definer.__dict__:
        method = getattr(method, "__wrapped__", method)
        return method.__code__.co_filename != "<string>" or method is definer.__dict__["__repr__"]
    return not method.__code__.co_filename.startswith("<attrs generated")


_REMEDIES = {
    kinds.BYTES: 'Decode it in the view: data.decode("utf-8").',
    kinds.FUNCTION: "Call it in the view, or use a filter: value | filter.",
    kinds.CLASS: "Pass on what the page needs of it.",
    kinds.AWAITABLE: "Await it in the view, or render the page with render_async or page_async.",
    kinds.FRAME: "Print it with | table, or loop over its rows.",
    kinds.MAPPING: "Print one of its items, loop over it, or write it as data with | json.",
    kinds.ROW: "Print one of its columns, or write it as data with | json.",
    kinds.MODEL: "Print one of its fields, give its class a __str__ method, or write it as data with | json.",
    kinds.ELEMENT: "Print its text, such as element.text.",
    kinds.OBJECT: "Print one of its attributes, or give its class a __str__ method.",
}
_COLLECTION = 'Loop over its items, print them with | join(", "), or write them as data with | json.'


def not_printable(value: Any) -> NotPrintable:
    """Return the exception for a value that has no text to show."""
    return NotPrintable(described(value), _REMEDIES.get(kind_of(value), _COLLECTION))


def described(value: Any) -> str:
    """Return what a value is, in words, at the beginning of a sentence."""
    kind, name = kind_of(value), type(value).__name__
    if kind == kinds.BYTES:
        return "A value of bytes"
    if kind == kinds.FUNCTION:
        own = getattr(value, "__name__", "")
        return f'The function or method "{own}"' if own else "A function"
    if kind == kinds.CLASS:
        return f"The class {value.__name__}"
    if kind == kinds.AWAITABLE:
        return f"An awaitable ({name})"
    noun = with_article(name)
    noun = f"{noun[0].upper()}{noun[1:]}"
    return f"{noun}, whose class has no text of its own," if kind in {kinds.OBJECT, kinds.MODEL} else noun


_VOWEL = pattern(r"(?ai)[aeio]|nd|[fhlmnrsx]\Z|u(?!i|[bcdfghjklmnpqrstvwxyz][aeiou])")


def with_article(noun: str) -> str:
    """Return a noun with its indefinite article: ``an int``, ``a str``, ``a UserDict``; ``None`` has none."""
    if noun == "NoneType":
        return "None"
    return f"{'an' if _VOWEL.match(noun) else 'a'} {noun}"
