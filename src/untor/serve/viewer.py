"""The application that previews a site: its pages, the viewer around them, and the pages that the viewer links to."""

from __future__ import annotations

import asyncio
from contextlib import asynccontextmanager
from importlib.resources import files

from untor.compiler.origin import Origin
from untor.diagnostics.codes import CODES
from untor.diagnostics.rules import RULES
from untor.engine.engine import Engine
from untor.errors import TemplateMissing, UntorError
from untor.explain.outline import outline_context, outline_template
from untor.explain.printed_values import values_of as placed_values
from untor.explain.source_page import explained_context, explained_template
from untor.serve.error_page import shown, values_of
from untor.serve.live_reload import Changes
from untor.serve.server import needed
from untor.web.csp import Policy

try:
    from starlette.applications import Starlette
    from starlette.responses import FileResponse, PlainTextResponse, RedirectResponse, StreamingResponse
    from starlette.routing import Mount, Route
    from starlette.staticfiles import StaticFiles
except ImportError as error:
    raise needed("serve", error) from None

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Callable, Sequence
    from pathlib import Path

    from starlette.requests import Request
    from starlette.routing import BaseRoute

    from untor.analysis.ir import TemplateIR
    from untor.compiler.compiler import Compiler
    from untor.diagnostics.problem import Problem
    from untor.engine.template import Template
    from untor.serve.preview import Preview
    from untor.web.response import Page

    Answer = Page | FileResponse | PlainTextResponse | RedirectResponse | StreamingResponse

OWN = "/~untor"
"""What the URLs of the preview itself begin with."""

NEVER_KEPT = {"Cache-Control": "no-store"}
"""Headers of every answer: a preview is never kept."""

_SHOW = "untor-values"
"""The query parameter that makes an error page show the values themselves."""


