"""Reports of the checker, a file for each format. Each takes a ``Checked`` and returns the whole report as text."""

from __future__ import annotations

from untor.report.as_json import json_report
from untor.report.as_sarif import sarif_report
from untor.report.as_text import text_report

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.check.findings import Checked

FORMATS: dict[str, Callable[[Checked], str]] = {"text": text_report, "json": json_report, "sarif": sarif_report}
"""The reports by the name of their format."""
