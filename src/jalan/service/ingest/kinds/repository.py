"""A repository of SQL files and reports: a folder as it stands, or a git repository at a revision."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import select

from jalan.catalog.kinds import DefinitionKind, FieldKind
from jalan.catalog.names import full_table_name, server_namespace
from jalan.lineage.script import extract
from jalan.service.ingest.configuration import RepositoryConfig, local_path
from jalan.service.ingest.kinds.declared import write_declarations
from jalan.service.ingest.preview import Preview, PreviewPart
from jalan.service.ingest.references import nearest
from jalan.service.ingest.secrets import resolve
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.service.settings import Settings
from jalan.sources.allowed import Allowed
from jalan.sources.errors import FileError, SourceError
from jalan.sources.folder import SUFFIXES, Element, Folder, Report, SqlFile, read_folder, read_tree
from jalan.sources.git import Commit, Repository
from jalan.store.schema import Dataset, Definition, Revision, System

REPORTS_NAMESPACE = "reports"


@dataclass(slots=True)
class Checkout:
    """What was read of a repository.

    commits: those since the last ingestion;
    commit: where it stands, none for a folder.

    afresh: the history was rewritten since the last ingestion, or it is the first one.
    """

    folder: Folder
    commit: str | None = None
    commits: list[Commit] = field(default_factory=list)
    texts: dict[tuple[str, str], str | None] = field(default_factory=dict)
    afresh: bool = True
    prefix: str = ""


def read_repository(config: RepositoryConfig, allowed: Allowed, since: str | None, tell: Any = None) -> Checkout:
    """Read a folder, or a git repository at a revision with the commits since one. Raises SourceError."""
    path = local_path(config.location)
    if config.revision is None:
        if path is None:
            raise SourceError(f"{config.location} is a remote; name the branch or revision to read")
        return Checkout(read_folder(path / config.folder, allowed.files))
    repository = opened(config, allowed)
    commit = repository.resolve(config.revision)
    afresh = since is None or not repository.contains(commit, since)
    commits = repository.commits(commit, None if afresh else since, config.folder, SUFFIXES)
    if tell is not None:
        tell("commits", 0, len(commits))
    places = [(c.revision, path_) for c in commits for path_, change in c.files.items() if change != "removed"]
    texts = dict(zip(places, repository.texts(places), strict=True))
    tree = repository.tree(commit, config.folder, SUFFIXES)
    if not tree:
        raise SourceError(f"{config.location} at {config.revision} holds no SQL and no YAML files")
    folder = read_tree(tree, f"{config.location} at {config.revision}")
    prefix = f"{config.folder.strip('/')}/" if config.folder.strip("/") else ""
    return Checkout(folder, commit, commits, texts, afresh, prefix)


def opened(config: RepositoryConfig, allowed: Allowed) -> Repository:
    """Return the git repository that a source reads. Raises SourceError."""
    mirrors = Path(Settings().mirrors) if local_path(config.location) is None else None
    credentials = resolve(config.credentials.get_secret_value()) if config.credentials is not None else None
    return Repository(
        config.location, mirrors, Settings().git_protocols.split(), allowed=allowed, credentials=credentials
    )


def load(config: RepositoryConfig, work: UnitOfWork) -> None:
    """Read a repository into the store. Raises SourceError, Cancelled."""
    found = read_repository(config, work.allowed, work.state.get("commit"), work.tell)
    work.totals = {
        "files": len(found.folder.files),
        "reports": len(found.folder.reports),
        "elements": sum(len(report.elements) for report in found.folder.reports),
    }
    if found.commit is not None:
        work.totals["commits"] = len(found.commits)
    if found.folder.problems:
        work.totals["files not read"] = len({problem.path for problem in found.folder.problems})
    for problem in found.folder.problems:
        work.log.note_file("unreadable_file", problem)
    known_by = config.known_as or work.source.name
    with work.writing() as (catalogue, _):
        touched = _FolderWriter(work, found, known_by, config.server).write()
        for system, database in sorted(touched, key=lambda pair: (pair[0].namespace, pair[1])):
            work.relink(system, database)
        prefix = f"declared:{known_by}:"
        if found.folder.declarations or work.definitions.keys(prefix):
            write_declarations(work, found.folder.declarations, prefix, found.folder.unread)
        _write_revisions(work, found, known_by)
        if found.commit is not None:
            work.leave("commit", found.commit)
        catalogue.session.flush()


class _FolderWriter:
    def __init__(self, work: UnitOfWork, found: Checkout, known_by: str, server: str | None) -> None:
        self._work = work
        self._catalogue, self._definitions = work.catalogue, work.definitions
        self._found = found.folder
        self._problems: list[FileError] = []
        self._known_by = known_by
        self._server = server
        self._keys: set[str] = set()
        self._provenance = _Provenance(work, found, known_by)

    def write(self) -> set[tuple[System, str]]:
        touched: set[tuple[System, str]] = set()
        found, catalogue = self._found, self._catalogue
        for pipeline in found.pipelines:
            job = self._definitions.job(self._known_by, pipeline.name, None)
            catalogue.update(job, "jobs changed", schedule=pipeline.schedule, owner=pipeline.owner)
        for file in found.files:
            with self._told():
                system = self._system(file.server, file.database, file.path)
                self._file(system, file)
                touched.add((system, file.database))
        systems = {database: system for system, database in touched}
        for (database, schema), owner in found.owners.items():
            if database in systems:
                container = catalogue.container(systems[database], f"{database}.{schema}")
                catalogue.update(container, "containers changed", owner=owner)
        for report in found.reports:
            with self._told():
                system = self._system(report.server, report.database, report.path)
                for element in report.elements:
                    self._check_dataset(system, report, element)
                self._report(system, report)
                touched.add((system, report.database))
        if self._problems and not touched:
            raise self._problems[0]
        self._keep_unread()
        self._reports_gone()
        self._definitions.close_missing(f"file:{self._known_by}:", self._keys)
        self._definitions.close_missing(f"element:{self._known_by}:", self._keys)
        return touched

    @contextmanager
    def _told(self) -> Iterator[None]:
        """A file that cannot be placed is told, and the others are written."""
        try:
            yield
        except FileError as error:
            self._problems.append(error)
            self._found.cannot(error, error.path)
            self._work.log.note_file("unusable_file", error)

    def _keep_unread(self) -> None:
        """What a file said that cannot be read now may still hold: nothing of it is closed."""
        unread = self._found.unread
        for prefix in (f"file:{self._known_by}:", f"element:{self._known_by}:"):
            self._keys |= {key for key, place in self._definitions.keys(prefix).items() if place in unread}

    def _system(self, server: str | None, database: str, path: str) -> System:
        server = server or self._server
        if server is not None:
            try:
                return self._catalogue.system(server_namespace(server), "postgresql")
            except ValueError as error:
                raise FileError(path, 1, str(error)) from error
        known = self._catalogue.systems_with(database)
        if len(known) == 1:
            return known[0]
        if known:
            places = ", ".join(system.namespace for system in known)
            message = f"several servers have a database “{database}” ({places}); say which: --server"
            raise FileError(path, 1, message)
        message = (
            f"no server with a database “{database}” is known yet; scan it first, or name it: --server host:port"
        )
        raise FileError(path, 1, message)

    def _file(self, system: System, file: SqlFile) -> None:
        self._catalogue.container(system, file.database)
        job = None
        if file.job is not None or file.pipeline is not None:
            parent = self._definitions.job(self._known_by, file.pipeline, None) if file.pipeline else None
            step = ".".join(file.path.removesuffix(".sql").rsplit("/", 2)[-2:])
            name = file.job or f"{file.pipeline}.{step}"
            job = self._definitions.job(self._known_by, name, parent)
            if file.job is not None:
                self._catalogue.update(job, "jobs changed", schedule=file.schedule, owner=file.owner)
        key = f"file:{self._known_by}:{file.path}"
        self._keys.add(key)
        self._definitions.define(
            key,
            self._provenance.of(file.path),
            kind=DefinitionKind.FILE,
            place=file.path,
            first_line=1,
            dialect=file.dialect,
            search_path=file.search_path,
            template=file.template,
            text=file.text,
            system_id=system.id,
            database=file.database,
            job_id=job.id if job else None,
        )

    def _report(self, system: System, report: Report) -> None:
        catalogue = self._catalogue
        place = catalogue.system(REPORTS_NAMESPACE, "reports")
        catalogue.container(system, report.database)
        dataset = catalogue.report(place, report.folder, report.slug)
        catalogue.update(
            dataset,
            "reports changed",
            title=report.title,
            owner=report.owner,
            address=report.link,
            description=report.description,
            gone_since=None,
        )
        for ordinal, element in enumerate(report.elements, 1):
            field_ = catalogue.field(dataset, element.name, element.kind)
            catalogue.update(
                field_,
                "elements changed",
                kind=element.kind,
                ordinal=ordinal,
                description=element.description,
                placeholder=False,
                gone_since=None,
            )
            key = f"element:{self._known_by}:{report.slug}:{element.name}"
            self._keys.add(key)
            self._definitions.define(
                key,
                self._provenance.of(report.path),
                kind=DefinitionKind.ELEMENT_COLUMNS if element.declared else DefinitionKind.ELEMENT,
                place=report.path,
                first_line=element.line,
                dialect="postgresql",
                search_path=report.search_path,
                text=element.sql,
                system_id=system.id,
                database=report.database,
                dataset_id=dataset.id,
                field_id=field_.id,
            )
        catalogue.fields_gone(dataset, {element.name for element in report.elements}, "elements gone")

    def _check_dataset(self, system: System, report: Report, element: Element) -> None:
        """A dataset that an element names must be known once its database has been scanned."""
        if element.dataset is None:
            return
        prefix = f"{report.database}."
        written = element.dataset.replace('"', "")
        names = [full_table_name(written, report.database, [schema]) for schema in report.search_path]
        for name in names:
            found = self._catalogue.find(system, name)
            if found is not None and not found.placeholder and found.gone_since is None:
                self._check_columns(found, report, element)
                return
        known = [
            name
            for name, dataset in self._catalogue.datasets(system, prefix).items()
            if not dataset.placeholder and dataset.gone_since is None
        ]
        if known:
            near = nearest(written, [name.removeprefix(prefix) for name in known])
            message = f"there is no dataset “{element.dataset}” in {report.database}{near}"
            raise FileError(report.path, element.line, message)

    def _check_columns(self, dataset: Dataset, report: Report, element: Element) -> None:
        """The columns that the expressions of an element name must be those of its dataset."""
        fields = self._catalogue.fields(dataset).values()
        columns = [f.name for f in fields if f.gone_since is None and f.kind == FieldKind.COLUMN]
        key = dataset.name.removeprefix(f"{report.database}.")
        for problem in extract(element.sql, tables={key: columns}, search_path=report.search_path).diagnostics:
            if problem.code == "unknown_column":
                word = element.sql[slice(*problem.span)]
                message = f"in “{element.name}”: {element.dataset} has no column “{word}”{nearest(word, columns)}"
                raise FileError(report.path, element.line, message)

    def _reports_gone(self) -> None:
        """A report whose file this repository had and has no longer is gone, not deleted."""
        place = self._catalogue.system(REPORTS_NAMESPACE, "reports")
        kept = {key.split(":")[2] for key in self._keys if key.startswith("element:")}
        prefix = f"element:{self._known_by}:"
        before = {key.split(":")[2] for key in self._definitions.keys(prefix)}
        for slug in before - kept:
            dataset = self._catalogue.find(place, slug)
            if dataset is not None:
                self._catalogue.update(dataset, "reports gone", gone_since=self._catalogue.now)


class _Provenance:
    """Which commit gave each file its text."""

    def __init__(self, work: UnitOfWork, found: Checkout, known_by: str) -> None:
        self._last: dict[str, dict[str, str | datetime | None]] = {}
        if found.commit is None:
            return
        if not found.afresh:
            query = select(Definition).where(
                Definition.source_id == work.source.id,
                Definition.valid_to.is_(None),
                Definition.revision.is_not(None),
            )
            for row in work.session.scalars(query):
                self._last[row.place] = {
                    "revision": row.revision,
                    "authored_at": row.authored_at,
                    "author": row.author,
                }
        for commit in found.commits:
            for path in commit.files:
                self._last[path.removeprefix(found.prefix)] = {
                    "revision": commit.revision,
                    "authored_at": commit.authored_at,
                    "author": commit.author,
                }

    def of(self, path: str) -> dict[str, str | datetime | None]:
        """Return revision, authored_at and author; nothing of a folder that is no repository."""
        return self._last.get(path, {"revision": None, "authored_at": None, "author": None})


def _write_revisions(work: UnitOfWork, found: Checkout, known_by: str) -> None:
    """Every commit that changed a file becomes a point in the history of what the file defines."""
    known: set[tuple[str, str]] = set()
    if found.commits:
        query = select(Revision.key, Revision.revision).where(Revision.source_id == work.source.id)
        known = {(key, revision) for key, revision in work.session.execute(query)}
    for commit in found.commits:
        for path, change in commit.files.items():
            shown = path.removeprefix(found.prefix)
            key = f"{known_by}:{shown}"
            if (key, commit.revision) in known:
                continue
            known.add((key, commit.revision))
            work.session.add(
                Revision(
                    id=work.catalogue.ids.next("revision"),
                    source_id=work.source.id,
                    key=key,
                    revision=commit.revision,
                    change=change,
                    path=shown,
                    authored_at=commit.authored_at,
                    author=commit.author,
                    summary=commit.summary,
                    text=found.texts.get((commit.revision, path)),
                )
            )
            work.catalogue.changes["revisions"] += 1


def preview(config: RepositoryConfig, allowed: Allowed) -> Preview:
    """Read a repository, and say what is in it. Raises SourceError."""
    found = read_repository(config, allowed, None)
    files = [file.path for file in found.folder.files]
    reports = [report.title for report in found.folder.reports]
    facts = [] if found.commit is None else [f"commit {found.commit[:12]}", f"{len(found.commits)} commits"]
    parts = [
        PreviewPart(what="SQL files", count=len(files), examples=files[:8]),
        PreviewPart(what="reports", count=len(reports), examples=reports[:8]),
    ]
    if found.folder.declarations:
        names = [one.path for one in found.folder.declarations]
        parts.append(PreviewPart(what="files of declarations", count=len(names), examples=names[:8]))
    return Preview(facts=facts, parts=parts, warnings=[str(problem) for problem in found.folder.problems[:8]])
