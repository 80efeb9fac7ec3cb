"""Turns real HTML documents into templates, and counts what is refused: ``PYTHONPATH=tests python -m corpus.run``.

The documents are those of the packages in ``packages.txt``, fetched with ``npm pack``: nothing of theirs is run.
"""

from __future__ import annotations

import argparse
import json
import re
import shutil
import subprocess
import sys
import tarfile
import tempfile
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING, Any

from corpus.sites import RESOURCES, Site, sites_of, templates_of

from untor import Engine, TrustedScriptURL, UntorError
from untor.compiler.origin import Origin

if TYPE_CHECKING:
    from collections.abc import Iterator

HERE = Path(__file__).resolve().parent
CACHE = Path(tempfile.gettempdir()) / "untor-corpus"
SAMPLE = 6
LARGEST = 300_000
MOST_DOCUMENTS = 40
"""Of one package, so that none weighs too much."""
_QUOTED = re.compile(r'"[^"]*"|<[^>]*>|\b(?:line|in) \d+\b')

engine = Engine()


def packages() -> list[str]:
    """Return the names of the packages, with their versions."""
    lines = (HERE / "packages.txt").read_text("utf-8").splitlines()
    return [line for line in lines if line and not line.startswith("#")]


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
                    if member.isfile() and member.name.lower().endswith((".html", ".htm")):
                        source = opened.extractfile(member)
                        if source is not None:
                            (whole / f"{number:05} {Path(member.name).name}").write_bytes(source.read())
            shutil.move(whole, folder)
    return sorted(folder.iterdir())


def documents(names: list[str]) -> Iterator[tuple[str, Path]]:
    """Yield the documents of packages that are large enough to count and small enough to read, each text once."""
    seen: set[bytes] = set()
    for package in names:
        count = 0
        for path in fetched(package):
            octets = path.read_bytes()
            if len(octets) > LARGEST or octets in seen or b"<" not in octets or count == MOST_DOCUMENTS:
                continue
            seen.add(octets)
            count += 1
            yield package, path


def judged(path: Path) -> dict[str, Any]:
    """Return what became of the sites of a document: how many of each kind, what is refused, what came out wrong."""
    try:
        text = path.read_bytes().decode("utf-8").replace("\r\n", "\n").replace("\r", "\n").replace("\x00", "")
    except UnicodeDecodeError:
        return {"path": str(path), "skipped": "not UTF-8"}
    sites = sites_of(text)
    result: dict[str, Any] = {
        "path": str(path),
        "sites": Counter(site.kind for site in sites),
        "refused": [],
        "wrong": [],
    }
    templates = templates_of(text, sites)
    while templates:
        source, values, places = templates.pop()
        problems = engine.compiler.analyse(Origin("page.html", source), collects=True).problems
        if not problems:
            result["wrong"] += wrong(text, source, values, [site for _, _, site in places])
            continue
        refused: set[int] = set()
        for problem in problems:
            index = max((index for index, place in enumerate(places) if place[0] <= problem.start), default=-1)
            if index < 0:
                result["wrong"].append(["the document", problem.message])
                refused = set(range(len(places)))
                break
            if index not in refused:
                refused.add(index)
                excerpt = source[max(0, problem.start - 60) : problem.start + 60]
                result["refused"].append([places[index][2].kind, problem.code, problem.message, excerpt])
            if problem.code != "place-refused":
                # What follows may be an echo of it.
                break
        rest = [place[2] for index, place in enumerate(places) if index not in refused]
        if rest:
            templates += templates_of(text, rest)
    return result


def trusted(sites: list[Site]) -> dict[str, object]:
    """Return the values that are whole URLs of resources: their origin is the document's own word."""
    return {
        f"v{number}": TrustedScriptURL(str(site.value), reason="the document's own")
        for number, site in enumerate(sites)
        if site.kind in RESOURCES
    }


def wrong(text: str, source: str, values: dict[str, object], sites: list[Site]) -> list[list[str]]:
    """Return what is wrong with the page of a template: it must be the document, byte for byte."""
    expected, at = [], 0
    for site in sites:
        expected += [text[at : site.start], site.printed or text[site.start : site.end]]
        at = site.end
    expected.append(text[at:])
    try:
        page = engine.compile(source, "page.html").render({**values, **trusted(sites)})
    except UntorError as error:
        return [[type(error).__name__, str(error)[:300]]]
    whole = "".join(expected)
    if page == whole:
        return []
    # A value in a script may have a blank before or after it.
    if re.sub(r"\s+", "", page) == re.sub(r"\s+", "", whole):
        return [["blanks", ""]]
    first = next(index for index, (one, other) in enumerate(zip(page, whole, strict=False)) if one != other)
    return [["another page", f"{whole[first - 40 : first + 40]!r} became {page[first - 40 : first + 40]!r}"]]


def main() -> int:
    """Judge the corpus, and print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--sample", action="store_true", help="the first packages only")
    parser.add_argument("--raw", type=Path, help="write all that was refused to a file")
    arguments = parser.parse_args()
    names = packages()[: SAMPLE if arguments.sample else None]
    found = [*documents(names)]
    with ProcessPoolExecutor() as pool:
        results = [*pool.map(judged, [path for _, path in found], chunksize=2)]
    if arguments.raw:
        arguments.raw.write_text(json.dumps(results, indent=1), "utf-8")
    sites: Counter[str] = sum((Counter(each.get("sites", {})) for each in results), Counter())
    refused = Counter(entry[0] for each in results for entry in each.get("refused", []))
    for kind, count in sorted(sites.items(), key=lambda item: -item[1]):
        print(f"{kind:40} {count:8} {refused[kind]:6} {refused[kind] / count:8.2%}")
    total = sum(sites.values())
    print(
        f"{len(found)} documents of {len(names)} packages, {total} sites, {sum(refused.values())} refused ({sum(refused.values()) / total:.2%})"
    )
    reasons = Counter((entry[1], _QUOTED.sub("…", entry[2])) for each in results for entry in each.get("refused", []))
    for (code, place), count in reasons.most_common():
        print(f"{count:7} {code:18} {place}")
    errors = [entry for each in results for entry in each.get("wrong", [])]
    print(Counter(entry[0] for entry in errors))
    return 0


if __name__ == "__main__":
    sys.exit(main())
