"""Data files for the command line: what they give, what is refused, and the options that go with them."""

from __future__ import annotations

import math
import sqlite3
import subprocess
import sys
from datetime import date
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import pytest
from support import cases

from untor import DataError, Engine
from untor.data import MOST_BYTES, ReadOptions, load
from untor.data.csv_file import TYPES

if TYPE_CHECKING:
    from pathlib import Path


def nested(depth: int) -> object:
    """Return a 1 in as many lists."""
    return [nested(depth - 1)] if depth else 1


GOOD: list[tuple[str, str, dict[str, str], object]] = [
    ("a.json", '{"a": [1, null]}', {}, {"a": [1, None]}),
    ("a.json", "[1]", {}, {"a": [1]}),
    ("a.json", "[" * 200 + "1" + "]" * 200, {}, {"a": nested(200)}),
    ("a.toml", 'day = 2031-05-17\n[vessel]\nname = "Gull"', {}, {"day": date(2031, 5, 17), "vessel": {"name": "Gull"}}),
    ("a.yaml", "calls:\n- {name: Gull, day: 2031-05-17}\n- &x [1]\n- *x\n", {}, {"calls": [{"name": "Gull", "day": date(2031, 5, 17)}, [1], [1]]}),
    ("a.yml", "", {}, {"a": None}),
    ("a.yaml", "[12:30, 190:20:30.15, 0x1F, -7, 1_000, 0o7, 1.5, .inf]", {}, {"a": ["12:30", "190:20:30.15", 31, -7, 1000, "0o7", 1.5, math.inf]}),
    ("a.yaml", "[" * 200 + "1" + "]" * 200, {}, {"a": nested(200)}),
    ("calls.csv", 'name,note\n"Gull, the","a\n""b"""\n\nTern,\n', {}, {"calls": [{"name": "Gull, the", "note": 'a\n"b"'}, {"name": "Tern", "note": ""}]}),
    ("calls.tsv", "a\tb\n1\t2,3\n", {"a": "int"}, {"calls": [{"a": 1, "b": "2,3"}]}),
    ("a.csv", "i,f,d,b,y,j,s\n1,1.5,1.50,yes,2031-05-17,[1],x\n,,,,,,\n", {"i": "int", "f": "float", "d": "decimal", "b": "bool", "y": "date", "j": "json", "s": "str"},
     {"a": [{"i": 1, "f": 1.5, "d": Decimal("1.50"), "b": True, "y": date(2031, 5, 17), "j": [1], "s": "x"}, {"i": None, "f": None, "d": None, "b": None, "y": None, "j": None, "s": ""}]}),
    ("a.csv", "", {}, {"a": []}),
    ("a.csv", "\ufeffa\n1\n", {}, {"a": [{"a": "1"}]}),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "types", "expected"), GOOD)
def test_file(name: str, text: str, types: dict[str, str], expected: object, tmp_path: Path) -> None:
    """Each kind of file gives its values: a mapping its names, anything else under the file's name."""
    (tmp_path / name).write_text(text, "utf-8", newline="")
    assert load(str(tmp_path / name), None, ReadOptions(types=types)) == expected


@pytest.mark.parametrize("case", cases("data.txt"), ids=lambda case: case.title)
def test_refused(case: Any, tmp_path: Path) -> None:
    """What is wrong in a file, or hostile, is said with its place; nothing of it is run, fetched or written out."""
    text = case.parts["text"]
    text = eval(text[1:]) if text.startswith("@") else text + "\n"  # noqa: S307  our own cases
    file = tmp_path / f"data{case.parts['template'].strip()}"
    file.write_text(text, "utf-8", newline="")
    with pytest.raises(DataError) as found:
        load(str(file))
    assert str(found.value).splitlines()[0].removeprefix(f"{file}, ") == case.parts["said"].strip()


