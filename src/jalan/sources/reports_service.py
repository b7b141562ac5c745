"""Reads a service of reports over its HTTP interface, page by page, with retries.

The interface is described in docs/reports-service.md; the demo ships a stand-in that speaks it.
"""

import random
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Any, TypeVar

import httpx
import orjson
from pydantic import BaseModel, ValidationError

from jalan.sources.errors import SourceError

Tell = Callable[[str, int, int], None]
_RETRIED = frozenset({408, 425, 429, 500, 502, 503, 504})
_LONGEST_WAIT = 30.0


class Folder(BaseModel):
    """A folder; parent is the id of the one around it."""

    id: str
    name: str
    parent: str | None = None


class User(BaseModel):
    """Somebody who owns or reads reports."""

    id: str
    name: str


class Column(BaseModel):
    """A column of an extract."""

    name: str
    type: str | None = None


class Extract(BaseModel):
    """A copy of warehouse data that reports read: what a query over a database put out when it was loaded."""

    id: str
    name: str
    database: str
    query: str
    columns: list[Column]
    loaded_at: str | None = None


class Calculation(BaseModel):
    """A field that is calculated of others."""

    name: str
    expression: str
    note: str | None = None


class Element(BaseModel):
    """A chart, figure, table or filter: expressions that it shows, and filters that decide which rows."""

    name: str
    kind: str
    fields: list[str]
    filters: list[str] = []


class ReportHead(BaseModel):
    """A report in a list."""

    id: str


class Report(BaseModel):
    """A report. extracts: ids of those it reads. folder and owner are ids."""

    id: str
    title: str
    folder: str | None = None
    owner: str | None = None
    link: str | None = None
    description: str | None = None
    extracts: list[str] = []
    calculations: list[Calculation] = []
    elements: list[Element] = []


class Views(BaseModel):
    """How often somebody looked at a report on a day."""

    report: str
    user: str
    day: date
    views: int


@dataclass(slots=True)
class Contents:
    """All that a service has."""

    folders: dict[str, Folder]
    users: dict[str, User]
    extracts: dict[str, Extract]
    reports: list[Report]
    views: list[Views]


Model = TypeVar("Model", bound=BaseModel)


class ReportsService:
    """A connection to a service. Use it as a context manager.

    pause: waits that many seconds between two tries; it may raise to stop. Raises SourceError.
    """

    def __init__(
        self,
        url: str,
        token: str | None,
        *,
        page_size: int = 50,
        retries: int = 4,
        timeout: float = 10.0,
        pause: Callable[[float], None] = time.sleep,
        transport: httpx.BaseTransport | None = None,
    ) -> None:
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        self._url = url.rstrip("/")
        self._client = httpx.Client(base_url=self._url, headers=headers, timeout=timeout, transport=transport)
        self._page_size = page_size
        self._retries = retries
        self._pause = pause

    def __enter__(self) -> "ReportsService":
        return self

    def __exit__(self, *exception: object) -> None:
        self._client.close()

    def read(self, tell: Tell) -> Contents:
        """Read everything. Raises SourceError."""
        tell("folders", 0, 0)
        folders = {folder.id: folder for folder in self.pages("/api/folders", Folder)}
        users = {user.id: user for user in self.pages("/api/users", User)}
        tell("extracts", 0, 0)
        extracts = {extract.id: extract for extract in self.pages("/api/extracts", Extract)}
        heads = self.pages("/api/reports", ReportHead)
        reports = []
        for number, head in enumerate(heads):
            tell("reports", number, len(heads))
            reports.append(self._model(f"/api/reports/{head.id}", Report, self._get(f"/api/reports/{head.id}", {})))
        tell("views", 0, 0)
        return Contents(folders, users, extracts, reports, self.pages("/api/views", Views))

    def pages(self, path: str, model: type[Model], at_most: int | None = None) -> list[Model]:
        """Return all items of a list, page by page. Raises SourceError."""
        found: list[Model] = []
        page: int | None = 1
        while page is not None:
            answer = self._get(path, {"page": page, "size": self._page_size})
            place = f"{path}, page {page}"
            if not isinstance(answer, dict) or not isinstance(answer.get("items"), list):
                raise SourceError(f"{self._url}{place}: expected an object with a list of “items”")
            found += [self._model(place, model, item) for item in answer["items"]]
            following = answer.get("next")
            if following is not None and (not isinstance(following, int) or following <= page):
                raise SourceError(f"{self._url}{place}: “next” must be the number of a later page")
            page = following
            if at_most is not None and len(found) >= at_most:
                break
        return found

    def _model(self, place: str, model: type[Model], value: Any) -> Model:
        try:
            return model.model_validate(value)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            raise SourceError(f"{self._url}{place}: {where}: {first['msg']}") from error

    def _get(self, path: str, query: dict[str, Any]) -> Any:
        """Ask once, and again where the service is busy or answers nonsense."""
        for attempt in range(self._retries + 1):
            wait = min(_LONGEST_WAIT, 0.2 * 2**attempt * random.uniform(0.8, 1.2))
            try:
                answer = self._client.get(path, params=query)
                if answer.status_code in _RETRIED:
                    reason = f"answers {answer.status_code}"
                    wait = _asked_wait(answer, wait)
                elif answer.status_code in (401, 403):
                    raise SourceError(f"{self._url} refuses the token ({answer.status_code})")
                elif answer.is_error:
                    raise SourceError(f"{self._url}{path} answers {answer.status_code}: {answer.text[:200]}")
                else:
                    return orjson.loads(answer.content)
            except orjson.JSONDecodeError:
                reason = "answers with something that is no JSON"
            except httpx.HTTPError as error:
                reason = f"does not answer ({type(error).__name__})"
            if attempt < self._retries:
                self._pause(wait)
        raise SourceError(f"{self._url}{path} {reason}, also after {self._retries} retries; nothing was changed")


def _asked_wait(answer: httpx.Response, otherwise: float) -> float:
    """How long the service asks to wait."""
    try:
        return min(_LONGEST_WAIT, float(answer.headers["Retry-After"]))
    except (KeyError, ValueError):
        return otherwise
