"""Links to the application's own pages, by the names of their routes."""

from __future__ import annotations

import re
from typing import Any, Protocol
from urllib.parse import unquote

from untor.diagnostics.problem import suggestion
from untor.escape import NotPrintable, printed
from untor.escape.url import percent, percent_quickly
from untor.runtime.filter_error import FilterProblem
from untor.web.routers import reader_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Iterable, Iterator, Mapping

    from untor.web.routers import NamedRoute


class Router(Protocol):
    """An application's own router, as several frameworks have it."""

    def url_path_for(self, name: str, /, **parameters: Any) -> object:
        """Return the path of a route by its name; ``str()`` of it is printed."""


Router.__module__ = "untor"

_KEPT = frozenset({"%2F", "%25"})
_NO_SEGMENTS = frozenset({"", ".", ".."})
_FIELD = re.compile(r"\{([^{}]*)\}")


class Links:
    """A table of named routes, ``{"vessel": "/vessels/{id}"}``, or the application's own router.

    A router is an application or a router of aiohttp or Falcon, or has a method ``url_path_for(name, **parameters)``,
    as those of Starlette and FastAPI, or is a function that is called in that way.

    Parameters are percent-encoded here, once, as path segments: a method or a function receives them encoded and only
    puts them into the path. Raises ``ValueError`` for a path that cannot be.
    """

    def __init__(self, links: Mapping[str, str] | Router | Callable[..., object]) -> None:
        self.table: dict[str, list[str]] | None = None
        self._router: Callable[..., Any] | None = None
        self._owner = links
        self._fields: dict[str, list[tuple[int, str]]] = {}
        """The parameters of each route, with their places among its pieces."""
        self._routes: dict[str, NamedRoute] = {}
        method = getattr(links, "url_path_for", None)
        self._read = None if callable(method) else reader_of(links)
        if self._read is not None:
            pass  # its routes are read when they are there
        elif callable(method):
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
        if self._read is not None:
            return self._read_link(name, parameters)
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
        return "" if self.table is None else _trouble(self.table, name, parameters)

    def _read_link(self, name: str, parameters: Mapping[str, object]) -> str:
        """Return the path of a route of an application whose routes are read."""
        assert self._read is not None  # noqa: S101  called where it is there
        if name not in self._routes:
            self._routes = self._read()
        if trouble := _trouble({each: route.pieces for each, route in self._routes.items()}, name, parameters):
            raise FilterProblem(trouble)
        route = self._routes[name]
        path = route.pieces.copy()
        for place in range(1, len(path), 2):
            field = path[place]
            path[place] = (_encoded if field in route.several else _segments)(field, parameters[field])
        link = "".join(path)
        if route.pattern is not None and not route.pattern.fullmatch(_as_matched(link)):
            raise FilterProblem(f'the route "{name}" does not match {link}, which these parameters make.')
        return link

    def _routed(self, name: str, parameters: Mapping[str, object]) -> str:
        assert self._router is not None  # noqa: S101  there is a table otherwise
        given = {
            key: value if isinstance(value, int | float) else _encoded(key, value) for key, value in parameters.items()
        }
        try:
            return str(self._router(name, **given))
        except Exception as error:
            names = dict(_named(getattr(self._owner, "routes", ())))
            if name in names:
                near = f"It takes {', '.join(names[name]) or 'nothing'}, and was given {', '.join(given) or 'nothing'}."
            else:
                near = suggestion(name, names)
            what = f'the router has no "{name}" with these parameters.' if names else f"{type(error).__name__}: {error}"
            raise FilterProblem(f"{what} {near}".rstrip()) from error


def _as_matched(path: str) -> str:
    """Return a path as a router compares it: decoded, except for an encoded ``/`` or ``%``."""
    return "".join(part if part in _KEPT else unquote(part) for part in re.split("(%2F|%25)", path))


def _named(routes: Iterable[Any], before: str = "") -> Iterator[tuple[str, Collection[str]]]:
    """Yield the names of routes that have one, with their parameters; routes that are mounted are named after that."""
    for route in routes:
        own = getattr(route, "name", None)
        inner = getattr(route, "routes", None)
        if inner:
            yield from _named(inner, f"{before}{own}:" if own else before)
        elif isinstance(own, str):
            yield before + own, getattr(route, "param_convertors", ())


def _trouble(table: Mapping[str, list[str]], name: object, parameters: Collection[str]) -> str:
    """Say why there is no link of this name with these parameters; empty when there is."""
    if not isinstance(name, str) or name not in table:
        near = suggestion(str(name), table, f"Routes are {', '.join(table)}." if table else "No route has a name.")
        return f'there is no route "{name}". {near}'
    wanted = table[name][1::2]
    takes = f'The route "{name}" takes {", ".join(wanted)}.' if wanted else f'The route "{name}" takes nothing.'
    for parameter in parameters:
        if parameter not in wanted:
            near = suggestion(parameter, wanted, takes)
            return f'the route "{name}" has no parameter "{parameter}". {near}'
    missing = [parameter for parameter in wanted if parameter not in parameters]
    return f"{', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing. {takes}" if missing else ""


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
