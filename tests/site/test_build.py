"""Whole sites of files: what is written, when, where, and what never happens."""

from __future__ import annotations

import gc
import json
import math
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from array import array
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from copy import copy
from datetime import date, datetime
from decimal import Decimal
from multiprocessing import get_context
from pathlib import Path
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import untor

from untor import BuildFailed, BuildResult, Deferred, Engine, UntorError
from untor.site import manifest as manifests
from untor.site import sitemap
from untor.site.fingerprints import of_value
from untor.site.paths import address_of, folded, path_trouble

SETTINGS = """
[tool.untor]
static = {"/port/static" = "static"}

[tool.untor.build]
url = "https://ellery.example/port/"
data = "harbour.sqlite"
"index.html" = {page = "index", data = "index.json", values = {season = "summer"}}
"vessels/{id}.html" = {page = "vessel", each = "vessels", as = "vessel"}
"notices/{page}.html" = {page = "notices", each = "notices", per = 2, first = "notices/", data = {notices = "notices.csv"}}
"berths/{code | slug}/" = {page = "berth", each = "harbour.berths", as = "berth", data = "berths.xml"}
"{locale}/about.html" = {page = "about", locales = ["en", "de"], sitemap = false}
"feed.xml" = {page = "feed.xml"}
"""
FILES = {
    "templates/frame.html": '<!doctype html><html lang="en"><title>{= title =}</title><link rel="stylesheet" href="{= asset("site.css") =}"><body><! slot !>',
    "templates/index.html": '<! layout "frame" title="Port Ellery" !>\n<h1>{= greeting =}, {= season =}</h1><! for v in vessels !><a href="{= page.root =}vessels/{= v.id =}.html">{= v.name =}</a><! end !>',
    "templates/vessel.html": '<! layout "frame" title=vessel.name !>\n<h1>{= vessel.name =}</h1><a href="{= page.root =}" id="home">home</a>',
    "templates/notices.html": '<! layout "frame" title="Notices" !>\n<! for n in notices !><p>{= n.text =}<! end !>{= page.number =}/{= page.total =}<! if page.next !><a href="{= page.next =}">on</a><! end !>',
    "templates/berth.html": '<! layout "frame" title=berth.code !>\n<p>{= berth.code =}: {= berth.depth =} m at {= page.address =}, {= page.url =}',
    "templates/about.html": '<! layout "frame" title=1234.5 | number !>\n<p lang="{= locale.code =}">{= 1234.5 | number =}',
    "templates/404.html": '<! layout "frame" title="Not found" !>\n<p>Not here.',
    "templates/feed.xml": "<feed><! for v in vessels !><v>{= v.name =}</v><! end !></feed>",
    "static/site.css": "body { margin: 0 }",
    "static/icons/buoy.svg": "<svg/>",
    "index.json": json.dumps({"greeting": "Welcome <aboard>"}),
    "notices.csv": "text\nfirst\nsecond\n<third>\n",
    "berths.xml": "<harbour><berths><code>N 1</code><depth>8</depth></berths><berths><code>S&amp;2</code><depth>9</depth></berths></harbour>",
}
BUILT = """404.html berths/n-1/index.html berths/s-2/index.html de/about.html en/about.html feed.xml index.html
notices/2.html notices/index.html sitemap.xml static/icons/buoy.svg static/site.css vessels/1.html vessels/2.html""".split()


def database(file: Path, names: list[str]) -> None:
    """Write the vessels of a harbour."""
    with sqlite3.connect(file) as connection:
        connection.execute("drop table if exists vessels")
        connection.execute("create table vessels(id integer primary key, name text)")
        connection.executemany("insert into vessels(name) values (?)", [(name,) for name in names])
    connection.close()


@pytest.fixture
def site(tmp_path: Path) -> Path:
    """A site with a page of every kind."""
    for name, text in {**FILES, "pyproject.toml": SETTINGS}.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text(text, "utf-8")
    database(tmp_path / "harbour.sqlite", ["Sea <Holly>", "Gannet"])
    return tmp_path


