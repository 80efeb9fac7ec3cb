"""Which classes have values that may be printed, as a checker asks it of a class alone."""

from __future__ import annotations

import uuid
from decimal import Decimal

import pytest
from inference.harbour import Owner, Printed, State
from inference.odd import Represented

from untor.escape import MISSING, NotPrintable, printed
from untor.escape.printing import has_text

VALUES = [
    "a", 1, 2.5, True, None, Decimal(1), uuid.UUID(int=7), State.MOORED, Owner("a"), Printed(), Represented(), [1], (1,), {1}, {"a": 1}, b"a",
    object(),
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
    """What is missing equals ``None`` and itself, and nothing else, and is found where ``None`` is."""
    assert [MISSING == other for other in (None, MISSING, "", 0, False)] == [True, True, False, False, False]  # noqa: SIM300  that side is asked
    assert {None: 1}[MISSING] == 1  # type: ignore[index]
