"""The hashes of the inline scripts and styles of a page (CSP Level 3 §6.7.3.3)."""

from __future__ import annotations

import base64
import hashlib
import re

from untor.analysis.ir import FixedText, InlineEnd, Nonce, all_operations
from untor.diagnostics.problem import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import TemplateIR

_LINE_BREAK = re.compile("\r\n?")

_REASONS = {
    "foreign": "text in SVG and XML is put together by the parser",
    "": "its text has values or steps in it",
}


def hashes_of(plan: TemplateIR) -> tuple[dict[str, list[str]], list[Problem]]:
    """Return the sources ``'sha256-…'`` of each kind, ``script`` and ``style``, and the elements that have none."""
    hashes: dict[str, list[str]] = {"script": [], "style": []}
    problems: list[Problem] = []
    opened: Nonce | None = None
    text: list[str] = []

    def refuse(at: Nonce, reason: str) -> None:
        words = {"tag": at.tag, "reason": _REASONS[reason]}
        problems.append(Problem("policy-hash", at.source, at.start, at.start + 1, **words))

    for operation in all_operations(plan.body):
        if opened is None:
            if isinstance(operation, Nonce) and operation.content == "foreign":
                refuse(operation, "foreign")
            elif isinstance(operation, Nonce) and operation.content:
                opened, text = operation, []
        elif isinstance(operation, FixedText):
            text.append(operation.text)
        elif isinstance(operation, InlineEnd):
            hashes[opened.content].append(_source("".join(text).partition(">")[2]))
            opened = None
        else:
            refuse(opened, "")
            opened = None
    if opened is not None:
        refuse(opened, "")
    return {kind: list(dict.fromkeys(sources)) for kind, sources in hashes.items()}, problems


def _source(text: str) -> str:
    """Return the hash of an element's text as the parser hands it to the browser (HTML §13.2.3.5, §13.2.5.4)."""
    parsed = _LINE_BREAK.sub("\n", text).replace("\0", "\ufffd")
    return f"'sha256-{base64.b64encode(hashlib.sha256(parsed.encode()).digest()).decode()}'"
