"""Turns real HTML documents into templates, and counts what is refused: ``PYTHONPATH=tests python -m corpus.run``.

The documents are those of the packages in ``packages.txt``, fetched with ``npm pack``: nothing of theirs is run. Each
refusal must have its reason in ``verdicts.txt``, and each page must be the document again, byte for byte.
"""

from __future__ import annotations

import argparse
import re
import shutil
import subprocess
import sys
import tarfile
import tempfile
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from corpus.sites import RESOURCES, Site, sites_of, templates_of

from untor import Engine, TrustedScriptURL, UntorError
from untor.compiler.origin import Origin
from untor.diagnostics.source import Source
from untor.format.formatter import formatted

if TYPE_CHECKING:
    from collections.abc import Iterator

HERE = Path(__file__).resolve().parent
CACHE = Path(tempfile.gettempdir()) / "untor-corpus"
SAMPLE = 6
LARGEST = 300_000
MOST_DOCUMENTS = 40
"""Of one package, so that none weighs too much."""
MOST_UNEXPLAINED = 0.002
NEVER_REFUSED = frozenset(
    {"text", "href", "src", "class", "id", "title", "alt", "value", "data attribute", "value in a style attribute"}
)
"""Kinds of sites of which none may be refused without a reason."""

engine = Engine()


class Refused(NamedTuple):
    """A site that was refused: its kind, the message, and the text around it."""

    kind: str
    message: str
    excerpt: str


class Judged(NamedTuple):
    """What became of a document's sites."""

    path: Path
    sites: Counter[str]
    refused: list[Refused]
    wrong: list[str]
    """Pages that are not the document again."""


def packages() -> list[str]:
    """Return the names of the packages, with their versions."""
    lines = (HERE / "packages.txt").read_text("utf-8").splitlines()
    return [line for line in lines if not line.startswith("#")]


def verdicts() -> list[tuple[re.Pattern[str], str]]:
    """Return the patterns of messages and the reasons for them."""
    lines = [line for line in (HERE / "verdicts.txt").read_text("utf-8").splitlines() if not line.startswith("#")]
    return [(re.compile(pattern), reason) for pattern, _, reason in (line.partition(" => ") for line in lines)]


def fetched(package: str) -> list[Path]:
    """Return the HTML documents of a package, fetched if they are not there yet."""
    folder = CACHE / re.sub("[^A-Za-z0-9.-]", "_", package)
    if not folder.exists():
        CACHE.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=CACHE) as place:
            command = ["npm", "pack", "--silent", "--ignore-scripts", package]
            subprocess.run(command, cwd=place, check=True, capture_output=True, timeout=300)
            (archive,) = Path(place).glob("*.tgz")
            whole = Path(place) / "documents"
            whole.mkdir()
            with tarfile.open(archive) as opened:
                for number, member in enumerate(opened):
                    source = opened.extractfile(member) if member.name.lower().endswith((".html", ".htm")) else None
                    if source is not None:
                        (whole / f"{number:05} {Path(member.name).name}").write_bytes(source.read())
            shutil.move(whole, folder)
    return sorted(folder.iterdir())


def documents(names: list[str]) -> Iterator[Path]:
    """Yield the documents of packages that are small enough to read, each text once."""
    seen: set[bytes] = set()
    for package in names:
        count = 0
        for path in fetched(package):
            octets = path.read_bytes()
            if len(octets) <= LARGEST and octets not in seen and b"<" in octets and count < MOST_DOCUMENTS:
                seen.add(octets)
                count += 1
                yield path


def judged(path: Path) -> Judged:
    """Try all sites of a document."""
    text = path.read_bytes().decode("utf-8", "replace").replace("\r\n", "\n").replace("\r", "\n").replace("\x00", "")
    sites = sites_of(text)
    refused: list[Refused] = []
    wrong: list[str] = []
    templates = templates_of(text, sites)
    while templates:
        source, values, places = templates.pop()
        wrong += misspelt(source)
        problems = engine.compiler.analyse(Origin("page.html", source), collects=True).problems
        if not problems:
            wrong += differences(text, source, values, list(dict.fromkeys(place.site for place in places)))
            continue
        dropped: set[int] = set()
        for problem in problems:
            index = max((index for index, place in enumerate(places) if place.start <= problem.start), default=None)
            if index is None:
                wrong.append(f"the document itself: {problem.message}")
                dropped = set(range(len(places)))
            elif index not in dropped:
                dropped.add(index)
                excerpt = source[max(0, problem.start - 60) : problem.start + 60]
                refused.append(Refused(places[index].site.kind, problem.message, excerpt))
            if problem.code != "place-refused":
                # What follows may be an echo of it.
                break
        gone = {places[index].site for index in dropped}
        rest = list(dict.fromkeys(place.site for place in places if place.site not in gone))
        templates += templates_of(text, rest)
    return Judged(path, Counter(site.kind for site in sites), refused, wrong)


