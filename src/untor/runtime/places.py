"""Reports about the data of pages, with their places in templates: the logger ``untor.data``."""

from __future__ import annotations

from _thread import get_ident

from untor.escape.accelerated import IS_BUILT

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from types import FrameType

    from untor.runtime.tracebacks import Location, Trail

reports: list[tuple[int, str]] = []
"""What functions that programs have called reported, and in which thread, until the program logs it with its place."""


def report(what: str) -> None:
    """Report something odd about the data of the page that called this function.

    The record has the attributes ``template``, ``line``, ``column``, ``expression`` and ``chain``.
    """
    if IS_BUILT:  # pragma: no cover  what is measured are the functions in Python
        reports.append((get_ident(), what))
        return
    import sys  # noqa: PLC0415  loaded by every Python already

    from untor.runtime.tracebacks import chain_of, location_in_frame  # noqa: PLC0415  it needs this module

    places: list[Location] = []
    frame: FrameType | None = sys._getframe(1)  # noqa: SLF001  as the traceback of an exception would have it
    while frame is not None:
        if "__untor_sources__" in frame.f_globals:
            places.insert(0, location_in_frame(frame))
        frame = frame.f_back
    _log(what, places[-1] if places else None, chain_of(places))


def _own_reports() -> list[str]:
    """Return the reports of this thread, which are then no longer kept."""
    thread = get_ident()
    own = [each for each in reports if each[0] == thread]
    for each in own:
        # One by one: other threads may add theirs between any two steps.
        reports.remove(each)
    return [what for _, what in own]


def reported(failed: Callable[..., object], trail: Trail) -> None:
    """Log what a function has reported that a program called, at the place that the program has come to."""
    from untor.runtime.tracebacks import chain_of, location_of  # noqa: PLC0415  it needs this module

    found = [location_of(failed.args[0], at) for _, at, _ in trail]  # type: ignore[attr-defined]
    places = [place for place in found if place is not None]
    for what in _own_reports():
        _log(what, found[-1], chain_of(places))


def forget() -> None:
    """Drop what a function has reported that ended in an exception."""
    _own_reports()


def _log(what: str, place: Location | None, chain: tuple[str, ...]) -> None:
    import logging  # noqa: PLC0415  loaded once there is something to report

    logger = logging.getLogger("untor.data")
    if place is None:
        logger.warning("%s", what)
        return
    name, (line, column) = place.source.name, place.source.position(place.start)
    about = {
        "template": name,
        "line": line,
        "column": column,
        "expression": place.source.text[place.start : place.end],
        "chain": chain,
    }
    where = ", ".join((f"{name}, line {line}, column {column}", *chain))
    logger.warning("%s: %s", where, what, extra=about)
