"""One line in the log for each request, and a limit to how long one may take."""

import asyncio
import secrets
import time

import structlog
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from jalan.web.problems import problem

log = structlog.get_logger("jalan.web")
_ENDLESS = "/events"  # what is followed until it is over
INTAKE = "/api/v1/lineage"
"""Where single events are received: it has a limit of its own, and comes by the hundred."""
_FAULT = "a fault of ours; it is in the server's log, under the id in the header x-request-id"


class RequestLog:
    """Middleware around the application. most_seconds: after which a request that has no answer yet is given up."""

    def __init__(self, app: ASGIApp, most_seconds: float) -> None:
        self._app = app
        self._most = most_seconds

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request."""
        if scope["type"] != "http" or not scope["path"].startswith("/api/"):
            await self._app(scope, receive, send)
            return
        answer = _Answer(send)
        if scope["path"] == INTAKE:
            await self._receive(scope, receive, answer)
            return
        with structlog.contextvars.bound_contextvars(request=answer.id):
            begun = time.monotonic()
            try:
                await self._answer(scope, receive, answer)
            finally:
                # The query has what a person looks for; the path has ids alone.
                _tell(scope, answer, begun)

    async def _receive(self, scope: Scope, receive: Receive, answer: "_Answer") -> None:
        """Receive an event: only what is refused, or goes wrong, is told."""
        begun = time.monotonic()
        try:
            await self._app(scope, receive, answer.send)
        except Exception as error:
            await self._fault(error, scope, receive, answer)
        finally:
            if answer.status >= 300:
                _tell(scope, answer, begun)

    async def _answer(self, scope: Scope, receive: Receive, answer: "_Answer") -> None:
        """Wait for the application as long as a request may take.

        What it does on a thread cannot be broken off: that goes on, and what it answers then is heard by nobody.
        """
        limit = None if scope["path"].endswith(_ENDLESS) else self._most
        task = asyncio.ensure_future(self._app(scope, receive, answer.send))
        try:
            await asyncio.wait({task}, timeout=limit)
        except asyncio.CancelledError:
            task.cancel()
            raise
        if not task.done():
            if answer.status:
                await task
                return
            detail = f"there was no answer within {self._most:g} s; ask for less"
            await problem(scope["path"], 503, "Too slow", detail)(scope, receive, answer.send)
            answer.closed = True
            task.add_done_callback(_unheard)
        elif (fault := task.exception()) is not None:
            await self._fault(fault, scope, receive, answer)

    async def _fault(self, error: BaseException, scope: Scope, receive: Receive, answer: "_Answer") -> None:
        log.error("a fault of ours", request=answer.id, exc_info=error)
        if not answer.status:
            await problem(scope["path"], 500, "Internal error", _FAULT)(scope, receive, answer.send)


def _tell(scope: Scope, answer: "_Answer", begun: float) -> None:
    log.info(
        "request",
        request=answer.id,
        method=scope["method"],
        path=scope["path"][:200],
        status=answer.status,
        ms=round(1000 * (time.monotonic() - begun), 1),
    )


def _unheard(task: "asyncio.Future[None]") -> None:
    if not task.cancelled() and task.exception() is not None:
        log.error("a fault of ours, after the request was given up", exc_info=task.exception())


class _Answer:
    """What is sent for a request. closed: nothing more is. status: 0 until it has begun."""

    def __init__(self, send: Send) -> None:
        self.id = secrets.token_hex(8)
        self.status = 0
        self.closed = False
        self._send = send

    async def send(self, message: Message) -> None:
        """Send a part of the answer, with the id of the request."""
        if self.closed:
            return
        if message["type"] == "http.response.start":
            self.status = message["status"]
            message["headers"] = [*message.get("headers", []), (b"x-request-id", self.id.encode())]
        await self._send(message)
