"""Reading templates: printing and reading again, several problems at once, odd bytes, great depth and size."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import TYPE_CHECKING

import pytest
from hypothesis import given
from hypothesis import strategies as st
from printer import nodes
from support import cases

from untor import Engine, MarkError, UntorError
from untor.analysis.analyser import reading_of
from untor.diagnostics.source import Source
from untor.language import parser, tree
from untor.language.parser import parse
from untor.language.tokens import KEYWORDS

if TYPE_CHECKING:
    from pathlib import Path

NAMES = st.from_regex(r"[a-z]{1,4}", fullmatch=True).filter(lambda name: name not in KEYWORDS | {"as", "from"})
PLACE = {"start": st.just(0), "end": st.just(0)}


def of(kind: type[tree.Node], **parts: st.SearchStrategy[object]) -> st.SearchStrategy[tree.Expression]:
    return st.builds(kind, **PLACE, **parts)  # type: ignore[arg-type]


VALUES = of(tree.Constant, value=st.none() | st.booleans() | st.integers(0, 999) | st.text(max_size=5)) | of(
    tree.Name, name=NAMES
)


def larger(inner: st.SearchStrategy[tree.Expression]) -> st.SearchStrategy[tree.Expression]:
    arguments = {"arguments": st.lists(inner, max_size=2), "named": st.dictionaries(NAMES, inner, max_size=2)}
    operators = st.sampled_from(["+", "-", "*", "/", "//", "%", "and", "or"])
    comparisons = st.lists(st.tuples(st.sampled_from(["==", "<", "in", "not in"]), inner), min_size=1, max_size=2)
    return st.one_of(
        of(tree.Attribute, owner=inner, name=NAMES, name_start=st.just(0)),
        of(tree.Item, owner=inner, index=inner | of(tree.Slice, first=inner, last=st.none(), step=inner)),
        of(tree.Binary, left=inner, operator=operators, right=inner),
        of(tree.Unary, operator=st.sampled_from(["-", "not"]), operand=inner),
        of(tree.Comparisons, first=inner, rest=comparisons),
        of(tree.Conditional, test=inner, then=inner, otherwise=inner),
        of(tree.Otherwise, value=inner, fallback=inner),
        of(tree.Maybe, value=inner),
        of(tree.ListDisplay, items=st.lists(inner, max_size=2)),
        of(tree.DictDisplay, items=st.lists(st.tuples(inner, inner), max_size=2)),
        of(tree.Filter, value=inner, name=NAMES, name_start=st.just(0), **arguments),
        of(tree.Call, function=inner, **arguments),
    )


def same(first: object, second: object) -> bool:
    """Compare trees, whatever the places."""
    if is_dataclass(first) and type(first) is type(second):
        names = [field.name for field in fields(first) if field.name not in {"start", "end", "name_start"}]
        return all(same(getattr(first, name), getattr(second, name)) for name in names)
    if isinstance(first, list | tuple) and isinstance(second, list | tuple):
        return len(first) == len(second) and all(map(same, first, second))
    if isinstance(first, dict) and isinstance(second, dict):
        return list(first) == list(second) and same([*first.values()], [*second.values()])
    return first == second and type(first) is type(second)


@given(st.recursive(VALUES, larger, max_leaves=12))
def test_expressions_read_as_printed(expression: tree.Expression) -> None:
    """A printed expression reads as the same tree."""
    body = [tree.Print(0, 0, expression)]
    reading = parse(Source("x", nodes(body)))  # type: ignore[arg-type]
    assert not reading.problems
    assert same(reading.body, body)


WORDS = st.sampled_from([*"abc.,()[]{}:|?+=", "_a", "5", '"x"', "??", "==", "as", *sorted(KEYWORDS)])


@given(st.lists(WORDS, min_size=1, max_size=8), st.sampled_from(["", " "]))
def test_the_shortcut_comes_to_the_same(words: list[str], between: str) -> None:
    """What is read as names with dots at once is read, or refused, as the whole grammar does."""
    source = Source("x", f"{{= {between.join(words)} =}}")
    quick = parse(source)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(parser, "plain_path", lambda *_: None)
        whole = parse(source)
    assert quick.body == whole.body
    assert [each.message for each in quick.problems] == [each.message for each in whole.problems]
    assert [(each.start, each.end) for each in quick.problems] == [(each.start, each.end) for each in whole.problems]


@pytest.mark.parametrize("file", ["language.txt", "pieces.txt"])
def test_templates_read_as_printed(file: str) -> None:
    """The cases' templates, printed and read and printed again, are the same but for white space."""
    for case in cases(file):
        reading = reading_of(Source("page.html", case.parts["template"]))
        if reading.problems or "verbatim" in case.title:
            continue
        head = '<! layout "frame" !>' if reading.layout else ""
        printed = nodes(reading.body)
        again = reading_of(Source("page.html", head + printed))
        assert not again.problems
        assert "".join(nodes(again.body).split()) == "".join(printed.split())


