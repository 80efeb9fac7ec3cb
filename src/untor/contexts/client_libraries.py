"""What an engine adds to the tables of the standards: attributes that client libraries read, and types of scripts."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import cached_property

ATTRIBUTE_KINDS = frozenset(
    {"url", "resource-url", "script", "json", "style", "html", "id-list", "text", "refused"},
)
"""What an attribute may be said to be; ``script`` is an expression or statements of JavaScript."""

SCRIPT_KINDS = frozenset({"text", "html", "json", "script"})
"""What the content of a script element of some type may be said to be."""

LIBRARY_ATTRIBUTES: dict[str, str] = {
    # Requests whose answer becomes a part of the page: the origin decides what is put there.
    **dict.fromkeys(("hx-get", "hx-post", "hx-put", "hx-patch", "hx-delete"), "resource-url"),
    **dict.fromkeys(("hx-push-url", "hx-replace-url"), "url"),
    **dict.fromkeys(("hx-vals", "hx-headers", "hx-request"), "json"),
    **dict.fromkeys(
        """hx-target hx-select hx-select-oob hx-indicator hx-include hx-confirm hx-prompt hx-swap hx-swap-oob hx-sync
        hx-disabled-elt""".split(),
        "text",
    ),
    **dict.fromkeys(("hx-on:*", "hx-on-*"), "script"),
    "hx-*": "refused",
    # Expressions; those whose value is set as HTML or as several attributes at once are refused.
    **dict.fromkeys(("x-html", "x-bind", "v-html", "v-bind"), "refused"),
    **dict.fromkeys(("x-description", "x-ref", "x-teleport", "x-transition", "x-transition:*"), "text"),
    # Metadata of drawings, which editors put into SVG.
    **dict.fromkeys("cc:* dc:* epub:* inkscape:* rdf:* serif:* sketch:* sodipodi:*".split(), "text"),
    "x-*": "script",
    "v-*": "script",
    "@*": "script",
    ":*": "script",
    # Code of other languages, and names that say no more than that they are read by something.
    **dict.fromkeys(("ng-*", "bind-*", "on-*", "bind", "_"), "refused"),
}
"""Attributes that libraries in a page read, by name or by a pattern with ``*``; with ``data-`` before them, too."""

INERT_TYPES: dict[str, str] = dict.fromkeys(
    """text/html text/template text/x-template text/csv text/tab-separated-values text/markdown text/xml
    application/xml""".split(),
    "text",
)
"""Types of script elements that no browser runs and that name data, not code (HTML §4.12.1 "data block")."""

_MOST_KNOWN = 1000
"""How many names of attributes are remembered."""

_ODD = re.compile("[^a-z0-9_-]")
_BOUND = re.compile(r"(?:v-bind:|x-bind:|:)(?:([a-z][a-z:-]*)(?:\..*)?\Z)?")


def _pattern(name: str) -> re.Pattern[str]:
    """Return the pattern of a name in which ``*`` matches any text."""
    return re.compile(".*".join(map(re.escape, name.split("*"))), re.DOTALL)


@dataclass(frozen=True, eq=False)
class Tables:
    """The tables of one engine: its own rows come before the default ones."""

    attributes: dict[str, str] = field(default_factory=dict)
    script_types: dict[str, str] = field(default_factory=dict)

    @cached_property
    def _rows(self) -> list[tuple[dict[str, str], list[tuple[re.Pattern[str], str]]]]:
        rows = []
        for table in (self.attributes, LIBRARY_ATTRIBUTES):
            patterns = [(_pattern(name), kind) for name, kind in table.items() if "*" in name]
            rows.append(({name: kind for name, kind in table.items() if "*" not in name}, patterns))
        return rows

    @cached_property
    def _known(self) -> dict[str, str]:
        return {}

    def attribute(self, name: str) -> str:
        """Say what an attribute that no standard knows is; ``text`` where nothing is known to read it."""
        kind = self._known.get(name)
        if kind is None:
            kind = self._found(name)
            if len(self._known) < _MOST_KNOWN:
                self._known[name] = kind
        return kind

    def _found(self, name: str) -> str:
        for exact, patterns in self._rows:
            for spelling in (name, name.removeprefix("data-")):
                if spelling in exact:
                    return exact[spelling]
                for pattern, kind in patterns:
                    if pattern.fullmatch(spelling):
                        return kind
        return "refused" if _ODD.search(name) else "text"

    def script_type(self, kind: str) -> str | None:
        """Say what the content of a script element of a type is; ``None`` where that is not known."""
        return self.script_types.get(kind) or INERT_TYPES.get(kind)


DEFAULT = Tables()
"""The tables of the standards alone."""


def bound(name: str) -> str | None:
    """Return the attribute that a binding of a library sets, like ``href`` of ``:href``; ``None`` for others.

    It is empty where the name is not fixed, as in ``:[name]``.
    """
    match = _BOUND.match(name.removeprefix("data-"))
    return (match[1] or "") if match else None
