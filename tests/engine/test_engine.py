"""The engine: finding templates, options, threads, and what the house promises about its own structure."""

from __future__ import annotations

import ast
import inspect
import pickle
import pydoc
import subprocess
import sys
import types
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from importlib.resources import files
from pathlib import Path
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import pytest
from public_names import lines

import untor
from untor import Engine, MissingValue, PlacementError, RenderError, TemplateMissing
from untor.analysis.analyser import analyse, reading_of
from untor.analysis.composition import Permissions
from untor.codegen.program import build_program
from untor.codegen.python import build_python
from untor.contexts.client_libraries import Tables
from untor.demo import views
from untor.diagnostics.source import Source
from untor.filters import built_in
from untor.filters.locale_settings import LocaleSettings
from untor.messages.translator import Translator

if TYPE_CHECKING:
    from untor.language.parser import ParsedTemplate

SRC = Path(untor.__file__).parent
TESTS = Path(__file__).parent.parent


@pytest.fixture
def folders(tmp_path: Path) -> Path:
    for name in ["a/index.html", "a/sub/page.html", "b/index.html", "b/mail.txt", "b/feed.xml"]:
        file = tmp_path / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(f"{name} <b>", "utf-8")
    (tmp_path / "secret.html").write_text("secret", "utf-8")
    return tmp_path


def test_finding(folders: Path) -> None:
    """Folders are searched in order; endings are inferred; a mapping gives folders a prefix."""
    engine = Engine([folders / "a", folders / "b"])
    assert engine.render("index") == engine.render("index.html") == "a/index.html <b>"
    assert [engine.render(name)[:6] for name in ["sub/page", "mail", "feed"]] == ["a/sub/", "b/mail", "b/feed"]
    prefixed = Engine({"x": folders / "a", "y": [folders / "b"]})
    assert [prefixed.render(name)[:1] for name in ["x/index", "y/index"]] == ["a", "b"]
    with pytest.raises(TemplateMissing, match='There is "x/index"'):
        prefixed.render("index")
    assert repr(engine.template("mail")) == "<Template mail.txt>"


@pytest.mark.parametrize("name", ["../secret", "/etc/passwd", "link", "sub", "index.py"])
def test_no_way_out_of_the_folders(folders: Path, name: str) -> None:
    """No name leads out of the folders, nor does a link; a folder or another file is no template."""
    (folders / "a/link.html").symlink_to(folders / "secret.html")
    with pytest.raises(TemplateMissing):
        Engine(folders / "a").render(name)


def test_compiled_once(folders: Path) -> None:
    """A template is compiled once; rendering goes straight to the compiled function."""
    engine = Engine(folders / "a")
    first = engine.template("index")
    (folders / "a/index.html").write_text("changed", "utf-8")
    assert engine.template("index") is first
    compiled: Any = first.render
    assert type(compiled) in {types.FunctionType, types.BuiltinFunctionType}


def test_reload_begins_and_ends(folders: Path) -> None:
    """An engine that begins to look at files again does so in all its locales, and keeps what it has when it ends."""
    engine = Engine(folders / "a")
    for number, (reload, expected) in enumerate([(0, 0), (0, 0), (1, 2), (1, 3), (0, 3), (0, 3), (1, 6)]):
        (folders / "a/index.html").write_text(f"{number}", "utf-8")
        engine.reload = bool(reload)
        for each in engine, engine.in_locale("de"):
            assert each.render("index") == f"{expected}"


def test_values_come_by_name_and_in_a_mapping(folders: Path) -> None:
    """A page gets its values in either way, and in both: then those by name win."""
    (folders / "a/sum.html").write_text("{= x =}{= y =}", "utf-8")
    engine = Engine(folders / "a", globals={"x": 1, "y": 2})
    assert engine.render("sum", {"x": 3, "y": 4}) == engine.render("sum", x=3, y=4) == "34"
    assert engine.render("sum", {"x": 3, "y": 5}, y=4) == engine.render("sum", {"x": 3}, y=4) == "34"
    assert engine.render("sum", {}) == engine.render("sum") == engine.render("sum", None) == "12"