SEVERAL = """<! for call calls !>
{= call.name | =}
<! if !>
<! fore x in y !>{= "a =}<! end !>
<! end !>
<! end for !>
{= b. =} {= unclosed <p>
<! end !>
"""


def test_several_problems_at_once() -> None:
    """Every problem of a file is told once, without echoes of the first."""
    found = [
        (problem.source.position(problem.start)[0], problem.code)
        for problem in reading_of(Source("x.html", SEVERAL)).problems
        if problem.source
    ]
    assert found == [
        (1, "step-shape"), (2, "expression-end"), (3, "step-shape"), (4, "step-unknown"), (4, "string-unclosed"),
        (7, "expression-end"), (7, "print-unclosed"), (8, "end-extra"),
    ]  # fmt: skip


@given(st.binary(max_size=80))
def test_random_bytes(octets: bytes) -> None:
    """A file of any bytes gives a page or an UntorError."""
    import tempfile  # noqa: PLC0415
    from pathlib import Path  # noqa: PLC0415

    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "page.html").write_bytes(octets)
        try:
            Engine(folder).render("page")
        except UntorError as error:
            assert error.line


@pytest.mark.parametrize(("before", "after"), [
    ("<! if x !>", "<! end !>"),
    ("<! for y in x !>", "<! end !>"),
    ("<! if not x !><! else !>", "<! end !>"),
    ("<b>", "</b>"),
])  # fmt: skip
def test_nesting(before: str, after: str) -> None:
    """Two hundred levels are no trouble, in any way to render; thousands are refused."""
    template = Engine().compile(before * 200 + "{= x[0] =}" + after * 200)
    assert template.render(x=["v"]).replace("<b>", "").replace("</b>", "") == "v"
    assert "".join(template.stream(x=["v"])).replace("<b>", "").replace("</b>", "") == "v"
    if "<!" in before:
        with pytest.raises(MarkError, match="nested more than 250 levels"):
            Engine().compile(before * 5000 + after * 5000)


def test_long_includes(tmp_path: Path) -> None:
    """Includes may be many deep; those that multiply without end are refused."""
    for number in range(90):
        (tmp_path / f"p{number}.html").write_text(f'<! include "p{number + 1}" !>', "utf-8")
        (tmp_path / f"q{number}.html").write_text(f'<! use "q{number + 1}" !>.<! end !>' * 3, "utf-8")
    (tmp_path / "p90.html").write_text("end", "utf-8")
    (tmp_path / "q90.html").write_text("<! slot !>", "utf-8")
    assert Engine(tmp_path).render("p0") == "end"
    with pytest.raises(UntorError):
        Engine(tmp_path).render("q0")


def test_large_templates() -> None:
    """A template of 5 MB is read; one long line is no slower to point into."""
    text = ("quay " * 2000 + "{= x =}") * 500
    assert len(text) > 5_000_000
    assert Engine().compile(text).render(x="<").count("&lt;") == 500
    with pytest.raises(MarkError) as found:
        Engine().compile(text + "{= y. =}")
    assert len(found.value.excerpt) < 300
