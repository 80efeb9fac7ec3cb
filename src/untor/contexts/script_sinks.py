"""The injection sinks of scripts: what happens to a value passed to a function or assigned to a property.

The table is that of W3C Trusted Types, "injection sinks" (§2.1, and the ``StringContext`` of Web IDL members), with the
sinks of URLs that navigate (HTML §7.2.4) and those of ECMAScript that load modules (§13.3.10, §16.2).
"""

from __future__ import annotations

import re
from typing import NamedTuple


class Sink(NamedTuple):
    """What a string becomes: ``kind`` is ``code``, ``html``, ``url``, ``resource-url``, ``module`` or ``closed``.

    A ``module`` is a resource URL that an import map may decide on. Of a ``closed`` argument nobody can say what a
    value would become. ``what`` is the sink as a script writes it. ``functions`` marks a sink that functions may be
    given to.
    """

    kind: str
    what: str
    functions: bool = False


Chain = tuple[str, ...]
"""The names of a member expression, ``navigator.serviceWorker.register``; empty ones for what is not a name."""

ANY = -1
"""Stands for every argument of a call."""

VALUE = "[value]"
"""The name in a chain of a property that a value has named."""

BOUND = "[bound]"
"""The name in a chain of what ``bind`` returns for a sink."""

WINDOWS = frozenset(
    {"window", "self", "top", "parent", "globalThis", "frames", "opener", "contentWindow", "defaultView", "view"}
)
"""Names of objects that are a window (HTML §7.2.2)."""

_CODE: dict[str, int] = {
    "eval": ANY,
    "Function": ANY,
    "AsyncFunction": ANY,
    "GeneratorFunction": ANY,
    "AsyncGeneratorFunction": ANY,
    "setTimeout": 0,
    "setInterval": 0,
    "setImmediate": 0,
    "msSetImmediate": 0,
    "execScript": 0,
    "createScript": 0,
}
"""ECMAScript §19.2.1, §20.2.1, §27; HTML §8.7 "timer initialisation steps"; Trusted Types §2.2."""

_TIMERS = frozenset({"setTimeout", "setInterval", "setImmediate", "msSetImmediate"})

_HTML: dict[str, int] = {
    "insertAdjacentHTML": 1,
    "createContextualFragment": 0,
    "parseFromString": 0,
    "setHTML": 0,
    "setHTMLUnsafe": 0,
    "parseHTML": 0,
    "parseHTMLUnsafe": 0,
    "createHTML": 0,
}
"""HTML §8.5 "DOM parsing and serialization APIs"; Trusted Types §2.2."""

HTML_STREAMS = frozenset({"write", "writeln"})
"""HTML §8.4.3: methods of a document whose arguments, and whose calls, are one text together."""

_RESOURCES: dict[str, int] = {
    "Worker": 0,
    "SharedWorker": 0,
    "importScripts": ANY,
    "addModule": 0,
    "createScriptURL": 0,
}
"""HTML §10.2.6, §10.3.1, §11.3.2; Trusted Types §2.2."""

_WITH_OWNER: dict[str, tuple[frozenset[str], str]] = {
    "register": (frozenset({"serviceWorker"}), "resource-url"),
    "assign": (frozenset({"location"}), "url"),
    "replace": (frozenset({"location"}), "url"),
    "navigate": (frozenset({"navigation"}), "url"),
    "openWindow": (frozenset({"clients"}), "url"),
}
"""Methods whose first argument is a URL where they are read from an object of these names (HTML §7.2.4, §7.2.7)."""

_ASSIGNED: dict[str, str] = {
    "innerHTML": "html",
    "outerHTML": "html",
    "srcdoc": "html",
    "href": "url",
    "action": "url",
    "formAction": "url",
    "src": "url",
}
"""Properties of elements by what they read a string as (HTML §8.5, §4.2.4 ff., "reflect"; Trusted Types §2.2)."""

_KEYS = frozenset({"innerHTML", "outerHTML", "srcdoc"})
"""Those that mean the same as keys of an object that is made elements of."""

_LOADING_ELEMENTS: dict[str, dict[str, str]] = {
    "script": dict.fromkeys(("src", "href"), "resource-url")
    | dict.fromkeys(("text", "textContent", "innerText", "innerHTML", "outerHTML"), "code"),
    "style": dict.fromkeys(("textContent", "innerText", "innerHTML", "outerHTML"), "closed"),
    "iframe": {"src": "resource-url"},
    "frame": {"src": "resource-url"},
    "embed": {"src": "resource-url"},
    "object": {"data": "resource-url", "codeBase": "resource-url"},
    "link": {"href": "resource-url"},
    "base": {"href": "resource-url"},
    "use": {"href": "resource-url"},
    "portal": {"src": "resource-url"},
    "fencedframe": {"src": "resource-url"},
}
"""What properties are of elements that the script has made itself, or that a variable is named after."""

_ATTRIBUTES: dict[str, str] = {
    "srcdoc": "html",
    "href": "url",
    "xlink:href": "url",
    "action": "url",
    "formaction": "url",
    "src": "url",
    "data": "resource-url",
    "style": "closed",
}
"""What ``setAttribute`` reads a string as, by the name of the attribute; names that begin with ``on`` are code."""

_MOST_ARGUMENTS = 4
"""How many arguments the sinks have at most, those without an end apart."""

