"""Several plans, one result: what a run read from a temporary of its session is what that temporary was made of.

An engine that caches a frame tells of it as of a dataset: one run writes it, later runs of the same session read
it. Nothing of it lasts; the lasting outputs depend on the lasting inputs.
"""

from collections.abc import Mapping, Sequence
from typing import Any

from jalan.runs.fold import Name, RunFold, Side

_TEMPORARY = ("TEMP", "CACHE", "SESSION", "TRANSIENT")
_SCHEMES = ("memory", "cache", "session", "temp")
_DEEPEST = 30
_Made = Mapping[Name, tuple[RunFold, Side]]
"""Temporaries with the run that wrote each, and what it told of it."""


def is_temporary(facets: Mapping[str, Any]) -> bool:
    """Whether the facets of a dataset say that it does not outlive its session: its type, its storage."""
    kind = facets.get("datasetType") or {}
    storage = facets.get("storage") or {}
    told = [kind.get("datasetType"), kind.get("subType"), storage.get("storageLayer")]
    words = [one.upper() for one in told if isinstance(one, str)]
    return any(mark in word for word in words for mark in _TEMPORARY) or "MEMORY" in words


def names_temporary(name: Name, facets: Mapping[str, Any]) -> bool:
    """Whether a dataset is a temporary, by its facets or its namespace."""
    return name[0].partition("://")[0].lower() in _SCHEMES or is_temporary(facets)


def writes_temporary(run: RunFold) -> bool:
    """Whether a run writes a temporary."""
    return any(names_temporary(name, _plain(side)) for name, side in run.outputs.items())


def reads_temporary(run: RunFold) -> bool:
    """Whether a run reads a temporary."""
    return any(names_temporary(name, _plain(side)) for name, side in run.inputs.items())


def seen_through(run: RunFold, session: Sequence[RunFold]) -> RunFold:
    """Return a run as if it had read what the temporaries that it read were made of, and without those it wrote.

    session: the other runs of its session, the latest first: of each temporary the last one that wrote it counts.
    """
    made: dict[Name, tuple[RunFold, Side]] = {}
    for other in session:
        for name, side in other.outputs.items():
            if name not in made and names_temporary(name, _plain(side)):
                made[name] = (other, side)
    found = RunFold(
        run.job, run.type, run.first, run.start, run.last, run.producer, run.facets, run.job_facets
    )  # fmt: skip
    found.outputs = {
        name: _through(side, made) for name, side in run.outputs.items() if not names_temporary(name, _plain(side))
    }
    found.inputs = _lasting(run.inputs, made, 0)
    return found


def _lasting(inputs: Mapping[Name, Side], made: _Made, depth: int) -> dict[Name, Side]:
    found: dict[Name, Side] = {}
    for name, side in inputs.items():
        if name in made and depth < _DEEPEST:
            found |= _lasting(made[name][0].inputs, made, depth + 1)
        elif not names_temporary(name, _plain(side)):
            found.setdefault(name, side)
    return found


def _through(side: Side, made: _Made) -> Side:
    """An output whose columns come from lasting columns."""
    told = side.facets.get("columnLineage")
    if told is None:
        return side
    stamp, facet = told
    fields = {
        column: {**one, "inputFields": _resolved(one.get("inputFields") or [], made, 0)}
        for column, one in (facet.get("fields") or {}).items()
    }
    rows = _resolved(facet.get("dataset") or [], made, 0)
    # What decided about the rows of a temporary decides about what is made of it.
    for name in {(one["namespace"], one["name"]) for one in _all(facet)}:
        rows += _row_conditions(name, made, 0)
    lineage = {**facet, "fields": fields, "dataset": _once(rows)}
    return Side(side.since, {**side.facets, "columnLineage": (stamp, lineage)}, side.own)


def _row_conditions(name: Name, made: _Made, depth: int) -> list[dict[str, Any]]:
    if name not in made or depth >= _DEEPEST:
        return []
    facet = _lineage(made[name][1])
    found = _resolved(facet.get("dataset") or [], made, depth + 1)
    for other in {(one["namespace"], one["name"]) for one in _all(facet)}:
        found += _row_conditions(other, made, depth + 1)
    return found


def _resolved(inputs: Sequence[dict[str, Any]], made: _Made, depth: int) -> list[dict[str, Any]]:
    """Columns that others are made of, those of temporaries by what these are made of."""
    found: list[dict[str, Any]] = []
    for one in inputs:
        name = (one["namespace"], one["name"])
        if name not in made or depth >= _DEEPEST:
            found.append(one)
            continue
        below = (_lineage(made[name][1]).get("fields") or {}).get(one["field"], {}).get("inputFields") or []
        for inner in _resolved(below, made, depth + 1):
            found.append({**inner, "transformations": _both(one, inner)})
    return _once(found)


def _both(outer: dict[str, Any], inner: dict[str, Any]) -> list[dict[str, Any]]:
    """What two steps do together: they carry the value if both do, and change it if either does."""
    first = outer.get("transformations") or [{"type": "DIRECT", "subtype": "TRANSFORMATION"}]
    second = inner.get("transformations") or [{"type": "DIRECT", "subtype": "TRANSFORMATION"}]
    found = []
    for a in first:
        for b in second:
            if a.get("type", "DIRECT") != "DIRECT":
                found.append(a)
            elif b.get("type", "DIRECT") != "DIRECT":
                found.append(b)
            else:
                found.append(b if str(a.get("subtype", "")).upper() == "IDENTITY" else a)
    return _once(found)


def _once(several: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    for one in several:
        if one not in found:
            found.append(one)
    return found


def _lineage(side: Side) -> dict[str, Any]:
    return side.facets.get("columnLineage", (None, {}))[1]


def _all(facet: Mapping[str, Any]) -> list[dict[str, Any]]:
    return [one for made in (facet.get("fields") or {}).values() for one in made.get("inputFields") or []] + list(
        facet.get("dataset") or []
    )


def _plain(side: Side) -> dict[str, Any]:
    return {name: facet for name, (_, facet) in side.facets.items()}
