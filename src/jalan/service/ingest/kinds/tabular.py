"""Metadata kept in tables: datasets, and flows between them."""

from collections import defaultdict
from collections.abc import Iterable

from jalan.catalog import repairs
from jalan.catalog.kinds import DefinitionKind, How, LinkKind, LinkOrigin
from jalan.catalog.names import normal_namespace
from jalan.catalog.repairs import FlowTable, Repaired, Row
from jalan.collecting import seldom_collecting
from jalan.service.errors import Invalid
from jalan.service.ingest.configuration import (
    DropDuplicatesRule,
    FillRule,
    FlowMapping,
    IgnoreRule,
    MissingSideRule,
    Rule,
    TabularConfig,
    Where,
)
from jalan.service.ingest.coverage import Coverage
from jalan.service.ingest.preview import Preview, PreviewPart, PreviewTable
from jalan.service.ingest.references import nearest
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed
from jalan.sources.tables import Table, read_table
from jalan.store.repositories.definitions import NewLink
from jalan.store.schema import Dataset

_PREVIEWED = 8


def load_tables(config: TabularConfig, work: UnitOfWork) -> None:
    """Read both tables into the store. Raises SourceError, Invalid, Cancelled."""
    work.tell("reading", 0, 2)
    datasets = _datasets(config, work.allowed)
    work.tell("reading", 1, 2)
    flows, repaired = _flows(config, work.allowed)
    for table in (datasets, flows):
        for error in table.bad:
            work.log.note_file("unusable_row", error)
        if table.more:
            work.log.note("error", "unusable_row", f"{table.more} more rows cannot be read")
    for done in repaired.done:
        work.log.note("info", "repaired", _told(done), config.flows)
    for reason, (count, first) in repaired.broken.items():
        work.log.note("warning", "unusable_row", f"{reason}: {count} rows are left out", f"{config.flows}:{first}")
    with work.writing(), seldom_collecting:
        _TableWriter(config, work).write(datasets, repaired)


def _told(done: repairs.Done) -> str:
    """What a rule did, in words."""
    what = {"changed": done.changed, "added": done.added, "dropped": done.dropped}
    counts = [f"{count} row{'' if count == 1 else 's'} {word}" for word, count in what.items() if count]
    return f"{done.rule}: {', '.join(counts) or 'nothing to do'}"


def _datasets(config: TabularConfig, allowed: Allowed) -> Table:
    found = read_table(config.datasets, allowed.files)
    _check_columns(config.datasets, found.columns, config.dataset_columns.model_dump().values())
    return found


def _flows(config: TabularConfig, allowed: Allowed) -> tuple[Table, Repaired]:
    found = read_table(config.flows, allowed.files)
    mapping = config.flow_columns
    named = {mapping.flow, mapping.dataset, mapping.side, mapping.type, mapping.name}
    for rule in config.rules:
        named |= _columns_of(rule)
    _check_columns(config.flows, found.columns, named)
    lines = {id(row): line for row, line in zip(found.rows, found.lines, strict=True)}
    table = FlowTable(found.rows, mapping.flow, mapping.dataset, mapping.side, mapping.input, mapping.output, lines)
    return found, repairs.check(table, [_apply(rule, table) for rule in config.rules])


def _check_columns(path: str, columns: list[str], named: Iterable[str | None]) -> None:
    for name in named:
        if name is not None and name not in columns:
            near = nearest(name, columns) or f"; there are {', '.join(columns)}"
            raise Invalid(f"{path} has no column “{name}”{near}")


def _columns_of(rule: Rule) -> set[str | None]:
    if isinstance(rule, DropDuplicatesRule):
        return set(rule.by)
    found: set[str | None] = {rule.where.column} if rule.where is not None else set()
    if isinstance(rule, FillRule):
        found |= {rule.column, rule.source}
    elif isinstance(rule, MissingSideRule):
        found.add(rule.source)
    return found


