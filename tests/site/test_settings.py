"""The table of pages, and the check of links: every message, word by word."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import pytest
from support import untor

from untor import Engine
from untor.site.settings import BuildSettingError, settings_of

if TYPE_CHECKING:
    from pathlib import Path

PAGE = {"page": "x"}


@pytest.mark.parametrize(("table", "said"), [
    ({"outptu": "x"}, 'there is no setting "outptu". Did you mean "output"?'),
    ({"pages": {}}, 'there is no setting "pages". Settings are output, url, data, query, types, values; a page is named by its path, like "index.html".'),
    ({"output": 3}, "output: output must be text, not 3"),
    ({"url": "ellery"}, "url must be the address of the site, like \"https://ellery.example/\", not 'ellery'"),
    ({"url": "https://ellery.example/?a"}, "url must be the address of the site, like \"https://ellery.example/\", not 'https://ellery.example/?a'"),
    ({"data": "x.exe"}, None),
    ({"a.html": "x"}, '"a.html" must be a table, like {page = "index"}, not a str'),
    ({"a.html": {}}, '"a.html" has no page, the name of its template: {page = "index"}'),
    ({"a.html": {"page": 3}}, '"a.html": page must be text, not 3'),
    ({"a.html": {**PAGE, "dat": "x"}}, '"a.html" has no setting "dat". Did you mean "data"?'),
    ({"a.html": {**PAGE, "data": "x.exe"}}, '"a.html": the data file "x.exe" has none of the endings .json, .toml, .yaml, .yml, .csv, .tsv, .xml, .sqlite, .sqlite3, .db'),
    ({"a.html": {**PAGE, "data": [3]}}, '"a.html": data is a file, a list of files, or a table of names and files, not [3]'),
    ({"a.html": {**PAGE, "query": {"a": 3}}}, "\"a.html\": query must be a table, like {calls = \"select * from calls\"}, not {'a': 3}"),
    ({"a.html": {**PAGE, "values": 3}}, '"a.html": values must be a table, like {title = "Calls"}, not 3'),
    ({"a.html": {**PAGE, "types": {"a": "itn"}}}, '"a.html": there is no type \'itn\' for the column "a". Did you mean "int"?'),
    ({"a.html": {**PAGE, "sitemap": "no"}}, '"a.html": sitemap must be true or false'),
    ({"a.html": {**PAGE, "per": 2}}, '"a.html": per needs each, the name of the records, like each = "notices"'),
    ({"a.html": {**PAGE, "as": "v"}}, '"a.html": as is what each record is called; it needs each, like each = "vessels"'),
    ({"a.html": {**PAGE, "first": "b.html"}}, '"a.html": first is the path of the first page of several; it needs per'),
    ({"a.html": {**PAGE, "each": "v"}}, '"a.html" is the same for all records; a field makes them different, like {id}'),
    ({"{id}.html": PAGE}, '"{id}.html" has fields, and no records that they are of, like each = "vessels"'),
    ({"{id.html": {**PAGE, "each": "v"}}, '"{id.html": a brace in the path belongs to no field; a field is like {id}'),
    ({"{id}.html": {**PAGE, "each": 3}}, '"{id}.html": each is the name of a list in the data, like "vessels", not 3'),
    ({"{id}.html": {**PAGE, "each": "v", "per": -1}}, '"{id}.html": per is how many records a page has, like 20, not -1'),
    ({"{id}.html": {**PAGE, "each": "v", "as": "a b"}}, '"{id}.html": the template needs a name for the records, like as = "notices"'),
    ({"{page}.html": {**PAGE, "each": [1], "per": 2}}, '"{page}.html": the template needs a name for the records, like as = "notices"'),
    ({"../a.html": PAGE}, '"../a.html" cannot be the path of a file: it has a part that is "..", and would be another place'),
    ({"/a.html": PAGE}, '"/a.html" cannot be the path of a file: it has an empty part, and would be another place'),
    ({"aux.html": PAGE}, '"aux.html" cannot be the path of a file: "aux.html" is the name of a device on Windows'),
    ({"a.html": {**PAGE, "locales": ["de"]}}, '"a.html": with locales, the path must have {locale} in it, like "{locale}/a.html"'),
    ({"{locale}/a.html": {**PAGE, "locales": "de"}}, "\"{locale}/a.html\": locales must be a list, like [\"en\", \"de\"], not 'de'"),
    ({"{locale}/a.html": {**PAGE, "locales": ["de"], "locale": "en"}}, '"{locale}/a.html" has both locale and locales; one of them is enough'),
    ({"{locale}/a.html": PAGE}, '"{locale}/a.html": {locale} in the path needs locales, like locales = ["en", "de"]'),
])  # fmt: skip
def test_settings(table: dict[str, object], said: str | None) -> None:
    """Every setting that cannot be is refused before anything is written, with what it should be."""
    if said is None:
        assert settings_of(table).entries == []
        return
    with pytest.raises(BuildSettingError) as refused:
        settings_of(table)
    assert str(refused.value) == said


BUILD = '[tool.untor.build]\n"x.html" = {page = "x"}\n'


@pytest.mark.parametrize(("settings", "arguments", "said"), [
    ("", [], "No pyproject.toml has a table [tool.untor.build], which lists the pages:"),
    ("[tool.untor]\n", [], "/pyproject.toml has no table [tool.untor.build], which lists the pages:"),
    ("[tool.untor]\nbuild = 3", [], 'build in [tool.untor] must be a table of pages, like {"index.html" = {page = "index"}}'),
    (BUILD.replace("page", "pgae"), [], '/pyproject.toml: [tool.untor.build]: "x.html" has no setting "pgae". Did you mean "page"?'),
    (BUILD, ["-o", "templates"], 'the output folder "templates" is in "templates", which the site is made from; build into a folder of its own.'),
    (BUILD, ["-o", "templates/out"], 'the output folder "templates/out" is in "templates", which'),
    (BUILD, ["-o", "."], 'the output folder "." contains "templates", which the site is made from'),
    (BUILD, ["-o", "file"], 'the output "file" is not a folder.'),
    (BUILD + 'output = "data"\ndata = "data/x.json"', [], 'the output folder "data" contains "data/x.json", which the site is made from'),
    (BUILD, ["--jobs", "2", "--executor", "m:f"], "--jobs and --executor both say who does the work; use one of them."),
    (BUILD, ["--executor", "m"], "'m' is not MODULE:FUNCTION, like cluster:executor."),
    (BUILD, ["--executor", "nowhere:f"], "Cannot make the executor nowhere:f: ModuleNotFoundError: No module named 'nowhere'"),
    (BUILD, ["--executor", "builtins:int"], "builtins:int does not return an executor, with submit as those of concurrent.futures have."),
    (BUILD, ["--jobs", "0"], "0 is not in the range 1<=x<=256."),
    (BUILD + '"y.html" = {page = "x", locale = "xx"}', [], "locale: "),
    (BUILD + '"{a b}.html" = {page = "x", each = "v", values = {v = [{}]}}', [], "the field {a b} is not an expression: "),
    (BUILD + '"y.html" = {page = "reads", values = {page = 3}}', [], 'the data has a value "page", which in a built site is the page itself.'),
])  # fmt: skip
def test_usage(tmp_path: Path, settings: str, arguments: list[str], said: str) -> None:
    """A build that cannot begin says why, with exit status 2, and writes nothing."""
    (tmp_path / "templates").mkdir()
    (tmp_path / "templates/x.html").write_text("<p>", "utf-8")
    (tmp_path / "templates/reads.html").write_text("<p>{= page =}", "utf-8")
    (tmp_path / "file").touch()
    if settings:
        (tmp_path / "pyproject.toml").write_text(settings, "utf-8")
    status, printed, errors = untor("build", *arguments, folder=tmp_path)
    assert (status, printed) == (2, "")
    assert said in " ".join(errors.split())
    assert not list(tmp_path.rglob("*.html.*")) + list(tmp_path.glob("*/x.html"))[1:]


@pytest.mark.parametrize(("page", "broken"), [
    ('<a href="b.html">x</a><a href="/b.html#there">x</a><a href="#own" id="own">x</a><a href="#top">x</a><a href="#">x</a>', []),
    ('<a href="https://other.example/x">x</a><a href="mailto:a@ellery.example">x</a><a href="//cdn.example/x">x</a>', []),
    ('<a href="https://ellery.example/b.html?x=1#there">x</a><a href="in/">x</a><a href="in">x</a><a href="./">x</a>', ["./"]),
    ('<a name="old"></a><a href="#old">x</a><a href="b.html#:~:text=hi">x</a><a href="b.html#there:~:text=hi">x</a>', []),
    ('<img src="pic%20%C3%A4.svg" srcset="pic%20%C3%A4.svg 1x, none.svg 2x" alt="">', ["none.svg"]),
    ('<base href="/in/"><a href="c.html">x</a><a href="../b.html">x</a><a href="b.html">y</a>', ["b.html"]),
    ('<a href="none.html">x</a><a href="/none/">x</a><a href="b.html#nowhere">x</a><a href="http://[x">x</a>', ["/none/", "b.html#nowhere", "http://[x", "none.html"]),
    ('<script src="/s.js"></script><link rel="stylesheet" href="s.css"><iframe src="i.html"></iframe><form action="f"></form>', ["/s.js", "f", "i.html", "s.css"]),
    ('<svg><use href="u.svg"/><image xlink:href="v.svg"/></svg><video src="v.mp4" poster="p.png"></video><object data="o.pdf"></object>', ["o.pdf", "p.png", "u.svg", "v.mp4", "v.svg"]),
    ('<p>the &lt;a href="none"&gt;</p><!-- <a href="none">x</a> --><textarea><a href="none"></textarea><a href="t.html">x</a>', ["t.html"]),
])  # fmt: skip
def test_links(tmp_path: Path, page: str, broken: list[str]) -> None:
    """Links inside the site are followed as a browser and a static server would; those out of it are not."""
    (tmp_path / "templates").mkdir()
    files = {
        "a.html": page, "b.html": '<p id="there">', "in/index.html": "<p>", "in/c.html": "<p>", "pic ä.svg": "<svg/>",
    }  # fmt: skip
    lines = ["[tool.untor.build]", 'url = "https://ellery.example"']
    for number, (path, text) in enumerate(files.items()):
        (tmp_path / f"templates/{number}.{path[-4:].strip('.')}").write_text(text, "utf-8")
        lines.append(f'"{path}" = {{page = "{number}.{path[-4:].strip(".")}"}}')
    (tmp_path / "pyproject.toml").write_text("\n".join(lines), "utf-8")
    status, _, errors = untor("build", "--check", "-q", folder=tmp_path)
    assert [line.split('"')[1] for line in errors.splitlines()] == broken
    assert status == int(bool(broken))


def test_what_is_said_of_links(tmp_path: Path) -> None:
    """A broken link is reported once, with the page, the reason, what may have been meant, and on how many pages it is."""
    (tmp_path / "templates").mkdir()
    (tmp_path / "templates/x.html").write_text(
        '<p id="here"><a href="/port/y.html">y</a><a href="/z">z</a><a href="#heer">h</a><a href="https://ellery.example/z">z</a>',
        "utf-8",
    )
    (tmp_path / "templates/404.html").write_text('<a href="x.html">x</a><a href="/port/x.html">x</a>', "utf-8")
    (tmp_path / "pyproject.toml").write_text(
        '[tool.untor.build]\nurl = "https://ellery.example/port"\n"x.html" = {page = "x"}\n"w.html" = {page = "x"}',
        "utf-8",
    )
    assert untor("build", "--check", folder=tmp_path) == (
        1,
        "public: 3 pages; 3 written, 0 unchanged.\n",
        """\
