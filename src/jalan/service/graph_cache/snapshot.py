"""The graph with its names, read from the store in one go."""

from collections import defaultdict
from collections.abc import Iterator
from datetime import datetime
from typing import Any

import numpy as np
from sqlalchemy import Row, or_, select
from sqlalchemy.orm import DeclarativeBase, Session

from jalan.catalog.kinds import DefinitionKind, FieldKind, How, LinkKind, definition_kind
from jalan.catalog.names import title_of
from jalan.collecting import seldom_collecting
from jalan.graph.dependencies import CONDITION, ROWS, VALUE, Dependencies
from jalan.service.graph_cache.names import DatasetInfo, DefinitionInfo, FieldInfo, LinkInfo
from jalan.store.past import as_at
from jalan.store.repositories.aliases import alias_map
from jalan.store.schema import Container, Dataset, Definition, Field, Job, Link, Statement, System
from jalan.store.validity import valid_at

_LABEL_LENGTH = 60


class Snapshot:
    """Datasets, fields, definitions and links by position, and the graph over them."""

    def __init__(self, session: Session, as_of: datetime | None) -> None:
        self.as_of = as_of
        self.datasets: list[DatasetInfo] = []
        self.fields: list[FieldInfo] = []
        self.dataset_at: dict[int, int] = {}
        self.field_at: dict[int, int] = {}
        self.definitions: dict[int, DefinitionInfo] = {}
        self.statements: dict[int, tuple[int, int]] = {}
        self.links: list[LinkInfo] = []
        self.link_at: dict[int, int] = {}
        with seldom_collecting:
            self._read_names(session)
            self._read_definitions(session)
            self.graph = self._read_links(session)

    # --- reading -------------------------------------------------------------------------------------

    def _read_names(self, session: Session) -> None:
        query = select(*Dataset.__table__.columns).order_by(Dataset.id)
        if self.as_of is not None:
            query = query.where(Dataset.first_seen <= self.as_of)
        aliases = alias_map(session, self.as_of)
        systems = {row.id: row for row in self._all(session, System)}
        containers = {row.id: row for row in self._all(session, Container)}
        rows = as_at(session, Dataset, session.execute(query), self.as_of)
        found = [
            _dataset_info(row, systems[row.system_id], containers[row.container_id], self.as_of) for row in rows
        ]
        ids = {(info.namespace, info.name): info.id for info in found}
        stands_for: dict[int, int] = {}
        for info in found:
            meant = aliases.resolve((info.namespace, info.name))
            if meant in ids and ids[meant] != info.id:
                stands_for[info.id] = ids[meant]
            elif meant != (info.namespace, info.name):
                info.namespace, info.name = meant
        for info in found:
            if info.id not in stands_for:
                self.dataset_at[info.id] = len(self.datasets)
                self.datasets.append(info)
        for alias, id_ in stands_for.items():
            self.dataset_at[alias] = self.dataset_at[id_]
            self.datasets[self.dataset_at[id_]].joined.append(alias)
        self._read_fields(session, stands_for)

    def _all(self, session: Session, model: type[DeclarativeBase]) -> Iterator[Any]:
        """Yield all rows of a table, as they were at the time of the snapshot."""
        return as_at(session, model, session.execute(select(*model.__table__.columns)), self.as_of)

    def _read_fields(self, session: Session, stands_for: dict[int, int]) -> None:
        """The fields of datasets that are one are one where they have the same name."""
        # Those of the dataset itself come first: what it says of a column holds.
        query = select(*Field.__table__.columns).order_by(Field.dataset_id, Field.ordinal, Field.id)
        rows = list(as_at(session, Field, session.execute(query), self.as_of))
        if self.as_of is not None:  # columns may have stood in another order then
            rows.sort(key=lambda field: (field.dataset_id, field.ordinal, field.id))
        rows.sort(key=lambda field: field.dataset_id in stands_for)
        by_name: dict[tuple[int, str], int] = {}
        for field in rows:
            at = self.dataset_at.get(field.dataset_id)
            if at is None or (self.as_of is not None and field.first_seen > self.as_of):
                continue
            known = by_name.get((at, field.name))
            if known is not None:
                self.field_at[field.id] = known
                continue
            position = by_name[at, field.name] = len(self.fields)
            self.field_at[field.id] = position
            self.datasets[at].fields.append(position)
            self.fields.append(
                FieldInfo(
                    field.id,
                    at,
                    field.name,
                    field.kind,
                    field.type,
                    field.description,
                    field.facts,
                    field.placeholder,
                    _until(field.gone_since, self.as_of),
                )
            )

    def _read_definitions(self, session: Session) -> None:
        job_name, job_namespace, namespace = Job.name.label("job"), Job.namespace.label("jobs"), System.namespace
        query = select(*Definition.__table__.columns, job_name, job_namespace, namespace)
        query = query.outerjoin(Job, Job.id == Definition.job_id)
        query = query.join(System, System.id == Definition.system_id)
        linked = select(Link.definition_id).where(*valid_at(Link, self.as_of))
        # Of the queries of a history only those that write take part in the graph.
        query = query.where(*valid_at(Definition, self.as_of))
        query = query.where(or_(Definition.kind != DefinitionKind.QUERY, Definition.id.in_(linked)))
        for row in as_at(session, Definition, session.execute(query), self.as_of):
            self.definitions[row.id] = DefinitionInfo(
                row.id,
                row.kind,
                row.place,
                row.job,
                row.version,
                row.valid_from,
                row.text,
                row.first_line,
                row.dialect,
                row.search_path,
                row.template,
                row.database,
                row.namespace,
                row.key,
                row.jobs,
                row.revision,
                row.authored_at,
                row.author,
            )
        statements = select(Statement.id, Statement.start, Statement.end).join(Definition)
        statements = statements.where(*valid_at(Definition, self.as_of), Definition.kind != DefinitionKind.QUERY)
        found = as_at(session, Statement, session.execute(statements), self.as_of)
        self.statements = {row.id: (row.start, row.end) for row in found}

    def _read_links(self, session: Session) -> Dependencies:
        query = (
            select(
                Link.id,
                Link.source_field_id,
                Link.target_dataset_id,
                Link.target_field_id,
                Link.kind,
                Link.how,
                Link.origin,
                Link.definition_id,
                Link.statement_id,
                Link.spans,
                Link.expression,
                Link.path,
                Link.possible,
            )
            .where(*valid_at(Link, self.as_of))
            .order_by(Link.id)
        )
        between: dict[tuple[int, int, int], list[Row[Any]]] = defaultdict(list)
        offset = len(self.fields)
        for row in session.execute(query):
            source = self.field_at.get(row.source_field_id)
            dataset = self.dataset_at.get(row.target_dataset_id)
            if source is None or dataset is None or row.definition_id not in self.definitions:
                continue
            if row.target_field_id is None:
                target, kind = offset + dataset, ROWS
            else:
                target = self.field_at[row.target_field_id]
                kind = VALUE if row.kind == LinkKind.VALUE else CONDITION
            between[source, target, kind].append(row)
        ranks = {id_: definition_kind(info.kind).about.rank for id_, info in self.definitions.items()}
        edges = []
        for key, rows in between.items():
            rows.sort(key=lambda row: (ranks[row.definition_id], row.id))
            best = rows[0]
            for row in rows:
                self.link_at[row.id] = len(self.links)
            self.links.append(
                LinkInfo(
                    best.id,
                    best.kind,
                    best.how,
                    best.origin,
                    best.definition_id,
                    best.statement_id,
                    [(start, end) for start, end in best.spans],
                    (best.expression[0], best.expression[1]) if best.expression else None,
                    best.path,
                    all(row.possible for row in rows),
                    [row.id for row in rows[1:]],
                )
            )
            edges.append(key)
        found = np.array(edges, dtype=np.int64).reshape(-1, 3)
        field_dataset = np.array([field.dataset for field in self.fields], dtype=np.int64)
        sources, targets, kinds = found[:, 0].copy(), found[:, 1].copy(), found[:, 2].copy()
        stars = np.array([i for i, field in enumerate(self.fields) if field.kind == FieldKind.STAR], dtype=np.int64)
        return Dependencies(field_dataset, sources, targets, kinds, len(self.datasets), stars)

    # --- names ---------------------------------------------------------------------------------------

    def node_dataset(self, node: int) -> int:
        """Return the position of the dataset of a node."""
        return node - len(self.fields) if node >= len(self.fields) else self.fields[node].dataset

    def node_label(self, node: int) -> str:
        """Return ``schema.table.column``, or ``schema.table`` for a dataset."""
        dataset = self.datasets[self.node_dataset(node)]
        return dataset.title if node >= len(self.fields) else f"{dataset.title}.{self.fields[node].name}"

    def link_label(self, position: int) -> str:
        """Return what happens on a link in few words: same, renamed, or the expression as it is written."""
        label = self._certain_label(position)
        return f"possibly {label}" if self.links[position].possible else label

    def _certain_label(self, position: int) -> str:
        link = self.links[position]
        source, target = int(self.graph.sources[position]), int(self.graph.targets[position])
        if link.kind == LinkKind.VALUE and link.how == How.IDENTITY and target < len(self.fields):
            same = self.fields[source].name == self.fields[target].name
            is_column = self.fields[target].kind == FieldKind.COLUMN
            return "same" if same else "renamed" if is_column else "shown"
        if link.expression is None or link.kind == LinkKind.CONDITION:
            return link.how.replace("_", " ")
        start, end = link.expression
        text = " ".join(self.definitions[link.definition].text[start:end].split())
        if text == "*":
            return "same"
        return text if len(text) <= _LABEL_LENGTH else text[: _LABEL_LENGTH - 1] + "…"


def _until(gone_since: datetime | None, as_of: datetime | None) -> datetime | None:
    """Since when something is gone, as of a time at which it may still have been there."""
    return None if gone_since is None or (as_of is not None and gone_since > as_of) else gone_since


def _dataset_info(dataset: Any, system: Any, container: Any, as_of: datetime | None) -> DatasetInfo:
    scanned_at = dataset.scanned_at
    if as_of is not None and scanned_at is not None and scanned_at > as_of:
        # It was found again since; until then its system was scanned when that says.
        scanned_at = system.scanned_at
    return DatasetInfo(
        id=dataset.id,
        name=dataset.name,
        title=dataset.title or title_of(dataset.name),
        kind=dataset.kind,
        system=system.kind,
        namespace=system.namespace,
        container=container.path or system.namespace,
        description=dataset.description,
        owner=dataset.owner or container.owner,
        address=dataset.address,
        rows=dataset.rows,
        bytes=dataset.bytes,
        facts=dataset.facts,
        placeholder=dataset.placeholder,
        first_seen=dataset.first_seen,
        scanned_at=scanned_at,
        gone_since=_until(dataset.gone_since, as_of),
        fields=[],
        joined=[],
    )
