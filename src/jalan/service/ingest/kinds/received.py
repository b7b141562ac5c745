"""Brings what received events tell of data into the catalogue: datasets, other names, and links.

Of a job its latest run that has told all counts; of an event about a job, the latest. Where a job's events carry
its SQL and nothing else tells of that job, our own extraction reads it; where they tell of columns as well, the two
are compared, and what differs is a diagnostic.
"""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from hashlib import blake2b
from typing import Any

from sqlalchemy import false, or_, select, text
from sqlalchemy.orm import Session, aliased

from jalan.catalog.kinds import DefinitionKind, LinkKind
from jalan.catalog.names import normal_namespace
from jalan.formats.openlineage_graph import BROKEN_FACET, broken_facet, read_dataset, read_event
from jalan.runs.events import canonical, read_json
from jalan.runs.facets import Code, code
from jalan.runs.fold import RunFold, Side
from jalan.runs.through import names_temporary, reads_temporary, seen_through, writes_temporary
from jalan.service.ingest.event_writer import EventWriter
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sql.dialects import DIALECTS
from jalan.store.repositories.definitions import NewDiagnostic
from jalan.store.schema import Dataset, DatasetName, Definition, Field, Job, Link, Run, System

AT_ONCE = 500
_SESSION = 500  # runs
_DIALECTS = {"postgres": "postgresql", "mssql": "tsql", "awsathena": "trino"}
_SHOWN = 5


def tell_received(work: UnitOfWork) -> int:
    """Write what is not told yet, as much as fits into one transaction; returns how much that was.

    Cost: what is told now, whatever else there is.
    """
    teller = _Teller(work)
    done = teller.datasets() + teller.jobs()
    work.totals = {"datasets": teller.told_datasets, "jobs": teller.told_jobs}
    return done


def settle(session: Session) -> bool:
    """Note which jobs tell of nothing new after all; returns whether anything is left to tell."""
    rows = list(session.scalars(select(Job).where(Job.untold).order_by(Job.id).limit(AT_ONCE).with_for_update()))
    left = False
    for job in rows:
        if job.told == _word(_told(session, job)):
            job.untold = False
        else:
            left = True
    session.flush()
    return left or session.scalars(select(DatasetName.id).where(DatasetName.untold).limit(1)).first() is not None


@dataclass(slots=True)
class _Told:
    """What a job's events tell: the event as the standard has it, and its code."""

    body: dict[str, Any]
    code: Code | None