def test_templates_of_a_package() -> None:
    """Templates can be inside an installed package; a folder is anything that is a path."""
    page = Engine(Path(str(files("untor.demo"))) / "templates", types=views.TYPES).render(
        "notice", title="<T>", message={"posted": "2031-05-17T08:00", "text": "x"}
    )
    assert "<h3>&lt;T&gt; <small>17 May, 08:00</small></h3>" in page


def test_byte_order_mark_and_line_breaks(tmp_path: Path) -> None:
    """A byte order mark is no text; line breaks stay as they are."""
    (tmp_path / "page.html").write_bytes(b"\xef\xbb\xbfa\r\n<! if 1 !>\r\nb\r<! end !>\rc")
    assert Engine(tmp_path).render("page") == "a\r\nb\rc"
    (tmp_path / "empty.html").write_bytes(b"")
    assert Engine(tmp_path).render("empty") == ""


def test_kinds_of_files_beside_each_other(tmp_path: Path) -> None:
    """A mail in two kinds has one name; the shorter ending of HTML is one too."""
    for name, text in {"mail.html": "<p>{= x =}", "mail.txt": "{= x =}", "old.htm": "<i>{= x =}"}.items():
        (tmp_path / name).write_text(text, "utf-8")
    pages = Engine(tmp_path)
    assert [pages.render(name, x="<") for name in ("mail", "mail.txt", "old")] == ["<p>&lt;", "<", "<i>&lt;"]
    assert pages.page("old", {"x": 1}).headers["Content-Type"] == "text/html; charset=utf-8"


@pytest.mark.parametrize(("count", "page"), [(3, "012"), (-1, ""), (10**9, None), ("3", None), (1.5, None)])
def test_range(count: object, page: str | None) -> None:
    """``range`` counts, and not without end; a value of that name is the page's own."""
    template = Engine().compile("<! for n in range(count) !>{= n =}<! end !>")
    if page is None:
        with pytest.raises(RenderError) as found:
            template.render(count=count)
        assert found.value.code == "call-failed"
    else:
        assert template.render(count=count) == page
    assert template.render(count=1, range=lambda _: ["a", "b"]) == "ab"
    with pytest.raises(ValueError, match='a helper "range" of its own'):
        Engine(helpers={"range": len})


def test_context_values_and_globals() -> None:
    """Values come before the context, the context before the engine's globals; ``context`` can be a name."""
    engine = Engine(globals={"a": "g", "b": "g", "c": "g"})
    template = engine.compile("{= a =}{= b =}{= c =}{= context? =}{= self? =}")
    assert template.render({"b": "c", "c": "c"}, c="v", context="x", self="y") == "gcvxy"
    assert template.inputs == ("a", "b", "c", "context", "self")


def test_missing_empty() -> None:
    """With ``missing="empty"`` what does not exist prints as nothing."""
    engine = Engine(missing="empty")
    assert engine.compile("[{= a.b.c =}{= d[3] =}{= e | upper =}<! for x in y !>.<! end !>]").render(d=[]) == "[]"


@pytest.mark.parametrize("options", [{"missing": "ignore"}, {"url_schemes": "https"}])
def test_wrong_options(options: dict[str, str]) -> None:
    """An option that cannot be is refused at once."""
    with pytest.raises(ValueError, match=next(iter(options))):
        Engine(**options)  # type: ignore[arg-type]


def test_plain_text() -> None:
    """Plain text is not escaped; other kinds of files take no values."""
    assert Engine().compile("<b> {= x =} <!-- {= x =} -->", "mail.txt").render(x="<&>") == "<b> <&> <!-- <&> -->"
    with pytest.raises(untor.PlacementError, match=r"in a \.tex file"):
        Engine().compile("{= x =}", "bill.tex")


class Lazy:
    """An object whose attributes are made up, and which counts how often it is asked."""

    asked = 0

    def __getattr__(self, name: str) -> object:
        Lazy.asked += 1
        if name == "broken":
            raise RuntimeError("no luck")
        raise AttributeError(name)

    def __getitem__(self, key: str) -> str:
        return {"item": "i"}[key]

    def __str__(self) -> str:
        raise OSError("nothing to say")


