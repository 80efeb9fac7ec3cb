"""The state machines one by one, started in any state: URLs, formatting elements, and where branches meet."""

from __future__ import annotations

import itertools
import pickle
from typing import TYPE_CHECKING

import pytest
from hypothesis import given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from untor import Engine, PlacementError
from untor.contexts import html_shortcuts
from untor.contexts.client_libraries import _MOST_KNOWN, Tables
from untor.contexts.html_active_formatting import Inline, closed, misnested, opened
from untor.contexts.html_attributes import meaning
from untor.contexts.html_classify import describe, place_of
from untor.contexts.html_joining import joined
from untor.contexts.html_state import VALUE_STATES, HtmlState
from untor.contexts.html_tokenizer import STATES
from untor.contexts.placement import Place, Unreadable
from untor.contexts.stacks import NameSet, Stack
from untor.contexts.url_states import UrlState
from untor.contexts.ways import Way, set_ways, ways_of
from untor.escape.url import SCHEMES

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

URLS = [
    ("", "scheme start"), (" \t\x01", "scheme start"), ("htt", "scheme"), ("a-b", "scheme"), ("https:", "special authority slashes"),
    ("HTTP:/", "special authority second slash"), ("https:\\\\", "special authority ignore slashes"), ("https://h", "authority"),
    ("https://u:p@h:1", "authority"), ("https:h", "special without slashes"), ("https:h/", "path"), ("https://h?", "query"),
    ("a?#", "fragment"), ("/a?#", "fragment"), ("https://h?#", "fragment"), ("mailto:a?#", "fragment"), ("?#", "fragment"),
    ("https://h#", "fragment"), ("/", "relative slash"), ("\\", "relative slash"), ("//", "special authority ignore slashes"),
    ("/\t/", "special authority ignore slashes"), ("///h", "authority"), ("/a", "path"), ("/a/b?c", "query"), ("/?", "query"), ("?", "query"),
    ("?a#", "fragment"), ("#?", "fragment"), ("a/b:c", "path"), ("1:b", "path"), (".", "path"), ("a?b:c", "query"), ("a b", "path"),
    ("javascript:", "blocked scheme"), ("java\nscript:x/?", "blocked scheme"), (" JavaScript:", "blocked scheme"), ("é:", "path"),
    ("mailto:", "path or authority"), ("mailto:/a", "special without slashes"), ("mailto://", "special authority ignore slashes"), ("mailto:a@b", "opaque path"), ("mailto:a?s=", "query"), ("tel:1#", "fragment"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "state"), URLS)
def test_url_state(text: str, state: str) -> None:
    """Fixed text leads where the URL parser goes, read at once or a character at a time."""
    assert UrlState().read(text, SCHEMES).state == state
    one_by_one = UrlState()
    for char in text:
        one_by_one = one_by_one.read(char, SCHEMES)
    assert one_by_one.state == state


@given(st.text("htps:/\\?#.a%2\t ", max_size=12), st.integers(0, 12))
def test_urls_can_come_in_pieces(text: str, cut: int) -> None:
    """Reading a URL in two pieces comes to the same as reading it at once."""
    whole = UrlState().read(text, SCHEMES)
    assert UrlState().read(text[:cut], SCHEMES).read(text[cut:], SCHEMES) == whole


@pytest.mark.parametrize(("first", "second", "state"), [
    ("scheme start", "unknown", "unknown"), ("path", "query", "path"), ("scheme", "path", "path"), ("relative slash", "path", "path"),
    ("unknown", "fragment", "path"), ("authority", "path", None), ("scheme start", "path", None), ("opaque path", "query", None),
    ("blocked scheme", "path", None), ("special authority slashes", "relative slash", None),
])  # fmt: skip
def test_urls_join(first: str, second: str, state: str | None) -> None:
    """Branches of a URL meet only where a value after them is escaped in one way, in either order."""
    for one, other in [(first, second), (second, first)]:
        found = UrlState(one).joined(UrlState(other))
        assert (found.state if found else None) == state
    assert UrlState(first, percent="%").joined(UrlState(second)) is None


FORMATTING = [
    ("<b> </b>", False), ("<b> <i> </i> </b>", False), ("<b> <i> </b>", True), ("<b> </p>", True), ("<b> <p> </p> </b>", False),
    ("<b> <p> </b>", True), ("<a> <a>", False), ("<a> <i> <a>", True), ("<td> <b> </td>", False), ("<b> <td> </td>", False),
    ("<td> <b> <td>", False), ("<td> <table> <td> <b> </table>", False), ("<table> <b> </table>", True), ("<ul> <li> <b> <li>", True),
    ("<b> <ul> <li> <li> </ul> </b>", False), ("<template> <b> </template>", False), ("</b>", False), ("<b> <br> </b>", False),
    ("<b> <span> </span> </b>", False), ("<b> <span> </b>", True), ("<b> </i> </b>", False), ("<dl> <b> <dt>", True),
]  # fmt: skip


