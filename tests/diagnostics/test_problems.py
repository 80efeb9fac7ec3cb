"""The table of problems: each code's example causes it, its fixed example does not, and every text is exact."""

from __future__ import annotations

import pickle
import sys
import tempfile
import traceback
from pathlib import Path
from typing import Any

import pytest
from support import cases, data_of

from untor import DataError, Engine, MarkError, RenderError, UntorError
from untor.diagnostics.codes import CODES, EXAMPLE_FILES
from untor.errors import ERRORS
from untor.runtime.tracebacks import traces

folder = Path(tempfile.mkdtemp())
for name, text in EXAMPLE_FILES.items():
    (folder / name).write_text(text, "utf-8")
engine = Engine(folder)
EXAMPLES = {code: kind for code, kind in CODES.items() if kind.failing}
TEXTS = {case.title: case for case in cases("problems.txt")}


def caught(template: str, data: Any) -> UntorError:
    with pytest.raises(UntorError) as found:
        engine.compile(template, "page.html").render(data)
    return found.value


@pytest.mark.parametrize("code", EXAMPLES)
def test_failing_example(code: str) -> None:
    """The failing example has this problem, as an exception of the class in the table, with its exact text."""
    error = caught(EXAMPLES[code].failing, EXAMPLES[code].data)
    assert error.code == code
    assert type(error) is ERRORS[CODES[code].error]
    assert str(error) == TEXTS[code].parts["template"]


@pytest.mark.parametrize("code", EXAMPLES)
def test_fixed_example(code: str) -> None:
    """The fixed example renders."""
    assert engine.compile(EXAMPLES[code].fixed).render(EXAMPLES[code].data)


def test_every_code_is_shown() -> None:
    """A code without an example in the table has a text in this file or a test of its own elsewhere."""
    elsewhere = set("too-deep too-long not-utf8 attribute-refused context-bad template-missing template-name".split())
    elsewhere |= {"policy-hash", "call-wrong", "say-moved"}
    elsewhere |= {"xml-unquoted", "xml-subset", "template-unreadable", "data-unreadable", "data-syntax", "call-failed"}
    assert set(CODES) - set(EXAMPLES) == elsewhere


@pytest.mark.parametrize("case", cases("messages.txt"), ids=lambda case: case.title)
def test_message(case: object) -> None:
    """Mistakes that people make have the message that helps them."""
    error = caught(case.parts["template"], data_of(case))  # type: ignore[attr-defined, arg-type]
    assert str(error) == case.parts["message"]  # type: ignore[attr-defined]


def test_context_that_is_no_mapping() -> None:
    """A list as the context is said to be one."""
    error = caught("<p>x</p>", ["calls"])
    assert error.code == "context-bad"
    assert error.message == "The context of a page must be a mapping of names to values, not a list."


@pytest.mark.parametrize("value", [sys, caught, print, (n for n in [1]), engine.render, sys._getframe()])
def test_no_reach_into_python(value: object) -> None:
    """Attributes of what belongs to the program are out of reach."""
    error = caught("{= x.mro =}", {"x": value})
    assert (type(error), error.code) == (RenderError, "attribute-refused")


@pytest.mark.parametrize("source", [
    "(" * 5000, "[" * 300 + "1" + "]" * 300, "1+" * 5000 + "1", "not " * 900 + "a", "a" + ".b" * 200,
    "a" + " | f" * 900,
])  # fmt: skip
def test_deep_expressions(source: str) -> None:
    """Expressions that are nested or go on without end are refused, not followed."""
    assert caught("{= " + source + " =}", {}).code in {"too-deep", "too-long"}


@pytest.mark.parametrize(("source", "page"), [
    ("1+" * 400 + "1", "401"), ("(" * 200 + "1" + ")" * 200, "1"), ("1+(" * 200 + "1" + ")" * 200, "201"), ("[" * 200 + "1" + "][0]" + "]" * 199, None),
    ("0 or " * 400 + "1", "1"), ("1 and " * 400 + "1", "1"), ("x? ?? " * 400 + "1", "1"), ("1 if 0 else " * 400 + "2", "2"), ("1 < 2 == " * 150 + "1", None),
    ("'a'" + " | upper" * 100, "A"), ("not " * 400 + "1", "True"), ("- " * 400 + "1", "1"), ("h(" * 200 + "1" + ")" * 200, "1"), ("{'a': " * 150 + "1" + "}" * 150, None),
    ("[" + "1, " * 3000 + "] | join", None), ("x? " + "if 0 else (x? " * 150 + ")" * 150, ""), ("(1 | default(" * 100 + "1" + "))" * 100, None),
], ids=range(17))  # fmt: skip
def test_long_expressions(source: str, page: str | None) -> None:
    """What goes on for long is read, and so is what no one would nest as deep."""
    own = Engine(helpers={"h": lambda value: value}, filters={"default": lambda value, other: value or other})
    for steps in (0, 20):
        template = own.compile("<! if 1 !>" * steps + "{= " + source + " =}" + "<! end !>" * steps)
        assert page is None or template.render() == page


