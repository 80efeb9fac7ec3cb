"""The named routes of aiohttp and of Falcon, whose routers do not make the path of a link, or encode it otherwise.

Routes are read when a link is first looked for, since an application adds them after it has made its engine.
"""

from __future__ import annotations

import re

from untor.escape.kinds import bases_by_name

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from typing import Any, NamedTuple

    class NamedRoute(NamedTuple):
        """The path of a route.

        ``pieces`` are fixed text and the names of parameters in turn, ``several`` the parameters that take several
        segments, ``pattern`` what the path must match in the end.
        """

        pieces: list[str]
        several: frozenset[str]
        pattern: re.Pattern[str] | None
else:  # typing is not loaded to render a page
    from collections import namedtuple

    NamedRoute = namedtuple("NamedRoute", "pieces several pattern")  # noqa: PYI024

_FIELD = re.compile(r"\{([^{}:]+)(?::(?:\w+)(?:\([^{}]*\))?)?\}")
"""A parameter of a path: in Falcon with the name of a converter and its arguments."""
_DECODED = re.compile(r"(?s:(?!%2F).)*")
"""Paths for a router that decodes a path before it looks for the segments in it."""
_SEVERAL = re.compile(r"\{(\w+):path\}")


def reader_of(router: Any) -> Callable[[], dict[str, NamedRoute]] | None:
    """Return what reads the routes of an application or a router; ``None`` for one that makes paths itself."""
    names = getattr(router, "named_resources", None) or getattr(
        getattr(router, "router", None), "named_resources", None
    )
    if names is not None:
        return lambda: dict(_of_aiohttp(names()))
    if "falcon.app.App" in bases_by_name(type(router)):
        return lambda: _of_falcon(router)
    return None


def _of_aiohttp(resources: Any) -> Iterator[tuple[str, NamedRoute]]:
    """Yield the resources that have a name and a path; those of static files are the engine's own option."""
    for name, resource in resources.items():
        info = resource.get_info()
        path = info.get("path") or info.get("formatter")
        if path is not None:
            yield name, NamedRoute(_FIELD.split(path), frozenset(), info.get("pattern"))


def _of_falcon(app: Any) -> dict[str, NamedRoute]:
    """Return the routes by the names of their resources' classes, ``Berths``, with a suffix ``Berths.one``.

    A name that several paths have is left out, since it does not say which is meant.
    """
    from falcon.inspect import inspect_routes  # noqa: PLC0415  loaded by those who use it

    found: dict[str, list[NamedRoute]] = {}
    for route in inspect_routes(app):
        suffix = next((method.suffix for method in route.methods if method.suffix), "")
        name = f"{route.class_name}.{suffix}" if suffix else route.class_name
        several = frozenset(_SEVERAL.findall(route.path))
        found.setdefault(name, []).append(NamedRoute(_FIELD.split(route.path), several, _DECODED))
    return {name: routes[0] for name, routes in found.items() if len(routes) == 1}
