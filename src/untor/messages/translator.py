"""The translator of one locale: which translation a message has, and which form a number takes."""

from __future__ import annotations

from untor.diagnostics.wording import with_article
from untor.escape.printing import printed
from untor.messages.locale_codes import PageLocale, category, chain_of, code_of
from untor.messages.placeholders import VALUE, values_in
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from typing import Any

    from untor.diagnostics.problem import Problem
    from untor.messages.catalogue import Catalogue, Translation

ISOLATE, END_OF_ISOLATE = "\u2068", "\u2069"
"""Around a value whose direction is its own (Unicode Bidirectional Algorithm, UAX #9 §2.4)."""

_MOST_SAID = 10_000
"""How many messages of ``say(…)`` are kept ready."""


class Translator:
    """Translates the messages of templates into a locale; without catalogues, it leaves them as they are.

    ``own`` is the locale that templates are written in. Safe to use from many threads.
    """

    def __init__(self, code: str, own: str, catalogues: Mapping[str, Catalogue], *, reports: bool = True) -> None:
        self.reports = reports
        """Whether what keeps translations from being printed is logged."""
        self.locale = PageLocale(code_of(code) or code)
        self.own = code_of(own) or own
        codes = dict.fromkeys([*chain_of(self.locale.code), *chain_of(self.own)])
        self.catalogues = {each: catalogues[each] for each in codes if each in catalogues}
        self.every = catalogues
        """The catalogues of all locales."""
        self.several = bool({*catalogues} - {self.own})
        """Whether pages can be in more than one language."""
        self._said: dict[tuple[str, str | None, str], Said] = {}
        self._reported: set[object] = set()
        self._isolates: bool | None = None
        self.say = self._sayer()

    @property
    def isolates(self) -> bool:
        """Whether values in text are set apart, as in pages that run from right to left."""
        if self._isolates is None:
            self._isolates = self.locale.direction == "rtl"
        return self._isolates

    def stamp(self) -> object:
        """Return what is another whenever a catalogue is."""
        return [each.stamp() for each in self.catalogues.values()]

    def digest(self) -> str:
        """Return what compiled templates depend on."""
        return " ".join([self.locale.code, *(each.digest() for each in self.catalogues.values())])

    def forget(self) -> None:
        """Read the catalogues again."""
        for each in self.catalogues.values():
            each.forget()
        self._said.clear()
        self._reported.clear()

    def translation(self, about: str, text: str) -> Translation | None:
        """Return the translation of a message from the first catalogue that has one."""
        for catalogue in self.catalogues.values():
            found = catalogue.translation(about, text)
            for problem in catalogue.trouble:
                self.report(problem)
            if found is None:
                continue
            if all(found.strings):
                return found
            self.report(catalogue.problem("message-plural", found, trouble="lacks some of its forms"))
        return None

    def report(self, problem: Problem) -> None:
        """Log, once, what keeps a translation from being printed."""
        place = problem.code, problem.source and problem.source.path, problem.start
        if place in self._reported or not self.reports:
            return
        self._reported.add(place)
        import logging  # noqa: PLC0415  only where something is wrong

        source = problem.source
        line, column = source.position(problem.start) if source else (0, 0)
        where = f"{source.path or source.name}, line {line}, column {column}: " if source else ""
        logging.getLogger("untor.messages").warning("%s%s %s", where, problem.message, problem.hint)

    def form(self, number: object, locale: str) -> int:
        """Return the plural form for a number: by a catalogue's rule or, for the template's own text, by CLDR."""
        number = counted(number)
        if locale:
            return self.catalogues[locale].form(number)
        if self.own == "en":
            # CLDR: "one" for the integer 1 without visible decimals.
            return 0 if number == 1 and isinstance(number, int) else 1
        return 0 if category(self.own, number) == "one" else 1

    @property
    def filters(self) -> dict[str, Callable[..., object]]:
        """The filter that compiled messages use, ``form``; its name is ``PLURAL_FORM`` of the language."""

        def plural_form(value: object, locale: str, /) -> int:
            return self.form(value, locale)

        return {"_plural_form": plural_form}

    # --- say(…) ----------------------------------------------------------------------------------------------------

    def _sayer(self) -> Callable[..., str]:
        """Return the function that templates call: a function of its own, as those that they may call are."""
        ready = self._said

        def say(message: str, plural: str | None = None, /, *, about: str = "", **values: object) -> str:
            """Return a message in the page's language; the first value decides between the forms."""
            said = ready.get((message, plural, about))
            if said is None:
                said = self._made(message, plural, about)
            return said.text(values)

        return say

    def _made(self, message: str, plural: str | None, about: str) -> Said:
        for each in (message, about, *([plural] if plural is not None else [])):
            if not isinstance(each, str):
                raise FilterProblem(f"the texts of say must be strings, not {with_article(type(each).__name__)}.")
        said = Said(self, message, plural, about)
        if len(self._said) < _MOST_SAID:
            self._said[message, plural, about] = said
        return said

    def text_of(self, message: str, about: str) -> str:
        """Return a message without values in the language of the page."""
        return Said(self, message, None, about).text({})