def tree(folder: Path) -> dict[str, bytes]:
    """Return the files of a built site."""
    files = (path for path in sorted(folder.rglob("*")) if path.is_file())
    return {
        name: path.read_bytes()
        for path in files
        if not (name := path.relative_to(folder).as_posix()).startswith(".untor-build/")
    }


def test_a_site_of_every_kind(site: Path) -> None:
    """Pages of data, records and groups, static files, the sitemap and the page for what is not there are written."""
    assert untor("build", "--check", folder=site) == (
        0,
        "public: 11 pages; 11 written, 0 unchanged, 2 static files copied.\nAll links inside the site lead somewhere.\n",
        "",
    )
    built = tree(site / "public")
    assert sorted(built) == BUILT
    assert b"<h1>Welcome &lt;aboard&gt;, summer</h1>" in built["index.html"]
    assert b"<h1>Sea &lt;Holly&gt;</h1>" in built["vessels/1.html"]
    assert b"<p>first<p>second1/2" in built["notices/index.html"]
    assert b'<a href="/port/notices/2.html">on</a>' in built["notices/index.html"]
    assert b"<p>&lt;third&gt;2/2" in built["notices/2.html"]
    assert (
        b"S&amp;2: 9 m at /port/berths/s-2/, https://ellery.example/port/berths/s-2/" in built["berths/s-2/index.html"]
    )
    assert (b"1.234,5" in built["de/about.html"], b"1,234.5" in built["en/about.html"]) == (True, True)
    assert built["static/site.css"] == FILES["static/site.css"].encode()
    locations = [element.text or "" for element in ET.fromstring(built["sitemap.xml"]).iter() if element.text]
    assert [each.strip() for each in locations if each.strip()] == [
        f"https://ellery.example/port/{path}"
        for path in "berths/n-1/ berths/s-2/ _ notices/2.html notices/ vessels/1.html vessels/2.html".replace(
            "_", ""
        ).split(" ")
    ]


@pytest.mark.parametrize(("change", "rendered"), [
    ({}, set()),
    ({"index.json": '{"greeting": "Ahoy"}'}, {"index.html"}),
    ({"notices.csv": "text\nfirst\nsecond\nfourth\n"}, {"notices/2.html"}),
    ({"templates/vessel.html": "<p>{= vessel.name =}"}, {"vessels/1.html", "vessels/2.html"}),
    ({"harbour.sqlite": ["Sea <Holly>", "Tern"]}, {"index.html", "vessels/2.html", "feed.xml"}),
    ({"harbour.sqlite": ["Sea <Holly>"]}, {"index.html", "feed.xml", "sitemap.xml", "-vessels/2.html"}),
    ({"static/site.css": "body { margin: 1px }"}, {*BUILT} - {"feed.xml", "sitemap.xml", "static/icons/buoy.svg"}),
    ({"templates/frame.html": "<title>{= title =}</title><body><! slot !>"}, {*BUILT} - {"feed.xml", "sitemap.xml", "static/icons/buoy.svg", "static/site.css"}),
    ({"pyproject.toml": SETTINGS.replace('"feed.xml" = {page = "feed.xml"}', "")}, {"-feed.xml"}),
    ({"pyproject.toml": SETTINGS.replace("/port/", "/quay/")},
     {*BUILT} - {"feed.xml", "static/icons/buoy.svg", "static/site.css"}),
])  # fmt: skip
def test_only_what_has_changed_is_written(site: Path, change: dict[str, Any], rendered: set[str]) -> None:
    """A page is rendered and written again exactly if its data, template, static files or options have changed."""
    assert untor("build", "-q", folder=site) == (0, "", "")
    public = site / "public"
    inodes = {name: (public / name).stat().st_ino for name in tree(public)}
    for name, text in change.items():
        if name.endswith(".sqlite"):
            database(site / name, text)
        else:
            (site / name).write_text(text, "utf-8")
    assert untor("build", "-q", folder=site) == (0, "", "")
    after = {name: (public / name).stat().st_ino for name in tree(public)}
    assert {name for name, inode in after.items() if inodes.get(name) != inode} == {n for n in rendered if n[0] != "-"}
    assert {f"-{name}" for name in inodes.keys() - after.keys()} == {n for n in rendered if n[0] == "-"}
    before = tree(public)
    shutil.rmtree(public)
    assert untor("build", "-q", "--jobs", "2", folder=site) == (0, "", "")
    assert tree(public) == before


