"""Headers of answers: what may be one, and those that most pages have, made ready once."""

from __future__ import annotations

import re
from collections import namedtuple
from functools import lru_cache
from hashlib import blake2b

from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence
    from typing import Any, NamedTuple

    Headers = Mapping[str, str | Sequence[str]] | Iterable[tuple[str, str]]
    """Headers to add: a mapping, whose values may be lists, or pairs, where a name may come several times."""

    class ReadyHeaders(NamedTuple):
        """The headers that an answer begins with: by name, as ASGI has them, and what an ETag with them begins as."""

        named: Mapping[str, str]
        octets: Sequence[tuple[bytes, bytes]]
        hashed: blake2b
else:  # typing is not loaded to answer a request
    ReadyHeaders = namedtuple("ReadyHeaders", "named octets hashed")  # noqa: PYI024

TYPES = {
    "txt": "text/plain; charset=utf-8",
    "xml": "application/xml; charset=utf-8",
    "svg": "image/svg+xml; charset=utf-8",
}
"""The content types of the kinds of output; all others are HTML."""

_WORD = "[A-Za-z0-9!#$%&'*+.^_`|~-]+"
_HEADER_NAME = re.compile(_WORD)
_HEADER_VALUE = re.compile("[\t\x20-\x7e\x80-\xff]*")
_DIRECTIVE = re.compile(rf"""[ \t]*(?:({_WORD})(=(?:{_WORD}|"(?:[^"\\]|\\.)*"))?[ \t]*)?(?:,|\Z)""")
"""RFC 9111 §5.2, RFC 9110 §5.6.1, §5.6.4: a member of the list, which may be empty."""
_CACHE_HEADER = re.compile(
    r"(?:.+-)?cache-control|surrogate-control|edge-control|x-accel-expires", re.IGNORECASE | re.ASCII
)
"""Headers that shared caches obey (RFC 9111 §5.2, RFC 9213, and those of widely used caches)."""


def common_headers(
    template: str, cache: str, language: str, *, varies: bool, policy: tuple[str, str] | None
) -> dict[str, str]:
    """Return the headers that each answer begins with, of a page of this template."""
    ending = template.partition("#")[0].rpartition(".")[2]
    headers = {
        "Content-Type": TYPES.get(ending, "text/html; charset=utf-8"),
        "X-Content-Type-Options": "nosniff",
        "Cache-Control": cache,
    }
    if language:
        headers["Content-Language"] = language
    if varies:
        headers["Vary"] = "Accept-Language"
    if policy:
        headers[policy[0]] = policy[1]
    return headers


@lru_cache(500)
def ready_headers(
    template: str, cache: str, language: str, *, varies: bool, policy: tuple[str, str] | None
) -> ReadyHeaders:
    """Return the headers of answers that have none of their own, with that of a policy. Raises ``ValueError``."""
    headers = common_headers(template, cache, language, varies=varies, policy=policy)
    for pair in headers.items():
        check_header(*pair, is_new=False)
    return ReadyHeaders(headers, [octets_of(*pair) for pair in headers.items()], hash_of(headers.items()))


@lru_cache(500)
def is_private(cache: str) -> bool:
    """Return whether a Cache-Control keeps shared caches from keeping a page."""
    return directives(cache).get("private") == ""


def hash_of(headers: Iterable[tuple[str, str]], nonce: str = "") -> blake2b:
    """Return what an ETag begins as: headers but cookies, without the nonce, which always differs."""
    shown = "\n".join(f"{name}: {value}" for name, value in headers if name.lower() != "set-cookie")
    return blake2b((shown.replace(nonce, "") if nonce else shown).encode("latin-1"), digest_size=16)


def directives(value: str) -> dict[str, str]:
    """Return the directives of a Cache-Control with their arguments; none if it is not well-formed (RFC 9111 §5.2)."""
    found: dict[str, str] = {}
    position = 0
    while position < len(value):
        match = _DIRECTIVE.match(value, position)
        if match is None:
            return {}
        if match[1]:
            found[match[1].lower()] = match[2] or ""
        position = match.end()
    return found


def pairs_of(headers: Headers | None) -> Iterator[tuple[str, str]]:
    """Yield headers one by one. Raises ``ValueError`` for what is neither a mapping nor pairs."""
    given: Any = headers or ()
    for pair in given.items() if is_mapping(given) else given:
        if isinstance(pair, str) or len(pair) != 2:  # noqa: PLR2004  a name and a value
            raise ValueError(f"headers must be a mapping or pairs of a name and a value, not {pair!r}")
        name, values = pair
        for value in values if isinstance(values, list | tuple) else [values]:
            yield name, value


def check_caches(headers: Iterable[tuple[str, str]]) -> None:
    """Check that no shared cache may keep a page that has a nonce. Raises ``ValueError``."""
    for name, value in headers:
        if isinstance(value, str) and _may_be_shared(name, value):
            raise ValueError(
                f"a page with a nonce is for one visitor, but {name} is {value!r}: "
                f'say "private", "no-store" or "no-cache", or use Policy(hashes=True)'
            )


@lru_cache(500)
def _may_be_shared(name: str, value: str) -> bool:
    """Return whether a header lets shared caches keep a page."""
    if not _CACHE_HEADER.fullmatch(name):
        return False
    found = directives(value)
    shared = "public" in found or "s-maxage" in found
    return shared or "" not in {found.get(each) for each in ("private", "no-store", "no-cache")}


def _fits(name: str, value: str) -> bool:
    return bool(_HEADER_NAME.fullmatch(name) and _HEADER_VALUE.fullmatch(value))


_is_header = lru_cache(500)(_fits)


def check_header(name: object, value: object, *, is_new: bool) -> None:
    """Check that a header can be one (RFC 9110 §5). Raises ``ValueError``."""
    check = _fits if is_new else _is_header
    if not (isinstance(name, str) and isinstance(value, str) and check(name, value)):
        raise ValueError(f"{name!r}: {value!r} cannot be a header")


def octets_of(name: str, value: str) -> tuple[bytes, bytes]:
    """Return a header as ASGI has it."""
    return name.lower().encode("latin-1"), value.encode("latin-1")


encoded = lru_cache(500)(octets_of)
