"""What people write elsewhere: each row of the table reaches whoever writes it, and nothing is suggested at random."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from untor import Engine, MarkError, RenderError, UntorError
from untor.diagnostics import hints, python_errors
from untor.diagnostics.problem import nearest
from untor.filters import NAMES

engine = Engine()


def hint_of(source: str, **values: object) -> str | None:
    """Return the hint of the error that a template ends in."""
    with pytest.raises(UntorError) as found:
        engine.compile(source).render(values)
    return found.value.hint


@pytest.mark.parametrize("word", hints.FILTERS)
def test_filters(word: str) -> None:
    """A filter that there is not names the one that there is, or what to do instead."""
    assert hint_of(f"{{= x | {word} =}}") == hints.FILTERS[word]


@pytest.mark.parametrize("word", sorted(hints.FUNCTIONS.keys() | hints.BUILT_IN_FILTERS))
def test_functions(word: str) -> None:
    """A function that there is not is explained; a filter that is called like one is named as a filter."""
    assert hint_of(f"{{= {word}(x) =}}", x=1) == hints.of_call(word) != ""


@pytest.mark.parametrize("word", hints.NAMES)
def test_names(word: str) -> None:
    """A literal of another language is what it is here."""
    assert hint_of(f"{{= {word} =}}", x=1) == hints.NAMES[word]


@pytest.mark.parametrize("word", hints.STEPS)
def test_steps(word: str) -> None:
    """A step that there is not is explained where it is, and what it seems to end or begin is not reported as well."""
    source = "<! if x !>a<! {} !>b" if word in hints.ENDS else "<! {} x !>a"
    with pytest.raises(MarkError) as found:
        engine.compile(source.format(word))
    assert (found.value.code, found.value.hint) == ("step-unknown", hints.STEPS[word])
    assert found.value.column == source.index("{}") + 1


@pytest.mark.parametrize("sign", hints.OPERATORS)
def test_operators(sign: str) -> None:
    """An operator of another language is what it is here."""
    sources = [f"{{= a{sign}b =}}", f"{{= a {sign} b =}}", f"{{= {sign}b =}}", f"{{= a{sign} =}}"]
    found = []
    for source in sources:
        try:
            engine.compile(source)
        except MarkError as error:
            found.append(error.hint)
    assert hints.OPERATORS[sign] in found


@pytest.mark.parametrize("word", hints.WORDS)
def test_words(word: str) -> None:
    """A word between two values is an operator here, or a step."""
    assert hint_of(f"{{= a {word} b =}}") == hints.WORDS[word]


@pytest.mark.parametrize("word", hints.AFTER_IS)
def test_words_after_is(word: str) -> None:
    """What is asked elsewhere with "is" is asked here in its own way."""
    assert hint_of(f"<! if a is {word} !><! end !>") == hints.AFTER_IS[word]


@pytest.mark.parametrize("letters", hints.PREFIXES)
def test_prefixes(letters: str) -> None:
    """A string has no letters before it."""
    assert hint_of(f"{{= {letters}'a' =}}") == hints.PREFIXES[letters]


@pytest.mark.parametrize("word", hints.ATTRIBUTES)
def test_attributes(word: str) -> None:
    """What strings and collections can do elsewhere is done here by filters."""
    assert hint_of(f"{{= port.names.{word} =}}", port={"names": {"a": 1}}) == hints.ATTRIBUTES[word].format(
        owner="port.names"
    )


@pytest.mark.parametrize("word", hints.POSITIONS)
def test_positions(word: str) -> None:
    """What other languages know of a loop's position is named as it is here."""
    assert hint_of(f"<! for x in [1] as row !>{{= row.{word} =}}<! end !>") == hints.POSITIONS[word]


@pytest.mark.parametrize("word", hints.TYPES)
def test_types(word: str) -> None:
    """A type of another language is named as it is here."""
    assert hint_of(f"<! takes x: {word} !>") == hints.TYPES[word]


SHAPES = {
    "for": "<! for {} x in calls !><! end !>", "let": "<! let x {} 1 !>", "takes": "<! takes x: str {} None !>",
    "part": "<! part p(x: str {} None) !><! end !>", "include": "<! include row {} x !>", "use": "<! use row {} x !><! end !>",
    "layout": "<! layout 'row' {} x !>",
}  # fmt: skip
SHAPED = [(step, found) for step, rows in hints.SHAPES.items() for found in rows]


@pytest.mark.parametrize(("step", "found"), SHAPED)
def test_shapes(step: str, found: str) -> None:
    """What is written in the wrong place of a step is explained there."""
    sources = [SHAPES[step].format(found), f"<! for x {found} calls !>", f"<! let x = 1{found} y = 2 !>"]
    meant = []
    for source in sources:
        try:
            engine.compile(source + "<! end !>" * (found in {"of", "=", "as"}))
        except MarkError as error:
            meant.append(error.hint)
    assert hints.SHAPES[step][found] in meant


@pytest.mark.parametrize("sign", hints.AFFIXES)
def test_signs_for_white_space(sign: str) -> None:
    """A sign beside a delimiter does nothing here, and the message says what happens by itself."""
    for source in (f"<!{sign} if x !><! end !>", f"<!{sign}if x !><! end !>"):
        assert hint_of(source) == hints.AFFIXES[sign]
    if sign not in "_~":
        assert hint_of(f"<! if x {sign}!><! end !>") == hint_of(f"{{= x {sign}=}}") == hints.AFFIXES[sign]