# --- what goes wrong -------------------------------------------------------------------------------------------------


def test_errors_name_page_and_record_and_the_rest_is_built(site: Path) -> None:
    """A record that fails keeps its old page; the others are built; what has no data any more is kept too."""
    assert untor("build", "-q", folder=site)[0] == 0
    (site / "templates/vessel.html").write_text("<p>{= vessel.name | upper =}{= 1 // (vessel.id - 1) =}", "utf-8")
    (site / "notices.csv").write_text('text\n"never closed', "utf-8")
    (site / "templates/about.html").write_text("<p>{= nmae =}", "utf-8")
    for jobs in ("1", "2"):
        status, printed, errors = untor("build", "--jobs", jobs, folder=site)
        assert status == 1
        assert printed.startswith("public: 6 pages; ")
        assert "4 failed.\n" in printed
        titles = [line for line in errors.splitlines() if line.startswith("untor: ")]
        assert [title.removeprefix("untor: ").split(":")[0] for title in titles] == [
            "notices/{page}.html",
            "vessels/1.html, record 1 of vessels",
            "en/about.html (and 1 other page)",
        ]
    assert b"Sea &lt;Holly&gt;</h1>" in (site / "public/vessels/1.html").read_bytes()
    assert (site / "public/vessels/2.html").read_bytes() == b"<p>GANNET1"
    assert (site / "public/notices/2.html").exists()
    assert "/port/notices/2.html</loc>" in (site / "public/sitemap.xml").read_text("utf-8")
    assert (site / "public/de/about.html").exists()


@pytest.mark.parametrize(("records", "said"), [
    ([{"id": ""}], ["x/{id}, record 1 of the records: its field {id} is empty"]),
    ([{"id": None}], ["x/{id}, record 1 of the records: its field {id} is empty"]),
    ([{"id": "../../etc/passwd"}], ["its field {id} has a / in it: '../../etc/passwd'; {id | slug} would be 'etc-passwd'"]),
    ([{"id": ".."}], ["its path would be 'x/..': it has a part that is \"..\", and would be another place"]),
    ([{"id": "a\\b"}], ["it has the character '\\\\', which not every file system can hold"]),
    ([{"id": "con.html"}], ['"con.html" is the name of a device on Windows']),
    ([{"id": "VESSEL~1.HTM"}], ['"VESSEL~1.HTM" could be the short name of another file on Windows']),
    ([{"id": "x" * 256}], ["a name in it is longer than 255 bytes"]),
    ([{"id": "é" * 128}], ["a name in it is longer than 255 bytes"]),
    ([{"id": "a."}], ['the name "a." ends in a dot, which Windows drops']),
    ([{"id": "a\n"}], ["it has the character '\\n', which not every file system can hold"]),
    ([{"id": "a"}, {"id": "a"}], ["x/a, record 2 of the records: there is already a file with this path (of x/{id})"]),
    ([{"id": "a"}, {"id": "A"}], ["it is the same file as x/a (of x/{id}) where case, or the form of letters, does not count"]),
    ([{"id": "a"}, {"id": "a\u200c"}], ["where case, or the form of letters, does not count"]),
    ([{"id": "é"}, {"id": "e\u0301"}], ["where case, or the form of letters, does not count"]),
    ([{"name": "a"}], ['its field {id} cannot be printed: There is no "id" here. The record has name.']),
    ([{"id": [1]}], ["its field {id} cannot be printed: "]),
    ([{"id": 10**5000}], ["its field {id} cannot be printed: "]),
    ([{"id": "a", "page": 3}], ['it has a field "page", which in a built site is the page itself; give the record a name with as']),
    ([7], ["record 1 of the records: it has no fields of its own; give it a name with as"]),
])  # fmt: skip
def test_paths_that_cannot_be(tmp_path: Path, records: list[Any], said: list[str]) -> None:
    """Records whose path leaves the folder, clashes, or cannot be on some file system are reported, and nothing else."""
    (tmp_path / "t").mkdir()
    (tmp_path / "t/x.txt").write_text("x{= page.path? =}", "utf-8")
    with pytest.raises(BuildFailed) as failed:
        Engine(str(tmp_path / "t")).build(tmp_path / "out", {"x/{id}": {"page": "x", "each": records}})
    found = [f"{failure.title}: {failure.error}" for failure in failed.value.result.failures]
    assert all(text in line for text, line in zip(said, found, strict=True)), found
    assert failed.value.exceptions[0].__notes__ == [failed.value.result.failures[0].title]
    assert not list(tmp_path.rglob("passwd"))