@pytest.mark.parametrize(("tags", "lost"), FORMATTING)
def test_formatting(tags: str, lost: bool) -> None:  # noqa: FBT001  a table's column
    """A formatting element that another's tag closes is lost, unless a cell or template shuts it off."""
    inline = Inline()
    for tag in tags.split():
        name = tag.strip("</>")
        inline = closed(inline, name) if tag.startswith("</") else opened(inline, name, in_p=False)
    assert misnested(inline) == lost


def test_what_follows_a_conditional_comment() -> None:
    """The comment ends where a browser ends it, wherever its text is cut."""
    page = "<!--[if mso]><p>a</p><![endif]--><p title='"
    for cut in range(len(page)):
        machine = HtmlState()
        machine.read(page[:cut])
        machine.read(page[cut:])
        assert machine.state == "attribute value (single-quoted)", page[:cut]


def test_two_values_in_an_address() -> None:
    """After a value in an opaque path another may follow, and what is percent-encoded by hand."""
    state = UrlState().read("mailto:", SCHEMES).took_value()
    assert (state.state, state.percent) == ("opaque path", "")
    assert state.took_value() == state
    assert state.read("%2", SCHEMES).percent == "%2"


def test_meanings() -> None:
    """What an attribute means, besides what the cases show."""
    kinds = {name: meaning("input", name) for name in ("checked", "aria-busy", "value", "formaction")}
    assert {name: getattr(found, "kind", "") for name, found in kinds.items()} == {
        "checked": "boolean", "aria-busy": "state", "value": "plain", "formaction": "url",
    }  # fmt: skip


def machine_after(text: str) -> HtmlState:
    machine = HtmlState()
    machine.read(text)
    return machine


@pytest.mark.parametrize(("first", "second", "state"), [
    ("<p", "<p ", "between attributes"), ("<p a", "<p b", "between attributes"), ("<p a='1'", "<p", "between attributes"),
    ("<p a=1", "<p", "between attributes (unquoted)"), ("<p a='", "<p a='x", "attribute value (single-quoted)"),
    ("<p>", "<div><b>", "data"), ("<p", "<div", None), ("<p a='", '<p a="', None), ("<p a='", "<p b='", None), ("<title>", "<p>", None),
    ("<p a=", "<p a", None), ("<table>", "<p>", "data"), ("<table>", "<svg>", None), ("<!-- ", "<p>", None), ("<svg>", "<svg><g>", None), ("<p a", "</p a", None),
])  # fmt: skip
def test_machines_join(first: str, second: str, state: str | None) -> None:
    """Branches meet where what follows is read in one way, in either order; each place has words."""
    for one, other in [(first, second), (second, first)]:
        machine = joined(machine_after(one), machine_after(other))
        assert (machine.state if machine else None) == state
        assert describe(machine_after(one))


def test_any_state_gives_a_verdict() -> None:
    """A machine can be started in any state; only text, RCDATA and attribute values take a value without more."""
    taking = {state for state in STATES if isinstance(place_of(HtmlState(state)), Place)}
    quoted = {"attribute value (double-quoted)", "attribute value (single-quoted)"}
    assert taking == {"data", "RCDATA", "before attribute value", *quoted}


def test_attributes_are_those_of_a_parser() -> None:
    """Whatever stands in a tag, its attributes are those of a conforming parser, or both are inside a value."""
    for chars in texts("/=a '\"", 5):
        machine = HtmlState()
        machine.read(f"<p {chars}")
        node = LexborHTMLParser(f"<p {chars}>").css_first("p")
        own = {*machine.attributes, machine.attribute} - {""}
        assert (None if machine.state in VALUE_STATES else own) == (node and set(node.attributes)), chars


STARTS = ["", "<p ", *"{ <pre> <b> <table> <table><colgroup> <table><td> <svg> <select> <noscript>".split()]


@pytest.mark.parametrize("start", STARTS)
@pytest.mark.parametrize("printed", [False, True])
def test_shortcuts_come_to_the_same(start: str, printed: bool, monkeypatch: pytest.MonkeyPatch) -> None:  # noqa: FBT001
    """What is read by shortcuts is read as state by state, and refused for the same."""
    tokens = ["<div", "<a", "<link", "</div", "<p>", "</b>", "<tr>", ' rel="icon"', ' style="', '"', ">", " ", "x"]
    pages = [*texts(tokens, 3), *map("".join, itertools.product(["<p", "<link", "<td"], tokens, tokens, tokens))]
    quick = [everything_after(start, printed, page) for page in pages]
    monkeypatch.setattr(html_shortcuts, "READING", STATES)
    monkeypatch.setattr(html_shortcuts, "plain_markup", lambda _machine, _text, position: position)
    for page, found in zip(pages, quick, strict=True):
        assert found == everything_after(start, printed, page), page


