"""The checker: through the command line on a site with every kind of mistake, and rule by rule."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import jsonschema
import pytest
from contexts.test_places import SOURCES
from hypothesis import given
from support import CASES, cases, untor

from untor import Engine, Policy, UntorError
from untor.check.checker import check
from untor.diagnostics.codes import CODES, EXAMPLE_FILES
from untor.diagnostics.rules import OFF, RULES
from untor.report import FORMATS

IN_CATALOGUES = {
    code for code in RULES if code.startswith(("message-", "catalogue-", "lang-fixed")) and not RULES[code].failing
}
ELSEWHERE = {"template-hidden", "input-not-given", "trusted-budget", "layout-argument", "layout-input"}
NEEDS_CLASSES = {"type-unresolved"}
NEEDS_A_POLICY = {"csp-picture"}


@pytest.fixture
def site(tmp_path: Path) -> Path:
    """A copy of the site with mistakes."""
    return Path(shutil.copytree(CASES / "site", tmp_path / "site"))


def codes(folder: Path, **files: str) -> list[str]:
    """Return the codes found in a site of some files."""
    for name, text in files.items():
        (folder / f"{name}.html").write_text(text, "utf-8")
    return [finding.code for finding in check(Engine(folder).compiler).findings]


def test_site(site: Path) -> None:
    """The whole report on a site with one of each mistake is the one expected."""
    status, output, errors = untor("check", "--trusted", folder=site)
    assert output == (CASES / "site.txt").read_text("utf-8")
    assert (status, errors) == (1, "")


def test_every_example(tmp_path: Path) -> None:
    """The report on the failing examples of all problems and rules is the one expected, whole."""
    for name, text in EXAMPLE_FILES.items():
        (tmp_path / name).write_text(text, "utf-8")
    for code, kind in {**CODES, **RULES}.items():
        if kind.failing:
            (tmp_path / f"{code}.html").write_text(kind.failing, "utf-8")
    status, output, _ = untor(
        "check", "--folder", ".", *(f"--also={code}" for code in OFF - {"message-text"}), folder=tmp_path
    )
    assert output == (CASES / "examples.txt").read_text("utf-8")
    assert status == 1


@pytest.mark.parametrize("code", sorted(RULES.keys() - ELSEWHERE - NEEDS_A_POLICY - NEEDS_CLASSES - IN_CATALOGUES))
def test_rule(code: str, tmp_path: Path) -> None:
    """The failing example of a rule breaks it and no other; the fixed one breaks none."""
    page = tmp_path / "page.html"
    for text, expected in ((RULES[code].failing, [code]), (RULES[code].fixed, [])):
        page.write_text(text, "utf-8")
        assert [found.code for found in Engine(tmp_path).check(also=OFF & {code})] == expected


def test_rules_that_need_more_than_a_page(site: Path) -> None:
    """The other rules are broken by the site with mistakes."""
    assert {
        finding["code"] for finding in json.loads(untor("check", "--format=json", folder=site)[1])["findings"]
    } >= ELSEWHERE


@pytest.mark.parametrize("case", cases("elements.txt"), ids=lambda case: case.title)
def test_elements(case: object, tmp_path: Path) -> None:
    """What is open where, through steps: each case names what is found, in order."""
    parts = case.parts  # type: ignore[attr-defined]
    files = {name.removesuffix(".html"): text for name, text in parts.items() if name.endswith(".html")}
    assert " ".join(codes(tmp_path, page=parts["template"], **files)) == parts["found"].strip()


def agrees(folder: Path) -> None:
    """Look at a page: the checker finds an error in its site where the compiler refuses it, the same one among others."""
    engine = Engine(folder, helpers={"link": str})
    errors = {found.code for found in check(engine.compiler).findings if found.severity == "error"}
    try:
        engine.template("page")
    except UntorError as error:
        assert error.code in errors
    else:
        assert not {
            found.code for found in check(engine.compiler, only={"page.html"}).findings if found.severity == "error"
        }


@pytest.mark.parametrize("file", ["places.txt", "language.txt", "pieces.txt", "messages.txt"])
def test_checker_and_compiler_agree(file: str, tmp_path: Path) -> None:
    """On every case, the checker says no more and no less than what keeps a page from being compiled."""
    for number, case in enumerate(cases(file)):
        folder = tmp_path / str(number)
        files = {name.removeprefix("file "): text for name, text in case.parts.items() if name.startswith("file ")}
        for name, text in {"page.html": case.parts["template"], **files}.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_text(text, "utf-8", newline="")
        agrees(folder)


@given(SOURCES)
def test_checker_takes_any_markup(source: str) -> None:
    """Whatever the markup and the marks in it, the checker comes to an end, and agrees with the compiler."""
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "page.html").write_text(source, "utf-8", "replace", newline="")
        agrees(Path(folder))


def test_json(site: Path) -> None:
    """The JSON says the same as the text, and where things are."""
    report = json.loads(untor("check", "--format", "json", folder=site)[1])
    assert list(report) == ["format", "untor", "templates", "accepted", "findings", "trusted"]
    found = next(finding for finding in report["findings"] if finding["code"] == "element-wrong-end")
    excerpt = "  5 |   </div>\n    |   ^^^^^^"
    expected = {"path": "base/header.html", "line": 5, "column": 3, "end_line": 5, "end_column": 9, "excerpt": excerpt}
    assert expected.items() <= found.items()
    related = {"path": "base/header.html", "line": 2, "column": 3, "message": "the <nav> is opened here"}
    assert found["related"] == [related]
    assert [entry["reason"] for entry in report["trusted"]] == ["cleaned in notices.clean()", "written by the office"]


def test_sarif(site: Path) -> None:
    """The SARIF is valid against its schema, and its fingerprints outlive an edit above."""
    schema = json.loads((CASES / "sarif-2.1.0.json").read_text("utf-8"))
    report = json.loads(untor("check", "--format", "sarif", folder=site)[1])
    jsonschema.validate(report, schema, format_checker=jsonschema.FormatChecker())
    run = report["runs"][0]
    findings = json.loads(untor("check", "--format", "json", folder=site)[1])["findings"]
    assert [result["message"]["text"].splitlines()[0] for result in run["results"]] == [
        each["message"] for each in findings
    ]
    for result in run["results"]:
        assert run["tool"]["driver"]["rules"][result["ruleIndex"]]["id"] == result["ruleId"]
    header = site / "base/header.html"
    header.write_text("<!-- the header -->\nzz\n" + header.read_text("utf-8"), "utf-8")
    after = json.loads(untor("check", "--format", "sarif", folder=site)[1])["runs"][0]
    prints = [[result["partialFingerprints"]["untor/v1"] for result in each["results"]] for each in (run, after)]
    lines = [
        [result["locations"][0]["physicalLocation"]["region"]["startLine"] for result in each["results"]]
        for each in (run, after)
    ]
    assert lines[0] != lines[1]
    assert prints[0] == prints[1]
    assert len(set(prints[0])) == len(prints[0])


def test_clean(tmp_path: Path) -> None:
    """A clean site says so, with exit status 0; every format can be written for it."""
    (tmp_path / "templates").mkdir()
    (tmp_path / "templates/page.html").write_text("<p>{= x =}</p>", "utf-8")
    assert untor("check", folder=tmp_path) == (0, "1 template checked: nothing is wrong.\n", "")
    assert all(report(check(Engine(tmp_path / "templates").compiler)) for report in FORMATS.values())


@pytest.mark.parametrize(("arguments", "status", "said"), [
    (["check", "nowhere"], 2, 'untor: There is no template "nowhere".'),
    (["check", "--folder", "nowhere"], 2, "Error: There are no templates in nowhere."),
    (["check", "--also", "csp-scripts"], 2, 'Error: There is no rule "csp-scripts". Did you mean "csp-script"?'),
    (["check", "--engine", "site"], 2, "Error: 'site' is not MODULE:NAME, like site.views:pages."),
    (["check", "--engine", "gone.away:x"], 2, 'Error: There is no module "gone" for the engine gone.away:x.'),
    (["check", "--engine", "json:loads"], 2, "Error: Cannot import the engine json:loads: TypeError"),
    (["check", "--engine", "json:dumps.__name__"], 2, "Error: json:dumps.__name__ is not an engine, but a str."),
    (["check", "empty"], 2, "Error: There are no templates in empty."),
    (["check", "base/places.html", "base/message.html"], 1, ""),
    (["check", "base/message.html", "theme"], 1, ""),
    (["check", "message", "base/mail.txt"], 1, ""),
    (["check", "empty", "base"], 2, "Error: empty has no template in"),
])  # fmt: skip
def test_arguments(site: Path, arguments: list[str], status: int, said: str) -> None:
    """What is requested wrongly is said on standard error with exit status 2; parts of a site can be checked."""
    (site / "empty").mkdir()
    found, output, errors = untor(*arguments, folder=site)
    assert (found, said in errors, bool(output)) == (status, True, status < 2), errors


@pytest.mark.parametrize(("settings", "said"), [
    ('engin = "a:b"', 'there is no setting "engin" in [tool.untor]. Did you mean "engine"?'),
    ("also = 3", 'also in [tool.untor] must be a list of rules, like ["csp-script"]'),
    ('accept = {opener = ""}', '"opener" in [tool.untor.accept] has no reason.'),
    ('accept = {openr = "x"}', '"openr" in [tool.untor.accept] cannot be accepted. Did you mean "opener"?'),
    ('accept = {circular = "x"}', '"circular" is an error, not a rule'),
    ("most-trusted = true", "most-trusted in [tool.untor] must be a number"),
])  # fmt: skip
def test_settings(site: Path, settings: str, said: str) -> None:
    """Settings that mean nothing are a usage error that names the way out."""
    (site / "pyproject.toml").write_text(f'[tool.untor]\n{settings}\nfolders = "base"\n', "utf-8")
    status, output, errors = untor("check", folder=site)
    assert (status, output, said in errors.replace("\n", " ")) == (2, "", True), errors


def test_own_engine(tmp_path: Path) -> None:
    """A site's own filters are known when its engine is named, on the command line or in the settings."""
    (tmp_path / "pages").mkdir()
    (tmp_path / "pages/board.html").write_text("<p>{= x | knots =}</p>", "utf-8")
    (tmp_path / "views.py").write_text(
        "import untor\npages = untor.Engine('pages')\n@pages.filter\ndef knots(x):\n    return x\n", "utf-8"
    )
    assert untor("check", "--folder", "pages", folder=tmp_path)[0] == 1
    assert untor("check", "--engine", "views:pages", folder=tmp_path)[0] == 0
    (tmp_path / "pyproject.toml").write_text('[tool.untor]\nengine = "views:pages"\n', "utf-8")
    assert untor("check", "pages/board.html", folder=tmp_path)[0] == 0
    assert untor("render", "pages/board.html", "--set", "x=5", folder=tmp_path) == (0, "<p>5</p>", "")


