"""The templates of a site, and which of them use which."""

from __future__ import annotations

from typing import NamedTuple

from untor.check.type_rules import known_of
from untor.errors import TemplateMissing, UntorError
from untor.language import tree
from untor.messages.translator import Translator

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from untor.compiler.compiler import Compiler
    from untor.diagnostics.problem import Problem
    from untor.language.parser import ParsedTemplate

Call = tree.Layout | tree.Include


class SitePage(NamedTuple):
    """A template, or with a name a part of one, that nothing else uses: it is a page of its own."""

    file: str
    part: str


class Site:
    """The templates of a compiler's folders: all of them are read, or with ``reads=False`` none yet."""

    def __init__(self, compiler: Compiler, *, reads: bool = True) -> None:
        self.compiler = compiler
        self.readings: dict[str, ParsedTemplate] = {}
        self.unread: list[Problem] = []
        """The problems of files that are not text."""
        self.hidden: list[tuple[str, Path, Path]] = []
        """Templates that another of the same name hides: the name, the file used and the one that never is."""
        self.declared = known_of(compiler.settings)
        self.known = compiler.settings.everywhere.keys()
        translator, settings = compiler.settings.translator, compiler.settings
        translators = [Translator(code, translator.own, translator.every, reports=False) for code in translator.every]
        self.compilers = [
            compiler.in_locale(settings.in_locale(each, settings.filters, settings.facts)) for each in translators
        ]
        """Compilers for the locales that there are translations into."""
        self._called: dict[str, str] = {}
        self._calls: dict[str, list[Call]] = {}
        if reads:
            found: dict[str, Path] = {}
            for name, path in compiler.loader.files():
                if name in found:
                    self.hidden.append((name, found[name], path))
                else:
                    found[name] = path
                    self.read(name)

    def read(self, name: str) -> None:
        """Read a template, which may have been read before."""
        self._calls.pop(name, None)
        was_there = self.readings.pop(name, None) is not None
        self.unread = [problem for problem in self.unread if problem.source is None or problem.source.name != name]
        try:
            self.readings[name] = self.compiler.reading(name)
        except UntorError as error:
            if error.problem.source is not None:
                self.unread.append(error.problem)
        if was_there != (name in self.readings):
            self._called.clear()

    def called(self, file: str) -> ParsedTemplate | None:
        """Return the template that a step names; ``None`` when there is none."""
        return self.readings.get(self.name_of(file))

    def name_of(self, file: str) -> str:
        """Return the full name of the template that a step names, or an empty string if it does not exist."""
        if file not in self._called:
            try:
                self._called[file] = self.compiler.loader.name(file)
            except TemplateMissing:
                self._called[file] = ""
        return self._called[file]

    def calls(self, reading: ParsedTemplate) -> list[Call]:
        """Return the steps of a template that use others: its layout, its includes, also those inside parts."""
        name = reading.source.name
        if name not in self._calls:
            targets: list[Call] = [reading.layout] if reading.layout else []
            todo: list[tree.Node] = [*reading.body, *reading.parts.values()]
            while todo:
                node = todo.pop()
                if isinstance(node, tree.Include):
                    targets.append(node)
                todo += tree.inside(node)
            self._calls[name] = sorted(targets, key=lambda node: node.start)
        return self._calls[name]

    def names_known(self, name: str) -> set[str]:
        """Return the names that a template uses in its marks, takes or binds, with those that every page sees."""
        reading = self.readings.get(name)
        if reading is None:
            return set()
        names = {*self.known, *(each.name for each in reading.takes.parameters)} if reading.takes else {*self.known}
        todo: list[tree.Node] = [*reading.body, *reading.parts.values()]
        expressions: list[tree.Expression] = []
        while todo:
            node = todo.pop()
            todo += tree.inside(node)
            match node:
                case tree.Print():
                    expressions.append(node.expression)
                case tree.Let():
                    expressions.append(node.expression)
                    names.add(node.name)
                case tree.For():
                    expressions.append(node.iterable)
                    names |= {*node.names}
                case tree.If():
                    expressions += [branch.test for branch in node.branches if branch.test is not None]
                case tree.Part():
                    names |= {parameter.name for parameter in node.parameters}
                case tree.Include():
                    expressions += [argument.value for argument in node.arguments]
        while expressions:
            expression = expressions.pop()
            expressions += tree.children(expression)
            if isinstance(expression, tree.Name):
                names.add(expression.name)
        return names

    def uses(self, reading: ParsedTemplate) -> Iterator[SitePage]:
        """Yield what a template uses."""
        for node in self.calls(reading):
            called = self.called(node.target.file) if node.target.file else reading
            if called is not None:
                yield SitePage(called.source.name, node.target.part)

    def pages(self) -> list[SitePage]:
        """Return what nothing else uses, so that every template and part is looked at in some page.

        Templates that use one another in a circle are pages too.
        """
        names = sorted(self.readings)
        used = {use for reading in self.readings.values() for use in self.uses(reading)}
        pages = [SitePage(name, "") for name in names if SitePage(name, "") not in used]
        seen = {name for page in pages for name in self.reached(page.file)}
        for name in names:
            if name not in seen:
                pages.append(SitePage(name, ""))
                seen |= self.reached(name)
        parts = [SitePage(name, part) for name in names for part in self.readings[name].parts]
        return pages + [part for part in parts if part not in used]

    def reached(self, name: str) -> set[str]:
        """Return the templates that one is made of, with itself."""
        names: set[str] = set()
        todo = [name]
        while todo:
            name = todo.pop()
            if name not in names:
                names.add(name)
                todo += [use.file for use in self.uses(self.readings[name])]
        return names
