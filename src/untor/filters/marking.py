"""Filters that say what a value is, for the context that it is printed in."""

from __future__ import annotations

from untor.escape import TrustedHTML, printed
from untor.escape.html import text as escaped
from untor.escape.url import percent_path, query_string
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    from untor.escape.script_values import JsonText


def trusted(value: object, reason: str) -> TrustedHTML:
    """Vouch for HTML: it is printed unescaped. The reason is required, as a string in the template."""
    if not isinstance(reason, str) or not reason.strip():
        raise FilterProblem("the reason must be a string that describes why the value is safe.")
    return TrustedHTML(printed(value), reason=reason)


def html_source(value: object) -> str:
    """Return HTML source as text: trusted HTML unchanged, anything else escaped, for feeds, which escape it again."""
    return str.__str__(escaped(value))


def json(value: object) -> JsonText:
    """Return the value as JSON; in a script it is the value itself."""
    from untor.escape.script_values import JsonText  # noqa: PLC0415  only for pages that ask for it

    return JsonText(value)


def path(value: object) -> str:
    """Percent-encode as several path segments: ``/`` stays."""
    return percent_path(value)


def query(value: object) -> str:
    """Return a mapping, or pairs, as the query of a URL: ``a=1&b=2``; ``None`` is left out, lists repeat the name."""
    return query_string(value)


_ELEMENTS = frozenset(
    """a abbr b blockquote br cite code dd del dl dt em h3 h4 h5 h6 hr i ins kbd li mark ol p pre q s small span strong
    sub sup ul""".split(),
)
_ATTRIBUTES = {"a": {"href", "title"}, "abbr": {"title"}, "blockquote": {"cite"}, "q": {"cite"}, "ol": {"start"}}
_URL_SCHEMES = {"http", "https", "mailto"}


def cleaned(value: object, *, elements: Iterable[str] | None = None) -> TrustedHTML:
    """Return HTML typed by users with only harmless elements and attributes left, links to http, https and mailto.

    ``elements`` are the elements to let through, among those that are let through without it. What is left out keeps
    its text, except scripts and styles.
    """
    try:
        import nh3  # noqa: PLC0415  an extra
    except ImportError:
        raise FilterProblem('it needs one more package: pip install "untor[cleaned]".') from None
    wanted = _ELEMENTS
    if elements is not None:
        if isinstance(elements, str):
            raise FilterProblem("the elements must be a list, like ['p', 'a'].")
        wanted = frozenset(elements)
        if wanted - _ELEMENTS:
            more = ", ".join(sorted(map(str, wanted - _ELEMENTS)))
            raise FilterProblem(f"{more} cannot be let through; {', '.join(sorted(_ELEMENTS))} can.")
    attributes = {name: set(allowed) for name, allowed in _ATTRIBUTES.items() if name in wanted}
    html = nh3.clean(
        printed(value),
        tags=set(wanted),
        attributes=attributes,
        url_schemes=set(_URL_SCHEMES),
        link_rel="noopener noreferrer nofollow",
        strip_comments=True,
    )
    return TrustedHTML(html, reason="cleaned by the filter cleaned")
