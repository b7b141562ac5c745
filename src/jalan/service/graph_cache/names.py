"""What the graph does not hold: names, texts and facts, read by id for what is shown."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Integer, case, cast, func, select
from sqlalchemy.orm import DeclarativeBase, Session

from jalan.catalog.kinds import DefinitionKind, FieldKind, How, LinkKind, definition_kind
from jalan.catalog.names import title_of
from jalan.service.graph_cache.view import GraphView
from jalan.store.among import is_among
from jalan.store.lines import line_at
from jalan.store.past import as_at
from jalan.store.schema import Container, Dataset, Definition, Field, Job, Link, System

_LABEL_LENGTH = 160
_READ_FOR_LABEL = 300


@dataclass(slots=True)
class DatasetInfo:
    """A dataset with the names that people see. joined: ids of the datasets that are this one by an alias."""

    id: int
    name: str
    title: str
    kind: str
    system: str
    namespace: str
    container: str
    description: str | None
    owner: str | None
    address: str | None
    rows: int | None
    bytes: int | None
    facts: dict[str, Any]
    placeholder: bool
    first_seen: datetime
    scanned_at: datetime | None
    gone_since: datetime | None
    joined: list[int]


@dataclass(slots=True)
class FieldInfo:
    """A field; ``dataset`` is the id of the dataset in whose name it stands."""

    id: int
    dataset: int
    name: str
    kind: str
    type: str | None
    ordinal: int
    description: str | None
    facts: dict[str, Any]
    placeholder: bool
    gone_since: datetime | None


@dataclass(slots=True)
class DefinitionInfo:
    """A definition with the job that runs it, without its text."""

    id: int
    kind: str
    place: str
    job: str | None
    version: int
    valid_from: datetime
    first_line: int
    dialect: str
    search_path: list[str]
    template: dict[str, Any] | None
    database: str
    namespace: str
    key: str
    job_namespace: str | None
    revision: str | None
    authored_at: datetime | None
    author: str | None

    @property
    def by(self) -> str:
        """What stands in the gutter: the job, or else what of the database's does it, or the file."""
        if self.kind == DefinitionKind.DECLARATION:
            return f"declared {self.place}" if self.place.startswith("on ") else f"declared in {self.place}"
        kind = definition_kind(self.kind)
        if kind.about.made_by_database:
            return f"{kind.label} {self.place}"
        return self.job or self.place


@dataclass(slots=True)
class LinkInfo:
    """A link with its evidence.

    source, target: ids of fields; target is none where rows of ``dataset`` are decided.
    line: of the file, where the source is named first. written: what makes the target, as far as a label needs it.
    """

    id: int
    source: int
    dataset: int
    target: int | None
    kind: str
    how: str
    origin: str
    definition: int
    statement: int | None
    spans: list[tuple[int, int]]
    expression: tuple[int, int] | None
    path: str
    possible: bool
    line: int
    written: str | None


