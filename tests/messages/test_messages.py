"""Messages in several languages: a translation decides words and their order, and nothing else."""

from __future__ import annotations

import asyncio
import gc
import gettext
import io
import json
import logging
import pickle
import re
import subprocess
import sys
import threading
import tracemalloc
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import pytest
from babel import localedata
from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.plurals import PLURALS
from babel.messages.pofile import read_po, write_po
from hypothesis import event, given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser
from support import Case, cases, untor
from values import outcome

from untor import Engine, MarkError, PlacementError, RenderError, UntorError
from untor.compiler.origin import Origin
from untor.contexts.html_elements import INLINE_VOID, MESSAGE_ELEMENTS
from untor.demo import views
from untor.demo.harbour import Harbour, make_database
from untor.escape.accelerated import IS_BUILT
from untor.messages.catalogue import Catalogue, Translation
from untor.messages.translator import Translator
from untor.probe.payloads import HOSTILE
from untor.probe.prober import probe

if TYPE_CHECKING:
    from pathlib import Path

    from selectolax.lexbor import LexborNode

HEAD = 'msgid ""\nmsgstr "Content-Type: text/plain; charset=utf-8\\nPlural-Forms: nplurals=2; plural=(n != 1);\\n"\n\n'
DATA = {"who": "<b>", "count": 2, "ship": {"id": 3, "name": "R&D", "who": "W"}}


def site(folder: Path, template: str, po: str, code: str = "de", **options: object) -> Engine:
    """Return an engine with a template and a catalogue."""
    (folder / "templates").mkdir(exist_ok=True)
    (folder / "locales").mkdir(exist_ok=True)
    (folder / "templates/page.html").write_text(template, "utf-8")
    (folder / f"locales/{code}.po").write_text(HEAD + po, "utf-8")
    return Engine(folder / "templates", messages=folder / "locales", **options)  # type: ignore[arg-type]


