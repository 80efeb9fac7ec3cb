"""What a value in each sink of scripts is, by a list: ``python tests/contexts/test_sink_list.py`` writes it anew."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

from untor import Engine, UntorError
from untor.compiler.origin import Origin
from untor.contexts import script_sinks

LIST = Path(__file__).parent.parent / "cases" / "sinks.txt"
engine = Engine()


def sources() -> list[str]:
    """Return scripts with a value in each argument, property and attribute of the tables, and near them."""
    found: list[str] = []
    owners = {name: f"{owner}." for name, (names, _) in script_sinks._WITH_OWNER.items() for owner in names}
    calls = {**script_sinks._CODE, **script_sinks._HTML, **script_sinks._RESOURCES, **owners}
    for name in [
        *calls,
        *sorted(script_sinks.HTML_STREAMS),
        "open",
        "execCommand",
        "setAttribute",
        "setAttributeNS",
        "near",
    ]:
        own = owners.get(name, "document." if name in script_sinks.HTML_STREAMS else "el.")
        for before in ("", "1, ", "1, 2, "):
            found += [
                f'{own}{name}({before}"{{= v =}}")',
                f"{own}{name}({before}{{= v =}})",
                f'{name}({before}"{{= v =}}")',
            ]
        found += [f'{own}{name}.{each}(null, "{{= v =}}")' for each in sorted(script_sinks._CALLING)]
        found += [f'{own}{name}?.("{{= v =}}")', f'{own}["{name}"]("{{= v =}}")', f'{own}{name} = "{{= v =}}"']
    for owner in sorted(script_sinks.WINDOWS):
        found += [
            f'{owner}.open("{{= v =}}")',
            f'{owner}.location = "{{= v =}}"',
            f'a.{owner}.location.href = "{{= v =}}"',
        ]
    for name in [*script_sinks._ASSIGNED, "data", "codeBase", "text", "textContent", "innerText", "near"]:
        for element in [*script_sinks._LOADING_ELEMENTS, "p"]:
            found.append(f'const e = document.createElement("{element}"); e.{name} = "{{= v =}}"')
            found.append(f'const e = document.createElementNS("ns", "{element}"); e.{name} = {{= v =}}')
            found.append(f'{element}.{name} = "{{= v =}}"')
        found += [f'e.{name} {operator} "{{= v =}}"' for operator in ("=", "+=", "??=", "||=", "&&=", "-=")]
        found += [
            f'e["{name}"] = "{{= v =}}"',
            f'e?.["{name}"]("{{= v =}}")',
            f'f({{{name}: "{{= v =}}"}})',
            f'g("p", {{"{name}": {{= v =}}}})',
        ]
    for name in [*script_sinks._ATTRIBUTES, "onclick", "near"]:
        for element in ("e", "script", "iframe"):
            found.append(f'{element}.setAttribute("{name}", "{{= v =}}")')
            found.append(f'{element}.setAttributeNS("ns", "{name}", {{= v =}})')
    found += [
        'f(1, "script").src = "{= v =}"',
        'const e = f(1, "script"); e.src = "/x/{= v =}"',
        "return\n{= v =}",
        'w?.["eval"]("{= v =}")',
    ]
    found += [
        f'document.execCommand.{each}(document, "insertHTML", false, "{{= v =}}")'
        for each in sorted(script_sinks._CALLING)
    ]
    found += [
        'document.execCommand.bind(document)("insertHTML", false, "{= v =}")',
        'el.insertAdjacentHTML.bind(el)("beforeend", "{= v =}")',
    ]
    found += [
        "eval.bind(null)({= v =})",
        'f.bind(null)("{= v =}")',
        'document.write.bind(document).call(null, "{= v =}")',
        "eval.bind(null)`{= v =}`",
    ]
    found += [
        "break\n{= v =}", "async\n{= v =}", '"x{= v =}"("y")', 'a["{= v =}"] = "{= v =}"',
        'a["innerHTML"]["{= v =}"] = 1',
    ]  # fmt: skip
    return [source.replace("\n", "↵") for source in dict.fromkeys(found)]


def decision(source: str) -> str:
    """Return what the values of a script are escaped by, or why they cannot be there."""
    script = f"<script>{source.replace('↵', chr(10))}</script>"
    try:
        placements = engine.compiler.analyse(Origin("sink.html", script)).placements
    except UntorError as error:
        return f"{error.code}: {error.message}".partition("\n")[0]
    return ", ".join(" ".join(placement.escapers) for placement in placements)


def lines() -> list[tuple[str, str]]:
    """Return the list: sources and what is decided."""
    return [
        (source, words) for source, _, words in (line.partition(" → ") for line in LIST.read_text("utf-8").splitlines())
    ]


@pytest.mark.parametrize("part", range(4))
def test_decisions_are_those_of_the_list(part: int) -> None:
    """A value in a sink is what the list says, to the letter."""
    for source, words in lines()[part::4]:
        assert decision(source) == words, source


def test_list_is_whole() -> None:
    """Whatever the tables name is in the list, and the list has nothing that they no longer name."""
    assert [source for source, _ in lines()] == sources()


if __name__ == "__main__":
    LIST.write_text("".join(f"{source} → {decision(source)}\n" for source in sources()), "utf-8")
    sys.exit(0)
