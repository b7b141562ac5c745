"""OpenLineage events as they are received: what must be there, where something is wrong, what tells them apart.

Source: OpenLineage specification 2-0-2 ("RunEvent", "JobEvent", "DatasetEvent"). An event is known by its content:
the same content in other spelling (spaces, the order of keys) is the same event.
"""

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from hashlib import blake2b
from typing import Any
from uuid import UUID

import orjson

MOST_DEPTH = 200  # brackets within brackets
MOST_NAME = 1_000  # bytes of a namespace or a name
RUN_TYPES = ("START", "RUNNING", "COMPLETE", "ABORT", "FAIL", "OTHER")
_LONG_NUMBER = b"0" * 16
_ALIKE = bytes.maketrans(b"0123456789.", b"0" * 11)  # a search for a string is many times faster than a pattern
_FINER = re.compile(r"(\.\d{6})\d+")
_SURROGATE = re.compile("[\ud800-\udfff]")
_EARLIEST = datetime(1970, 1, 1, tzinfo=UTC)
_LATEST = datetime(9000, 1, 1, tzinfo=UTC)


class BadEvent(ValueError):
    """An event is not as the standard has it. path: JSON path of what is wrong."""

    def __init__(self, path: str, message: str) -> None:
        super().__init__(f"{path}: {message}")
        self.path = path
        self.message = message


@dataclass(frozen=True, slots=True)
class Event:
    """One event.

    type: of a run's event as the standard names it, otherwise JOB or DATASET. digest: of its content, 16 bytes.
    run: the run's id. job, dataset: namespace and name. body: all that it says.
    """

    type: str
    time: datetime
    digest: bytes
    run: UUID | None
    job: tuple[str, str] | None
    dataset: tuple[str, str] | None
    body: dict[str, Any]


# --- JSON ------------------------------------------------------------------------------------------------


def read_json(raw: bytes) -> Any:
    """Read JSON in which every number keeps all of its digits. Raises BadEvent with the place of what is wrong.

    Refused are what no text of the store can hold (NUL, half a surrogate), numbers that are none, and depth.
    """
    try:
        value = _read_exactly(raw) if _LONG_NUMBER in raw.translate(_ALIKE) else orjson.loads(raw)
    except orjson.JSONDecodeError as error:
        value = _read_exactly(raw, str(error))
    if b"\\u0000" in raw or raw.count(b"[") + raw.count(b"{") > MOST_DEPTH:
        _check(value)
    return value


class _Number(str):
    """A number whose digits do not fit into a double, as it was written."""


def _read_exactly(raw: bytes, wrong: str = "") -> Any:
    """Read with the standard library, which keeps integers whole and says more of what is wrong."""
    try:
        value = json.loads(raw.decode(), parse_float=_float, parse_constant=_Number)
    except UnicodeDecodeError as error:
        raise BadEvent("$", f"this is not UTF-8 (byte {error.start})") from error
    except json.JSONDecodeError as error:
        told = f"line {error.lineno}, column {error.colno}: {error.msg}"
        raise BadEvent("$", f"this is not JSON: {told}") from error
    except RecursionError as error:
        raise BadEvent("$", f"more than {MOST_DEPTH} brackets stand within one another") from error
    except ValueError as error:
        raise BadEvent("$", f"this is not JSON: {error}") from error
    _check(value)
    if wrong:
        raise BadEvent("$", f"this is not JSON: {wrong}")
    return value


def _float(written: str) -> float | _Number:
    value = float(written)
    return value if repr(value) == written else _Number(written)


def _check(value: Any) -> None:
    """Raise BadEvent where something in it cannot be kept."""
    for path, depth, one in _walk(value):
        if depth >= MOST_DEPTH and isinstance(one, dict | list):
            raise BadEvent(path[:200], f"more than {MOST_DEPTH} brackets stand within one another")
        if isinstance(one, _Number):
            if one in ("NaN", "Infinity", "-Infinity"):
                raise BadEvent(path, f"{one} is no number of JSON")
            if float(one) in (float("inf"), float("-inf")):
                raise BadEvent(path, f"{one[:40]} is larger than any number that can be kept")
        elif isinstance(one, str):
            if "\0" in one:
                raise BadEvent(path, "there is a NUL (\\u0000) in it, which no text of the store can hold")
            if _SURROGATE.search(one):
                raise BadEvent(path, "there is half a surrogate in it (\\ud800 to \\udfff), which is no character")


def _walk(value: Any) -> Iterator[tuple[str, int, Any]]:
    """Yield every value with its JSON path and depth; names of objects too, by the path of what they name."""
    waiting: list[tuple[str, int, Any]] = [("$", 0, value)]
    while waiting:
        path, depth, one = waiting.pop()
        yield path, depth, one
        if depth >= MOST_DEPTH:
            continue
        if isinstance(one, dict):
            for name, inner in one.items():
                yield f"{path}.{ascii(name)[1:-1]}", depth, name
                waiting.append((f"{path}.{ascii(name)[1:-1]}", depth + 1, inner))
        elif isinstance(one, list):
            waiting += [(f"{path}[{n}]", depth + 1, inner) for n, inner in enumerate(one)]


def canonical(value: Any) -> bytes:
    """Return JSON in one spelling: names in order, no spaces."""
    try:
        return orjson.dumps(value, option=orjson.OPT_SORT_KEYS)
    except (TypeError, orjson.JSONEncodeError):
        # Integers beyond 64 bits.
        return json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()


# --- events ----------------------------------------------------------------------------------------------


