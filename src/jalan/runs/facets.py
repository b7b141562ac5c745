"""What the standard's facets say, taken out of them with care: whatever is not as it should be says nothing.

Source: OpenLineage facets as their schemas have them in 2026: job (sql, sourceCode, sourceCodeLocation, jobType,
documentation, ownership, tags), run (parent, nominalTime, errorMessage, processing_engine, externalQuery,
environmentVariables, executionParameters, tags), inputs and outputs (statistics, data quality, subset).
"""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from jalan.runs.events import read_time
from jalan.runs.fold import Facets, Name, RunFold, Side

_COMPARISONS = {
    "EQUAL": "=",
    "GREATER_THAN": ">",
    "GREATER_EQUAL_THAN": ">=",
    "LESS_THAN": "<",
    "LESS_EQUAL_THAN": "<=",
}
_DEEPEST_CONDITION = 20
_LARGEST = 1e300
_MEASURES = {"nullCount": "null", "distinctCount": "distinct"}
_WHO = ("user", "triggered_by", "USER", "LOGNAME")


@dataclass(frozen=True, slots=True)
class Caller:
    """Who called a run. root, root_job: the run on top of all."""

    run: UUID
    job: Name
    root: UUID | None
    root_job: Name | None


@dataclass(frozen=True, slots=True)
class Code:
    """The code that a run has run. kind: sql, source, or place (of which only the place is known)."""

    kind: str
    text: str
    dialect: str
    place: str
    revision: str


@dataclass(frozen=True, slots=True)
class AboutJob:
    """What is told of a job. owner: all of its owners; type: processing type, integration and type of job."""

    description: str
    owner: str
    type: str
    tags: list[str]


@dataclass(frozen=True, slots=True)
class Amount:
    """How much was read or written; none where nobody says."""

    rows: int | None
    bytes: int | None


def caller(run: RunFold) -> Caller | None:
    """Return who called a run, if it says."""
    facet = run.facet("parent")
    parent, job, root = _dict(facet.get("run")), _dict(facet.get("job")), _dict(facet.get("root"))
    id_, namespace, name = _uuid(parent.get("runId")), _text(job.get("namespace")), _text(job.get("name"))
    if id_ is None or not namespace or not name:
        return None
    top = _dict(root.get("job"))
    root_job = _text(top.get("namespace")), _text(top.get("name"))
    root_id = _uuid(_dict(root.get("run")).get("runId"))
    return Caller(id_, (namespace, name), root_id, root_job if all(root_job) else None)


def code(run: RunFold) -> Code | None:
    """Return the code of a run's job as it was then."""
    place_facet = run.job_facet("sourceCodeLocation")
    place = _text(place_facet.get("path")) or _text(place_facet.get("url"))
    revision = _text(place_facet.get("version"))
    sql = run.job_facet("sql")
    if text := _text(sql.get("query")):
        return Code("sql", text, _text(sql.get("dialect")), place, revision)
    source = run.job_facet("sourceCode")
    if text := _text(source.get("sourceCode")) or _text(source.get("source")):
        return Code("source", text, _text(source.get("language")), place, revision)
    return Code("place", "", "", place, revision) if place else None


def message(run: RunFold) -> tuple[str, str]:
    """Return what a run said when it failed, and its stack trace; empty where it said nothing."""
    facet = run.facet("errorMessage")
    return _text(facet.get("message")), _text(facet.get("stackTrace"))


def who(run: RunFold) -> str:
    """Return who started a run, as its tags or environment say; empty where nobody does."""
    told = {**_pairs(run.facet("environmentVariables"), "environmentVariables", "name"), **_tags(run)}
    return next((told[name] for name in _WHO if told.get(name)), "")


def nominal(run: RunFold) -> tuple[datetime | None, datetime | None]:
    """Return from when until when a run was meant to be."""
    facet = run.facet("nominalTime")
    return read_time(facet.get("nominalStartTime")), read_time(facet.get("nominalEndTime"))


def parameters(run: RunFold) -> dict[str, str]:
    """Return what a run was given: parameters, variables of the environment, tags."""
    return {
        **_pairs(run.facet("environmentVariables"), "environmentVariables", "name"),
        **_pairs(run.facet("executionParameters"), "parameters", "key"),
        **_tags(run),
    }


