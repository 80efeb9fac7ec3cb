"""The grammar of expressions.

Loosest binding first: conditional, or, and, not, comparison, ``??``, filters, sums, products, signs, and what
follows a value (dots, items, ``?``).
"""

from __future__ import annotations

from untor.diagnostics.problem import Problem
from untor.language import tree
from untor.language.tokens import SyntaxProblem, Token, number_value, string_value, tokens

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.diagnostics.source import Source

DEEPEST = 60
"""How deep expressions may nest; far beyond what anyone reads, far below what exhausts a stack."""

_COMPARISONS = frozenset({"==", "!=", "<", "<=", ">", ">="})
_CLOSING = {"(": ")", "[": "]", "{": "}"}
_CONSTANTS = {"True": True, "False": False, "None": None}
_AFTER_VALUE = frozenset({"", ",", ")", "]", "}", ":", "if", "else", "as"})
"""Tokens that do not go on with an expression that has come to an end; the empty one is the last of a mark."""


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
        token = self.token
        return self.take() if token.text in texts and token.kind in {"operator", "word", "name"} else None

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
            return self.problem("expression-end", len(text) - 1, len(text), expected=expected or "a value")
        words = {"name": f'The name "{token.text}"', "number": f"The number {token.text}"}
        found = words.get(token.kind, f"The text {token.text}" if token.kind == "string" else f'"{token.text}"')
        wanted = f"; {expected} should" if expected else ""
        hint = 'Two equals signs compare: "==".' if token.text == "=" else None
        return self.problem("expression-unexpected", token.start, token.end, found=found, expected=wanted, hint=hint)

    def finish(self) -> None:
        """Require that nothing is left."""
        if self.token.kind != "end":
            raise self.unexpected()

    # --- the grammar ---------------------------------------------------------------------------------------------

    def expression(self) -> tree.Expression:
        """``a if test else b``, or anything that binds tighter."""
        then = self.no_conditional()
        if not self.accept("if"):
            return then
        test = self.no_conditional()
        self.expect("else")
        otherwise = self.nested(self.expression)
        return tree.Conditional(then.start, otherwise.end, test, then, otherwise)

    def no_conditional(self) -> tree.Expression:
        """``a or b``, or anything that binds tighter: what can precede an ``if``."""
        return self.path() or self.nested(lambda: self.binary(lambda: self.binary(self.negation, "and"), "or"))

    def path(self) -> tree.Expression | None:
        """``a.b.c`` and nothing more, as most expressions are: a shortcut through the grammar; it comes to the same."""
        tokens, index = self.tokens, self.index
        first = tokens[index]
        if first.kind != "name" or first.text.startswith("_"):
            return None
        value: tree.Expression = tree.Name(first.start, first.end, first.text)
        index += 1
        while tokens[index].text == ".":
            name = tokens[index + 1]
            if name.kind not in {"name", "word"} or name.text.startswith("_"):
                return None
            value = tree.Attribute(value.start, name.end, value, name.text, name.start)
            index += 2
        if tokens[index].text not in _AFTER_VALUE or index - self.index > DEEPEST:
            return None
        self.index = index
        return value

    def nested(self, read: Callable[[], tree.Expression]) -> tree.Expression:
        """Read one level deeper."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise self.problem("too-deep", self.token.start, self.token.end, most=DEEPEST)
        found = read()
        self.depth -= 1
        return found

    def binary(self, operand: Callable[[], tree.Expression], *operators: str) -> tree.Expression:
        """Operands with operators of one strength between them, grouped from the left."""
        left, chain = operand(), 0
        while operator := self.accept(*operators):
            chain += 1
            if chain > DEEPEST:
                raise self.problem("too-deep", operator.start, operator.end, most=DEEPEST)
            right = operand()
            left = tree.Binary(left.start, right.end, left, operator.text, right)
        return left

    def negation(self) -> tree.Expression:
        """``not a``."""
        if word := self.accept("not"):
            operand = self.nested(self.negation)
            return tree.Unary(word.start, operand.end, "not", operand)
        return self.comparison()

    def comparison(self) -> tree.Expression:
        """``a < b <= c``, ``a in b``, ``a is not None``."""
        first = self.otherwise()
        rest: list[tuple[str, tree.Expression]] = []
        while operator := self.comparison_operator():
            if operator in {"is", "is not"} and not (self.token.kind == "word" and self.token.text in _CONSTANTS):
                raise self.unexpected("None, True or False")
            rest.append((operator, self.otherwise()))
        return tree.Comparisons(first.start, rest[-1][1].end, first, rest) if rest else first

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

    def otherwise(self) -> tree.Expression:
        """``a ?? b``, grouped from the right."""
        value = self.filtered()
        if not self.accept("??"):
            return value
        fallback = self.nested(self.otherwise)
        return tree.Otherwise(value.start, fallback.end, value, fallback)

    def filtered(self) -> tree.Expression:
        """``value | filter | filter(…)``."""
        value, chain = self.sum(), 0
        while pipe := self.accept("|"):
            chain += 1
            if chain > DEEPEST:
                raise self.problem("too-deep", pipe.start, pipe.end, most=DEEPEST)
            if self.token.kind not in {"name", "word"}:
                raise self.unexpected("the name of a filter")
            name = self.take()
            arguments: list[tree.Expression] = []
            named: dict[str, tree.Expression] = {}
            end = name.end
            if opened := self.accept("("):
                arguments, named = self.arguments(")", opened)
                end = self.tokens[self.index - 1].end
            value = tree.Filter(value.start, end, value, name.text, name.start, arguments, named)
        return value

    def arguments(self, closing: str, opened: Token) -> tuple[list[tree.Expression], dict[str, tree.Expression]]:
        """``a, b, key=c)``."""
        arguments: list[tree.Expression] = []
        named: dict[str, tree.Expression] = {}
        while not self.accept(closing):
            follower = self.tokens[min(self.index + 1, len(self.tokens) - 1)]
            if self.token.kind == "name" and follower.text == "=":
                name = self.take()
                self.take()
                if name.text in named:
                    raise self.problem("argument-repeated", name.start, name.end, word=name.text)
                named[name.text] = self.nested(self.expression)
            else:
                argument = self.nested(self.expression)
                if named:
                    raise self.problem("argument-order", argument.start, argument.end)
                arguments.append(argument)
            if not self.accept(","):
                self.expect(closing, opened)
                break
        return arguments, named

    def sum(self) -> tree.Expression:
        """``a + b - c``."""
        return self.binary(lambda: self.binary(self.signed, "*", "/", "//", "%"), "+", "-")

    def signed(self) -> tree.Expression:
        """``-a``."""
        if sign := self.accept("-", "+"):
            operand = self.nested(self.signed)
            return tree.Unary(sign.start, operand.end, sign.text, operand)
        return self.followed()

    def followed(self) -> tree.Expression:
        """A value with dots, items and ``?`` after it."""
        value, chain = self.atom(), 0
        while token := self.accept(".", "[", "?", "("):
            chain += 1
            if chain > DEEPEST:
                raise self.problem("too-deep", token.start, token.end, most=DEEPEST)
            if token.text == ".":
                name = self.name_after_dot()
                value = tree.Attribute(value.start, name.end, value, name.text, name.start)
            elif token.text == "[":
                index = self.nested(self.index_or_slice)
                value = tree.Item(value.start, self.expect("]", token).end, value, index)
            elif token.text == "?":
                value = tree.Maybe(value.start, token.end, value)
            else:
                arguments, named = self.arguments(")", token)
                value = tree.Call(value.start, self.tokens[self.index - 1].end, value, arguments, named)
        return value

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
        """A name, a literal, or something in brackets."""
        token = self.token
        if token.kind == "name":
            return self.name()
        if token.kind == "number":
            return tree.Constant(token.start, token.end, number_value(self.source, self.take()))
        if token.kind == "string":
            return tree.Constant(token.start, token.end, string_value(self.source, self.take()))
        if token.kind == "word" and token.text in _CONSTANTS:
            return tree.Constant(token.start, token.end, _CONSTANTS[self.take().text])
        if token.kind == "operator" and token.text in _CLOSING:
            return self.bracketed()
        raise self.unexpected("a value" if token.kind == "end" else "")

    def name(self) -> tree.Expression:
        """Read a name; private names are out of reach."""
        token = self.take()
        if token.text.startswith("_"):
            raise self.problem("name-private", token.start, token.end, word=token.text)
        return tree.Name(token.start, token.end, token.text)

    def bracketed(self) -> tree.Expression:
        """``(a)``, ``[a, b]`` or ``{a: b}``."""
        opened = self.take()
        closing = _CLOSING[opened.text]
        if opened.text == "(":
            inner = self.nested(self.expression)
            inner.start, inner.end = opened.start, self.expect(closing, opened).end
            return inner
        values: list[tree.Expression] = []
        pairs: list[tuple[tree.Expression, tree.Expression]] = []
        while not self.accept(closing):
            value = self.nested(self.expression)
            if opened.text == "{":
                self.expect(":")
                pairs.append((value, self.nested(self.expression)))
            else:
                values.append(value)
            if not self.accept(","):
                self.expect(closing, opened)
                break
        end = self.tokens[self.index - 1].end
        if opened.text == "{":
            return tree.DictDisplay(opened.start, end, pairs)
        return tree.ListDisplay(opened.start, end, values)