def test_many_pages(tmp_path: Path) -> None:
    """Several processes find what one finds, in the same order."""
    for number in range(60):
        text = f"<p>{{= x{number} =}}<b></p>" if number % 3 else "<{= tag =}>"
        (tmp_path / f"page{number}.html").write_text(text, "utf-8")
    script = (
        "import sys; from untor import Engine; from untor.check import checker; seen = []\n"
        "import concurrent.futures as futures\n"
        "class Pool(futures.ProcessPoolExecutor):\n"
        "    def map(self, *arguments, **options): seen.append(1); return super().map(*arguments, **options)\n"
        "futures.ProcessPoolExecutor = Pool; checker._ENOUGH = int(sys.argv[2]); done = []\n"
        "found = checker.check(Engine(sys.argv[1]).compiler, progress=lambda *now: done.append(now)).findings\n"
        "print(len(seen), len(found), done[-1], *found, sep='\\n')"
    )
    alone, several = (
        subprocess.run(
            [sys.executable, "-c", script, str(tmp_path), enough], capture_output=True, text=True, check=True
        ).stdout.split("\n", 1)
        for enough in ("1000", "10")
    )
    workers = min(os.cpu_count() or 1, 2)
    assert (alone[0], several[0]) == ("0", str(workers - 1))
    assert alone[1] == several[1]
    assert several[1].startswith("60\n(60, 60)\n")