def test_xml(tmp_path: Path) -> None:
    """Elements loop, print and compare whether they occur once or often; attributes and namespaces have their names."""
    (tmp_path / "a.xml").write_text(
        '<?xml version="1.0" encoding="ISO-8859-1"?><port xmlns="urn:p" xmlns:dc="urn:dc" dc:lang="en"><dc:title>Ellery é</dc:title>'
        '<berth code="A1"><quay>North <b>quay</b></quay></berth><berth code="A2"><depth>4.5</depth></berth></port>',
        "utf-8",
    )
    data = load(str(tmp_path / "a.xml"))

    def shown(template: str) -> str:
        return Engine().compile(template, "a.txt").render(data)

    assert (
        shown('{= port.title =} {= port["dc:title"] =} {= port["@dc:lang"] =} {= port["p:title"]? =}')
        == "Ellery é Ellery é en "
    )
    assert (
        shown('<! for b in port.berth !>{= b["@code"] =}:{= b.quay? =}:{= b.depth ?? "-" =} <! end !>')
        == "A1:North quay:- A2::4.5 "
    )
    assert (
        shown("{= port.berth | len =} {= port.berth.quay =} {= port.berth[1].depth =} {= port.berth.depth == '4.5' =}")
        == "2 North quay 4.5 True"
    )
    assert (
        shown("<! for t in port.title !>{= t =}<! end !> {= port.title | upper =} {= port.berth['@code'] | join =}")
        == "Ellery é ELLERY É A1, A2"
    )
    assert shown('{= port.berth["@gone"] ?? "none" =} {= port.gone? =}') == "none "
    assert str(load(str(tmp_path / "a.xml"), "p")["p"]) == str(data["port"])
    page = Engine().compile("<p title={= p.title =}>{= p =}").render(p=data["port"])
    assert page == '<p title="Ellery é">Ellery éNorth quay4.5'


@pytest.fixture
def harbour(tmp_path: Path) -> Path:
    """A small database."""
    connection = sqlite3.connect(tmp_path / "harbour.sqlite")
    connection.executescript(
        "create table calls (id, name); insert into calls values (1, 'Gull'), (2, null); create view tugs as select 1 as one"
    )
    connection.close()
    return tmp_path


def test_sqlite(harbour: Path) -> None:
    """A database gives each table and view, or what the queries ask for; it is only read."""
    file = str(harbour / "harbour.sqlite")
    assert load(file) == {"calls": [{"id": 1, "name": "Gull"}, {"id": 2, "name": None}], "tugs": [{"one": 1}]}
    assert load(
        file, None, ReadOptions({"n": "select count(*) as n from calls", "m": "select max(id) m from calls"})
    ) == {
        "n": [{"n": 2}],
        "m": [{"m": 2}],
    }
    before = (harbour / "harbour.sqlite").read_bytes()
    for query in (
        "delete from calls", "create table x (a)", "attach 'x' as y", "pragma writable_schema = 1",
        "select load_extension('x')", "vacuum into 'x'",
    ):  # fmt: skip
        with pytest.raises(DataError, match="queries only read"):
            load(file, None, ReadOptions({"x": query}))
    with pytest.raises(DataError, match="it takes too long"):
        load(
            file,
            None,
            ReadOptions({"x": "with recursive c(n) as (select 1 union all select n + 1 from c) select max(n) from c"}),
        )
    with pytest.raises(DataError, match='the query "x" cannot be run: no such table: gone'):
        load(file, None, ReadOptions({"x": "select * from gone"}))
    with pytest.raises(DataError, match="You can only execute one statement"):
        load(file, None, ReadOptions({"x": "select 1; delete from calls"}))
    (harbour / "bad.db").write_bytes(b"no database" * 100)
    for name, message in (("bad.db", "is not an SQLite database"), ("gone.db", "no such file or directory")):
        with pytest.raises(DataError, match=message):
            load(str(harbour / name))
    assert (harbour / "harbour.sqlite").read_bytes() == before
    assert sorted(path.name for path in harbour.iterdir()) == ["bad.db", "harbour.sqlite"]


