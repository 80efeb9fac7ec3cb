"""What editors show of the words of the language: steps, operators, patterns."""

from __future__ import annotations

STEP_HELP: dict[str, str] = {
    "for": "Prints its content for each item of a collection.",
    "if": "Prints its content if the condition is true.",
    "between": "What is printed between two rounds of the loop.",
    "elif": "The next condition, if those before it are false.",
    "else": "Printed if no condition is true, if a loop has no items, or for other numbers in a message.",
    "end": "Ends the innermost open step. It may name it.",
    "let": "Names a value until the end of the block.",
    "layout": "Puts the page into a layout: its content goes into the layout's slots.",
    "slot": "The place in a layout or component where a page puts content.",
    "into": "Content for a named slot.",
    "fallback": "The slot's own content, inside an into.",
    "include": "Prints another template, or a part. It sees only what is passed to it.",
    "use": "Prints another template, or a part, with content for its slots.",
    "part": "A reusable piece of this file.",
    "takes": "The values that the template takes, with their types and defaults.",
    "say": "A message that can be translated. With a number, the text after else is its plural.",
    "verbatim": "Text in which marks mean nothing.",
    "note": "A remark that is never sent to browsers.",
}
"""Each step in a sentence."""

SNIPPETS: dict[str, str] = {
    "for": "for ${1:item} in ${2:items} !>$0<! end !>",
    "if": "if ${1:condition} !>$0<! end !>",
    "elif": "elif ${1:condition} !>",
    "else": "else !>",
    "between": "between !>",
    "end": "end !>",
    "let": "let ${1:name} = ${2:value} !>",
    "layout": 'layout "${1:name}" !>',
    "slot": "slot ${1:name} !>",
    "into": "into ${1:name} !>$0<! end !>",
    "fallback": "fallback !>",
    "include": 'include "${1:name}" !>',
    "use": 'use "${1:name}" !>$0<! end !>',
    "part": "part ${1:name}(${2:parameters}) !>$0<! end !>",
    "takes": "takes ${1:name}: ${2:str} !>",
    "say": "say !>$0<! end !>",
    "verbatim": "verbatim !>$0<! end !>",
    "note": "note $0 !>",
}
"""What is typed for each step; ``$1`` and ``${1:text}`` are places to fill in (the protocol's snippet syntax)."""

OPERATORS = ("and", "or", "not", "in", "is", "if", "else")
CONSTANTS = ("True", "False", "None")

PATTERNS: dict[str, tuple[str, ...]] = {
    "date": ("d MMMM y", "EEEE, d MMMM y", "EEE, d MMM", "dd.MM.y", "y-MM-dd", "MMMM y", "QQQ y", "short", "medium",
             "long", "full"),
    "datetime": ("d MMMM y, HH:mm", "EEE, d MMM y, HH:mm", "y-MM-dd HH:mm:ss", "short", "medium", "long", "full"),
    "time": ("HH:mm", "HH:mm:ss", "h:mm a", "HH:mm zzz", "short", "medium", "long", "full"),
}  # fmt: skip
"""Patterns of dates and times (CLDR, UTS #35 part 4 §8), and the names of a locale's own."""

KEYED = frozenset({"each", "group", "max", "min", "sorted", "sum", "unique", "where"})
"""Filters whose first argument is the name of what they read of each item."""
