"""The application: the API under /api, the built front end everywhere else."""

from collections.abc import AsyncIterator, Iterable
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles
from sqlalchemy import Engine
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from jalan import __version__
from jalan.service.graph_cache.cache import GraphCache
from jalan.service.ingest.scheduler import Scheduler
from jalan.service.runs.feed import Feed
from jalan.service.runs.intake import Intake
from jalan.service.settings import Settings
from jalan.web.api import baselines, catalog, change, events, history, lineage, runs, sources
from jalan.web.document import document
from jalan.web.guard import Guard
from jalan.web.problems import add_problem_handlers
from jalan.web.request_log import RequestLog

GRACE = 2
"""Seconds that answers may take once the server is to stop: a stream that is followed has no end of its own."""


def _operation_id(route: APIRoute) -> str:
    return route.name.removeprefix("get_")


def create_app(engine: Engine, frontend: Path | None = None, hosts: Iterable[str] = ()) -> FastAPI:
    """Return the application over a store.

    frontend: the folder of the built front end, if it is to be served.
    hosts: names by which it may be asked, besides those of loopback and of the settings.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        scheduler = Scheduler(engine)
        scheduler.open()
        app.state.cache.follow()
        yield
        await app.state.intake.close()
        await app.state.feed.close()
        app.state.cache.close()
        scheduler.close()

    app = FastAPI(
        lifespan=lifespan,
        title="Jalan",
        version=__version__,
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=_operation_id,
    )
    app.state.cache = GraphCache(engine)
    app.state.intake = Intake(engine)
    app.state.feed = Feed(engine)
    # Routes are tried in order: where events come in, most requests do.
    for part in (events, catalog, lineage, history, change, baselines, sources, runs):
        app.include_router(part.router)
    add_problem_handlers(app)
    settings = Settings()
    app.state.most_bytes = settings.most_bytes
    app.add_middleware(GZipMiddleware, minimum_size=1_000, compresslevel=4)
    app.add_middleware(events.Door)
    app.add_middleware(RequestLog, most_seconds=settings.request_seconds)
    app.add_middleware(Guard, hosts=[*settings.hosts.split(), *hosts], most_bytes=settings.most_bytes)

    app.openapi = lambda: document(app)  # type: ignore[method-assign]

    @app.get("/api/{rest:path}", include_in_schema=False)
    def no_such_endpoint(rest: str) -> None:
        raise HTTPException(404, f"there is no /api/{rest}; see /api/openapi.json")

    if frontend is not None:
        _serve_frontend(app, frontend)
    return app


def _serve_frontend(app: FastAPI, folder: Path) -> None:
    app.mount("/assets", StaticFiles(directory=folder / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        # Every address that is not a file belongs to the router of the front end.
        file = (folder / path).resolve()
        inside = file.is_relative_to(folder.resolve())
        return FileResponse(file if path and inside and file.is_file() else folder / "index.html")
