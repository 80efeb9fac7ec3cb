"""The steps of programs, numbered as ``program.h`` has them, and what each is followed by."""

from __future__ import annotations

STEPS = """
WRITE READ READ_DATA READ_ITEM NEED INPUT COPY JUMP TEST ABSENT GIVEN ITEMS NEXT COUNT EMPTY SPLIT POSITION CALL COMPARE
BINARY UNARY PACK ADD PRINTED ENTER LEAVE CONTENT SLOT COLLECT PIECE NONCE SEND CALLEE CHECK SIMPLE
""".split()
"""Their names; a step's number is its place here."""

(
    WRITE,
    READ,
    READ_DATA,
    READ_ITEM,
    NEED,
    INPUT,
    COPY,
    JUMP,
    TEST,
    ABSENT,
    GIVEN,
    ITEMS,
    NEXT,
    COUNT,
    EMPTY,
    SPLIT,
    POSITION,
    CALL,
    COMPARE,
    BINARY,
    UNARY,
    PACK,
    ADD,
    PRINTED,
    ENTER,
    LEAVE,
    CONTENT,
    SLOT,
    COLLECT,
    PIECE,
    NONCE,
    SEND,
    CALLEE,
    CHECK,
    SIMPLE,
) = range(len(STEPS))

COMPARING = ("<", "<=", "==", "!=", ">", ">=", "in", "not in", "is", "is not")
CALCULATING = ("+", "-", "*", "/", "//")
SIGNING = ("not", "-", "+")
COUNTING = ("index", "number", "first", "odd", "even", "total")
"""Numbers in steps: how to compare, to calculate, to change a sign, and what of a loop's position."""

SIMPLE_VALUES = ("name", "component", "url")
"""Values that a program writes without calling an escaping function, by their numbers."""

TUPLE, LIST, DICT = range(3)
"""What values are packed into."""
KINDS = ("", "str", "int", "float", "bool", "list", "dict")
"""The types of parameters that are known at a glance, by their numbers."""
OF_SCOPE, TAKEN, OF_PIECE = range(3)
"""Where a missing name was looked up: among the page's names, its parameters, or those of a piece."""
