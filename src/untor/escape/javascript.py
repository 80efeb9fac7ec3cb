"""Escaping for JavaScript and JSON (ECMAScript §12, §13.2; RFC 8259).

What these functions return is ASCII without ``< > &``, so that it can never end a script element (HTML §13.2.5.4), is
read the same in every ASCII-compatible encoding, and is the same in scripts and modules.
"""

from __future__ import annotations

import json.encoder
from json.encoder import JSONEncoder, encode_basestring_ascii

from untor.escape.accelerated import configure, plain_data
from untor.escape.kinds import is_absent
from untor.escape.lazy_patterns import pattern
from untor.escape.printing import NotPrintable, printed
from untor.escape.script_values import JsonText, Number, scripted
from untor.escape.trusted import TrustedScript, html_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    import re
    from collections.abc import Callable

_UNESCAPED = pattern(r"[ !#%(-;=?-\[\]-_a-z{-~]*")
"""Characters that mean nothing in a string, a template literal or markup (``]`` with ``>`` ends a CDATA section)."""
_NOT_ALPHANUMERIC = pattern("[^0-9A-Za-z]")
_SAFE_INTEGER = 2**53 - 1


def _quoted(string: str) -> str:
    """Return text as a string literal in double quotes, of JavaScript and JSON alike."""
    return _without_markup(encode_basestring_ascii(string))


def _without_markup(literals: str) -> str:
    """Escape what means something in markup, which JSON has in its strings only."""
    if "<" in literals:
        literals = literals.replace("<", "\\u003c")
    if ">" in literals:
        literals = literals.replace(">", "\\u003e")
    if "&" in literals:
        literals = literals.replace("&", "\\u0026")
    return literals


configure(quoted=_quoted)


def script_string(value: object) -> str:
    """Escape for the inside of a string literal in quotes of either kind, or of a template literal without a tag."""
    string = value if type(value) is str else printed(value)
    if _UNESCAPED.fullmatch(string):
        return string
    literal = _quoted(string)[1:-1].replace('\\"', "\\u0022").replace("\\\\", "\\u005c")
    return literal.replace("'", "\\u0027").replace("`", "\\u0060").replace("$", "\\u0024")


def json_string(value: object) -> str:
    """Escape for the inside of a JSON string."""
    return _quoted(printed(value))[1:-1].replace('\\"', "\\u0022").replace("\\\\", "\\u005c")


def script_regexp(value: object) -> str:
    """Escape for a regular expression, as a group of its own that matches exactly the text."""
    return f"(?:{script_regexp_class(value)})"


def script_regexp_class(value: object) -> str:
    """Escape for a class in a regular expression, as members of it."""

    def unit(match: re.Match[str]) -> str:
        octets = match[0].encode("utf-16-be", "surrogatepass")
        code = int.from_bytes(octets[:2], "big")
        if len(octets) > 2:  # noqa: PLR2004  a pair of surrogates
            return f"\\u{code:04x}\\u{int.from_bytes(octets[2:], 'big'):04x}"
        return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"  # noqa: PLR2004  two digits

    return _NOT_ALPHANUMERIC.sub(unit, printed(value))


def script_value(value: object) -> str:
    """Return a value as a JavaScript expression that equals it.

    Dates become ISO 8601 text, integers that a Number cannot hold become BigInt. Raises ``NotPrintable`` for values
    that JavaScript has nothing like.
    """
    text = None if plain_data is None else plain_data(value, True)  # noqa: FBT003  a function in C
    if text is None:  # pragma: no branch  what is measured are the functions in Python
        if type(value) is TrustedScript:
            return value.value
        text = _JAVASCRIPT.text(value)
    return f"({text})" if text[0] == "-" else text


def script_operand(value: object) -> str:
    """Return a value as an expression in brackets where it would otherwise be read as a pattern, a block or more."""
    text = script_value(value)
    return f"({text})" if text[0] in "[{" or type(value) is TrustedScript else text


def script_statement(value: object) -> str:
    """Print a trusted script as statements. Raises ``NotPrintable`` for data, which is not a statement."""
    if type(value) is TrustedScript:
        return value.value
    if is_absent(value):
        return ""
    raise NotPrintable(
        "A value in place of a JavaScript statement",
        "Give it a name, const call = {= … =};, or pass code that you vouch for as a TrustedScript.",
    )


