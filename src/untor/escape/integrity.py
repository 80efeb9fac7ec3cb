"""Attributes that only take tokens that decide what may run: hashes and nonces."""

from __future__ import annotations

from untor.escape.lazy_patterns import pattern
from untor.escape.printing import printed
from untor.escape.truth import settled
from untor.escape.url import log_blocked

_HASHES = pattern(r"[ \t\n\r\f]*(?:sha(?:256|384|512)-[A-Za-z0-9+/_-]+={0,2}(?:\?[!-~]*)?(?:[ \t\n\r\f]+|\Z))+")
"""Subresource Integrity §3.5: ``integrity-metadata``."""

_UNSAFE = pattern("[\"'&<>]")
_NONCE = pattern(r"[A-Za-z0-9+/_-]+={0,2}")
"""CSP Level 3 §2.3.1: ``base64-value``."""

NO_MATCH = f"sha256-{'A' * 43}="
"""A hash that nothing has: in place of a value that is not one, so that nothing is let in unchecked."""


def integrity(value: object) -> str:
    """Print hashes; what is not a list of them, or is empty, becomes a hash that nothing has."""
    string = printed(value)
    if _HASHES.fullmatch(string) and not _UNSAFE.search(string):
        return string
    log_blocked(f"the integrity {string!r}", "it is not a list of hashes")
    return NO_MATCH


def integrity_attribute(name: str, value: object) -> str:
    """Print the attribute; it is never left out, since without it anything would be let in."""
    return f' {name}="{integrity(value)}"'


def nonce(value: object) -> str:
    """Print a nonce; what is not one becomes empty."""
    string = printed(value)
    if not string or _NONCE.fullmatch(string):
        return string
    log_blocked("a nonce", "it is not base64")
    return ""


def nonce_attribute(name: str, value: object) -> str:
    """Print the attribute, or nothing for ``None``, ``False`` and missing values."""
    value = settled(value)
    if value is None or value is False:
        return ""
    return f' {name}="{"" if value is True else nonce(value)}"'
