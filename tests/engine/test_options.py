"""What is wrong with a call of the Python interface is said when it is called: the value, and what would be valid."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

from untor import Engine, Policy, TemplateMissing, TrustedHTML, TrustedScriptURL
from untor.web.csp import DIRECTIVES, KNOWN

if TYPE_CHECKING:
    from collections.abc import Callable

HERE = str(Path(__file__).parent)

WRONG: list[tuple[Callable[[], Any], str]] = [
    (lambda: Engine(3), "folders must be a path, a list of paths, or a mapping of prefixes to paths, not an int"),  # type: ignore[arg-type]
    (lambda: Engine([3]), "a folder must be a path, not an int"),  # type: ignore[list-item]
    (lambda: Engine("nowhere"), 'there is no folder "nowhere"'),
    (lambda: Engine([HERE, "nowhere"]), 'there is no folder "nowhere"'),
    (lambda: Engine({"a": ["nowhere"]}), 'there is no folder "nowhere"'),
    (lambda: Engine(locale="xx_YY_bad"), "the locale 'xx_YY_bad' is not known"),
    (lambda: Engine(locale=3), "locale must be a string, not an int"),  # type: ignore[arg-type]
    (lambda: Engine(timezone="Mars/One"), "the time zone 'Mars/One' is not known"),
    (lambda: Engine(timezone=0), "timezone must be a string, not an int"),  # type: ignore[arg-type]
    (lambda: Engine(clock=3), "clock must be a function without arguments, not an int"),  # type: ignore[arg-type]
    (lambda: Engine(filters={"f": 3}), 'the filter "f" must be a function, not an int'),  # type: ignore[dict-item]
    (lambda: Engine(helpers={"f": None}), 'the helper "f" must be a function, not None'),  # type: ignore[dict-item]
    (lambda: Engine(filters=[len]), "filters must be a mapping of names to functions, not a list"),  # type: ignore[arg-type]
    (lambda: Engine(filters={"my-filter": len}), "'my-filter' cannot be the name of a filter: a name has letters, digits and _, and does not begin with _"),
    (lambda: Engine(missing="no"), 'missing must be "error" or "empty", not \'no\''),  # type: ignore[arg-type]
    (lambda: Engine(url_schemes="https"), "url_schemes must be a collection, like {'https'}, not a string"),
    (lambda: Engine().compile("").page(status="200"), "status must be an integer from 200 to 599, not '200'"),  # type: ignore[arg-type]
    (lambda: Engine().compile("").page(status=True), "status must be an integer from 200 to 599, not True"),
    (lambda: Engine(HERE).check(also=["foo"]), 'there is no rule "foo". Rules are '),
    (lambda: Engine(HERE).check(accepted={"unclosed-elemen": "x"}), 'there is no rule "unclosed-elemen".'),
    (lambda: Policy(directives={"imgsrc": "'self'"}), 'there is no directive "imgsrc". Did you mean "img-src"?'),
    (lambda: Policy(directives={"colour-src": "'self'"}), 'there is no directive "colour-src". Directives are base-uri, '),
]  # fmt: skip


@pytest.mark.parametrize(("call", "message"), WRONG, ids=[message[:40] for _, message in WRONG])
def test_wrong_options(call: Callable[[], Any], message: str) -> None:
    """An option that is not valid is a ValueError at once."""
    with pytest.raises(ValueError, match=f"^{re.escape(message)}"):
        call()


def test_folders_that_come_later(tmp_path: Path) -> None:
    """While templates are written, their folder may come into being later."""
    pages = Engine(tmp_path / "later", reload=True)
    (tmp_path / "later").mkdir()
    (tmp_path / "later/page.html").write_text("<p>{= 1 =}", "utf-8")
    assert pages.render("page") == "<p>1"


@pytest.mark.parametrize("kind", [TrustedHTML, TrustedScriptURL])
def test_trust_without_a_reason(kind: Any) -> None:
    """What is trusted has a reason."""
    with pytest.raises(TypeError, match=rf'^{kind.__name__} needs a reason: {kind.__name__}\(text, reason="…"\)'):
        kind("x")


def test_other_mistakes() -> None:
    """Attributes and names of templates have suggestions and types."""
    with pytest.raises(AttributeError, match=r"a template has no attribute 'rendr'\. Did you mean \"render\""):
        Engine().compile("").rendr  # type: ignore[attr-defined]  # noqa: B018
    with pytest.raises(AttributeError, match='Did you mean "render_async"'):
        Engine().compile("").render_asinc  # type: ignore[attr-defined]  # noqa: B018
    with pytest.raises(TemplateMissing, match="names are strings, and this is a PosixPath"):
        Engine(HERE).render(Path("a"))  # type: ignore[arg-type]


def test_the_directives_of_the_default_policy() -> None:
    """Untor's own directives are among those that it knows."""
    assert DIRECTIVES.keys() <= KNOWN
