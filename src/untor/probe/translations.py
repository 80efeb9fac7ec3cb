"""Hostile translations: each message of a page printed with words that would change it if they were not escaped."""

from __future__ import annotations

from untor.compiler.origin import Origin
from untor.errors import UntorError
from untor.messages.catalogue import Catalogue, Translation
from untor.messages.translator import Translator
from untor.probe.payloads import harmless

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from untor.compiler.compiler import Compiler
    from untor.messages.catalogue import Key


class _OneForm(Catalogue):
    """A catalogue whose messages have one form, whatever the number."""

    def __init__(self) -> None:
        super().__init__("und", [])
        self.count = 1

    def form(self, number: object) -> int:  # noqa: ARG002  one shape for all catalogues
        """Return the only form."""
        return 0


class HostileTranslator(Translator):
    """Translates each message, or ``only`` one, by itself with hostile words around it."""

    def __init__(self, own: str, words: str) -> None:
        super().__init__(own, own, {}, reports=False)
        self.catalogues = {"und": _OneForm()}
        self.words = words
        self.only: Key | None = None
        self.seen: dict[Key, None] = {}

    def translation(self, about: str, text: str) -> Translation | None:
        """Return the message with the words before and after it."""
        self.seen[about, text] = None
        words = self.words if self.only in {None, (about, text)} else harmless("printed")
        return Translation(self.catalogues["und"], (about, text), (f"{words}{text}{words}",), "und.po")


class TranslatedPage:
    """A page of a site, with translations that never were."""

    def __init__(self, compiler: Compiler, page: str) -> None:
        self.compiler = compiler
        self.page = page

    def render(
        self, words: str, context: Mapping[str, object], only: Key | None = None
    ) -> tuple[str | None, list[Key]]:
        """Return the page, ``None`` where it ends in an error, and the messages in it."""
        settings = self.compiler.settings
        translator = HostileTranslator(settings.translator.own, words)
        translator.only = only
        other = self.compiler.in_locale(settings.in_locale(translator, settings.filters, settings.facts))
        other.cache.folder = None
        try:
            render: Callable[..., str] = other.compile(Origin(self.page)).render
            return render(context), [*translator.seen]
        except UntorError:
            return None, [*translator.seen]
