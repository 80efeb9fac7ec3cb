"""The checker's findings for people: by file, each with its line and hint, and a summary."""

from __future__ import annotations

from itertools import groupby

from untor.diagnostics.wording import counted

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.check.findings import Checked, Finding


def text_report(checked: Checked) -> str:
    """Return the findings and a summary. A finding begins with ``FILE:LINE:COLUMN: SEVERITY: MESSAGE [CODE]``."""
    example = [f"To explain a code: untor check --about {checked.findings[0].code}"] if checked.findings else []
    return "\n\n".join([*_blocks(checked), "\n".join([summary(checked), *example])]) + "\n"


def findings(checked: Checked) -> str:
    """Return the findings alone; nothing when there are none."""
    blocks = _blocks(checked)
    return "\n\n".join(blocks) + "\n" if blocks else ""


def _blocks(checked: Checked) -> list[str]:
    blocks: list[str] = []
    for path, findings in groupby(checked.findings, key=lambda finding: finding.path):
        inside = list(findings)
        blocks += [f"{path}, {counted(len(inside), 'finding')}", *("\n".join(_finding(each)) for each in inside)]
    return blocks


def _finding(finding: Finding) -> Iterator[str]:
    place = f"{finding.path}:{finding.line}:{finding.column}"
    yield f"{place}: {finding.severity}: {finding.message} [{finding.code}]"
    yield finding.excerpt
    yield from (f"  {line}" for line in finding.hint.splitlines())
    for other in finding.related:
        yield f"  {other.path}:{other.line}:{other.column}: {other.message}"


def summary(checked: Checked) -> str:
    """Return the last line: how many templates, how many findings."""
    errors = sum(finding.severity == "error" for finding in checked.findings)
    warnings = len(checked.findings) - errors
    files = len({finding.path for finding in checked.findings})
    found = f"{counted(errors, 'error')} and {counted(warnings, 'warning')} in {counted(files, 'file')}"
    accepted = f", {counted(checked.accepted, 'finding')} accepted" if checked.accepted else ""
    what = found if checked.findings else "nothing is wrong"
    return f"{counted(checked.templates, 'template')} checked: {what}{accepted}."


def trusted_list(checked: Checked) -> str:
    """Return the list of values that are printed as trusted, each with its place and its reason."""
    lines = [f"{counted(len(checked.trusted), 'value')} printed as trusted"]
    for path, placement in checked.trusted:
        place = f"{path}:{placement.line}:{placement.column}"
        lines.append(f"  {place}: {placement.expression.partition('|')[0].strip()}, because: {placement.reason}")
    return "\n".join(lines) + "\n"
