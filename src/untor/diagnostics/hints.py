"""What people write elsewhere, and what to write here instead: words of general-purpose languages, and synonyms.

A row is a sentence for the person who wrote the word. It comes before any suggestion by likeness.
"""

from __future__ import annotations

BUILT_IN_FILTERS = frozenset(
    """ago batched bytes capital cleaned clip date datetime each first group html_source iso join json last len lines
    listed lower max min money number paragraphs path percent picture plural query replace reversed round slug sorted
    split strip sum table text time title trusted unique upper where words""".split()
)
"""The names of the built-in filters."""

_ESCAPED = 'Every value is escaped for its context. HTML typed by users: cleaned; HTML of your own: trusted("reason").'
_TRIMMED = (
    'Remove the "{0}": a line that holds only steps disappears automatically, and print marks never change white space.'
)
_NUMBERS = "Convert it in the view: {0}(…)."
_ANY_COLLECTION = "No conversion is needed: loops and filters accept any collection."

FILTERS: dict[str, str] = {
    "abs": "Compute it in the view, or register a filter of your own.",
    "asset": 'asset is a function: asset("ellery.css").',
    "capitalize": 'Write "capital" for the first letter, or "title" for the first letter of each word.',
    "chunk": "Write batched(3).",
    "concat": "Join strings with +, lists too.",
    "contains": 'Write "word in text", or "item in list".',
    "count": 'Write "len".',
    "currency": 'Write money("EUR").',
    "date_format": 'Write date("d MMMM y").',
    "default": 'For another value where this one is missing or None, write value ?? "other".',
    "dump": 'Write "json".',
    "dumps": 'Write "json".',
    "enumerate": "Name the position of the loop: <! for call in calls as row !>, then row.index.",
    "escape": "Every value is escaped for its context already. Remove the filter.",
    "filter": 'Write where("key", value).',
    "find": 'Write where("key", value) | first.',
    "float": _NUMBERS.format("float"),
    "format": 'Format strings are not supported. Write number(2), money("EUR"), date("d MMMM y") or plural(…).',
    "groupby": 'Write group("key").',
    "filesize": 'Write "bytes".',
    "html": _ESCAPED,
    "implode": 'Write join(", ").',
    "int": _NUMBERS.format("int"),
    "integrity": 'integrity is a function: integrity("ellery.js").',
    "keys": "Loop over the mapping itself: <! for key in mapping !>.",
    "length": 'Write "len".',
    "link": 'link is a function: link("vessel", id=3).',
    "limit": "Write first(3).",
    "linebreak": 'Write "lines" for <br>, or "paragraphs".',
    "list": _ANY_COLLECTION,
    "lowercase": 'Write "lower".',
    "lstrip": 'Write "strip".',
    "ltrim": 'Write "strip".',
    "map": 'For one key of each item write each("name"); for anything else, loop.',
    "nl2br": 'Write "lines".',
    "now": "The current time comes from the view. To print how long ago something was, write value | ago.",
    "order": 'Write sorted("key").',
    "order_by": 'Write sorted("key").',
    "parse": "Read the data in the view.",
    "pluck": 'Write each("name").',
    "print": "Write the value alone: {= value =} prints it.",
    "range": "range is a function: range(1, 4).",
    "raw": _ESCAPED,
    "reduce": 'Write sum("key"), min("key") or max("key"), or compute it in the view.',
    "reverse": 'Write "reversed".',
    "rstrip": 'Write "strip".',
    "rtrim": 'Write "strip".',
    "select": 'Write where("key", value).',
    "set": 'Write "unique".',
    "size": 'Write "len".',
    "skip": "Write a slice: calls[3:].",
    "slice": "Write a slice: calls[1:3].",
    "sort": 'Write "sorted".',
    "sort_by": 'Write sorted("key").',
    "sprintf": 'Format strings are not supported. Write number(2), money("EUR"), date("d MMMM y") or plural(…).',
    "str": "Values are printed as text already. Remove the filter; to compare as text, write value | text.",
    "strftime": 'Write date("dd.MM.y"): patterns use CLDR\'s letters, not %d.',
    "string": "Values are printed as text already. Remove the filter; to compare as text, write value | text.",
    "substr": "Write a slice: name[0:5]; or clip(30) for whole words.",
    "substring": "Write a slice: name[0:5]; or clip(30) for whole words.",
    "to_json": 'Write "json".',
    "today": "The current day comes from the view.",
    "total": 'Write sum("key").',
    "trim": 'Write "strip".',
    "truncate": "Write clip(30): whole words, with an ellipsis.",
    "ucfirst": 'Write "capital".',
    "unescaped": _ESCAPED,
    "uniq": 'Write "unique".',
    "uppercase": 'Write "upper".',
    "url_encode": "Parts of a URL are percent-encoded for their context already. For names and values: data | query.",
    "urlencode": "Parts of a URL are percent-encoded for their context already. For names and values: data | query.",
    "values": "Loop over the mapping: <! for key, value in mapping !>.",
    "zip": "Bring the values together in the view.",
}
"""Names of filters in other languages and libraries."""