@pytest.mark.parametrize(("pages", "said"), [
    ([("a", "x", {}), ("a/b", "x", {})], "its folder clashes with the file a"),
    ([("a/b", "x", {}), ("A", "x", {})], "it clashes with the folder a, which other files are in"),
    ([("A/b", "x", {}), ("a/c", "x", {})], "it clashes with the folder A, which other files are in"),
    ([("../x", "x", {})], 'it has a part that is "..", and would be another place'),
    ([("/etc/x", "x", {})], "it has an empty part, and would be another place"),
    ([(".untor-build/x", "x", {})], ".untor-build belongs to the build itself"),
    ([(".untor\u200c-Build/x", "x", {})], ".untor-build belongs to the build itself"),
    ([("UNTOR-~1/x", "x", {})], '"UNTOR-~1" could be the short name of another file on Windows'),
    ([("static/site.css", "x", {})], "there is already a file with this path (of static files)"),
    ([("x", "missing", {})], 'There is no template "missing"'),
])  # fmt: skip
def test_triples_that_cannot_be(tmp_path: Path, pages: list[Any], said: str) -> None:
    """Pages from Python clash with one another, with folders and static files as those of a table do."""
    for name in ("t/x.txt", "static/site.css"):
        (tmp_path / name).parent.mkdir()
        (tmp_path / name).write_text("x", "utf-8")
    with pytest.raises(BuildFailed) as failed:
        Engine(str(tmp_path / "t"), static=str(tmp_path / "static")).build(tmp_path / "out", iter(pages))
    assert said in str(failed.value.result.failures[-1].error)
    assert failed.value.result.failed == 1


def test_files_of_others_are_never_touched(site: Path) -> None:
    """A file that no build has written is neither overwritten nor removed, unless it is what would be written."""
    public = site / "public"
    assert untor("build", "-q", folder=site)[0] == 0
    same = (public / "index.html").read_bytes()
    shutil.rmtree(public)
    (public / "vessels").mkdir(parents=True)
    (public / "vessels/1.html").write_text("mine", "utf-8")
    (public / "index.html").write_bytes(same)
    (public / "README").write_text("mine", "utf-8")
    for _ in range(2):
        status, _, errors = untor("build", folder=site)
        what = "it is there, and no build has written it: remove it, or build into another folder"
        assert (status, errors) == (1, f"untor: vessels/1.html, record 1 of vessels: {what}\n")
    assert ((public / "vessels/1.html").read_text("utf-8"), (public / "README").read_text("utf-8")) == ("mine", "mine")
    database(site / "harbour.sqlite", [])
    (public / "vessels/2.html").write_text("changed by hand", "utf-8")
    assert untor("build", "-q", folder=site)[0] == 0
    assert sorted(path.name for path in (public / "vessels").iterdir()) == ["1.html", "2.html"]


