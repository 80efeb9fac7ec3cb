"""URLs that code is loaded from: their origin is the template's own, listed, or vouched for (URL §4.7)."""

from __future__ import annotations

from untor.escape.embedded_urls import encoded
from untor.escape.html import attribute
from untor.escape.kinds import is_absent
from untor.escape.lazy_patterns import pattern
from untor.escape.printing import FORBIDDEN, printed
from untor.escape.script_values import Number, scripted
from untor.escape.trusted import TrustedScriptURL
from untor.escape.truth import settled
from untor.escape.url import FOREIGN_ORIGIN, INVALID, blocked, pieces_escaper

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

_ORIGIN = pattern(r"(?ai)(https?)://([a-z0-9.-]+|\[[0-9a-f:]+\])(?::([0-9]+))?(?=[/?#]|\Z)")
_DEFAULT_PORTS = {"http": "80", "https": "443"}


def origin_of(url: str) -> str | None:
    """Return the origin of a plain absolute URL of http or https; ``None`` for any other."""
    match = _ORIGIN.match(url)
    if match is None:
        return None
    scheme, host, port = match[1].lower(), match[2].lower(), match[3]
    return f"{scheme}://{host}" if port in {None, _DEFAULT_PORTS[scheme]} else f"{scheme}://{host}:{port}"


def resource_url_escaper(origins: frozenset[str]) -> Callable[[object], str]:
    """Make the function that returns a whole URL, not yet escaped for its attribute, or its replacement."""

    def resource_url(value: object) -> str:
        string = FORBIDDEN.sub("\ufffd", printed(value))
        if type(value) is TrustedScriptURL or not string or origin_of(string) in origins:
            return string
        return blocked(string, FOREIGN_ORIGIN)

    return resource_url


def resource_escapers(schemes: frozenset[str], origins: frozenset[str]) -> dict[str, Callable[..., str]]:
    """Make the functions for attributes that are such a URL."""
    checked = resource_url_escaper(origins)

    def resource_url(value: object) -> str:
        return attribute(checked(value))

    def resource_url_attribute(name: str, value: object) -> str:
        value = settled(value)
        if value is None or value is False:
            return ""
        return f" {name}" if value is True else f' {name}="{attribute(checked(value))}"'

    def encoded_resource_url(value: object) -> str:
        return encoded(checked(value))

    def import_map(value: object) -> str:
        from untor.escape.javascript import json_value  # noqa: PLC0415  only for import maps

        return json_value(_checked_leaves(value, checked))

    def speculation_rules(value: object) -> str:
        from untor.escape.javascript import json_value  # noqa: PLC0415  only for speculation rules

        return json_value(_checked_urls(value, checked))

    def script_resource_url(value: object) -> str:
        from untor.escape.javascript import script_value  # noqa: PLC0415  only for scripts that load code

        return script_value(checked(value) or INVALID)

    return {
        "speculation-rules": speculation_rules,
        "script-resource-url": script_resource_url,
        "resource-url": resource_url,
        "resource-url-attribute": resource_url_attribute,
        "resource-url-pieces": pieces_escaper(schemes, from_values=lambda url: origin_of(url) in origins),
        "encoded-resource-url": encoded_resource_url,
        "import-map": import_map,
    }


_URL_KEYS = frozenset({"urls", "href_matches"})
"""HTML §7.6.1: members of speculation rules that are URLs or patterns of them."""


def _checked_urls(value: object, checked: Callable[[object], str]) -> object:
    """Return a copy of speculation rules in which every URL is one that code may be loaded from."""
    if is_absent(value) or isinstance(value, bool | int | float | str):
        return value
    plain = scripted(value)
    if isinstance(plain, dict):
        return {
            key: _checked_leaves(item, checked) if key in _URL_KEYS else _checked_urls(item, checked)
            for key, item in plain.items()
        }
    if isinstance(plain, Number):
        return value
    return [_checked_urls(item, checked) for item in plain] if isinstance(plain, list) else plain


def _checked_leaves(value: object, checked: Callable[[object], str]) -> object:
    """Return a copy in which every text that is a value is a URL that code may be loaded from."""
    if isinstance(value, str | TrustedScriptURL):
        return checked(value)
    if is_absent(value) or isinstance(value, bool | int | float):
        return value
    plain = scripted(value)
    if isinstance(plain, Number):
        return value
    if isinstance(plain, dict):
        return {key: _checked_leaves(item, checked) for key, item in plain.items()}
    return (
        [_checked_leaves(item, checked) for item in plain]
        if isinstance(plain, list)
        else _checked_leaves(plain, checked)
    )
