"""What each escaping function prints for some values, exactly, and what it says of those that it blocks or refuses.

``cases/escapers.txt`` is the table; ``python tests/escape/test_escapers.py`` writes it again, to be read before it is kept.
"""

from __future__ import annotations

import logging
import re
from typing import TYPE_CHECKING

import pytest
from support import CASES

from untor.escape import ESCAPERS, MISSING, Escapers, NotPrintable, printed
from untor.escape.accelerated import IS_BUILT
from untor.escape.trusted import TrustedCSS, TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL
from untor.escape.url import COMPONENT, FIXED, HOST, OPAQUE, PATH, QUERY, URL, percent

if TYPE_CHECKING:
    from collections.abc import Callable

ORIGINS = frozenset({"https://cdn.ellery.example"})
TABLE = CASES / "escapers.txt"
WITHOUT_NAME = {"attribute", "xml-attribute"}
"""Those that print the value of an attribute, not all of it."""
REPORTED = re.compile(r"""(?<= )(?:'.*'|".*")(?=:)""", re.DOTALL)
"""A value that was blocked, in the report."""

TEXTS = (
    "", "a", "X-1", "a b", "<b>&\"'`=/$\\", "a`b", "5px", "é\N{GRINNING FACE}", "\x00\n\r\t\x7f\u2028\ud800-",
    "\x0b\x0c\x85\ufffe\uffff", "- --> ]]> </script",
)  # fmt: skip
URLS = (".", "..", "../x", "%2E", "/a/../b", "a/b.c?d=e&f#g", "//evil.example/", "\\\\evil.example", "x:y", " javascript:a", "data:image/png;base64,AA==",
    "https://cdn.ellery.example/x.js", "https://ellery.example:80/ä?b=c&d", "HTTP://A.example", "mailto:a@ellery.example", "berth.ellery.example", "100w", "2x",
    "sha256-4ieWStKD47wgrxAbqJfhr6UFLyAAFMHRVp1cmaZFcP0=", "abcDEF123+/=")  # fmt: skip
OTHERS = (7, -1.5, 10**20, 2**53 - 1, 2**53, -(2**53), float("inf"), True, False, None, MISSING, ["a", "<", -1], {"a": {"b": "\u2028"}, "<c": None}, {"a": 1, "b": [2, "é"]}, {True: 1, False: 2, 1.5: 3}, {("a",): 1}, b"x", print,
    TrustedHTML("<i>", reason="t"), TrustedHTML("<b>1</b><br>&nbsp;&lt;&ngE;\x00\x0c\ufffe\ud800", reason="t"),
    TrustedHTML("<img src='a' alt=\"b\"\nhidden ><hr/>&amp;", reason="t"), TrustedHTML("&x;", reason="t"), TrustedURL("x:1", reason="t"), TrustedScript("f()", reason="t"), TrustedScriptURL("//cdn/x", reason="t"), TrustedCSS("a b", reason="t"))  # fmt: skip
LISTED = ["https://cdn.ellery.example/a.js", "//evil.example", {"imports": {"a": "//evil.example"}}]


def joined(*pieces: tuple[int, str]) -> list[tuple[int, str, str]]:
    """Return pieces of a URL, whose fixed texts are in the page as they are."""
    return [(kind, text, text) for kind, text in pieces]