OTHERS = [
    ("{= n:.2f =}", "Format specifications are not supported: write value | number(2)."),
    ("{= n!r =}", "Conversions like !r are not supported: values are printed as text."),
    ("{= x | clip:5 =}", "Arguments of a filter are in brackets: clip(30)."),
    ("{= (1, 2) =}", "Write a list: [1, 2]."),
    ("{= {1, 2} =}", "Write a list: [1, 2]."),
    ("{= a, b =}", "Print each value in a mark of its own, or write a list: [1, 2]."),
    ("<! if n: !><! end !>", "Remove the colon."),
    ("<! for c in calls: !><! end !>", "Remove the colon."),
    ("{= n ? 'a' : 'b' =}", "Write the value first: 'a' if n else 'b'."),
    ("{= x | sorted(lambda c: c.name) =}", 'There are no functions in templates: give the name of a key, as in sorted("name").'),
    ("<! if n is 3 !><! end !>", 'To compare, write "==": "is" is for None, True and False.'),
    ("{= calls.name =}", 'It is a list: write calls[0].name, loop over it, or write calls | each("name").'),
    ("{= x | lowercased =}", hints.FILTERS["lowercase"]), ("{= x | filesizes =}", hints.FILTERS["filesize"]),
    ("{= 'a' if x =}", "Write what is printed otherwise: 'a' if n else ''."),
    ("{= x ++ =}", hints.OPERATORS["++"]),
    ("<! part row(c) !>x<! end !>{= row(n) =}", '"row" is a part: write <! include row NAME=VALUE !>.'),
    ("<! part row(c) !>{= tons =}<! end !><! include row c=n !>", "This piece was given c. To pass it, write <! include row tons=VALUE !>."),
    ("<! include row !>", 'It has no parts. A template of its own is named in quotes: <! include "row" !>.'),
    ("{= x | range =}", hints.FILTERS["range"]),
    ("<! let pier = 1 !>{= x | pier =}", '"pier" is a function: write pier(…).'),
]  # fmt: skip


@pytest.mark.parametrize(("source", "hint"), OTHERS)
def test_others(source: str, hint: str) -> None:
    """What is no single word is explained, too."""
    assert hint_of(source, n=1, x=[], calls=[{"name": "Gull"}], a=1, b=2) == hint


COMPUTED = [
    ("n + name", "an int and a string cannot be added"), ("name + n", "a string and an int cannot be added"), ("xs * name", "a list or a string cannot be multiplied by a string"),
    ("n < name", 'an int and a string cannot be compared with "<"'), ("none >= n", 'None and an int cannot be compared with ">="'),
    ("n in n", '"in" needs a collection or a string on its right, not an int'), ("n in name", '"in" needs a string on its left where one is on its right, not an int'),
    ("n[0]", "an int has no items"), ("xs['a']", "the items of a list have numbers, and this is a string"), ("name['a']", "the items of a string have numbers, and this is a string"),
    ("-name", "a string cannot have a sign"), ("n / 0", "a number cannot be divided by zero"), ("n // 0", "a number cannot be divided by zero"), ("n % 0", "a number cannot be divided by zero"),
    ("0.5 // 0", "a number cannot be divided by zero"), ("{xs: 1}", "a list cannot be a key of a mapping"), ("name % n", "% is the remainder of numbers, and this is a string"),
    ("none - n", "None and an int cannot be subtracted"), ("n * none", "an int and None cannot be multiplied"), ("xs / n", "a list and an int cannot be divided"),
]  # fmt: skip


@pytest.mark.parametrize(("expression", "sentence"), COMPUTED)
def test_what_cannot_be_computed(expression: str, sentence: str) -> None:
    """What Python cannot compute is said in words, with the place, and Python's exception as the cause."""
    with pytest.raises(RenderError) as found:
        engine.compile(f"{{= {expression} =}}").render(n=3, name="Gull", xs=[1], none=None)
    assert found.value.message == f"This cannot be computed: {sentence}."
    assert found.value.__cause__ is not None
    assert ("None" in sentence) == ("If a value may be None" in (found.value.hint or ""))


def test_every_sentence_is_tried() -> None:
    """No row of the table is without an example."""
    sentences = [sentence for _, sentence in COMPUTED]
    for _, sentence, _ in python_errors.ROWS:
        pattern = re.sub(r"\\{\w+\\}", ".+", re.escape(sentence))
        assert any(re.fullmatch(pattern, each) for each in sentences), sentence


def test_the_built_in_filters() -> None:
    """The table knows the filters that there are, and has no row for one of them."""
    assert hints.BUILT_IN_FILTERS == NAMES
    assert not NAMES & hints.FILTERS.keys()


@given(st.text("trusedlink", min_size=1, max_size=9))
def test_trusted_is_never_suggested(word: str) -> None:
    """Nobody turns escaping off by following a suggestion."""
    try:
        engine.compile(f"{{= x | {word} =}}")
    except MarkError as error:
        assert not error.hint or '"trusted"' not in error.hint.partition("\n")[0]


@pytest.mark.parametrize(
    ("word", "known", "near"),
    [("nmae", ["name"], ["name"]), ("dya", ["day"], ["day"]), ("count", ["round"], []), ("map", ["max"], []), ("int", ["min"], []),
     ("false", ["calls"], []), ("upper", ["user"], []), ("code", ["second"], []), ("vesel", ["vessel"], ["vessel"]), ("ton", ["tons"], ["tons"])],
)  # fmt: skip
def test_likeness(word: str, known: list[str], near: list[str]) -> None:
    """A name is suggested for a slip of the finger, not for two letters in common."""
    assert nearest(word, known) == near
