"""Values of every kind that pages are tried with, and what becomes of them."""

from __future__ import annotations

from decimal import Decimal
from typing import TYPE_CHECKING

from hypothesis import strategies as st

from untor import TrustedHTML, TrustedURL
from untor.escape import MISSING

if TYPE_CHECKING:
    from collections.abc import Callable


class Text(str):
    """Text with a mind of its own."""

    __slots__ = ()

    def __str__(self) -> str:
        return "<other>"

    def replace(self, *_: object) -> str:
        """Do nothing at all."""
        return "<not replaced>"


class Html:
    """HTML by its own word."""

    def __html__(self) -> str:
        return "<i>&</i>"

    def __repr__(self) -> str:
        return "<html>"


class Number(int):
    """A number that prints as html."""

    def __repr__(self) -> str:
        return "<b>"


class Broken:
    """Nothing that can be printed."""

    def __str__(self) -> str:
        raise ValueError("broken")


CHARACTERS = st.text(
    st.sampled_from("ab &<>\"'`$\\\r\n\t\x00\x0c\x7f\x85\xa0éĀ\u2028\ud800😀~-._/%") | st.characters(), max_size=20
)
VALUES = (
    CHARACTERS | CHARACTERS.map(Text) | st.integers() | st.floats() | st.booleans() | st.none() | st.binary(max_size=4)
    | st.sampled_from([MISSING, Html(), Number(3), Broken(), Decimal("1.5"), print, [1, "<"], {"a": "<"}])
    | CHARACTERS.map(lambda text: TrustedHTML(text, reason="to see")) | CHARACTERS.map(lambda text: TrustedURL(text, reason="to see"))
)  # fmt: skip


def outcome(function: Callable[..., object], *arguments: object) -> object:
    """Return what a function returns, or the exception that it ends in."""
    try:
        return function(*arguments)
    except Exception as error:  # noqa: BLE001  whichever it is must be the same
        return type(error), str(error)
