"""Port Ellery as a live site: a Starlette application over the harbour's database."""

from __future__ import annotations

from datetime import datetime, time
from urllib.parse import parse_qsl

from untor.compiler.origin import Origin
from untor.demo import views
from untor.demo.asking import asked
from untor.demo.forms import checked
from untor.demo.harbour import TODAY, Harbour, log_of
from untor.errors import TemplateMissing
from untor.explain.printed_values import values_of
from untor.explain.source_page import explained_context, explained_template
from untor.serve.server import needed
from untor.web.csp import Policy

try:
    from starlette.applications import Starlette
    from starlette.concurrency import run_in_threadpool
    from starlette.exceptions import HTTPException
    from starlette.responses import RedirectResponse, Response
    from starlette.routing import Mount, Route
    from starlette.staticfiles import StaticFiles
except ImportError as error:
    raise needed("demo", error) from None

TYPE_CHECKING = False
if TYPE_CHECKING:
    import os
    from collections.abc import Callable, Mapping

    from starlette.requests import Request

    from untor.web.response import Page

_MOST_BYTES = 64 * 1024
_A_YEAR = "public, max-age=31536000, immutable"
_FRAME = "sandbox allow-scripts; default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'"
"""The policy of frames in which attacks may run: they have no origin, and can load and send nothing."""
_PASSED_ON = frozenset({"host", "cookie", "accept-language"})
"""The headers of a request that the page whose source is shown may depend on."""

_EXPLAINED = Policy()
_explained = explained_template()


class Fingerprinted(StaticFiles):
    """Static files whose URLs change with their content, so that browsers need never ask again."""

    def file_response(self, *arguments: object, **named: object) -> object:  # type: ignore[override]
        """Send a file."""
        response = super().file_response(*arguments, **named)  # type: ignore[arg-type]
        response.headers["Cache-Control"] = _A_YEAR
        return response


