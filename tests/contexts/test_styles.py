"""Values in styles, as a conforming CSS parser reads them: the same rules, properties, strings and URLs for every value."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING, Any

import pytest
import tinycss2
from hypothesis import event, example, given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from untor import Engine, MarkError, PlacementError, RenderError, TrustedCSS, UntorError
from untor.escape import MISSING, NotPrintable
from untor.escape.css import (
    style_keyframes,
    style_list,
    style_name,
    style_name_part,
    style_nth,
    style_rules,
    style_string,
    style_value,
    style_value_part,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence

engine = Engine()
HOSTILE = [
    "", "'", '"', "\\", ")", "(", "}", "{", ";", ":", "*/", "/*", "<!--", "-->", "</style>", "\n", "\x00", "\ud800", "🌊", "é",
    "url(x)", "url(", "rl(", "expression(1)", "javascript:x()", "https://h.example/", "//h", "!important", "important", "@import", "\\29",
    "a;b:c", "red}*{color:blue", "5", "-5", "5px", "1e3", "#fff", "--", "-", "--a", "..", ".", "%", "a b", ",", "0/**/", "\\", "u",
]  # fmt: skip
VALUES = [
    "red",
    "5px",
    "50%",
    "#fff",
    "'s'",
    '"d"',
    "url(a.png)",
    "url( 'b.png' )",
    "rgb(1, 2, 3)",
    "calc(1px + 2%)",
    "a/b",
    "-5px",
    "var(--x)",
    "1.5em",
]
NAMES = ["color", "width", "--x", "background", "-webkit-a", "src"]
SELECTORS = ["p", ".a", "#b", "p > .c", "a:hover", "[d='e']", "p::after", "*", "a,b", ":not(.f)", "&.g", ".h\\:i"]
SELECTORS += [
    ":lang(en)",
    "p:nth-child(2n + 1)",
    "::part(a)",
    "[a=b i]",
    "p:is(.a, #b)",
    ":nth-child(2 of .c)",
    ":host(.d)",
]
AT_RULES = ["@media (min-width: 5px)", "@media print", "@supports (a: b)", "@keyframes k", "@font-face", "@layer l"]
AT_RULES += [
    "@container c (width > 1px)", "@layer a, b", "@scope (.a) to (.b)", "@\\6d edia print", "@unknown x", "@page",
    "@counter-style c",
]  # fmt: skip
AT_RULES += ["@starting-style", "@-webkit-keyframes k", "@property --x", "@font-feature-values F", "@position-try --p"]

DECLARATIONS = st.tuples(
    st.sampled_from(NAMES), st.lists(st.sampled_from(VALUES), min_size=1, max_size=3).map(" ".join)
).map(lambda pair: f"{pair[0]}: {pair[1]};")
BLOCKS = st.lists(DECLARATIONS, max_size=3).map(" ".join)
RULES = st.recursive(
    st.tuples(st.sampled_from(SELECTORS), BLOCKS).map("{0[0]} {{ {0[1]} }}\n".format),
    lambda inner: st.one_of(
        st.tuples(st.sampled_from(AT_RULES), inner).map("{0[0]} {{ {0[1]} }}\n".format),
        st.tuples(st.sampled_from(SELECTORS), BLOCKS, inner).map("{0[0]} {{ {0[1]} {0[2]} }}\n".format),
    ),
    max_leaves=3,
)
SHEETS = st.lists(RULES | st.sampled_from(["/* c */", "@import 'a.css';", "<!-- ", "-->"]), max_size=3).map("".join)
MARKS = st.sampled_from(
    [
        "{= x =}", "{= x =}", " {= x =} ", "'{= x =}'", "url({= x =})", "url('/{= x =}')", ".{= x =}", "{= x =}px",
        ":nth-child({= x =})", ":lang({= x =})", "@keyframes {= x =} ", "[a={= x =}]", ":not({= x =})",
        "@layer {= x =};", "::part({= x =})",
    ]
)  # fmt: skip
_VALUES = {"ident", "number", "percentage", "dimension", "hash", "unicode-range"}


def shape(tokens: Any, left_out: str = "%+-.") -> list[Any]:
    """Return what a list of component values is made of; what single harmless values can differ in is left out."""
    found: list[Any] = []
    for token in tokens or []:
        if token.type in _VALUES or (token.type == "literal" and token.value in left_out):
            continue
        if token.type == "function" and token.lower_name == "untor-blocked":
            continue
        if token.type == "function":
            found.append(("function", shape(token.arguments, left_out)))
        elif token.type.endswith("block"):
            found.append((token.type, shape(token.content, left_out)))
        elif token.type == "error":
            found.append(("error", token.kind))
        elif token.type != "whitespace":
            found.append(token.value if token.type == "literal" else token.type)
    return found


def structure(items: Any) -> list[Any]:
    """Return rules and declarations with their names."""
    found: list[Any] = []
    for item in items:
        if item.type == "declaration":
            # CSS Values 4 §2.1: commas and solidi separate the values of a list, which a value may be.
            values = shape(item.value, "%+-.,/")
            found.append((item.name, item.important, "string" in str(values), "url" in str(values), values))
        elif item.type in {"qualified-rule", "at-rule"}:
            content = None if item.content is None else structure(tinycss2.parse_blocks_contents(item.content))
            found.append((item.type, getattr(item, "at_keyword", ""), shape(item.prelude), content))
        elif item.type != "whitespace":
            found.append(item.type)
    return found


def sheet_of(page: str) -> list[Any]:
    """Return the structure of a page's one style sheet, as conforming parsers read page and style."""
    found = LexborHTMLParser(page).css("style")
    assert len(found) == 1, page
    return structure(tinycss2.parse_stylesheet(found[0].text()))


