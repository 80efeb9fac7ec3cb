"""One spelling of marks: what changes, what never does, and that every page stays the same."""

from __future__ import annotations

import ast
import itertools
import re
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import cases, untor

from untor.analysis.analyser import surroundings_of
from untor.demo.views import pages
from untor.diagnostics.source import Source
from untor.format import formatter
from untor.format.formatter import Difference, Style, formatted
from untor.format.spelling import Line
from untor.language.scanner import Scanner
from untor.language.tokens import tokens

if TYPE_CHECKING:
    from support import Case

DEMO = [pages.compiler.loader.read(name) for name in sorted(pages.compiler.loader.names())]
FILES = """data_types elements escapers language messages odd_types pieces places translations"""
TEMPLATES = [case.parts["template"] for name in FILES.split() for case in cases(f"{name}.txt")]


@pytest.mark.parametrize("case", cases("format.txt"), ids=lambda case: case.title)
def test_spelling(case: Case) -> None:
    """Marks are written as the case has them; written so, nothing changes."""
    style = Style(**ast.literal_eval(case.parts.get("style", "{}")))
    wanted = case.parts.get("after", case.parts["template"])
    assert formatted(Source("page.html", case.parts["template"]), style).text == wanted
    assert formatted(Source("page.html", wanted), style).edits == []


def test_all_templates() -> None:
    """Every template of the cases stays the same page, in its own line breaks too, and is formatted once for all."""
    assert len(TEMPLATES) > 500
    for text in TEMPLATES:
        for source in (
            Source("page.html", text),
            Source("page.xml", text.replace("\n", "\r\n")),
            Source("page.txt", text),
        ):
            result = formatted(source, compiler=pages.compiler)
            assert formatted(Source(source.name, result.text)).edits == [], text
            assert re.sub(r"\s|['\"]", "", result.text) == re.sub(r"\s|['\"]", "", source.text)


def test_the_demo_is_formatted() -> None:
    """Our own templates are written in it."""
    assert [source.name for source in DEMO if formatted(source, compiler=pages.compiler).edits] == []


@given(st.sampled_from(DEMO), st.sampled_from(["", " ", "  ", "\t"]))
def test_any_blanks(source: Source, blank: str) -> None:
    """However the tokens of a template's marks are set apart, they are written in the one way."""
    ugly = source.text
    for mark in reversed(Scanner(source, surroundings_of(source)).scan()):
        if mark.kind in {"print", "step"} and mark.word != "note":
            found = tokens(source, mark.inner_start, mark.inner_end)[:-1]
            # In scripts and attributes, a step has a blank after its "<!".
            inside = source.text[mark.start : mark.inner_start].replace("! ", f"!{blank or ' '}")
            for before, token in itertools.pairwise([None, *found]):
                assert token is not None
                is_apart = before is None or "operator" not in {before.kind, token.kind}
                inside += (blank or " " if is_apart else blank) + token.text
            ugly = f"{ugly[: mark.start]}{inside}{blank}{ugly[mark.inner_end :]}"
    assert formatted(Source(source.name, ugly)).text == source.text


def test_documentation() -> None:
    """The table of docs/editors.md is what happens."""
    table = (Path(__file__).parents[2] / "docs" / "editors.md").read_text("utf-8").partition("| before | after |")[2]
    rows = re.findall(r"^\| `(.+)` \| `(.+)` \|$", table.replace("\\|", "\0"), re.MULTILINE)
    assert len(rows) == 4
    for before, after in rows:
        assert formatted(Source("page.html", before.replace("\0", "|"))).text == after.replace("\0", "|")


def test_a_difference_is_found(monkeypatch: pytest.MonkeyPatch) -> None:
    """A formatter that changed a page leaves the template alone."""
    source = Source("page.html", "<p>{=a=}</p>")
    for text in ("b", "a | upper", "a, b", "a +"):
        monkeypatch.setattr(formatter, "lines_of", lambda *_, text=text: [Line(text, closes=False)])
        with pytest.raises(Difference):
            formatted(source)


