"""Write the reference pages that are made from the code: ``docs/make_reference.py``."""

from __future__ import annotations

import inspect
import re
from pathlib import Path
from typing import TYPE_CHECKING

from click.testing import CliRunner

import untor
from untor import Engine
from untor.cli.main import main as command_line
from untor.diagnostics import hints
from untor.report.about import plain

if TYPE_CHECKING:
    from collections.abc import Iterator

HERE = Path(__file__).parent

_WIDTH = 100
_INTERNAL = frozenset({"fail", "rendered", "rendered_async", "kind", "beside", "at"})
"""Methods that only Untor itself calls."""

COMMANDS_HEAD = """# The command line

Each command ends with exit status 0 when all is well, 1 when something is wrong with a template or its data, and 2 when
it could not run: a usage error, or something that was not found. `-q` prints results and errors only.

Templates are those in the folders given with `--folder`, else in `folders` of `[tool.untor]` in the nearest
`pyproject.toml`, else in `templates/`, else in the current folder. Shells complete commands, options and the names of
pages after

```sh
eval "$(_UNTOR_COMPLETE=bash_source untor)"           # in ~/.bashrc; zsh_source in ~/.zshrc
_UNTOR_COMPLETE=fish_source untor | source            # in ~/.config/fish/completions/untor.fish
```
"""

API_HEAD = """# From Python

Everything that `untor` has for applications, as its docstrings say it. What is not here is not public and may change.
"""

CONTEXTS_HEAD = """# Contexts

Where a value can be printed, what is then done to it, and the section of the standard that this follows. `untor
explain` shows the context of each value of a page. Values in several at once, like a string in an event handler, are
escaped from the inside out. A template with a value outside of these contexts is refused: see [the security
model](security.md#refused-places).
"""

BAR = "\\|"
"""A vertical bar in a cell of a table."""

WORDS_HEAD = """# Words of other languages and ours

What people write who come from another language, and what Untor has for it. The messages say the same: what is here is
made from the table that they come from.
"""

WORDS = {
    "Steps": ("STEPS", "<! {} !>"),
    "Filters": ("FILTERS", "| {}"),
    "Functions": ("FUNCTIONS", "{}(…)"),
    "Attributes": ("ATTRIBUTES", "value.{}"),
    "Positions of a loop": ("POSITIONS", "row.{}"),
    "Operators": ("OPERATORS", "{}"),
    "Words": ("WORDS", "{}"),
    "Names": ("NAMES", "{}"),
    "Types": ("TYPES", "{}"),
}
"""The tables of hints that are shown, each with how its words are written."""

EXAMPLES = {
    "text": "<p>{= x =}</p>",
    "title-text": "<title>{= x =}</title>",
    "attribute": '<p title="{= x =}">',
    "whole-attribute": "<input value={= x =}>",
    "url": '<a href="{= x =}">a</a>',
    "url-path": '<a href="/vessels/{= x =}">a</a>',
    "url-data": '<img src="data:image/png;base64,{= x =}" alt="">',
    "url-query": '<a href="/search?words={= x =}">a</a>',
    "url-fragment": '<a href="#{= x =}">a</a>',
    "url-host": '<a href="https://{= x =}.ellery.example/">a</a>',
    "resource-url": '<iframe src="{= x =}" title="map"></iframe>',
    "srcset": '<img srcset="{= x =} 2x" src="/quay.jpg" alt="">',
    "script-value": "<script>const vessel = {= x =};</script>",
    "html": '<script>document.body.innerHTML = "<p>{= x =}</p>";</script>',
    "script-string": '<script>show("{= x =}");</script>',
    "script-template": "<script>show(`vessel {= x =}`);</script>",
    "script-regexp": "<script>words.match(/^{= x =}/);</script>",
    "json-value": '<script type="application/json">{"vessel": {= x =}}</script>',
    "json-string": '<script type="application/json">{"vessel": "{= x =}"}</script>',
    "style-value": "<style>p { color: {= x =} }</style>",
    "style-string": '<style>p::before { content: "{= x =}" }</style>',
    "style-name": "<style>.berth-{= x =} { margin: 0 }</style>",
    "style-url": '<style>p { background: url("{= x =}") }</style>',
    "data-block": '<script type="text/csv">{= x =}</script>',
    "html-attribute": '<iframe srcdoc="<p>{= x =}</p>" title="note"></iframe>',
}
"""A template with a value in each context."""


