"""Query history: who ran what, and what the queries use and write."""

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import select

from jalan.catalog.kinds import DefinitionKind
from jalan.catalog.names import server_namespace
from jalan.service.ingest.configuration import HistoryConfig
from jalan.service.ingest.kinds.postgresql import address
from jalan.service.ingest.preview import Preview, PreviewPart
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed
from jalan.sources.errors import SourceError
from jalan.sources.files import shown_name
from jalan.sources.history_files import HistoryFile, Tell, digest_file, identity
from jalan.sources.statistics import HIDDEN, Statistics, read_statistics
from jalan.store.bulk import merge_rows
from jalan.store.schema import Query, System, Use
from jalan.usage.digest import Digest, Digester, DigestError, HistoryPiece, Reading, UseKey, read_lines, write_lines
from jalan.usage.entries import Columns, LogEntry

_FACTORS = {"ms": 1.0, "s": 1000.0, "us": 0.001, "ns": 0.000001}
_IMPRESSION = 8 << 20  # bytes of a log that a preview looks at
_USE_COLUMNS = ("query_id", "day", "person", "role", "application", "runs", "duration_ms", "rows", "bytes")


def read_history(config: HistoryConfig, work: UnitOfWork) -> None:
    """Read what has come to a history since the last ingestion. Raises SourceError, Cancelled."""
    if config.format == "pg_stat_statements":
        digest = _statistics(config, work)
    elif config.format == "digest":
        digest = _digests(config, work)
    else:
        digest = _files(config, work)
    work.totals = {"entries": digest.entries, "queries": len(digest.queries), "uses": len(digest.uses)}
    if digest.without_data:
        work.totals["without data"] = digest.without_data
    for problem in digest.problems:
        work.log.note("warning", "unreadable_entry", problem.message, f"{problem.file}:{problem.line}")
    if digest.bad > len(digest.problems):
        left = digest.bad - len(digest.problems)
        work.log.note("warning", "unreadable_entry", f"{left} more entries could not be read")
    for reason, count in digest.left_out.items():
        work.log.note("info", "left_out", f"{count} entries left out: {reason}")
    with work.writing():
        _HistoryWriter(config, work, digest).write()


def _how(config: HistoryConfig) -> Reading:
    return Reading(
        config.dialect, config.database or "", frozenset(config.databases), keep_literals=config.keep_literals
    )


def file_reading(config: HistoryConfig) -> HistoryFile:
    """Return how the files of a history are read."""
    columns = None
    if config.mapping is not None:
        m = config.mapping
        columns = Columns(
            m.text,
            m.time,
            m.user,
            m.role,
            m.application,
            m.database,
            m.duration,
            _FACTORS[m.duration_unit],
            m.rows,
            m.bytes,
        )
    return HistoryFile(config.format, columns, _how(config), config.time_zone)  # type: ignore[arg-type]


# --- reading ---------------------------------------------------------------------------------------------


def _files(config: HistoryConfig, work: UnitOfWork) -> Digest:
    """What stands behind the places up to which the files were read last time."""
    total = Digest()
    assert config.files is not None
    read: dict[str, int] = dict(work.state.get("files", {}))
    for path in work.allowed.files.matching(config.files):
        digest, piece, notes = _one_file(path, config, read, work.tell)
        for note in notes:
            work.log.note("warning", "history_file", note, shown_name(path.name))
        if piece is not None:
            read[piece.file] = piece.end
        total.add(digest)
    total.settle()
    work.leave("files", read)
    return total


def _one_file(
    path: Path, config: HistoryConfig, read: dict[str, int], tell: Tell
) -> tuple[Digest, HistoryPiece | None, list[str]]:
    form = file_reading(config)
    known = identity(path, form.form)
    return digest_file(path, form, read.get(known or "", 0), tell)


