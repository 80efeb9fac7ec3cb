"""The language, case by case: what a template makes of its data."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import Case, cases, data_of

from untor import Engine, UntorError

engine = Engine()


@pytest.mark.parametrize("case", cases("language.txt"), ids=lambda case: case.title)
def test_case(case: Case) -> None:
    """Each case gives its page, or its problem."""
    if "problem" in case.parts:
        with pytest.raises(UntorError) as found:
            engine.compile(case.parts["template"]).render(data_of(case))
        assert found.value.code == case.parts["problem"].strip()
    else:
        assert engine.compile(case.parts["template"]).render(data_of(case)) == case.parts["page"]


@pytest.mark.parametrize("case", cases("language.txt"), ids=lambda case: case.title)
def test_line_breaks_stay(case: Case) -> None:
    """With other line breaks in the template the page is the same, with those line breaks."""
    if "\r" in case.parts.get("data", "") or "problem" in case.parts or "\\n" in case.parts.get("data", ""):
        return
    page = engine.compile(case.parts["template"].replace("\n", "\r\n")).render(data_of(case))
    assert page == case.parts["page"].replace("\n", "\r\n")


PIECES = st.sampled_from(
    """<! include $p$ !> <! part $p(x)!> <! use $p!> <! slot !> <! slot $a$ else!> <! into $a!> <! fallback!> <! layout "f" !>
    <! takes $x!> x(1) {= =} <! !> if for else elif end let note verbatim in as x y xs . ? ?? | upper ( ) [ ] " ' = + - 1 , : < > <p>
    <a href=" "> </a> <!-- --> <script> </script> <textarea> <table> <td> & \\ \n \t é 🌊 \x00 \ud800""".replace(
        "$", " "
    ).split(" "),
)


@given(st.lists(PIECES, max_size=40).map("".join) | st.text(max_size=60))
def test_only_untor_errors(source: str) -> None:
    """Whatever the source and the data, nothing but an UntorError with a place ever comes out."""
    try:
        engine.compile(source).render(x=1, y="<", xs=[1, None])
    except UntorError as error:
        assert error.line is not None
        assert str(error).startswith("inline.html, line ")
