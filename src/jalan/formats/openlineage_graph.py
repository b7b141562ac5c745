"""Writes the graph as OpenLineage events, and reads events: Jalan's own give the same graph again.

Source: OpenLineage specification 2-0-2 ("DatasetEvent", "JobEvent", "RunEvent") with the facets schema 1-1-1,
symlinks 1-0-1, column lineage 1-2-0, SQL 1-0-1, documentation 1-0-1 and ownership 1-0-1. What the standard has no
place for stands in two facets of our own, ``jalan_dataset`` and ``jalan_definition``, which other readers ignore.
"""

from collections.abc import Iterator
from typing import Any

from jalan.catalog.kinds import How, LinkKind, LinkOrigin
from jalan.formats.graph import DatasetRecord, DefinitionRecord, FieldRecord, GraphRecord, LinkRecord
from jalan.formats.openlineage_run import FACETS, SPEC

_PRODUCER = "urn:jalan"
_OWN = "urn:jalan:facets"


class EventError(ValueError):
    """An event is not as the standard has it; the message says where."""


BROKEN_FACET = (EventError, LookupError, TypeError, ValueError, AttributeError, RecursionError)
"""What reading an event may raise: its facets are anybody's."""


def broken_facet(error: Exception) -> str:
    """Return what is wrong with an event, in words."""
    return (
        str(error) if isinstance(error, EventError) else f"a facet is not as the standard has it ({error!r:.200})"
    )


# --- writing ---------------------------------------------------------------------------------------------


def events(graph: GraphRecord, at: str) -> Iterator[dict[str, Any]]:
    """Yield an event for each dataset, then one for each definition. at: time of the events, ISO 8601."""
    for dataset in graph.datasets:
        yield {
            "eventTime": at,
            "producer": _PRODUCER,
            "schemaURL": f"{SPEC}/DatasetEvent",
            "dataset": {
                "namespace": dataset.namespace,
                "name": dataset.name,
                "facets": _dataset_facets(dataset),
            },
        }
    for definition in graph.definitions:
        yield _job_event(definition, at)


def _facet(schema: str, **values: Any) -> dict[str, Any]:
    return {"_producer": _PRODUCER, "_schemaURL": schema, **values}


def _dataset_facets(dataset: DatasetRecord) -> dict[str, Any]:
    columns = [f for f in dataset.fields if f.name != "*"]
    found: dict[str, Any] = {
        "jalan_dataset": _facet(
            f"{_OWN}/dataset-1.json",
            kind=dataset.kind,
            title=dataset.title,
            container=dataset.container,
            placeholder=dataset.placeholder,
            system=dataset.system,
            fields=[{"name": f.name, "kind": f.kind, "placeholder": f.placeholder} for f in dataset.fields],
        )
    }
    if columns:
        found["schema"] = _facet(
            f"{FACETS}/1-1-1/SchemaDatasetFacet.json",
            fields=[
                {
                    key: value
                    for key, value in (("name", f.name), ("type", f.type), ("description", f.description))
                    if value is not None
                }
                for f in columns
            ],
        )
    if dataset.description:
        schema = f"{FACETS}/1-0-1/DocumentationDatasetFacet.json"
        found["documentation"] = _facet(schema, description=dataset.description)
    if dataset.owner:
        schema = f"{FACETS}/1-0-1/OwnershipDatasetFacet.json"
        found["ownership"] = _facet(schema, owners=[{"name": dataset.owner}])
    if dataset.aliases:
        found["symlinks"] = _facet(
            f"{FACETS}/1-0-1/SymlinksDatasetFacet.json",
            identifiers=[{"namespace": ns, "name": name, "type": "TABLE"} for ns, name in dataset.aliases],
        )
    return found