def engine(run: RunFold) -> str:
    """Return what ran it, with its version."""
    facet = run.facet("processing_engine")
    return " ".join(filter(None, (_text(facet.get("name")), _text(facet.get("version")))))


def outside(run: RunFold) -> tuple[str, str]:
    """Return a query's number in the system that ran it, and the address of the console that shows the run."""
    query = run.facet("externalQuery")
    for name in ("externalQuery", *run.facets):
        for key, value in run.facet(name).items():
            if not key.startswith("_") and isinstance(value, str) and value.startswith(("http://", "https://")):
                return _text(query.get("externalQueryId")), value
    return _text(query.get("externalQueryId")), ""


def plans(run: RunFold) -> dict[str, Any]:
    """Return the plans that engines attach, by the names of their facets."""
    return {name: facet for name, (_, facet) in sorted(run.facets.items()) if "plan" in name.lower()}


def about_job(facets: Facets) -> AboutJob:
    """Return what a job's facets tell of it."""
    told = {name: facet for name, (_, facet) in facets.items()}
    kind = _dict(told.get("jobType"))
    return AboutJob(
        _text(_dict(told.get("documentation")).get("description")),
        ", ".join(filter(None, (_text(one.get("name")) for one in _listed(told.get("ownership"), "owners")))),
        ", ".join(filter(None, (_text(kind.get(key)) for key in ("processingType", "integration", "jobType")))),
        _tag_words(told.get("tags")),
    )


def streams(run: RunFold) -> bool:
    """Return whether a run's job goes on and on."""
    return _text(run.job_facet("jobType").get("processingType")).upper() == "STREAMING"


def amount(side: Side, is_output: bool) -> Amount:
    """Return how much of a dataset was read or written."""
    names = ("outputStatistics",) if is_output else ("inputStatistics", "dataQualityMetrics")
    rows = size = None
    for name in names:
        facet = side.own.get(name, (None, {}))[1] or side.facets.get(name, (None, {}))[1]
        rows = _count(facet.get("rowCount")) if rows is None else rows
        size = _count(facet.get("size", facet.get("bytes"))) if size is None else size
    return Amount(rows, size)


def checks(side: Side) -> list[tuple[str, str, bool]]:
    """Return the checks that were made of a dataset: assertion, column, whether it held."""
    facet = (
        side.own.get("dataQualityAssertions", (None, {}))[1]
        or side.facets.get("dataQualityAssertions", (None, {}))[1]
    )
    return [
        (_text(one.get("assertion")), _text(one.get("column")), bool(one.get("success")))
        for one in _listed(facet, "assertions")
        if _text(one.get("assertion"))
    ]


def dataset_version(side: Side) -> str:
    """Return the version of a dataset that was read or written, as its producer names it."""
    return _text(side.facets.get("version", (None, {}))[1].get("datasetVersion"))


def pattern(side: Side) -> list[str]:
    """Return the patterns or places by which a dataset was chosen (of a subset by location)."""
    condition = _subset(side)
    listed = condition.get("locations") if condition.get("type") == "location" else None
    return [one for one in listed if isinstance(one, str)] if isinstance(listed, list) else []


def subset(side: Side) -> str:
    """Return which rows of a dataset were chosen, in words; empty where all were, or by location."""
    return "" if pattern(side) else _condition(_subset(side), _DEEPEST_CONDITION)


def _subset(side: Side) -> dict[str, Any]:
    for facet in ("subset", "inputSubset", "outputSubset"):
        for key in ("inputCondition", "outputCondition"):
            if condition := _dict(side.own.get(facet, (None, {}))[1].get(key)):
                return condition
    return {}