@given(
    SHEETS,
    st.lists(st.tuples(st.integers(0, 200), MARKS), min_size=1, max_size=2),
    st.sampled_from(HOSTILE) | st.text(max_size=6),
)
def test_same_rules_for_every_text(sheet: str, places: list[tuple[int, str]], value: str) -> None:
    """Wherever in a style sheet a value lands: rules, properties, strings, URLs and functions stay the same."""
    for offset, mark in sorted(places, reverse=True):
        at = offset % (len(sheet) + 1)
        sheet = sheet[:at] + mark + sheet[at:]
    try:
        template = engine.compile(f"<body><style>{sheet}</style>")
        pages = [template.render(x=text) for text in ("a", value)]
    except (MarkError, PlacementError, RenderError) as error:
        event(error.code)
        return
    event(template.placements[0].context)
    assert sheet_of(pages[0]) == sheet_of(pages[1]), pages[1]


@example("color: red; background: red;", 23, "{= x =}", "0/0")
@given(BLOCKS, st.integers(0, 100), MARKS, st.sampled_from(HOSTILE) | st.text(max_size=6))
def test_same_declarations_in_an_attribute(declarations: str, at: int, mark: str, value: str) -> None:
    """The same holds in a style attribute."""
    at %= len(declarations) + 1
    source = declarations[:at] + mark + declarations[at:]
    try:
        template = engine.compile(f'<body><p style="{source.replace(chr(34), "&quot;")}">')
        pages = [template.render(x=text) for text in ("a", value)]
    except (MarkError, PlacementError, RenderError) as error:
        event(error.code)
        return
    event(template.placements[0].context)
    shapes = []
    for page in pages:
        node = LexborHTMLParser(page).css_first("p")
        assert node is not None
        assert list(node.attributes) == ["style"]
        shapes.append(structure(tinycss2.parse_blocks_contents(node.attributes["style"] or "")))
    assert shapes[0] == shapes[1], pages[1]


@given(st.text() | st.text("-_0a9 é", max_size=4))
def test_strings_and_names_read_back(value: str) -> None:
    """A string and a name are exactly the value, as a parser reads them; no matter what comes next."""
    expected = "".join("\ufffd" if char == "\x00" or 0xD800 <= ord(char) < 0xE000 else char for char in value)
    for after in ("", "a", " b", "0"):
        (token,) = tinycss2.parse_component_value_list(f"'{style_string(value)}{after}'")
        assert token.value == expected + after
    (name, *rest) = tinycss2.parse_component_value_list(style_name(value) + "{}")
    assert (name.type, len(rest)) == ("ident", 1)
    assert name.value == (expected if value not in {"", "-"} else "untor-blocked")


HARMLESS = [
    (5, "5"), (-0.5, "-0.5"), ("5px", "5px"), (" 50% ", "50%"), ("red", "red"), ("#A0b1c2", "#A0b1c2"), ("--x", "--x"), (None, ""),
    ("rgb(1 2 3 / 50%)", "rgb(1 2 3 / 50%)"), ("calc(1px + 2%)", "calc(1px + 2%)"), ("var(--a)", "var(--a)"), (1e30, "1e+30"),
    ("translate(1px, -2px)", "translate(1px, -2px)"), (TrustedCSS("a b", reason="fixed"), "a b"),
]  # fmt: skip
BLOCKED = [
    "a b",
    "red;",
    "url(a)",
    "rgb(url(a))",
    "rgb(1/**/)",
    "#ggg",
    "#12345",
    "'a'",
    "é",
    "1 2",
    float("inf"),
    "expression(1)",
    "calc(1*2)",
    "\\72 ed",
    "!important",
    "a:b",
    "-",
    "+",
    "5p x",
]


