"""Writes the graph as W3C PROV in JSON.

Source: PROV-DM (W3C Recommendation, 2013) and PROV-JSON (W3C Member Submission, 2013). Datasets and columns are
entities, definitions are activities; a link is a derivation that names its activity.
"""

from typing import Any
from urllib.parse import quote

from jalan.formats.graph import GraphRecord


def prov_json(graph: GraphRecord) -> dict[str, Any]:
    """Return the graph as one PROV document."""
    entities: dict[str, Any] = {}
    members: dict[str, Any] = {}
    for dataset in graph.datasets:
        id_ = _id("dataset", *dataset.key)
        entities[id_] = {
            "prov:label": dataset.name,
            "jalan:namespace": dataset.namespace,
            "jalan:kind": dataset.kind,
            "prov:type": {"$": "prov:Collection", "type": "prov:QUALIFIED_NAME"},
        }
        for field in dataset.fields:
            inner = _id("field", *dataset.key, field.name)
            entities[inner] = {"prov:label": f"{dataset.name}.{field.name}", "jalan:kind": field.kind}
            members[f"_:m{len(members)}"] = {"prov:collection": id_, "prov:entity": inner}
    activities: dict[str, Any] = {}
    used: dict[str, Any] = {}
    generated: dict[str, Any] = {}
    derived: dict[str, Any] = {}
    for definition in graph.definitions:
        if not definition.links:
            continue
        activity = _id("activity", definition.key)
        activities[activity] = {
            "prov:label": definition.job or definition.place,
            "jalan:kind": definition.kind,
            "jalan:place": definition.place,
        }
        sources = dict.fromkeys(_id("field", *link.source) for link in definition.links)
        targets = dict.fromkeys(_end(link.target) for link in definition.links)
        for source in sources:
            used[f"_:u{len(used)}"] = {"prov:activity": activity, "prov:entity": source}
        for target in targets:
            generated[f"_:g{len(generated)}"] = {"prov:entity": target, "prov:activity": activity}
        for link in definition.links:
            derived[f"_:d{len(derived)}"] = {
                "prov:generatedEntity": _end(link.target),
                "prov:usedEntity": _id("field", *link.source),
                "prov:activity": activity,
                "jalan:kind": link.kind,
                "jalan:how": link.how,
                "jalan:origin": link.origin,
            }
    return {
        "prefix": {"jalan": "urn:jalan:"},
        "entity": entities,
        "activity": activities,
        "used": used,
        "wasGeneratedBy": generated,
        "wasDerivedFrom": derived,
        "hadMember": members,
    }


def _end(target: tuple[str, str, str | None]) -> str:
    namespace, name, column = target
    return _id("dataset", namespace, name) if column is None else _id("field", namespace, name, column)


def _id(kind: str, *parts: str) -> str:
    """A qualified name: everything that could end it is escaped."""
    return f"jalan:{kind}/" + "/".join(quote(part, safe="") for part in parts)