def test_links_that_lead_out_of_the_folder(tmp_path: Path) -> None:
    """Nothing is written through a link to another folder, and a link in the place of a page is replaced."""
    for name in ("t", "out", "elsewhere"):
        (tmp_path / name).mkdir()
    (tmp_path / "t/x.txt").write_text("page", "utf-8")
    (tmp_path / "elsewhere/file").write_text("theirs", "utf-8")
    engine = Engine(str(tmp_path / "t"))
    engine.build(tmp_path / "out", [("file", "x", {})])
    (tmp_path / "out/file").unlink()
    (tmp_path / "out/file").symlink_to(tmp_path / "elsewhere/file")
    (tmp_path / "out/away").symlink_to(tmp_path / "elsewhere")
    with pytest.raises(BuildFailed) as failed:
        engine.build(tmp_path / "out", [("file", "x", {}), ("away/page", "x", {})])
    assert [failure.path for failure in failed.value.result.failures] == ["away/page"]
    assert {path.name: path.read_text("utf-8") for path in (tmp_path / "elsewhere").iterdir()} == {"file": "theirs"}
    assert (tmp_path / "out/file").read_text("utf-8") == "page"


def test_a_changed_record_reaches_nothing_outside(tmp_path: Path) -> None:
    """Whoever changes the record, or puts links in the place of folders, makes a build remove nothing outside of it."""
    (tmp_path / "t").mkdir()
    (tmp_path / "t/x.txt").write_text("page", "utf-8")
    for name in ("kept", "elsewhere/kept"):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_text("mine", "utf-8")
    engine, out = Engine(str(tmp_path / "t")), tmp_path / "out"
    engine.build(out, [("a", "x", {}), ("sub/kept", "x", {})])
    with sqlite3.connect(out / ".untor-build/manifest.sqlite") as record:
        record.execute(
            "update files set folded = '../kept', path = '../kept', size = 4, digest = null where path = 'a'"
        )
        record.execute("update files set digest = null where path = 'sub/kept'")
    record.close()
    shutil.rmtree(out / "sub")
    (out / "sub").symlink_to(tmp_path / "elsewhere")
    assert engine.build(out, []).removed == 2
    assert (tmp_path / "kept").read_text("utf-8") == (tmp_path / "elsewhere/kept").read_text("utf-8") == "mine"
    shutil.rmtree(out / ".untor-build")
    (out / ".untor-build").symlink_to(tmp_path / "elsewhere")
    with pytest.raises(OSError, match="it is a link, and a build keeps its record there"):
        engine.build(out, [])


def test_from_another_folder(site: Path) -> None:
    """Templates, data, static files and output are those of the project, wherever the command runs."""
    (site / "deeper").mkdir()
    assert untor("build", "-q", "--check", folder=site / "deeper") == (0, "", "")
    assert sorted(tree(site / "public")) == BUILT
    (site / "templates/404.html").write_text("<p>{= status =}", "utf-8")
    assert untor("build", "-q", folder=site / "deeper") == (0, "", "")
    assert "404.html" not in tree(site / "public")


def test_a_folder_becomes_a_file_and_a_file_a_folder(tmp_path: Path) -> None:
    """What earlier builds have written is no obstacle, whatever it becomes."""
    (tmp_path / "t").mkdir()
    (tmp_path / "t/x.txt").write_text("{= n =}", "utf-8")
    engine, out = Engine(str(tmp_path / "t")), tmp_path / "out"
    for paths in (["a/b/c", "d"], ["a", "d/e/f"], ["A/b", "D"], ["a/B/c", "d/E"], []):
        engine.build(out, [(path, "x", {"n": number}) for number, path in enumerate(paths)])
        assert sorted(tree(out)) == sorted(paths)


@given(st.text(max_size=300), st.text(max_size=300))
def test_any_path_is_refused_or_can_be_written(one: str, other: str) -> None:
    """A path that is not refused stays inside, survives its address, and is one of its own where it should be."""
    for path in (one, f"{one}/{other}", f"{one}.html"):
        if not path_trouble(path):
            assert not Path(path).is_absolute()
            assert ".." not in Path(path).parts
            assert os.path.normpath(path) == path
            assert address_of(path).isascii()
    if folded(one) == folded(other):
        assert one.casefold() == other.casefold() or not (one.isascii() and other.isascii())


