"""The settings of an engine that its filters use: the locale, the time zone, and the clock."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import datetime
    from typing import NamedTuple

    class LocaleSettings(NamedTuple):
        """A BCP 47 or CLDR locale; an IANA time zone, empty for none; a clock that returns the current time."""

        locale: str = "en"
        timezone: str = ""
        clock: Callable[[], datetime] | None = None
else:  # typing is not loaded to render a page
    LocaleSettings = namedtuple("Settings", "locale timezone clock", defaults=("en", "", None))
