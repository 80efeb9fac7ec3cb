"""Reports about the data of pages, with their places in templates: the logger ``untor.data``."""

from __future__ import annotations

from _thread import get_ident

from untor.escape.accelerated import IS_BUILT

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.runtime.tracebacks import Location, Trail

reports: list[tuple[int, str]] = []
"""What functions that programs have called reported, and in which thread, until the program logs it with its place."""


def report(what: str) -> None:
    """Report something odd about the data of the page that called this function.

    The record has the attributes ``template``, ``line``, ``column`` and ``expression``.
    """
    if IS_BUILT:  # pragma: no cover  what is measured are the functions in Python
        reports.append((get_ident(), what))
        return
    import sys  # noqa: PLC0415  loaded by every Python already

    frame = sys._getframe(1)  # noqa: SLF001  as the traceback of an exception would have it
    while frame.f_back is not None and "__untor_sources__" not in frame.f_globals:
        frame = frame.f_back
    if "__untor_sources__" in frame.f_globals:
        from untor.runtime.tracebacks import location_in_frame  # noqa: PLC0415  it needs this module

        _log(what, location_in_frame(frame))
    else:
        _log(what, None)


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
    from untor.runtime.tracebacks import location_of  # noqa: PLC0415  it needs this module

    for what in _own_reports():
        _log(what, location_of(failed.args[0], trail[-1][1]))  # type: ignore[attr-defined]


def forget() -> None:
    """Drop what a function has reported that ended in an exception."""
    _own_reports()


def _log(what: str, place: Location | None) -> None:
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
    }
    logger.warning("%s, line %d, column %d: %s", name, line, column, what, extra=about)
