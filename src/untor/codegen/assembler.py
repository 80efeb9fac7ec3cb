"""The code of one function of a program: steps, the places that they come from, and the slots that they use."""

from __future__ import annotations

from untor.codegen import steps


class Assembler:
    """Puts steps one after another. Slots are taken from the first one up, and given back by going down again."""

    def __init__(self, taken: int) -> None:
        self.code: list[int] = []
        self.targets: list[int] = []
        """The places in the code that say where to go on."""
        self.places: dict[int, tuple[int, int, str, str]] = {}
        """Where in the template a step comes from, and what is called there; in the order of the steps."""
        self.top = self.most = taken
        """The first slot that nothing is kept in, and the first that nothing was ever kept in."""

    def step(self, *parts: int) -> int:
        """Add a step, and return where it begins."""
        self.code += parts
        return len(self.code) - len(parts)

    def placed(self, start: int, end: int, *parts: int, kind: str = "", word: str = "") -> int:
        """Add a step that can go wrong; its error then points at this place."""
        at = len(self.code)
        self.code += parts
        self.places[at] = (start, end, kind, word)
        return at

    def jump(self, *parts: int) -> int:
        """Add a step whose last number is a target, and return the place of that number."""
        self.code += (*parts, 0)
        at = len(self.code) - 1
        self.targets.append(at)
        return at

    def back(self, target: int, *parts: int) -> None:
        """Add a step that goes on further up."""
        self.code[self.jump(*parts)] = target

    def here(self, *jumps: int) -> None:
        """Let steps go on where the code is now."""
        for at in jumps:
            self.code[at] = len(self.code)

    def fresh(self) -> int:
        """Return a slot that nothing is kept in."""
        slot = self.top
        self.top = slot + 1
        if slot >= self.most:
            self.most = slot + 1
        return slot

    def into(self, to: int | None, mark: int) -> int:
        """Free the slots above a mark, and return the slot for a result."""
        self.top = mark
        return self.fresh() if to is None else to

    def moved(self, operand: int, to: int | None) -> int:
        """Copy a value to where it is wanted."""
        if to is None or to == operand:
            return operand
        self.step(steps.COPY, to, operand)
        return to