class _Teller:
    def __init__(self, work: UnitOfWork) -> None:
        self._work = work
        self._writer = EventWriter(work)
        self._prefix = f"event:{work.source.name}:"
        self.told_datasets = self.told_jobs = 0

    @contextmanager
    def _noted(self, what: DatasetName | Job) -> Iterator[None]:
        """What is wrong with one is noted, and the others are told."""
        try:
            yield
        except BROKEN_FACET as error:
            self._work.log.note("error", "unreadable_facet", broken_facet(error), f"{what.namespace} {what.name}")

    # --- datasets ------------------------------------------------------------------------------------

    def datasets(self) -> int:
        """Write datasets of which something is not told yet."""
        query = select(DatasetName).where(DatasetName.untold).order_by(DatasetName.id).limit(AT_ONCE)
        rows = list(self._work.session.scalars(query.with_for_update()))
        for row in rows:
            row.untold = False
            facets = {name: facet for name, (_, facet) in row.facets.items()}
            if names_temporary((row.namespace, row.name), facets):
                continue  # it is seen through
            with self._noted(row):
                self._dataset(row, facets)
        self.told_datasets = len(rows)
        return len(rows)

    def _dataset(self, row: DatasetName, facets: dict[str, Any]) -> None:
        body = {"namespace": row.namespace, "name": row.name, "facets": facets}
        dataset = self._writer.dataset(read_dataset(body))
        row.dataset_id = dataset.id
        lifecycle = facets.get("lifecycleStateChange") or {}
        change = lifecycle.get("lifecycleStateChange")
        if change == "DROP" and dataset.gone_since is None:
            self._work.catalogue.update(dataset, "datasets gone", gone_since=self._work.catalogue.now)
        elif change in ("CREATE", "OVERWRITE", "TRUNCATE", "ALTER", "RENAME"):
            self._work.catalogue.update(dataset, "datasets changed", gone_since=None)
        if change == "RENAME":
            before = lifecycle["previousIdentifier"]
            self._writer.alias((before["namespace"], before["name"]), dataset, "renamed")

    # --- jobs ----------------------------------------------------------------------------------------

    def jobs(self) -> int:
        """Write the links of jobs that may tell of others than before."""
        query = select(Job).where(Job.untold).order_by(Job.id).limit(AT_ONCE)
        rows = list(self._work.session.scalars(query.with_for_update()))
        touched: set[tuple[System, str]] = set()
        compared: list[tuple[Definition, set[Definition]]] = []
        for job in rows:
            job.untold = False
            told = _told(self._work.session, job)
            word = _word(told)
            if job.told == word:
                continue
            self.told_jobs += 1
            job.told = word
            for part, one in told.items():
                with self._noted(job):
                    self._job(job, part, one, touched, compared)
        self._work.definitions.flush()
        for system, database in sorted(touched, key=lambda one: (one[0].id, one[1])):
            self._work.relink(system, database)
        for event, statements in compared:
            self._compare(event, statements)
        return len(rows)

    def _job(
        self,
        job: Job,
        part: str,
        told: _Told,
        touched: set[tuple[System, str]],
        compared: list[tuple[Definition, set[Definition]]],
    ) -> None:
        _, record = read_event(told.body)
        assert record is not None
        definitions = self._work.definitions
        key = f"{'' if part == 'run' else 'job:'}{job.namespace}:{job.name}"
        mine = (f"{self._prefix}{key}", f"statement:{key}")
        others = self._others(job)
        columns = any("columnLineage" in (one.get("facets") or {}) for one in told.body.get("outputs") or ())
        own = "jalan_definition" in (told.body["job"].get("facets") or {})
        sql = told.code is not None and told.code.kind == "sql"
        if own or columns or not (sql or others):
            if not own:
                record.key, record.job, record.job_namespace = key, job.name, job.namespace
            self._writer.definition(self._prefix, record)
        else:
            definitions.close_key(mine[0])
        if sql and told.code is not None and not others and not own:
            self._statement(job, mine[1], told, touched)
        else:
            definitions.close_key(mine[1])
        if columns and not own and (sql or others):
            event = definitions.find(mine[0])
            statement = definitions.find(mine[1])
            if event is not None:
                compared.append((event, {*others, *([statement] if statement else [])}))

    def _others(self, job: Job) -> set[Definition]:
        """What else defines the job: files of a repository."""
        query = select(Definition).where(
            Definition.job_id == job.id,
            Definition.valid_to.is_(None),
            Definition.kind.not_in([DefinitionKind.EVENT, DefinitionKind.STATEMENT]),
        )
        return set(self._work.session.scalars(query))

    def _statement(self, job: Job, key: str, told: _Told, touched: set[tuple[System, str]]) -> None:
        """Let our own extraction read the SQL of a job."""
        assert told.code is not None
        listed = [*(told.body.get("outputs") or ()), *(told.body.get("inputs") or ())]
        if not listed:
            self._work.log.note(
                "info", "no_datasets", "its events name no dataset, so nobody knows where its SQL runs", job.name
            )
            return
        catalogue = self._work.catalogue
        first = catalogue.named(listed[0]["namespace"], listed[0]["name"])
        system = next(one for one in catalogue.systems() if one.id == first.system_id)
        names = [
            dataset.name.split(".")
            for one in listed
            if (dataset := catalogue.named(one["namespace"], one["name"])).system_id == system.id
        ]
        database = names[0][0] if len(names[0]) > 2 else ""
        schemas = dict.fromkeys(parts[-2] for parts in names if len(parts) > 1)
        self._work.definitions.define(
            key,
            kind=DefinitionKind.STATEMENT,
            place=told.code.place or job.name,
            first_line=1,
            dialect=_dialect(told.code.dialect, system.namespace),
            search_path=list(schemas),
            text=told.code.text,
            system_id=system.id,
            database=database,
            job_id=job.id,
        )
        touched.add((system, database))

    # --- comparing -----------------------------------------------------------------------------------

    def _compare(self, event: Definition, statements: set[Definition]) -> None:
        """Where the event and our reading of the code differ in columns, say so."""
        here, there = self._values({event.id}), self._values({one.id for one in statements})
        outputs = {target for _, target in here} & {target for _, target in there}
        found = set()
        for what, pairs in (
            ("the event tells of it, the code does not", here - there),
            ("the code tells of it, the event does not", there - here),
        ):
            told = sorted(pair for pair in pairs if pair[1] in outputs)
            if told:
                shown = "; ".join(f"{source} → {target}" for source, target in told[:_SHOWN])
                more = f" and {len(told) - _SHOWN} more" if len(told) > _SHOWN else ""
                hint = "one of the two is mistaken, or the code that ran is another one"
                found.add(
                    NewDiagnostic("event_differs", "warning", f"{what}: {shown}{more}", hint, 0, len(event.text))
                )
        self._work.definitions.diagnostics(event, found)
        self._work.definitions.flush()

    def _values(self, definitions: set[int]) -> set[tuple[str, str]]:
        """The columns that values come from and go to, by name."""
        source, target = aliased(Field), aliased(Field)
        source_dataset, target_dataset = aliased(Dataset), aliased(Dataset)
        query = (
            select(source_dataset.name, source.name, target_dataset.name, target.name)
            .select_from(Link)
            .join(source, source.id == Link.source_field_id)
            .join(source_dataset, source_dataset.id == source.dataset_id)
            .join(target, target.id == Link.target_field_id)
            .join(target_dataset, target_dataset.id == target.dataset_id)
            .where(Link.definition_id.in_(definitions), Link.valid_to.is_(None), Link.kind == LinkKind.VALUE)
        )
        return {(f"{a}.{b}", f"{c}.{d}") for a, b, c, d in self._work.session.execute(query)}