def test_fingerprints_of_values() -> None:
    """Values that print differently have different fingerprints, and the same ones have the same; objects have none."""
    numbers = [0, 0.0, -0.0, False, None, "", b"", "0", Decimal(0), np.float64(0), np.int64(0), np.int32(0)]
    arrays = [
        np.zeros((1, 2), "i4"), np.zeros((2, 1), "i4"), array("i", [0, 0]), np.datetime64(0, "D"),
        np.datetime64(0, "Y"),
    ]  # fmt: skip
    times = [
        date(2031, 5, 17),
        datetime(2031, 5, 17),
        ("date", "datetime.date(2031, 5, 17)"),
        ["tuple", 0],
        (0,),
        [0],
        {0: 0},
    ]
    values = [*numbers, *arrays, *times]
    for shape in (lambda value: value, lambda value: [value], lambda value: {"x": (value, 1)}):
        found = [of_value(shape(value)) for value in values]
        known = [each for each in found if each is not None]
        assert len({*known}) == len(known)
        assert found == [of_value(shape(copy(value))) for value in values]
        assert [each is None for each in found].count(True) == len(arrays) + 3
    assert of_value(math.nan) == of_value(float("nan")) is not None


# --- from Python -----------------------------------------------------------------------------------------------------


class Berth:
    """An object of an application."""

    def __init__(self, code: str) -> None:
        self.code = code


def test_from_python(tmp_path: Path) -> None:
    """Records may be any iterable of any objects; a generator is read once, and what is no plain data is rendered again."""
    (tmp_path / "t").mkdir()
    (tmp_path / "t/x.txt").write_text("{= berth.code =} {= page.number? =}", "utf-8")
    (tmp_path / "t/list.txt").write_text(
        "<! for b in berths !>{= b.code =}<! end !> {= page.number =}/{= page.total =}", "utf-8"
    )
    engine, seen = Engine(str(tmp_path / "t"), helpers={"dice": random.random}), []
    out = tmp_path / "out"

    def told(done: int, of: int) -> None:
        seen.append((done, of))

    def table() -> dict[str, Any]:
        return {
            "{code}.txt": {"page": "x", "each": (Berth(code) for code in "AB"), "as": "berth"},
            "list/{page}": {"page": "list", "each": ({"code": code} for code in "ABC"), "as": "berths", "per": 2},
        }

    assert engine.build(out, table(), progress=told) == BuildResult(4, 4, 4)
    assert seen[-1] == (4, 4)
    assert engine.build(out, table()) == BuildResult(pages=4, rendered=2)
    assert engine.build(out, table(), whole=True) == BuildResult(pages=4, rendered=4)
    assert {name: text.decode() for name, text in tree(out).items()} == {
        "A.txt": "A ", "B.txt": "B ", "list/1": "AB 1/2", "list/2": "C 2/2",
    }  # fmt: skip
    (tmp_path / "t/volatile.txt").write_text("{= dice() > 2 =}{= who =}", "utf-8")
    values = {"who": Deferred(lambda: "Runa")}
    assert engine.build(out, [("v", "volatile", values)]) == BuildResult(1, 1, 1, removed=4)
    assert engine.build(out, [("v", "volatile", values)]) == BuildResult(1, 1)
    (tmp_path / "t/own.txt").write_text("{= page.url =} {= page.root =}", "utf-8")
    given = [("a/b", "own", {}), ("c", "own", {"page": {"url": 1, "root": 2}})]
    engine.build(out, given, url="https://ellery.example/port")
    assert {name: text.decode() for name, text in tree(out).items() if name != "sitemap.xml"} == {
        "a/b": "https://ellery.example/port/a/b ../",
        "c": "1 2",
    }


