"""Escaping for CSS (CSS Syntax Level 3 §4.3; CSSOM §2.1 "serialize an identifier", "serialize a string").

What these functions return is ASCII without ``< > &``, so that it can never end a style element, and is read the same
in every ASCII-compatible encoding. There are quotes in it only around the strings of a list.
"""

from __future__ import annotations

from untor.escape.css_values import COLOUR, DIMENSION, NAME, NUMBER, component_values, escape
from untor.escape.kinds import is_absent
from untor.escape.lazy_patterns import pattern
from untor.escape.printing import NotPrintable, printed
from untor.escape.trusted import TrustedCSS
from untor.escape.url import log_blocked

BLOCKED = "untor-blocked()"
"""What is printed instead of a blocked value: a function that no property accepts, so that a browser
drops the declaration (CSS Syntax §5.4.4)."""

_PIECE = pattern(r"[A-Za-z0-9_-]*(?:\.[0-9]+)?")
# CSS Color 4 §4, CSS Values 4 §10: functions whose arguments are numbers and names only.
_FUNCTION = pattern(
    r"(?ai:(?:rgba?|hsla?|hwb|lab|lch|oklab|oklch|color|calc|min|max|clamp|var|translate[XYZ]?|translate3d|scale[XYZ]?"
    r"|rotate[XYZ]?|skew[XY]?|cubic-bezier|steps|blur|brightness|contrast|grayscale|opacity|saturate)"
    r"\([A-Za-z0-9_.,% +-]*(?: ?/ ?[A-Za-z0-9_.% +-]+)?\))"
)
_SAFE = pattern(f"{NAME.pattern}|{DIMENSION.pattern}|{_FUNCTION.pattern}")
"""All but colours by their digits, which begin with a sign of their own."""
_TO_ESCAPE_IN_STRING = pattern(r"[^ !#%(-;=?-\[\]-_a-z{-~]")
_TO_ESCAPE_IN_NAME = pattern("[^A-Za-z0-9_-]")


def style_string(value: object) -> str:
    """Escape for the inside of a string in quotes of either kind."""
    return _TO_ESCAPE_IN_STRING.sub(escape, printed(value))


def style_name(value: object) -> str:
    """Escape as a whole name: of a class, an id, an element; an empty one becomes a name that matches nothing."""
    string = printed(value)
    if NAME.fullmatch(string):
        return string
    if not string or string == "-":
        return _blocked(string, "untor-blocked")
    first = string[0]
    if first.isascii() and (first.isdigit() or (first == "-" and string[1] in "-0123456789")):
        return f"\\{ord(first):x} " + _TO_ESCAPE_IN_NAME.sub(escape, string[1:])
    return _TO_ESCAPE_IN_NAME.sub(escape, string)


def style_name_part(value: object) -> str:
    """Escape as the part of a name that begins in fixed text."""
    if type(value) is int and value >= 0:
        return repr(value)
    return _TO_ESCAPE_IN_NAME.sub(escape, printed(value))


RESERVED = frozenset(
    "none and or not only layer auto initial inherit unset revert revert-layer revert-rule default".split()
)
"""CSS Values 4 §4.2: words that are not custom identifiers; CSS Animations §3, Conditional 5 §5, Page 3 §4."""


def style_custom_name(value: object) -> str:
    """Escape as the name of something that a style sheet makes: of key frames, a container, a layer.

    A word that CSS keeps for itself would drop the rule: in its place stands a name that nothing has.
    """
    string = printed(value)
    if string.strip().lower() in RESERVED:
        return _blocked(string, "untor-blocked")
    return style_name(string)


def style_keyframes(value: object) -> str:
    """Escape as the name of key frames, which may be a string (CSS Animations 1 §3): a word that CSS keeps is one."""
    string = printed(value)
    return f'"{string.lower()}"' if string.lower() in RESERVED else style_name(string)


_NTH = pattern("(?ai)_*(?:even|odd|[+-]?[0-9]+|[+-]?[0-9]*n(?:_*[+-]_*[0-9]+)?)_*".replace("_", r"[ \t\n\r\f]"))
"""CSS Syntax 3 §6.2: the notation ``an+b``."""


def style_nth(value: object) -> str:
    """Print ``an+b``; anything else becomes ``0``, which matches nothing."""
    string = printed(value)
    if _NTH.fullmatch(string):
        return string.strip(" \t\n\r\f")
    log_blocked(f"the style value {string!r}", "it is not an+b")
    return "0"


def style_value(value: object) -> str:
    """Print one harmless value: a number, dimension, percentage, colour, name or safe function; block all else."""
    if type(value) is TrustedCSS:
        return value.value
    string = _stripped(value)
    return string if _is_one(string) else _blocked(string, BLOCKED)


def style_list(value: object) -> str:
    """Print a list of harmless values: numbers, colours, names, strings, functions of such; block all else."""
    kind = type(value)
    if kind is int:
        return repr(value)
    if kind is str and _is_one(value):  # type: ignore[arg-type]
        return value  # type: ignore[return-value]
    if kind is TrustedCSS:
        return value.value  # type: ignore[attr-defined, no-any-return]
    string = _stripped(value)
    if string is not value and _is_one(string):
        return string
    values = component_values(string)
    return values if values is not None else _blocked(string, BLOCKED, _NOT_ALL)


def style_value_part(value: object) -> str:
    """Print a number or name that is joined with fixed text, as in ``{= width =}px``."""
    string = _stripped(value)
    if not string or NUMBER.fullmatch(string) or _PIECE.fullmatch(string):
        return string
    return _blocked(string, "untor-blocked")


def style_rules(value: object) -> str:
    """Print trusted CSS as declarations or rules. Raises ``NotPrintable`` for plain text, which cannot be judged."""
    if type(value) is TrustedCSS:
        # CSS is trusted as CSS: it still must not end its element.
        return value.value.replace("</", "<\\/")
    if is_absent(value):
        return ""
    raise NotPrintable(
        "A value as a whole rule or declaration of a style",
        "Write the property out and print its value; write the . or # of a selector, as in .{= name =}; or pass CSS "
        "that you vouch for as a TrustedCSS.",
    )


def _stripped(value: object) -> str:
    string = value if type(value) is str else _number(value) or printed(value)
    return string.strip(" \t\n\r\f")


def _is_one(string: str) -> bool:
    """Return whether a string is empty, or one harmless value."""
    return not string or (COLOUR if string[:1] == "#" else _SAFE).fullmatch(string) is not None


def _number(value: object) -> str:
    """Return the digits of a number as CSS writes them; empty for other values."""
    if type(value) is int:
        return repr(value)
    if isinstance(value, bool) or not isinstance(value, int | float) or is_absent(value):
        return ""
    if isinstance(value, int):
        return int.__repr__(value)
    number = float.__float__(value)
    return repr(number) if number - number == 0 else "not a number"


_NOT_ONE = "it is not one number, colour, name or safe function"
_NOT_ALL = "it is not made of numbers, colours, names, strings and safe functions"


def _blocked(string: str, instead: str, why: str = _NOT_ONE) -> str:
    log_blocked(f"the style value {string!r}", why)
    return instead