_PLAIN_TYPES = (int, float, bool, type(None))


def script_url_escaper(schemes: frozenset[str]) -> Callable[[object], str]:
    """Make the function for a value that a script navigates to; a number stays one."""
    from untor.escape.url import url_checker  # noqa: PLC0415  only for scripts that navigate

    return checked_value(url_checker(schemes))


def checked_value(check: Callable[[object], str]) -> Callable[[object], str]:
    """Make the function that prints what a check of a URL returns as a JavaScript value."""

    def script_url(value: object) -> str:
        return script_value(value if type(value) in _PLAIN_TYPES or is_absent(value) else check(value))

    return script_url


def script_html(value: object) -> str:
    """Print trusted HTML as a string that a script sets as HTML. Raises ``NotPrintable`` for any other text."""
    if type(value) in _PLAIN_TYPES or is_absent(value):
        return script_value(value)
    html = html_of(value)
    if html is None:
        raise NotPrintable(
            "Text that a script sets as HTML",
            "Set it as text, element.textContent = {= … =}, or pass HTML that you vouch for as TrustedHTML.",
        )
    return _quoted(html)


def json_value(value: object) -> str:
    """Return a value as JSON, with ``null`` for what JSON has nothing like. Raises ``NotPrintable``."""
    return _JSON.text(value)


_PLAIN_LEVELS = 6
"""How many collections of Python's own types may be inside one another to be written without further ado."""

_DEEPEST = 500
"""How many collections may be inside one another; parsers of scripts give up somewhat above it."""

_SINGLE = frozenset({str, int, float, bool})
_WRITTEN_ALIKE = frozenset({str, float, bool, type(None)})
"""Types whose values Python's encoder writes as they are in a script and in JSON, if they are finite."""


def _encoder() -> Callable[[object], str]:
    """Return Python's own encoder: where it is in C, made once, which a ``JSONEncoder`` does for each value."""
    encoder = JSONEncoder(check_circular=False, allow_nan=False, separators=(",", ":"))
    make = getattr(json.encoder, "c_make_encoder", None)
    if make is None:
        return encoder.encode
    chunks = make(None, encoder.default, encode_basestring_ascii, None, ":", ",", False, False, False)  # noqa: FBT003
    return lambda value: "".join(chunks(value, 0))


_encode = _encoder()


def _is_plain(item: object, levels: int) -> bool:
    """Return whether an item is made of Python's own types, not too deep, with names for keys and no long integers."""
    kind = type(item)
    if kind is dict:
        for key in item:  # type: ignore[attr-defined]
            if type(key) is not str:
                return False
        item = item.values()  # type: ignore[attr-defined]
    elif kind is not list:
        return kind in _WRITTEN_ALIKE
    for element in item:  # type: ignore[attr-defined]
        of = type(element)
        if of is int:
            if not -_SAFE_INTEGER <= element <= _SAFE_INTEGER:
                return False
        elif of not in _WRITTEN_ALIKE and (not levels or not _is_plain(element, levels - 1)):
            return False
    return True


_NAME = pattern(r"[A-Za-z][A-Za-z0-9_]*")


class _Opened:
    """A collection that is being written, item by item."""

    __slots__ = ("identity", "is_list", "items", "kept", "key", "number")

    def __init__(self, kept: object, plain: list[object] | dict[str, object], out: list[str]) -> None:
        self.kept = kept
        """The collection itself, so that no other object gets its identity."""
        self.identity = id(kept)
        self.is_list = isinstance(plain, list)
        self.items = iter(enumerate(plain) if isinstance(plain, list) else plain.items())
        self.number = 0
        self.key: object = None
        out.append("[" if self.is_list else "{")

    def enter(self, around: set[int]) -> None:
        """Add the collection to those that are around its items. Raises ``NotPrintable`` for a circle."""
        if self.identity in around or len(around) >= _DEEPEST:
            raise NotPrintable(
                "A collection that contains itself, or too many inside one another,",
                f"Pass on at most {_DEEPEST} levels, without a circle.",
            )
        around.add(self.identity)

    def following(self, out: list[str], property_of: Callable[[str], str]) -> tuple[object, bool]:
        """Return the next item, and whether there is one; write what comes before it."""
        for key, item in self.items:
            self.key = key
            if self.number:
                out.append(",")
            self.number += 1
            if not self.is_list:
                out.append(property_of(key))  # type: ignore[arg-type]
            return item, True
        out.append("]" if self.is_list else "}")
        return None, False

    def step(self) -> str:
        """Return the step of a path that leads to the item that is being written."""
        if self.is_list:
            return f"[{self.key}]"
        return f".{self.key}" if _NAME.fullmatch(str(self.key)) else f"[{self.key!r}]"