class PreviewApp:
    """Answers the requests of one preview; ``report`` receives each error's text."""

    def __init__(self, preview: Preview, watched: Sequence[Path], report: Callable[[str], None]) -> None:
        self.preview = preview
        self.watched = watched
        self.report = report
        self.changes: Changes | None = None
        self.own = Engine(str(files("untor.serve") / "templates"), policy=Policy())
        self.app = Starlette(routes=self._routes(), lifespan=self._life)

    def stop(self) -> None:
        """End the answers that wait for changes."""
        if self.changes is not None:
            self.changes.stop()

    def _routes(self) -> list[BaseRoute]:
        routes: list[BaseRoute] = [
            Route(f"{OWN}/", self.index),
            Route(f"{OWN}/changes", self.events),
            Route(f"{OWN}/explain/{{name:path}}", self.explain),
            Route(f"{OWN}/outline/{{name:path}}", self.outline),
            Route(f"{OWN}/problems/{{code}}", self.code),
        ]
        assets = self.preview.engine.assets
        for url, folder in assets.entries if assets is not None else ():
            if url.startswith("/") and folder.is_dir():
                routes.append(Mount(url, StaticFiles(directory=folder)))
        return [*routes, Route("/{path:path}", self.page)]

    @asynccontextmanager
    async def _life(self, _app: Starlette) -> AsyncIterator[None]:
        self.changes = Changes()
        watching = asyncio.create_task(self.changes.watch(self.watched))
        yield
        self.changes.stop()
        await asyncio.wait([watching], timeout=1)

    async def events(self, _request: Request) -> StreamingResponse:
        """Send each change to a browser."""
        assert self.changes is not None  # noqa: S101  as _life has begun
        return StreamingResponse(self.changes.events(), media_type="text/event-stream")

    def index(self, request: Request) -> Page:
        """Show the pages of the site."""
        if _is_window(request):
            return self._viewer(request, None)
        pages, pieces = self.preview.pages()
        folders = [folder for _, folder in self.preview.loader.entries]
        return self.own.page("index", {"pages": pages, "pieces": pieces, "folders": folders, "own": OWN})

    def explain(self, request: Request) -> Page:
        """Show the contexts that the values of a page are printed in."""
        return self._analysed(request, explained_template, _explained)

    def outline(self, request: Request) -> Page:
        """Show the elements that a page makes."""
        return self._analysed(request, outline_template, outline_context)

    async def code(self, request: Request) -> Answer:
        """Explain the code of a problem."""
        from untor.report.about import explanation  # noqa: PLC0415  compiles an example, which few ask for

        code = request.path_params["code"]
        if code not in CODES and code not in RULES:
            return PlainTextResponse(f"Unknown code: {code!r}.\n", 404)
        if _is_window(request):
            return self._viewer(request, None)
        return self.own.page("code", {"explained": await asyncio.to_thread(explanation, code)})

    def _analysed(
        self,
        request: Request,
        template: Callable[[], Template],
        context: Callable[[Compiler, TemplateIR], dict[str, object]],
    ) -> Page:
        """Show something about a page that is known without data."""
        compiler, name = self.preview.engine.compiler, request.path_params["name"]
        if _is_window(request):
            return self._viewer(request, None)
        try:
            planned = compiler.analyse(Origin(compiler.loader.name(name)))
        except UntorError as error:
            return self._trouble(name, error, [error.problem], {}, request)
        return template().page(context(compiler, planned), policy=Policy())

    async def page(self, request: Request) -> Answer:
        """Show a page of the site: in the viewer for a window, alone for any other request."""
        path = "/" + request.path_params["path"]
        name = self.preview.name_of(path)
        if name is None:
            file = await asyncio.to_thread(self.preview.file_of, path)
            if file is not None:
                return FileResponse(file)
            if path == "/":
                return RedirectResponse(f"{OWN}/")
        if _is_window(request):
            return self._viewer(request, name)
        if name is None:
            try:
                name = self.preview.engine.template(path.strip("/") or "index").name
            except TemplateMissing as error:
                return self._trouble(path, error, [error.problem], {}, request, status=404)
            except UntorError as error:
                return self._trouble(path, error, [error.problem], {}, request)
        return await self._rendered(name, request)

    def _viewer(self, request: Request, name: str | None) -> Page:
        """Show the frame in which what is requested is looked at."""
        query = f"?{request.url.query}" if request.url.query else ""
        assert self.changes is not None  # noqa: S101  as _life has begun
        page_data = {"path": request.url.path, "query": query, "name": name, "own": OWN, "seen": self.changes.state}
        return self.own.page("viewer", page_data)

    async def _rendered(self, name: str, request: Request) -> Page:
        context: dict[str, object] = {}
        try:
            context = await asyncio.to_thread(self.preview.context, name)
            return await self.preview.engine.page_async(name, context)
        except UntorError as error:
            self.report(f"{error}\n")
            return self._trouble(name, error, self._problems(name, error), context, request)

    def _problems(self, name: str, error: UntorError) -> list[Problem]:
        """Return all problems of a page that does not compile; otherwise the one of its rendering."""
        try:
            found = self.preview.engine.compiler.analyse(Origin(name), collects=True).problems
        except UntorError:
            found = []
        return found if any(problem.code == error.code for problem in found) else [error.problem]

    def _trouble(
        self,
        name: str,
        error: UntorError,
        problems: list[Problem],
        context: dict[str, object],
        request: Request,
        *,
        status: int = 500,
    ) -> Page:
        """Show what is wrong."""
        texts = _SHOW in request.query_params
        query = request.url.remove_query_params(_SHOW) if texts else request.url.include_query_params(**{_SHOW: "1"})
        page_data = {
            "name": name,
            "problems": [shown(problem) for problem in problems],
            "values": values_of(error, context, texts=texts),
            "texts": texts,
            "other": f"{query.path}?{query.query}" if query.query else query.path,
            "own": OWN,
        }
        return self.own.page("problem", page_data, status=status)


def _explained(compiler: Compiler, planned: TemplateIR) -> dict[str, object]:
    return explained_context(compiler, planned, placed_values(compiler, planned))


def _is_window(request: Request) -> bool:
    """Return whether the request is from a window, not from the viewer in it (Fetch Metadata §2.1)."""
    return request.headers.get("sec-fetch-dest") == "document"
