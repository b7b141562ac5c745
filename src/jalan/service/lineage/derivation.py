"""How a column is made, for a person: read out of its definition when somebody asks."""

from jalan.lineage.model import Detail
from jalan.lineage.script import extract
from jalan.service.graph_cache.names import DefinitionInfo
from jalan.service.graph_cache.snapshot import Snapshot
from jalan.service.lineage.answers import WayStep
from jalan.sql.dialects import DIALECTS


def how_it_is_made(
    snapshot: Snapshot, definition: DefinitionInfo, place: tuple[int, int]
) -> tuple[str, list[WayStep]]:
    """Return the expression at a place of a definition in the normal form, and the steps that lead to it.

    Where the place holds no output any more the expression is as it is written, without steps.
    """
    # Declarations, flows and calculated fields are no SQL.
    detail = _detail(snapshot, definition, place) if definition.dialect in DIALECTS else None
    if detail is None:
        start, end = place
        return " ".join(definition.text[start:end].split()), []
    steps = [WayStep(kind=s.kind, table=s.table, name=s.name, expression=s.expression) for s in detail.chain]
    return detail.expression, steps


def _detail(snapshot: Snapshot, definition: DefinitionInfo, place: tuple[int, int]) -> Detail | None:
    prefix = f"{definition.database}."
    known = {
        dataset.name.removeprefix(prefix): [snapshot.fields[field].name for field in dataset.fields]
        for dataset in snapshot.datasets
        if dataset.name.startswith(prefix)
        and dataset.namespace == definition.namespace
        and not dataset.placeholder
        and dataset.gone_since is None
    }
    found = extract(
        definition.text,
        dialect=definition.dialect,
        tables=known,
        search_path=definition.search_path,
        detail=True,
        **(definition.template or {}),
    )
    for statement in found.statements:
        for output in statement.outputs:
            if output.span == place and output.detail is not None:
                return output.detail
    return None
