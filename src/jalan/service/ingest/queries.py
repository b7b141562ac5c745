"""What the queries of a history do with columns: read, filtered, joined, grouped, sorted, written."""

from collections.abc import Callable, Collection
from typing import Any

from sqlalchemy import delete, select

from jalan.catalog.kinds import LinkKind
from jalan.lineage.model import Extraction
from jalan.store.among import is_among
from jalan.store.bulk import copy_rows
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.schema import Dataset, Definition, Query, QueryField

_HOW = {"join": "joined", "filter": "filtered", "group_by": "grouped", "sort": "sorted"}
_COLUMNS = ("query_id", "dataset_id", "field_id", "how")


class QueryWriter:
    """Keeps for each query which columns it uses, and how."""

    def __init__(self, catalogue: CatalogueWriter, definitions: Collection[int]) -> None:
        """definitions: ids of those whose texts may be queries."""
        self._catalogue = catalogue
        known = select(Query.definition_id, Query.id).where(is_among(Query.definition_id, definitions))
        self._ids: dict[int, int] = dict(catalogue.session.execute(known).all())
        self._changed: list[int] = []
        self._rows: list[tuple[Any, ...]] = []

    def write(self, definition: Definition, extraction: Extraction, dataset: Callable[[str], Dataset]) -> None:
        """Note what was read out of the text of a query. dataset: finds the dataset that a name stands for."""
        query = self._ids.get(definition.id)
        if query is None:
            return
        used: dict[tuple[int, int | None, str], None] = {}

        def note(table: str, column: str | None, how: str) -> None:
            if _is_system(table):
                return
            found = dataset(table)
            field = None if column is None else self._catalogue.field(found, column).id
            used[found.id, field, how] = None

        for link in extraction.links:
            note(link.table, link.column, "read" if link.kind == LinkKind.VALUE else _HOW.get(link.how, "read"))
        intermediates = set(extraction.intermediates)
        for statement in extraction.statements:
            for table, column in sorted(statement.uses):
                if table not in intermediates and not _is_system(table):
                    found = dataset(table)
                    field = self._catalogue.field(found, column)
                    if not any((found.id, field.id, how) in used for how in ("read", *_HOW.values())):
                        note(table, column, "read")
            for table in statement.reads:
                if table not in intermediates:
                    note(table, None, "read")
            if statement.target is not None and statement.target not in intermediates and statement.outputs:
                note(statement.target, None, "written")
                for output in statement.outputs:
                    note(statement.target, str(output.name), "written")
        self._changed.append(query)
        self._rows += [(query, *key) for key in used]

    def flush(self) -> None:
        """Write what was noted."""
        if self._changed:
            session = self._catalogue.session
            session.execute(delete(QueryField).where(QueryField.query_id.in_(self._changed)))
            copy_rows(session, "query_field", _COLUMNS, self._rows)
            self._changed.clear()
            self._rows.clear()


def _is_system(table: str) -> bool:
    """Whether a table is of a database's own catalogue: programs ask it all the time, and it says nothing."""
    schema, _, name = table.rpartition(".")
    return name.startswith("pg_") or schema.rpartition(".")[2] in ("pg_catalog", "information_schema")
