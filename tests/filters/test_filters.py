"""The built-in filters, with what they are for and with odd input; their laws; filters of one's own."""

from __future__ import annotations

import copy
import inspect
import pickle
import sys
from collections import UserDict, namedtuple
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal, localcontext
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qsl
from zoneinfo import ZoneInfo

import pytest
from babel import Locale
from babel.dates import format_date, format_datetime, format_time
from babel.lists import format_list
from babel.localedata import locale_identifiers
from babel.numbers import format_currency, format_decimal, format_percent
from hypothesis import given, settings
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from untor import Engine, MarkError, RenderError, TrustedHTML, UntorError
from untor.escape import MISSING
from untor.explain.trace import evaluate
from untor.filters import NAMES
from untor.filters.date_format import date_format, datetime_format, time_format
from untor.filters.number_format import decimal_format, money_format, percent_format
from untor.filters.strings import clip

if TYPE_CHECKING:
    from pathlib import Path

Row = namedtuple("Row", "name tons")  # noqa: PYI024  as views have them
LISBON = ZoneInfo("Europe/Lisbon")
engine = Engine(timezone="Europe/Lisbon", clock=lambda: datetime(2031, 5, 17, 12, tzinfo=UTC))
CALLS = [
    {"name": "Gannet", "tons": 9}, {"name": "Sea Holly", "tons": 12}, {"name": "Gull"}, {"name": "Tern", "tons": 9},
]  # fmt: skip
NOON = datetime(2031, 5, 17, 12, tzinfo=UTC)
NAIVE = datetime(2031, 5, 17, 12)
D = date(2031, 5, 17)