def test_limits(tmp_path: Path) -> None:
    """A file that is too large, of no known kind or not UTF-8 is refused."""
    (tmp_path / "large.json").write_bytes(b" " * (MOST_BYTES + 1))
    (tmp_path / "a.ini").write_text("", "utf-8")
    (tmp_path / "a.toml").write_bytes(b"a = '\xe9'")
    for name, message in (
        ("large.json", "is larger than 64 MiB"),
        ("a.ini", "has none of the endings .json, .toml"),
        ("a.toml", "This is not UTF-8: the byte 0xE9"),
    ):
        with pytest.raises(DataError, match=message):
            load(str(tmp_path / name))


@pytest.mark.parametrize(("arguments", "expected"), [
    (["--set", "x=1"], "1"),
    (["--set", "x.y[0].z=1", "--set", 'x.y[1]={"z": "a"}', "--set", "x.w=text"], '{"y":[{"z":1},{"z":"a"}],"w":"text"}'),
    (["--data", "x=calls.csv", "--set", "x[1].name=Auk"], '[{"name":"Gull"},{"name":"Auk"}]'),
    (["--data", "harbour.sqlite", "--query", "x=select name from calls limit 1"], '[{"name":"Gull"}]'),
    (["--data", "x=calls.csv", "--type", "name=int"], "!This is not a table of such types: 'Gull' in the column 'name' is not a valid int."),
    (["--data", "x=calls.csv", "--type", "nam=int"], '!calls.csv has no column "nam". Did you mean "name"?'),
    (["--type", "name=integer"], "!Invalid value for --type: there is no type 'integer'. Write \"int\"."),
    (["--type", "name"], "!Invalid value for --type: 'name' is not COLUMN=TYPE"),
    (["--query", "x=select 1"], "!Invalid value for --query: a query needs an SQLite file: --data harbour.sqlite."),
    (["--set", "x=1", "--set", "x[0]=1"], "!Invalid value for --set: 'x[0]=1': there is no [0] in an int."),
    (["--set", "x=[1]", "--set", "x[2]=1"], "!Invalid value for --set: 'x[2]=1': there is no [2] in a list of 1."),
    (["--set", "x[a]=1"], "!Invalid value for --set: 'x[a]=1' is not NAME=VALUE, like year=2031."),
])  # fmt: skip
def test_options(harbour: Path, arguments: list[str], expected: str) -> None:
    """The options name values, queries and types; what they cannot mean is said."""
    (harbour / "calls.csv").write_text("name\nGull\n", "utf-8")
    (harbour / "page.txt").write_text("{= x | json =}", "utf-8")
    command = [sys.executable, "-m", "untor", "render", "page.txt", *arguments]
    done = subprocess.run(command, cwd=harbour, capture_output=True, encoding="utf-8", check=False)
    if expected.startswith("!"):
        assert expected[1:] in done.stderr.replace("\n", " ")
        assert "Traceback" not in done.stderr
        assert done.returncode in {1, 2}
    else:
        assert (done.stdout, done.stderr) == (expected, "")


def test_every_type_reads(tmp_path: Path) -> None:
    """Each type of a column takes what it should and refuses the rest."""
    good = {
        "str": "a", "int": "-1", "float": "1e3", "decimal": "0.1", "bool": "No", "date": "2032-02-29",
        "datetime": "2031-05-17T12:00", "json": "{}",
    }  # fmt: skip
    assert good.keys() == TYPES.keys()
    for kind, text in good.items():
        (tmp_path / "a.csv").write_text(f'a\n"{text}"\n', "utf-8")
        load(str(tmp_path / "a.csv"), None, ReadOptions(types={"a": kind}))
        if kind != "str":
            (tmp_path / "a.csv").write_text("a\nx y\n", "utf-8")
            with pytest.raises(DataError, match="is not a valid "):
                load(str(tmp_path / "a.csv"), None, ReadOptions(types={"a": kind}))
