"""``pytest --untor FOLDER``: each template of a site as a test, which fails with the checker's findings in it."""

from __future__ import annotations

from pathlib import Path

import pytest

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import Any

    from untor.check.findings import Finding


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add the options."""
    group = parser.getgroup("untor", "templates of Untor")
    group.addoption(
        "--untor",
        metavar="FOLDER",
        action="append",
        nargs="?",
        const="",
        default=[],
        help="check the templates of a folder; without one, those of [tool.untor] in pyproject.toml, or of templates",
    )
    group.addoption("--untor-engine", metavar="MODULE:NAME", default="", help="check the templates of a site's engine")


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(session: pytest.Session, items: list[pytest.Item]) -> None:
    """Add a test for each template, after the tests that there are."""
    options = session.config.option
    if options.untor or options.untor_engine:
        found_in = _templates(options, session.config.rootpath)
        items += [TemplateItem.from_parent(session, name=name, found=found) for name, found in found_in]


def _templates(options: Any, root: Path) -> Iterator[tuple[str, list[Finding]]]:
    import click  # noqa: PLC0415  loaded when templates are checked

    from untor.check.checker import CheckOptions, check  # noqa: PLC0415
    from untor.cli.pyproject import settings  # noqa: PLC0415
    from untor.cli.templates import engine_named  # noqa: PLC0415
    from untor.engine.engine import Engine  # noqa: PLC0415

    try:
        configured = settings(root)
        given = [folder for folder in options.untor if folder]
        named = options.untor_engine or ("" if given else configured.engine)
        if named:
            engine = engine_named(named, None if options.untor_engine else configured.folder)
        else:
            folders = given or configured.folders or [str(root / "templates")]
            engine = Engine(folders, reload=True, messages=configured.messages, locale=configured.locale)
    except click.ClickException as error:
        raise pytest.UsageError(error.format_message()) from error
    wanted = CheckOptions(configured.accept, configured.also, configured.most_trusted, engine.policy)
    names = sorted({name for name, _ in engine.compiler.loader.files()})
    if not names:
        looked = ", ".join(folder for _, folder in engine.compiler.loader.entries)
        raise pytest.UsageError(f"--untor: there are no templates in {looked}")
    findings = check(engine.compiler, wanted).findings
    # What is wrong with translations is in files of their own.
    for name in names + sorted({finding.name for finding in findings} - {*names}):
        yield name, [finding for finding in findings if finding.name == name]


class TemplateItem(pytest.Item):
    """One template, or a catalogue with something wrong in it."""

    def __init__(self, *, found: list[Finding], **more: Any) -> None:
        super().__init__(**more)
        self.found = found

    def runtest(self) -> None:
        """Fail with the findings."""
        if self.found:
            raise TemplateFaulty(self.found)

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], *_: Any, **__: Any) -> str:
        """Show the findings instead of a traceback."""
        return str(excinfo.value)

    def reportinfo(self) -> tuple[Path, int | None, str]:
        """Say what the test is."""
        kind = "catalogue" if self.name.endswith((".po", ".mo")) else "template"
        return Path(self.name), None, f"{kind} {self.name}"


class TemplateFaulty(Exception):  # noqa: N818  the name describes the error
    """The checker found something in a template."""

    def __init__(self, found: list[Finding]) -> None:
        super().__init__("\n\n".join(map(str, found)))
