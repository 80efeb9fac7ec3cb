"""The keywords of steps."""

from __future__ import annotations

STEPS: dict[str, str] = {
    "for": "<! for NAME in EXPRESSION !> … <! between !> … <! else !> … <! end !>",
    "if": "<! if EXPRESSION !> … <! elif EXPRESSION !> … <! else !> … <! end !>",
    "between": "<! between !>",
    "elif": "<! elif EXPRESSION !>",
    "else": "<! else !>",
    "end": "<! end !> or, naming what it closes, <! end for !>",
    "let": "<! let NAME = EXPRESSION !>",
    "layout": '<! layout "NAME" ARGUMENT=EXPRESSION !>',
    "slot": "<! slot NAME !> or, with fallback content, <! slot NAME else !> … <! end !>",
    "into": "<! into NAME !> … <! end !>",
    "fallback": "<! fallback !>",
    "include": '<! include "NAME" ARGUMENT=EXPRESSION, … !> or, of a part, <! include PART from "NAME" … !>',
    "use": '<! use "NAME" ARGUMENT=EXPRESSION, … !> … <! end !>',
    "part": "<! part NAME(PARAMETERS) !> … <! end !>",
    "takes": "<! takes NAME: TYPE = EXPRESSION, … !>",
    "say": '<! say NAME = EXPRESSION "what it is about" !> … <! else !> … <! end !>',
    "verbatim": "<! verbatim !> … <! end !>",
    "note": "<! note any remark !>",
}
"""Each step's keyword and how the step is written."""

BLOCKS = frozenset({"for", "if", "into", "use", "part", "slot-else", "say"})
"""Steps that go on to an ``end``; ``slot-else`` is a slot with fallback content. ``verbatim`` is read as a whole."""

PLURAL_FORM = "_plural_form"
"""The filter that says which form of a message a number takes; no template can write its name."""