CASES: list[tuple[str, Any, object]] = [
    # text
    ("x | upper", "ß é", "SS É"), ("x | lower", "ÀÉ", "àé"), ("x | upper", 5, "5"), ("x | upper", [], "!it works on text, not on a list."),
    ("x | capital", "éa BC", "Éa BC"), ("x | capital", "", ""), ("x | capital", "ǆa", "ǅa"),
    ("x | title", "they're o’neil 3rd", "They're O’neil 3rd"), ("x | title", "", ""),
    ("x | strip", " \u2003a\n", "a"), ("x | strip('-')", "--a-", "a"), ("x | strip(3)", "a", "!what is stripped must be text."),
    ("x | replace('a', 'b')", "aXa", "bXb"), ("x | replace('', 'b')", "a", "!what is replaced must not be empty."),
    ("x | split", " a  b ", ["a", "b"]), ("x | split(',')", "a,,b", ["a", "", "b"]), ("x | split('')", "a", "!the separator must not be empty."),
    ("x | join", ["a", 1, None], "a, 1, "), ("x | join('')", ("a", "b"), "ab"), ("x | join", "ab", "!it works on lists, not on a str."),
    ("x | words", "Hello, it's 5! \u05e9\u05dc\u05d5\u05dd", ["Hello", "it's", "5", "\u05e9\u05dc\u05d5\u05dd"]),
    ("x | slug", "Ärger  mit—Straße Nº 5", "arger-mit-strasse-no-5"), ("x | slug", "!", ""),
    ("x | clip(8)", "Sea Holly sails", "Sea…"), ("x | clip(3)", "e\u0301a\u0301o\u0301", "e\u0301a\u0301o\u0301"), ("x | clip(2)", "🇫🇷🇩🇪🇪🇸", "🇫🇷…"),
    ("x | clip(0)", "a", "!the length must be an integer from 1."), ("x | clip(2)", "👩‍👩‍👧👩‍👩‍👧👩‍👩‍👧", "👩‍👩‍👧…"),
    # numbers
    ("x | number", 1234567.8914, "1,234,567.891"), ("x | number(1)", 2.25, "2.2"), ("x | number(2)", 3, "3.00"), ("x | number(0)", 2.6, "3"),
    ("x | number", -5, "-5"), ("x | number", Decimal("1e3"), "1,000"), ("x | number", 10**30, "1" + ",000" * 10), ("x | number", float("inf"), "∞"),
    ("x | number(locale='de')", 1234.5, "1.234,5"), ("x | number(locale='ar-EG')", 12, "12"), ("x | number", "5", "!it works on numbers, not on text: turn it into a number in the view, with int or float."),
    ("x | number", True, "!it works on numbers, not on a bool."), ("x | number", [1], "!it works on numbers, not on a list."), ("x | number(-1)", 1, "!the digits must be an integer from 0 to 30."),
    ("x | number(locale='xx-yy-zz')", 1, "!the locale 'xx-yy-zz' is not known; names look like en or pt-BR."),
    ("x | percent", 0.256, "26%"), ("x | percent(1)", 0.256, "25.6%"), ("x | percent(1, locale='de')", 0.256, "25,6\xa0%"), ("x | percent", 0, "0%"),
    ("x | money('EUR')", Decimal("1234.5"), "€1,234.50"), ("x | money('JPY')", 1234, "¥1,234"), ("x | money('EUR', locale='de')", -3, "-3,00\xa0€"),
    ("x | money('Euro')", 3, "!'Euro' is not a currency code; write three letters, like EUR (ISO 4217)."),
    ("x | round", 2.5, 2), ("x | round(1)", Decimal("2.345"), Decimal("2.3")), ("x | round(-1)", 25, 20), ("x | round", float("-inf"), float("-inf")), ("x | round('1')", 2, "!the digits must be an integer."),
    ("x | bytes", 0, "0 bytes"), ("x | bytes", 1, "1 byte"), ("x | bytes", 999, "999 bytes"), ("x | bytes", 1000, "1 kB"), ("x | bytes", 1500000, "1.5 MB"), ("x | bytes", 999999, "1 MB"), ("x | bytes", 10**20, "100,000 PB"), ("x | bytes", -2000, "-2 kB"), ("x | bytes", 10**400, "!the number is too large."),
    ("x | plural(one='# call', other='# calls')", 1, "1 call"), ("x | plural(one='# call', other='# calls')", 1200, "1,200 calls"), ("x | plural(zero='none', other='#')", 0, "none"),
    ("x | plural(one='#a', few='#b', many='#c', other='#d', locale='pl')", 3, "3b"), ("x | plural(one='#', other='#s')", 1.5, "1.5s"), ("x | plural(odd='a', other='b')", 1, '!"odd" is not a plural category; these are zero, one, two, few, many, other.'),
    # dates and times
    ("x | date", date(2032, 2, 29), "Feb 29, 2032"), ("x | date('full')", "2031-05-17", "Saturday, May 17, 2031"), ("x | date('d MMM y')", "2031-05-17T23:30:00Z", "18 May 2031"), ("x | date('d MMM y', timezone='UTC')", "2031-05-17T23:30:00Z", "17 May 2031"),
    ("x | date", 1936872000, "May 18, 2031"), ("x | date", 1936872000000, "May 18, 2031"), ("x | date", -1, "Jan 1, 1970"), ("x | date", "soon", "!'soon' is not a valid date; write dates like 2031-05-17."), ("x | date", [], "!it works on dates, not on a list."), ("x | date", 10**30, "!1000000000000000000000000000000 is not a valid timestamp."),
    ("x | date('')", date(2031, 5, 17), "!the pattern must be text, like 'd MMMM y', or a style: short, medium, long, full."), ("x | date", True, "!it works on dates, not on a bool."), ("x | date('d. MMMM', locale='de')", date(2031, 5, 1), "1. Mai"),
    ("x | time('HH:mm')", NOON, "13:00"), ("x | time('HH:mm')", time(9, 5), "09:05"), ("x | time('HH:mm')", "09:05", "09:05"), ("x | time", date(2031, 5, 17), "!it works on times, and this is a date without one."), ("x | time('HH:mm')", datetime(2031, 5, 17, 12), "12:00"), ("x | time('HH:mm', timezone='Mars/Base')", NOON, "!the time zone 'Mars/Base' is not known; names look like Europe/Lisbon."),
    ("x | datetime('y-MM-dd HH:mm z')", NOON, "2031-05-17 13:00 +0100"), ("x | datetime('HH:mm', timezone='Asia/Tokyo')", NOON, "21:00"), ("x | datetime", date(2031, 5, 17), "!it works on dates with a time, and this is a date alone: use date."),
    # the hour that comes twice when clocks go back, told apart by its zone
    ("x | time('HH:mm z')", datetime(2031, 10, 26, 0, 30, tzinfo=UTC), "01:30 +0100"), ("x | time('HH:mm z')", datetime(2031, 10, 26, 1, 30, tzinfo=UTC), "01:30 +0000"), ("x | time('HH:mm z')", datetime(2031, 10, 26, 1, 30, tzinfo=LISBON, fold=1), "01:30 +0000"),
    ("x | ago", NOON - timedelta(hours=3), "3 hours ago"), ("x | ago", NOON + timedelta(days=2), "in 2 days"), ("x | ago", "2031-05-10", "1 week ago"), ("x | ago(locale='de')", NOON - timedelta(minutes=5), "vor 5 Minuten"), ("x | ago", datetime(2031, 5, 17, 12), "1 hour ago"), ("x | ago", "x", "!'x' is not a valid date; write dates like 2031-05-17."),
    # patterns that mean something else than they seem to
    ("x | date('YYYY-MM-DD')", D, "!in 'YYYY-MM-DD' Y is the year that a week belongs to and D is the day of the year: write 'yyyy-MM-dd'."),
    ("x | date('dd/mm/yyyy')", D, "!in 'dd/mm/yyyy' m is minutes: write 'dd/MM/yyyy'."), ("x | time('HH:MM')", NOON, "!in 'HH:MM' M is months: write 'HH:mm'."),
    ("x | date('dddd d MMMM')", D, "!in 'dddd d MMMM' d is the day of the month: write 'EEEE d MMMM'."), ("x | date('%d.%m.%Y')", D, "!'%d.%m.%Y' is a pattern of strftime; here that is 'dd.MM.y'."),
    ("x | date('%q')", D, "!'%q' is a pattern of strftime; here that is 'd MMMM y'."), ("x | date('d o MMMM')", D, "!'o' in 'd o MMMM' is not a field of CLDR's patterns; text is written between single quotes, as in d 'of' MMMM."),
    ('x | date("d o\'clock")', D, '!in "d o\'clock" a quote is not closed: write \'\' for an apostrophe.'), ("x | time('d HH')", NOON, "!'d HH' has fields of a date: use the filter datetime, or date."),
    ("x | date('HH')", D, "!'HH' has fields of a time of day: use the filter datetime, or time."), ('x | date("YYYY-\'W\'ww, DDD \'\'d")', D, "2031-W20, 137 '17"), ("x | datetime('d.M. HH:mm:ss, mm:ss')", NOON, "17.5. 13:00:00, 00:00"),
    # what has no time zone is in none
    ("x | time('full')", NAIVE, "12:00:00\u202fPM"), ("x | datetime('long')", NAIVE, "May 17, 2031, 12:00:00\u202fPM"), ("x | datetime('HH:mm z')", NAIVE, "!z in 'HH:mm z' is the time zone, and this has none: pass a datetime with one."),
    ("x | time('long')", time(9, 5), "9:05:00\u202fAM"), ("x | time('full')", NOON, "1:00:00\u202fPM Western European Summer Time"), ("x | date('HH:mm XXX')", NAIVE, "!'HH:mm XXX' has fields of a time of day: use the filter datetime, or time."),
    # keys
    ("x | sum('tns')", CALLS, '!none of the 4 items has "tns". Did you mean "tons"?'), ("x | where('vessel.nmae')", [{"vessel": {"name": "a"}}, {"vessel": None}], '!none of the 2 items has "nmae". Did you mean "name"?'),
    ("x | sorted('tns?')", [{"n": 1}], [{"n": 1}]), ("x | each('a?.b')", [{"a": None}, {}, {"a": {"b": 1}}], [None, None, 1]), ("x | max(3)", [(1, 2)], "!the item has no item 3."), ("x | each(1)", [(1, 2), (3,)], [2, None]),
    ("x | sum", [timedelta(1), timedelta(2)], timedelta(3)), ("x | sum", [[1], [2]], "!it works on numbers, not on a list."), ("x | sum", [0.1, Decimal(1)], "!the items cannot be added: unsupported operand type(s) for +: 'float' and 'decimal.Decimal'."),
    ("x | money('EUR')", Decimal("99999999999999999999999999999999.25"), "€99,999,999,999,999,999,999,999,999,999,999.25"),
    # lists
    ("x | len", [], 0), ("x | len", {"a": 1}, 1), ("x | len", iter([1]), "!it works on collections; this can be read only once: make a list of it in the view."), ("x | len", 5, "!it works on collections and text, not on an int."),
    ("x | first", [], None), ("x | first", iter("ab"), "a"), ("x | first(2)", iter("abc"), ["a", "b"]), ("x | first(0)", [1], []), ("x | last", (1, 2), 2), ("x | last", [], None), ("x | last(5)", [1, 2], [1, 2]), ("x | last(0)", [1], []), ("x | first(-1)", [1], "!the number of items must be an integer from 0."), ("x | first", {"a": 1}, "a"), ("x | first", 5, "!it works on lists, not on an int."),
    ("x | sorted | join", [3, 1, 2], "1, 2, 3"), ("x | sorted(reverse=True) | join", iter([1, 2]), "2, 1"), ("x | sorted('tons') | first", CALLS, CALLS[0]), ("x | sorted('tons', reverse=True) | last", CALLS, CALLS[2]), ("x | sorted", [1, "a"], "!the items cannot be put in order: '<' not supported between instances of 'str' and 'int'."),
    ("x | sorted('name') | first", [Row("b", 1), Row("a", 2)], Row("a", 2)), ("x | sorted('a.b') | len", [SimpleNamespace(a={"b": 1}), SimpleNamespace(a=None)], 2), ("x | sorted('_x')", [1], "!'_x' is not a valid name of an attribute or key."), ("x | sorted(1) | first", [(1, 5), (2, 4)], (2, 4)),
    ("x | sorted('gi_frame')", [iter(()) for _ in range(0)] + [(n for n in [1])], "!Templates cannot look into a generator."), ("x | where('f_globals')", [pickle], "!Templates cannot look into a module."),
    ("x | where('tons', 9) | len", CALLS, 2), ("x | where('tons', 9, 12) | len", CALLS, 3), ("x | where('tons') | len", CALLS, 3), ("x | where('tons', None) | len", CALLS, 1), ("x | where('')", CALLS, '!the name must be text, like "name" or "vessel.name".'),
    ("x | group('tons')", CALLS, [(9, [CALLS[0], CALLS[3]]), (12, [CALLS[1]]), (None, [CALLS[2]])]), ("x | group('a')", [{"a": [1]}, {"a": [1]}], [([1], [{"a": [1]}, {"a": [1]}])]), ("x | group('a')", [], []),
    ("x | unique", [1, 2, 1, [3], [3]], [1, 2, [3]]), ("x | unique('tons') | len", CALLS, 3), ("x | sum", [1, 2.5, None], 3.5), ("x | sum('tons')", CALLS, 30), ("x | sum", [], 0), ("x | sum", ["a"], "!it works on numbers, not on a str."),
    ("x | min", [3, 1], 1), ("x | min('tons')", CALLS, CALLS[0]), ("x | max('tons')", CALLS, CALLS[1]), ("x | max", [], None), ("x | max", [1, "a"], "!the items cannot be compared: '>' not supported between instances of 'str' and 'int'."),
    ("x | batched(2)", range(3), [[0, 1], [2]]), ("x | batched(0)", [1], "!the number of items must be an integer from 1."), ("x | reversed", (1, 2), [2, 1]), ("x | reversed", "ab", "!it works on lists, not on a str."),
    ("x | each('tons')", CALLS, [9, 12, None, 9]), ("x | each('a.b')", [SimpleNamespace(a={"b": 1}), {"a": 2}], [1, None]), ("x | each('_x')", [1], "!'_x' is not a valid name of an attribute or key."), ("x | each('a')", "ab", "!it works on lists, not on a str."),
    ("x | listed", ["a", "b", "c"], "a, b, and c"), ("x | listed", ["a", None, 2], "a and 2"), ("x | listed", [], ""), ("x | listed", iter("a"), "a"), ("x | listed('or')", ["{0}", "{1}", "c", "d"], "{0}, {1}, c, or d"), ("x | listed(locale='de')", "a b c".split(), "a, b und c"),
    ("x | listed(locale='ja')", ["a", "b"], "a、b"), ("x | listed('nor')", ["a", "b"], '!the style must be "and" or "or".'), ("x | listed", "ab", "!it works on lists, not on a str."),
    # what a value is
    ("x | text", 5, "5"), ("x | text", None, None), ("'5' == x | text", 5, True), ("x | text", [1], "!it works on text, not on a list."),
    ("x | html_source", "R&D <b>", "R&amp;D &lt;b&gt;"), ("x | html_source", TrustedHTML("<b>x</b>", reason="fixed"), "<b>x</b>"), ("x | lines | html_source", "a\n<", "a<br>\n&lt;"),
    ("x | iso", date(2031, 5, 17), "2031-05-17"), ("x | iso", NOON, "2031-05-17T12:00:00+00:00"), ("x | iso", datetime(2031, 5, 17, 12), "2031-05-17T12:00:00"), ("x | iso", time(9, 5), "09:05:00"), ("x | iso(timezone='Europe/Lisbon')", "2031-05-17T12:00Z", "2031-05-17T13:00:00+01:00"),
    ("x | iso", 0, "1970-01-01T00:00:00+00:00"), ("x | iso", "soon", "!'soon' is not a valid date; write dates like 2031-05-17."), ("x | iso", [], "!it works on dates, not on a list."),
    # links
    ("x | query", {"a": "b c&=", "n": None, "l": [1, "é"]}, "a=b%20c%26%3D&l=1&l=%C3%A9"), ("x | query", [("a", 1), ("a", 2)], "a=1&a=2"), ("x | query", {}, ""), ("x | path", "a/b c", "a/b%20c"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("expression", "value", "expected"), CASES, ids=[f"{case[0]} {str(case[1])[:20]}" for case in CASES]
)
def test_filter(expression: str, value: object, expected: object) -> None:
    """Each filter gives what is expected, or says what it cannot do."""
    if isinstance(expected, str) and expected.startswith("!"):
        with pytest.raises(UntorError) as found:
            evaluate(engine.compiler, expression, {"x": value})
        message = found.value.message
        assert (message.partition("failed: ")[2] or message.partition("like this: ")[2] or message) == expected[1:]
    else:
        result = evaluate(engine.compiler, expression, {"x": value})
        assert result == expected
        assert type(result) is type(expected) or isinstance(result, type(expected))


@pytest.mark.parametrize("style", ["and", "or"])
def test_lists_in_every_locale(style: str) -> None:
    """A list is written as Babel writes it, in each locale that Babel knows, in a time that grows with its length."""
    kind: Any = {"and": "standard"}.get(style, style)
    for locale in locale_identifiers():
        for items in (["{0}", "b"], ["a", "{1}", "c"], list("abcde")):
            written = evaluate(
                engine.compiler, "x | listed(style, locale=locale)", {"x": items, "style": style, "locale": locale}
            )
            assert written == format_list(items, kind, locale)
    assert len(str(evaluate(engine.compiler, "x | listed", {"x": ["a" * 100] * 30_000}))) > 3_000_000


def test_every_filter_has_cases() -> None:
    """No built-in filter is without a case, here or in its own test."""
    shown = {step.split("(")[0].strip() for expression, _, _ in CASES for step in expression.split("|")[1:]}
    elsewhere = {"json", "trusted", "lines", "paragraphs", "cleaned", "picture", "table"}
    assert shown | elsewhere == NAMES
    assert all(
        name == "json" or evaluate(engine.compiler, f"x | {name}{ARGUMENTS.get(name, '')}", {"x": None}) is None
        for name in NAMES
    )


ARGUMENTS = {
    "clip": "(1)", "replace": "('a', 'b')", "money": "('EUR')", "plural": "(other='')", "where": "('a')", "group": "('a')",
    "batched": "(1)", "each": "('a')", "trusted": "('a')", "picture": "(alt='')", "table": "(caption='')",
}  # fmt: skip


def test_text_as_html() -> None:
    """Line breaks and paragraphs become elements; the text stays text, and stays text in other places."""
    page = engine.compile("{= x | lines =}").render(x="a <b>\r\n\u2028c")
    assert page == "a &lt;b&gt;<br>\n<br>\nc"
    assert engine.compile("{= x | paragraphs =}").render(x="\n a\nb\n \n\n<i>\n") == "<p>a<br>b</p>\n<p>&lt;i&gt;</p>"
    assert engine.compile('<p title="{= x | lines =}">').render(x="a\nb") == '<p title="a&lt;br&gt;\nb">'


def test_cleaned() -> None:
    """Of HTML typed by users only harmless elements, attributes and links are left."""
    typed = '<p onclick=x>a<script>alert(1)</script><b style=x>b</b><a href="javascript:x">c</a><a href="https://a.example/">d</a><img src=x><!-- x -->'
    page = engine.compile("<div>{= x | cleaned =}</div>").render(x=typed)
    assert page == (
        '<div><p>a<b>b</b><a rel="noopener noreferrer nofollow">c</a>'
        '<a href="https://a.example/" rel="noopener noreferrer nofollow">d</a></p></div>'
    )
    assert engine.compile("{= x | cleaned(elements=['b']) =}").render(x="<p>a<b>b</b>") == "a<b>b</b>"
    with pytest.raises(RenderError, match="script cannot be let through"):
        engine.compile("{= x | cleaned(elements=['script']) =}").render(x="a")


def test_query_in_a_url() -> None:
    """In a query, a mapping gives names and values; elsewhere its text is escaped like any other."""
    source = (
        '<a href="/s?{= x | query =}&amp;p=1#q"></a><a href="{= y =}/s?{= x | query =}"></a><b title="{= x | query =}">'
    )
    page = engine.compile(source).render(x={"a": '"&', "b": [1, 2]}, y="https://a.example")
    links = LexborHTMLParser(page).css("a, b")
    assert [node.attributes.get("href") or node.attributes.get("title") for node in links] == [
        "/s?a=%22%26&b=1&b=2&p=1#q",
        "https://a.example/s?a=%22%26&b=1&b=2",
        "a=%22%26&b=1&b=2",
    ]
    for wrong in ("a", 5, [1], [(1, 2, 3)]):
        with pytest.raises(RenderError, match=r"An? \w+ as a query cannot be printed"):
            engine.compile(source).render(x=wrong, y="b")
    assert engine.compile('<a href="/s?{= x? | query =}{= y | query =}">').render(y=None) == '<a href="/s?">'


def test_pictures_and_tables() -> None:
    """Figures, images and data frames become elements with a text for those who do not see them."""
    pyplot = pytest.importorskip("matplotlib.figure", reason="pip install matplotlib")
    pandas = pytest.importorskip("pandas", reason="pip install pandas")
    figure = pyplot.Figure()
    figure.subplots().plot([1, 3, 2])
    page = engine.compile(
        "<p>{= f | picture(alt='The \"tide\"', width=300) =}{= f | picture(alt='', format='png') =}</p>"
    ).render(f=figure)
    images = LexborHTMLParser(page).css("p > img")
    assert [(image.attributes["alt"], image.attributes.get("width")) for image in images] == [
        ('The "tide"', "300"),
        ("", None),
    ]
    assert [(image.attributes["src"] or "")[:25] for image in images] == [
        "data:image/svg+xml;base64,"[:25],
        "data:image/png;base64,iVB",
    ]
    frame = pandas.DataFrame({"name": ["<Gull>", None], "tons": [1234.5, None]})
    table = engine.compile("{= f | table(caption='Calls & more') =}").render(f=frame)
    tree = LexborHTMLParser(table)
    assert [node.text() for node in tree.css("caption, th, td")] == [
        "Calls & more", "name", "tons", "<Gull>", "1,234.5", "", "",
    ]  # fmt: skip
    assert [node.attributes.get("class") for node in tree.css("th")] == [None, "number"]
    assert len(tree.css("tbody tr")) == 2


def test_signatures_are_found_out_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Templates that use a filter often, and other templates that use it, find out once what arguments it has."""
    asked: list[object] = []
    signature = inspect.signature

    def counted(function: Any) -> inspect.Signature:
        asked.append(function)
        return signature(function)

    monkeypatch.setattr(inspect, "signature", counted)
    own = Engine(filters={"mark": lambda value, sign="!": f"{value}{sign}"})
    own.compile("{= x | mark =}{= x | mark('?') =}{= x | clip(3) =}{= x | clip(n=2) =}")
    asked.clear()
    own.compile("{= x | mark(sign='?') =}{= x | clip(3) =}")
    assert asked == []
    with pytest.raises(MarkError, match='has no argument "signs"'):
        own.compile("{= x | mark(signs='?') =}")


@pytest.mark.parametrize(("expression", "value", "message"), [
    ("x | picture", b"GIF89a", r"requires the argument \"alt\"[^|]*\| x \| picture.*\n.*\n  Write picture\(alt=.*It takes value \| picture\(alt=…, format='svg', width=None\)"),
    ("x | picture(alt=3)", b"GIF89a", "the alternative text must be text"),
    ("x | picture(alt='')", b"<svg>", "these bytes are not a PNG"),
    ("x | picture(alt='')", "a.png", "it works on figures and the bytes of images, not on a str"),
    ("x | picture(alt='', width=0)", b"GIF89a", "the width must be an integer, in pixels"),
    ("x | picture(alt='', format='pdf')", b"GIF89a", 'the format must be "svg" or "png"'),
    ("x | table(caption='')", [1], "it works on data frames and lists of mappings or of other objects with fields, not on an int"),
    ("x | table(caption=1)", [], "the caption must be text"),
])  # fmt: skip
def test_pictures_and_tables_of_nothing(expression: str, value: object, message: str) -> None:
    """What is no picture and no table is said to be none."""
    with pytest.raises((RenderError, MarkError), match=message):
        evaluate(engine.compiler, expression, {"x": value})


def test_images_by_their_signature() -> None:
    """The bytes of an image are a picture of their kind, whatever they were called."""
    kinds = {
        b"\x89PNG\r\n\x1a\n": "png", b"\xff\xd8\xff": "jpeg", b"GIF87a": "gif", b"RIFF1234WEBPVP8 ": "webp",
        b"1234ftypavif": "avif", b"BM": "bmp",
    }  # fmt: skip
    for octets, kind in kinds.items():
        assert str(evaluate(engine.compiler, "x | picture(alt='')", {"x": octets})).startswith(
            f'<img src="data:image/{kind};base64,'
        )
    assert evaluate(engine.compiler, "x | table(caption='a')", {"x": [{"b": 1}, {"c": None}]}) == TrustedHTML(
        '<table>\n<caption>a</caption>\n<thead><tr><th scope="col" class="number">b</th><th scope="col">c</th></tr></thead>\n'
        '<tbody>\n<tr><td class="number">1</td><td></td></tr>\n<tr><td></td><td></td></tr>\n</tbody>\n</table>',
        reason="x",
    )


def test_missing_values_and_data_stay_as_they_are() -> None:
    """What is missing goes through every filter and prints as nothing; lists are the same after all of them."""
    for name in sorted(NAMES - {"json"}):
        assert engine.compile(f"{{= x? | {name}{ARGUMENTS.get(name, '')} =}}").render() == ""
    calls = copy.deepcopy(CALLS)
    for name in (
        "sorted('tons')", "reversed", "unique('tons')", "group('tons')", "batched(1)", "where('tons')", "first(1)",
        "max('tons')",
    ):  # fmt: skip
        evaluate(engine.compiler, f"x | {name}", {"x": calls})
        assert calls == CALLS


def test_missing_keys_are_said(caplog: pytest.LogCaptureFixture) -> None:
    """What has no key to be sorted by comes last, and is reported."""
    evaluate(engine.compiler, "x | sorted('tons')", {"x": CALLS})
    assert [(record.name, record.getMessage()) for record in caplog.records] == [
        ("untor.data", "expression, line 1, column 5: 1 of 4 items have no 'tons'")
    ]


# --- laws --------------------------------------------------------------------------------------------------------------

KEYED = st.lists(st.fixed_dictionaries({"n": st.integers()}, optional={"k": st.none() | st.integers(0, 3)}))


@given(KEYED, st.booleans())
def test_sorted_is_stable_and_complete(items: list[dict[str, Any]], reverse: bool) -> None:  # noqa: FBT001
    """Sorting keeps every item, in order of the key, those without one last, equal ones as they were."""
    found: Any = evaluate(engine.compiler, "x | sorted('k?', reverse=r)", {"x": items, "r": reverse})
    present = [item for item in items if item.get("k") is not None]
    absent = [item for item in items if item.get("k") is None]
    assert found == sorted(present, key=lambda item: item["k"], reverse=reverse) + absent


@given(st.lists(st.integers()), st.integers(1, 9))
def test_batch_joins_back(items: list[int], n: int) -> None:
    """Batches have all items in order, and all but the last are full."""
    found: Any = evaluate(engine.compiler, "x | batched(n)", {"x": items, "n": n})
    assert [item for part in found for item in part] == items
    assert all(len(part) == n for part in found[:-1])


@given(st.text(st.sampled_from("ab \n,e\u0301🇫👩\u200d👧🏽\u1100\u1161\u11a8")), st.integers(1, 12))
def test_clip_is_never_longer(text: str, n: int) -> None:
    """A clipped text is the text, or a part of its beginning with an ellipsis that cuts no character in two."""
    found = clip(text, n)
    if found != text:
        kept = found.removesuffix("…")
        assert text.startswith(kept)
        rest = text[len(kept) :]
        assert not kept or rest[:1] not in {"\u0301", "\u200d", "🏽"}
        assert not (kept.endswith("\u1100") and rest.startswith("\u1161"))
        assert not (kept.endswith("👩\u200d") and rest[:1] in {"👩", "👧"})
        assert clip(found, n) == found


@given(
    st.dictionaries(
        st.text(st.characters(exclude_categories=["Cs"]), min_size=1),
        st.text(st.characters(exclude_categories=["Cs"])) | st.lists(st.integers(), min_size=1),
    )
)
def test_query_parses_back(values: dict[str, Any]) -> None:
    """A query is read back as the names and values that it was made from."""
    found = str(evaluate(engine.compiler, "x | query", {"x": values}))
    expected = [
        (name, str(each)) for name, value in values.items() for each in (value if isinstance(value, list) else [value])
    ]
    assert parse_qsl(found, keep_blank_values=True) == expected


# --- one's own ---------------------------------------------------------------------------------------------------------


def test_own_filters(tmp_path: Path) -> None:
    """A filter or helper is registered under a name that templates can write and that no built-in one has."""
    own = Engine(tmp_path, locale="de")

    @own.filter
    def knots(value: float, *, unit: str = "kn", locale: str) -> str:
        return f"{value} {unit} ({locale})"

    @own.helper
    def tide(hour: int) -> str:
        return f"{hour}:00"

    assert (
        own.compile("{= 5 | knots =} {= 5 | knots(unit='k', locale='en') =} {= tide(3) =}").render()
        == "5 kn (de) 5 k (en) 3:00"
    )
    with pytest.raises(MarkError, match=r"It takes value \| knots"):
        own.compile("{= 5 | knots(3) =}")
    with pytest.raises(MarkError, match='has no argument "units"'):
        own.compile("{= 5 | knots(units=3) =}")

    def upper(value: object) -> object:
        return value

    def _private(value: object) -> object:
        return value

    for wrong, message in (
        (upper, 'there is a built-in filter "upper"'),
        (_private, "'_private' cannot be the name of a filter"),
    ):
        with pytest.raises(ValueError, match=message):
            own.filter(wrong)
    with pytest.raises(ValueError, match="'not' cannot be the name of a helper"):
        Engine(helpers={"not": tide})
    with pytest.raises(ValueError, match="built-in filter"):
        Engine(filters={"json": upper})
    (tmp_path / "page.html").write_text("{= x | number =}", "utf-8")
    assert pickle.loads(pickle.dumps(Engine(tmp_path, locale="de", timezone="UTC"))).render("page", x=1234) == "1.234"


@pytest.mark.parametrize(("function", "call", "said"), [
    (str, "f", "7"),  # Python knows no signature of it, nor of the two below it
    (max, "f(9)", "9"),
    (int, "f(16)", "!int() can't convert non-string"),
    (lambda *values: values[-1], "f(8)", "8"),
    (lambda *values: values[-1], "f(8, unit=3)", '!The filter "f" has no argument "unit".'),
    (lambda value, /: value, "f(8)", '!The filter "f" takes no arguments.'),
    (object, "f", '!The filter "f" takes no value.'),
    (lambda: 1, "f", '!The filter "f" takes no value.'),
    (lambda *, unit=1: unit, "f", '!The filter "f" takes no value.'),
    (lambda **units: units, "f", '!The filter "f" takes no value.'),
])  # fmt: skip
def test_own_filters_of_any_shape(function: Any, call: str, said: str) -> None:
    """A filter may be any callable; one that cannot take a value is reported when a template uses it."""
    own = Engine(filters={"f": function})
    if not said.startswith("!"):
        assert own.compile(f"{{= x | {call} =}}").render(x=7) == said
        return
    with pytest.raises(UntorError) as error:
        own.compile(f"{{= x | {call} =}}").render(x=7)
    assert said[1:] in str(error.value)


def test_a_filter_never_gains_trust() -> None:
    """Whatever filters a trusted value goes through, what comes out is plain text again."""
    value = TrustedHTML("<b>a</b>", reason="ours")
    for name in ("upper", "strip", "capital", "title", "lines", "replace('a', 'b')", "clip(20)", "slug"):
        assert "<b>" not in engine.compile(f"{{= x | {name} =}}").render(x=value).lower(), name


def test_zones_of_values() -> None:
    """A datetime of another zone is told in the engine's, or as it is where the engine has none."""
    there = datetime(2031, 5, 17, 12, tzinfo=timezone(timedelta(hours=9)))
    assert evaluate(engine.compiler, "x | time('HH:mm')", {"x": there}) == "04:00"
    assert evaluate(Engine().compiler, "x | time('HH:mm')", {"x": there}) == "12:00"


class Lookalike:
    """An object with attributes, items and methods, like a row of a database or a series."""

    size = 2
    none = None

    def __getitem__(self, name: str) -> object:
        return {"size": 7, "k": 1}[name]

    def keys(self) -> list[str]:
        return ["size", "k"]

    def method(self) -> str:
        return "called"

    @property
    def broken(self) -> object:
        raise AttributeError("broken")


READ = [
    Lookalike(), {"size": 7, "get": 1}, UserDict(size=3), "text", 5, [1], None, iter(()), len, sys, Lookalike,
    complex(1, 2),
]  # fmt: skip


@pytest.mark.parametrize("name", ["size", "k", "get", "method", "none", "broken", "upper", "real", "append", "gone"])
@pytest.mark.parametrize("value", READ, ids=lambda value: type(value).__name__)
def test_filters_read_as_dots_do(value: object, name: str) -> None:
    """A key of a filter is what the dot reads, for every type; where the dot fails, so does the filter."""
    outcomes = []
    for expression in (f"[x.{name}?]", f"[([x] | group('{name}?'))[0][0]]"):
        try:
            outcomes.append(repr(evaluate(engine.compiler, expression, {"x": value})))
        except RenderError as error:
            outcomes.append(error.message.rpartition(": ")[2])
    assert outcomes[0].replace(repr(MISSING), "None") == outcomes[1]


LOCALES = sorted(set(locale_identifiers()))[::20]
NUMBERS = (
    st.integers(-(10**20), 10**20)
    | st.floats(allow_nan=False, allow_infinity=False, width=32)
    | st.decimals(-(10**9), 10**9, places=3)
)
PATTERNS = (*("short medium long full".split()), "d MMMM y", "EEEE d. MMM yy", "LLLLL Q e", "'%(d)s' '%' y", "w", "H z")


@pytest.mark.parametrize("name", LOCALES)
@given(NUMBERS, st.datetimes(datetime(1, 1, 2), datetime(9999, 12, 30)))
@settings(max_examples=6)
def test_formats_are_those_of_babel(name: str, number: Any, moment: datetime) -> None:
    """What is worked out once for a pattern is what Babel makes of it each time."""
    where = Locale.parse(name)
    with localcontext(prec=400):
        assert decimal_format(name, None)(number) == format_decimal(number, locale=where)
        assert percent_format(name, 0)(number) == format_percent(number, locale=where)
        assert money_format(name, "EUR")(number) == format_currency(number, "EUR", locale=where)
    for pattern in PATTERNS:
        ways: tuple[tuple[Any, Any, object], ...] = (
            (date_format, format_date, moment.date()),
            (time_format, format_time, moment.time()),
            (datetime_format, format_datetime, moment),
        )
        for format_of, written, value in ways:
            try:
                expected: object = written(value, pattern, locale=where)
            except (AttributeError, TypeError):
                continue
            own = format_of(name, pattern)
            assert own is None or own(value) == expected
            assert own is not None or pattern in {"w", "H z", "long", "full"}


class Loud(int):
    """A number that prints itself as something else."""

    def __str__(self) -> str:
        return "<script>"

    __repr__ = __str__


@pytest.mark.parametrize("name", ["number", "percent", "money('EUR')"])
def test_numbers_are_what_they_are(name: str) -> None:
    """What a subclass of a number prints itself as does not count, and what has too many digits is an error."""
    page = engine.compile(f"{{= x | {name} =}}").render
    assert page(x=Loud(5)) == page(x=5)
    for number in (10**5000, Decimal("1E+500000")):
        with pytest.raises(RenderError, match="the number is too large"):
            page(x=number)