def test_dots() -> None:
    """A dot reads the attribute, then the item; what a value itself raises is chained."""
    render = Engine().compile("{= x.item =}{= y.a =}").render
    assert render(x=Lazy(), y=SimpleNamespace(a=1)) == "i1"
    with pytest.raises(MissingValue):
        render(x=SimpleNamespace(), y=1)
    for source, cause in [("{= x.broken =}", RuntimeError), ("{= x =}", OSError), ("{= x | upper =}", OSError)]:
        with pytest.raises(RenderError) as found:
            Engine().compile(source).render(x=Lazy())
        assert type(found.value.__cause__) is cause
        assert found.value.column == (8 if "upper" in source else 4)


def test_text_that_is_no_plain_str() -> None:
    """A subclass of ``str`` cannot smuggle in methods of its own."""

    class Sly(str):
        __slots__ = ()

        def replace(self, *_: object) -> str:
            return self

        def __str__(self) -> str:
            return self

    assert Engine().compile('<p title="{= x =}">{= x =}').render(x=Sly("<'>")) == '<p title="&lt;&#39;&gt;">&lt;\'&gt;'


def test_own_filters_and_locale() -> None:
    """Filters of one's own come beside the built-in ones; dates are in the engine's locale."""
    engine = Engine(filters={"twice": lambda value, sign="": f"{value}{sign}{value}"}, locale="de-DE")
    assert (
        engine.compile('{= x | twice("<") =} {= d | date("EEEE") =}').render(x=1, d=date(2031, 5, 17))
        == "1&lt;1 Samstag"
    )
    with pytest.raises(RenderError, match="the locale 'xx' is not known"):
        engine.compile("{= d | date(locale=l) =}").render(d=date(2031, 5, 17), l="xx")


def test_threads() -> None:
    """One template renders in many threads at once."""
    template = Engine().compile("<! for x in xs as row !>{= row.number =}{= x =}<! end !>")
    with ThreadPoolExecutor(8) as pool:
        pages = list(pool.map(lambda n: template.render(xs=[n] * 200), range(64)))
    assert pages == ["".join(f"{i}{n}" for i in range(1, 201)) for n in range(64)]


def engine_without_files(name: str) -> ParsedTemplate:
    raise AssertionError(name)


def test_constant_text_is_merged() -> None:
    """A row of a page is one append of one f-string, whatever stands in it."""
    source = '<table><! for c in cs !><tr class="a"><td>{= c.a =}</td><td title="{= c.b =}"><a href="/v/{= c.c =}">x</a></td></tr><! end !>'
    planned = analyse(
        reading_of(Source("t.html", source)),
        engine_without_files,
        built_in(LocaleSettings()),
        Permissions(frozenset(), Tables(), {}, Translator("en", "en", {})),
    )
    assert not planned.problems
    code = next(const for const in build_python(planned).code.co_consts if hasattr(const, "co_names"))
    calls = [name for name in code.co_names if name.startswith("_e_") or name == "_dot"]
    assert sorted(calls) == ["_dot", "_e_attribute", "_e_segment_url", "_e_text"]
    assert build_python(planned).code.co_consts == build_python(planned).code.co_consts
    program = build_program(planned)
    assert program == build_program(planned)
    assert sum(letters != b"" for _, letters, _ in program.joins) == 1


# --- the house ---------------------------------------------------------------------------------------------------

LEVELS = [
    "escape", "contexts diagnostics types", "errors language", "runtime", "filters", "messages", "analysis",
    "codegen", "loading", "compiler web", "inference", "extraction", "check probe format data", "site", "engine",
    "report explain testing", "serve language_server", "demo", "__init__", "start", "cli", "pytest_plugin __main__",
]  # fmt: skip
RANK = {name: level for level, names in enumerate(LEVELS) for name in names.split()}


