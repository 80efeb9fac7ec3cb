"""Links to the application's own pages, by the names of their routes."""

from __future__ import annotations

import re
from typing import Any, Protocol

from untor.diagnostics.problem import suggestion
from untor.escape import NotPrintable, printed
from untor.escape.url import percent, percent_quickly
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Mapping


class Router(Protocol):
    """An application's own router, as several frameworks have it."""

    def url_path_for(self, name: str, /, **parameters: Any) -> object:
        """Return the path of a route by its name; ``str()`` of it is printed."""


Router.__module__ = "untor"

_NO_SEGMENTS = frozenset({"", ".", ".."})
_FIELD = re.compile(r"\{([^{}]*)\}")


class Links:
    """A table of named routes, ``{"vessel": "/vessels/{id}"}``, or the application's own router.

    A router has a method ``url_path_for(name, **parameters)``, or is a function that is called in that way; it is given
    text percent-encoded, since it only puts it into the path. Raises ``ValueError`` for a path that cannot be.
    """

    def __init__(self, links: Mapping[str, str] | Router | Callable[..., object]) -> None:
        self.table: dict[str, list[str]] | None = None
        self._router: Callable[..., Any] | None = None
        self._owner = links
        self._fields: dict[str, list[tuple[int, str]]] = {}
        """The parameters of each route, with their places among its pieces."""
        method = getattr(links, "url_path_for", None)
        if callable(method):
            self._router = method
        elif callable(links):
            self._router = links
        elif hasattr(links, "items"):
            self.table = {name: _pieces(name, path) for name, path in links.items()}
            for name, pieces in self.table.items():
                self._fields[name] = [(place, pieces[place]) for place in range(1, len(pieces), 2)]
        else:
            raise ValueError(f"links takes a table of paths or a router, not a {type(links).__name__}")

    def link(self, name: str, /, **parameters: object) -> str:
        """Return the path of a route; each parameter is one path segment, a list several.

        Raises ``FilterProblem`` for a name or a parameter that the route does not have, or one that cannot be there.
        """
        if self.table is None:
            return self._routed(name, parameters)
        fields = self._fields.get(name)
        if fields is None or len(fields) != len(parameters):
            raise FilterProblem(self.trouble(name, parameters))
        path = self.table[name].copy()
        for place, field in fields:
            if field not in parameters:
                raise FilterProblem(self.trouble(name, parameters))
            value = parameters[field]
            if type(value) is str and value not in _NO_SEGMENTS:
                path[place] = percent_quickly(value)
            else:
                path[place] = repr(value) if type(value) is int else _segments(field, value)
        return "".join(path)

    def trouble(self, name: object, parameters: Collection[str]) -> str:
        """Say why there is no link of this name with these parameters; empty when there is, or only a router knows."""
        if self.table is None:
            return ""
        if not isinstance(name, str) or name not in self.table:
            near = suggestion(str(name), self.table, f"Routes are {', '.join(self.table)}.")
            return f'there is no route "{name}". {near}'
        wanted = self.table[name][1::2]
        takes = f'The route "{name}" takes {", ".join(wanted)}.' if wanted else f'The route "{name}" takes nothing.'
        for parameter in parameters:
            if parameter not in wanted:
                near = suggestion(parameter, wanted, takes)
                return f'the route "{name}" has no parameter "{parameter}". {near}'
        missing = [parameter for parameter in wanted if parameter not in parameters]
        return f"{', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing. {takes}" if missing else ""

    def _routed(self, name: str, parameters: Mapping[str, object]) -> str:
        assert self._router is not None  # noqa: S101  there is a table otherwise
        given = {
            key: value if isinstance(value, int | float) else _encoded(key, value) for key, value in parameters.items()
        }
        try:
            return str(self._router(name, **given))
        except Exception as error:
            names = [
                route.name for route in getattr(self._owner, "routes", ()) if isinstance(getattr(route, "name", 0), str)
            ]
            near = suggestion(name, names) if name not in names else f"It was given {', '.join(given) or 'nothing'}."
            what = f'the router has no "{name}" with these parameters.' if names else f"{type(error).__name__}: {error}"
            raise FilterProblem(f"{what} {near}".rstrip()) from error


def _pieces(name: str, path: str) -> list[str]:
    """Split a path into fixed text and the names of its parameters, one after the other."""
    pieces = _FIELD.split(path) if isinstance(path, str) else []
    starts = bool(pieces) and (re.match(r"/(?!/)|https?://[^/{}]+(?:/|\Z)", path) is not None)
    fields = pieces[1::2]
    fits = (
        path.isascii() and path.isprintable() and not set("".join(pieces[::2])) & set("{}\\ \"'<>") if pieces else False
    )
    whole = all(before.endswith("/") for before in pieces[0:-1:2])
    if not (starts and fits and whole) or not all(map(str.isidentifier, fields)) or len(set(fields)) < len(fields):
        shape = "a path whose parameters are whole segments, like '/vessels/{id}'"
        raise ValueError(f'the route "{name}" must be {shape}, not {path!r}')
    return pieces


def _segments(name: str, value: object) -> str:
    """Return a parameter as the path segments that it is."""
    values = value if isinstance(value, list | tuple) else [value]
    return "/".join(percent(_text(name, each)) for each in values) or percent(_text(name, ""))


def _encoded(name: str, value: object) -> str:
    """Return a parameter for a router, which refuses a ``/`` where it takes one segment only."""
    return "/".join(percent(_text(name, part)) for part in _text(name, value).split("/"))


def _text(name: str, value: object) -> str:
    """Return a parameter as text. Raises ``FilterProblem`` for what would be another path."""
    try:
        text = "" if value is None else printed(value)
    except NotPrintable as error:
        raise FilterProblem(f'the parameter "{name}" is {error.what}, which cannot be in a path.') from None
    if text in _NO_SEGMENTS:
        what = "None" if value is None else repr(text)
        raise FilterProblem(f'the parameter "{name}" is {what}, which is not a path segment.')
    return text
