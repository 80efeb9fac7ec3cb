"""Checks of an engine's options; each raises ``ValueError`` with what would be valid."""

from __future__ import annotations

import os
from functools import partial

from untor.diagnostics.wording import with_article
from untor.escape.origins import origin_of
from untor.filters import NAMES
from untor.filters.locales import locale_named, zone_named
from untor.runtime.filter_error import FilterProblem
from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from types import ModuleType

    from untor.messages.catalogue import Catalogue


def one_of(option: str, value: str, *allowed: str) -> None:
    """Check that an option has one of the values that it may have."""
    if value not in allowed:
        words = " or ".join(f'"{each}"' for each in allowed)
        raise ValueError(f"{option} must be {words}, not {value!r}")


def checked_folders(folders: object, *, reload: bool) -> None:
    """Check the folders of templates. With ``reload``, a folder may come into being later."""
    if isinstance(folders, str | os.PathLike):
        paths: list[object] = [folders]
    elif isinstance(folders, list | tuple):
        paths = [*folders]
    elif is_mapping(folders):
        paths = [path for several in folders.values() for path in _several(several)]  # type: ignore[attr-defined]
    else:
        article = with_article(type(folders).__name__)
        raise ValueError(f"folders must be a path, a list of paths, or a mapping of prefixes to paths, not {article}")
    for path in paths:
        if not isinstance(path, str | os.PathLike):
            raise ValueError(f"a folder must be a path, not {with_article(type(path).__name__)}")  # noqa: TRY004
        if not reload and not os.path.isdir(path):  # noqa: PTH112  pathlib is not loaded to render a page
            where = os.fspath(path)
            if "\n" in where or "<" in where:
                raise ValueError("folders must be paths, not templates; compile(source) takes the text of a template")
            raise ValueError(f'there is no folder "{where}"')


def _several(paths: object) -> list[object]:
    return [*paths] if isinstance(paths, list | tuple) else [paths]


def checked_messages(folder: object) -> dict[str, Catalogue]:
    """Return the catalogues of a folder by their locales. Raises ``ValueError``."""
    if folder is None:
        return {}
    if not isinstance(folder, str | os.PathLike):
        raise ValueError(f"messages must be the path of a folder, not {with_article(type(folder).__name__)}")  # noqa: TRY004
    if not os.path.isdir(folder):  # noqa: PTH112  pathlib is not loaded to render a page
        raise ValueError(f'messages: there is no folder "{os.fspath(folder)}"')
    from untor.messages.catalogue import catalogues_in  # noqa: PLC0415  only where there are any

    return catalogues_in(os.fspath(folder))


def checked_functions(kind: str, functions: object) -> None:
    """Check filters or helpers."""
    if functions is None:
        return
    if not is_mapping(functions):
        article = with_article(type(functions).__name__)
        raise ValueError(f"{kind}s must be a mapping of names to functions, not {article}")
    for name, function in functions.items():  # type: ignore[attr-defined]
        if not callable(function):
            article = with_article(type(function).__name__)
            raise ValueError(f'the {kind} "{name}" must be a function, not {article}')  # noqa: TRY004


def checked_settings(locale: object, timezone: object, clock: object) -> None:
    """Check the locale, the time zone and the clock."""
    for option, value in {"locale": locale, "timezone": timezone}.items():
        if not isinstance(value, str):
            raise ValueError(f"{option} must be a string, not {with_article(type(value).__name__)}")  # noqa: TRY004
    if clock is not None and not callable(clock):
        raise ValueError(f"clock must be a function without arguments, not {with_article(type(clock).__name__)}")
    try:
        if locale != _NO_QUESTION:
            locale_named(locale)
        if timezone:
            zone_named(timezone)
    except FilterProblem as error:
        raise ValueError(str(error).removesuffix(".")) from None


_NO_QUESTION = "en"
"""The locale that there always is: nothing is loaded to find that out."""


def checked_name(kind: str, name: str) -> str:
    """Return a name for a filter or helper. Raises ``ValueError`` for what cannot be one."""
    from untor.language.tokens import KEYWORDS  # noqa: PLC0415  only where there are any

    if not isinstance(name, str) or not name.isidentifier() or name.startswith("_") or name in KEYWORDS:
        other = name.replace("-", "_").strip("_") if isinstance(name, str) else ""
        near = f"; {other!r} can" if other != name and other.isidentifier() and other not in KEYWORDS else ""
        must = "a name has letters, digits and _, and does not begin with _"
        raise ValueError(f"{name!r} cannot be the name of a {kind}: {must}{near}")
    if name == "say" and kind != "filter":
        raise ValueError('the engine has a helper "say" of its own; give yours another name')
    if kind == "filter" and name in NAMES:
        raise ValueError(f'there is a built-in filter "{name}"; give yours another name')
    return name