@pytest.mark.parametrize(("value", "printed"), HARMLESS)
def test_harmless_values(value: object, printed: str) -> None:
    """One number, dimension, colour, name or safe function is printed."""
    assert style_value(value) == printed


@pytest.mark.parametrize("value", BLOCKED)
def test_blocked_values(value: object, caplog: pytest.LogCaptureFixture) -> None:
    """Everything else is a value that a browser drops, and is reported; the same for a part of a value."""
    assert style_value(value) == "untor-blocked()"
    assert style_value_part("a;b") == "untor-blocked"
    assert {record.name for record in caplog.records} == {"untor.blocked"}


LISTS = [
    ("1px solid salmon", None), (" Open Sans,  Arial\n", "Open Sans,  Arial"), ("12px/1.5 'Open Sans', serif", '12px/1.5 "Open Sans", serif'), ("16 / 9", None),
    ("linear-gradient(90deg, #fff 0%, rgba(0, 0, 0, .5))", None), ("0 0 5px #0008, inset 0 0 1px red", None), ("translate(1px, 2px) rotate(3deg)", None),
    ("[full-start] minmax(0, 40em) [main a] 1fr", None), ("calc(1px + 2% * 3 - var(--x, 4px))", None), ("repeat(2, [a b] 1fr)", None), ("-1.5E3 +.5 50%", None),
    ('"</style>" a', '"\\3c /style\\3e " a'), ("'é\\'", ""), ('"a" "b', ""), ("a, , b", ""), ("a,", ""), ("/a", ""), ("a /* b", ""), ("a //b", ""), ("a;b", ""), ("a}", ""),
    ("a:b", ""), ("(a)", ""), ("rgb(1, 2", ""), ("rgb(1, 2))", ""), ("[a)", ""), ("calc(1 */ 2)", ""), ("a rgb(1 + 2)", ""), ("1 + 2", ""), ("a !important", ""), ("a @b", ""), ("a <!-- b", ""),
    ("url(#a-1) 1px", None), ("url(#)", ""), ("url(#a b)", ""), ("url(x#a)", ""), ("url(x)", ""), ("a url(x)", ""), ("image-set('x' 1x)", ""), ("src('x')", ""), ("element(#a)", ""), ("expression(1)", ""), ("attr(href)", ""), ("a\\62 c", ""), ("rgb(" * 40 + "1" + ")" * 40, ""),
    (5, "5"), (-0.5, "-0.5"), (TrustedCSS("url(a)", reason="fixed"), "url(a)"), ("", None), ("#abcde", ""), ("#abcd", None),
]  # fmt: skip


@pytest.mark.parametrize(("value", "printed"), LISTS, ids=lambda each: str(each)[:30])
def test_lists_of_values(value: object, printed: str | None) -> None:
    """A list of harmless component values is printed, strings escaped; any other is blocked as a whole."""
    assert style_list(value) == (value if printed is None else printed or "untor-blocked()")


PIECES = ["url(#a)", "a", "1px", "50%", "#fff", "'s'", '"é<"', "rgb(", "calc(", "url(", "image-set(", ")", "[", "]", " ", ",", "/", "+", "*", "-", "--", "\\", ";", ":", "{", "}", "!", "@", "<!--", "-->", "/*", "*/", "\n", "var("]  # fmt: skip


@given(st.lists(st.sampled_from(PIECES), max_size=8).map("".join) | st.text(max_size=12))
def test_a_list_is_one_value(value: str) -> None:
    """Whatever is let through is the value of one declaration: nothing is loaded, opened or left open by it."""
    printed = style_list(value)
    assert printed.isascii()
    assert not set("<>&;{}:!@") & set(printed)
    (rule,) = tinycss2.parse_stylesheet(f"p {{ a: {printed}; b: c }}", skip_whitespace=True)
    declarations = tinycss2.parse_blocks_contents(rule.content, skip_whitespace=True)
    assert [(each.type, each.name) for each in declarations] == [("declaration", "a"), ("declaration", "b")]
    kinds = {token.type for token in tokens_in(declarations[0].value)}
    assert all(token.value.startswith("#") for token in tokens_in(declarations[0].value) if token.type == "url")
    assert kinds.isdisjoint({"error", "at-keyword", "comment", "() block", "{} block"})
    event("blocked" if printed == "untor-blocked()" else "let through")


def tokens_in(tokens: Sequence[Any]) -> Iterator[Any]:
    """Yield tokens, and those in functions and blocks."""
    for token in tokens:
        yield token
        yield from tokens_in(getattr(token, "arguments", None) or getattr(token, "content", None) or [])


@pytest.mark.parametrize("length", [20_000, 40_000])
def test_long_lists_take_no_long(length: int) -> None:
    """A long value is looked at once."""
    for value in ("1px " * length, "rgb(" * length, "'a'," * length, " " * length + "a b", "a" + " " * length + ";"):
        assert style_list(value).isascii()


