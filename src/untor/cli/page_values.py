"""The options of the command line that give a page its values."""

from __future__ import annotations

import json
import re
from contextlib import contextmanager
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

import click

from untor.data import ReadOptions, load
from untor.data.csv_file import TYPES
from untor.diagnostics import hints
from untor.diagnostics.problem import suggestion
from untor.diagnostics.wording import with_article
from untor.errors import MissingValue

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping
    from typing import Any, TypeVar

    Command = TypeVar("Command", bound=Callable[..., object])

_STEP = re.compile(r"\.([^\W\d]\w*)|\[(\d{1,6})\]")
_TARGET = re.compile(rf"([^\W\d]\w*)((?:{_STEP.pattern})*)=(.*)", re.DOTALL)


class DataOptions(NamedTuple):
    """What the options say of a page's values."""

    files: tuple[str, ...]
    queries: tuple[str, ...]
    types: tuple[str, ...]
    settings: tuple[str, ...]


def data_options(command: Command) -> Command:
    """Give a command the options that say what a page's values are; it gets a ``DataOptions``."""
    options = (
        click.option(
            "--data",
            "files",
            multiple=True,
            metavar="[NAME=]FILE",
            type=click.Path(allow_dash=True),
            help="A file with the page's values: JSON, TOML, YAML, CSV, TSV, XML or SQLite; - reads JSON from standard "
            "input. Can be repeated.",
        ),
        click.option(
            "--query",
            "queries",
            multiple=True,
            metavar="NAME=SQL",
            help="Read the result of a query from the SQLite file, instead of its tables. Can be repeated.",
        ),
        click.option(
            "--type",
            "types",
            multiple=True,
            metavar="COLUMN=TYPE",
            help=f"The type of a CSV column: {', '.join(TYPES)}. Can be repeated.",
        ),
        click.option(
            "--set",
            "settings",
            multiple=True,
            metavar="NAME=VALUE",
            help="Set one value: JSON if valid, otherwise text. NAME can be a path, like calls[0].vessel. Can be "
            "repeated.",
        ),
    )
    given = _collected(command)
    for option in reversed(options):
        given = option(given)
    return given


def _collected(command: Command) -> Command:
    """Hand a command the four options as one."""
    from functools import wraps  # noqa: PLC0415

    @wraps(command)
    def collected(**options: Any) -> object:
        options_given = DataOptions(*(options.pop(name) for name in DataOptions._fields))
        return command(given=options_given, **options)

    return collected  # type: ignore[return-value]


def context_of(given: DataOptions) -> dict[str, object]:
    """Return the values that the options give. Raises ``DataError`` and ``click.BadParameter``."""
    queries = dict(_pair(text, "--query", "NAME=SQL, like calls='select * from calls'") for text in given.queries)
    types = dict(_pair(text, "--type", "COLUMN=TYPE, like length=float") for text in given.types)
    for kind in types.values():
        if kind not in TYPES:
            near = hints.TYPES.get(kind) or suggestion(kind, TYPES, f"Types are {', '.join(TYPES)}.")
            raise click.BadParameter(f"there is no type {kind!r}. {near}", param_hint="--type")
    context: dict[str, object] = {}
    for file in given.files:
        name, path = _named(file)
        context.update(load(path, name, ReadOptions(queries, types)))
    if queries and not set(queries) <= context.keys():
        raise click.BadParameter("a query needs an SQLite file: --data harbour.sqlite.", param_hint="--query")
    for setting in given.settings:
        # Without a locale, Python keeps bytes beyond ASCII apart.
        _assign(context, setting.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))
    return context


@contextmanager
def values_explained(given: DataOptions, context: Mapping[str, object]) -> Iterator[None]:
    """Say of a name that the page was not given how the options would give it."""
    try:
        yield
    except MissingValue as error:
        problem = error.problem
        if problem.code in {"name-missing", "takes-missing"} and problem.source is not None:
            wanted = re.match(r"\w+", problem.source.text[problem.start :])
            unnamed = [path for name, path in map(_named, given.files) if name is None]
            lists = [path for path in unnamed if isinstance(context.get(Path(path).stem), list)]
            if not context:
                problem.hint = "Values come from --data FILE or --set NAME=VALUE."
            elif lists and wanted:
                stem = Path(lists[0]).stem
                problem.hint += (
                    f'\n{lists[0]} is available as "{stem}". To name it, write --data {wanted[0]}={lists[0]}.'
                )
        raise


def _pair(text: str, option: str, shape: str) -> tuple[str, str]:
    name, found, value = text.partition("=")
    if not found or not name.strip() or not value.strip():
        raise click.BadParameter(f"{text!r} is not {shape}.", param_hint=option)
    return name.strip(), value.strip()


def _named(given: str) -> tuple[str | None, str]:
    """Tell ``NAME=FILE`` from a file; a file that exists under the whole text wins."""
    name, found, path = given.partition("=")
    if found and name.isidentifier() and not Path(given).exists():
        return name, path
    return None, given


def _assign(context: dict[str, object], setting: str) -> None:
    """Set one value, also inside lists and mappings."""
    match = _TARGET.fullmatch(setting)
    if match is None:
        raise click.BadParameter(f"{setting!r} is not NAME=VALUE, like year=2031.", param_hint="--set")
    steps: list[str | int] = [match[1]]
    steps += [name or int(index) for name, index in _STEP.findall(match[2])]
    place: Any = context
    for step, following in pairwise(steps):
        place = _into(place, step, setting, [] if isinstance(following, int) else {})
    _into(place, steps[-1], setting, _value(match[match.lastindex or 0]), last=True)


def _into(place: Any, step: str | int, setting: str, value: object, *, last: bool = False) -> Any:
    """Go a step into a value, or with ``last`` put one there; what is not there yet is made."""
    if isinstance(step, str) and isinstance(place, dict):
        if last or step not in place:
            place[step] = value
        return place[step]
    if isinstance(step, int) and isinstance(place, list) and step <= len(place):
        if step == len(place):
            place.append(value)
        elif last:
            place[step] = value
        return place[step]
    what = f"[{step}]" if isinstance(step, int) else f".{step}"
    size = f" of {len(place)}" if isinstance(place, list) else ""
    message = f"{setting!r}: there is no {what} in {with_article(type(place).__name__)}{size}."
    raise click.BadParameter(message, param_hint="--set")


def _value(text: str) -> object:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return text