def _job_event(definition: DefinitionRecord, at: str) -> dict[str, Any]:
    inputs = dict.fromkeys(link.source[:2] for link in definition.links)
    outputs: dict[tuple[str, str], list[LinkRecord]] = {}
    for link in definition.links:
        outputs.setdefault(link.target[:2], []).append(link)
    facets = {
        "jobType": _facet(
            f"{FACETS}/2-0-3/JobTypeJobFacet.json",
            processingType="BATCH",
            integration="JALAN",
            jobType=definition.kind.upper(),
        ),
        "sql": _facet(f"{FACETS}/1-0-1/SQLJobFacet.json", query=definition.text, dialect=definition.dialect),
        "jalan_definition": _facet(
            f"{_OWN}/definition-1.json",
            key=definition.key,
            kind=definition.kind,
            place=definition.place,
            job=definition.job,
            jobNamespace=definition.job_namespace,
            firstLine=definition.first_line,
            namespace=definition.namespace,
            database=definition.database,
            searchPath=definition.search_path,
            template=definition.template,
            revision=definition.revision,
            statements=definition.statements,
            links=[
                [
                    list(link.source),
                    list(link.target),
                    link.kind,
                    link.how,
                    link.origin,
                    [list(span) for span in link.spans],
                    list(link.expression) if link.expression else None,
                    link.path,
                    link.possible,
                    link.statement,
                ]
                for link in definition.links
            ],
        ),
    }
    return {
        "eventTime": at,
        "producer": _PRODUCER,
        "schemaURL": f"{SPEC}/JobEvent",
        "job": {"namespace": definition.job_namespace, "name": definition.key, "facets": facets},
        "inputs": [{"namespace": namespace, "name": name} for namespace, name in inputs],
        "outputs": [
            {"namespace": ns, "name": name, "facets": {"columnLineage": _column_lineage(links)}}
            for (ns, name), links in outputs.items()
        ],
    }


def _column_lineage(links: list[LinkRecord]) -> dict[str, Any]:
    fields: dict[str, dict[str, list[dict[str, Any]]]] = {}
    rows = []
    for link in links:
        namespace, name, column = link.source
        one = {
            "namespace": namespace,
            "name": name,
            "field": column,
            "transformations": [
                {
                    "type": "DIRECT" if link.kind == LinkKind.VALUE else "INDIRECT",
                    "subtype": link.how.upper(),
                    "description": "",
                    "masking": False,
                }
            ],
        }
        if link.target[2] is None:
            rows.append(one)
        else:
            fields.setdefault(link.target[2], {"inputFields": []})["inputFields"].append(one)
    return _facet(f"{FACETS}/1-2-0/ColumnLineageDatasetFacet.json", fields=fields, dataset=rows)


# --- reading ---------------------------------------------------------------------------------------------

_STAR = "*"
_DEEPEST = 20


def read_event(event: Any) -> tuple[list[DatasetRecord], DefinitionRecord | None]:
    """Return what an event says: datasets, and the definition with its links. Raises EventError.

    Where a producer sends no column lineage, stars stand for the columns of inputs and outputs.
    """
    if not isinstance(event, dict):
        raise EventError("an event is an object")
    datasets = []
    if "dataset" in event:
        datasets.append(read_dataset(_object(event, "dataset")))
    if "job" not in event:
        if not datasets:
            raise EventError("expected “job” or “dataset”")
        return datasets, None
    job = _object(event, "job")
    inputs = [_object_at(one, "inputs") for one in _list(event, "inputs")]
    outputs = [_object_at(one, "outputs") for one in _list(event, "outputs")]
    datasets += [read_dataset(one) for one in [*inputs, *outputs]]
    facets = job.get("facets") or {}
    own = facets.get("jalan_definition")
    if own is not None:
        return datasets, _own_definition(own, facets)
    return datasets, _foreign_definition(job, facets, inputs, outputs)


def _object(event: dict[str, Any], key: str) -> dict[str, Any]:
    return _object_at(event.get(key), key)


def _object_at(value: Any, key: str) -> dict[str, Any]:
    if not isinstance(value, dict):
        raise EventError(f"“{key}” must be an object")
    for part in ("namespace", "name"):
        if not isinstance(value.get(part), str) or not value[part]:
            raise EventError(f"“{key}.{part}” is missing")
    return value


def _list(event: dict[str, Any], key: str) -> list[Any]:
    found = event.get(key) or []
    if not isinstance(found, list):
        raise EventError(f"“{key}” must be a list")
    return found