class Said:
    """A message of ``say(…)``, ready to be printed in one locale."""

    __slots__ = ("forms", "locale", "several", "translator")

    def __init__(self, translator: Translator, message: str, plural: str | None, about: str) -> None:
        self.translator = translator
        source: tuple[str, ...] = (message,) if plural is None else (message, plural)
        self.several = plural is not None
        self.forms, self.locale = source, ""
        found = translator.translation(about, message)
        if found is not None:
            known = {name for form in source for name in values_in(form)}
            problem = call_problem(found, source, known, several=self.several)
            if problem is None:
                self.forms, self.locale = found.strings, found.catalogue.code
            else:
                translator.report(problem)

    def text(self, values: Mapping[str, object]) -> str:
        """Return the message with its values."""
        text = self.forms[0]
        if self.several:
            if not values:
                raise FilterProblem("a message with a plural needs the number, like n=calls | len.")
            number = next(iter(values.values()))
            text = self.forms[self.translator.form(number, self.locale)]
        if not values or "{" not in text:
            return text
        isolates = self.translator.isolates

        def value_of(found: object) -> str:
            name = found[1]  # type: ignore[index]
            if name not in values:
                return str(found[0])  # type: ignore[index]
            shown = printed(values[name])
            return f"{ISOLATE}{shown}{END_OF_ISOLATE}" if isolates else shown

        return VALUE.sub(value_of, text)


def call_problem(found: Translation, source: Sequence[str], known: set[str], *, several: bool) -> Problem | None:
    """Return what keeps a translation from being one of a call of ``say``; ``None`` for nothing."""
    if trouble := forms_trouble(found, several=several):
        return found.catalogue.problem("message-plural", found, trouble=trouble)
    required = values_in(source[0]) & values_in(source[-1]) if several else known
    for text in found.strings:
        if extra := sorted(values_in(text) - known):
            trouble = f"has a value {{{extra[0]}}} that the message does not have"
            return found.catalogue.problem("message-value", found, trouble=trouble)
        missing = sorted(required - values_in(text))
        if missing and not several:
            return found.catalogue.problem("message-value", found, trouble=f"has no {{{missing[0]}}}")
    return None


def forms_trouble(found: Translation, *, several: bool) -> str:
    """Return what is wrong with how many forms a translation has; empty for nothing."""
    count = len(found.strings)
    if not several:
        return "" if count == 1 else f"has {count} forms, and the message has no plural"
    if not found.catalogue.count:
        return "has no rule for its plural forms"
    if count != found.catalogue.count:
        return f"has {count} of {found.catalogue.count} plural forms"
    return ""


def counted(number: object) -> Any:
    """Return a number that decides between forms. Raises ``FilterProblem`` for anything else."""
    if type(number) is int:
        return number
    if not isinstance(number, bool):
        if hasattr(number, "__index__"):
            return int(number)
        from decimal import Decimal  # noqa: PLC0415  only for fractions
        from numbers import Real  # noqa: PLC0415

        if isinstance(number, Decimal | Real):
            found: Any = number if isinstance(number, Decimal) else float(number)
            if found - found != 0:
                raise FilterProblem("infinity and NaN have no plural form.")
            return found
    what = "None" if number is None else with_article(type(number).__name__)
    raise FilterProblem(f"the number that decides between the forms of a message is {what}.")