untor: 404.html: the link "x.html" leads nowhere: this page is the answer at any address: its links must begin with /
untor: w.html: the link "#heer" leads nowhere: w.html has no element with the id "heer". Did you mean "here"?
untor: w.html (and on 1 other page): the link "/port/y.html" leads nowhere: the site has no y.html
untor: w.html (and on 1 other page): the link "/z" leads nowhere: it leads out of the site, whose addresses begin with /port/
untor: x.html: the link "#heer" leads nowhere: x.html has no element with the id "heer". Did you mean "here"?
""",
    )


def write(folder: Path, **files: str) -> None:
    """Write the templates, the Python module and the settings of a site."""
    (folder / "templates").mkdir()
    for name, path in {"page": "templates/x.html", "module": "port.py", "settings": "pyproject.toml"}.items():
        if name in files:
            (folder / path).write_text(files[name], "utf-8")


def test_names_of_data_are_suggested(tmp_path: Path) -> None:
    """A name that a template misspells is looked up among all of the data, also what was not read."""
    write(tmp_path, page="<p>{= vesel =}", settings=BUILD + "values = {vessel = 3, berth = 4}\n")
    status, _, errors = untor("build", folder=tmp_path)
    assert (status, 'Did you mean "vessel"?' in errors) == (1, True)


def test_an_executor_and_an_engine_of_the_site(tmp_path: Path) -> None:
    """The site's own module gives the engine and the executor; processes import the engine instead of copying it."""
    module = (
        "from concurrent.futures import ThreadPoolExecutor\nfrom untor import Engine\n"
        "pages = Engine('templates', filters={'double': lambda value: value * 2})\n"
        "def executor(): return ThreadPoolExecutor(2)\n"
    )
    settings = f'[tool.untor]\nengine = "port:pages"\n{BUILD}'
    write(tmp_path, page="<p>{= 3 | double =}", module=module, settings=settings)
    for extra in (["--executor", "port:executor"], ["--jobs", "2", "--whole"]):
        assert untor("build", "-q", *extra, folder=tmp_path) == (0, "", "")
        assert (tmp_path / "public/x.html").read_text("utf-8") == "<p>6"
    (tmp_path / "port.py").write_text(module.replace("* 2", "* 3"), "utf-8")
    assert untor("build", folder=tmp_path) == (0, "public: 1 page; 1 written, 0 unchanged.\n", "")