PIECES = (
    joined((FIXED, "/berths/"), (COMPONENT, "a b"), (FIXED, "/plan")),
    joined((FIXED, "/berths/"), (COMPONENT, ".."), (FIXED, "/plan")),
    joined((FIXED, "/berths/"), (COMPONENT, "."), (COMPONENT, "."), (FIXED, "?x=1")),
    joined((FIXED, "/a?"), (COMPONENT, ".."), (FIXED, "/#"), (COMPONENT, "..")),
    joined((FIXED, "/a#b/"), (COMPONENT, ".."), (FIXED, "/c")),
    joined((FIXED, "/x/"), (PATH, "a/../b"), (FIXED, "/c")),
    joined((FIXED, "/x/"), (PATH, "a/é/b"), (FIXED, "?"), (QUERY, "")),
    joined((FIXED, "/"), (COMPONENT, ""), (FIXED, "/evil.example")),
    joined((FIXED, "//"), (COMPONENT, "evil.example"), (FIXED, "/")),
    joined((FIXED, "https://"), (HOST, "berth.ellery.example"), (FIXED, "/x")),
    joined((FIXED, "https://"), (HOST, "cdn.ellery.example"), (FIXED, "/x")),
    joined((FIXED, "https://"), (HOST, "a/b"), (FIXED, "/x")),
    joined((FIXED, "mailto:"), (OPAQUE, "a b@ellery.example")),
    joined((URL, "https://cdn.ellery.example/"), (FIXED, "&amp;"), (COMPONENT, "&")),
    joined((URL, "javascript:"), (COMPONENT, "a")),
    joined((URL, "data:image/"), (FIXED, "png,"), (COMPONENT, "a")),
    joined((FIXED, "java"), (COMPONENT, "script"), (FIXED, ":a")),
    joined((URL, '"<\x00'), (FIXED, "/x")),
    joined((FIXED, "!/"), (COMPONENT, ""), (FIXED, "/evil.example")),
    joined((FIXED, " /"), (COMPONENT, ""), (FIXED, "/evil.example")),
    joined((FIXED, "/a?b"), (COMPONENT, "c"), (FIXED, "/"), (COMPONENT, "..")),
    joined((COMPONENT, ".."), (FIXED, "#a")),
    joined((FIXED, "/fixed")),
)


def shown(value: object) -> str:
    """Return a value as the table has it."""
    if isinstance(value, list) and isinstance(value[0], tuple):
        return ascii([(kind, text) for kind, text, _ in value])
    return value.__name__ if value is print else ascii(value)


def called(name: str, function: Callable[..., str], value: object) -> str:
    """Call an escaping function with a value, and what else it takes."""
    if name == "segment-url":
        return function("/a/", value, "/b")
    if "embedded" in name:
        return function("x", value, percent)
    if name == "conditional-comment":
        return function(printed(value))
    return function("x", value) if name.endswith("-attribute") and name not in WITHOUT_NAME else function(value)


def outcome(name: str, value: object, log: list[str]) -> str:
    """Return what an escaping function prints, says and reports; the value is left out of the report."""
    log.clear()
    function = Escapers(resource_origins=ORIGINS)[name]
    try:
        text = called(name, function, value)
    except NotPrintable as error:
        return f"refused: {error.what} | {error.remedy}"
    if log:
        return f"{text!a} and says {re.sub(REPORTED, '…', log[0])}"
    return "the same" if text == value else ascii(text)


def section(name: str) -> str:
    """Return the section of an escaping function: what it prints, and for which values."""
    log: list[str] = []
    handler = logging.Handler()
    handler.emit = lambda record: log.append(record.getMessage())  # type: ignore[method-assign]
    logger = logging.getLogger("untor.blocked")
    logger.addHandler(handler)
    outcomes: dict[str, list[str]] = {}
    for value in PIECES if name.endswith("-pieces") else (*TEXTS, *URLS, *OTHERS, *LISTED):
        outcomes.setdefault(outcome(name, value, log), []).append(shown(value))
    logger.removeHandler(handler)
    return "".join(f"{text} <- {', '.join(given)}\n" for text, given in outcomes.items())


def kept() -> dict[str, str]:
    """Return the sections of the table."""
    sections = TABLE.read_text("utf-8").split("=== ")[1:]
    return {name: lines for name, _, lines in (section.partition("\n") for section in sections)}


@pytest.mark.parametrize("name", ESCAPERS)
def test_exactly(name: str) -> None:
    """Each function prints exactly what the table says."""
    assert section(name).splitlines() == kept()[name].splitlines()


def test_table_is_of_these_functions() -> None:
    """Nothing is in the table that is not tested."""
    assert list(kept()) == list(ESCAPERS)


if __name__ == "__main__":
    assert not IS_BUILT, "the table is that of the functions in Python: UNTOR_EXTENSION=off"
    TABLE.write_text("".join(f"=== {name}\n{section(name)}" for name in ESCAPERS), "utf-8")