def _condition(told: dict[str, Any], depth: int) -> str:
    match told.get("type"):
        case "location":
            listed = told.get("locations")
            return "at " + ", ".join(map(_text, listed)) if isinstance(listed, list) else ""
        case "partition":
            return " or ".join(filter(None, map(_partition, _listed(told, "partitions"))))
        case "compare":
            word = _COMPARISONS.get(_text(told.get("comparison")), _text(told.get("comparison")))
            return f"{_compared(told.get('left'))} {word} {_compared(told.get('right'))}"
        case "binary" if depth:
            parts = [_condition(_dict(told.get(key)), depth - 1) for key in ("left", "right")]
            return "(" + f" {_text(told.get('operator')).lower() or 'and'} ".join(filter(None, parts)) + ")"
        case _:
            return "only a part of it" if told else ""


def _partition(told: dict[str, Any]) -> str:
    pairs = [f"{name} = {value}" for name, value in _dict(told.get("dimensions")).items()]
    return " and ".join(pairs) or _text(told.get("identifier"))


def _compared(told: Any) -> str:
    one = _dict(told)
    return _text(one.get("field")) or f"'{_text(one.get('value'))}'"


def measures(side: Side) -> dict[str, dict[str, float]]:
    """Return what was measured of the columns of a dataset (rows that are null, values that differ, sum, …)."""
    facet: dict[str, Any] = {}
    for facets in (side.own, side.facets):
        facet = facet or facets.get("dataQualityMetrics", (None, {}))[1]
    return {
        column: numbers
        for column, told in _dict(_dict(facet).get("columnMetrics")).items()
        if (numbers := {_MEASURES.get(name, name): value for name, value in _numbers(_dict(told))})
    }


def _numbers(told: dict[str, Any]) -> list[tuple[str, float]]:
    whole = {**told, **{f"quantile {part}": value for part, value in _dict(told.get("quantiles")).items()}}
    return [(name, float(value)) for name, value in whole.items() if _is_number(value)]


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < _LARGEST


def dataset_details(facets: Facets) -> dict[str, Any]:
    """Return what is told of a dataset beyond its columns: where it is stored and listed, what it lies in, its
    tags, its version, what last befell it."""
    told = {name: facet for name, (_, facet) in facets.items()}
    storage, listed, origin = (_dict(told.get(name)) for name in ("storage", "catalog", "dataSource"))
    above = [
        " ".join(filter(None, (_text(one.get("type")).lower(), _text(one.get("name")))))
        for one in _listed(told.get("hierarchy"), "hierarchy")
    ]
    found: dict[str, list[Any]] = {
        "storage": [storage.get("storageLayer"), storage.get("fileFormat")],
        "catalog": [listed.get("framework"), listed.get("type"), listed.get("name"), listed.get("warehouseUri")],
        "data source": [origin.get("name"), origin.get("uri")],
        "lies in": above,
        "tags": _tag_words(told.get("tags")),
        "version": [_dict(told.get("version")).get("datasetVersion")],
        "last": [_text(_dict(told.get("lifecycleStateChange")).get("lifecycleStateChange")).lower()],
    }
    return {name: kept for name, values in found.items() if (kept := [one for one in values if _text(one)])}


def _listed(facet: Any, name: str) -> list[dict[str, Any]]:
    listed = _dict(facet).get(name)
    return [one for one in listed if isinstance(one, dict)] if isinstance(listed, list) else []


def _tag_words(facet: Any) -> list[str]:
    """Tags with their values, and the column where they are of one."""
    return [
        ": ".join(filter(None, (_text(one.get("key")), _text(one.get("value")), _text(one.get("field")))))
        for one in _listed(facet, "tags")
    ]


def _tags(run: RunFold) -> dict[str, str]:
    return _pairs(run.facet("tags"), "tags", "key")


def _pairs(facet: dict[str, Any], list_name: str, key: str) -> dict[str, str]:
    told = (one for one in _listed(facet, list_name) if _text(one.get(key)))
    return {_text(one[key]): _text(one.get("value")) for one in told}


def _dict(value: Any) -> dict[str, Any]:
    return value if isinstance(value, dict) else {}


def _text(value: Any) -> str:
    return value if isinstance(value, str) else ""


def _count(value: Any) -> int | None:
    """A count that PostgreSQL's bigint can hold."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return None
    return int(value) if 0 <= value < 1 << 63 else None


def _uuid(value: Any) -> UUID | None:
    try:
        return UUID(value)
    except (ValueError, AttributeError, TypeError):
        return None