class Names:
    """Reads what is shown of the things in a graph, as it was at the time of the graph. Each is read once."""

    def __init__(self, session: Session, view: GraphView) -> None:
        self._session = session
        self._view = view
        self._as_of = view.as_of
        self._datasets: dict[int, DatasetInfo] = {}
        self._fields: dict[int, FieldInfo] = {}
        self._definitions: dict[int, DefinitionInfo] = {}
        self._links: dict[int, LinkInfo] = {}

    # --- datasets ------------------------------------------------------------------------------------

    def datasets(self, ids: Iterable[int]) -> dict[int, DatasetInfo]:
        """Return datasets by id."""
        wanted = set(ids)
        missing = wanted - self._datasets.keys()
        if missing:
            query = select(*Dataset.__table__.columns).where(is_among(Dataset.id, missing))
            rows = list(as_at(self._session, Dataset, self._session.execute(query), self._as_of))
            systems = self._by_id(System, {row.system_id for row in rows})
            containers = self._by_id(Container, {row.container_id for row in rows})
            for row in rows:
                info = self._dataset(row, systems[row.system_id], containers[row.container_id])
                self._datasets[info.id] = info
        return {id_: self._datasets[id_] for id_ in wanted if id_ in self._datasets}

    def dataset(self, position: int) -> DatasetInfo:
        """Return the dataset at a position."""
        id_ = self._view.dataset_id(position)
        return self.datasets([id_])[id_]

    def datasets_at(self, positions: Iterable[int]) -> dict[int, DatasetInfo]:
        """Return datasets by position."""
        ids = {position: self._view.dataset_id(position) for position in positions}
        found = self.datasets(ids.values())
        return {position: found[id_] for position, id_ in ids.items()}

    def _by_id(self, model: type[DeclarativeBase], ids: set[int]) -> dict[int, Any]:
        table = model.__table__
        query = select(*table.columns).where(is_among(table.c.id, ids))
        return {row.id: row for row in as_at(self._session, model, self._session.execute(query), self._as_of)}

    def _dataset(self, dataset: Any, system: Any, container: Any) -> DatasetInfo:
        as_of, scanned_at = self._as_of, dataset.scanned_at
        if as_of is not None and scanned_at is not None and scanned_at > as_of:
            # It was found again since; until then its system was scanned when that says.
            scanned_at = system.scanned_at
        namespace, name = system.namespace, dataset.name
        meant = self._view.aliases.resolve((namespace, name))
        # One that is known by a name under which there is nothing else.
        if meant != (namespace, name) and dataset.id not in self._view.read_as_others:
            namespace, name = meant
        return DatasetInfo(
            id=dataset.id,
            name=name,
            title=dataset.title or title_of(dataset.name),
            kind=dataset.kind,
            system=system.kind,
            namespace=namespace,
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
            joined=self._view.joined.get(dataset.id, []),
        )

    # --- fields --------------------------------------------------------------------------------------

    def fields(self, ids: Iterable[int]) -> dict[int, FieldInfo]:
        """Return fields by id."""
        wanted = set(ids)
        missing = wanted - self._fields.keys()
        if missing:
            query = select(*Field.__table__.columns).where(is_among(Field.id, missing))
            for row in as_at(self._session, Field, self._session.execute(query), self._as_of):
                self._fields[row.id] = FieldInfo(
                    row.id,
                    row.dataset_id,
                    row.name,
                    row.kind,
                    row.type,
                    row.ordinal,
                    row.description,
                    row.facts,
                    row.placeholder,
                    _until(row.gone_since, self._as_of),
                )
        return {id_: self._fields[id_] for id_ in wanted if id_ in self._fields}

    def fields_at(self, positions: Iterable[int]) -> dict[int, FieldInfo]:
        """Return fields by position."""
        ids = {position: self._view.field_id(position) for position in positions}
        found = self.fields(ids.values())
        return {position: found[id_] for position, id_ in ids.items()}

    def in_order(self, fields: dict[int, FieldInfo]) -> list[int]:
        """Return positions of fields of one dataset in the order of its columns, those of joined datasets last."""
        joined = self._view.read_as_others
        return sorted(
            fields,
            key=lambda at: (fields[at].dataset in joined, fields[at].dataset, fields[at].ordinal, fields[at].id),
        )

    # --- definitions and links -----------------------------------------------------------------------

    def definitions(self, ids: Iterable[int]) -> dict[int, DefinitionInfo]:
        """Return definitions by id, without their texts."""
        wanted = set(ids)
        missing = wanted - self._definitions.keys()
        if missing:
            left_out = ("text", "asked", "coverage")
            columns = [column for column in Definition.__table__.columns if column.name not in left_out]
            query = select(*columns, Job.name.label("job"), Job.namespace.label("jobs"), System.namespace)
            query = query.outerjoin(Job, Job.id == Definition.job_id)
            query = query.join(System, System.id == Definition.system_id).where(is_among(Definition.id, missing))
            for row in as_at(self._session, Definition, self._session.execute(query), self._as_of):
                self._definitions[row.id] = DefinitionInfo(
                    row.id,
                    row.kind,
                    row.place,
                    row.job,
                    row.version,
                    row.valid_from,
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
        return {id_: self._definitions[id_] for id_ in wanted if id_ in self._definitions}

    def links(self, ids: Iterable[int]) -> dict[int, LinkInfo]:
        """Return links by id."""
        wanted = set(ids)
        missing = wanted - self._links.keys()
        if missing:
            begin = cast(Link.expression[0].astext, Integer)
            length = cast(Link.expression[1].astext, Integer) - begin
            written = func.substr(Definition.text, begin + 1, func.least(length, _READ_FOR_LABEL))
            query = (
                select(
                    *Link.__table__.columns,
                    # A whole copy says nothing about how; its text is not looked at.
                    case((Link.how != How.IDENTITY, written)).label("written"),
                    line_at(cast(Link.spans[0][0].astext, Integer)).label("line"),
                )
                .join(Definition, Definition.id == Link.definition_id)
                .where(is_among(Link.id, missing))
            )
            for row in self._session.execute(query):
                self._links[row.id] = LinkInfo(
                    row.id,
                    row.source_field_id,
                    row.target_dataset_id,
                    row.target_field_id,
                    row.kind,
                    row.how,
                    row.origin,
                    row.definition_id,
                    row.statement_id,
                    [(start, end) for start, end in row.spans],
                    (row.expression[0], row.expression[1]) if row.expression else None,
                    row.path,
                    row.possible,
                    row.line,
                    row.written,
                )
        return {id_: self._links[id_] for id_ in wanted if id_ in self._links}

    # --- labels --------------------------------------------------------------------------------------

    def label(self, node: int) -> str:
        """Return ``schema.table.column``, or ``schema.table`` for the rows of a dataset."""
        dataset = int(self._view.graph.field_dataset[node]) if node >= 0 else ~node
        title = self.dataset(dataset).title
        return title if node < 0 else f"{title}.{self.fields_at([node])[node].name}"

    def link_label(self, link: LinkInfo, source: FieldInfo, target: FieldInfo | None, possible: bool) -> str:
        """Return what happens on a link in few words: same, renamed, or the expression as it is written."""
        label = _certain_label(link, source, target)
        return f"possibly {label}" if possible else label


def _certain_label(link: LinkInfo, source: FieldInfo, target: FieldInfo | None) -> str:
    if link.kind == LinkKind.VALUE and link.how == How.IDENTITY and target is not None:
        is_column = target.kind == FieldKind.COLUMN
        return "same" if source.name == target.name else "renamed" if is_column else "shown"
    if link.written is None or link.kind == LinkKind.CONDITION:
        return link.how.replace("_", " ")
    text = " ".join(link.written.split())
    if text == "*":
        return "same"
    return text if len(text) <= _LABEL_LENGTH else text[: _LABEL_LENGTH - 1] + "…"


def _until(gone_since: datetime | None, as_of: datetime | None) -> datetime | None:
    """Since when something is gone, as of a time at which it may still have been there."""
    return None if gone_since is None or (as_of is not None and gone_since > as_of) else gone_since