@pytest.mark.parametrize("case", cases("translations.txt"), ids=lambda case: case.title)
def test_translation(case: Case, tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    """A translation is printed, or the message and what keeps it from that; in all ways to render."""
    engine = site(tmp_path, case.parts["template"], case.parts["po"])
    german = engine.in_locale("de-AT").template("page")
    page = case.parts["page"]
    assert german.render(DATA) == "".join(german.stream(DATA)) == asyncio.run(german.render_async(DATA)) == page
    code, _, line = case.parts.get("finding", "").partition(" ")
    found = [(each.code, each.line) for each in engine.check() if each.path.endswith("de.po")]
    assert found == ([(code, int(line) + HEAD.count("\n"))] if code else [])
    is_refused = code.startswith("message-") and code not in {"message-fuzzy", "message-unused"}
    assert len(caplog.records) == is_refused
    if not code:
        assert engine.render("page", DATA) != page
        assert [each.code for each in engine.check()] in ([], ["message-unused"])


# --- any text as a translation ---------------------------------------------------------------------------------------


class AnyText(Translator):
    """Translates every message into the same strings."""

    def __init__(self, strings: list[str], code: str) -> None:
        super().__init__(code, "en", {}, reports=False)
        catalogue = Catalogue("de", [])
        catalogue.count, catalogue._form = len(strings), lambda number: number % len(strings)
        self.catalogues, self.strings = {"de": catalogue}, strings

    def translation(self, about: str, text: str) -> Translation:
        strings = self.strings if text.startswith("One") else self.strings[:1]
        return Translation(self.catalogues["de"], (about, text), tuple(strings), "de.po")


MARKUP = '<! say !>Moored {= who =} at <b>{= code =}</b>, <a href="/x/{= code =}">see</a><br>.<! end !>'
PLURAL = "<! say n = count !>One <b>call</b> of {= who =}<! else !>{= n =} <b>calls</b> of {= who =}<! end !>"
TEXT = "<! say !>Hello {= who =}<! end !>"
FORMS = "<! say n = count !>One {= who =}<! else !>{= n =} of {= who =}<! end !>"
CALL, PLAIN = '{= say("Hello {who}", who=who) =}', '{= say("Hello") =}'
PLACES = [
    f"<p>{MARKUP}</p>", f"<p>{PLURAL}</p>", f"<table><tr><td>{MARKUP}<td>{TEXT}</table>", f"<ul><li>{PLURAL}<li>{MARKUP}</ul>",
    f"<h1 title='{TEXT}'>{PLAIN}</h1>", f'<img alt="{TEXT}">', f'<input placeholder="{FORMS}">', f"<title>{TEXT}</title><body>x", f"<title>{FORMS}</title><body>x",
    f"<textarea>{TEXT}</textarea>", f"<textarea>\n{PLAIN}</textarea>", f"<pre>{TEXT}</pre>", f"<pre>\n{MARKUP}</pre>", f'<button aria-label="{TEXT}">{CALL}</button>',
    f'<script>var a = "{TEXT}", b = 1</script>', f"<script>f('{FORMS}', {CALL}, {PLAIN})</script>", f"""<p onclick="f('{TEXT}', {PLAIN})">x</p>""",
    f'<script type="application/ld+json">{{"a": "{TEXT}", "b": {CALL}}}</script>', f"<svg><text>{TEXT}</text><title>{PLAIN}</title></svg>", f"<svg><desc>{FORMS}</desc></svg>",
    f'<select><option>{TEXT}<option value="{TEXT}">{PLAIN}</select>', f"<p title={CALL} class='{PLAIN}' id={PLAIN}>x</p>", f'<a href="/x?q={CALL}" title="{PLAIN}">{PLURAL}</a>',
    f'<a href="{PLAIN}">x</a>', f"<style>p::before {{ content: '{PLAIN}' }}</style>", f'<p style="font-family: {PLAIN}">x</p>', f"<p>{PLAIN}{CALL}{TEXT}{MARKUP}</p>",
    f"<! for who in ['a', '<b>'] !><p>{TEXT}</p><! between !><hr><! end !>", f"<! if count > 1 !><p>{MARKUP}</p><! else !><p>{PLURAL}</p><! end !>", f"<math><mtext>{TEXT}</mtext></math>",
    f'<iframe srcdoc="<p>{CALL}</p>"></iframe>', f"<dl><dt>{TEXT}<dd>{PLURAL}</dl>", f"<p>{TEXT}<p>{MARKUP}<div>{PLURAL}</div>", f'<label>{TEXT} <input value="{TEXT}"></label>',
    f'<meta name="description" content="{TEXT}">', f"<ruby>{TEXT}<rt>{TEXT}</ruby>", f"<details><summary>{PLURAL}</summary>{MARKUP}</details>", f"<x-buoy label='{TEXT}'>{MARKUP}</x-buoy>",
    f"<! use box !>{MARKUP}<! end !><! part box() !><div><! slot !></div><! end !>", f"<b>{TEXT}</b><i>{MARKUP}</i>", f"<body><noscript>{TEXT}</noscript>", f"<video><track label='{TEXT}'>{PLURAL}</video>",
]  # fmt: skip
TOKENS = """{who} {code} {n} {nope} <b> </b> <a> </a> <br> < > & " ' ` \\ </script> <script> <!-- --> </title> </textarea> {= =} <! !> { } \n \r \0 a ä &lt;
    ${x} ]]> javascript: */ // </p> <table> <b2> \u2028 \ud800 \N{RIGHT-TO-LEFT OVERRIDE}""".split(" ")
WORDS = st.lists(st.sampled_from([*TOKENS, " ", "Hello"]), max_size=9).map("".join) | st.text(max_size=9)
WHOLE = [
    "<a>see {code}</a> {who} <b>at</b>{code}<br>%s", "%s{who} <b>calls</b> {n}", "%s{who}%s", "{n}%s<b></b>{who}",
    "<br>{who}<b>{code}%s</b><a>%s</a>",
]  # fmt: skip
base = Engine()
sources: dict[tuple[str, int], object] = {}


def shape(page: str) -> object:
    """Return the elements of a page with the names of their attributes, in any order among siblings."""

    def walk(node: LexborNode) -> tuple[object, ...]:
        children = [walk(child) for child in node.iter(include_text=False) if child.tag != "-comment"]
        return node.tag, sorted(node.attributes), sorted(children, key=repr)

    root = LexborHTMLParser(page).root
    assert root is not None
    return walk(root)


@given(
    st.sampled_from(PLACES),
    st.lists(WORDS | st.builds(lambda whole, word: whole.replace("%s", word), st.sampled_from(WHOLE), WORDS), min_size=1, max_size=4),
    st.sampled_from(["de", "ar"]), st.sampled_from([0, 1, 2, 5]),
)  # fmt: skip
def test_any_text_as_a_translation(place: str, strings: list[str], code: str, count: int) -> None:
    """Whatever a catalogue says, the page has the structure of the message's own."""
    values = {"who": "W&<x>", "code": "B4", "count": count}
    if (place, count) not in sources:
        sources[place, count] = shape(base.compile(place).render(values))
    settings = base.compiler.settings
    other = base.compiler.in_locale(settings.in_locale(AnyText(strings, code), settings.filters, ["test"]))
    page = other.compile(Origin("page.html", place)).render(values)
    assert shape(page) == sources[place, count]
    event(f"printed: {strings[0][:3] in page and len(strings[0]) > 3}")


SOURCES = [case.parts["template"] for case in cases("places.txt") if "{= x =}" in case.parts["template"]]


@given(st.sampled_from(SOURCES), st.sampled_from([*HOSTILE[1:], "plain", "7", "#fff", ".x", "/p/q"]))
def test_a_message_is_printed_as_a_value_is(source: str, text: str) -> None:
    """In every context, what is done with a message when it is compiled is what is done with a value."""
    values = {"x": text, "y": "y", "z": "z"}
    settings = base.compiler.settings
    other = base.compiler.in_locale(settings.in_locale(AnyText([text], "de"), settings.filters, ["test"]))
    origin = Origin("inline.html", source.replace("{= x =}", '{= say("Hello") =}'))
    expected = outcome(lambda: base.compile(source).render(values))
    event(f"printed: {isinstance(expected, str)}")
    said = outcome(lambda: other.compile(origin).render(values))
    assert said == expected or (not isinstance(expected, str) and type(said) is type(expected))


AROUND = """<p>%s <select><option>%s</select> <select>%s</select> <table><tr><td>%s</table> <table><caption>%s</table> <svg><text>%s</text></svg> <svg><desc>%s</desc></svg>
    <math><mi>%s</mi></math> <math><mrow>%s</mrow></math> <button>%s</button> <ruby>%s</ruby> <ruby>x<rt>%s</ruby> <a>%s</a> <b><i>%s</i></b> <h1>%s</h1> <label>%s</label> <pre>%s</pre>
    <object>%s</object> <nobr>%s</nobr> <font><p>%s</font> <datalist>%s</datalist> <summary>%s</summary> <dl><dt>%s<dd>x</dl> <template><p>%s</template> <marquee>%s</marquee>""".split()
ELEMENTS = st.recursive(
    st.sampled_from(["a", "{who} "]),
    lambda inner: st.lists(st.tuples(st.sampled_from(sorted(MESSAGE_ELEMENTS - INLINE_VOID)), inner) | st.sampled_from(sorted(INLINE_VOID)) | inner, min_size=1, max_size=3),
    max_leaves=6,
)  # fmt: skip


def written(tree: object, names: dict[str, int]) -> tuple[str, object]:
    """Return a message as a template has it, and as a tree with the names that translators see."""
    if isinstance(tree, str):
        if tree not in INLINE_VOID:
            return tree, tree
        return f"<{tree}>", numbered(tree, names)
    if isinstance(tree, tuple):
        name, (text, inner) = numbered(tree[0], names), written(tree[1], names)
        return f"<{tree[0]}>{text}</{tree[0]}>", (name, inner)
    parts = [written(each, names) for each in tree]  # type: ignore[attr-defined]
    return "".join(text for text, _ in parts), [inner for _, inner in parts]


def numbered(name: str, names: dict[str, int]) -> str:
    """Return a tag by its number among those of the name."""
    names[name] = names.get(name, 0) + 1
    return f"<{name}{names[name] if names[name] > 1 else ''}>"


def backwards(tree: object) -> str:
    """Return a message with everything in the other order, nested as it is."""
    if isinstance(tree, str):
        return tree
    if isinstance(tree, tuple):
        return f"{tree[0]}{backwards(tree[1])}</{tree[0][1:]}"
    return "x".join(backwards(each) for each in reversed(tree))  # type: ignore[call-overload]


@given(st.sampled_from(AROUND), ELEMENTS)
def test_elements_in_another_order(around: str, tree: object) -> None:
    """Elements that move among the words are the same elements, wherever the message is; or the message is refused."""
    text, shown = written([tree, "."], {})
    source = around.replace("%s", f"<! say !>{text.replace('{who}', '{= who =}')}<! end !>")
    try:
        expected = shape(base.compile(source).render(who="W"))
    except UntorError:
        return
    settings = base.compiler.settings
    other = base.compiler.in_locale(settings.in_locale(AnyText([backwards(shown)], "de"), settings.filters, ["test"]))
    page = other.compile(Origin("page.html", source)).render(who="W")
    event(f"moved: {page != base.compile(source).render(who='W')}")
    assert shape(page) == expected


def test_the_property_can_fail(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """Where letters are not escaped, the property and the probe see it."""
    monkeypatch.setattr("untor.analysis.html_walker.escaped_letters", lambda text, _: text)
    with pytest.raises(AssertionError):
        test_any_text_as_a_translation.hypothesis.inner_test(f"<p title='{TEXT}'>x</p>", ["{who}' x='"], "de", 1)  # type: ignore[attr-defined]
    (tmp_path / "page.html").write_text(f"<p title='{TEXT}'>x</p>", "utf-8")
    found = probe(Engine(tmp_path).compiler, "page", {"who": "W"})
    assert found.messages == 1
    assert str(found.changes[-1]).startswith("page.html:1:1: the page changes when the translation of 'Hello {who}' is")


# --- numbers ---------------------------------------------------------------------------------------------------------

NUMBERS = [*range(120), 200, 1000, 10**6, 10**15]


@pytest.mark.parametrize("rule", sorted(set(PLURALS.values())), ids=lambda rule: rule[1][:40])
def test_plural_forms(rule: tuple[int, str], tmp_path: Path) -> None:
    """Every rule of gettext's table chooses the form that Python's own gettext chooses."""
    code = next(code for code, each in PLURALS.items() if each == rule)
    catalog = Catalog(locale=code, charset="utf-8")
    catalog.add(("one", "{n} many"), tuple(f"{number} {{n}}" for number in range(rule[0])))
    (tmp_path / "po").mkdir()
    with (tmp_path / f"po/{code}.po").open("wb") as file:
        write_po(file, catalog)
    octets = io.BytesIO()
    write_mo(octets, catalog)
    octets.seek(0)
    expected = gettext.GNUTranslations(octets)
    engine = Engine(messages=tmp_path / "po").in_locale(code)
    step = engine.compile("<! say n = count !>one<! else !>{= n =} many<! end !>").render
    call = engine.compile('{= say("one", "{n} many", n=count) =}').render
    for number in NUMBERS:
        wanted = expected.ngettext("one", "{n} many", number).replace("{n}", str(number))
        assert re.sub("[\u2068\u2069]", "", step(count=number)) == wanted
        assert re.sub("[\u2068\u2069]", "", call(count=number)) == wanted


def test_numbers_that_are_not_integers(tmp_path: Path) -> None:
    """Fractions take the form of their category in CLDR; what is no number is an error, in templates too."""
    engine = site(tmp_path, "", 'msgid "one"\nmsgid_plural "many"\nmsgstr[0] "ein"\nmsgstr[1] "viele"\n')
    for code, one, many in (("en", "one", "many"), ("de", "ein", "viele")):
        render = engine.in_locale(code).compile("<! say n = count !>one<! else !>many<! end !>").render
        assert [render(count=each) for each in (1, 0, 1.5, Decimal("2.5"), -3, 10**30)] == [one] + [many] * 5
        for odd in (None, "1", True, [1], float("nan"), float("inf")):
            with pytest.raises(RenderError, match=r"decides between the forms|no plural form"):
                render(count=odd)
            with pytest.raises(RenderError):
                engine.in_locale(code).compile('{= say("one", "many", n=count) =}').render(count=odd)


# --- catalogues ------------------------------------------------------------------------------------------------------


def test_kinds_of_files(tmp_path: Path) -> None:
    """A .mo file in gettext's folders says the same as the .po file that it was made from."""
    po = HEAD + 'msgctxt "verb"\nmsgid "Open"\nmsgstr "Öffnen"\n'
    inner = tmp_path / "locales/de/LC_MESSAGES"
    inner.mkdir(parents=True)
    with (inner / "site.mo").open("wb") as file:
        write_mo(file, read_po(io.BytesIO(po.encode())))
    engine = Engine(messages=tmp_path / "locales")
    assert engine.locales == ("en", "de")
    assert engine.in_locale("de_CH").compile('<! say "verb" !>Open<! end !>').render() == "Öffnen"
    (tmp_path / "locales/pt_BR.po").write_text(HEAD, "utf-8")
    assert Engine(messages=tmp_path / "locales").locales == ("en", "de", "pt-BR")
    (tmp_path / "locales/hello.world.po").write_text(HEAD, "utf-8")
    with pytest.raises(ValueError, match="not named after a locale"):
        Engine(messages=tmp_path / "locales")
    with pytest.raises(ValueError, match="there is no folder"):
        Engine(messages=tmp_path / "nowhere")


@pytest.mark.parametrize(
    "octets",
    [b"msgid", b'msgid "a"\nmsgstr "b"\nfoo bar\n', b"\xff\xfe\x00", HEAD.replace("n != 1", "n !!= 1").encode(), HEAD.replace("nplurals=2", "nplurals=1").encode(),
     HEAD.replace("(n != 1)", "n / 0").encode(), HEAD.replace("utf-8", "nowhere-8").encode()],
    ids=range(7),
)  # fmt: skip
def test_broken_catalogues(octets: bytes, tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    """A file that cannot be read is a finding, is logged once, and messages are printed as they are written."""
    engine = site(tmp_path, "<p><! say n = 2 !>One<! else !>Many<! end !></p>", "")
    more = (
        b'\nmsgid "One"\nmsgid_plural "Many"\nmsgstr[0] "Ein"\nmsgstr[1] "Viele"\n'
        if octets.startswith(b"msgid ")
        else b""
    )
    (tmp_path / "locales/de.po").write_bytes(octets + more)
    german = engine.in_locale("de")
    assert [german.render("page") for _ in range(2)] == ["<p>Many</p>"] * 2
    assert [each.code for each in engine.check()][:1] == ["catalogue-unreadable"]
    assert {record.levelno for record in caplog.records} == {logging.WARNING}


@pytest.mark.parametrize("rule", ["n < 5000 ? n != 1 : 7", "n == 1 ? 0 : 5000 / (5000 - n) > 0"])
def test_rules_that_fail_for_great_numbers(rule: str, tmp_path: Path) -> None:
    """A rule that is valid for small numbers chooses the last form where it is not."""
    po = 'msgid "One"\nmsgid_plural "{n}"\nmsgstr[0] "Ein"\nmsgstr[1] "{n}!"\n'
    site(tmp_path, "", po)
    (tmp_path / "locales/de.po").write_text(HEAD.replace("(n != 1)", f"({rule})") + po, "utf-8")
    german = Engine(messages=tmp_path / "locales").in_locale("de")
    for source in ("<! say n = x !>One<! else !>{= n =}<! end !>", '{= say("One", "{n}", n=x) =}'):
        assert german.compile(source).render(x=5000) == "5000!"


def test_reload_and_cache(tmp_path: Path) -> None:
    """With reload, a changed catalogue is printed; a cache keeps each locale's pages, and forgets others."""
    template, po = '<p><! say !>Gone<! end !> {= say("Gone") =}</p>', 'msgid "Gone"\nmsgstr "%s"\n'
    german = site(tmp_path, template, po % "weg", reload=True).in_locale("de")
    assert german.render("page") == "<p>weg weg</p>"
    (tmp_path / "locales/de.po").write_text(HEAD + po % "fort!", "utf-8")
    assert german.render("page") == "<p>fort! fort!</p>"
    for word in ("fort!", "futsch"):
        (tmp_path / "locales/de.po").write_text(HEAD + po % word, "utf-8")
        for code, page in (("de", f"<p>{word} {word}</p>"), ("en", "<p>Gone Gone</p>")) * 2:
            fresh = Engine(tmp_path / "templates", messages=tmp_path / "locales", cache_folder=tmp_path / "cache")
            assert fresh.in_locale(code).render("page") == page


# --- locales ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("accepted", "locale"), [
    ("", "en"), (None, "en"), ("de", "de"), ("DE-at;q=0.8, fr", "de"), ("fr, pt-BR-x-harbour;q=0.5, de;q=0.4", "pt-BR"), ("pt", "en"), ("de;q=0, *", "en"),
    ("de;q=0.001", "de"), ("*;q=0.5, de", "de"), ("en;q=0, *", "de"), ("de;q=2, pt-br", "pt-BR"), ("de-", "en"), (",;q=,é,\0", "en"), ("zh-Hant-TW", "en"), ("x" * 99_999, "en"),
])  # fmt: skip
def test_negotiation(accepted: str | None, locale: str, tmp_path: Path) -> None:
    """A reader is served by the lookup of RFC 4647."""
    engine = site(tmp_path, "", "")
    (tmp_path / "locales/pt_BR.po").write_text(HEAD, "utf-8")
    assert Engine(messages=tmp_path / "locales").negotiate(accepted) == locale
    assert engine.negotiate("pt-BR") == "en"


def loud(text: str, *, locale: str) -> str:
    """A filter of a site that is given the locale."""
    return f"{text}! {locale}"


def test_locales_of_one_engine(tmp_path: Path) -> None:
    """Locales share templates, filters and helpers, and fall back: their own, the language's, the engine's."""
    po = 'msgid "Gone"\nmsgstr "weg"\n'
    engine = site(tmp_path, "{= locale.code =} {= locale.direction =} <! say !>Gone<! end !> {= 1234.5 | number =}", po)
    german = engine.in_locale("de")
    assert german is engine.in_locale("DE").in_locale("de")
    assert german.in_locale("en") is engine

    german.filter(loud)
    assert engine.in_locale("de-LI").render("page").startswith("de-LI ltr weg 1")
    assert [each.render("page") for each in (engine, german)] == ["en ltr Gone 1,234.5", "de ltr weg 1.234,5"]
    assert engine.in_locale("fa").render("page").startswith("\u2068fa\u2069 \u2068rtl\u2069 Gone")
    assert engine.in_locale("sv").compile("{= 'a' | loud =}").render() == "a! sv"
    assert german.compiler.reading("page.html") is engine.compiler.reading("page.html")
    assert german.say("Gone") == "weg"
    copy = pickle.loads(pickle.dumps(german))
    assert (copy.render("page"), copy.locale) == (german.render("page"), "de")
    for odd in ("", "x", "../de", "de_" * 99, 5, None, "qq"):
        with pytest.raises(ValueError, match="locale"):
            engine.in_locale(odd)  # type: ignore[arg-type]
    for option in ("helpers", "globals"):
        with pytest.raises(ValueError, match='helper "say"'):
            Engine(**{option: {"say": print}})  # type: ignore[arg-type]


def test_values_are_set_apart_in_pages_from_right_to_left(tmp_path: Path) -> None:
    """A value in text is isolated; one that a program reads, or that a form sends, is as it is."""
    template = (
        '<p>{= a =}</p><p title="{= a =}"><! say !>x {= a =}<! end !></p><input value="{= a =}"><textarea>{= a =}</textarea>'
        "<select><option>{= a =}</option></select><code>{= a =}</code><a href='/{= a =}'>{= a | trusted('ours') =}</a><script>f('{= a =}')</script>"
        '<p><! say !>At <time datetime="{= a =}" class="{= a =}">{= a =}</time> <a href="/{= a =}" data-a="{= a =}">now</a><! end !></p>'
        '<p title="<! say !>By {= a =}<! end !>">x</p>'
    )
    engine = site(tmp_path, template, "", "ar")
    page = engine.in_locale("ar").render("page", a="A")
    assert re.findall("\u2068A\u2069", page) == ["\u2068A\u2069"] * 4
    assert '<time datetime="A" class="A">\u2068A\u2069</time> <a href="/A" data-a="A">' in page
    assert 'title="By \u2068A\u2069"' in page
    assert page.replace("\u2068", "").replace("\u2069", "") == engine.render("page", a="A")


def test_values_of_one_part_are_set_apart_where_people_read_them(tmp_path: Path) -> None:
    """What a part prints for people and for programs is isolated only for people."""
    shown, sent = "<div><! include it a !></div>", "<option><! include it a !></option>"
    template = f"<! part it(a) !>{{= a =}}<! end !>{shown * 3}<select>{sent * 2}</select>{shown}"
    page = site(tmp_path, template, "", "ar").in_locale("ar").render("page", a="A")
    isolated, plain = "<div>\u2068A\u2069</div>", "<option>A</option>"
    assert page == f"{isolated * 3}<select>{plain * 2}</select>{isolated}"


def test_pages_as_answers(tmp_path: Path) -> None:
    """A page says its language, and that requests decide on it where it was asked for."""
    engine = site(tmp_path, "<p><! say !>Gone<! end !></p>", 'msgid "Gone"\nmsgstr "weg"\n')
    page = engine.page("page", locale="de-AT")
    assert (page.body, page.headers["Content-Language"], page.headers["Vary"]) == (
        b"<p>weg</p>",
        "de-AT",
        "Accept-Language",
    )
    assert dict(page.answer("GET", page.headers["ETag"])[1])["Content-Language"] == "de-AT"
    assert engine.page("page", locale="de", headers={"Vary": "Cookie"}).headers["Vary"] == "Cookie"
    plain = engine.in_locale("de").page("page").headers
    assert (plain["Content-Language"], "Vary" in plain) == ("de", False)
    assert "Content-Language" not in Engine().compile("x").page().headers
    assert asyncio.run(engine.page_async("page", locale="de")).body == b"<p>weg</p>"
    assert b"".join(engine.page("page", locale="de", stream=True)) == b"<p>weg</p>"


def test_threads_in_two_locales(tmp_path: Path) -> None:
    """Two threads in two languages never see each other's words."""
    engine = site(
        tmp_path,
        "<! for n in xs !><! say !>Gone {= n =}<! end !>{= say('Gone') =} <! end !>",
        'msgid "Gone"\nmsgstr "weg"\n\nmsgid "Gone {n}"\nmsgstr "weg {n}"\n',
    )
    wrong: list[str] = []

    def work(code: str, word: str) -> None:
        for _ in range(200):
            page = engine.in_locale(code).render("page", xs=[1, 2])
            if page != f"{word} 1{word} {word} 2{word} ":
                wrong.append(page)

    threads = [threading.Thread(target=work, args=each) for each in [("en", "Gone"), ("de", "weg")] * 3]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []


def test_a_translated_page_costs_nothing(tmp_path: Path) -> None:
    """A translation with the values in the same order is the same program, with other texts."""
    engine = site(
        tmp_path,
        '<p title="{= say("Gone") =}"><! say !>Of {= who =}<! end !></p>',
        'msgid "Of {who}"\nmsgstr "Von {who}"\n\nmsgid "Gone"\nmsgstr "weg"\n',
    )
    plain = engine.compile("<p title='x'>Of {= who =}</p>")
    counts = set()
    for compiler, origin in [
        (engine.compiler, Origin("page")),
        (engine.in_locale("de").compiler, Origin("page")),
        (engine.compiler, plain._origin),
    ]:
        calls = [0]
        render = compiler.compile(origin).render

        def profile(_frame: object, kind: str, _argument: object, calls: list[int] = calls) -> None:
            calls[0] += kind in {"call", "c_call"}

        render(who="x")
        sys.setprofile(profile)
        render(who="x")
        sys.setprofile(None)
        counts.add(calls[0])
    assert len(counts) == 1


@pytest.mark.skipif(not IS_BUILT, reason="code in Python takes more room")
def test_a_further_locale_takes_little_room(tmp_path: Path) -> None:
    """What a further language of the demo keeps in memory, compiled and rendered: words, dates, what differs."""
    make_database(tmp_path / "harbour.sqlite")
    with Harbour(tmp_path / "harbour.sqlite") as harbour:
        vessel = views.vessel(harbour, harbour.vessels()[2])
        pages: dict[str, Any] = {"arrivals": views.arrivals(harbour), "vessel": vessel, "berths": views.berths(harbour)}
        pages |= {
            "notices": views.notices(harbour, {}, {}),
            "search": views.search(harbour, "", "", 1),
            "log": {"entries": []},
        }
        pages |= {"invoices": views.invoices(harbour), "invoice": views.invoice(harbour.invoices()[0])}

    def printed(locale: str) -> None:
        engine = views.pages.in_locale(locale)
        engine.template("tide")  # its picture is Matplotlib's
        for name, values in pages.items():
            engine.render(name, values)

    for locale in ("en", "de"):
        printed(locale)
    localedata.load("ar")  # Babel's own, which engines share
    gc.collect()
    tracemalloc.start()
    printed("ar")
    gc.collect()
    kept = tracemalloc.get_traced_memory()[0]
    tracemalloc.stop()
    assert kept < 0.25 * 2**20


# --- templates -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("template", "code"), [
    ("<! say !>a<! if x !>b<! end !><! end !>", "say-content"), ("<! say !>a<! say !>b<! end !><! end !>", "say-content"), ("<! say !>a <!-- b --><! end !>", "say-content"),
    ("<! say !><div>a</div><! end !>", "say-content"), ("<! say !><b>a<! end !></b>", "say-content"), ("<! say !>a</b><! end !>", "say-content"), ("<! say !><script>a</script><! end !>", "say-content"),
    ("<! say !><b>a</i></b><! end !>", "say-content"), ("<! say !><button>a</button><! end !>", "say-content"), ("<! say !><a>b <a>c</a></a><! end !>", "say-content"),
    ("<svg><text><! say !>a <b>b</b><! end !></text></svg>", "say-content"), ("<math><mrow><! say !>a <br> b<! end !></mrow></math>", "say-content"),
    ("<a href=x><b><! say !>see <a>b</a><! end !></b></a>", "say-content"), ("<script>f('<! say !>a\\n<! end !>')</script>", "say-content"), ("<! say !>&lt;b> is bold<! end !>", "say-ambiguous"),
    ("<! say !>{name}<! end !>", "say-ambiguous"), ("<! say !>  <! end !>", "say-empty"), ("<! say n = 1 !>a<! else !> <! end !>", "say-empty"), ("<! say !>a<! else !>b<! end !>", "say-count"),
    ("<! say n !>a<! end !>", "step-shape"), ("<! say 'a' 'b' !>a<! end !>", "expression-unexpected"), ("<! say !>a", "end-missing"), ("<script><! say !>f()<! end !></script>", "say-place"),
    ("<style>p { color: <! say !>red<! end !> }</style>", "say-place"), ("<a href='<! say !>x<! end !>'>", "say-place"), ("<p title=<! say !>x<! end !>>", "say-place"),
    ("<table><! say !>x<! end !></table>", "place-refused"), ("<script>f('<! include p !>')</script><! part p() !><! say !>R&amp;D<! end !><! end !>", "say-moved"), ("<title><! include p !></title><! part p() !><! say !><b class=x>b</b><! end !><! end !>", "say-moved"),
    ("{= say() =}", "say-call"), ("{= say('') =}", "say-call"), ("{= say(a) =}", "say-call"), ("{= say('a' + 'b') =}", "say-call"), ("{= say('a {b}') =}", "say-call"), ("{= say('a', b=1) =}", "say-call"),
    ("{= say('a', 'b') =}", "say-call"), ("{= say('a', about=x) =}", "say-call"), ("{= say('a', 'b', 'c', n=1) =}", "say-call"), ("<! let x = say(y) !>", "say-call"),
])  # fmt: skip
def test_what_is_no_message(template: str, code: str) -> None:
    """What translators could not be shown, or could break, is refused with its place."""
    with pytest.raises((MarkError, PlacementError)) as found:
        Engine().compile(template)
    assert found.value.code == code


