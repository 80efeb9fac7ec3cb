"""Tables and patterns of ECMAScript's lexical grammar (ECMAScript §12)."""

from __future__ import annotations

import re

LINE_TERMINATORS = "\n\r\u2028\u2029"
SPACE = re.compile("[\t\x0b\x0c \xa0\ufeff\u1680\u2000-\u200a\u202f\u205f\u3000]+")
LINE_ENDS = re.compile(f"[{LINE_TERMINATORS}]+")
TO_LINE_END = re.compile(f"[^{LINE_TERMINATORS}]+")
# §12.7: all characters outside of ASCII that are no white space are taken for parts of names.
WORD = re.compile(
    r"#?(?:[A-Za-z_$]|\\u|[^\x00-\xa0\ufeff\u1680\u2000-\u200a\u202f\u205f\u3000\u2028\u2029])"
    r"(?:[A-Za-z0-9_$]|\\u(?:\{[0-9A-Fa-f]*\}?)?|[^\x00-\xa0\ufeff\u1680\u2000-\u200a\u202f\u205f\u3000\u2028\u2029])*"
)
NUMBER = re.compile(r"0[xXoObB][0-9A-Za-z_]*|\.?[0-9](?:[eE][+-]|[0-9A-Za-z_.$])*")
PUNCTUATOR = re.compile(
    r"<!--|-->|>>>=?|\.\.\.|=>|===?|!==?|\*\*=?|<<=?|>>=?|&&=?|\|\|=?|\?\?=?|\?\.(?![0-9])|\+\+|--"
    r"|[-+*/%&|^<>]=?|[!~=?.:;,{}()\[\]@#\\]",
)
COMBINES = frozenset("+-=?.<>&|!*/%^#\\")
"""Last characters of punctuators that what follows could make into another token."""

# A part of an escape sequence at the end of fixed text (§12.9.4, §12.9.5, §B.1.2 for the octal ones).
ESCAPE_IN_STRING = re.compile(r"\\(?:x[0-9A-Fa-f]?|u[0-9A-Fa-f]{0,3}|u\{[0-9A-Fa-f]*|[0-7]{1,2}|\r)?\Z")
ESCAPE_IN_REGEXP = re.compile(r"\\(?:x[0-9A-Fa-f]?|u[0-9A-Fa-f]{0,3}|u\{[^}]*|[pP]\{[^}]*|k<[^>]*|c|[0-9]+)?\Z")

# After these words comes an operand, where a solidus begins a regular expression (§12.7.2).
OPERATOR_WORDS = frozenset(
    "case typeof instanceof in new delete void extends".split(),
)
# §12.10.1: no line break is allowed between these and their operands.
RESTRICTED_WORDS = {"return": "return", "throw": "throw", "break": "jump", "continue": "jump", "debugger": "jump"}
STATEMENT_WORDS = frozenset({"else", "do", "try", "finally"})
HEAD_WORDS = frozenset({"if", "while", "for", "with", "switch", "catch"})
BINDING_WORDS = frozenset({"let", "const", "var", "using"})
# Names in one place, operators in another: what they are depends on more than the words around them.
AMBIGUOUS_WORDS = frozenset({"await", "yield"})

# §12.7.2: reserved words other than operands, and words that begin a declaration.
KEYWORDS = (
    OPERATOR_WORDS
    | STATEMENT_WORDS
    | HEAD_WORDS
    | BINDING_WORDS
    | AMBIGUOUS_WORDS
    | RESTRICTED_WORDS.keys()
    | {
        *("function", "class", "export", "default", "of"),
    }
)

OPERAND_EXPECTED = frozenset({"statement", "operator", "arrow", "default", "bare", "return", "throw"})
"""What ``ScriptState.before`` is where an operand may come."""

# HTML §4.12.1.1 "prepare the script element" and WHATWG MIME Sniffing §4.6 "JavaScript MIME type".
TYPES = frozenset(
    """application/ecmascript application/javascript application/x-ecmascript application/x-javascript text/ecmascript
    text/javascript text/javascript1.0 text/javascript1.1 text/javascript1.2 text/javascript1.3 text/javascript1.4
    text/javascript1.5 text/jscript text/livescript text/x-ecmascript text/x-javascript""".split(),
)
