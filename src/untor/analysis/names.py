"""Names and filters in expressions: what is bound where, what the page's values must have, what is not valid."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Collection

from untor.analysis.filter_calls import wrong_arguments, wrong_constants
from untor.diagnostics.hints import POSITIONS, of_filter
from untor.diagnostics.problem import Problem, suggestion
from untor.filters import KNOWN_TO_PLACES
from untor.language import tree
from untor.language.keywords import PLURAL_FORM
from untor.messages.calls import call_trouble, is_say

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping

    from untor.diagnostics.source import Source

OWN_URLS = frozenset({"link"})
"""The engine's own helpers whose URLs lead to its own pages; static files are ``TrustedScriptURL`` anyway."""

POSITION = frozenset({"number", "index", "first", "last", "odd", "even", "total"})
"""What the position of a loop has."""


_SERIAL = itertools.count()
"""Numbers for bindings of names, each of its own."""


class AnalysisError(Exception):
    """Stops the planning of a template at its first problem."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(problem)
        self.problem = problem


Known = Callable[[object, Collection[str]], str]
"""Says what is wrong with a call of a helper, by its first argument and the names of the others; empty for nothing."""


class Names:
    """The names that are visible at a point of a template, innermost scope last."""

    def __init__(
        self,
        source: Source,
        filters: Mapping[str, Callable[..., object]],
        inputs: set[str] | None,
        known: Mapping[str, Known] | None = None,
    ) -> None:
        self.source = source
        self.known = known or {}
        self.filters = filters
        self.scopes: list[dict[str, set[str] | None]] = [{}]
        self._bindings: list[dict[str, int]] = [{}]
        self._unbound = next(_SERIAL)
        self.inputs = inputs
        """Collects the names read from the page's context; ``None`` where the context is out of reach."""

    def enter(self) -> None:
        """Open a scope."""
        self.scopes.append({})
        self._bindings.append({})

    def leave(self) -> None:
        """Close the innermost scope; its names are gone."""
        self.scopes.pop()
        self._bindings.pop()

    def bind(self, name: str, uses: set[str] | None = None) -> None:
        """Add a name to the innermost scope; ``uses`` collects what is read of a loop's position."""
        self.scopes[-1][name] = uses
        self._bindings[-1][name] = next(_SERIAL)

    def lookup(self, name: str) -> tuple[bool, set[str] | None]:
        """Return whether a name is bound in the template, and as what."""
        for scope in reversed(self.scopes):
            if name in scope:
                return True, scope[name]
        return False, None

    def condition(self, test: tree.Expression) -> object:
        """Return what is equal for conditions that are true or false together: their text and what their names are."""
        todo, bindings = [test], []
        while todo:
            node = todo.pop()
            if isinstance(node, tree.Call | tree.Filter):
                # What a function returns may be another thing the next time, and some take from an iterator.
                return next(_SERIAL)
            if isinstance(node, tree.Name):
                bindings.append(self._binding(node.name))
            todo.extend(tree.children(node))
        return self.source.text[test.start : test.end], tuple(bindings)

    def _binding(self, name: str) -> int:
        return next((scope[name] for scope in reversed(self._bindings) if name in scope), self._unbound)

    def use(self, expression: tree.Expression) -> None:
        """Check an expression and note what it reads. Raises ``AnalysisError``."""
        todo = [expression]
        while todo:
            node = todo.pop()
            if isinstance(node, tree.Name):
                self._name(node)
                continue
            if isinstance(node, tree.Attribute):
                owner = node.owner
                if isinstance(owner, tree.Name) and (uses := self.lookup(owner.name)[1]) is not None:
                    self._position(node, owner, uses)
                else:
                    todo.append(owner)
                continue
            if isinstance(node, tree.Call):
                self._call(node)
            elif isinstance(node, tree.Filter):
                self._filter(node)
            todo.extend(tree.children(node))

    def is_built_in(self, expression: tree.Expression, name: str) -> bool:
        """Return whether the last thing done in an expression is a built-in filter."""
        return (
            isinstance(expression, tree.Filter)
            and expression.name == name
            and self.filters.get(name) is KNOWN_TO_PLACES[name]
        )

    def is_own_url(self, expression: tree.Expression) -> bool:
        """Return whether an expression is a URL made by the engine, as safe as one written in the template."""
        function = expression.function if isinstance(expression, tree.Call) else None
        return (
            isinstance(function, tree.Name)
            and function.name in self.known.keys() & OWN_URLS
            and not self.lookup(function.name)[0]
        )

    def message(self, expression: tree.Expression) -> tuple[str, str] | None:
        """Return the text of a message without values and what it is about; ``None`` for any other expression."""
        if not isinstance(expression, tree.Call) or not is_say(expression) or self.lookup("say")[0]:
            return None
        about = expression.named.get("about", tree.Constant(0, 0, ""))
        text = expression.arguments[0]
        if len(expression.arguments) > 1 or expression.named.keys() - {"about"}:
            return None
        assert isinstance(text, tree.Constant)  # noqa: S101  use() has looked
        assert isinstance(about, tree.Constant)  # noqa: S101  use() has looked
        return str(text.value), str(about.value)

    def trusted(self, expression: tree.Expression) -> str | None:
        """Return the reason why an expression is trusted HTML; ``None`` where it is not."""
        if isinstance(expression, tree.Filter) and self.is_built_in(expression, "trusted"):
            reason = expression.arguments[0] if expression.arguments else expression.named.get("reason")
            if isinstance(reason, tree.Constant) and isinstance(reason.value, str):
                return reason.value
        return None

    def _position(self, node: tree.Attribute, owner: tree.Name, uses: set[str]) -> None:
        if node.name not in POSITION:
            hint = POSITIONS.get(node.name) or suggestion(node.name, POSITION) or None
            words = {"name": owner.name, "word": node.name}
            raise AnalysisError(
                Problem("position-attribute", self.source, node.name_start, node.end, hint=hint, **words)
            )
        uses.add(node.name)

    def _name(self, node: tree.Name) -> None:
        bound, uses = self.lookup(node.name)
        if uses is not None:
            raise AnalysisError(Problem("position-alone", self.source, node.start, node.end, name=node.name))
        if not bound and self.inputs is not None:
            self.inputs.add(node.name)

    def _call(self, node: tree.Call) -> None:
        if not isinstance(node.function, tree.Name | tree.Attribute | tree.Item):
            raise AnalysisError(Problem("call-refused", self.source, node.start, node.end))
        name = node.function.name if isinstance(node.function, tree.Name) else ""
        if is_say(node) and not self.lookup(name)[0] and (trouble := call_trouble(node)):
            raise AnalysisError(Problem("say-call", self.source, node.start, node.end, trouble=trouble))
        first = node.arguments[0] if node.arguments else None
        if name in self.known and isinstance(first, tree.Constant) and not self.lookup(name)[0]:
            trouble = self.known[name](first.value, node.named.keys())
            if trouble:
                raise AnalysisError(
                    Problem("call-wrong", self.source, node.start, node.end, word=name, trouble=trouble)
                )

    def _filter(self, node: tree.Filter) -> None:
        if node.name == PLURAL_FORM:
            return
        function = self.filters.get(node.name)
        end = node.name_start + len(node.name)
        if function is None:
            known = ", ".join(sorted(self.filters))
            hint = of_filter(node.name) or (
                f'"{node.name}" is a function: write {node.name}(…).'
                if node.name in self.known or self.lookup(node.name)[0]
                # The one filter that turns escaping off is never a guess.
                else suggestion(node.name, self.filters.keys() - {"trusted"}) or None
            )
            words = {"word": node.name, "filters": known}
            raise AnalysisError(Problem("filter-unknown", self.source, node.name_start, end, hint=hint, **words))
        is_bare = not (node.arguments or node.named)
        if self.is_built_in(node, "trusted") and (is_bare or not (self.trusted(node) or "").strip()):
            raise AnalysisError(Problem("trusted-reason", self.source, node.name_start, node.end))
        problem = wrong_arguments(self.source, node, function)
        problem = problem or wrong_constants(self.source, node, function)
        if problem is not None:
            raise AnalysisError(problem)