def read_dataset(value: dict[str, Any]) -> DatasetRecord:
    """Return what an event says of a dataset."""
    facets = value.get("facets") or {}
    own = facets.get("jalan_dataset") or {}
    schema = dict(_columns((facets.get("schema") or {}).get("fields", [])))
    kinds = own.get("fields") or [{"name": n, "kind": "column", "placeholder": False} for n in schema]
    fields = [
        FieldRecord(
            f["name"],
            f["kind"],
            schema.get(f["name"], {}).get("type"),
            schema.get(f["name"], {}).get("description"),
            f["placeholder"],
        )
        for f in kinds
    ]
    owners = (facets.get("ownership") or {}).get("owners") or []
    identifiers = (facets.get("symlinks") or {}).get("identifiers") or []
    return DatasetRecord(
        value["namespace"],
        value["name"],
        own.get("title"),
        own.get("kind", ""),
        (facets.get("documentation") or {}).get("description"),
        owners[0]["name"] if owners else None,
        own.get("container", ""),
        own.get("placeholder", not schema),
        own.get("system", ""),
        fields,
        [(one["namespace"], one["name"]) for one in identifiers],
    )


def _columns(fields: list[dict[str, Any]], above: str = "", depth: int = 0) -> Iterator[tuple[str, dict[str, Any]]]:
    """Yield the columns of a schema; those inside others by their path, as column lineage names them."""
    for one in fields:
        if "name" not in one:
            continue
        name = f"{above}{one['name']}"
        yield name, one
        if one.get("fields") and depth < _DEEPEST:
            yield from _columns(one["fields"], f"{name}.", depth + 1)


def _own_definition(own: dict[str, Any], facets: dict[str, Any]) -> DefinitionRecord:
    links = [
        LinkRecord(
            (source[0], source[1], source[2]),
            (target[0], target[1], target[2]),
            kind,
            how,
            origin,
            [(a, b) for a, b in spans],
            (expression[0], expression[1]) if expression else None,
            path,
            possible,
            statement,
        )
        for source, target, kind, how, origin, spans, expression, path, possible, statement in own["links"]
    ]
    return DefinitionRecord(
        own["key"],
        own["kind"],
        own["place"],
        own["jobNamespace"],
        own["job"],
        facets["sql"]["dialect"],
        own["firstLine"],
        facets["sql"]["query"],
        own["namespace"],
        own["database"],
        own["searchPath"],
        own["template"],
        own["revision"],
        [(k, a, b) for k, a, b in own["statements"]],
        links,
    )


def _foreign_definition(
    job: dict[str, Any], facets: dict[str, Any], inputs: list[dict[str, Any]], outputs: list[dict[str, Any]]
) -> DefinitionRecord:
    sql = (facets.get("sql") or {}).get("query")
    lines = (
        [sql]
        if sql
        else [f"reads  {one['namespace']} {one['name']}" for one in inputs]
        + [f"writes {one['namespace']} {one['name']}" for one in outputs]
    )
    text = "\n".join(lines) + "\n"
    span = (0, len(text))
    links = []
    for output in outputs:
        facet = (output.get("facets") or {}).get("columnLineage")
        if facet is None:
            sources = [(one["namespace"], one["name"], _STAR, "value", "transformation") for one in inputs]
            targets: list[tuple[str | None, Any]] = [(_STAR, source) for source in sources]
        else:
            targets = [(None, source) for one in facet.get("dataset") or [] for source in _sources(one, True)]
            for column, made in (facet.get("fields") or {}).items():
                for one in made.get("inputFields") or []:
                    targets += [(column, source) for source in _sources(one, False)]
        for column, (namespace, name, field, kind, how) in targets:
            links.append(
                LinkRecord(
                    (namespace, name, field),
                    (output["namespace"], output["name"], column),
                    kind,
                    how,
                    LinkOrigin.EVENT,
                    [span],
                    None,
                    "",
                    False,
                    0,
                )
            )
    first = outputs[0] if outputs else inputs[0] if inputs else {"namespace": job["namespace"]}
    return DefinitionRecord(
        f"{job['namespace']}:{job['name']}",
        "event",
        job["name"],
        job["namespace"],
        job["name"],
        "postgresql",
        1,
        text,
        first["namespace"],
        "",
        [],
        None,
        None,
        [("event", 0, len(text))],
        links,
    )


def _sources(one: dict[str, Any], rows: bool) -> Iterator[tuple[str, str, str, str, str]]:
    """Yield namespace, name, field, kind and how of an input field, once a transformation."""
    found = one.get("transformations") or [{"type": "INDIRECT" if rows else "DIRECT"}]
    for transformation in found:
        direct = transformation.get("type", "DIRECT") == "DIRECT" and not rows
        how = str(transformation.get("subtype") or (How.TRANSFORMATION if direct else How.FILTER)).lower()
        yield one["namespace"], one["name"], one["field"], LinkKind.VALUE if direct else LinkKind.CONDITION, how