def test_text_and_xml(tmp_path: Path) -> None:
    """Messages in plain text and in XML, and the words of a template that belong to it."""
    engine = site(
        tmp_path, "", 'msgid "R&D {a}"\nmsgstr "F&E <{a}>"\n\nmsgid "Dear <b>"\nmsgstr "Liebe <c>"\n'
    ).in_locale("de")
    assert (
        engine.compile("<! say !>R&D {= a =}<! end !>: <! say !>Dear <b><! end !>", "a.txt").render(a="<")
        == "F&E <<>: Liebe <c>"
    )
    assert engine.compile("<a t='<! say !>R&amp;D {= a =}<! end !>'><! say !>R&amp;D {= a =}<! end !></a>", "a.xml").render(a="<") == (
        "<a t='F&amp;E &lt;&lt;&gt;'>F&amp;E &lt;&lt;&gt;</a>"
    )  # fmt: skip
    with pytest.raises(RenderError, match="rule or declaration"):
        engine.compile('<style>{= say("a") =}</style>').render()
    assert engine.compile("<! for say in xs !>{= say =}<! end !>{= locale =}").render(xs=[1]) == "1de"
    assert Engine(globals={"locale": "ours"}).compile("{= locale =}").render() == "ours"


@pytest.mark.parametrize(("template", "codes"), [
    ("<p><! say !>Moored by<! end !> {= who =}, <! say !>there<! end !></p>", ["message-joined"]), ("{= say('a') + who + say('b') =}", ["message-joined"] * 2), ("<p><! say !>a<! end !>. <! say !>b<! end !></p>", []),
    ("<! if who !><! say !>a<! end !><! else !><! say !>b<! end !><! end !>", []), ("<li><! say !>a<! end !></li><li><! say !>b<! end !></li>", []), ("<i title='<! say !>a<! end !>'><! say !>b<! end !></i>", []),
    ("<html lang=en><head><title>{= who =}</title></head><body><! say !>a<! end !></body></html>", ["lang-fixed"]), ("<html lang=en><head><title>{= who =}</title></head><body></body></html>", []), ("<html lang='{= locale.code =}'><head><title>{= who =}</title></head><body></body></html>", []),
    ("<h1>Calls</h1><img alt='Map' title='x' src='/a'><code>let</code> 12 – {= who =}<script>let calls</script><! say !>ok <b>now</b><! end !>", ["message-text"] * 2), ("<title>Port Ellery</title>", ["message-text"]),
])  # fmt: skip
def test_rules(template: str, codes: list[str], tmp_path: Path) -> None:
    """What translators cannot work with is found; the rule about text in no message is off unless asked for."""
    engine = site(tmp_path, template, "".join(f'msgid "{text}"\nmsgstr "x"\n\n' for text in ("a", "b")))
    wanted = {"message-joined", "lang-fixed", "message-text"}
    assert [found.code for found in engine.check(also=["message-text"]) if found.code in wanted] == codes