def _digests(config: HistoryConfig, work: UnitOfWork) -> Digest:
    """Digests that were made where the data is. A part that was loaded before counts once."""
    total = Digest()
    assert config.files is not None
    read: dict[str, int] = dict(work.state.get("files", {}))
    for path in work.allowed.files.matching(config.files):
        try:
            with path.open("rb") as file:
                for piece, digest in read_lines(file):
                    done = read.get(piece.file, 0)
                    if piece.end <= done:
                        continue
                    if piece.start < done:
                        raise SourceError(
                            f"{path}: this digest begins at {piece.start} of a file that was read up to {done}; "
                            "make one of what is new (jalan digest-history --from)"
                        )
                    read[piece.file] = piece.end
                    total.add(digest)
        except DigestError as error:
            raise SourceError(f"{path}: {error}") from error
    total.settle()
    work.leave("files", read)
    return total


def _statistics(config: HistoryConfig, work: UnitOfWork) -> Digest:
    """What the counts of pg_stat_statements have grown by."""
    assert config.connection is not None
    work.tell("statistics", 0, 1)
    found = read_statistics(address(config.connection, work.allowed.hosts), config.connection.timeout)
    before: dict[str, list[float]] = work.state.get("counts", {})
    if work.state.get("reset") != found.reset:
        before = {}
    entries, hidden = _grown(found, before)
    if hidden:
        work.log.note(
            "warning",
            "hidden_queries",
            f"{hidden} queries of other roles are hidden; grant pg_read_all_stats to the account",
            "pg_stat_statements",
        )
    digest = Digester(_how(config)).digest(iter(entries))
    work.leave("reset", found.reset)
    work.leave("counts", {q.key: [q.calls, q.duration_ms, q.rows, q.bytes] for q in found.queries})
    work.tell("statistics", 1, 1)
    return digest


def _grown(found: Statistics, before: dict[str, list[float]]) -> tuple[list[LogEntry], int]:
    now = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S")
    entries = []
    hidden = 0
    for q in found.queries:
        if q.text == HIDDEN:
            hidden += 1
            continue
        calls, duration, rows, size = before.get(q.key, [0, 0.0, 0, 0])
        if q.calls < calls:  # the entry was dropped for others, and has begun anew
            calls, duration, rows, size = 0, 0.0, 0, 0
        if q.calls > calls:
            entries.append(
                LogEntry(
                    q.text,
                    now,
                    q.person,
                    q.person,
                    "",
                    q.database,
                    q.duration_ms - duration,
                    int(q.rows - rows),
                    int(q.bytes - size),
                    int(q.calls - calls),
                )
            )
    return entries, hidden


# --- writing ---------------------------------------------------------------------------------------------


class _HistoryWriter:
    def __init__(self, config: HistoryConfig, work: UnitOfWork, digest: Digest) -> None:
        self._config = config
        self._work = work
        self._digest = digest
        self._system: System = work.catalogue.system(server_namespace(config.server), "postgresql")

    def write(self) -> None:
        databases = sorted({database for database, _ in self._digest.queries})
        if "" in databases:
            raise SourceError("the history does not say in which database its queries ran; set “database”")
        ids = self._queries()
        self._uses(ids)
        for database in databases:
            self._work.relink(self._system, database)

    def _queries(self) -> dict[tuple[str, str], int]:
        """Write the queries; returns their ids."""
        work, session = self._work, self._work.session
        known = {
            (q.database, q.fingerprint): q
            for q in session.scalars(select(Query).where(Query.source_id == work.source.id))
        }
        ids = {}
        found = sorted(self._digest.queries.items())
        for number, (key, (body, first, last)) in enumerate(found):
            if number % 500 == 0:
                work.tell("queries", number, len(found))
            times = _utc(first), _utc(last)
            row = known.get(key)
            if row is None:
                row = self._new_query(key, body, times)
            else:
                row.first_at, row.last_at = min(row.first_at, times[0]), max(row.last_at, times[1])
            ids[key] = row.id
        session.flush()
        return ids

    def _new_query(self, key: tuple[str, str], body: str, times: tuple[datetime, datetime]) -> Query:
        work = self._work
        database, fingerprint = key
        work.catalogue.container(self._system, database)
        definition = work.definitions.define(
            f"query:{work.source.id}:{database}:{fingerprint}",
            kind=DefinitionKind.QUERY,
            place=f"query {fingerprint[:10]}",
            first_line=1,
            dialect=self._config.dialect,
            search_path=self._config.search_path,
            text=body,
            system_id=self._system.id,
            database=database,
        )
        row = Query(
            id=work.catalogue.ids.next("query"),
            source_id=work.source.id,
            definition_id=definition.id,
            fingerprint=fingerprint,
            database=database,
            first_at=times[0],
            last_at=times[1],
        )
        work.session.add(row)
        work.catalogue.changes["queries"] += 1
        return row

    def _uses(self, ids: dict[tuple[str, str], int]) -> None:
        """Add the uses to those of the same query, day and person that are known."""
        if not self._digest.uses:
            return
        sums = ", ".join(f'"{name}" = use."{name}" + excluded."{name}"' for name in _USE_COLUMNS[5:])
        rows = (_row(ids, *use) for use in self._digest.uses.items())
        added = merge_rows(self._work.session, Use, _USE_COLUMNS, rows, sums)
        self._work.catalogue.changes["uses"] += added