FUNCTIONS: dict[str, str] = {
    "Date": "The current time comes from the view.",
    "Decimal": _NUMBERS.format("Decimal"),
    "Number": _NUMBERS.format("float"),
    "String": "Values are printed as text already; to compare as text, write value | text.",
    "bool": "A condition tests a value directly: <! if calls !>.",
    "count": "Write calls | len.",
    "date": 'date is a filter: write day | date("d MMMM y").',
    "datetime": "The current time comes from the view; a datetime is printed by day | datetime.",
    "dict": 'Write a mapping: {"key": value}.',
    "encodeURIComponent": "Parts of a URL are percent-encoded for their context already.",
    "enumerate": "Name the position of the loop: <! for call in calls as row !>, then row.index.",
    "filter": 'Write calls | where("key", value).',
    "float": _NUMBERS.format("float"),
    "format": 'Format strings are not supported. Write number(2), money("EUR"), date("d MMMM y") or plural(…).',
    "getattr": 'A dot reads the attribute, and ?? gives another value: call.berth ?? "none".',
    "hasattr": "A question mark tests whether it is there: <! if call.berth? !>.",
    "int": _NUMBERS.format("int"),
    "isinstance": "Decide by the type in the view.",
    "list": _ANY_COLLECTION,
    "map": 'For one key of each item write calls | each("name"); for anything else, loop.',
    "now": "The current time comes from the view.",
    "parseFloat": _NUMBERS.format("float"),
    "parseInt": _NUMBERS.format("int"),
    "print": "A print mark prints: {= value =}.",
    "random": "Choose in the view, so that the page is the same for the same values.",
    "repr": "Values are printed as text already.",
    "set": "Write calls | unique.",
    "str": "Values are printed as text already; to compare as text, write value | text.",
    "super": "Write <! fallback !> in an into for the slot's own default content.",
    "time": "The current time comes from the view.",
    "today": "The current day comes from the view.",
    "tuple": "Write a list: [1, 2].",
    "type": "Decide by the type in the view.",
    "zip": "Bring the values together in the view.",
}
"""Functions of other languages."""

NAMES: dict[str, str] = {
    "FALSE": "Write False.",
    "NULL": "Write None.",
    "NaN": "Pass it from the view; it is printed as nothing.",
    "TRUE": "Write True.",
    "false": "Write False.",
    "loop": "Name the position of the loop: <! for call in calls as loop !>.",
    "nil": "Write None.",
    "none": "Write None.",
    "null": "Write None.",
    "self": "Name the value that the view passes.",
    "this": "Name the value that the view passes.",
    "true": "Write True.",
    "undefined": "Write None, or test with a question mark whether a value is there: <! if name? !>.",
}
"""Literals and names of other languages."""

