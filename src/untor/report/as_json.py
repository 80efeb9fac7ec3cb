"""The checker's findings as JSON; docs/checking.md describes the format."""

from __future__ import annotations

import json
from dataclasses import asdict

from untor.loading.version import VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.check.findings import Checked

FORMAT = 1
"""The number of the format; a change that could break a reader counts it up."""


def json_report(checked: Checked) -> str:
    """Return the report."""
    trusted = [
        {
            "path": path,
            "line": placement.line,
            "column": placement.column,
            "expression": placement.expression,
            "reason": placement.reason,
        }
        for path, placement in checked.trusted
    ]
    report = {
        "format": FORMAT,
        "untor": VERSION,
        "templates": checked.templates,
        "accepted": checked.accepted,
        "findings": [asdict(finding) for finding in checked.findings],
        "trusted": trusted,
    }
    return json.dumps(report, ensure_ascii=False, indent=2) + "\n"
