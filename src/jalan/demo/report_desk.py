"""A stand-in for a service of reports: folders, reports, calculated fields, extracts, users and views, over HTTP.

It speaks the interface that docs/reports-service.md describes.
"""

import json
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import uvicorn
from fastapi import FastAPI, HTTPException, Request, Response
from starlette.middleware.base import RequestResponseEndpoint

from jalan.demo.cluster import free_port

CONTENT = Path(__file__).parent / "office" / "desk.json"
_DAYS = 30


def read_content(path: Path = CONTENT) -> dict[str, Any]:
    """Return what the desk has; the views of the last days follow from their pattern."""
    found: dict[str, Any] = json.loads(path.read_text(encoding="utf-8"))
    today = datetime.now(UTC).date()
    found["views"] = [
        {
            "report": one["report"],
            "user": one["user"],
            "day": (today - timedelta(days=n)).isoformat(),
            "views": _views(one["per_day"], today - timedelta(days=n)),
        }
        for one in found["views"]
        for n in range(1, _DAYS + 1)
        if _views(one["per_day"], today - timedelta(days=n))
    ]
    return found


def _views(span: list[int], day: date) -> int:
    """A number in a span that depends on the day alone."""
    low, high = span
    return 0 if day.weekday() == 6 else low + day.toordinal() * 7 % (high - low + 1)


class Trouble:
    """Answers that are given before the right ones: path → (status, body, headers), used up in order."""

    def __init__(self) -> None:
        self.answers: dict[str, list[tuple[int, str, dict[str, str]]]] = {}
        self.asked: list[str] = []

    def take(self, path: str) -> Response | None:
        """Return the next answer for a path, none where it is to be answered rightly."""
        self.asked.append(path)
        waiting = self.answers.get(path)
        if not waiting:
            return None
        status, body, headers = waiting.pop(0)
        return Response(body, status, headers)


def create_desk(content: dict[str, Any], token: str, trouble: Trouble | None = None) -> FastAPI:
    """Return the stand-in. token: who asks must send it."""
    app = FastAPI(title="Report desk", openapi_url=None, docs_url=None, redoc_url=None)

    @app.middleware("http")
    async def guard(request: Request, follow: RequestResponseEndpoint) -> Response:
        if request.headers.get("Authorization") != f"Bearer {token}":
            return Response("a token is needed", 401)
        wrong = trouble.take(request.url.path) if trouble is not None else None
        return wrong or await follow(request)

    @app.get("/api/reports/{report}")
    def report(report: str) -> dict[str, Any]:
        for one in content["reports"]:
            if one["id"] == report:
                return dict(one)
        raise HTTPException(404, f"there is no report {report}")

    @app.get("/api/{what}")
    def items(what: str, page: int = 1, size: int = 50) -> dict[str, Any]:
        if what not in ("folders", "users", "extracts", "reports", "views"):
            raise HTTPException(404, f"there is no {what}")
        found = content[what]
        if what == "reports":
            found = [{"id": one["id"], "title": one["title"]} for one in found]
        start = (page - 1) * size
        return {"items": found[start : start + size], "next": page + 1 if start + size < len(found) else None}

    return app


@contextmanager
def served(app: FastAPI, port: int = 0) -> Iterator[str]:
    """Serve the stand-in on loopback; yields its address."""
    port = free_port(port)
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="warning"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started and thread.is_alive():
        thread.join(0.02)
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join()