# --- extraction ------------------------------------------------------------------------------------------------------

SITE = """<! note say: on the front page !>
<h1><! say !>Arrivals<! end !></h1>
<! note say: the skipper !>
<! note say: in short !>
<p><! say "board" !>{= who =} moored <b>here</b>.<! end !></p>
<p title="{= say("Calls", about="noun") =}"><! say n = xs | len !>One<! else !>{= n =} of them<! end !></p>
<! include row x=say("In an argument") !><! part row(x = say("In a default")) !>{= x =}<! for a in [say("In a loop")] if say("In a condition") !><! end !><! end !>
<! if say("In a test") !><! note not for translators !><! say !>Arrivals<! end !><! end !>
"""


def extracted(path: Path) -> dict[object, object]:
    """Return the messages of a file with their places and remarks."""
    with path.open("rb") as file:
        return {(each.context, each.id): (each.locations, each.auto_comments) for each in read_po(file) if each.id}


def test_extraction_and_merging(tmp_path: Path) -> None:
    """``untor messages`` and Babel's own command extract the same; catalogues are made, merged and judged."""
    site(tmp_path, SITE, "")
    (tmp_path / "pyproject.toml").write_text('[tool.untor]\nmessages = "locales"\n', "utf-8")
    (tmp_path / "views.py").write_text('say("From a view")\n', "utf-8")
    (tmp_path / "babel.cfg").write_text("[untor: templates/**.html]\n[python: *.py]\n", "utf-8")
    assert untor("messages", "extract", "-o", "own.pot", folder=tmp_path) == (0, "own.pot: 9 messages.\n", "")
    before = (tmp_path / "own.pot").stat().st_mtime_ns
    assert untor("messages", "extract", "-o", "own.pot", folder=tmp_path) == (0, "own.pot: no change.\n", "")
    assert (tmp_path / "own.pot").stat().st_mtime_ns == before

    def pybabel(*arguments: str) -> None:
        subprocess.run([sys.executable, "-m", "babel.messages.frontend", "-q", *arguments], cwd=tmp_path, check=True)

    pybabel("extract", "-F", "babel.cfg", "-k", "say", "-o", "all.pot", ".")
    ours, theirs = (extracted(tmp_path / name) for name in ("own.pot", "all.pot"))
    assert theirs.pop((None, "From a view"))
    assert ours == theirs
    assert ours[None, "Arrivals"] == ([("templates/page.html", 2), ("templates/page.html", 8)], ["on the front page"])
    assert ours["board", "{who} moored <b>here</b>."] == ([("templates/page.html", 5)], ["the skipper", "in short"])
    assert ours[None, ("One", "{n} of them")] == ([("templates/page.html", 6)], [])
    pybabel("init", "-i", "all.pot", "-d", "locales", "-l", "pl", "-D", "site")
    (tmp_path / "locales/de.po").unlink()
    status, output, _ = untor("messages", "status", "--format", "json", folder=tmp_path)
    assert (status, json.loads(output)) == (
        1,
        {"messages": 9, "locales": {"pl": {"translated": 0, "fuzzy": 0, "missing": 9, "wrong": 0, "unused": 0}}},
    )
    polish = tmp_path / "locales/pl/LC_MESSAGES/site.po"
    with polish.open("rb") as file:
        catalog = read_po(file, locale="pl")
    for message in catalog:
        if message.id:
            one = message.id[-1] if isinstance(message.id, tuple) else message.id
            message.string = (f"PL {one}",) * 3 if isinstance(message.id, tuple) else f"PL {one}"
    with polish.open("wb") as written:
        write_po(written, catalog)
    pybabel("compile", "-d", "locales", "-D", "site")
    assert untor("messages", "status", folder=tmp_path)[0] == 0
    data = tmp_path / "page.json"
    data.write_text('{"who": "W", "xs": [1, 2]}', "utf-8")
    page = untor("render", "page", "--data", "page.json", "--locale", "pl", folder=tmp_path)[1]
    assert "<h1>PL Arrivals</h1>" in page
    assert "PL 2 of them" in page
    template = tmp_path / "templates/page.html"
    template.write_text(
        SITE.replace("Arrivals", "All arrivals").replace("    ", " ").replace("<h1>", "<h1>\n\n"), "utf-8"
    )
    pybabel("extract", "-F", "babel.cfg", "-k", "say", "-o", "all.pot", ".")
    pybabel("update", "-i", "all.pot", "-d", "locales", "-l", "pl", "-D", "site")
    counts = json.loads(untor("messages", "status", "--format", "json", folder=tmp_path)[1])["locales"]["pl"]
    assert counts == {"translated": 8, "fuzzy": 1, "missing": 0, "wrong": 0, "unused": 0}


