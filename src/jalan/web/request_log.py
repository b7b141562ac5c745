"""One line in the log for each request, and a limit to how long one may take."""

import secrets
import time

import anyio
import structlog
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

log = structlog.get_logger("jalan.web")
_ENDLESS = "/events"  # what is followed until it is over


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
        id_ = secrets.token_hex(8)
        begun = time.monotonic()
        status = 0

        async def noted(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message.get("headers", []), (b"x-request-id", id_.encode())]
            await send(message)

        try:
            with structlog.contextvars.bound_contextvars(request=id_):
                limit = None if scope["path"].endswith(_ENDLESS) else self._most
                with anyio.move_on_after(limit) as patience:
                    await self._app(scope, receive, noted)
                if patience.cancelled_caught and not status:
                    raise HTTPException(503, f"there was no answer within {self._most:g} s; ask for less")
        finally:
            # The query has what a person looks for; the path has ids alone.
            log.info(
                "request", request=id_, method=scope["method"], path=scope["path"][:200], status=status or 500,
                ms=round(1000 * (time.monotonic() - begun), 1),
            )  # fmt: skip
