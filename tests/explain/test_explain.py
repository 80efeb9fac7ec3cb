"""The explanation of a page: every place has its words, the page of it is whole, each step of a value is shown."""

from __future__ import annotations

from functools import partial
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest
import support
from selectolax.lexbor import LexborHTMLParser
from support import CASES, cases

from untor import Engine, MissingValue, UntorError
from untor.codegen.python import build_python
from untor.compiler import bindings
from untor.compiler.origin import Origin
from untor.demo import views
from untor.escape import ESCAPERS, Escapers
from untor.explain.descriptions import KINDS
from untor.explain.outline import outline_of
from untor.explain.printed_values import chain, values_of
from untor.explain.source_page import explained_context, explained_template
from untor.explain.trace import evaluate, filtered, journeys
from untor.runtime.calls import Calls

TEMPLATES = Path(str(files("untor.demo") / "templates"))
untor = partial(support.untor, columns=120)
OWN = ["--engine", "untor.demo.views:pages"]


def trimmed(text: str) -> str:
    return "".join(f"{line.rstrip()}\n" for line in text.splitlines())


def test_words_for_everything() -> None:
    """Each escaping function and each context has its words."""
    assert all(row.words for row in ESCAPERS.values())
    compiled = 0
    for case in cases("places.txt"):
        compiler = Engine().compiler
        try:
            planned = compiler.analyse(Origin("page.html", case.parts["template"]))
        except UntorError:
            continue
        compiled += 1
        for value in values_of(compiler, planned):
            assert value.kind in KINDS
            assert value.done
    assert compiled > 200


def test_table(tmp_path: Path) -> None:
    """The table of a page is the one expected, layouts and components followed."""
    status, output, errors = untor("explain", "vessel", *OWN, folder=tmp_path)
    assert trimmed(output) == (CASES / "explained.txt").read_text("utf-8")
    assert (status, errors) == (0, "")


OUTLINE = """\
       frame.html
    1  <body>
    1    <main class="{= kind =}">
    1      <! slot !>
             page.html
    2        <h1>
    2          <! slot sub else !>
    2            {= title =}  text
    3        <! for call in calls !>
    3          <p>
    3            {= call =}  text
    3            at the quay
    3        <! between !>
    3          <hr>
    3        <! else !>
    3          None
    4        <! if a !>
    4          <section>
    4        <! elif b !>
    4        <! else !>
    4          <div>
    5          Calls
    5          <! if a !>
    5          <! elif b !>
    5          <! else !>
    6        <style>
    6          {= colour =}  style-value
    7        <! include row call=1 !>
    8          <a href="{= call =}">
    8            <b>
    8              x
    7        <! include row call=2 !>
"""


def test_outline(tmp_path: Path) -> None:
    """The outline has all that a page makes where it is: elements, their text, steps, values with their contexts."""
    (tmp_path / "frame.html").write_text('<body><main class="{= kind =}"><! slot !></main>', "utf-8")
    (tmp_path / "page.html").write_text(
        '<! layout "frame" kind="x" !>\n<h1><! slot sub else !>{= title =}<! end !></h1>\n'
        "<! for call in calls !><p>{= call =} at <!-- x -->the quay<! between !><hr><! else !>None<! end !>\n"
        "<! if a !><section><! elif b !><! else !><div><! end !>\nCalls<! if a !></section><! elif b !><! else !></div>"
        "<! end !>\n<style>p { color: {= colour =} }</style>\n<! include row call=1 !><! include row call=2 !>\n"
        '<! part row(call) !><a href="{= call =}"><b>x</b></a><! end !>',
        "utf-8",
    )
    status, output, errors = untor("explain", "page", "--outline", "--folder", ".", folder=tmp_path)
    assert (trimmed(output), status, errors) == (OUTLINE, 0, "")


def test_outline_of_every_page() -> None:
    """All pages of the demo have an outline, with each value once."""
    for name in views.pages.compiler.loader.names():
        planned = views.pages.compiler.analyse(Origin(name))
        lines = outline_of(views.pages.compiler, planned)
        shown = " ".join(line.text for line in lines)
        between = [each for each in planned.placements if each.context in {"text", "title-text"}]
        assert all(each.expression[:20] in shown for each in between), name


def test_code(tmp_path: Path) -> None:
    """The code that a page is compiled to is shown as Python that does what the page does."""
    (tmp_path / "page.html").write_text("<p>{= x =}</p><! for y in ys !>{= y.z =}<! end !>", "utf-8")
    status, output, errors = untor("explain", "page", "--code", "--folder", ".", folder=tmp_path)
    assert (status, errors) == (0, "")
    site = Engine(tmp_path)
    template = site.template("page")
    planned = site.compiler.analyse(Origin("page"))
    calls = Calls({}, methods=False)
    namespace = bindings.namespace(
        build_python(planned), site.compiler.settings, Escapers(), calls, helpers={}, filters={}
    )
    exec(output, namespace)  # noqa: S102  our own code
    data = {"x": "<", "ys": [{"z": 1}]}
    render: Any = namespace["render"]
    assert render(data) == template.render(data) == "<p>&lt;</p>1"


