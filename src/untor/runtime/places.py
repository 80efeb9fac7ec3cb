"""Gives what is reported while a page is rendered its place in the template; see ``untor.escape.reports``."""

from __future__ import annotations

from _thread import get_ident

from untor.escape.reports import locate, reports

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from types import FrameType

    from untor.runtime.tracebacks import Location, Trail


def _log_at_callers(logger: str, what: str) -> None:
    """Log a report with the place in a template that is among the callers."""
    import sys  # noqa: PLC0415  loaded by every Python already

    from untor.runtime.tracebacks import chain_of, locations_in  # noqa: PLC0415  it needs this module

    frames: list[tuple[FrameType, int, int]] = []
    frame: FrameType | None = sys._getframe(1)  # noqa: SLF001  as the traceback of an exception would have it
    while frame is not None:
        if "__untor_sources__" in frame.f_globals:
            frames.insert(0, (frame, frame.f_lasti, frame.f_lineno))
        frame = frame.f_back
    places = locations_in(frames, {})
    _log(logger, what, places[-1] if places else None, chain_of(places))


locate(_log_at_callers)


def _own_reports() -> list[tuple[str, str]]:
    """Return the reports of this thread, which are then no longer kept."""
    thread = get_ident()
    own = [each for each in reports if each[0] == thread]
    for each in own:
        # One by one: other threads may add theirs between any two steps.
        reports.remove(each)
    return [(logger, what) for _, logger, what in own]


def reported(failed: Callable[..., object], trail: Trail) -> None:
    """Log what a function has reported that a program called, at the place that the program has come to."""
    from untor.runtime.tracebacks import chain_of, locations_of  # noqa: PLC0415  it needs this module

    found = locations_of(failed.args[0], trail)  # type: ignore[attr-defined]
    places = [place for place in found if place is not None]
    for logger, what in _own_reports():
        _log(logger, what, found[-1], chain_of(places))


def forget() -> None:
    """Drop what a function has reported that ended in an exception."""
    _own_reports()


def _log(logger: str, what: str, place: Location | None, chain: tuple[str, ...]) -> None:
    import logging  # noqa: PLC0415  loaded once there is something to report

    if place is None:
        logging.getLogger(logger).warning("%s", what)
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
    logging.getLogger(logger).warning("%s: %s", where, what, extra=about)