def read_event(body: Any) -> Event:
    """Check an event and return what tells it apart. Raises BadEvent with the JSON path of what is wrong."""
    if not isinstance(body, dict):
        raise BadEvent("$", "an event is an object")
    time = _time(body)
    for name in ("producer", "schemaURL"):
        _text(body, "$", name)
    run = job = dataset = None
    if "run" in body or "eventType" in body:
        kind = _type(body)
        run = _run_id(_object(body, "$", "run"), "$.run")
        job = _named(_object(body, "$", "job"), "$.job")
    elif "job" in body:
        kind = "JOB"
        job = _named(_object(body, "$", "job"), "$.job")
    elif "dataset" in body:
        kind = "DATASET"
        dataset = _named(_object(body, "$", "dataset"), "$.dataset")
    else:
        raise BadEvent("$", "one of “run” with “job”, “job” or “dataset” is missing")
    for name in ("inputs", "outputs"):
        _datasets(body, name)
    _parent(body)
    return Event(kind, time, blake2b(canonical(body), digest_size=16).digest(), run, job, dataset, body)


def read_time(written: Any) -> datetime | None:
    """Return a time as ISO 8601 has it, UTC where it says no zone; none where it is no time that can be kept.

    >>> read_time("2026-03-01T04:30:00.123456789Z")
    datetime.datetime(2026, 3, 1, 4, 30, 0, 123456, tzinfo=datetime.timezone.utc)
    """
    if not isinstance(written, str) or len(written) > 64 or not written[:4].isdigit():
        return None
    try:
        # A fraction of a second has at most six digits there.
        finer = _FINER.sub(r"\1", written) if len(written) > 26 else written
        found = datetime.fromisoformat(finer)
        found = found.replace(tzinfo=UTC) if found.tzinfo is None else found.astimezone(UTC)
    except (ValueError, OverflowError):
        return None
    return found if _EARLIEST <= found < _LATEST else None


def _time(body: dict[str, Any]) -> datetime:
    written = body.get("eventTime")
    if written is None:
        raise BadEvent("$.eventTime", "the time of the event is missing")
    found = read_time(written)
    if found is None:
        raise BadEvent("$.eventTime", f"{_shown(written)} is no time as ISO 8601 has it")
    return found


def _type(body: dict[str, Any]) -> str:
    written = body.get("eventType", "OTHER")
    kind = written.upper() if isinstance(written, str) else ""
    if kind not in RUN_TYPES:
        raise BadEvent("$.eventType", f"{_shown(written)} is none of {', '.join(RUN_TYPES)}")
    return kind


def _run_id(run: dict[str, Any], path: str) -> UUID:
    written = run.get("runId")
    _facets(run, path)
    try:
        return UUID(written)
    except (ValueError, AttributeError, TypeError) as error:
        raise BadEvent(f"{path}.runId", f"{_shown(written)} is no UUID") from error


def _object(body: dict[str, Any], path: str, name: str) -> dict[str, Any]:
    found = body.get(name)
    if not isinstance(found, dict):
        raise BadEvent(f"{path}.{name}", "an object is expected here" if name in body else "this is missing")
    return found


def _text(body: dict[str, Any], path: str, name: str) -> str:
    found = body.get(name)
    if not isinstance(found, str) or not found:
        raise BadEvent(f"{path}.{name}", "a text is expected here" if name in body else "this is missing")
    return found


def _named(value: dict[str, Any], path: str) -> tuple[str, str]:
    _facets(value, path)
    found = []
    for part in ("namespace", "name"):
        text = _text(value, path, part)
        if len(text) * 4 > MOST_NAME and len(text.encode()) > MOST_NAME:
            raise BadEvent(f"{path}.{part}", f"this is longer than {MOST_NAME} bytes")
        found.append(text)
    return found[0], found[1]


def _facets(value: dict[str, Any], path: str, name: str = "facets") -> None:
    facets = value.get(name)
    if facets is None:
        return
    if not isinstance(facets, dict):
        raise BadEvent(f"{path}.{name}", "facets are an object, by their names")
    for one, facet in facets.items():
        if facet is not None and not isinstance(facet, dict):
            raise BadEvent(f"{path}.{name}.{one[:100]}", "a facet is an object")


def _datasets(body: dict[str, Any], side: str) -> None:
    found = body.get(side)
    if found is None:
        return
    if not isinstance(found, list):
        raise BadEvent(f"$.{side}", "a list of datasets is expected here")
    for number, one in enumerate(found):
        path = f"$.{side}[{number}]"
        if not isinstance(one, dict):
            raise BadEvent(path, "a dataset is an object")
        _named(one, path)
        _facets(one, path, "inputFacets" if side == "inputs" else "outputFacets")


def _parent(body: dict[str, Any]) -> None:
    facets = (body.get("run") or {}).get("facets") or {}
    parent = facets.get("parent")
    if not parent:
        return
    path = "$.run.facets.parent"
    _run_id(_object(parent, path, "run"), f"{path}.run")
    _named(_object(parent, path, "job"), f"{path}.job")
    root = parent.get("root")
    if root is not None:
        if not isinstance(root, dict):
            raise BadEvent(f"{path}.root", "an object is expected here")
        _run_id(_object(root, f"{path}.root", "run"), f"{path}.root.run")
        _named(_object(root, f"{path}.root", "job"), f"{path}.root.job")


def _shown(value: Any) -> str:
    text = value if isinstance(value, str) else repr(value)
    return f"“{text[:60]}{'…' if len(text) > 60 else ''}”"