def _apply(rule: Rule, table: FlowTable) -> repairs.Done:
    if isinstance(rule, FillRule):
        return repairs.fill(table, rule.column, rule.source, _test(rule.where))
    if isinstance(rule, MissingSideRule):
        return repairs.missing_side(table, rule.side, rule.source, _test(rule.where))
    if isinstance(rule, DropDuplicatesRule):
        return repairs.drop_duplicates(table, rule.by)
    assert isinstance(rule, IgnoreRule)
    test = _test(rule.where)
    assert test is not None
    return repairs.ignore(table, test)


def _test(condition: Where | None) -> repairs.Test | None:
    return None if condition is None else repairs.where(condition.column, condition.is_in, condition.empty)


class _TableWriter:
    def __init__(self, config: TabularConfig, work: UnitOfWork) -> None:
        self._config = config
        self._work = work
        self._catalogue, self._definitions = work.catalogue, work.definitions
        self._datasets: dict[str, Dataset] = {}

    def write(self, table: Table, repaired: Repaired) -> None:
        work, datasets = self._work, table.rows
        for number, (row, line) in enumerate(zip(datasets, table.lines, strict=True)):
            if number % 1000 == 0:
                work.tell("datasets", number, len(datasets))
            self._dataset_row(row, f"{self._config.datasets}:{line}")
        self._gone(datasets)
        mapping = self._config.flow_columns
        flows: dict[str, list[Row]] = defaultdict(list)
        for row in repaired.rows:
            flows[row[mapping.flow]].append(row)
        prefix = f"flow:{work.source.name}:"
        keys = []
        for number, (flow, rows) in enumerate(flows.items()):
            if number % 1000 == 0:
                work.tell("flows", number, len(flows))
            keys.append(self._flow(prefix, flow, rows, mapping))
        self._definitions.close_missing(prefix, keys)
        work.totals = {"datasets": len(datasets), "flows": len(flows), "rows of flows": len(repaired.rows)}

    def _dataset_row(self, row: Row, place: str) -> None:
        columns = self._config.dataset_columns
        id_ = row[columns.id]
        if not id_:
            self._work.log.note("warning", "unusable_row", f"“{columns.id}” is empty", place)
            return
        if id_ in self._datasets:
            self._work.log.note("warning", "double_id", f"“{id_}” is there twice", place)
            return
        namespace = (row[columns.namespace] if columns.namespace else "") or self._config.namespace
        dataset = self._catalogue.named(namespace, row[columns.name] or id_)
        self._datasets[id_] = dataset
        if dataset.scanned_at is not None and dataset.facts.get("listed in") != self._work.source.name:
            return  # its own system tells more of it
        values = {
            "description": row[columns.description] if columns.description else None,
            "owner": row[columns.owner] if columns.owner else None,
        }
        kind = (row[columns.kind] if columns.kind else "") or dataset.kind
        self._catalogue.update(
            dataset,
            "datasets changed",
            kind=kind,
            placeholder=False,
            gone_since=None,
            facts={"listed in": self._work.source.name},
            **{name: value or None for name, value in values.items()},
        )

    def _gone(self, datasets: list[Row]) -> None:
        """What the table listed before and lists no longer is gone, unless its own system says otherwise."""
        kept = {dataset.id for dataset in self._datasets.values()}
        namespaces = {normal_namespace(self._config.namespace)}
        column = self._config.dataset_columns.namespace
        if column:
            namespaces |= {normal_namespace(row[column]) for row in datasets if row[column]}
        namespaces |= set(self._work.state.get("namespaces", []))
        self._work.leave("namespaces", sorted(namespaces))
        for system in self._catalogue.systems():
            if system.namespace in namespaces:
                for dataset in self._catalogue.datasets(system).values():
                    mine = dataset.facts.get("listed in") == self._work.source.name
                    if mine and dataset.id not in kept and dataset.gone_since is None:
                        self._catalogue.update(dataset, "datasets gone", gone_since=self._catalogue.now)

    def _flow(self, prefix: str, flow: str, rows: list[Row], mapping: FlowMapping) -> str:
        """A flow, with its rows as evidence. Of columns the table says nothing: stars stand for them."""
        first = rows[0]
        name = (first[mapping.name] if mapping.name else "") or flow
        type_ = first[mapping.type] if mapping.type else ""
        names = list(first)
        lines = [", ".join(names)] + [", ".join(row[column] for column in names) for row in rows]
        text = "\n".join(lines) + "\n"
        starts = [0]
        for line in lines:
            starts.append(starts[-1] + len(line) + 1)
        place = {id(row): (starts[n], starts[n] + len(lines[n])) for n, row in enumerate(rows, 1)}
        job = self._definitions.job(self._work.source.name, name, None)
        key = f"{prefix}{flow}"
        definition = self._definitions.define(
            key,
            kind=DefinitionKind.FLOW,
            place=f"flow {name}",
            first_line=1,
            dialect="csv",
            search_path=[],
            text=text,
            system_id=self._named(first[mapping.dataset]).system_id,
            database="",
            job_id=job.id,
        )
        definition.coverage = Coverage(full=1).model_dump()
        statement = self._definitions.statements(definition, [(type_ or "flow", (0, len(text)))])[0]
        wanted = set()
        outputs = [row for row in rows if row[mapping.side] == mapping.output]
        for given in rows:
            if given[mapping.side] != mapping.input:
                continue
            source = self._catalogue.field(self._named(given[mapping.dataset]), "*")
            for made in outputs:
                target = self._named(made[mapping.dataset])
                star = self._catalogue.field(target, "*")
                wanted.add(
                    NewLink(
                        source.id,
                        target.id,
                        star.id,
                        LinkKind.VALUE,
                        How.TRANSFORMATION,
                        statement,
                        (place[id(given)],),
                        place[id(made)],
                    )
                )
        self._definitions.links(definition, LinkOrigin.CATALOGUE, wanted)
        return key

    def _named(self, id_: str) -> Dataset:
        found = self._datasets.get(id_)
        if found is None:
            found = self._datasets[id_] = self._catalogue.named(self._config.namespace, id_)
        return found


