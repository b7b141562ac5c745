"""Reads a service of reports over its HTTP interface, page by page, with retries.

The interface is described in docs/reports-service.md; the demo ships a stand-in that speaks it.
"""

import random
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Any, TypeVar
from urllib.parse import quote

import httpx
import orjson
from pydantic import BaseModel, ValidationError

from jalan.sources.errors import SourceError
from jalan.sources.hosts import ANY_HOST, Hosts
from jalan.sources.json_text import holds_nul

Tell = Callable[[str, int, int], None]
_RETRIED = frozenset({408, 425, 429, 500, 502, 503, 504})
_LONGEST_WAIT = 30.0
_MOST_BYTES = 50_000_000  # of one answer
_MOST_ITEMS = 1_000_000  # of one list
_LONGEST_ID = 500


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


class _Refused(SourceError):
    """The service answers that it has no such thing, or does not give it."""


Model = TypeVar("Model", bound=BaseModel)
Identified = TypeVar("Identified", Folder, User, Extract, ReportHead)


class ReportsService:
    """A connection to a service. Use it as a context manager.

    pause: waits that many seconds between two tries; it may raise to stop. problems: what could not be read, each
    with its place; the rest is read. Raises SourceError.
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
        hosts: Hosts = ANY_HOST,
    ) -> None:
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        self._url = url.rstrip("/")
        place, more = _pinned(self._url, hosts) if transport is None else (self._url, {})
        self._name = more.pop("sni_hostname", None)
        # No proxy and no password file of the server's account: where a request goes is what was checked.
        self._client = httpx.Client(
            base_url=place, headers=headers | more, timeout=timeout, transport=transport, trust_env=False
        )
        self.problems: list[tuple[str, str]] = []
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
        folders = self._by_id("/api/folders", Folder)
        users = self._by_id("/api/users", User)
        tell("extracts", 0, 0)
        extracts = self._by_id("/api/extracts", Extract)
        heads = self._by_id("/api/reports", ReportHead)
        reports = []
        for number, id_ in enumerate(heads):
            tell("reports", number, len(heads))
            path = f"/api/reports/{quote(id_, safe='')}"
            try:
                report = self._item(path, Report, self._get(path, {}))
            except _Refused as error:
                self.problems.append((path, str(error)))
                continue
            if report is not None and report.id != id_:
                self.problems.append((path, f"the service answers with another report, “{report.id:.100}”"))
            elif report is not None:
                reports.append(report)
        tell("views", 0, 0)
        return Contents(folders, users, extracts, reports, self.pages("/api/views", Views))

    def _by_id(self, path: str, model: type[Identified]) -> dict[str, Identified]:
        """Return what a list has; of two with one id the first counts, and the other is told."""
        found: dict[str, Identified] = {}
        for item in self.pages(path, model):
            if item.id in found:
                self.problems.append((path, f"“{item.id:.100}” is listed twice"))
            elif item.id in ("", ".", "..") or len(item.id) > _LONGEST_ID:
                self.problems.append((path, f"“{item.id:.100}” cannot be an id"))
            else:
                found[item.id] = item
        return found

    def pages(self, path: str, model: type[Model], at_most: int | None = None) -> list[Model]:
        """Return all items of a list, page by page. Raises SourceError."""
        found: list[Model] = []
        page: int | None = 1
        while page is not None:
            answer = self._get(path, {"page": page, "size": self._page_size})
            place = f"{path}, page {page}"
            if not isinstance(answer, dict) or not isinstance(answer.get("items"), list):
                raise SourceError(f"{self._url}{place}: expected an object with a list of “items”")
            read = (self._item(place, model, item) for item in answer["items"])
            found += [item for item in read if item is not None]
            if len(found) > _MOST_ITEMS:
                raise SourceError(f"{self._url}{path} has more than {_MOST_ITEMS:,} items")
            following = answer.get("next")
            if following is not None and (not isinstance(following, int) or following <= page):
                raise SourceError(f"{self._url}{place}: “next” must be the number of a later page")
            page = following
            if at_most is not None and len(found) >= at_most:
                break
        return found

    def _item(self, place: str, model: type[Model], value: Any) -> Model | None:
        """Return an item; one that is not as it should be is told, and the others are read."""
        try:
            return model.model_validate(value)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            self.problems.append((place, f"{where}: {first['msg']}" if where else first["msg"]))
            return None

    def _json(self, path: str, answer: httpx.Response) -> Any:
        parts, size = [], 0
        for part in answer.iter_bytes():
            parts.append(part)
            size += len(part)
            if size > _MOST_BYTES:
                raise SourceError(f"{self._url}{path} answers with more than {_MOST_BYTES:,} bytes")
        data = b"".join(parts)
        found = orjson.loads(data)
        if holds_nul(data, found):
            raise SourceError(f"{self._url}{path} answers with a NUL in a text, which no database can keep")
        return found

    def _get(self, path: str, query: dict[str, Any]) -> Any:
        """Ask once, and again where the service is busy or answers nonsense."""
        for attempt in range(self._retries + 1):
            wait = min(_LONGEST_WAIT, 0.2 * 2**attempt * random.uniform(0.8, 1.2))
            try:
                more = {"sni_hostname": self._name} if self._name else {}
                with self._client.stream("GET", path, params=query, extensions=more) as answer:
                    if answer.status_code in _RETRIED:
                        reason = f"answers {answer.status_code}"
                        wait = _asked_wait(answer, wait)
                    elif answer.status_code in (401, 403):
                        raise SourceError(f"{self._url} refuses the token ({answer.status_code})")
                    elif not answer.is_success:
                        # What else it says is not passed on: it may be an answer that was not meant for us.
                        raise _Refused(f"{self._url}{path} answers {answer.status_code}")
                    else:
                        return self._json(path, answer)
            except orjson.JSONDecodeError:
                reason = "answers with something that is no JSON"
            except httpx.HTTPError as error:
                reason = f"does not answer ({type(error).__name__})"
            if attempt < self._retries:
                self._pause(wait)
        raise SourceError(f"{self._url}{path} {reason}, also after {self._retries} retries; nothing was changed")


def _pinned(url: str, hosts: Hosts) -> tuple[str, dict[str, str]]:
    """Return the address to ask, with the server's checked address for its name, and what must be sent besides."""
    try:
        asked = httpx.URL(url)
        port = asked.port or {"https": 443}.get(asked.scheme, 80)
    except (httpx.InvalidURL, ValueError) as error:
        raise SourceError(f"this is no address: {error}") from error
    if asked.userinfo:
        raise SourceError("an address has no user in it; give a token")
    address = hosts.address(asked.host, port)
    name = asked.netloc.decode("ascii")
    return str(asked.copy_with(host=address)).rstrip("/"), {"Host": name, "sni_hostname": asked.host}


def _asked_wait(answer: httpx.Response, otherwise: float) -> float:
    """How long the service asks to wait."""
    try:
        return min(_LONGEST_WAIT, float(answer.headers["Retry-After"]))
    except (KeyError, ValueError):
        return otherwise