class _Json:
    """Writes a value as JSON; values that are not plain data item by item and without recursion, at any depth."""

    nan = infinity = minus_infinity = "null"
    is_script = False

    def text(self, value: object) -> str:
        """Return the whole text."""
        if type(value) is JsonText:
            value = value.value
        text = self.plainly(value) if plain_data is None else plain_data(value, self.is_script)
        return self.any(value) if text is None else text

    def any(self, value: object) -> str:
        """Return the text of any value. Raises ``NotPrintable``, with its path, for what has no form in a script."""
        out: list[str] = []
        opened: list[_Opened] = []
        around: set[int] = set()
        item, has_item = value, True
        try:
            while has_item:
                inner = self._written(item, out)
                if inner is not None:
                    inner.enter(around)
                    opened.append(inner)
                has_item = False
                while opened and not has_item:
                    item, has_item = opened[-1].following(out, self.key)
                    if not has_item:
                        around.discard(opened.pop().identity)
        except NotPrintable as error:
            error.path = "".join(each.step() for each in opened) + error.path
            raise
        return "".join(out)

    def _written(self, item: object, out: list[str]) -> _Opened | None:
        """Write a single value; return a collection, of which only the bracket is written."""
        plain = item if type(item) in _SINGLE else scripted(item)
        kind = type(plain)
        if kind is str:
            out.append(_quoted(plain))  # type: ignore[arg-type]
        elif plain is None:
            out.append("null")
        elif kind is bool:
            out.append("true" if plain else "false")
        elif kind is int:
            out.append(self.integer(plain))  # type: ignore[arg-type]
        elif kind is float:
            out.append(self.float(plain))  # type: ignore[arg-type]
        elif kind is Number:
            out.append(self.number(plain))  # type: ignore[arg-type]
        else:
            return _Opened(item, plain, out)  # type: ignore[arg-type]
        return None

    def plainly(self, value: object) -> str | None:
        """Return a value that is made of nothing but Python's own types, not too deep; ``None`` for any other."""
        kind = type(value)
        if kind is str:
            return _quoted(value)  # type: ignore[arg-type]
        if kind is int:
            return self.integer(value)  # type: ignore[arg-type]
        if kind is float:
            return self.float(value)  # type: ignore[arg-type]
        if not _is_plain(value, _PLAIN_LEVELS):
            return None
        try:
            text = _encode(value)
        except ValueError:  # a number that is not finite
            return None
        return None if self.is_script and "__proto__" in text else _without_markup(text)

    def number(self, number: Number) -> str:
        """Return a number that is given by its digits."""
        return {"NaN": self.nan, "Infinity": self.infinity, "-Infinity": self.minus_infinity}.get(number, str(number))

    def integer(self, number: int) -> str:
        """Return an integer."""
        return repr(number)

    def float(self, number: float) -> str:
        """Return a floating-point number."""
        if number - number == 0:
            return repr(number)
        if number != number:  # noqa: PLR0124  not a number
            return self.nan
        return self.infinity if number > 0 else self.minus_infinity

    def key(self, key: str) -> str:
        """Return the beginning of a property."""
        return f"{_quoted(key)}:"


class _JavaScript(_Json):
    """Writes a value as a JavaScript expression."""

    # The names NaN and Infinity could be redeclared, and are allowed where only names are.
    nan, infinity, minus_infinity = "(0/0)", "(1/0)", "(-1/0)"
    is_script = True

    def integer(self, number: int) -> str:
        """Return a Number, or a BigInt where a Number would be another one (ECMAScript §6.1.6)."""
        return repr(number) if -_SAFE_INTEGER <= number <= _SAFE_INTEGER else f"{number!r}n"

    def key(self, key: str) -> str:
        """Return the beginning of a property; as such ``__proto__`` would set the prototype (ECMAScript §B.3.1)."""
        return '["__proto__"]:' if key == "__proto__" else f"{_quoted(key)}:"


_JSON = _Json()
_JAVASCRIPT = _JavaScript()
