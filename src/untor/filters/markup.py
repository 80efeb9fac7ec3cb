"""Filters that say what a value is, for the place it lands in."""

from __future__ import annotations

from untor.escape import TrustedHTML, printed
from untor.escape.script import JsonText
from untor.escape.url import percent_path
from untor.filters.problem import FilterProblem


def trusted(value: object, reason: str) -> TrustedHTML:
    """Vouch for HTML: it is printed as it is. The reason is required, as text in the template."""
    if not isinstance(reason, str) or not reason.strip():
        raise FilterProblem("the reason must be text that says what makes the value safe.")
    return TrustedHTML(printed(value), reason=reason)


def json(value: object) -> JsonText:
    """Return the value as JSON; in a script it is the value itself."""
    return JsonText(value)


def path(value: object) -> str:
    """Percent-encode as several path segments: ``/`` stays."""
    return percent_path(value)
