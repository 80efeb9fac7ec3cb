"""What is reported while a page is rendered: blocked values and odd data, on loggers, with their places."""

from __future__ import annotations

from _thread import get_ident

from untor.escape.accelerated import is_in_program

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from logging import Logger

    Log = Callable[[str, str], None]
    """Logs on the logger of that name what is reported."""

reports: list[tuple[int, str, str]] = []
"""What functions that programs have called reported: the thread, the logger, what. A program takes them at once."""


_loggers: dict[str, Logger] = {}
_WARNING = 30
"""The level of that name in ``logging``."""


def _logger(name: str) -> Logger:
    """Return a logger, which ``logging`` takes a lock to find."""
    if name not in _loggers:
        import logging  # noqa: PLC0415  loaded once there is something to report

        _loggers[name] = logging.getLogger(name)
    return _loggers[name]


def _log(logger: str, what: str) -> None:
    _logger(logger).warning("%s", what)


_log_here: Log = _log


def locate(log: Log) -> None:
    """Let a function log that finds the place in the template among the callers."""
    global _log_here  # noqa: PLW0603  where frames become places is not known here
    _log_here = log


def report(logger: str, what: str) -> None:
    """Report something about the page that the caller prints.

    The record has the attributes ``template``, ``line``, ``column``, ``expression`` and ``chain``. Nothing is done
    where the logger does not log warnings: finding the place takes longer than all else that is done for a value.
    """
    if not _logger(logger).isEnabledFor(_WARNING):
        return
    if is_in_program():  # pragma: no cover  what is measured are the functions in Python
        reports.append((get_ident(), logger, what))
    else:
        _log_here(logger, what)