def test_command(tmp_path: Path) -> None:
    """Templates are written whole, with their byte order mark and line breaks; --check and --diff write nothing."""
    folder = tmp_path / "templates"
    folder.mkdir()
    ugly = b"\xef\xbb\xbf<p>{=a=}</p>\r\n<!if b!>\r\n{=b=}\r\n<!end!>\r\n"
    (folder / "page.html").write_bytes(ugly)
    (folder / "fine.html").write_text("{= a =}", "utf-8")
    status, output, errors = untor("format", "--check", folder=tmp_path)
    assert (status, output, errors) == (1, "templates/page.html\n2 templates: 1 would be changed.\n", "")
    status, output, errors = untor("format", "--diff", folder=tmp_path)
    assert (status, errors) == (1, "2 templates: 1 would be changed.\n")
    assert "-<p>{=a=}</p>" in output
    assert "+<p>{= a =}</p>" in output
    assert (folder / "page.html").read_bytes() == ugly
    assert untor("format", "templates/page.html", "--lines", "2-4", folder=tmp_path)[:2] == (
        0,
        "1 template: 1 changed.\n",
    )
    lines = b"\xef\xbb\xbf<p>{=a=}</p>\r\n<! if b !>\r\n{= b =}\r\n<! end !>\r\n"
    assert (folder / "page.html").read_bytes() == lines
    assert untor("format", "-q", folder=tmp_path) == (0, "", "")
    assert (folder / "page.html").read_bytes() == lines.replace(b"{=a=}", b"{= a =}")
    assert untor("format", "--check", folder=tmp_path)[0] == 0


@pytest.mark.parametrize(("settings", "arguments", "status", "told"), [
    ("quotes = 'single'", [], 0, "1 changed"),
    ("quotes = 'curly'", [], 2, 'quotes must be "double", "single" or "alternate"'),
    ("indent = true", [], 2, "indent must be a number of blanks, from 0 to 16"),
    ("qoutes = 'single'", [], 2, '[tool.untor.format]: there is no setting "qoutes". Did you mean "quotes"?'),
    ("", ["--lines", "3-1"], 2, "'3-1' is not a range of lines like 10-20."),
    ("", ["--lines", "1-2"], 2, "--lines is for one template: name it."),
    ("", ["gone"], 2, 'There is no template "gone".'),
])  # fmt: skip
def test_settings(tmp_path: Path, settings: str, arguments: list[str], status: int, told: str) -> None:
    """Settings and options that cannot be are refused, and nothing is written."""
    (tmp_path / "pyproject.toml").write_text(
        f'[tool.untor]\nfolders = ["t"]\n[tool.untor.format]\n{settings}\n', "utf-8"
    )
    (tmp_path / "t").mkdir()
    (tmp_path / "t" / "page.html").write_text('{= f("a") =}', "utf-8")
    (tmp_path / "t" / "other.html").write_text("x", "utf-8")
    found, output, errors = untor("format", *arguments, folder=tmp_path, columns=200)
    assert (found, told in output + errors) == (status, True), output + errors
    wanted = "{= f('a') =}" if status == 0 else '{= f("a") =}'
    assert (tmp_path / "t" / "page.html").read_text("utf-8") == wanted


def test_not_utf8(tmp_path: Path) -> None:
    """A file that is not UTF-8 is reported, and the others are formatted."""
    (tmp_path / "bad.html").write_bytes(b"{=\xff=}")
    (tmp_path / "page.html").write_text("{=a=}", "utf-8")
    status, output, errors = untor("format", "--folder", ".", folder=tmp_path)
    assert (status, output) == (2, "2 templates: 1 changed.\n")
    assert "This file is not UTF-8" in errors
    assert (tmp_path / "bad.html").read_bytes() == b"{=\xff=}"
    assert (tmp_path / "page.html").read_text("utf-8") == "{= a =}"