def test_by_other_workers(tmp_path: Path) -> None:
    """Threads and processes make the same pages, and an error of one comes back with its place."""
    (tmp_path / "t").mkdir()
    (tmp_path / "t/x.txt").write_text("{= 100 // n =}", "utf-8")
    engine, out = Engine(str(tmp_path / "t")), tmp_path / "out"
    pages = [(f"{n}", "x", {"n": n}) for n in range(-600, 600)]
    for executor in (ThreadPoolExecutor(3), ProcessPoolExecutor(2, mp_context=get_context("spawn"))):
        shutil.rmtree(out, ignore_errors=True)
        with executor, pytest.raises(BuildFailed) as failed:
            engine.build(out, pages, executor)
        ((error,), result) = failed.value.exceptions, failed.value.result
        assert isinstance(error, UntorError)
        assert (error.name, error.line, error.column) == ("x.txt", 1, 4)
        assert (result.pages, result.written, result.failures[0].path) == (1199, 1199, "0")
        assert tree(out) == {f"{n}": str(100 // n).encode() for n in range(-600, 600) if n}
    with (
        ProcessPoolExecutor(1, mp_context=get_context("spawn")) as executor,
        pytest.raises(
            ValueError,
            match=r"the values of f and the pages after it cannot be sent to other processes: .*Pass plain data",
        ),
    ):
        engine.build(out, [("f", "x", {"n": lambda: 1})], executor)


def test_memory_does_not_grow_with_the_pages(tmp_path: Path) -> None:
    """Of many records only a batch is in memory; each is made when it is needed."""
    (tmp_path / "t").mkdir()
    (tmp_path / "t/x.txt").write_text("{= b.code =}", "utf-8")
    alive = [0]

    def records() -> Any:
        for number in range(5000):
            if number % 1000 == 0:
                gc.collect()
                alive.append(sum(type(each) is Berth for each in gc.get_objects()))
            yield Berth(f"{number}")

    Engine(str(tmp_path / "t")).build(tmp_path / "out", {"{code}": {"page": "x", "each": records(), "as": "b"}})
    assert max(alive) <= 1500


def test_sitemaps_of_many_pages(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """More addresses than one file may have go into several, with an index; one that the site makes itself is kept."""
    monkeypatch.setattr(sitemap, "MOST_URLS", 4)
    (tmp_path / "t").mkdir()
    (tmp_path / "t/x.html").write_text("<p>", "utf-8")
    engine, out = Engine(str(tmp_path / "t")), tmp_path / "out"
    for count, files in ((0, 0), (1, 1), (4, 1), (5, 3), (8, 3), (9, 4), (3, 1)):
        engine.build(out, [(f"{n} ä.html", "x", {}) for n in range(count)], url="https://ellery.example")
        maps = sorted(name for name in tree(out) if name.startswith("sitemap"))
        several = [f"sitemap-{number}.xml" for number in range(1, files)]
        assert maps == (sorted([*several, "sitemap.xml"]) if files else [])
        parsed = [ET.fromstring(tree(out)[name]) for name in maps]
        urls = [url for each in parsed if each.tag.endswith("urlset") for element in each for (url,) in [element]]
        assert {url.text for url in urls} == {f"https://ellery.example/{n}%20%C3%A4.html" for n in range(count)}
    engine.build(out, [("sitemap.xml", "x", {}), ("a.html", "x", {})], url="https://ellery.example")
    assert tree(out)["sitemap.xml"] == b"<p>"


# --- stopped, and started again ----------------------------------------------------------------------------------------


def test_killed_at_any_point_it_ends_the_same(tmp_path: Path) -> None:
    """A build that is killed leaves whole pages only, and the next one ends as if nothing had happened."""
    names = [f"Vessel {n}" for n in range(1500)]
    (tmp_path / "templates").mkdir()
    (tmp_path / "templates/vessel.html").write_text(
        "<title>x</title><body>{= vessel.name =}<! for n in range(500) !>{= vessel.name =}<! end !>", "utf-8"
    )
    (tmp_path / "pyproject.toml").write_text(
        '[tool.untor.build]\nurl = "https://ellery.example"\n'
        '"vessels/{id}.html" = {page = "vessel", each = "vessels", as = "vessel", data = "harbour.sqlite"}\n',
        "utf-8",
    )
    public, dice = tmp_path / "public", random.Random(26)  # noqa: S311  the same moments each time
    command = [sys.executable, "-m", "untor", "build", "-q"]

    def change(round_: int) -> dict[str, bytes]:
        """Change some vessels and remove others; return what the site must be."""
        database(
            tmp_path / "harbour.sqlite",
            [f"{name} {round_ if n % 7 == 0 else ''}" for n, name in enumerate(names[: 1500 - 300 * round_])],
        )
        subprocess.run([*command, "-o", "whole"], cwd=tmp_path, check=True)
        return tree(tmp_path / "whole")

    killed = 0
    for round_ in range(2):
        wanted = change(round_)
        before = tree(public)
        for jobs in ("1", "2"):
            started = time.monotonic()
            subprocess.run([*command, "-o", f"timed-{round_}-{jobs}", "--jobs", jobs], cwd=tmp_path, check=True)
            longest = time.monotonic() - started
            for _ in range(3):
                process = subprocess.Popen([*command, "--jobs", jobs, *dice.choice([[], ["--whole"]])], cwd=tmp_path)
                try:
                    process.wait(dice.uniform(0.3 * longest, longest))
                    longest *= 0.5  # it had less to do, or the machine has become faster
                except subprocess.TimeoutExpired:
                    process.send_signal(signal.SIGKILL)
                    killed += 1
                    process.wait()
                    for name, text in tree(public).items():
                        assert text in (before.get(name), wanted.get(name)), name
        assert untor("build", "-q", folder=tmp_path) == (0, "", "")
        assert tree(public) == wanted
        assert [path.name for path in (public / ".untor-build").iterdir()] == ["manifest.sqlite"]
    assert killed >= 3


@pytest.mark.parametrize("path", ["page", "static/site.css"])
def test_what_was_written_last_is_known(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, path: str) -> None:
    """A build that ends between writing a file again and recording it leaves one that the next build still removes."""
    for name in ("t/x.txt", "static/site.css"):
        (tmp_path / name).parent.mkdir()
        (tmp_path / name).write_text("{= n? =}", "utf-8")
    out = tmp_path / "out"

    def build(pages: list[Any]) -> None:
        Engine(str(tmp_path / "t"), static=str(tmp_path / "static")).build(out, pages)

    build([("page", "x", {"n": 1})])
    (tmp_path / "static/site.css").write_text("p {}", "utf-8")
    with monkeypatch.context() as patched:

        def end(_: object, written: Any) -> None:
            if any(each[0] == path for each in written):
                raise KeyboardInterrupt

        patched.setattr(manifests.Manifest, "finish", end)
        with pytest.raises(KeyboardInterrupt):
            build([("page", "x", {"n": 22})])
    if path == "page":
        assert (out / path).read_text("utf-8") == "22"
    (tmp_path / "static/site.css").unlink()
    build([])
    assert tree(out) == {}


def test_one_build_at_a_time(tmp_path: Path) -> None:
    """Two builds do not write to one folder; the second says so, and a damaged record is begun anew."""
    (tmp_path / "templates").mkdir()
    (tmp_path / "templates/x.html").write_text("<p>x", "utf-8")
    (tmp_path / "pyproject.toml").write_text('[tool.untor.build]\n"x.html" = {page = "x"}\n', "utf-8")
    held = manifests.Manifest(tmp_path / "public")
    with pytest.raises(OSError, match="another build is writing to it"):
        Engine(str(tmp_path / "templates")).build(tmp_path / "public", [])
    try:
        status, _, errors = untor("build", folder=tmp_path)
        assert (status, errors) == (2, "untor: another build is writing to public; wait until it has ended\n")
    finally:
        held.close()
    assert untor("build", folder=tmp_path) == (0, "public: 1 page; 1 written, 0 unchanged.\n", "")
    (tmp_path / "public/.untor-build/manifest.sqlite").write_bytes(b"no database" * 1000)
    assert untor("build", folder=tmp_path) == (0, "public: 1 page; 0 written, 1 unchanged.\n", "")
