"""The keywords of steps."""

from __future__ import annotations

STEPS: dict[str, str] = {
    "for": "<! for NAME in EXPRESSION !> … <! else !> … <! end !>",
    "if": "<! if EXPRESSION !> … <! elif EXPRESSION !> … <! else !> … <! end !>",
    "elif": "<! elif EXPRESSION !>",
    "else": "<! else !>",
    "end": "<! end !> or, naming what it closes, <! end for !>",
    "let": "<! let NAME = EXPRESSION !>",
    "layout": '<! layout "NAME" !>',
    "slot": "<! slot NAME !>",
    "into": "<! into NAME !> … <! end !>",
    "fallback": "<! fallback !>",
    "include": '<! include "NAME" !>',
    "use": '<! use "NAME" !> … <! end !>',
    "part": "<! part NAME(PARAMETERS) !> … <! end !>",
    "takes": "<! takes NAME: TYPE = EXPRESSION !>",
    "verbatim": "<! verbatim !> … <! end !>",
    "note": "<! note any remark !>",
}
"""Each step's keyword and how the step is written."""

BLOCKS = frozenset({"for", "if", "into", "use", "part"})
"""Steps that go on to an ``end``. (``slot NAME else`` does too; ``verbatim`` is read as a whole.)"""

LATER = frozenset({"layout", "slot", "into", "fallback", "include", "use", "part", "takes"})
"""Steps that this version does not build yet."""