def test_many_branches() -> None:
    """As many branches are read as anyone writes."""
    source = "<! if x == 0 !>0" + "".join(f"<! elif x == {number} !>{number}" for number in range(1, 400)) + "<! end !>"
    template = engine.compile(source)
    assert [template.render(x=number) for number in (0, 7, 399, 400)] == ["0", "7", "399", ""]


def test_deep_steps() -> None:
    """Steps that are nested without end are refused; a good many are not."""
    assert caught("<! if 1 !>" * 3000 + "<! end !>" * 3000, {}).code == "too-deep"
    assert engine.compile("<! if 1 !>" * 90 + "x" + "<! end !>" * 90).render() == "x"


def test_traceback_points_into_the_template() -> None:
    """Python's own traceback names the template's line and shows its text; the cause is chained."""
    with pytest.raises(RenderError) as found:
        engine.compile("<p>\n{= 1 =} é {= 1 // x =}", "board.html").render(x=0)
    assert isinstance(found.value.__cause__, ZeroDivisionError)
    text = "".join(traceback.format_exception(found.value))
    assert 'File "board.html", line 2, in render\n    {= 1 =} é {= 1 // x =}' in text
    assert (found.value.line, found.value.column) == (2, 14)


@pytest.mark.parametrize(("expression", "cause"), [("1 // v", ZeroDivisionError), ("v.name", None)])
@pytest.mark.parametrize("way", ["render", "stream"])
def test_traceback_of_an_include(tmp_path: Path, way: str, expression: str, cause: type[Exception] | None) -> None:
    """Code of an included template that became part of its caller is shown in its own file and line, with its values."""
    (tmp_path / "berth.html").write_text(f"<li>\n\n{{= {expression} =}}", "utf-8")
    (tmp_path / "page.html").write_text('<! for v in vs !><! include "berth" v=v !><! end !>', "utf-8")
    with pytest.raises(RenderError) as found:
        "".join(getattr(Engine(tmp_path).template("page"), way)(vs=[0]))
    shown = found.value.__cause__ or found.value
    frames = traceback.extract_tb(shown.__traceback__)
    assert [frame.lineno for frame in frames if frame.filename == str(tmp_path / "berth.html")] == [3]
    assert not [frame for frame in frames if (frame.lineno or 0) > 1000]
    assert f"{{= {expression} =}}" in "".join(traceback.format_exception(found.value))
    assert (found.value.name, found.value.line, found.value.column) == ("berth.html", 3, 4 if cause else 6)
    assert 0 in [value for frame in traces(found.value) for value in frame.f_locals.values()]


def test_errors_pickle() -> None:
    """An error survives a process pool with its place and text."""
    error = caught("<p>{= nam =}</p>", {"name": 1})
    copied = pickle.loads(pickle.dumps(error))
    assert str(copied) == str(error)
    assert (copied.name, copied.line, copied.column, copied.hint) == ("page.html", 1, 7, 'Did you mean "name"?')


def test_excerpt_lines_up() -> None:
    """Tabs stay tabs, wide characters count two columns, control characters cannot reach a terminal."""
    error = caught("\t海\x1b[31m é {= nam =}", {})
    assert error.excerpt == "  1 | \t海�[31m é {= nam =}\n    | \t             ^^^"
    long = caught("x" * 500 + "{= nam =}" + "y" * 500, {})
    assert long.excerpt.startswith("  1 | …xxx")
    first, second = long.excerpt.splitlines()
    assert first[second.index("^") :].startswith("nam")


def test_every_class_has_a_code() -> None:
    """No exception class is without a problem, and the base is caught by all."""
    assert {CODES[code].error for code in CODES} == set(ERRORS)
    assert all(issubclass(kind, UntorError) for kind in ERRORS.values())
    assert not issubclass(MarkError, DataError)
