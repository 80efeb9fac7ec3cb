"""What Untor installs: little, with lowest versions, and nothing else that makes pages of templates."""

from __future__ import annotations

import json
import re
import tomllib
from importlib.metadata import PackageNotFoundError, distribution
from pathlib import Path

import pytest
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

ROOT = Path(__file__).parent.parent
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
EXTRAS = PROJECT["optional-dependencies"]


def installed(name: str, extra: str) -> set[str]:
    """Return the names of all packages that an extra installs here, directly and by what these need."""
    wanted: dict[str, set[str]] = {}
    todo = [(name, {"", extra})]
    while todo:
        each, extras = todo.pop()
        key = canonicalize_name(each)
        if extras <= wanted.get(key, set()):
            continue
        wanted.setdefault(key, set()).update(extras)
        for line in distribution(each).requires or []:
            needed = Requirement(line)
            if needed.marker is None or any(needed.marker.evaluate({"extra": asked}) for asked in extras):
                todo.append((needed.name, {"", *needed.extras}))
    return {*wanted}


@pytest.mark.parametrize("extra", ["all", "test", "dev"])
def test_nothing_else_makes_pages_of_templates(extra: str) -> None:
    """No package that an extra brings in says of itself, in its metadata, that it is about templates."""
    try:
        names = installed("untor", extra)
    except PackageNotFoundError:
        if extra == "dev":
            pytest.skip("the tools for development are not installed")
        raise
    assert len(names) > 20
    for name in names - {"untor"}:
        metadata = distribution(name).metadata
        said = [text for key in ("Name", "Summary", "Keywords", "Classifier") for text in metadata.get_all(key) or []]
        assert not [text for text in said if re.search("templat", text, re.IGNORECASE)], name


def test_lowest_versions() -> None:
    """Each package that Untor needs has a lowest version, which ``.ci/lowest`` tries, and none a highest."""
    lines = [*PROJECT["dependencies"], *(line for lines in EXTRAS.values() for line in lines)]
    for line in lines:
        needed = Requirement(line)
        if needed.name != "untor":
            assert [each.operator for each in needed.specifier] == [">="], line
        assert needed.url is None, line
    assert {*EXTRAS} - {"all", "test", "dev"} == {*Requirement(EXTRAS["all"][0]).extras}


def test_lock_and_bill_of_materials() -> None:
    """The lock has each package of all extras, in a version that is admitted, and the bill of materials is that of it."""
    locked = dict(
        re.findall(r"^([a-z0-9-]+)==([^ ;]+)", (ROOT / "packaging/lock.txt").read_text("utf-8"), re.MULTILINE)
    )
    for line in [
        *PROJECT["dependencies"],
        *(line for extra in Requirement(EXTRAS["all"][0]).extras for line in EXTRAS[extra]),
    ]:
        needed = Requirement(line)
        if needed.name != "untor":
            assert locked[canonicalize_name(needed.name)] in needed.specifier, line
    bill = json.loads((ROOT / "packaging/sbom.json").read_text("utf-8"))
    listed = {canonicalize_name(each["name"]): each["version"] for each in bill["components"]}
    assert listed.items() <= locked.items()
    assert len(listed) > len(locked) - 4  # some are for other systems
    assert all(each["licenses"] for each in bill["components"])