def everything_after(start: str, printed: bool, text: str) -> object:  # noqa: FBT001
    """Return all that is known after text, or the code of the problem that it has."""
    machine = machine_after(start)
    if printed:
        machine.took_value()
    try:
        machine.read(text)
    except Unreadable as found:
        return found.code
    return vars(machine)


@pytest.mark.parametrize(("start", "tokens", "most"), [
    ("<script>", ["<", "/", "!", "-", "script", ">", " "], 4), ("<script><!--", ["<", "/", "-", "script", ">", " "], 4),
    ("<title>", ["<", "/", "title", ">", " ", "a"], 4), ("<style>", ["<", "/", "style", ">", "!", "-"], 4),
    ("<textarea>", ["</", "textarea", ">", "/", "x"], 4), ("<svg><![CDATA[", ["]", ">", "<", "]]"], 5),
    ("<!", ["-", ">", "!", "<", "a"], 5), ("<!--", ["-", ">", "!", "<", "--"], 5), ("<?", ["?", ">", "a"], 5),
    ("", ["</", ">", "<", "x", "?", "!"], 4), ("<p a", ["=", ">", "/", " ", "'"], 4), ("<p a=", ["'", '"', ">", "x", " "], 4),
    ("<!doctype", [" ", ">", "'", "html", "a"], 4),
])  # fmt: skip
def test_ends_are_those_of_a_parser(start: str, tokens: list[str], most: int) -> None:
    """Whatever follows the start of raw text or of a comment, a tag is one exactly where a conforming parser reads it."""
    for chars in texts(tokens, most):
        machine = HtmlState()
        machine.read(f"{start}{chars}<b>")
        is_read = LexborHTMLParser(f"{start}{chars}<b>").css_first("b") is not None
        assert machine.formatting.here.entries.ends_with("b") == is_read, chars


def texts(tokens: Sequence[str], most: int) -> Iterator[str]:
    """Yield all texts of at most so many tokens."""
    for length in range(most + 1):
        yield from map("".join, itertools.product(tokens, repeat=length))


ITEMS = st.lists(st.sampled_from(["a", "b", "c"]), max_size=6)


@given(ITEMS, ITEMS, st.integers(0, 6))
def test_stacks_are_like_tuples(first: list[str], second: list[str], less: int) -> None:
    """A stack is what a tuple is, from the top down, whichever of its items are kept in mind."""
    for tracked in (None, frozenset("ab")):
        one, two = (Stack(tracked) + tuple(items) for items in (first, second))
        assert (one == two, len(one), bool(one)) == (first == second, len(first), bool(first))
        assert first != second or hash(one) == hash(two)
        assert [*one] == first[::-1]
        assert [item in one for item in "abcd"] == [item in first for item in "abcd"]
        less = min(less, len(first))
        assert not less or one[:-less] == Stack(tracked) + tuple(first[:-less])
        assert one.ends_with("a") == (first[-1:] == ["a"])
        assert not first or one[-1] == first[-1]


class Alike:
    """A thing that has the hash of all others of its kind."""

    def __hash__(self) -> int:
        return 1

    def __eq__(self, other: object) -> bool:
        return self is other


def test_stacks_that_only_seem_to_be_alike() -> None:
    """Stacks are compared by their items, and counted from the top only."""
    assert Stack[Alike]().push(Alike()) != Stack[Alike]().push(Alike())
    assert Stack[str]().push("a") != ("a",)
    assert repr(Stack[str]().push("a").push("b")) == "<'a' 'b'>"
    for wrong in (-1, 0, slice(None, 1)):
        with pytest.raises(IndexError):
            Stack[str]()[wrong]


CONDITIONS = st.frozensets(st.tuples(st.sampled_from("abc"), st.booleans()), max_size=3)
STACKS = [Stack[str](), Stack[str]().push("table")]
OPEN = [Inline(), opened(Inline(), "b", in_p=False), opened(Inline(), "i", in_p=False)]


