"""Calls of ``say`` in expressions: which of them translators can be shown, and their messages."""

from __future__ import annotations

from untor.language import tree
from untor.messages.message import Form, Message, Value
from untor.messages.placeholders import values_in

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

_FORMS = 2


def is_say(node: tree.Call) -> bool:
    """Return whether a call is one of ``say``."""
    return isinstance(node.function, tree.Name) and node.function.name == "say"


def call_trouble(node: tree.Call) -> str:
    """Return why a call of ``say`` is not a message; empty for one that is."""
    if not 1 <= len(node.arguments) <= _FORMS:
        return "it has one text, or two with a plural"
    about = node.named.get("about")
    for text in (*node.arguments, *([] if about is None else [about])):
        if not isinstance(text, tree.Constant) or not isinstance(text.value, str):
            return "its texts must be written out as strings"
    texts = [str(each.value) for each in node.arguments if isinstance(each, tree.Constant)]
    if not all(text.strip() for text in texts):
        return "it has no text"
    values = node.named.keys() - {"about"}
    if len(texts) == _FORMS and not values:
        return "a plural needs the number, like n=…"
    used = {name for text in texts for name in values_in(text)}
    if missing := sorted(used - values):
        return f"the value {missing[0]}=… is missing"
    unused = sorted(values - used)
    if unused and not (len(texts) == _FORMS and unused == [next(iter(_named(node)))]):
        return f"{{{unused[0]}}} is not in its text"
    return ""


def _named(node: tree.Call) -> list[str]:
    return [name for name in node.named if name != "about"]


def call_message(node: tree.Call, source: Source) -> Message | None:
    """Return the message of a call of ``say``; ``None`` for one that is not a message."""
    if call_trouble(node):
        return None
    texts = [str(each.value) for each in node.arguments if isinstance(each, tree.Constant)]
    about = node.named.get("about")
    shown = str(about.value) if isinstance(about, tree.Constant) else ""
    forms = [Form(text, [text]) for text in texts]
    values = {name: Value(name, None) for text in texts for name in values_in(text)}
    count = next(iter(_named(node))) if len(texts) == _FORMS else ""
    return Message(source, node.start, node.end, shown, "text", forms, count, values)
