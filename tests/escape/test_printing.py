"""What single values are: which classes have a text, as a checker asks it of a class alone, and what is missing."""

from __future__ import annotations

import pickle
import uuid
from decimal import Decimal
from typing import TYPE_CHECKING

import numpy as np
import pytest
from inference.harbour import Owner, Printed, State
from inference.odd import Represented

from untor.escape import MISSING, NotPrintable, printed
from untor.escape.fields import mappings_of
from untor.escape.kinds import is_array
from untor.escape.printing import has_text, with_article

if TYPE_CHECKING:
    from collections.abc import Iterator

VALUES = [
    "a", 1, 2.5, True, None, Decimal(1), uuid.UUID(int=7), State.MOORED, Owner("a"), Printed(), Represented(), [1], (1,), {1}, {"a": 1}, b"a",
    object(), np.array(5),
]  # fmt: skip


@pytest.mark.parametrize("value", VALUES, ids=lambda value: type(value).__name__)
def test_classes_with_a_text(value: object) -> None:
    """A class has a text if its value can be printed."""
    try:
        printed(value)
    except NotPrintable:
        assert not has_text(type(value))
    else:
        assert has_text(type(value))


def test_missing_is_like_none() -> None:
    """What is missing equals ``None`` and itself, and nothing else, is found where ``None`` is, and has no items."""
    assert [MISSING == other for other in (None, MISSING, "", 0, False)] == [True, True, False, False, False]  # noqa: SIM300  that side is asked
    assert {None: 1}[MISSING] == 1  # type: ignore[index]
    assert (bool(MISSING), len(MISSING), [*MISSING], repr(MISSING)) == (False, 0, [], "missing")
    assert pickle.loads(pickle.dumps(MISSING)) is MISSING
    assert [with_article(noun) for noun in ("NoneType", "int", "UserDict")] == ["None", "an int", "a UserDict"]


class Table:
    """A data frame of no library that is known: it has columns, and gives its rows as pandas does."""

    columns = ("berth", "length")

    def itertuples(self, *, index: bool, name: str | None) -> Iterator[tuple[object, ...]]:
        assert (index, name) == (False, None)
        return iter([("A1", 20), ("A2", 30)])


def test_rows_of_any_frame() -> None:
    """What has columns and rows is a frame, whatever library it is of."""
    assert list(mappings_of(Table())) == [{"berth": "A1", "length": 20}, {"berth": "A2", "length": 30}]


@pytest.mark.parametrize(
    ("value", "expected"), [(np.array(5), "5"), (np.array([5]), None), (np.array([]), None), (Table(), None), (5, "5")]
)
def test_arrays(value: object, expected: str | None) -> None:
    """An array without dimensions is its value; of others, as of data frames, no text is made."""
    assert is_array(value) is (expected is None)
    if expected is None:
        with pytest.raises(NotPrintable):
            printed(value)
    else:
        assert printed(value) == expected