def misspelt(source: str) -> list[str]:
    """Return what is wrong with the formatting of a template: blanks of marks taken away must come back."""
    ugly = source.replace("{= v", "{=v").replace(" =}", "=}").replace(" !>", "!>")
    text = formatted(Source("page.html", ugly)).text
    return [] if text == source else [f"formatted, it differs: {source[:80]!r}"]


def differences(text: str, source: str, values: dict[str, object], sites: list[Site]) -> list[str]:
    """Return what is wrong with the page of a template: it must be the document, byte for byte."""
    expected, at = [], 0
    for site in sites:
        expected += [text[at : site.start], site.printed or text[site.start : site.end]]
        at = site.end
    whole = "".join([*expected, text[at:]])
    # The origin of what a document loads is its own word.
    own = {
        f"v{number}": TrustedScriptURL(str(site.value), reason="the document's own")
        for number, site in enumerate(sites)
        if site.kind in RESOURCES
    }
    try:
        page = engine.compile(source, "page.html").render({**values, **own})
    except UntorError as error:
        return [f"{type(error).__name__}: {error.message}"]
    # A value in a script may have a blank before or after it.
    if page == whole or re.sub(r"\s+", "", page) == re.sub(r"\s+", "", whole):
        return []
    first = next((index for index, (one, other) in enumerate(zip(page, whole, strict=False)) if one != other), 0)
    return [f"{whole[first - 40 : first + 40]!r} became {page[first - 40 : first + 40]!r}"]


def report(names: list[str], results: list[Judged]) -> tuple[str, list[str]]:
    """Return the report in Markdown, and what is not as it must be."""
    sites: Counter[str] = Counter()
    for each in results:
        sites += each.sites
    table = verdicts()
    reasons: Counter[str] = Counter()
    refused: Counter[str] = Counter()
    unexplained: list[Refused] = []
    for site in (site for each in results for site in each.refused):
        refused[site.kind] += 1
        reason = next((reason for pattern, reason in table if pattern.search(site.message)), None)
        reasons[reason or "none"] += 1
        if reason is None:
            unexplained.append(site)
    total = sum(sites.values())
    wrong = [(each.path, text) for each in results for text in each.wrong]
    lines = [
        f"{len(results)} documents of {len(names)} packages were turned into templates at {total:,} sites: values for",
        "text, attributes, parts of attributes, URLs and literals; conditions round elements and attributes; loops.",
        f"{sum(refused.values()):,} sites ({sum(refused.values()) / total:.2%}) were refused, {len(unexplained)} without a",
        f"reason that a standard gives. {len(wrong)} of the pages were not the document again, byte for byte.",
        "",
        "| site | tried | refused | why |",
        "|---|---|---|---|",
        *(
            f"| {kind} | {count:,} | {refused[kind]:,} | {refused[kind] / count:.2%} |"
            for kind, count in sorted(sites.items(), key=lambda item: (-item[1], item[0]))
        ),
        "",
        "| reason | sites |",
        "|---|---|",
        *(f"| {reason} | {count:,} |" for reason, count in reasons.most_common()),
    ]
    faults = [f"{site.kind}: {site.message}\n    {site.excerpt!r}" for site in unexplained]
    faults = (
        faults
        if len(unexplained) > MOST_UNEXPLAINED * total
        else [fault for fault, site in zip(faults, unexplained, strict=True) if site.kind in NEVER_REFUSED]
    )
    return "\n".join(lines) + "\n", faults + [f"{path}: {text}" for path, text in wrong]


def main() -> int:
    """Judge the corpus; exit with 1 if something is refused or printed that should not be."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--sample", action="store_true", help="the first packages only")
    parser.add_argument("--write", type=Path, help="write the report into this file, after its first lines")
    arguments = parser.parse_args()
    names = packages()[: SAMPLE if arguments.sample else None]
    found = [*documents(names)]
    with ProcessPoolExecutor() as pool:
        results = [*pool.map(judged, found, chunksize=2)]
    text, faults = report(names, results)
    sys.stdout.write(text)
    sys.stdout.writelines(f"\n{fault}\n" for fault in faults)
    if arguments.write:
        head = arguments.write.read_text("utf-8").partition("<!-- the report -->")
        arguments.write.write_text(f"{head[0]}{head[1]}\n\n{text}", "utf-8")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