def test_arrows_point_one_way() -> None:
    """Imports between folders, those for types too, go from later to earlier levels; one level knows nothing of itself."""
    for file in SRC.rglob("*.py"):
        own = file.relative_to(SRC).parts[0].removesuffix(".py")
        for node in ast.walk(ast.parse(file.read_text("utf-8"))):
            if isinstance(node, ast.ImportFrom) and (node.module or "").partition(".")[0] == "untor":
                other = str(node.module).split(".")[1] if "." in str(node.module) else "__init__"
                assert own == other or RANK[other] < RANK[own], f"{file}:{node.lineno} imports {node.module}"


def test_what_is_public_stays() -> None:
    """What is public is what it was; a line that goes or changes is deprecated first, as CONTRIBUTING says."""
    assert [*lines()] == (TESTS / "cases/public.txt").read_text("utf-8").splitlines()


def test_import_is_light() -> None:
    """``import untor`` loads only the standard library, and little of it; rendering loads no compiler of ours."""
    script = "import sys; before = set(sys.modules); import untor; print(*sorted(set(sys.modules) - before))"
    loaded = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout.split()
    assert not {name.partition(".")[0] for name in loaded} - {"untor"} - set(sys.stdlib_module_names)
    assert not {"dataclasses", "inspect", "typing", "logging", "click", "untor.analysis.analyser"} & set(loaded)


def test_cached_pages_are_light(tmp_path: Path) -> None:
    """A page from the cache loads neither the compiler, nor escaping that it does not use, nor what these need."""
    (tmp_path / "page.html").write_text("<p title='{= a =}'>{= b =}<a href='/{= c =}'>x</a>", "utf-8")
    script = (
        "import sys; before = set(sys.modules); from untor import Engine\n"
        f"engine = Engine({str(tmp_path)!r}, cache_folder={str(tmp_path / 'cache')!r})\n"
        "template = engine.template('page'); data = {'a': 1, 'b': '<', 'c': 'x-y'}; engine.render('page', data)\n"
        "list(template.stream(data))\n"
        "try: template.render_async(data).send(None)\nexcept StopIteration: pass\n"
        "try: template.stream_async(data).__anext__().send(None)\nexcept StopIteration: pass\n"
        "print(*sorted(set(sys.modules) - before))"
    )
    runs = [
        subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True) for _ in range(2)
    ]
    compiled, cached = (set(run.stdout.split()) for run in runs)
    heavy = set("ast dataclasses hashlib inspect json logging pathlib re tempfile threading typing".split())
    heavy |= set(
        """untor.codegen.build untor.escape.javascript untor.escape.css untor.contexts untor.analysis
        untor.language""".split()
    )
    assert len(compiled & heavy) > 5
    assert not cached & heavy


def test_public_names() -> None:
    """What ``__all__`` names can be imported, says that it is part of ``untor``, and has a docstring, as its methods do."""
    assert sorted(untor.__all__) == untor.__all__
    for name in set(untor.__all__) - {"__version__"}:
        public = getattr(untor, name)
        assert public.__module__ == "untor", name
        assert inspect.getdoc(public), name
        for member, value in vars(public).items():
            if not member.startswith("_") and (callable(value) or isinstance(value, property)):
                assert inspect.getdoc(value), f"{name}.{member}"
    with pytest.raises(AttributeError, match="module 'untor' has no attribute 'Rendre'"):
        _ = untor.Rendre


def test_help_shows_what_users_call() -> None:
    """``help(untor.Engine)`` lists its options and nothing that only Untor calls; a template's four ways have words too."""
    methods = {name for name in vars(untor.Engine) if not name.startswith("_")}
    assert methods == set(
        """build check compile filter helper in_locale locales negotiate page page_async reload render render_many say
        template""".split()
    )
    options = [name for name in inspect.signature(untor.Engine).parameters if name != "folders"]
    assert all(f"- ``{name}``: " in (untor.Engine.__doc__ or "") for name in options)
    shown = pydoc.plain(pydoc.render_doc(untor.Template))
    for name in ("render", "stream", "render_async", "stream_async"):
        assert f"{name}\n |      " in shown


