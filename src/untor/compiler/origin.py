"""Where a template comes from."""

from __future__ import annotations

from collections import namedtuple


class Origin(namedtuple("Origin", "name text part", defaults=(None, ""))):  # noqa: SLOT002, PYI024  typing is not loaded
    """What a template is compiled from: a file by its name, or source text; all of it or one part."""

    name: str
    text: str | None
    part: str
