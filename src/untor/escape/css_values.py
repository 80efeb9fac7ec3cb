"""Lists of harmless component values (CSS Values 4 §2), such as ``1px solid navy``.

Nothing in them can end a declaration, load anything from elsewhere, or begin a comment: numbers, dimensions, colours,
names, strings, and functions of such, with white space, commas and solidi between them.
"""

from __future__ import annotations

from untor.escape.lazy_patterns import pattern

NUMBER = pattern(r"[+-]?(?:[0-9]+(?:\.[0-9]+)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
NAME = pattern(r"(?:--|-?[A-Za-z_])[A-Za-z0-9_-]*")
COLOUR = pattern(r"#(?:[0-9A-Fa-f]{8}|[0-9A-Fa-f]{6}|[0-9A-Fa-f]{3,4})(?![0-9A-Fa-f])")
DIMENSION = pattern(NUMBER.pattern + r"(?:%|[A-Za-z]{1,8})?")

MATH = frozenset(
    """calc min max clamp round mod rem abs sign sin cos tan asin acos atan atan2 pow sqrt hypot log exp""".split(),
)
"""CSS Values 4 §10: functions with operators between their arguments."""

FUNCTIONS = MATH | frozenset(
    # CSS Color 4 and 5; CSS Values 4 and 5, but none that takes a URL
    """rgb rgba hsl hsla hwb lab lch oklab oklch color color-mix light-dark device-cmyk var env counter counters
    """
    # CSS Transforms 2, Easing 2, Filter Effects 1, Shapes 1
    """translate translatex translatey translatez translate3d scale scalex scaley scalez scale3d rotate rotatex rotatey
    rotatez rotate3d skew skewx skewy matrix matrix3d perspective cubic-bezier steps linear blur brightness contrast
    drop-shadow grayscale hue-rotate invert opacity saturate sepia circle ellipse inset rect xywh polygon
    """
    # CSS Images 4: gradients; CSS Grid 2
    """linear-gradient radial-gradient conic-gradient repeating-linear-gradient repeating-radial-gradient
    repeating-conic-gradient minmax repeat fit-content""".split()
)
"""Functions whose arguments load nothing."""

_FUNCTION = pattern(r"(-?[A-Za-z][A-Za-z0-9-]*)\(")
_ITEM = pattern(rf"{NAME.pattern}|{DIMENSION.pattern}|{COLOUR.pattern}")
_LOCAL = pattern(r"(?ai:url)\(#[A-Za-z0-9_-]+\)")
"""CSS Values 4 §4.5.1: a URL that is only a fragment is of the document itself, and loads nothing."""
_STRING = pattern(r""""([^"\\\n\r\f]*)"|'([^'\\\n\r\f]*)'""")
_SPACE = pattern("[ \t\n\r\f]*")
_SEPARATOR = pattern("[ \t\n\r\f]*[,/][ \t\n\r\f]*|[ \t\n\r\f]+")
_OPERATOR = pattern("[ \t\n\r\f]+[+-][ \t\n\r\f]+|[ \t\n\r\f]*[*][ \t\n\r\f]*")
_TO_ESCAPE = pattern(r"[^ !#%(-;=?-\[\]-_a-z{-~]")
_DEEPEST = 16


def component_values(string: str) -> str | None:
    """Return a printed list of harmless component values; ``None`` if it is not one.

    The list is printed unchanged, except its strings, which are escaped.
    """
    printed: list[str] = []
    opened: list[str] = []
    position, is_expected = 0, True
    while position < len(string):
        step = (_value if is_expected else _after_value)(string, position, opened)
        if step is None or len(opened) > _DEEPEST:
            return None
        text, position, is_expected = step
        printed.append(text)
    return None if is_expected or opened else "".join(printed)


def _value(string: str, position: int, opened: list[str]) -> tuple[str, int, bool] | None:
    """Go over a value, or the beginning of a function; return its text, the position after it, what is expected."""
    match = _LOCAL.match(string, position)
    if match:
        return match[0], match.end(), False
    match = _FUNCTION.match(string, position)
    if match:
        name = match[1].lower()
        if name not in FUNCTIONS:
            return None
        opened.append(name)
        return match[0], _SPACE.match(string, match.end()).end(), True  # type: ignore[union-attr]
    if string[position] == "[":
        # CSS Grid 2 §7.2: names of lines
        opened.append("[")
        return "[", _SPACE.match(string, position + 1).end(), True  # type: ignore[union-attr]
    match = _ITEM.match(string, position)
    if match:
        return match[0], match.end(), False
    match = _STRING.match(string, position)
    if match:
        return f'"{_TO_ESCAPE.sub(escape, match[1] or match[2] or "")}"', match.end(), False
    return None


def _after_value(string: str, position: int, opened: list[str]) -> tuple[str, int, bool] | None:
    """Go over what may come after a value: the end of a function, or what separates it from another."""
    end = _SPACE.match(string, position).end()  # type: ignore[union-attr]
    if end < len(string) and string[end] in ")]":
        if not opened or (opened.pop() == "[") != (string[end] == "]"):
            return None
        return string[end], end + 1, False
    operator = _OPERATOR.match(string, position) if opened and opened[-1] in MATH else None
    match = operator or _SEPARATOR.match(string, position)
    return None if match is None else (match[0], match.end(), True)


def escape(match: object) -> str:
    """Return the escape of a character (CSSOM §2.1)."""
    code = ord(match[0])  # type: ignore[index]
    # "zero, or is for a surrogate, or is greater than the maximum allowed code point" reads as U+FFFD anyway.
    return f"\\{0xFFFD if code == 0 or 0xD800 <= code < 0xE000 else code:x} "  # noqa: PLR2004
