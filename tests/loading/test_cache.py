"""The folder of compiled templates: what is kept there, when it is used, and how large it becomes."""

from __future__ import annotations

import functools
import os
import time
from typing import TYPE_CHECKING, Any
from zlib import crc32

import pytest

from untor import Engine, UntorError
from untor.loading import cache

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path


@pytest.fixture
def site(tmp_path: Path) -> Path:
    folder = tmp_path / "site"
    folder.mkdir()
    (folder / "page.html").write_text('<! include "row" !>', "utf-8")
    (folder / "row.html").write_text("old{= 1 =}", "utf-8")
    return folder


@pytest.fixture
def kept(tmp_path: Path) -> Path:
    return tmp_path / "cache"


def compiles(engine: Engine, name: str = "page") -> bool:
    """Return whether an engine compiles a template, rather than to take it from its cache."""
    analyse, asked = engine.compiler.analyse, []

    def noted(*arguments: Any, **named: Any) -> Any:
        asked.append(arguments)
        return analyse(*arguments, **named)

    engine.compiler.analyse = noted  # type: ignore[method-assign]
    engine.template(name)
    return bool(asked)


def test_not_trusted_blindly(site: Path, kept: Path) -> None:
    """A damaged file, one that others can write, or one of an older dependency is not run."""
    assert Engine(site, cache_folder=kept).render("page") == "old1"
    (file,) = kept.iterdir()
    good = file.read_bytes()
    for damage in [good[:-1], good[:70] + b"x" + good[71:], b"", b"\xff" * 200]:
        file.write_bytes(damage)
        assert Engine(site, cache_folder=kept).render("page") == "old1"
    (site / "row.html").write_text("spring{= 1 =}", "utf-8")
    assert Engine(site, cache_folder=kept).render("page") == "spring1"
    (file,) = kept.iterdir()
    planted = file.read_bytes()[8:].replace(b"spring", b"autumn", 1)
    file.write_bytes(f"{crc32(planted):08x}".encode() + planted)
    assert Engine(site, cache_folder=kept).render("page") == "autumn1", "a file of ours alone is believed"
    file.chmod(0o620)
    assert Engine(site, cache_folder=kept).render("page") == "spring1"
    kept.chmod(0o777)
    engine = Engine(site, cache_folder=kept)
    for file in kept.iterdir():
        file.unlink()
    assert engine.render("page") == "spring1"
    assert not list(kept.iterdir())


def test_filters(site: Path, kept: Path) -> None:
    """A page from the cache that needs a filter the engine does not have is compiled, and says so."""
    (site / "page.html").write_text("{= 1 | twice =}", "utf-8")
    assert Engine(site, filters={"twice": lambda value: value * 2}, cache_folder=kept).render("page") == "2"
    with pytest.raises(UntorError, match='There is no filter "twice"'):
        Engine(site, cache_folder=kept).render("page")


class Filters:
    """Callables of other kinds than functions, each with other parameters."""

    def one(self, value: object) -> str:
        return f"{value}"

    @classmethod
    def two(cls, value: object, more: str = "") -> str:
        return f"{value}{more}"

    def __call__(self, value: object, *more: object) -> str:
        return f"{value}{more}"


OPTIONS: list[dict[str, Any]] = [
    {},
    {"missing": "empty"},
    {"calls": "methods"},
    {"url_schemes": ["https"]},
    {"resource_origins": ["https://cdn.ellery.example"]},
    {"attributes": {"data-open": "script"}},
    {"script_types": {"text/x-tide": "text"}},
    {"links": {"vessel": "/vessels/{id}"}},
    {"links": {"vessel": "/vessels/{name}"}},
    {"static": {"/a": "."}},
    {"static": {"/b": "."}},
    {"locale": "de"},
    {"timezone": "Europe/London"},
    {"filters": {"own": lambda value: value}},
    {"filters": {"own": lambda value, more: (value, more)}},
    {"filters": {"own": lambda value, more=1: (value, more)}},
    {"filters": {"own": lambda value, *, more: (value, more)}},
    {"filters": {"own": lambda value, *more: (value, more)}},
    {"filters": {"own": lambda value, **more: (value, more)}},
    {"filters": {"own": functools.partial(lambda value, more: (value, more), more=1)}},
    {"filters": {"own": Filters().one}},
    {"filters": {"own": Filters.two}},
    {"filters": {"own": Filters()}},
    {"filters": {"other": lambda value: value}},
]


def test_options_are_part_of_the_key(site: Path, kept: Path) -> None:
    """An engine with other options compiles for itself; one with the same takes what is there, and nobody disturbs another."""
    for options in OPTIONS:
        assert compiles(Engine(site, cache_folder=kept, **options)), options
    assert len([*kept.iterdir()]) == len(OPTIONS)
    for options in OPTIONS:
        assert not compiles(Engine(site, cache_folder=kept, **options)), options
    late = Engine(site, cache_folder=kept)

    @late.filter
    def other(value: object) -> object:
        return value

    assert not compiles(late), "a filter that is registered later is one of the engine's"
    assert len([*kept.iterdir()]) == len(OPTIONS)