def _row(ids: dict[tuple[str, str], int], key: UseKey, amounts: list[float]) -> tuple[Any, ...]:
    database, fingerprint, day, person, role, application = key
    runs, duration, rows, size = amounts
    return ids[database, fingerprint], day, person, role, application, int(runs), duration, int(rows), int(size)


def _utc(time: str) -> datetime:
    return datetime.fromisoformat(time).replace(tzinfo=UTC)


def preview(config: HistoryConfig, allowed: Allowed) -> Preview:
    """Look at the beginning of a history, and say what is in it. Raises SourceError."""

    def silent(what: str, done: int, total: int) -> None:
        pass

    facts = []
    if config.format == "pg_stat_statements":
        assert config.connection is not None
        statistics = read_statistics(address(config.connection, allowed.hosts), config.connection.timeout)
        entries, hidden = _grown(statistics, {})
        digest = Digester(_how(config)).digest(iter(entries))
        facts.append(f"{len(statistics.queries)} queries counted, {hidden} hidden from the account")
    elif config.format == "digest":
        digest = Digest()
        assert config.files is not None
        for path in allowed.files.matching(config.files):
            try:
                with path.open("rb") as file:
                    for _, found in read_lines(file):
                        digest.add(found)
            except DigestError as error:
                raise SourceError(f"{path}: {error}") from error
    else:
        assert config.files is not None
        paths = allowed.files.matching(config.files)
        facts.append(f"{len(paths)} files, {sum(path.stat().st_size for path in paths):,} bytes")
        digest, _, notes = digest_file(paths[-1], file_reading(config), 0, silent, 1, _IMPRESSION)
        facts += [f"of {paths[-1].name}:", *notes]
    warnings = [f"{p.file}:{p.line}: {p.message}" for p in digest.problems[:5]]
    people = sorted({use[3] for use in digest.uses if use[3]})
    databases = sorted({database for database, _ in digest.queries})
    queries = [" ".join(found[0].split())[:120] for found in digest.queries.values()]
    return Preview(
        facts=facts,
        parts=[
            PreviewPart(what="entries", count=digest.entries),
            PreviewPart(what="different queries", count=len(queries), examples=queries[:8]),
            PreviewPart(what="databases", count=len(databases), examples=databases[:8]),
            PreviewPart(what="people", count=len(people), examples=people[:8]),
        ],
        warnings=warnings,
    )


def digest_files(
    paths: list[Path], output: Path, config: HistoryConfig, begin: int, workers: int
) -> tuple[int, int]:
    """Write digests of files; returns how many entries and different queries there were. Raises SourceError."""

    def silent(what: str, done: int, total: int) -> None:
        pass

    total = Digest()
    form = file_reading(config)
    with output.open("wb") as out:
        for path in paths:
            digest, piece, _ = digest_file(path, form, begin, silent, workers)
            if piece is None:
                continue
            out.writelines(write_lines(digest, piece, form.how))
            total.add(digest)
    return total.entries, len(total.queries)