def test_from_python(site: Path) -> None:
    """``Engine.check`` returns the findings, with options like those of the command."""
    engine = Engine(site / "base")
    found = engine.check(also=["csp-script"], accepted={"opener": "ours"}, most_trusted=5)
    assert {"csp-script"} == {finding.code for finding in found} & set(
        "csp-script csp-handler opener trusted-budget".split()
    )
    assert {finding.severity for finding in found} == {"error", "warning"}
    assert str(found[0]).startswith(f"{found[0].path}:")


def test_rules_of_a_policy(tmp_path: Path) -> None:
    """With a strict policy, what it would silently forbid is found unasked; scripts get their nonces."""
    (tmp_path / "page.html").write_text('<p style="color: red" onclick="f()">x</p><script>f()</script>', "utf-8")
    assert Engine(tmp_path).check() == []
    assert [found.code for found in Engine(tmp_path, policy=Policy()).check()] == ["csp-handler", "csp-style"]


def test_pictures_and_the_policy(tmp_path: Path) -> None:
    """A picture of a filter is a data: URL, which the policy has to allow."""
    (tmp_path / "page.html").write_text(
        '{= tides | picture(alt="x") =}<! let t = [tides | picture(alt="x")] !>', "utf-8"
    )
    for policy, expected in (
        (None, 0), (Policy(), 2), (Policy(directives={"img-src": "'self'"}), 2), (Policy(directives={"img-src": "*"}), 2),
        (Policy(directives={"img-src": "'self' data:"}), 0), (Policy(directives={"default-src": None}), 0),
    ):  # fmt: skip
        found = [finding.code for finding in Engine(tmp_path, policy=policy).check()]
        assert found == ["csp-picture"] * expected


