"""The helpers that an engine has itself: the URLs of static files and of the application's pages."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.analysis.names import Known
    from untor.web.routes import Links, Router
    from untor.web.static import Assets, Static


MOST_NUMBERS = 1_000_000
"""How many numbers ``range`` may have: what a template loops over can depend on what a visitor has sent."""


def numbers(start: int, stop: int | None = None, step: int = 1) -> range:
    """Return the integers from ``start``, or 0, up to and without ``stop``; Python's own ``range``.

    Raises ``TypeError`` if an argument is not an integer, and ``ValueError`` for a step of 0 or too many numbers.
    """
    found = range(start) if stop is None else range(start, stop, step)
    if found[MOST_NUMBERS:]:
        raise ValueError(f"a range may have at most {MOST_NUMBERS:,} numbers")
    return found


class OwnHelpers:
    """``range``, ``asset`` and ``integrity`` with static files, ``link`` with routes.

    ``checks`` say what is wrong with a call, going by ``facts``.
    """

    def __init__(
        self,
        static: Static | None,
        links: Mapping[str, str] | Router | Callable[..., object] | None,
        *,
        reload: bool,
    ) -> None:
        self.assets: Assets | None = None
        self.links: Links | None = None
        self.helpers: dict[str, Callable[..., object]] = {"range": numbers}
        self.checks: dict[str, Known] = {}
        self.facts: list[tuple[str, object]] = []
        if static is not None:
            from untor.web.static import Assets  # noqa: PLC0415  only where there are any

            self.assets = assets = Assets(static, reload=reload)
            self.helpers |= {"asset": assets.asset, "integrity": assets.integrity}
            self.facts += [(url, str(folder)) for url, folder in assets.entries]
            self.checks["asset"] = self.checks["integrity"] = lambda name, _: assets.trouble(name)
        if links is not None:
            from untor.web.routes import Links  # noqa: PLC0415

            self.links = Links(links)
            self.helpers["link"] = self.links.link
            self.checks["link"] = self.links.trouble
            self.facts += sorted((self.links.table or {}).items())

    def add_to(self, helpers: dict[str, Callable[..., object]]) -> None:
        """Add them to the helpers of the site. Raises ``ValueError`` where one of these has such a name."""
        for name in self.helpers.keys() & helpers.keys():
            option = {"link": "with links, ", "range": ""}.get(name, "with static, ")
            raise ValueError(f'{option}the engine has a helper "{name}" of its own; give yours another name')
        helpers |= self.helpers