def test_catalogues_as_tests(tmp_path: Path) -> None:
    """``pytest --untor`` fails with what is wrong with a translation."""
    site(tmp_path, "<! say !>Of {= who =}<! end !>", 'msgid "Of {who}"\nmsgstr "Von"\n')
    (tmp_path / "pyproject.toml").write_text('[tool.untor]\nmessages = "locales"\n', "utf-8")
    command = [sys.executable, "-m", "pytest", "--untor", "-q", "-p", "no:cacheprovider"]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.returncode, "de.po:5:1: This translation has no {who}" in done.stdout, "1 passed" in done.stdout) == (
        1,
        True,
        True,
    ), done.stdout


def test_commands_that_fail(tmp_path: Path) -> None:
    """Wrong calls of ``untor messages`` say what is wrong."""
    (tmp_path / "templates").mkdir()
    assert untor("messages", "status", folder=tmp_path)[0] == 2
    (tmp_path / "templates/a.html").write_text("<! say !>a", "utf-8")
    status, _, errors = untor("messages", "extract", folder=tmp_path)
    assert (status, "is never closed" in errors or "no end" in errors) == (1, True), errors
    (tmp_path / "templates/a.html").write_text("<! say !>a<! end !>", "utf-8")
    status, _, errors = untor("messages", "status", folder=tmp_path)
    assert (status, "There are no catalogues" in errors) == (2, True)
    status, _, errors = untor("render", "a", "--locale", "qq", folder=tmp_path)
    assert (status, "qq" in errors) == (2, True)
    with pytest.raises(UntorError):
        Engine(tmp_path / "templates").in_locale("de").render("nowhere")