_CALLING = frozenset({"call", "apply", "bind"})
_TAG_IN_NAME = re.compile("script|iframe", re.IGNORECASE | re.ASCII)


def called(chain: Chain, index: int, first: str | None, elements: frozenset[tuple[Chain, str]]) -> Sink | None:
    """Say what an argument of a call is; ``first`` is the text of the first one, ``None`` where it is not fixed."""
    name, owner = chain[-1], chain[-2] if len(chain) > 1 else None
    what = f"{name}(…)"
    if chain[0] == "import" and chain[1:] in {(), ("source",), ("defer",)}:
        return Sink("module", "import(…)") if index == 0 else Sink("closed", "the options of import(…)")
    if name in _CALLING and len(chain) > 1:
        inner = _any_argument(chain[:-1])
        return inner and Sink("closed", f"{inner.what[:-3]}.{name}(…)")
    if name == BOUND:
        return Sink("closed", f"{owner}.bind(…)(…)")
    if chain[-2:] == ("constructor", "constructor"):
        return Sink("code", what)
    for table, kind in ((_CODE, "code"), (_HTML, "html"), (_RESOURCES, "resource-url")):
        if name in table:
            if table[name] in {index, ANY}:
                return Sink(kind, what, functions=name in _TIMERS)
            return Sink("closed", f"the options of {what}") if kind == "resource-url" else None
    if name in HTML_STREAMS and owner is not None and (_in_scope(owner) or owner.lower().endswith(("doc", "document"))):
        return Sink("html", what) if index == 0 else Sink("closed", f"{what} with several arguments")
    if name in _WITH_OWNER and owner in _WITH_OWNER[name][0]:
        kind = _WITH_OWNER[name][1]
        return Sink(kind, what) if index == 0 else Sink("closed", what) if kind == "resource-url" else None
    is_window = owner is None or owner in WINDOWS or owner == "document" or _in_scope(owner)
    if name == "open" and index == 0 and is_window:
        return Sink("url", what)
    if name in {"setAttribute", "setAttributeNS"}:
        return _attribute(chain[:-1], index - (name == "setAttributeNS"), first, elements)
    if name == "execCommand":
        return Sink("html", what) if index > 1 and (first is None or first.lower() == "inserthtml") else None
    return None


def _in_scope(owner: str) -> bool:
    """Tell the element of an event handler, in which the names of the document are in scope, too."""
    return owner[:1] == "<"


def _any_argument(chain: Chain) -> Sink | None:
    sinks = (called(chain, index, None, frozenset()) for index in range(_MOST_ARGUMENTS))
    return next((sink for sink in sinks if sink is not None), None)


def is_sink(chain: Chain) -> bool:
    """Return whether the function of this name is a sink with any of its arguments."""
    return _any_argument(chain) is not None


def _attribute(owner: Chain, index: int, name: str | None, elements: frozenset[tuple[Chain, str]]) -> Sink | None:
    """Say what the arguments of ``setAttribute`` are."""
    if index == 0:
        return Sink("closed", "the name that setAttribute(…) is given")
    if index != 1:
        return None
    if name is None:
        return Sink("closed", "setAttribute(…) with a name that is not fixed")
    name = name.lower()
    what = f'setAttribute("{name}", …)'
    if name.startswith("on"):
        return Sink("code", what)
    for tag in tags_of(owner, elements):
        kind = _LOADING_ELEMENTS.get(tag, {}).get(name)
        if kind == "resource-url":
            return Sink(kind, what)
    return Sink(_ATTRIBUTES[name], what) if name in _ATTRIBUTES else None


def assigned(chain: Chain, elements: frozenset[tuple[Chain, str]], *, appends: bool = False) -> Sink | None:
    """Say what is assigned to a variable or property."""
    name, owner = chain[-1], chain[:-1]
    what = f"{'.' if owner else ''}{name} {'+=' if appends else '='} …"
    if name == "location" and (not owner or owner[-1] in WINDOWS | {"document", ""} or _in_scope(owner[-1])):
        return Sink("closed" if appends else "url", what)
    if name == VALUE:
        risky = owner and owner[-1] in WINDOWS | {"document", "location"}
        return Sink("closed", "a property that a value names") if risky else None
    if not owner:
        return None
    kind = "resource-url" if name == "baseVal" and owner[-1] == "href" else None
    for tag in tags_of(owner, elements):
        kind = _LOADING_ELEMENTS.get(tag, {}).get(name) or kind
    kind = kind or _ASSIGNED.get(name)
    if kind in {"url", "resource-url"} and appends:
        kind = "closed"
    return kind and Sink(kind, what)  # type: ignore[return-value]


def keyed(name: str, owner: Chain | None, elements: frozenset[tuple[Chain, str]]) -> Sink | None:
    """Say what the value of a property in an object is; ``owner`` is what ``Object.assign`` gives the object to."""
    if owner is not None:
        return assigned((*(owner or ("",)), name), elements)
    return Sink("html", f"{name}: …") if name in _KEYS else None


def tags_of(owner: Chain, elements: frozenset[tuple[Chain, str]]) -> set[str]:
    """Return the elements that an object may be, as far as the script shows it."""
    tags = {tag for chain, tag in elements if chain == owner}
    if owner and owner[-1][:1] == "<":
        tags.add(owner[-1][1:-1])
    elif owner and (match := _TAG_IN_NAME.search(owner[-1])):
        tags.add(match[0].lower())
    return tags