def _told(session: Session, job: Job) -> dict[str, _Told]:
    """What the latest run that told all, and the latest event about the job itself, say."""
    found = {}
    query = select(Run).where(Run.job_id == job.id, Run.version.is_not(None))
    row = session.scalars(query.order_by(Run.started_at.desc(), Run.run_id.desc()).limit(1)).first()
    if row is not None:
        fold = RunFold.read(row.fold)
        if reads_temporary(fold) or writes_temporary(fold):
            fold = seen_through(fold, _session_of(session, row))
        found["run"] = _Told(_body(job, fold), code(fold))
    event = session.execute(
        text(
            "select raw from event where namespace = :namespace and name = :name and type = 'JOB' "
            "order by at desc, digest desc limit 1"
        ),
        {"namespace": job.namespace, "name": job.name},
    ).scalar()
    if event is not None:
        body = read_json(event.encode())
        one = RunFold()
        one.job_facets = {name: ((0, ""), facet) for name, facet in (body["job"].get("facets") or {}).items()}
        found["job"] = _Told(body, code(one))
    return found


def _session_of(session: Session, run: Run) -> list[RunFold]:
    """The other runs of a run's session, those that the same run has called, before it; the latest first."""
    if run.parent is None:
        return []
    mates = or_(Run.parent == run.parent, Run.run_id == run.parent, (Run.root == run.root) if run.root else false())
    query = select(Run.fold).where(mates, Run.started_at <= run.started_at, Run.id != run.id, Run.events > 0)
    rows = session.scalars(query.order_by(Run.started_at.desc()).limit(_SESSION))
    return [RunFold.read(fold) for fold in rows]


def _body(job: Job, run: RunFold) -> dict[str, Any]:
    """What a run tells, as an event about its job."""
    return {
        "job": {"namespace": job.namespace, "name": job.name, "facets": _plain(run.job_facets)},
        "inputs": _listed(run.inputs),
        "outputs": _listed(run.outputs),
    }


def _listed(sides: dict[tuple[str, str], Side]) -> list[dict[str, Any]]:
    return [
        {"namespace": namespace, "name": name, "facets": _plain(side.facets)}
        for (namespace, name), side in sorted(sides.items())
    ]


def _plain(facets: dict[str, Any]) -> dict[str, Any]:
    return {name: facet for name, (_, facet) in sorted(facets.items())}


def _word(told: dict[str, _Told]) -> str:
    """A word for what links are made of: the code, what is read and written, and what is told of columns."""
    parts: list[Any] = []
    for part, one in sorted(told.items()):
        parts.append(
            [part, None if one.code is None else [one.code.kind, one.code.text, one.code.dialect, one.code.place]]
        )
        parts.append((one.body["job"].get("facets") or {}).get("jalan_definition"))
        for side in ("inputs", "outputs"):
            parts += [[side, *_of_dataset(dataset)] for dataset in one.body.get(side) or ()]
    return blake2b(canonical(parts), digest_size=8).hexdigest()


def _of_dataset(dataset: dict[str, Any]) -> Iterable[Any]:
    lineage = (dataset.get("facets") or {}).get("columnLineage")
    return dataset["namespace"], dataset["name"], lineage


def _dialect(written: str, namespace: str) -> str:
    """The dialect that an event names, or that of the system in which it runs."""
    for one in (written.lower(), normal_namespace(namespace).partition("://")[0]):
        found = _DIALECTS.get(one, one)
        if found in DIALECTS:
            return found
    return "postgresql"
