"""Writes lineage as OpenLineage job events with the column-lineage facet.

Source: OpenLineage specification 2-0-2, "JobEvent"; column lineage dataset facet 1-2-0, in which a transformation
is DIRECT or INDIRECT with a subtype.
"""

from datetime import UTC, datetime
from typing import Any

from jalan.catalog.kinds import LinkKind
from jalan.formats.openlineage_run import FACETS, SPEC
from jalan.lineage.model import Extraction, Link

_PRODUCER = "urn:jalan"
_EVENT = f"{SPEC}/JobEvent"
_FACET = f"{FACETS}/1-2-0/ColumnLineageDatasetFacet.json"
_SQL_FACET = f"{FACETS}/1-0-1/SQLJobFacet.json"


def job_events(name: str, text: str, extraction: Extraction, namespace: str = "sql") -> list[dict[str, Any]]:
    """Return one event a written table: what it is made of, column by column.

    name: of the job, such as the file.
    namespace: of the job and of the datasets.
    """
    targets = dict.fromkeys(link.target for link in extraction.links if link.target is not None)
    return [_event(name, text, namespace, target, extraction.links) for target in targets]


def _event(name: str, text: str, namespace: str, target: str, links: list[Link]) -> dict[str, Any]:
    mine = [link for link in links if link.target == target]
    inputs = dict.fromkeys(link.table for link in mine)
    columns: dict[str, list[dict[str, Any]]] = {}
    for link in mine:
        if link.output is not None:
            columns.setdefault(link.output, []).append(_input_field(link, namespace))
    facet = {
        "_producer": _PRODUCER,
        "_schemaURL": _FACET,
        "fields": {output: {"inputFields": sources} for output, sources in columns.items()},
        "dataset": [_input_field(link, namespace) for link in mine if link.output is None],
    }
    return {
        "eventTime": datetime.now(UTC).isoformat(),
        "producer": _PRODUCER,
        "schemaURL": _EVENT,
        "job": {
            "namespace": namespace,
            "name": name,
            "facets": {"sql": {"_producer": _PRODUCER, "_schemaURL": _SQL_FACET, "query": text}},
        },
        "inputs": [{"namespace": namespace, "name": table} for table in inputs],
        "outputs": [{"namespace": namespace, "name": target, "facets": {"columnLineage": facet}}],
    }


def _input_field(link: Link, namespace: str) -> dict[str, Any]:
    transformation = {
        "type": "DIRECT" if link.kind == LinkKind.VALUE else "INDIRECT",
        "subtype": link.how.upper(),
        "description": "",
        "masking": False,
    }
    return {
        "namespace": namespace,
        "name": link.table,
        "field": link.column,
        "transformations": [transformation],
    }