TYPED = """
from untor import Engine, Router
engine = Engine("templates", missing="empty", calls="methods")
@engine.filter
def short(text: str, length: int = 3) -> str: return text[:length]
@engine.helper
def berth(number: int) -> str: return f"Berth {number}"
reveal_type(short)
reveal_type(berth)
template = engine.template("page")
reveal_type(template.render({"a": 1}, b=2))
reveal_type(template.stream())
reveal_type(template.placements)
reveal_type(engine.check())
template.render(1, 2, 3)
Engine(missing="ignore")
Engine(calls="all")
Engine(links=5)
"""

SAID = {
    8: "def (text: str, length: int =) -> str",
    9: "def (number: int) -> str",
    11: '"str"',
    12: "Generator[str, None, None]",
    13: "untor.analysis.ir.Placement",
    14: "list[untor.check.findings.Finding]",
    15: "[call-arg]",
    16: "Literal['error', 'empty']",
    17: "Literal['functions', 'methods']",
    18: "Mapping[str, str] | Router | Callable[..., object] | None",
}
"""What a type checker must say of each line, and nothing of others."""


def test_types(tmp_path: Path) -> None:
    """A type checker sees what was registered as it was written, and finds wrong arguments."""
    (tmp_path / "views.py").write_text(TYPED, "utf-8")
    command = [
        sys.executable, "-m", "mypy", "--no-color-output", "--no-error-summary", "--cache-dir",
        str(tmp_path / "cache"), "views.py",
    ]  # fmt: skip
    done = subprocess.run(command, capture_output=True, text=True, cwd=tmp_path, check=False)
    said: dict[int, str] = {}
    for line in done.stdout.replace("builtins.", "").splitlines():
        _, number, text = line.split(":", 2)
        said[int(number)] = said.get(int(number), "") + text
    assert said.keys() == SAID.keys(), done.stdout + done.stderr
    assert not {number: said[number] for number, words in SAID.items() if words not in said[number]}


ROWS: list[tuple[dict[str, str], str, str]] = [
    ({"data-to": "url"}, '<p data-to="/v/{= x =}">', "url-path"),
    ({"data-to": "url"}, '<p data-to="{= x =}">', "url"),
    ({"data-src": "resource-url"}, '<p data-src="{= x =}">', "resource-url"),
    ({"x-tide": "text"}, '<p x-tide="{= x =}">', "attribute"),
    ({"sea:*": "script"}, '<p sea:wave="f({= x =})">', "script-value"),
    ({"data-sea": "json"}, """<p data-sea='{"a": {= x =}}'>""", "json-value"),
    ({"data-look": "style"}, '<p data-look="color: {= x =}">', "style-value"),
    ({"data-tip": "html"}, '<p data-tip="<b>{= x =}</b>">', "html-attribute"),
    ({"data-ids": "id-list"}, '<p data-ids="{= x =}">', "attribute"),
    ({"data-sea": "refused"}, '<p data-sea="{= x =}">', "place-active"),
    ({"ng-*": "text"}, '<p ng-if="{= x =}">', "attribute"),
    ({"[*]": "text"}, '<p [tide]="{= x =}">', "attribute"),
]  # fmt: skip


@pytest.mark.parametrize(("rows", "source", "expected"), ROWS)
def test_attributes_of_libraries(rows: dict[str, str], source: str, expected: str) -> None:
    """``attributes`` says what attributes are that client libraries read."""
    own = pickle.loads(pickle.dumps(Engine(attributes=rows)))
    try:
        found = own.compile(source).placements[0].context
    except PlacementError as error:
        found = error.code
    assert found == expected


BAD: list[tuple[str, object]] = [
    ("attributes", {"data-to": "link"}), ("attributes", {"onclick": "text"}), ("attributes", {"href": "text"}), ("attributes", {"a b": "url"}),
    ("attributes", ["data-to"]), ("attributes", {"": "url"}), ("script_types", {"module": "text"}), ("script_types", {"text/x": "url"}),
    ("script_types", {"importmap": "json"}), ("script_types", {3: "json"}),
]  # fmt: skip


@pytest.mark.parametrize(("option", "rows"), BAD)
def test_rows_that_cannot_be(option: str, rows: Any) -> None:
    """A row that says what a standard says already, or nothing, is an error of the option."""
    with pytest.raises(ValueError, match=option):
        Engine(**{option: rows})
