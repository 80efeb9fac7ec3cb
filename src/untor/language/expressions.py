"""The grammar of expressions.

Loosest binding first: conditional, or, and, not, comparison, ``??``, filters, sums, products, signs, and what
follows a value (dots, items, ``?``).
"""

from __future__ import annotations

import re

from untor.diagnostics import hints
from untor.diagnostics.problem import Problem
from untor.language import tree
from untor.language.tokens import KEYWORDS, SyntaxProblem, Token, number_value, string_value, tokens, unexpected_text

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

DEEPEST = 220
"""How deep brackets may be nested; far beyond what anyone reads, far below what exhausts a stack."""

LONGEST = 500
"""How many operators of one strength may follow one another."""

MOST_DOTS = 120
"""How many dots, items and calls, or filters, may follow a value."""

OR, AND, NOT, COMPARISON, OTHERWISE, FILTER, SUM, PRODUCT, SIGN = range(1, 10)
STRENGTH = {
    "or": OR,
    "and": AND,
    **dict.fromkeys(("==", "!=", "<", "<=", ">", ">=", "in", "is", "not"), COMPARISON),
    "??": OTHERWISE,
    "|": FILTER,
    **dict.fromkeys(("+", "-"), SUM),
    **dict.fromkeys(("*", "/", "//", "%"), PRODUCT),
}
"""How tight operators bind: the greater, the tighter. ``not`` is here the first word of ``not in``."""

_COMPARISONS = frozenset({"==", "!=", "<", "<=", ">", ">="})
_CLOSING = {"[": "]", "{": "}"}
_CONSTANTS = {"True": True, "False": False, "None": None}


_PATH = re.compile(r"\s*+([^\W\d_]\w*+(?:\.[^\W\d_]\w*+)*+)\s*+")


def plain_path(source: Source, start: int, end: int) -> tree.Expression | None:
    """Read ``a.b.c``, as most marks have it, without cutting it into tokens; ``None`` for anything else."""
    match = _PATH.fullmatch(source.text, start, end)
    if match is None:
        return None
    first, *names = match[1].split(".")
    if first in KEYWORDS or len(names) > MOST_DOTS:
        return None
    start = match.start(1)
    end = start + len(first)
    value: tree.Expression = tree.Name(start, end, first)
    for name in names:
        begin, end = end + 1, end + 1 + len(name)
        value = tree.Attribute(start, end, value, name, begin)
    return value


