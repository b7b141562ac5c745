"""Where OpenLineage events are received.

Source: OpenLineage API specification 2-0-2 (“/lineage”, “/lineage/batch”).
"""

from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute
from pydantic import BaseModel
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

from jalan.runs.events import BadEvent
from jalan.service.runs.intake import Intake, TooBusy, TooLarge, one_event, several_events, unpacked
from jalan.web.problems import answer_to, problem
from jalan.web.request_log import INTAKE


class _Straight(APIRoute):
    """A route that takes nothing but the request: no dependencies are looked for, as events come by the hundred."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """Return the endpoint itself."""
        return self.endpoint


class Door:
    """Middleware that hands an event straight to its endpoint: what the framework does around one takes longer than
    to receive an event."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Receive an event, or let a request through."""
        if scope["type"] != "http" or scope["path"] != INTAKE or scope["method"] != "POST":
            await self._app(scope, receive, send)
            return
        request = Request(scope, receive)
        try:
            answer = await receive_event(request)
        except Exception as error:
            answer = await answer_to(request, error)
        await answer(scope, receive, send)


_TAKEN = Response(status_code=201)
router = APIRouter(prefix="/api/v1", route_class=_Straight)
_MOST_EVENTS = 5_000  # of a batch
_BODY: dict[str, Any] = {
    "requestBody": {
        "required": True,
        "content": {"application/json": {"schema": {"type": "object"}}},
        "description": "A RunEvent, JobEvent or DatasetEvent; the body may be packed (Content-Encoding: gzip).",
    }
}
_BODIES: dict[str, Any] = {
    "requestBody": {
        "required": True,
        "content": {"application/json": {"schema": {"type": "array", "items": {"type": "object"}}}},
        "description": "Events; the body may be packed (Content-Encoding: gzip).",
    }
}


class FailedEvent(BaseModel):
    """An event of a batch that was refused. retriable: whether the very same one may be taken later."""

    index: int
    reason: str
    retriable: bool = False


class BatchSummary(BaseModel):
    """How many events of a batch were received, and what became of them."""

    received: int
    successful: int
    failed: int
    retriable: int
    non_retriable: int


class BatchAnswer(BaseModel):
    """What became of a batch of which something was taken. status: success or partial_success."""

    status: str
    summary: BatchSummary
    failed_events: list[FailedEvent]


def _intake(request: Request) -> Intake:
    found: Intake = request.app.state.intake
    return found


async def _body(request: Request) -> bytes:
    packed = request.headers.get("content-encoding", "")
    return unpacked(await request.body(), packed, request.app.state.most_bytes)


@router.post("/lineage", status_code=201, response_class=Response, openapi_extra=_BODY)
async def receive_event(request: Request) -> Response:
    """Receive one event. The answer comes when it is committed; the same event again changes nothing."""
    try:
        await _intake(request).write([one_event(await _body(request))])
    except (BadEvent, TooLarge, TooBusy) as error:
        return _refusal(request, error)
    return _TAKEN


@router.post("/lineage/batch", response_model=BatchAnswer, openapi_extra=_BODIES)
async def receive_events(request: Request) -> Response:
    """Receive several events. One that is refused does not hold back the others; the answer says which."""
    try:
        read = several_events(await _body(request), _MOST_EVENTS)
        good = [one for one in read if not isinstance(one, BadEvent)]
        if good:
            await _intake(request).write(good)
    except (BadEvent, TooLarge, TooBusy) as error:
        return _refusal(request, error)
    failed = [FailedEvent(index=n, reason=str(one)) for n, one in enumerate(read) if isinstance(one, BadEvent)]
    summary = BatchSummary(
        received=len(read), successful=len(good), failed=len(failed), retriable=0, non_retriable=len(failed)
    )
    if failed and not good:
        told = f"none of {len(read)} events can be taken; the first: {failed[0].reason}"
        more = {"summary": summary.model_dump(), "failed_events": [one.model_dump() for one in failed]}
        return problem(request.url.path, 422, "No event", told, more)
    status = "partial_success" if failed else "success"
    answer = BatchAnswer(status=status, summary=summary, failed_events=failed)
    return JSONResponse(answer.model_dump())


def _refusal(request: Request, error: Exception) -> Response:
    path = request.url.path
    if isinstance(error, TooLarge):
        return problem(path, 413, "Too large", "the body is larger than what is read; see JALAN_MOST_BYTES")
    if isinstance(error, TooBusy):
        answer = problem(path, 429, "Too busy", "more events wait than are taken on; try again")
        answer.headers["Retry-After"] = "1"
        return answer
    return problem(path, 422, "No event", str(error))