@given(st.lists(st.builds(Way, CONDITIONS, st.sampled_from(OPEN), st.sampled_from(STACKS)), min_size=1, max_size=6))
def test_ways_that_are_put_together(ways: list[Way]) -> None:
    """Whatever is true: the same may be open after ways were put together, if something may be open at all."""
    machine = HtmlState()
    set_ways(machine, ways)
    for truths in itertools.product([False, True], repeat=3):
        holding = frozenset(zip("abc", truths, strict=True))
        before = {way[1:] for way in ways if way.conditions <= holding}
        after = {way[1:] for way in ways_of(machine) if way.conditions <= holding}
        assert before == after or not before


STEPS = [
    ("<p><! if a !><b><! end !>{= x =}<! if a !></b><! end !></p>{= x =}", True),
    ("<p><! if a !><b><i><! end !>{= x =}<! if a !></i></b><! end !></p>{= x =}", True),
    ("<p><! if a !><b><! else !><i><! end !>{= x =}<! if a !></b><! else !></i><! end !></p>{= x =}", True),
    ("<p><! if a !><b><! elif c !><i><! end !>{= x =}<! if a !></b><! elif c !></i><! end !></p>{= x =}", True),
    ("<p><! if a !><b><! end !>{= x =}<! if not a !><! else !></b><! end !></p>{= x =}", False),
    ("<p><! if a !><b><! end !>{= x =}<! if c !></b><! end !></p>{= x =}", False),
    ("<p><! if a !><b><! end !></p>{= x =}", False),
    ("<p><! if a !><b><! end !>{= x =}<! if a !></b><! end !><! if c !><i><! end !></p>{= x =}", False),
    ("<! let c = a !><p><! if c !><b><! end !><! let c = d !><! if c !></b><! end !></p>{= x =}", False),
    ("<p><! for a in xs !><! if a !><b><! end !><! end !><! for a in xs !><! if a !></b><! end !><! end !></p>{= x =}", False),
    ("<! for y in xs !><p><! if y.a !><b><! end !>{= x =}<! if y.a !></b><! end !></p>{= x =}<! end !>", True),
    ("<! for y in xs !><! if y.a !></b><! end !><p><! if y.a !><b><! end !></p><! end !>{= x =}", False),
    ("<p><! if f(1) !><b><! end !>{= x =}<! if f(1) !></b><! end !></p>{= x =}", False),
    ("<! part p(a) !><! if a !><b><! end !><! end !><p><! include p a=a !>{= x =}<! if a !></b><! end !></p>{= x =}", False),
    ("<p><! if a !><b><! end !><! if c !>{= x =}<! end !><! if a !></b><! end !></p>{= x =}", True),
]  # fmt: skip


@pytest.mark.parametrize(("source", "fits"), STEPS)
def test_formatting_that_steps_open_and_close(source: str, fits: bool) -> None:  # noqa: FBT001
    """What a step opens is closed by one under the same condition; else text after it could be in it, or not."""
    try:
        Engine().compile(source)
    except PlacementError:
        assert not fits
    else:
        assert fits


@given(ITEMS, ITEMS, ITEMS)
def test_sets_of_names_are_like_sets(first: list[str], second: list[str], third: list[str]) -> None:
    """A set of names is what a set is, also where two went their own ways from a third."""
    start = NameSet(first)
    one, two = start | second, start | third
    for own, names in ((start, {*first}), (one, {*first, *second}), (two, {*first, *third})):
        assert ({*own}, len(own)) == (names, len(names))
        assert [name in own for name in "abcd"] == [name in names for name in "abcd"]
        assert frozenset("ab") - own == frozenset("ab") - names
    assert (one == two) == ({*first, *second} == {*first, *third})
    assert one != two or hash(one) == hash(two)


TYPES = [
    ("text", "a {= x =}", "data-block"), ("html", "<p>{= x =}</p>", "html-attribute"), ("json", "[{= x =}]", "json-value"),
    ("script", "f({= x =})", "script-value"),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "content", "expected"), TYPES)
def test_types_of_scripts(kind: str, content: str, expected: str) -> None:
    """``script_types`` says what script elements of a type hold; without it, nothing may be printed in them."""
    source = f'<script type="text/x-sea">{content}</script>'
    own = pickle.loads(pickle.dumps(Engine(script_types={"Text/X-Sea": kind})))
    assert own.compile(source).placements[0].context == expected
    with pytest.raises(PlacementError, match="text/x-sea"):
        Engine().compile(source)


def test_names_of_attributes_are_kept_up_to_a_limit() -> None:
    """What attributes mean is kept for as many names as a site has, and not for all that templates could have."""
    tables = Tables()
    names = [f"tide-{number}" for number in range(_MOST_KNOWN + 2)]
    assert {tables.attribute(name) for name in names * 2} == {"text"}
    assert len(tables._known) <= _MOST_KNOWN
