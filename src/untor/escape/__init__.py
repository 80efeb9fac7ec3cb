"""The security kernel: an escaping function for each context; imports nothing of Untor.

``ESCAPERS`` is the table that both the analysis (names) and the generated code (functions) use, so that they cannot
disagree. A page loads only those modules whose functions it uses.
"""

from __future__ import annotations

from importlib import import_module

from untor.escape.accelerated import accelerated
from untor.escape.kinds import MISSING
from untor.escape.printing import NotPrintable, printed
from untor.escape.table import EMBEDDING, ESCAPERS
from untor.escape.trusted import TrustedCSS, TrustedHTML, TrustedScript, TrustedScriptURL, TrustedURL
from untor.escape.url import SCHEMES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

    Function = Callable[..., str]

__all__ = [
    "EMBEDDING",
    "ESCAPERS",
    "MISSING",
    "SCHEMES",
    "Escapers",
    "NotPrintable",
    "TrustedCSS",
    "TrustedHTML",
    "TrustedScript",
    "TrustedScriptURL",
    "TrustedURL",
    "printed",
]


class Escapers(dict[str, "Function"]):
    """The escaping functions by name, made for the schemes and origins that an engine permits, on first use.

    Raises ``KeyError`` for a name that there is not.
    """

    def __init__(self, schemes: frozenset[str] = SCHEMES, resource_origins: frozenset[str] = frozenset()) -> None:
        super().__init__()
        self.schemes = schemes
        self.resource_origins = resource_origins

    def __missing__(self, name: str) -> Function:
        escaper = ESCAPERS[name]
        if escaper.made_for == "origins":
            self.update(_of(escaper.function)(self.schemes, self.resource_origins))
        elif escaper.made_for == "xml":
            self[name] = _of(escaper.function)(self[name.removeprefix("xml-")])
        elif escaper.made_for:
            self[name] = _of(escaper.function)(self.schemes, **({"images": True} if escaper.images else {}))
        else:
            function = _of(escaper.function)
            self[name] = accelerated(function) if escaper.accelerated else function
        return self[name]


def _of(where: str) -> Any:
    module, _, name = where.partition(".")
    return getattr(import_module(f"untor.escape.{module}"), name)
