"""A translation of a message: which of its letters are values and tags, and whether it has those of the message."""

from __future__ import annotations

import re

from untor.language import tree
from untor.messages.message import Element
from untor.messages.placeholders import NAME

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.messages.message import Form, Message

_VALUE = rf"\{{(?P<value>{NAME})\}}"
_TOKEN = {
    False: re.compile(_VALUE),
    True: re.compile(rf"{_VALUE}|<(?P<close>/?)(?P<tag>[A-Za-z][^\s<>/]*)>|(?P<other></?[A-Za-z][^<>]*>?)"),
}
_MOST = 100_000
"""How many characters a translation may have."""


class Unfit(Exception):  # noqa: N818  never leaves the compiler
    """A translation that does not have the values and elements of its message: a rule's code and its words."""

    def __init__(self, code: str, **words: str) -> None:
        super().__init__(code)
        self.code = code
        self.words = words


def pieces_of(text: str, message: Message, form: Form) -> list[str | tree.Node]:
    """Return a translation as letters and the nodes that print the message's values and tags.

    Raises ``Unfit`` if it has not exactly the elements of the form, nested alike, and its values.
    """
    tags = {str(piece): piece for piece in form.pieces if isinstance(piece, Element)}
    parents = _parents(form)
    pieces: list[str | tree.Node] = []
    seen: set[str] = set()
    open_: list[str] = []
    position = 0
    if len(text) > _MOST:
        raise Unfit("message-value", trouble=f"has more than {_MOST:,} characters")
    for found in _TOKEN[message.kind == "markup"].finditer(text):
        pieces.append(text[position : found.start()])
        position = found.end()
        if found["value"] is not None:
            value = message.values.get(found["value"])
            if value is None or value.node is None:
                raise Unfit("message-value", trouble=f"has a value {found[0]} that the message does not have")
            seen.add(found[0])
            pieces.append(value.node)
            continue
        tag = tags.get(found[0])
        if tag is None:
            raise Unfit("message-element", trouble=f"has {found[0]} that the message does not have")
        if found[0] in seen:
            raise Unfit("message-element", trouble=f"has {found[0]} more than once")
        seen.add(found[0])
        if tag.kind == "close":
            if not open_ or open_.pop() != tag.name:
                raise Unfit("message-element", trouble=f"has {found[0]} where another element is open")
        elif parents[tag.name] != (open_[-1] if open_ else ""):
            raise Unfit("message-element", trouble=f"has {found[0]} in another element than the message")
        elif tag.kind == "open":
            open_.append(tag.name)
        pieces += tag.nodes
    pieces.append(text[position:])
    missing = [shown for shown in tags if shown not in seen]
    if missing:
        raise Unfit("message-element", trouble=f"has no {missing[0]}")
    missing = [shown for shown in _required(message, form) if shown not in seen]
    if missing:
        raise Unfit("message-value", trouble=f"has no {missing[0]}")
    return [piece for piece in pieces if piece != ""]


def _parents(form: Form) -> dict[str, str]:
    """Return the name of the element around each element of a form; empty for the message itself."""
    parents: dict[str, str] = {}
    open_: list[str] = []
    for piece in form.pieces:
        if isinstance(piece, Element):
            if piece.kind == "close":
                open_.pop()
                continue
            parents[piece.name] = open_[-1] if open_ else ""
            if piece.kind == "open":
                open_.append(piece.name)
    return parents


def _required(message: Message, form: Form) -> list[str]:
    """Return the values that a translation of a form must have; the number can be said in words."""
    values = [piece for piece in form.pieces if not isinstance(piece, str | Element)]
    return [str(value) for value in values if not message.count or value.name != message.count]


def letters_of(message: Message, form: Form) -> list[tree.Node]:
    """Return the nodes that print a form as it is written, its text as a translation's."""
    nodes: list[tree.Node] = []
    for piece in form.pieces:
        if isinstance(piece, str):
            nodes.append(tree.Letters(message.start, message.end, piece))
        elif isinstance(piece, Element):
            nodes += piece.nodes
        elif piece.node is not None:
            nodes.append(piece.node)
    return nodes


def nodes_of(text: str, message: Message, form: Form) -> list[tree.Node]:
    """Return the nodes that print a translation, with the white space around the message. Raises ``Unfit``."""
    pieces = pieces_of(text.strip(" \t\n\f\r"), message, form)
    place = message.start, message.end
    nodes = [tree.Letters(*place, piece) if isinstance(piece, str) else piece for piece in pieces]
    return [*form.before, *nodes, *form.after]


def nodes_of_form(text: str, message: Message) -> list[tree.Node]:
    """Return the nodes of one form of a translation, which has the elements of the plural, or else of the singular.

    Raises ``Unfit`` with what is wrong with it as the plural.
    """
    trouble: Unfit | None = None
    for form in reversed(message.forms):
        try:
            return nodes_of(text, message, form)
        except Unfit as unfit:
            trouble = trouble or unfit
    assert trouble is not None  # noqa: S101  a message has a form
    raise trouble