class Port:
    """The views: each collects what its page needs and answers with the page."""

    def __init__(self, database: str | os.PathLike[str]) -> None:
        self.database = database
        handlers: dict[str, Callable[..., object]] = {
            name: getattr(self, {"try": "first"}.get(name, name)) for name in views.ROUTES if name != "notices"
        }
        routes = [Route(views.ROUTES[name], view, name=name) for name, view in handlers.items()]
        routes.append(Route(views.ROUTES["notices"], self.notices, methods=["GET", "POST"], name="notices"))
        static = Mount("/static", Fingerprinted(directory=views.static_folder()))
        self.app = Starlette(routes=[*routes, static], exception_handlers={HTTPException: self.failed})  # type: ignore[dict-item]

    @staticmethod
    def _language(request: Request) -> str:
        """Return the visitor's language."""
        asked, accepted = request.query_params.get("language"), request.headers.get("accept-language", "")
        return views.language_of(asked, request.cookies.get("language"), accepted)

    def _page(self, request: Request, name: str, context: views.Context, **options: object) -> Page:
        """Return a page in the visitor's language."""
        language = self._language(request)
        headers = {"Vary": "Cookie, Accept-Language"}
        if request.query_params.get("language") == language:
            headers["Set-Cookie"] = f"language={language}; Path=/; SameSite=Lax; HttpOnly; Max-Age=31536000"
        query = f"?{request.url.query}" if request.url.query else ""
        context = {"sent_from": f"{request.url.path}{query}" if request.method == "GET" else "", **context}
        return views.pages.page(name, context, headers=headers, locale=language, **options)  # type: ignore[arg-type]

    def first(self, request: Request) -> Page:
        """Show what is shown here, with something nasty in ten contexts."""
        return self._page(request, "try", views.tried(request.query_params.get("value")))

    def results(self, request: Request) -> Page:
        """Show the results of another value: the part of the page that changes while one types."""
        template = views.pages.in_locale(self._language(request)).template("try").part("results")
        context = views.tried(request.query_params.get("value", ""))
        return template.page({name: context[name] for name in ("value", "trials", "blocked")})

    def tried(self, request: Request) -> Response:
        """Show a value in one context, for a frame that can reach nothing: code may run there."""
        number, escaping = request.path_params["number"], request.path_params["escaping"]
        known = number.isdecimal() and len(number) < 3 and escaping in {"untor", "alone"}  # noqa: PLR2004
        value = request.query_params.get("value", "")
        shown = views.trials.framed(int(number), value, by_untor=escaping == "untor") if known else None
        if shown is None:
            raise HTTPException(404, "Context not found.")
        return Response(shown, headers={"Content-Security-Policy": _FRAME}, media_type="text/html")

    async def source(self, request: Request) -> Page:
        """Show the source of a page, as it was sent."""
        target = request.query_params.get("of", "")
        if not target.startswith("/") or target.startswith(("/source", "/static", "/tried", "/log")):
            raise HTTPException(404, "Source not found.")
        passed = [(name, value) for name, value in request.headers.items() if name in _PASSED_ON]
        status, _, octets = await asked(self.app, "GET", target, headers=passed)
        if status != 200:  # noqa: PLR2004
            raise HTTPException(404, "Source not found.")
        context: views.Context = {"address": target, "text": octets.decode("utf-8", "replace")}
        return await run_in_threadpool(self._page, request, "source", context)

    def arrivals(self, request: Request) -> Page:
        """Show the arrivals board."""
        with Harbour(self.database) as harbour:
            return self._page(request, "arrivals", views.arrivals(harbour))

    def vessel(self, request: Request) -> Page:
        """Show a vessel's page."""
        number = request.path_params["id"]
        with Harbour(self.database) as harbour:
            vessel = harbour.vessel(int(number)) if number.isdecimal() and len(number) < 10 else None  # noqa: PLR2004
            if vessel is None:
                raise HTTPException(404, "There is no such vessel.")
            return self._page(request, "vessel", views.vessel(harbour, vessel))

    async def notices(self, request: Request) -> Page | RedirectResponse:
        """Show the notice board, and its form."""
        if request.method != "POST":
            return await run_in_threadpool(self._board, request, {}, {}, 200)
        origin = request.headers.get("origin")
        if origin is not None and origin != f"{request.url.scheme}://{request.headers.get('host')}":
            raise HTTPException(403, "Messages are posted from this site only.")
        typed = await _typed(request)
        return await run_in_threadpool(self._posted, request, typed)

    def _posted(self, request: Request, typed: Mapping[str, str]) -> Page | RedirectResponse:
        with Harbour(self.database) as harbour:
            say = views.pages.in_locale(self._language(request)).say
            notice, errors = checked(typed, {vessel.id for vessel in harbour.vessels()}, say)
            if notice is not None:
                now = datetime.combine(TODAY, time(15, 0))
                harbour.post(notice.vessel, notice.author, notice.text, now, urgent=notice.urgent)
                return RedirectResponse(views.ROUTES["notices"], 303)
        return self._board(request, typed, errors, 422)

    def _board(self, request: Request, typed: Mapping[str, str], errors: Mapping[str, str], status: int) -> Page:
        with Harbour(self.database) as harbour:
            return self._page(request, "notices", views.notices(harbour, typed, errors), status=status)

    def berths(self, request: Request) -> Page:
        """Show the map of the berths."""
        with Harbour(self.database) as harbour:
            return self._page(request, "berths", views.berths(harbour))

    def tide(self, request: Request) -> Page:
        """Show the tide chart."""
        with Harbour(self.database) as harbour:
            return self._page(request, "tide", views.tide(harbour))

    def invoices(self, request: Request) -> Page:
        """Show the list of invoices."""
        with Harbour(self.database) as harbour:
            return self._page(request, "invoices", views.invoices(harbour))

    def invoice(self, request: Request) -> Page:
        """Show an invoice."""
        number = request.path_params["number"]
        with Harbour(self.database) as harbour:
            invoice = next((each for each in harbour.invoices() if each.number == number), None)
        if invoice is None:
            raise HTTPException(404, "There is no such invoice.")
        return self._page(request, "invoice", views.invoice(invoice))

    def search(self, request: Request) -> Page:
        """Show what has some words in it."""
        query = request.query_params
        number = query.get("page", "")
        with Harbour(self.database) as harbour:
            page = int(number) if number.isdecimal() and len(number) < 10 else 1  # noqa: PLR2004
            context = views.search(harbour, query.get("words", "")[:200], query.get("kind", ""), page)
        return self._page(request, "search", context)

    def log(self, request: Request) -> Page:
        """Send the log while it is read from the database."""
        return self._page(request, "log", {"entries": log_of(self.database)}, stream=True)

    def template(self, request: Request) -> Page:
        """Show the source of a page."""
        return self._page(request, "template", views.sources(self._known(request)))

    def explained(self, request: Request) -> Page:
        """Where the values of a page are printed."""
        compiler = views.pages.compiler
        planned = compiler.analyse(Origin(compiler.loader.name(self._known(request))))
        return _explained.page(explained_context(compiler, planned, values_of(compiler, planned)), policy=_EXPLAINED)

    @staticmethod
    def _known(request: Request) -> str:
        name: str = request.path_params["name"]
        try:
            views.pages.compiler.loader.name(name)
        except TemplateMissing:
            raise HTTPException(404, "There is no such template.") from None
        return name

    async def failed(self, request: Request, error: Exception) -> Page:
        """Say what went wrong."""
        assert isinstance(error, HTTPException)  # noqa: S101  it is registered for these
        context: views.Context = {"status": error.status_code, "message": error.detail}
        return await run_in_threadpool(self._page, request, "failed", context, status=error.status_code)


async def _typed(request: Request) -> dict[str, str]:
    """Return the fields of a form, whatever was sent."""
    octets = b""
    async for chunk in request.stream():
        octets += chunk
        if len(octets) > _MOST_BYTES:
            raise HTTPException(413, "This is too long for the notice board.")
    try:
        pairs = parse_qsl(octets.decode("ascii", "replace"), keep_blank_values=True, max_num_fields=20)
    except ValueError:
        raise HTTPException(400, "The form could not be read.") from None
    return dict(pairs)
