"""The checker's findings in the Static Analysis Results Interchange Format, OASIS SARIF 2.1.0."""

from __future__ import annotations

import json
import re
from urllib.parse import quote

from untor.diagnostics.problem import kind_of
from untor.loading.version import VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from untor.check.findings import Checked, Finding, Related

_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
_WORD = re.compile(r"(?<!{){\w+}(?!})")


def sarif_report(checked: Checked) -> str:
    """Return the report, with one run."""
    codes = sorted({finding.code for finding in checked.findings})
    driver = {"name": "Untor", "semanticVersion": VERSION, "rules": [_rule(code) for code in codes]}
    run = {
        "tool": {"driver": driver},
        "columnKind": "unicodeCodePoints",
        "results": [_result(finding, codes.index(finding.code)) for finding in checked.findings],
    }
    return json.dumps({"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}, ensure_ascii=False, indent=2) + "\n"


def _rule(code: str) -> dict[str, Any]:
    """Return a rule (§3.49): what it finds, how bad it is, an example."""
    kind = kind_of(code)
    rule: dict[str, Any] = {
        "id": code,
        "shortDescription": {"text": _plain(kind.message)},
        "defaultConfiguration": {"level": kind.severity},
    }
    if kind.failing:
        text = f"Wrong:\n{kind.failing}\n\nRight:\n{kind.fixed}"
        markdown = f"Wrong:\n```html\n{kind.failing}\n```\nRight:\n```html\n{kind.fixed}\n```"
        rule["help"] = {"text": text, "markdown": markdown}
    return rule


def _plain(message: str) -> str:
    """Return the message of a table without the words that are filled in."""
    return _WORD.sub("…", message).replace("{{", "{").replace("}}", "}")


def _result(finding: Finding, index: int) -> dict[str, Any]:
    """Return a result (§3.27)."""
    region = {
        "startLine": finding.line,
        "startColumn": finding.column,
        "endLine": finding.end_line,
        "endColumn": finding.end_column,
    }
    result: dict[str, Any] = {
        "ruleId": finding.code,
        "ruleIndex": index,
        "level": finding.severity,
        "message": {"text": "\n".join(part for part in (finding.message, finding.hint) if part)},
        "locations": [{"physicalLocation": {"artifactLocation": _artifact(finding.path), "region": region}}],
        "partialFingerprints": {"untor/v1": finding.fingerprint},
    }
    if finding.related:
        result["relatedLocations"] = [_related(number, other) for number, other in enumerate(finding.related, 1)]
    return result


def _related(number: int, other: Related) -> dict[str, Any]:
    place = {
        "artifactLocation": _artifact(other.path),
        "region": {"startLine": other.line, "startColumn": other.column},
    }
    return {"id": number, "physicalLocation": place, "message": {"text": other.message}}


def _artifact(path: str) -> dict[str, str]:
    """Return where a file is (§3.4): relative to the folder that the check ran in, where it is in it."""
    return {"uri": f"file://{quote(path)}" if path.startswith("/") else quote(path)}
