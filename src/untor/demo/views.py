"""The views: each collects what its page needs and hands it to the template."""

from __future__ import annotations

import json
from dataclasses import asdict, is_dataclass
from importlib.resources import files

from untor.demo.harbour import TODAY
from untor.engine import Engine

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.demo.harbour import Harbour, Vessel

pages = Engine(str(files("untor.demo") / "templates"))


def arrivals_context(harbour: Harbour) -> dict[str, object]:
    """Return what the arrivals board shows."""
    return {"day": TODAY, "calls": harbour.calls(), "messages": harbour.messages()}


def arrivals(harbour: Harbour) -> str:
    """Return the arrivals board."""
    return pages.render("arrivals", arrivals_context(harbour))


def vessel(harbour: Harbour, shown: Vessel) -> str:
    """Return the page of one vessel."""
    return pages.render("vessel", vessel=shown, calls=harbour.calls(shown.id), messages=harbour.messages(shown.id))


def arrivals_json(harbour: Harbour) -> str:
    """Return what the arrivals board shows as JSON, dates as ISO 8601 text."""

    def plain(value: object) -> object:
        return asdict(value) if is_dataclass(value) and not isinstance(value, type) else str(value)

    return json.dumps(arrivals_context(harbour), default=plain, ensure_ascii=False, indent=2) + "\n"
