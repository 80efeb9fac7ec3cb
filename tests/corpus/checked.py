"""Holds the checker's rules about markup against the Nu Html Checker: ``PYTHONPATH=tests python -m corpus.checked``.

The documents are those of ``packages.txt``; the Nu checker is ``vnu-jar`` of the npm registry, run by the machine's Java.
Printed is, by rule, in how many documents both find something, and in how many only one does.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
import tarfile
import tempfile
from collections import defaultdict
from pathlib import Path

from corpus.run import CACHE, documents, packages

from untor import Engine

NU = "vnu-jar@26.9.27"
BATCH = 60

STRUCTURE = (
    r"Stray end tag|End tag .* seen, but there were|Unclosed element|No .* in scope but|violates nesting rules"
    r"|implied, but there were open|implicitly closed, but there were|End of file seen and there were open"
    r"|did not match the name of the current|of the same type was already open|already an active .form"
    r"|Heading cannot be a child"
)
RULES: dict[str, tuple[str, set[str]]] = {
    "elements that do not match or nest": (STRUCTURE, {"element-unclosed", "element-wrong-end", "element-extra-end", "element-nested", "head-content", "skeleton-repeated"}),
    "attribute-repeated": (r"Duplicate attribute", {"attribute-repeated"}),
    "attribute-quote, attribute-unclosed, tag-unclosed": (r"Quote .* in attribute name|when expecting an attribute name|in an attribute value", {"attribute-quote", "attribute-unclosed", "tag-unclosed"}),
    "table-content": (r"seen in .table|Misplaced non-space characters inside a table|start tag in table body", {"table-content"}),
    "id-repeated": (r"Duplicate ID", {"id-repeated"}),
    "reference-missing": (r"must be the ID of a non-hidden form|must refer to", {"reference-missing"}),
    "picture-alt": (r"must have an .alt. attribute|is missing required attribute .alt", {"picture-alt"}),
    "lang-missing": (r"Consider adding (?:a )?.lang", {"lang-missing"}),
    "title-missing": (r"missing a required instance of child element .title", {"title-missing"}),
    "charset-wrong": (r"(?:character|internal) encoding|.charset. attribute (?:on a|for)|both a .meta. element", {"charset-wrong"}),
}  # fmt: skip
"""Each group of rules: the messages of the Nu checker, and our rules."""


def fetched() -> Path:
    """Return the archive of the Nu checker, fetched if it is not there yet."""
    archive = CACHE / "vnu.jar"
    if not archive.exists():
        CACHE.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=CACHE) as place:
            command = ["npm", "pack", "--silent", "--ignore-scripts", NU]
            subprocess.run(command, cwd=place, check=True, capture_output=True, timeout=600)
            (package,) = Path(place).glob("*.tgz")
            with tarfile.open(package) as opened:
                member = next(each for each in opened if each.name.endswith("/vnu.jar"))
                source = opened.extractfile(member)
                assert source is not None
                archive.write_bytes(source.read())
    return archive


def of_nu(files: list[Path]) -> dict[str, dict[str, int]]:
    """Return how often the Nu checker finds what each group of rules is about, by document."""
    found: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for start in range(0, len(files), BATCH):
        options = ["--format", "json", "--exit-zero-always", "--html"]
        command = ["java", "-Xss4m", "-jar", str(fetched()), *options, *map(str, files[start : start + BATCH])]
        done = subprocess.run(command, capture_output=True, encoding="utf-8", check=True)
        for message in json.loads(done.stderr)["messages"]:
            for group, (pattern, _) in RULES.items():
                if re.search(pattern, message["message"], re.IGNORECASE):
                    found[message["url"].rpartition("/")[2]][group] += 1
                    break
    return found


def of_untor(folder: Path) -> dict[str, dict[str, int]]:
    """Return how often we find something of each group of rules, by document."""
    found: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for finding in Engine(folder).check():
        for group, (_, rules) in RULES.items():
            if finding.code in rules:
                found[finding.name][group] += 1
    return found


def main() -> None:
    """Print the agreement by group of rules, as a table of Markdown."""
    with tempfile.TemporaryDirectory() as place:
        files = []
        for number, path in enumerate(documents(packages())):
            text = path.read_bytes().decode("utf-8", "replace").replace("\x00", "")
            files.append(Path(place) / f"{number:04}.html")
            files[-1].write_text(text, "utf-8")
        ours, theirs = of_untor(Path(place)), of_nu(files)
    sys.stdout.write(
        f"{len(files)} documents\n\n| rules | both | only Untor | only Nu | findings | of Nu |\n|---|---|---|---|---|---|\n"
    )
    for group in RULES:
        both = sum(bool(ours[file.name][group] and theirs[file.name][group]) for file in files)
        one = sum(bool(ours[file.name][group]) for file in files) - both
        other = sum(bool(theirs[file.name][group]) for file in files) - both
        counts = [sum(each[file.name][group] for file in files) for each in (ours, theirs)]
        sys.stdout.write(f"| {group} | {both} | {one} | {other} | {counts[0]:,} | {counts[1]:,} |\n")


if __name__ == "__main__":
    main()