def test_rules_of_a_folder(tmp_path: Path) -> None:
    """What mail needs is accepted in its folder, and nowhere else."""
    for folder in ("mail", "pages"):
        (tmp_path / "templates" / folder).mkdir(parents=True)
        (tmp_path / "templates" / folder / "page.html").write_text('<p style="color: red">x</p>', "utf-8")
    accepted = {"mail/": {"csp-style": "mail has no policy"}}
    engine = Engine(tmp_path / "templates", policy=Policy())
    assert [found.name for found in engine.check(accepted=accepted)] == ["pages/page.html"]
    with pytest.raises(ValueError, match='there is no rule "csp-stile"'):
        engine.check(accepted={"mail/": {"csp-stile": "x"}})
    settings = tmp_path / "pyproject.toml"
    for table, said in (
        ('"mail/".csp-style = "mail has no policy"', ": csp-style pages/page.html"),
        ('"mail".csp-style = "x"', 'Error: "mail" in [tool.untor.accept] has rules, but is not a folder: write "mail/".'),
        ('"mail/".csp-stile = "x"', 'Error: "csp-stile" in [tool.untor.accept."mail/"] cannot be accepted. Did you mean "csp-style"?'),
        ('"mail/".csp-style = " "', 'Error: "csp-style" in [tool.untor.accept."mail/"] has no reason.'),
    ):  # fmt: skip
        settings.write_text(f"[tool.untor.accept]\n{table}\n", "utf-8")
        status, output, errors = untor("check", "--also=csp-style", "--format=json", folder=tmp_path)
        found = [f"{each['code']} {each['name']}" for each in json.loads(output)["findings"]] if status == 1 else []
        assert said in f"{errors}: {' '.join(found)}"


def test_positions_of_loops_are_bound(tmp_path: Path) -> None:
    """What a loop binds, its position too, is not a value that an include would have to be given."""
    row = "<! for call in calls as row !><! if call !>{= row.number =}{= call =}<! end !><! else !>{= none? =}<! end !>"
    assert codes(tmp_path, page='<! include "row" calls=calls !>', row=row) == []
    assert codes(tmp_path, page='<! include "row" calls=calls !>', row=row + "{= row.number =}") == ["input-not-given"]


MANY = """<p {= a =}>x</p>
<{= b =}>
<script>// {= c =}
</script>
<style>@import {= d =};</style>
<a href="javascript:f({= e =})">x</a>
<p class="{= f =}" onclick={= g =}x>z</p>
<! if h !><div class='<! else !><div class="<! end !>x'>
<p {= i =}>y</p>
<script>let {= j =} = 3;</script>
<p title="{= k | uppr =}" {= l =}>
"""


def test_all_problems_at_once(tmp_path: Path) -> None:
    """One run says all that is refused; where what follows cannot be judged, the problem says so."""
    (tmp_path / "page.html").write_text(MANY, "utf-8")
    found = [(each.line, each.code) for each in Engine(tmp_path).check() if each.severity == "error"]
    refused = [(line, "place-refused") for line in (1, 2, 3, 5, 6)]
    assert found == [
        *refused, (7, "text-after-value"), (8, "branches-differ"), (9, "place-refused"), (10, "place-refused"),
        (11, "filter-unknown"), (11, "place-refused"),
    ]  # fmt: skip
    (tmp_path / "page.html").write_text("<frameset>x{= a =}<p {= b =}>", "utf-8")
    (first,) = [each for each in Engine(tmp_path).check() if each.severity == "error"]
    assert first.hint.endswith("The values after it have not been judged yet.")
