"""A fuzzer of the extension, guided by its coverage: ``.ci/fuzz``; see there for what it needs.

An input is either the numbers of a program, which is refused or runs without harm, or text for the values of real
pages, which come out as from the functions in Python. What was found to be new is kept in ``cases/fuzz.txt``, an input
a line in hexadecimal digits; the tests run all of it.
"""

from __future__ import annotations

import logging
import sys
from pathlib import Path

from codegen.test_programs import LEAVE, both, interrupted, made
from values import outcome

CORPUS = Path(__file__).parent / "cases/fuzz.txt"
LEAST, COUNT = -10, 141
"""The numbers of a program: from what is less than any constant to what is greater than any step or place."""

MOST_KEPT = 40
"""How long inputs are that are kept: longer ones are found again from them."""

PAGES = [
    both(source)
    for source in (
        "<p title='{= x =}'>{= x =}</p><title>{= x =}</title>",
        "<a href='/{= x =}?{= x =}#{= x =}'>{= x =}</a><a href='{= x =}'></a>",
        "<script>f({= x =}, '{= x =}', `{= x =}`, {= [x, {x: x}] =})</script><p onclick='f({= x =})'>",
        "<style>p { color: {= x =}; content: '{= x =}' }</style><p style='width: {= x =}'>",
        "<! for y in x !>{= y =}<! between !>, <! else !>none<! end !><! if x > 'b' !>{= x | upper =}<! end !>",
    )
]
ENCODINGS = ("utf-8", "latin-1", "utf-16-le", "utf-32-le")
"""How text is read, so that strings of each width come up."""


def one_input(octets: bytes) -> None:
    """Try one input: what its first byte says, with the others."""
    kind, rest = (octets[0], octets[1:]) if octets else (0, b"")
    if kind & 1:
        numbers([number % COUNT + LEAST for number in rest], chunks=bool(kind & 2), awaits=bool(kind & 4))
    else:
        values(rest.decode(ENCODINGS[kind >> 1 & 3], "replace"), (kind >> 3) % len(PAGES))


def numbers(code: list[int], *, chunks: bool, awaits: bool) -> None:
    """Run a program of any numbers, if there is such a program."""
    try:
        program = made([*code, *LEAVE])
    except ValueError:
        return
    rendering = program.begin({"x": "a<"}, {"y": [len(code), {"b": "é"}]}, chunks, awaits)
    with interrupted():  # what goes on for ever
        for _ in range(9):
            outcome(rendering.resume, None)


def values(text: str, page: int) -> None:
    """Render a page with any text, by the extension and by Python."""
    fast, plain = PAGES[page]
    assert outcome(fast, {"x": text}) == outcome(plain, {"x": text})


def corpus() -> list[bytes]:
    """Return the inputs that are kept."""
    return [bytes.fromhex(line) for line in CORPUS.read_text("ascii").splitlines()]


if __name__ == "__main__":
    if sys.argv[1] == "--unpack":
        for number, octets in enumerate(corpus()):
            (Path(sys.argv[2]) / str(number)).write_bytes(octets)
    elif sys.argv[1] == "--pack":
        found = {octets for file in Path(sys.argv[2]).iterdir() if len(octets := file.read_bytes()) <= MOST_KEPT}
        lines = [f"{each.hex()}\n" for each in sorted(found, key=lambda each: (len(each), each))]
        CORPUS.write_text("".join(lines), "ascii")
    else:
        import atheris

        logging.disable()  # what is blocked is as it should be
        atheris.Setup(sys.argv, one_input)
        atheris.Fuzz()