def checked_types(types: Mapping[str, object] | ModuleType | None) -> dict[str, object]:
    """Return the classes that ``takes`` may name: those of a mapping, or of a module with their own names.

    Raises ``ValueError`` for names that templates could not write, or that mean something else there.
    """
    if types is None:
        return {}
    from collections import abc  # noqa: PLC0415  only where there are any

    from untor.language.annotations import KNOWN  # noqa: PLC0415

    if not isinstance(types, abc.Mapping):
        public = getattr(types, "__all__", None) or [name for name in vars(types) if not name.startswith("_")]
        found = {name: getattr(types, name) for name in public if name not in KNOWN}
        return {name: each for name, each in found.items() if isinstance(each, type) or _is_alias(each)}
    for name in types:
        if not isinstance(name, str) or not name.isidentifier() or name.startswith("_"):
            raise ValueError(f"types names classes as takes writes them, not {name!r}")
        if name in KNOWN:
            raise ValueError(f'types cannot say what "{name}" means: it is one of the types that templates have')
    return dict(types)


def _is_alias(value: object) -> bool:
    """Return whether a value stands for a type: ``list[int]``, a union, a ``NewType``, a ``type`` statement."""
    return any(hasattr(value, name) for name in ("__origin__", "__args__", "__supertype__", "__value__"))


def checked_inputs(inputs: Mapping[str, type] | None) -> dict[str, type]:
    """Return the classes that say what pages are given, by the names of templates. Raises ``ValueError``."""
    for name, each in (inputs or {}).items():
        if not isinstance(name, str) or not isinstance(each, type):
            shape = "the name of a template and a class whose annotations are the page's values"
            raise ValueError(f"inputs has {shape}, not {name!r}: {each!r}")  # noqa: TRY004  as for all options
    return dict(inputs or {})


def checked_attributes(rows: Mapping[str, str] | None) -> dict[str, str]:
    """Return what attributes mean that client libraries read. Raises ``ValueError`` for rows that cannot be."""
    if not rows:
        return {}
    from untor.contexts.client_libraries import ATTRIBUTE_KINDS  # noqa: PLC0415
    from untor.contexts.html_attributes import Meaning, meaning  # noqa: PLC0415  only where there are any

    for name in _checked_rows("attributes", rows, ATTRIBUTE_KINDS):
        if meaning("p", name.lower()) != Meaning("plain"):
            raise ValueError(f'attributes cannot say what "{name}" means: the standard does')
    return {name.lower(): kind for name, kind in rows.items()}


def checked_script_types(rows: Mapping[str, str] | None) -> dict[str, str]:
    """Return what script elements of some types hold. Raises ``ValueError`` for rows that cannot be."""
    if not rows:
        return {}
    from untor.contexts.client_libraries import SCRIPT_KINDS  # noqa: PLC0415
    from untor.contexts.json_states import ADDRESSES  # noqa: PLC0415  only where there are any
    from untor.contexts.script_tokens import TYPES  # noqa: PLC0415

    for name in _checked_rows("script_types", rows, SCRIPT_KINDS):
        if name.lower() in {*TYPES, *ADDRESSES, "module", "text/css"}:
            raise ValueError(f'script_types cannot say what "{name}" means: the standard does')
    return {name.lower(): kind for name, kind in rows.items()}


def _checked_rows(option: str, rows: Mapping[str, str], kinds: frozenset[str]) -> Mapping[str, str]:
    if not hasattr(rows, "items"):
        raise ValueError(f"{option} must be a mapping, not {rows!r}")
    for name, kind in rows.items():
        if not isinstance(name, str) or not name.strip() or any(char in name for char in " \t\n\f\r\"'<>="):
            raise ValueError(f"{option}: {name!r} cannot be a name in a page")
        if kind not in kinds:
            raise ValueError(f'{option}: "{name}" must be one of {", ".join(sorted(kinds))}, not {kind!r}')
    return rows


def checked_origin(url: str) -> str:
    """Normalise an origin for comparison. Raises ``ValueError`` if it is not one."""
    origin = origin_of(url)
    if origin is None or url.rstrip("/").count("/") > 2:  # noqa: PLR2004  those after the scheme
        raise ValueError(f"resource_origins takes origins like 'https://cdn.ellery.example', not {url!r}")
    return origin


def with_locale(function: Callable[..., object], locale: str) -> Callable[..., object]:
    """Give a filter with a parameter for it the engine's locale; a template may still name another."""
    defaults = getattr(function, "__kwdefaults__", None) or {}
    code = getattr(function, "__code__", None)
    if code is None or "locale" in defaults:
        return function
    only = code.co_varnames[code.co_argcount : code.co_argcount + code.co_kwonlyargcount]
    return partial(function, locale=locale) if "locale" in only else function
