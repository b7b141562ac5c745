"""Errors as problem details. Source: RFC 9457, "Problem Details for HTTP APIs"."""

from typing import Any

import psycopg
import structlog
from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from sqlalchemy.exc import DataError, DBAPIError, ProgrammingError
from starlette.exceptions import HTTPException

from jalan.service.cursors import BadCursor
from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.sources.errors import SourceError

_AWAY = "the store does not answer; nothing is lost, try again when PostgreSQL runs"
log = structlog.get_logger("jalan.web")


class Problem(BaseModel):
    """A problem as RFC 9457, section 3.1, has it."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    instance: str


def problem(path: str, status: int, title: str, detail: str, more: dict[str, Any] | None = None) -> JSONResponse:
    """Return the answer that tells of a problem with what was asked at a path. more: extension members."""
    body = Problem(title=title, status=status, detail=detail, instance=path)
    return JSONResponse({**body.model_dump(), **(more or {})}, status, media_type="application/problem+json")


def _problem(request: Request, status: int, title: str, detail: str) -> JSONResponse:
    return problem(request.url.path, status, title, detail)


async def answer_to(request: Request, error: Exception) -> Response:
    """Return what is answered where an endpoint raised an error. Raises it again where nobody handles its kind."""
    handlers = request.app.exception_handlers
    handler = next((handlers[kind] for kind in type(error).__mro__ if kind in handlers), None)
    if handler is None:
        raise error
    answer: Response = await handler(request, error)
    return answer


def add_problem_handlers(app: FastAPI) -> None:
    """Let every error of the API be a problem document."""

    @app.exception_handler(NotFound)
    async def not_found(request: Request, error: NotFound) -> JSONResponse:
        return _problem(request, 404, "Not found", str(error))

    @app.exception_handler(Conflict)
    async def conflict(request: Request, error: Conflict) -> JSONResponse:
        return _problem(request, 409, "Conflict", str(error))

    @app.exception_handler(Invalid)
    async def refused(request: Request, error: Invalid) -> JSONResponse:
        return _problem(request, 422, "Invalid request", str(error))

    @app.exception_handler(SourceError)
    async def source(request: Request, error: SourceError) -> JSONResponse:
        return _problem(request, 422, "The source cannot be read", str(error))

    @app.exception_handler(BadCursor)
    async def bad_cursor(request: Request, error: BadCursor) -> JSONResponse:
        return _problem(request, 400, "Bad cursor", str(error))

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        wrong = [f"{'.'.join(str(part) for part in e['loc'][1:])}: {e['msg']}" for e in error.errors()]
        return _problem(request, 422, "Invalid request", "; ".join(wrong))

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> JSONResponse:
        return _problem(request, error.status_code, "Request failed", str(error.detail))

    @app.exception_handler(psycopg.OperationalError)
    async def store_away(request: Request, error: psycopg.OperationalError) -> JSONResponse:
        log.error("store failed", reason=type(error).__name__)
        return _problem(request, 503, "Store unavailable", _AWAY)

    @app.exception_handler(DBAPIError)
    async def store(request: Request, error: DBAPIError) -> JSONResponse:
        if isinstance(error, DataError):
            # What the checks before let through and no column can hold.
            return _problem(request, 422, "Invalid request", "a value is outside of what can be stored")
        log.error("store failed", reason=type(error.orig).__name__)
        if isinstance(error, ProgrammingError):
            return _problem(
                request, 503, "Store unavailable", "the store is not at this version; run: jalan migrate"
            )
        return _problem(request, 503, "Store unavailable", _AWAY)