def test_a_new_version_takes_the_place(site: Path, kept: Path) -> None:
    """A template that changes has one file, not one for each of its versions."""
    for number in range(5):
        (site / "row.html").write_text(f"{number}", "utf-8")
        (site / "page.html").write_text(f'<! include "row" !>{number}', "utf-8")
        assert Engine(site, cache_folder=kept).render("page") == f"{number}{number}"
    assert len([*kept.iterdir()]) == 1


def test_size_is_bounded(site: Path, kept: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Beyond its size, the folder loses what was not used for longest, and nothing that is not ours."""
    for number in range(12):
        (site / f"p{number}.html").write_text("x" * 10_000, "utf-8")
        Engine(site, cache_folder=kept).render(f"p{number}")
    (kept / "notes.txt").write_text("x" * 200_000, "utf-8")
    unfinished = [kept / "a.untor-new", kept / "b.untor-new"]
    for file in unfinished:
        file.write_bytes(b"x")
    day = 86_400
    os.utime(unfinished[0], (time.time() - day, time.time() - day))
    files = sorted(kept.glob("*.untor"), key=lambda file: file.stat().st_mtime_ns)
    assert len(files) == 12
    for age, file in enumerate(reversed(files), 2):
        os.utime(file, (time.time() - age * day, time.time() - age * day))
    assert not compiles(Engine(site, cache_folder=kept), "p0")
    assert time.time() - files[0].stat().st_mtime < day, "a use is noted"
    monkeypatch.setattr(cache, "MOST_OCTETS", 8 * files[0].stat().st_size)
    Engine(site, cache_folder=kept).render("page")
    left = {*kept.iterdir()}
    assert {files[0], kept / "notes.txt", unfinished[1]} <= left
    assert {*files[1:]} & left == {*files[-4:]}
    assert unfinished[0] not in left


@pytest.mark.parametrize("call", ["fdopen", "replace", "makedirs", "scandir"])
def test_nothing_is_left_of_what_fails(call: str, site: Path, kept: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A full disk, or a folder that cannot be written to, costs the cache and nothing else."""

    def fails(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    kept.mkdir()
    monkeypatch.setattr(f"untor.loading.cache.os.{call}", fails)
    assert Engine(site, cache_folder=kept).render("page") == "old1"
    monkeypatch.undo()
    assert [file.suffix for file in kept.iterdir()] == ([".untor"] if call == "scandir" else [])


def edited(path: Path, text: str) -> None:
    """Write a file as if it had been there for a while."""
    path.write_text(text, "utf-8")
    os.utime(path, ns=(path.stat().st_atime_ns, path.stat().st_mtime_ns - 10**9))


@pytest.mark.parametrize("keeping", ["kept", "not kept"])
def test_reload(site: Path, kept: Path, keeping: str) -> None:
    """With ``reload``, edits to a page, its layout and an include are picked up; without, nothing is read again."""
    options = {"cache_folder": kept} if keeping == "kept" else {}
    for name, text in {"page": '<! layout "frame" !>1<! include "row" !>', "frame": "f<! slot !>", "row": "r"}.items():
        edited(site / f"{name}.html", text)
    engine, fixed = Engine(site, reload=True, **options), Engine(site, **options)  # type: ignore[arg-type]
    assert engine.render("page") == fixed.render("page") == "f1r"
    assert engine.template("page") is engine.template("page")
    edits = [("frame", "F<! slot !>", "F1r"), ("row", "R!", "F1R!"), ("page", '<! layout "frame" !>2', "F2")]
    for name, text, page in edits:
        (site / f"{name}.html").write_text(text, "utf-8")
        assert engine.render("page") == page
    assert fixed.render("page") == "f1r"


@pytest.mark.parametrize("keeping", ["kept", "not kept"])
@pytest.mark.parametrize("name", ["page", "row"])
def test_a_change_while_it_is_compiled(site: Path, kept: Path, name: str, keeping: str) -> None:
    """A file that changes after it was read is read again, though its time and its size are those of before."""
    texts = {"page": '<! include "row" !>+', "row": "one"}
    others = {"page": '<! include "row" !>-', "row": "two"}
    for each, text in texts.items():
        edited(site / f"{each}.html", text)
    engine = Engine(site, reload=True, **({"cache_folder": kept} if keeping == "kept" else {}))  # type: ignore[arg-type]
    read: Callable[..., Any] = engine.compiler.loader.read
    waiting = [f"{name}.html"]

    def interrupted(asked: str) -> Any:
        source = read(asked)
        if source.name in waiting:
            waiting.clear()
            edited(site / "new.html", others[name])
            (site / "new.html").replace(site / f"{name}.html")
        return source

    engine.compiler.loader.read = interrupted  # type: ignore[method-assign, assignment]
    engine.render("page")
    assert not waiting
    texts[name] = others[name]
    assert engine.render("page") == texts["row"] + texts["page"][-1]


def test_edits_within_one_tick(site: Path) -> None:
    """Two edits that a file system gives one time and one size are both seen."""
    row, soon = site / "row.html", time.time_ns() + 10**10
    engine = Engine(site, reload=True)
    for text in ["one", "two", "ten"]:
        row.write_text(text, "utf-8")
        os.utime(row, ns=(soon, soon))
        assert engine.render("page") == text