def pages() -> dict[str, str]:
    """Return the text of each page, by its path in docs."""
    return {"command-line.md": _commands(), "api.md": _api(), "contexts.md": _contexts(), "words.md": _words()}


def _commands() -> str:
    blocks = [COMMANDS_HEAD]
    for name in sorted(command_line.commands):
        command = command_line.commands[name]
        blocks += [f"## untor {name}", "", *_help([name])]
        for inner in sorted(getattr(command, "commands", {})):
            blocks += [f"### untor {name} {inner}", "", *_help([name, inner])]
    return "\n".join(blocks)


def _help(names: list[str]) -> list[str]:
    shown = CliRunner().invoke(command_line, [*names, "--help"], prog_name="untor", terminal_width=90).output
    return ["```text", shown.rstrip(), "```", ""]


def _api() -> str:
    blocks = [API_HEAD]
    names = [name for name in untor.__all__ if not name.startswith("_")]
    first = ["Engine", "Template", "Page"]
    for name in [*first, *(name for name in names if name not in first)]:
        value = getattr(untor, name)
        signature = "" if issubclass(value, BaseException) else _signature(name, value)
        blocks += [f"## {name}", "", *_code(signature), _prose(inspect.getdoc(value) or ""), ""]
        for method, member in _members(value):
            called = _signature(method, member) if callable(member) else ""
            blocks += [f"### {name}.{method}", "", *_code(called), _prose(inspect.getdoc(member) or ""), ""]
    return "\n".join(blocks)


def _members(kind: type) -> Iterator[tuple[str, object]]:
    for name, member in vars(kind).items():
        is_shown = callable(member) or isinstance(member, property) or inspect.ismemberdescriptor(member)
        if not name.startswith("_") and name not in _INTERNAL and is_shown and inspect.getdoc(member):
            yield name, member


def _signature(name: str, value: object) -> str:
    try:
        parameters = [
            each.replace(annotation=inspect.Parameter.empty)
            for each in inspect.signature(value).parameters.values()  # type: ignore[arg-type]
            if each.name != "self"
        ]
    except (ValueError, TypeError):
        return name
    shown = re.sub(r"frozenset\(\{[^}]*\}\)", "…", f"{name}{inspect.Signature(parameters)}")
    shown = re.sub(r"=<object object at \w+>", "", shown)  # a marker for "not passed", not a default
    return (
        shown
        if len(shown) <= _WIDTH
        else re.sub(r"(?<=[(,]) ?(?=[a-z*/])|(?=\)$)", "\n    ", shown).replace("    )", ")")
    )


def _code(signature: str) -> list[str]:
    return ["```text", signature, "```", ""] if signature else []


def _prose(docstring: str) -> str:
    """Return a docstring as Markdown: code between single marks, and lists with an empty line before them."""
    text = re.sub(r"``([^`]+)``", r"`\1`", docstring)
    return re.sub(r"(?<!\n)\n- ", "\n\n- ", re.sub(r"\n( {2,}\S)", lambda found: f" {found[1].strip()}", text), count=1)


def _contexts() -> str:
    table = (HERE / "security.md").read_text("utf-8")
    blocks = [CONTEXTS_HEAD]
    for names, done, by in re.findall(r"^\| ((?:`[a-z-]+`(?:, )?)+) \| (.*?) \| (.*?) \|$", table, re.MULTILINE):
        for name in re.findall("`([a-z-]+)`", names):
            if name not in EXAMPLES:
                continue
            page = Engine().compile(EXAMPLES[name])
            assert name in [each.context for each in page.placements] or name == "html", name
            blocks += [
                f"## {name}",
                "",
                f"```html\n{EXAMPLES[name]}\n```",
                "",
                f"{done[0].upper()}{done[1:]}.",
                "",
                f"By {by}.",
                "",
            ]
    return "\n".join(blocks)


def _words() -> str:
    blocks = [WORDS_HEAD]
    for title, (name, shape) in WORDS.items():
        rows = [
            f"| `{shape.replace('{}', word).replace('|', BAR)}` | {plain(hint.replace('{owner}', 'calls'))} |"
            for word, hint in sorted(getattr(hints, name).items())
        ]
        blocks += [f"## {title}", "", "| written | in Untor |", "|---|---|", *rows, ""]
    return "\n".join(blocks)


if __name__ == "__main__":
    for path, text in pages().items():
        (HERE / path).write_text(text, "utf-8")