def preview(config: TabularConfig, allowed: Allowed) -> Preview:
    """Read both tables, and show what rows become. Raises SourceError, Invalid."""
    listed = _datasets(config, allowed)
    columns, datasets = listed.columns, listed.rows
    table, repaired = _flows(config, allowed)
    mapping = config.flow_columns
    flows = dict.fromkeys(row[mapping.flow] for row in repaired.rows)
    known = {row[config.dataset_columns.id] for row in datasets}
    unlisted = {row[mapping.dataset] for row in repaired.rows} - known
    warnings = [str(error) for error in [*listed.bad, *table.bad][:8]]
    warnings += [f"{reason}: {count} rows are left out" for reason, (count, _) in repaired.broken.items()]
    if unlisted:
        shown = ", ".join(sorted(unlisted)[:3])
        warnings.append(f"{len(unlisted)} datasets of flows are not listed, as {shown}: they become placeholders")
    both = defaultdict(set)
    for row in repaired.rows:
        both[row[mapping.flow]].add((row[mapping.side], row[mapping.dataset]))
    selves = [
        f for f, sides in both.items() if any((mapping.output, d) in sides for s, d in sides if s == mapping.input)
    ]
    return Preview(
        facts=[_told(done) for done in repaired.done],
        parts=[
            PreviewPart(what="datasets", count=len(datasets)),
            PreviewPart(what="flows", count=len(flows), examples=list(flows)[:5]),
            PreviewPart(what="rows of flows", count=len(repaired.rows)),
            PreviewPart(what="flows that feed their own input", count=len(selves), examples=selves[:5]),
        ],
        tables=[
            _shown("Datasets", columns, datasets),
            _shown("Flows after repair", list(repaired.rows[0]) if repaired.rows else [], repaired.rows),
        ],
        warnings=warnings,
    )


def _shown(title: str, columns: list[str], rows: list[Row]) -> PreviewTable:
    return PreviewTable(
        title=title, columns=columns, rows=[[row[column] for column in columns] for row in rows[:_PREVIEWED]]
    )