STEPS: dict[str, str] = {
    "assert": "Check values with takes: <! takes name: str !>.",
    "async": "Values are awaited where they are printed, in render_async.",
    "await": "Values are awaited where they are printed, in render_async.",
    "begin": "Remove it: a step needs no opening word.",
    "block": "Write <! slot NAME !> in a layout, and <! into NAME !> … <! end !> in its pages.",
    "break": "Choose the items: <! for call in calls if … !>, or calls | first(3).",
    "call": "Write <! include row call=call !>.",
    "case": "Write <! if … !>, <! elif … !>, <! else !>.",
    "class": "A class of the page is an attribute: class={= … =}.",
    "comment": "Write <! note … !>.",
    "component": 'Write <! use "NAME" !> … <! end !>.',
    "const": "Write <! let x = 3 !>.",
    "continue": "Choose the items: <! for call in calls if … !>.",
    "debug": "Print the value as data: {= value | json =}.",
    "def": "Write <! part row(call) !> … <! end !>.",
    "default": "Write <! else !>.",
    "define": "Write <! let x = 3 !>, or <! part row(call) !> … <! end !>.",
    "del": "A name ends with the block that it is in.",
    "do": "Compute it in the view.",
    "each": "Write <! for call in calls !>.",
    "echo": "Write {= value =}.",
    "else-if": "Write <! elif … !>.",
    "elseif": "Write <! elif … !>.",
    "elsif": "Write <! elif … !>.",
    "empty": "Write <! else !>.",
    "except": "Templates do not catch errors: handle them in the view, or write a ?? for what may be missing.",
    "exit": "Decide in the view which page to render.",
    "extends": 'Write <! layout "NAME" !>.',
    "foreach": "Write <! for call in calls !>.",
    "from": 'Write <! include NAME from "FILE" !>.',
    "function": "Write <! part row(call) !> … <! end !>.",
    "global": "Pass the value from the view, or give it to the engine: Engine(globals={…}).",
    "import": 'Parts are included from their file: <! include NAME from "FILE" !>.',
    "loop": "Write <! for call in calls !>.",
    "macro": "Write <! part row(call) !> … <! end !>.",
    "match": "Write <! if … !>, <! elif … !>, <! else !>.",
    "pass": "Remove it; a block may be empty.",
    "print": "Write {= value =}.",
    "range": "Write <! for n in range(1, 4) !>.",
    "raw": "Write <! verbatim !> … <! end !>; marks in it are printed as they are.",
    "region": "Write <! slot NAME !> in a layout, and <! into NAME !> … <! end !> in its pages.",
    "render": 'Write <! include "NAME" !>.',
    "repeat": "Write <! for n in range(1, 4) !>.",
    "require": 'Write <! include "NAME" !>, or takes for what the template needs.',
    "return": "Write the rest into an else, or decide in the view.",
    "section": "Write <! slot NAME !> in a layout, and <! into NAME !> … <! end !> in its pages.",
    "set": "Write <! let x = 3 !>.",
    "switch": "Write <! if … !>, <! elif … !>, <! else !>.",
    "then": "Remove it.",
    "throw": "Raise it in the view.",
    "try": "Templates do not catch errors: handle them in the view, or write a ?? for what may be missing.",
    "unless": "Write <! if not … !>.",
    "until": "Loops run over a collection: <! for call in calls !>.",
    "var": "Write <! let x = 3 !>.",
    "when": "Write <! if … !>, or <! elif … !>.",
    "while": "Loops run over a collection: <! for call in calls !>.",
    "with": "Write <! let x = 3 !>.",
    "yield": "Write <! slot NAME !>.",
}
"""Words at the beginning of steps."""

_END = "Write <! end !>, or <! end {0} !>."
STEPS |= {
    spelling.format(block): _END.format(block)
    for block in ("if", "for", "slot", "into", "use", "part", "verbatim")
    for spelling in ("end{0}", "end_{0}", "end-{0}", "/{0}", "{0}end")
}
STEPS |= {"endforeach": _END.format("for"), "/foreach": _END.format("for"), "fi": _END.format("if")}
STEPS |= {"done": _END.format("for"), "endwhile": _END.format("for"), "/": "Write <! end !>."}

OPENING = frozenset(
    """async begin block call class component def define each foreach function loop macro match range raw region repeat
    section switch try unless until while with""".split()
)
"""Those that people end with an ``end``."""

ENDS = frozenset(word for word, hint in STEPS.items() if hint.startswith("Write <! end"))
"""Those that end a step."""