class ExpressionParser:
    """Reads the tokens of one mark. Every method raises ``SyntaxProblem``."""

    def __init__(self, source: Source, start: int, end: int) -> None:
        self.source = source
        self.tokens = tokens(source, start, end)
        self.index = 0
        self.depth = 0

    # --- looking at tokens ---------------------------------------------------------------------------------------

    @property
    def token(self) -> Token:
        """The token that comes next."""
        return self.tokens[self.index]

    def take(self) -> Token:
        """Return the next token and go past it."""
        token = self.tokens[self.index]
        if token.kind != "end":
            self.index += 1
        return token

    def accept(self, *texts: str) -> Token | None:
        """Go past the next token when it is one of these operators or words."""
        token = self.tokens[self.index]
        if token.text in texts and token.kind in {"operator", "word", "name"}:
            self.index += 1
            return token
        return None

    def expect(self, text: str, opened: Token | None = None) -> Token:
        """Go past an operator that must come next; ``opened`` is the bracket that it closes."""
        token = self.accept(text)
        if token is not None:
            return token
        if opened is not None and self.token.kind == "end":
            place = (opened.start, opened.end)
            raise self.problem("bracket-unclosed", *place, bracket=opened.text, closing=text)
        raise self.unexpected(f'"{text}"')

    def problem(self, code: str, start: int, end: int, **words: object) -> SyntaxProblem:
        """Return the exception for a problem at a place."""
        return SyntaxProblem(Problem(code, self.source, start, end, **words))  # type: ignore[arg-type]

    def unexpected(self, expected: str = "") -> SyntaxProblem:
        """Return the exception for a token that cannot come next."""
        token = self.token
        if token.kind == "end":
            text = self.source.text[: token.start].rstrip()
            if (sign := text[-2:]) in hints.OPERATORS:
                said = {"found": f'"{sign}"', "expected": "", "hint": hints.OPERATORS[sign]}
                return self.problem("expression-unexpected", len(text) - 2, len(text), **said)
            meant = hints.AFFIXES.get(text[-1:]) if len(text) == token.start else None
            if expected == '"else"':
                meant = "Write what is printed otherwise: 'a' if n else ''."
            return self.problem("expression-end", len(text) - 1, len(text), hint=meant, expected=expected or "a value")
        words = {"name": f'name "{token.text}"', "number": f"number {token.text}"}
        found = words.get(token.kind, f"string {token.text}" if token.kind == "string" else f'"{token.text}"')
        start, hint = token.start, self.hint(token, expected)
        if token.kind == "operator" and not hint and (known := unexpected_text(self.source, token.start)):
            return SyntaxProblem(known)
        wanted = f"; expected {expected}" if expected else ""
        return self.problem("expression-unexpected", start, token.end, found=found, expected=wanted, hint=hint)

    def hint(self, token: Token, expected: str) -> str | None:
        """Return what was meant by a token of another language."""
        before = self.tokens[self.index - 1] if self.index else None
        after = self.tokens[min(self.index + 1, len(self.tokens) - 1)]
        is_beside = before is not None and before.end == token.start
        if expected == "None, True or False":
            return hints.AFTER_IS.get(token.text, 'To compare, write "==": "is" is for None, True and False.')
        if before is not None and before.text == "lambda":
            return 'There are no functions in templates: give the name of a key, as in sorted("name").'
        if token.kind == "name":
            return hints.WORDS.get(token.text)
        if before is not None and before.text == "?" and token.text != ":":
            return "Write the value first: 'a' if n else 'b'."
        if token.kind == "string" and is_beside and before is not None:
            return hints.PREFIXES.get(before.text.lower())
        if token.text == ":":
            if after.kind == "end":
                return "Remove the colon."
            is_filter = self.index > 1 and self.tokens[self.index - 2].text == "|"
            return "Arguments of a filter are in brackets: clip(30)." if is_filter else None
        if token.text == ",":
            if expected in {'")"', '":"'}:
                return "Write a list: [1, 2]."
            return "Print each value in a mark of its own, or write a list: [1, 2]." if not expected else None
        return None

    def finish(self) -> None:
        """Require that nothing is left."""
        if self.token.kind != "end":
            raise self.unexpected()

    # --- the grammar ---------------------------------------------------------------------------------------------

    def expression(self, first: tree.Expression | None = None) -> tree.Expression:
        """``a if test else b``, grouped from the right, or anything that binds tighter; ``first`` is read already."""
        value = self.operation(OR, first) if first else self.operation(OR)
        chosen: list[tuple[tree.Expression, tree.Expression]] = []
        while word := self.accept("if"):
            self.follow(len(chosen), word)
            test = self.operation(OR)
            self.expect("else")
            chosen.append((value, test))
            value = self.operation(OR)
        for then, test in reversed(chosen):
            value = tree.Conditional(then.start, value.end, test, then, value)
        return value

    def no_conditional(self) -> tree.Expression:
        """``a or b``, or anything that binds tighter: what can precede an ``if``."""
        return self.operation(OR)

    def enter(self, opened: Token) -> None:
        """Begin to read one level deeper."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise self.problem("too-deep", opened.start, opened.end, most=DEEPEST)

    def follow(self, number: int, token: Token, most: int = LONGEST) -> None:
        """Require that no more than so many follow one another."""
        if number >= most:
            raise self.problem("too-long", token.start, token.end, most=most)

    def operation(self, least: int, first: tree.Expression | None = None) -> tree.Expression:
        """Operators that bind at least as tight as one, with their operands; those of one strength group from the left.

        Brackets and operands nest in few calls of Python's, for each of which there is a place on its stack.
        """
        if first is None:
            signs = self.signs(least)
            value = self.operation(NOT + 1) if signs and signs[-1].text == "not" else self.followed()
            for sign in reversed(signs):
                value = tree.Unary(sign.start, value.end, sign.text, value)
        else:
            value = first
        number = filters = 0
        while True:
            token = self.token
            strength = STRENGTH.get(token.text, 0) if token.kind in {"operator", "word"} else 0
            if strength < least or not strength:
                return value
            self.follow(number, token)
            number += 1
            if strength == COMPARISON:
                value = self.comparisons(value)
            elif strength == OTHERWISE:
                value = self.otherwise(value)
            elif strength == FILTER:
                self.follow(filters, token, MOST_DOTS)
                filters += 1
                value = self.filter(value)
            else:
                self.take()
                right = self.operation(strength + 1)
                value = tree.Binary(value.start, right.end, value, token.text, right)

    def signs(self, least: int) -> list[Token]:
        """``not`` and signs before an operand, where they can stand."""
        signs: list[Token] = []
        while True:
            is_signed = bool(signs) and signs[-1].text != "not"
            sign = self.accept("not") if least <= NOT and not is_signed else None
            if sign is None and not (signs and not is_signed):
                sign = self.accept("-", "+")
            if sign is None:
                return signs
            self.follow(len(signs), sign)
            signs.append(sign)

    def comparisons(self, first: tree.Expression) -> tree.Expression:
        """``a < b <= c``, ``a in b``, ``a is not None``."""
        rest: list[tuple[str, tree.Expression]] = []
        while True:
            token = self.token
            operator = self.comparison_operator()
            if not operator:
                return tree.Comparisons(first.start, rest[-1][1].end, first, rest)
            self.follow(len(rest), token)
            if operator in {"is", "is not"} and not (self.token.kind == "word" and self.token.text in _CONSTANTS):
                raise self.unexpected("None, True or False")
            rest.append((operator, self.operation(COMPARISON + 1)))

    def comparison_operator(self) -> str:
        """Go past a comparison operator; empty when there is none."""
        token = self.token
        if token.kind == "operator" and token.text in _COMPARISONS:
            return self.take().text
        if self.accept("in"):
            return "in"
        if self.accept("is"):
            return "is not" if self.accept("not") else "is"
        if token.kind == "word" and token.text == "not":
            self.take()
            self.expect("in")
            return "not in"
        return ""

    def otherwise(self, first: tree.Expression) -> tree.Expression:
        """``a ?? b``, grouped from the right."""
        values = [first]
        while token := self.accept("??"):
            self.follow(len(values) - 1, token)
            values.append(self.operation(OTHERWISE + 1))
        result = values.pop()
        for value in reversed(values):
            result = tree.Otherwise(value.start, result.end, value, result)
        return result

    def filter(self, value: tree.Expression) -> tree.Expression:
        """Read a filter, and its arguments."""
        self.take()
        if self.token.kind not in {"name", "word"}:
            raise self.unexpected("the name of a filter")
        name = self.take()
        arguments: list[tree.Expression] = []
        named: dict[str, tree.Expression] = {}
        end = name.end
        if opened := self.accept("("):
            arguments, named = self.arguments(")", opened)
            end = self.tokens[self.index - 1].end
        return tree.Filter(value.start, end, value, name.text, name.start, arguments, named)

    def arguments(self, closing: str, opened: Token) -> tuple[list[tree.Expression], dict[str, tree.Expression]]:
        """``a, b, key=c)``."""
        arguments: list[tree.Expression] = []
        named: dict[str, tree.Expression] = {}
        self.enter(opened)
        while not self.accept(closing):
            follower = self.tokens[min(self.index + 1, len(self.tokens) - 1)]
            if self.token.kind == "name" and follower.text == "=":
                name = self.take()
                self.take()
                if name.text in named:
                    raise self.problem("argument-repeated", name.start, name.end, word=name.text)
                named[name.text] = self.expression()
            else:
                argument = self.expression()
                if named:
                    raise self.problem("argument-order", argument.start, argument.end)
                arguments.append(argument)
            if not self.accept(","):
                self.expect(closing, opened)
                break
        self.depth -= 1
        return arguments, named

    def followed(self) -> tree.Expression:
        """A name, a literal or something in brackets, with dots, items, calls and ``?`` after it."""
        parentheses: list[Token] = []
        while self.token.text == "(" and self.token.kind == "operator":
            parentheses.append(self.take())
            self.enter(parentheses[-1])
        is_open = self.token.kind == "operator" and self.token.text in _CLOSING
        value = None if parentheses else self.bracketed() if is_open else self.atom()
        while True:
            # In brackets that begin with brackets, the inner ones are the first value of the outer ones.
            if parentheses:
                opened = parentheses.pop()
                value = self.expression(value)
                value.start, value.end = opened.start, self.expect(")", opened).end
                self.depth -= 1
            assert value is not None  # noqa: S101  it is read above
            chain = 0
            while token := self.accept(".", "[", "?", "("):
                self.follow(chain, token, MOST_DOTS)
                chain += 1
                if token.text == "(":
                    arguments, named = self.arguments(")", token)
                    value = tree.Call(value.start, self.tokens[self.index - 1].end, value, arguments, named)
                else:
                    value = self.follower(value, token)
            if not parentheses:
                return value

    def follower(self, value: tree.Expression, token: Token) -> tree.Expression:
        """A dot, an item or a ``?`` after a value."""
        if token.text == ".":
            name = self.name_after_dot()
            return tree.Attribute(value.start, name.end, value, name.text, name.start)
        if token.text == "?":
            return tree.Maybe(value.start, token.end, value)
        self.enter(token)
        index = self.index_or_slice()
        self.depth -= 1
        return tree.Item(value.start, self.expect("]", token).end, value, index)

    def name_after_dot(self) -> Token:
        """Return the name after a dot; keywords are allowed here."""
        if self.token.kind not in {"name", "word"}:
            raise self.unexpected("a name")
        name = self.take()
        if name.text.startswith("_"):
            raise self.problem("name-private", name.start, name.end, word=name.text)
        return name

    def index_or_slice(self) -> tree.Expression:
        """``a`` or ``a:b:c``, each part optional in a slice."""
        start = self.token.start
        parts: list[tree.Expression | None] = [None]
        while True:
            if self.accept(":"):
                parts.append(None)
            elif self.token.text == "]" or parts[-1] is not None or len(parts) > 3:  # noqa: PLR2004  first, last, step
                break
            else:
                parts[-1] = self.expression()
        if len(parts) == 1 and parts[0] is not None:
            return parts[0]
        if len(parts) not in {2, 3}:
            raise self.unexpected("an index")
        parts += [None] * (3 - len(parts))
        return tree.Slice(start, self.tokens[self.index - 1].end, parts[0], parts[1], parts[2])

    def atom(self) -> tree.Expression:
        """A name or a literal."""
        token = self.token
        if token.kind == "name":
            return self.name()
        if token.kind == "number":
            return tree.Constant(token.start, token.end, number_value(self.source, self.take()))
        if token.kind == "string":
            return tree.Constant(token.start, token.end, string_value(self.source, self.take()))
        if token.kind == "word" and token.text in _CONSTANTS:
            return tree.Constant(token.start, token.end, _CONSTANTS[self.take().text])
        raise self.unexpected("a value" if token.kind == "end" else "")

    def name(self) -> tree.Expression:
        """Read a name; private names are out of reach."""
        token = self.take()
        if token.text.startswith("_"):
            raise self.problem("name-private", token.start, token.end, word=token.text)
        return tree.Name(token.start, token.end, token.text)

    def bracketed(self) -> tree.Expression:
        """``[a, b]`` or ``{a: b}``."""
        opened = self.take()
        closing = _CLOSING[opened.text]
        values: list[tree.Expression] = []
        pairs: list[tuple[tree.Expression, tree.Expression]] = []
        self.enter(opened)
        while not self.accept(closing):
            value = self.expression()
            if opened.text == "{":
                self.expect(":")
                pairs.append((value, self.expression()))
            else:
                values.append(value)
            if not self.accept(","):
                self.expect(closing, opened)
                break
        self.depth -= 1
        end = self.tokens[self.index - 1].end
        if opened.text == "{":
            return tree.DictDisplay(opened.start, end, pairs)
        return tree.ListDisplay(opened.start, end, values)
