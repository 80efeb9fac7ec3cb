"""Messages: walked as they are written, and in the page's language, which must lead to the same place."""

from __future__ import annotations

from typing import TypeVar

from untor.analysis.ir import Scope
from untor.analysis.names import AnalysisError
from untor.analysis.walker import BlockWalker
from untor.language import tree
from untor.messages.message import Unsayable, message_of
from untor.messages.translation import Unfit, letters_of, nodes_of_form
from untor.messages.translator import forms_trouble

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.analysis.ir import Operation
    from untor.messages.catalogue import Translation
    from untor.messages.message import Message

State = TypeVar("State")


class MessageWalker(BlockWalker[State]):
    """Walks messages. A translation that is not read as the message itself is refused, and the message printed."""

    in_message = ""
    """What the text of the message is read as that is being walked; empty outside of messages."""

    def kind_here(self, node: tree.Say) -> str:
        """Return what the text of a message is read as here. Raises ``AnalysisError`` where none can be."""
        raise NotImplementedError

    def _say(self, node: tree.Say) -> None:
        message = self._message(node)
        self.analysis.has_messages = True
        outer, self.in_message = self.in_message, message.kind
        start = self.fork(self.state)
        operations = self._block(node, tree.said(node))
        # What follows is judged as after any words, so that it is the same in each language.
        self.state = self.fork(start)
        forms = [letters_of(message, form) for form in message.forms]
        self._block(node, tree.said(node, *forms))
        found = self.analysis.permitted.translator.translation(message.about, message.text)
        if found is not None:
            operations = self._in_locale(node, message, found, start) or operations
        self.in_message = outer
        if node.count is None:
            self.operations += operations
        else:
            self.operations.append(Scope(operations))

    def _in_locale(self, node: tree.Say, message: Message, found: Translation, start: State) -> list[Operation] | None:
        """Walk a translation from the same place to the same place; ``None`` for one that is refused."""
        end, before = self.state, self.remember(node)
        collects, self.analysis.collects = self.analysis.collects, False
        self.state = start
        operations: list[Operation] | None = None
        try:
            walked = self._block(node, self._translated(node, message, found))
            if not self.same(self.state, end):
                raise self.differing("branches-differ", node, end, self.state, word="say")
            operations = walked
        except (AnalysisError, Unfit) as trouble:
            self.go_back(before)
            self._untranslated(found, trouble)
        self.analysis.collects = collects
        self.state = end
        return operations

    def _message(self, node: tree.Say) -> Message:
        """Return a message, which must be the one that translators see."""
        kind = self.kind_here(node)
        try:
            message = message_of(node, self.source, kind)
            if kind != node.kind and _texts(message_of(node, self.source, node.kind)) != _texts(message):
                raise self.refused("say-moved", node.start, node.end)
        except Unsayable as found:
            raise AnalysisError(found.problem) from None
        for name in message.elements:
            if trouble := self.misplaced(name):
                words = {"what": trouble, "remedy": "Put it outside of the message."}
                raise self.refused("say-content", node.start, node.end, **words)
        return message

    def misplaced(self, name: str) -> str:  # noqa: ARG002  one shape for all walkers
        """Return why an element may not move among the words here: what it closes or ends; empty for one that may."""
        return ""

    def _translated(self, node: tree.Say, message: Message, found: Translation) -> list[tree.Node]:
        """Return the nodes of a translation. Raises ``Unfit``."""
        if trouble := forms_trouble(found, several=len(message.forms) > 1):
            raise Unfit("message-plural", trouble=trouble)
        forms = [nodes_of_form(text, message) for text in found.strings]
        if len(message.forms) == 1:
            return tree.said(node, forms[0])
        let = tree.Let(node.start, node.end, node.name, node.count or tree.Constant(node.start, node.end, None))
        return [let, *(forms[0] if len(forms) == 1 else [tree.choice(node, found.catalogue.code, forms)])]

    def _untranslated(self, found: Translation, trouble: AnalysisError | Unfit) -> None:
        """Report a translation that is not printed."""
        if isinstance(trouble, Unfit):
            problem = found.catalogue.problem(trouble.code, found, **trouble.words)
        else:
            problem = found.catalogue.problem("message-refused", found, trouble=trouble.problem.message)
        self.analysis.permitted.translator.report(problem)
        self.analysis.untranslated.append(problem)


def _texts(message: Message) -> list[str]:
    return [form.text for form in message.forms]