OPERATORS: dict[str, str] = {
    "!": 'Write "not".',
    "!==": 'Write "!=".',
    "#": "Remarks are steps of their own: <! note … !>.",
    "$": "Names have no $: write the name alone.",
    "&": 'Write "and"; bitwise operators are not supported.',
    "&&": 'Write "and".',
    "**": "Powers are not supported: compute it in the view.",
    "**=": "Values are not changed: name a new one, <! let more = n + 1 !>.",
    "*=": "Values are not changed: name a new one, <! let more = n * 2 !>.",
    "++": "Values are not changed. To count in a loop, write <! for call in calls as row !>, then row.number.",
    "+=": "Values are not changed: name a new one, <! let more = n + 1 !>.",
    "--": "Values are not changed: name a new one, <! let less = n - 1 !>.",
    "-=": "Values are not changed: name a new one, <! let less = n - 1 !>.",
    "->": "Write a dot: call.vessel.",
    "/=": "Values are not changed: name a new one, <! let less = n / 2 !>.",
    "::": "Write a dot: call.vessel.",
    ":=": "Name a value with a step: <! let x = 3 !>.",
    ";": "There is one expression in a mark. Remove the semicolon.",
    "<<": "Bitwise operators are not supported.",
    "<>": 'Write "!=".',
    "=": 'To compare, write "==".',
    "===": 'Write "==".',
    "=>": 'Functions cannot be written in templates: give the filter the name of a key, as in sorted("name").',
    "=~": 'Write "word in text"; for patterns, decide in the view.',
    ">>": "Bitwise operators are not supported.",
    "?.": "Write call.berth?.code: the question mark follows the name that may be missing.",
    "?:": 'For another value where one is missing or None, write name ?? "other".',
    "@": "Names have no @: write the name alone.",
    "^": "Bitwise operators are not supported; compute powers in the view.",
    "`": "Strings are between \" or '.",
    "||": 'Write "or".',
    "~": "Join strings with +.",
    "\\": "A mark may continue on the next line. Remove the backslash.",
}
"""Operators and signs of other languages."""

WORDS: dict[str, str] = {
    "AND": 'Write "and".',
    "NOT": 'Write "not".',
    "OR": 'Write "or".',
    "contains": 'Write the other way round: "item in list".',
    "eq": 'Write "==".',
    "equals": 'Write "==".',
    "for": 'Comprehensions are not supported: loop, or write where("key"), each("name") or sorted("key").',
    "ge": 'Write ">=".',
    "gt": 'Write ">".',
    "gte": 'Write ">=".',
    "le": 'Write "<=".',
    "lt": 'Write "<".',
    "lte": 'Write "<=".',
    "mod": 'Write "%".',
    "ne": 'Write "!=".',
    "neq": 'Write "!=".',
    "of": 'Write "in": <! for call in calls !>.',
    "then": 'Write "value if test else other".',
    "where": "Choose the items with if: <! for call in calls if call.berth !>.",
    "with": 'Arguments follow the name: <! include "row" call=call !>.',
    "xor": 'Write "a != b".',
}
"""Words between values."""

AFTER_IS: dict[str, str] = {
    "defined": "A question mark tests whether a value is there: <! if name? !>.",
    "empty": "An empty list or string is false: <! if not calls !>.",
    "even": "Write row.even of a loop's position, or n % 2 == 0.",
    "iterable": "Decide by the type in the view.",
    "mapping": "Decide by the type in the view.",
    "none": "Write None.",
    "null": "Write None.",
    "number": "Decide by the type in the view.",
    "odd": "Write row.odd of a loop's position, or n % 2 == 1.",
    "set": "A question mark tests whether a value is there: <! if name? !>.",
    "string": "Decide by the type in the view.",
    "undefined": "A question mark tests whether a value is there: <! if not name? !>.",
}
"""Words after ``is``."""

PREFIXES: dict[str, str] = {
    "b": "Bytes are not supported: write the text without the prefix.",
    "f": "f-strings are not supported: write the text in the template and print the value, or join strings with +.",
    "r": "Remove the prefix: strings have none.",
    "rf": "f-strings are not supported: write the text in the template and print the value, or join strings with +.",
    "u": "Remove the prefix: strings have none.",
}
"""Letters before a string."""

CALLS: dict[str, str] = {
    "batched": "batched(3)",
    "clip": "clip(30)",
    "each": 'each("name")',
    "group": 'group("berth")',
    "money": 'money("EUR")',
    "picture": 'picture(alt="High water at 6"), or picture(alt="") for decoration',
    "plural": 'plural(one="# call", other="# calls")',
    "replace": 'replace("old", "new")',
    "table": 'table(caption="Tides")',
    "where": 'where("berth", "A4")',
}
"""How filters are called that need arguments."""

