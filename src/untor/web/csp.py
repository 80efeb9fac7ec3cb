"""The Content-Security-Policy that pages are sent with (CSP Level 3, Trusted Types §4)."""

from __future__ import annotations

import re
from functools import lru_cache

from untor.diagnostics.problem import suggestion

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Collection, Mapping

DIRECTIVES: dict[str, str] = {
    "default-src": "'self'",
    "script-src": "",
    "style-src": "'self'",
    "object-src": "'none'",
    "base-uri": "'none'",
    "form-action": "'self'",
    "frame-ancestors": "'self'",
}
"""The default directives; nonces or hashes of scripts and styles are added."""

KNOWN = frozenset(
    # CSP 3 §6, with those of Reporting, Mixed Content, Upgrade Insecure Requests and Trusted Types
    """base-uri block-all-mixed-content child-src connect-src default-src fenced-frame-src font-src form-action
    frame-ancestors frame-src img-src manifest-src media-src object-src prefetch-src report-to report-uri
    require-trusted-types-for sandbox script-src script-src-attr script-src-elem style-src style-src-attr style-src-elem
    trusted-types upgrade-insecure-requests webrtc worker-src""".split()
)
"""The directives that there are."""

_ANY = "\N{NULL}"
"""In the place of a nonce, in what is the same for all of them; no header has it."""

_NAME = re.compile("[a-z][a-z0-9-]*")
_VALUE = re.compile("[ -+\\-:<-~]*")
_POLICY_NAME = re.compile("[A-Za-z0-9#=_/@.%-]+")


class Policy:
    """A strict Content-Security-Policy: of the page's scripts and styles, only those of its templates run.

    Each answer has a fresh nonce, which Untor puts on the ``script``, ``style`` and loading ``link`` elements of the
    templates' own text, never on one that comes from a value. With ``hashes`` the header has the hashes of the inline
    scripts and styles instead, computed when the template is compiled; they may have no values in them, and files of
    scripts are those of ``script-src``, by default ``'self'``.

    ``directives`` replaces directives by name, or with ``None`` leaves one out; nonces and hashes are added to
    ``script-src`` and ``style-src`` in any case. ``trusted_types`` makes browsers reject plain strings in the sinks of
    scripts that turn them into code; a collection names the policies that the page's scripts may create.
    ``report_only`` has the browser report what it would refuse, without refusing it.

    Raises ``ValueError`` for text that is not allowed in the header.
    """

    __module__ = "untor"

    __slots__ = ("_options", "directives", "hashes", "report_only")

    def __init__(
        self,
        *,
        hashes: bool = False,
        directives: Mapping[str, str | None] | None = None,
        trusted_types: bool | Collection[str] = False,
        report_only: bool = False,
    ) -> None:
        self._options = (hashes, dict(directives or {}), trusted_types, report_only)
        self.hashes = hashes
        self.report_only = report_only
        sources = {**DIRECTIVES, "script-src": "'self'" if hashes else "'strict-dynamic'", **(directives or {})}
        self.directives = {_name(name): _value(name, value) for name, value in sources.items() if value is not None}
        """The directives of the header, without nonces and hashes."""
        if trusted_types is not False:
            self.directives["require-trusted-types-for"] = "'script'"
        if isinstance(trusted_types, str):
            raise ValueError(f"trusted_types takes a collection, like {{{trusted_types!r}}}, not one text")  # noqa: TRY004
        if not isinstance(trusted_types, bool):
            self.directives["trusted-types"] = " ".join(map(_policy_name, trusted_types)) or "'none'"

    @property
    def header(self) -> str:
        """The name of the header."""
        return "Content-Security-Policy-Report-Only" if self.report_only else "Content-Security-Policy"

    def value(self, nonce: str = "", hashes: Mapping[str, Collection[str]] | None = None) -> str:
        """Return the header's value for a nonce, or for hashes of the kinds ``script`` and ``style``."""
        added = {f"{kind}-src": " ".join(sources) for kind, sources in (hashes or {}).items()}
        if nonce:
            added["script-src"] = added["style-src"] = f"'nonce-{_ANY}'"
        value = _header_value((*self.directives.items(),), (*added.items(),))
        return value.replace(_ANY, nonce) if nonce else value

    def __reduce__(self) -> tuple[object, tuple[object, ...]]:
        return _policy, self._options

    def __repr__(self) -> str:
        return f"<Policy {self.value()}>"


@lru_cache(500)
def _header_value(directives: tuple[tuple[str, str], ...], added: tuple[tuple[str, str], ...]) -> str:
    """Return the value of the header: directives, and what is added to them by name."""
    named, parts = dict(added), []
    for name, value in directives:
        said = " ".join(part for part in (value, named.get(name, "")) if part)
        if name in named and value == "'none'":
            said = named[name] or value
        parts.append(f"{name} {said}".rstrip())
    return "; ".join(parts)


def _policy(
    hashes: bool,  # noqa: FBT001  what __reduce__ has kept
    directives: dict[str, str | None],
    trusted_types: bool | Collection[str],  # noqa: FBT001
    report_only: bool,  # noqa: FBT001
) -> Policy:
    return Policy(hashes=hashes, directives=directives, trusted_types=trusted_types, report_only=report_only)


def _name(name: str) -> str:
    if not isinstance(name, str) or not _NAME.fullmatch(name):
        raise ValueError(f'{name!r} cannot be the name of a directive, like "img-src"')
    if name not in KNOWN:
        near = suggestion(name, KNOWN, f"Directives are {', '.join(sorted(KNOWN))}.")
        raise ValueError(f'there is no directive "{name}". {near}')
    return name


def _value(name: str, value: str) -> str:
    if not isinstance(value, str) or not _VALUE.fullmatch(value):
        raise ValueError(
            f"{name} cannot be {value!r}: it takes ASCII without commas and semicolons, like \"'self' data:\""
        )
    return value.strip()


def _policy_name(name: str) -> str:
    if not isinstance(name, str) or not (_POLICY_NAME.fullmatch(name) or name in {"'allow-duplicates'", "*"}):
        raise ValueError(f"{name!r} cannot be the name of a Trusted Types policy")
    return name