def test_steps_of_a_value(tmp_path: Path) -> None:
    """What a value becomes is shown step by step: filters, then the escaping of each kind of place."""
    data = 'vessel={"name": "<Sea> & Holly", "flag": "red;x:url(y)"}'
    arguments = [*OWN, "--set", data]
    status, output, errors = untor(
        "explain", "vessel", "--expression", "vessel.name | upper", *arguments, folder=tmp_path
    )
    assert trimmed(output) == (CASES / "steps.txt").read_text("utf-8")
    assert (status, errors) == (0, "")
    status, output, errors = untor("explain", "vessel", "--expression", "vessel.nam", *arguments, folder=tmp_path)
    assert (status, output) == (1, "")
    assert errors.startswith('untor: expression, line 1, column 8: There is no "nam" in this dict.\n  1 | vessel.nam\n')
    assert untor("explain", "vessel", "--expression", "vessel |", *arguments, folder=tmp_path)[0] == 1
    assert untor("explain", "vesel", folder=TEMPLATES)[0] == 2


def test_steps_agree_with_the_page() -> None:
    """The last step shown is what the page has in it, in every place where one value is printed."""
    compared = 0
    context = {"x": "<b a='\"'>&/..;", "y": "z", "xs": ["a"]}
    for case in cases("places.txt"):
        engine = Engine()
        try:
            template = engine.compile(case.parts["template"], "page.html")
            page = template.render(context)
        except UntorError:
            continue
        if [placement.expression for placement in template.placements] != ["x"]:
            continue
        (journey,) = journeys(
            engine.compiler, engine.compiler.analyse(Origin("page.html", case.parts["template"])), "x", context
        )
        last = journey.steps[-1].result
        whole_url = "url" in template.placements[0].context or "srcset" in template.placements[0].context
        assert last in page or (whole_url and "about:invalid" in page) or last.startswith("("), case.title
        compared += 1
    assert compared > 100


def test_evaluate() -> None:
    """An expression is what a print mark would print, before it is text."""
    engine = Engine(helpers={"double": lambda x: x * 2}, globals={"harbour": "Port Ellery"})
    assert evaluate(engine.compiler, "[double(n), harbour | upper, m ?? 'none']", {"n": 2}) == [
        4,
        "PORT ELLERY",
        "none",
    ]
    assert [step.result for step in filtered(engine.compiler, "n | join(', ') | upper", {"n": ["a", "b"]})] == [
        "['a', 'b'] (list)",
        "'a, b' (str)",
        "'A, B' (str)",
    ]
    with pytest.raises(MissingValue, match='There is no "gone" here'):
        evaluate(engine.compiler, "gone", {})
    assert chain("a + b | clip(3) | upper") == [
        ("a + b", "a + b"),
        ("a + b | clip(3)", "clip(3)"),
        ("a + b | clip(3) | upper", "upper"),
    ]
    assert chain("((a) | upper) | lower") == [
        ("(a)", "(a)"),
        ("(a) | upper", "upper"),
        ("((a) | upper) | lower", "lower"),
    ]
    assert chain("(a | len) - 1") == [("(a | len) - 1", "(a | len) - 1")]


def test_page(tmp_path: Path) -> None:
    """The page shows the source letter by letter, each value marked once for each place, with its details beside it."""
    source = (
        '<! layout "frame" !><! note </script> <b> !>\n<! part p(v) !><i title="{= v =}">{= v =}</i><! end !>\n'
        '<a href="{= a =}">{= b | trusted("because & so") =}\n</a><! include p v=a !><p title="<! include p v=b !>">x</p>\n'
        "<!-- {= gone =} --><script>f('</' + {= a\n=})</script>"
    )
    source = source.replace('<p title="<! include p v=b !>">x</p>', "")
    (tmp_path / "page.html").write_text(source, "utf-8")
    (tmp_path / "frame.html").write_text("<title>{= t =}</title><body><! slot !>", "utf-8")
    engine = Engine(tmp_path)
    planned = engine.compiler.analyse(Origin("page"))
    values = values_of(engine.compiler, planned)
    page = LexborHTMLParser(explained_template().render(explained_context(engine.compiler, planned, values)))
    sections = page.css("main section:has(table)")
    assert [section.css_first("h2").text() for section in sections] == ["page.html", "frame.html"]  # type: ignore[union-attr]
    lines = [cell.text() for cell in sections[0].css("td.source")]
    for sign in [node.text() for node in sections[0].css("td.source .badge")] + [" script value: ", " url value: "]:
        lines = [line.replace(sign, "", 1) if sign in line else line for line in lines]
    for look in ("text", "attribute", "trusted", "url", "script"):
        lines = [line.replace(f" {look} value: ", "") for line in lines]
    assert "\n".join(lines) == source
    assert sorted(node.attributes["id"] or "" for node in page.css(".details li[id]")) == [
        f"v{value.number}" for value in values
    ]
    assert {link.attributes["href"] for link in page.css("a.value")} <= {f"#v{value.number}" for value in values}
    assert not page.css(".source script, .source b, .source i, .source title")
    assert "because & so" in page.css_first("#trust").parent.text()  # type: ignore[union-attr]


def test_page_from_the_command(tmp_path: Path) -> None:
    """The page is written whole, the same each time; a page that is refused leaves the file as it was."""
    (tmp_path / "bad.html").write_text("<{= x =}>", "utf-8")
    assert untor("explain", "vessel", *OWN, "--html", "out.html", folder=tmp_path) == (0, "", "")
    first = (tmp_path / "out.html").read_bytes()
    assert untor("explain", "bad", "--folder", ".", "--html", "out.html", folder=tmp_path)[0] == 1
    assert untor("explain", "vessel", *OWN, "--html", "out.html", folder=tmp_path)[0] == 0
    assert (tmp_path / "out.html").read_bytes() == first