ATTRIBUTES: dict[str, str] = {
    "count": "Write {owner} | len.",
    "filter": 'Write {owner} | where("key", value).',
    "first": "Write {owner} | first, or {owner}[0].",
    "get": 'Write {owner}.name or {owner}["name"]; a ?? gives another value.',
    "items": "Loop over the mapping itself: <! for key, value in {owner} !>.",
    "iteritems": "Loop over the mapping itself: <! for key, value in {owner} !>.",
    "join": 'Write {owner} | join(", ").',
    "keys": "Loop over the mapping itself: <! for key in {owner} !>.",
    "last": "Write {owner} | last, or {owner}[-1].",
    "len": "Write {owner} | len.",
    "length": "Write {owner} | len.",
    "map": 'Write {owner} | each("name").',
    "replace": 'Write {owner} | replace("old", "new").',
    "reverse": "Write {owner} | reversed.",
    "size": "Write {owner} | len.",
    "sort": 'Write {owner} | sorted("key").',
    "split": 'Write {owner} | split(",").',
    "sum": 'Write {owner} | sum("key").',
    "toFixed": "Write {owner} | number(2).",
    "toLowerCase": "Write {owner} | lower.",
    "toString": "Values are printed as text already.",
    "toUpperCase": "Write {owner} | upper.",
    "trim": "Write {owner} | strip.",
    "values": "Loop over the mapping: <! for key, value in {owner} !>.",
}
"""Attributes and methods of strings, numbers and collections elsewhere; ``owner`` is what is before the dot."""

POSITIONS: dict[str, str] = {
    "count": "Write number, from 1, or total for how many there are.",
    "length": "Write total.",
    "next": "Write calls[row.index + 1]?.",
    "prev": "Write calls[row.index - 1], where row is not the first.",
    "previous": "Write calls[row.index - 1], where row is not the first.",
    "size": "Write total.",
}
"""What other languages know of a loop's position."""


TYPES: dict[str, str] = {
    "array": 'Write "list".',
    "boolean": 'Write "bool".',
    "bytes": "Bytes are not printed: decode them in the view.",
    "double": 'Write "float".',
    "integer": 'Write "int".',
    "mapping": 'Write "dict".',
    "number": 'Write "float", "int" or "decimal".',
    "string": 'Write "str".',
    "text": 'Write "str".',
    "time": 'Write "any"; "datetime" is a date with a time.',
}
"""Types of parameters."""


_NO_CHANGES = "Values are not changed: name a new one, <! let more = n + 1 !>."
_IN_QUOTES = 'Write the name of a template in quotes: <! {0} "row.html" !>.'
_ARGUMENTS = "Write the arguments after the name, without brackets: <! {0} row call=call !>."
SHAPES: dict[str, dict[str, str]] = {
    "for": {
        "of": 'Write "in": <! for call in calls !>.',
        "(": "Remove the brackets: <! for call in calls !>.",
        "[": "Remove the brackets: <! for key, value in mapping !>.",
        "as": "The name comes first: <! for call in calls !>.",
        "=": "Count with range: <! for n in range(1, 4) !>.",
        "let": "Write the name alone: <! for call in calls !>.",
        "const": "Write the name alone: <! for call in calls !>.",
        "var": "Write the name alone: <! for call in calls !>.",
    },
    "let": {
        ",": "A step names one value: <! let x = 1 !><! let y = 2 !>.",
        ":": "A value has no type here: <! let x = 1 !>.",
        ".": "Values are not changed: pass the final object from the view.",
        "[": "Values are not changed: pass the final mapping or list from the view.",
        **dict.fromkeys(("+", "-", "*", "/", "%", "++", "--"), _NO_CHANGES),
    },
    **{
        word: {
            ".": _IN_QUOTES.format(word),
            "/": _IN_QUOTES.format(word),
            "-": _IN_QUOTES.format(word),
            "(": _ARGUMENTS.format(word),
            "with": f'Leave out "with": <! {word} "row" call=call !>.',
            ":": f'Write "=" between name and value: <! {word} "row" call=call !>.',
        }
        for word in ("include", "use", "layout")
    },
}
"""What is written in the wrong place of a step: the step, what is found there, and what to write."""

AFFIXES: dict[str, str] = {sign: _TRIMMED.format(sign) for sign in ("-", "~", "+", "_")}
"""Signs beside a delimiter that remove white space elsewhere."""


def of_filter(name: str) -> str:
    """Return the hint for a filter that there is not; an empty string where there is none."""
    begun = max((known for known in FILTERS if len(known) > _SHORT and name.startswith(known)), key=len, default="")
    return FILTERS.get(name) or FILTERS.get(begun, "")


_SHORT = 4
"""Shorter beginnings of names are not significant."""


def of_call(name: str) -> str:
    """Return the hint for a function that a page does not have; an empty string where there is none."""
    is_filter = name in BUILT_IN_FILTERS
    return FUNCTIONS.get(name) or (f'"{name}" is a filter: write value | {name}.' if is_filter else "")
