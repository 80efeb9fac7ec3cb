"""A fuzzer of the extension, guided by its coverage: ``.ci/fuzz SECONDS``; see there for what it needs.

An input is either the numbers of a program, which is refused or runs without harm, or text for the values of real
pages, which come out as from the functions in Python.
"""

from __future__ import annotations

import sys
from pathlib import Path

import atheris
from codegen.test_programs import LEAVE, both, interrupted, made
from values import outcome

CORPUS = Path(__file__).parent / "cases/fuzz.txt"
MOST_NUMBERS = 60
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


def numbers(data: atheris.FuzzedDataProvider) -> None:
    """Run a program of any numbers, if there is such a program."""
    code = data.ConsumeIntListInRange(data.ConsumeIntInRange(0, MOST_NUMBERS), -10, 130)
    values = (data.ConsumeUnicode(8), [data.ConsumeInt(2), {"b": data.ConsumeUnicode(3)}])
    try:
        program = made([*code, *LEAVE])
    except ValueError:
        return
    rendering = program.begin({"x": values[0]}, {"y": values[1]}, data.ConsumeBool(), data.ConsumeBool())
    with interrupted():  # what goes on for ever
        for _ in range(9):
            outcome(rendering.resume, None)


def values(data: atheris.FuzzedDataProvider) -> None:
    """Render a page with any text, by the extension and by Python."""
    fast, plain = PAGES[data.ConsumeIntInRange(0, len(PAGES) - 1)]
    text = data.ConsumeUnicode(sys.maxsize)
    assert outcome(fast, {"x": text}) == outcome(plain, {"x": text})


def one_input(octets: bytes) -> None:
    """Try one input."""
    data = atheris.FuzzedDataProvider(octets)
    (numbers if data.ConsumeBool() else values)(data)


if __name__ == "__main__":
    if sys.argv[1] == "--unpack":
        for number, line in enumerate(CORPUS.read_text("ascii").splitlines()):
            (Path(sys.argv[2]) / str(number)).write_bytes(bytes.fromhex(line))
    elif sys.argv[1] == "--pack":
        files = sorted(Path(sys.argv[2]).iterdir(), key=lambda file: (file.stat().st_size, file.name))
        CORPUS.write_text("".join(f"{file.read_bytes().hex()}\n" for file in files), "ascii")
    else:
        atheris.Setup(sys.argv, one_input)
        atheris.Fuzz()
