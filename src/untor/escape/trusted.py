"""The trusted kinds: text that its author vouches for, each in its own contexts only (W3C Trusted Types §2.1).

None of them is a ``str``: whatever is done to one (joined, sliced, formatted, passed through a filter) gives plain
text, which is escaped again.
"""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import Never


_NO_REASON = object()


class _Trusted:
    """A value with the reason why it can be trusted; both are text and never change."""

    __slots__ = ("_reason", "_value")

    _value: str
    _reason: str

    if TYPE_CHECKING:

        def __init__(self, value: str, *, reason: str) -> None: ...

    else:

        def __init__(self, value: object, *, reason: object = _NO_REASON) -> None:
            """Vouch for ``value``; ``reason`` describes why it is safe. Raises ``TypeError`` and ``ValueError``."""
            name = type(self).__name__
            if reason is _NO_REASON:
                raise TypeError(f'{name} needs a reason: {name}(text, reason="…") describes why the value is safe')
            if not isinstance(value, str):
                raise TypeError(f"{name} takes text, not {type(value).__name__}")
            if not isinstance(reason, str):
                raise TypeError(f"the reason of {name} is text, not {type(reason).__name__}")
            if not reason.strip():
                raise ValueError(f"{name} needs a reason: say what makes the value safe")
            object.__setattr__(self, "_value", str.__str__(value))
            object.__setattr__(self, "_reason", str.__str__(reason))

    def __init_subclass__(cls, **_: object) -> None:
        if cls.__bases__ != (_Trusted,) or cls.__module__ != __name__:
            raise TypeError("trusted kinds cannot be subclassed")

    @property
    def value(self) -> str:
        """The text itself, which is plain again."""
        return self._value

    @property
    def reason(self) -> str:
        """Why it can be trusted."""
        return self._reason

    def __setattr__(self, name: str, value: object) -> Never:
        raise AttributeError(f"{type(self).__name__} cannot be changed")

    def __delattr__(self, name: str) -> Never:
        raise AttributeError(f"{type(self).__name__} cannot be changed")

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        return _made, (type(self).__name__, self._value, self._reason)

    def __repr__(self) -> str:
        return f"{type(self).__name__}({self._value!r}, reason={self._reason!r})"

    def __str__(self) -> str:
        return self._value

    def __format__(self, spec: str) -> str:
        return format(self._value, spec)

    def __eq__(self, other: object) -> bool:
        if isinstance(other, _Trusted):
            return type(self) is type(other) and self._value == other._value
        return NotImplemented

    def __hash__(self) -> int:
        return hash((type(self).__name__, self._value))

    def __bool__(self) -> bool:
        return bool(self._value)

    def __len__(self) -> int:
        return len(self._value)

    def __iter__(self) -> Iterator[str]:
        return iter(self._value)

    def __contains__(self, part: str) -> bool:
        return part in self._value

    def __getitem__(self, index: int | slice) -> str:
        return self._value[index]

    def __add__(self, other: object) -> str:
        return self._value + str(other) if isinstance(other, str | _Trusted) else NotImplemented

    def __radd__(self, other: object) -> str:
        return other + self._value if isinstance(other, str) else NotImplemented


class TrustedHTML(_Trusted):
    """HTML that is printed unescaped in text."""

    __slots__ = ()


class TrustedScript(_Trusted):
    """JavaScript that is printed unescaped in place of an expression or a statement."""

    __slots__ = ()


class TrustedScriptURL(_Trusted):
    """A URL that code may be loaded from."""

    __slots__ = ()


class TrustedURL(_Trusted):
    """A URL of any scheme that may be followed."""

    __slots__ = ()


class TrustedCSS(_Trusted):
    """CSS that is printed unescaped in place of a value, declarations or rules."""

    __slots__ = ()


KINDS = {kind.__name__: kind for kind in (TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL, TrustedCSS)}
"""The trusted kinds by name."""

for _kind in KINDS.values():
    _kind.__module__ = "untor"


def _made(kind: str, value: str, reason: str) -> _Trusted:
    """Make a trusted value anew when it is copied or sent to another process."""
    return KINDS[kind](value, reason=reason)


def html_of(value: object) -> str | None:
    """Return the HTML of a value that is HTML: ``TrustedHTML``, or an object whose type has ``__html__``."""
    if type(value) is TrustedHTML:
        return value.value
    method = getattr(type(value), "__html__", None)
    return None if method is None else str.__str__(method(value))