def test_a_process_that_ends(tmp_path: Path) -> None:
    """A process that the system ends, as for lack of memory, is reported; what was written is kept."""
    write(
        tmp_path,
        page="<p>{= n | fatal =}",
        module="import os\nfrom untor import Engine\npages = Engine('templates')\n"
        "@pages.filter\ndef fatal(n):\n    return n if n < 900 else os._exit(9)\n",
        settings='[tool.untor]\nengine = "port:pages"\n[tool.untor.build]\ndata = "x.json"\n'
        '"{n}.html" = {page = "x", each = "records"}\n',
    )
    (tmp_path / "x.json").write_text(json.dumps({"records": [{"n": n} for n in range(1000)]}), "utf-8")
    status, printed, errors = untor("build", "--jobs", "2", folder=tmp_path)
    assert (status, printed) == (1, "")
    assert errors == (
        "untor: a process that renders pages has ended, perhaps for lack of memory. "
        "What was written is kept; build again, with fewer --jobs\n"
    )
    assert (tmp_path / "public/0.html").read_text("utf-8") == "<p>0"


def test_what_python_cannot_build(tmp_path: Path) -> None:
    """``Engine.build`` refuses what the command refuses, and what is no table, no pages and no executor."""
    with pytest.raises(ValueError, match="build into a folder of its own"):
        Engine(str(tmp_path)).build(tmp_path / "out", [])
    (tmp_path / "t").mkdir()
    engine: Any = Engine(str(tmp_path / "t"))
    for pages, executor, said in [
        ([("a", "b")], None, "page 1 must be a path, the name of a template, and a mapping of values, not a tuple of 2"),
        (3, None, "pages must be a table of them by path, or an iterable of paths, .* not an int"),
        ("abc", None, "pages must be a table of them by path, or an iterable of paths, .* not a str"),
        ([], 3, "executor must be a concurrent.futures.Executor, not 3"),
    ]:  # fmt: skip
        with pytest.raises(BuildSettingError, match=said):
            engine.build(tmp_path / "out", pages, executor)