EXACT = [
    (style_string, "\x00", "\\fffd "), (style_string, "\ud800", "\\fffd "), (style_string, "\udfff", "\\fffd "), (style_string, "\x01", "\\1 "),
    (style_string, "\ud7ff\ue000", "\\d7ff \\e000 "), (style_string, "</b>", "\\3c /b\\3e "),
    (style_name, "-", "untor-blocked"), (style_name, "", "untor-blocked"), (style_name, "-5", "\\2d 5"), (style_name, "-é", "-\\e9 "),
    (style_name, "--é", "\\2d -\\e9 "), (style_name, "-X é", "-X\\20 \\e9 "), (style_name, "5a", "\\35 a"), (style_name, "X", "X"),
    (style_name_part, "5 a", "5\\20 a"), (style_name_part, "", ""),
    (style_keyframes, "NONE", '"none"'), (style_keyframes, "wave", "wave"),
    (style_nth, "\t2n + 1\f", "2n + 1"), (style_nth, "X", "0"), (style_nth, "Odd", "Odd"), (style_nth, "n\u2003", "0"), (style_nth, "n\x0b+1", "0"),
    (style_value, "\f X1\r", "X1"), (style_value, MISSING, ""), (style_value, "\u017fcale(2)", "untor-blocked()"), (style_value, "scale(\u212a)", "untor-blocked()"), (style_value, 10**30, "1" + "0" * 30),
    (style_value_part, " 1.5e-3 ", "1.5e-3"), (style_value_part, "+5", "+5"), (style_value_part, "X-b", "X-b"), (style_value_part, "a.5", "a.5"),
    (style_value_part, ".5", ".5"), (style_value_part, "", ""), (style_value_part, -0.5, "-0.5"),
    (style_rules, TrustedCSS("a{b:c}</x", reason="fixed"), "a{b:c}<\\/x"), (style_rules, None, ""), (style_rules, MISSING, ""),
]  # fmt: skip


@pytest.mark.parametrize(("escaper", "value", "expected"), EXACT)
def test_exactly(escaper: Callable[[object], str], value: object, expected: str) -> None:
    """What each function returns at the edges of its rules."""
    assert escaper(value) == expected


@pytest.mark.parametrize(("escaper", "value", "logged"), [
    (style_value, float("inf"), "the style value 'not a number': it is not one number, colour, name or safe function"),
    (style_nth, "x", "the style value 'x': it is not an+b"),
    (style_name, "-", "the style value '-': it is not one number, colour, name or safe function"),
])  # fmt: skip
def test_blocked_is_logged(
    escaper: Callable[[object], str], value: object, logged: str, caplog: pytest.LogCaptureFixture
) -> None:
    """The log says which value was blocked, and why."""
    escaper(value)
    assert [record.getMessage() for record in caplog.records] == [f"blocked {logged}"]


def test_rules_are_trusted_or_refused() -> None:
    """Plain text is no rules of a style, and the message says what is."""
    with pytest.raises(NotPrintable) as raised:
        style_rules("a{}")
    assert raised.value.args == (
        "A value as a whole rule or declaration of a style",
        "Write the property out and print its value; write the . or # of a selector, as in .{= name =}; or pass CSS that "
        "you vouch for as a TrustedCSS.",
    )


TOKENS = ("a", "{", "}", "c:d", ";", "@media x", "@keyframes k", "@font-face")


def declarations(nodes: Sequence[Any]) -> Iterator[tuple[str, str]]:
    """Yield names and values of declarations, but not those of rules that a parser finds an error before."""
    for node in nodes:
        if node.type == "declaration":
            yield node.lower_name, tinycss2.serialize(node.value).strip()
        elif (
            node.type in {"qualified-rule", "at-rule"}
            and node.content is not None
            and not any(token.type == "error" for token in node.prelude)
        ):
            yield from declarations(
                tinycss2.parse_blocks_contents(node.content, skip_comments=True, skip_whitespace=True)
            )


@pytest.mark.parametrize("length", range(4))
def test_a_declaration_is_one(length: int) -> None:
    """Whatever rules and braces stand before it, a value that is taken for that of a declaration is one for a parser."""
    engine, compiled = Engine(), 0
    for tokens in itertools.product(TOKENS, repeat=length):
        before = " ".join(tokens)
        try:
            page = engine.compile(f"<style>{before} p{{color:{{= x =}}}}</style>").render(x="red")
        except UntorError:
            continue
        compiled += 1
        rules = tinycss2.parse_stylesheet(page[7:-8], skip_comments=True, skip_whitespace=True)
        assert ("color", "red") in [*declarations(rules)], before
    assert compiled > 8**length / 3
