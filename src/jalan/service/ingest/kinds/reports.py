"""A service of reports: its extracts, calculated fields, elements and views."""

import time
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from typing import Any

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from jalan.catalog.kinds import DatasetKind, DefinitionKind
from jalan.catalog.names import server_namespace
from jalan.formulas.expressions import CalculationError, Named, read_calculation, read_filter
from jalan.lineage.hints import HINTS
from jalan.service.ingest.claims import ClaimWriter, ColumnClaim
from jalan.service.ingest.configuration import ReportsConfig
from jalan.service.ingest.coverage import Coverage
from jalan.service.ingest.preview import Preview, PreviewPart
from jalan.service.ingest.references import nearest
from jalan.service.ingest.secrets import resolve
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed
from jalan.sources.reports_service import Contents, Element, Extract, Report, ReportHead, ReportsService, User
from jalan.store.bulk import merge_rows
from jalan.store.repositories.definitions import NewDiagnostic, NewLink
from jalan.store.schema import Dataset, Definition, Field, ReportView

_HINTS = HINTS | {"circular_calculation": "let one of the fields be calculated from something else"}
_MOST_WAYS = 100  # that are looked for in one report
_LONGEST_WAY = 10  # names of one that are shown
_VIEW_COLUMNS = ("source_id", "dataset_id", "person", "day", "views")


def _service(
    config: ReportsConfig, allowed: Allowed, pause: Callable[[float], None] = time.sleep
) -> ReportsService:
    token = resolve(config.token.get_secret_value()) if config.token is not None else None
    return ReportsService(
        config.url,
        token,
        page_size=config.page_size,
        retries=config.retries,
        timeout=config.timeout,
        pause=pause,
        hosts=allowed.hosts,
    )


def crawl(config: ReportsConfig, work: UnitOfWork) -> None:
    """Read a service into the store. Raises SourceError, Invalid, Cancelled."""

    def pause(seconds: float) -> None:
        end = time.monotonic() + seconds
        while (left := end - time.monotonic()) > 0:
            work.tell("waiting for the service", 0, 0)
            time.sleep(min(left, 0.3))

    with _service(config, work.allowed, pause) as service:
        found = service.read(work.tell)
    for place, message in service.problems:
        work.log.note("error", "unreadable_item", message, place)
    work.totals = {
        "extracts": len(found.extracts),
        "reports": len(found.reports),
        "elements": sum(len(report.elements) for report in found.reports),
        "calculated fields": sum(len(report.calculations) for report in found.reports),
        "views": sum(view.views for view in found.views),
    }
    with work.writing():
        _ReportsWriter(config, work, found, whole=not service.problems).write()


class _ReportsWriter:
    """Writes what a service has. whole: all of it could be read, so what it does not list any more is gone."""

    def __init__(self, config: ReportsConfig, work: UnitOfWork, found: Contents, whole: bool) -> None:
        self._work = work
        self._whole = whole
        self._catalogue, self._definitions = work.catalogue, work.definitions
        self._found = found
        self._claims = ClaimWriter(work.catalogue, itself=True)
        self._system = work.catalogue.system(config.known_as, "reports")
        self._server = work.catalogue.system(server_namespace(config.server), "postgresql")
        self._extracts: dict[str, Dataset] = {}
        self._reports: dict[str, Dataset] = {}
        self._prefix = f"report:{work.source.name}:"
        self._keys: set[str] = set()

    def write(self) -> None:
        databases = set()
        for extract in self._found.extracts.values():
            self._extract(extract)
            databases.add(extract.database)
        for report in self._found.reports:
            _ReportWriter(self, report).write()
        if self._whole:
            self._gone()
        self._views()
        self._system.scanned_at = self._catalogue.now
        for database in sorted(databases):
            self._work.relink(self._server, database)

    def _gone(self) -> None:
        """What the service had before and has no longer is gone, not deleted."""
        self._definitions.close_missing(self._prefix, self._keys)
        kept = {dataset.id for dataset in [*self._extracts.values(), *self._reports.values()]}
        for dataset in self._catalogue.datasets(self._system).values():
            if dataset.id not in kept and dataset.gone_since is None and not dataset.placeholder:
                self._catalogue.update(dataset, "reports gone", gone_since=self._catalogue.now)
                self._claims.withdraw(dataset)

    def _extract(self, extract: Extract) -> None:
        catalogue = self._catalogue
        dataset = catalogue.dataset(self._system, f"extracts/{extract.id}")
        catalogue.update(
            dataset,
            "extracts changed",
            kind=DatasetKind.MODEL,
            title=extract.name,
            placeholder=False,
            gone_since=None,
            description=f"Extract of {extract.database}",
            facts={"loaded at": extract.loaded_at} if extract.loaded_at else {},
        )
        dataset.scanned_at = catalogue.now
        self._claims.claim(dataset, [ColumnClaim(column.name, column.type) for column in extract.columns])
        self._extracts[extract.id] = dataset
        catalogue.container(self._server, extract.database)
        self.define(
            f"extract:{extract.id}",
            DefinitionKind.EXTRACT,
            f"extract {extract.name}",
            extract.query,
            dataset,
            None,
            system_id=self._server.id,
            database=extract.database,
            dialect="postgresql",
            search_path=["public"],
        )

    def define(
        self, key: str, kind: str, place: str, body: str, dataset: Dataset, field: Field | None, **values: Any
    ) -> Definition:
        """Write the definition of an extract, a calculated field or an element."""
        key = self._prefix + key
        self._keys.add(key)
        values = {
            "system_id": self._system.id,
            "database": "",
            "dialect": "calculation",
            "search_path": [],
            **values,
        }
        return self._definitions.define(
            key,
            kind=kind,
            place=place,
            first_line=1,
            text=body,
            dataset_id=dataset.id,
            field_id=field.id if field else None,
            **values,
        )

    def person(self, id_: str | None) -> str | None:
        """Return the name of a user."""
        found = self._found.users.get(id_ or "", None)
        return found.name if found else id_

    def folder(self, id_: str | None) -> str:
        """Return the folders down to one, as a path."""
        names: list[str] = []
        while id_ is not None and id_ in self._found.folders and len(names) < 50:
            folder = self._found.folders[id_]
            names.insert(0, folder.name)
            id_ = folder.parent
        return " / ".join(names) or "Reports"

    def _views(self) -> None:
        rows: dict[tuple[int, str, date], int] = {}
        for view in self._found.views:
            report = self._reports.get(view.report)
            if report is None:
                message = f"views of a report “{view.report}” that is not listed"
                self._work.log.note("warning", "unknown_report", message)
                continue
            key = (report.id, self.person(view.user) or view.user, view.day)
            rows[key] = rows.get(key, 0) + view.views
        source = self._work.source.id
        changed = merge_rows(
            self._work.session,
            ReportView,
            _VIEW_COLUMNS,
            ((source, *key, views) for key, views in rows.items()),
            "views = excluded.views where report_view.views <> excluded.views",
        )
        if changed:
            self._catalogue.changes["views"] += changed

    @property
    def system(self) -> Any:
        """The service."""
        return self._system

    def took(self, report: Report, dataset: Dataset) -> None:
        """Note the dataset of a report."""
        self._reports[report.id] = dataset

    def columns_of(self, report: Report) -> dict[str, list[Field]]:
        """Return the columns of the extracts of a report, by name and by ``extract.name``."""
        found: dict[str, list[Field]] = {}
        for id_ in report.extracts:
            dataset = self._extracts.get(id_)
            if dataset is None and not self._whole:
                # Its entry may be the one that could not be read: what is known of it holds.
                dataset = self._catalogue.find(self._system, f"extracts/{id_}")
            if dataset is None:
                message = f"reads an extract “{id_}” that is not listed"
                self._work.log.note("warning", "unknown_extract", message, report.title)
                continue
            for name, field in self._catalogue.fields(dataset).items():
                if field.gone_since is None:
                    found.setdefault(name, []).append(field)
                    found.setdefault(f"{dataset.title}.{name}", []).append(field)
        return found


class _ReportWriter:
    """One report: its calculated fields, which may use one another, and its elements."""

    def __init__(self, all_: _ReportsWriter, report: Report) -> None:
        self._all = all_
        self._work = all_._work
        self._report = report
        self._dataset = self._work.catalogue.report(all_.system, all_.folder(report.folder), report.id)
        all_.took(report, self._dataset)
        self._columns = all_.columns_of(report)
        self._calculated: dict[str, Field] = {}
        self._elements: set[str] = set()

    def write(self) -> None:
        catalogue, report = self._work.catalogue, self._report
        catalogue.update(
            self._dataset,
            "reports changed",
            title=report.title,
            owner=self._all.person(report.owner),
            address=report.link,
            description=report.description,
            gone_since=None,
        )
        ordinal = 0
        for calculation in report.calculations:
            if calculation.name in self._calculated:
                message = f"two calculated fields are called “{calculation.name}”; the last one counts"
                self._work.log.note("warning", "same_name", message, report.title)
            ordinal += 1
            self._calculated[calculation.name] = self._field(
                calculation.name, "calculated", ordinal, calculation.note
            )
        fields = set(self._calculated)
        circles = circular({one.name: _names_in(one.expression) for one in report.calculations})
        for calculation in {one.name: one for one in report.calculations}.values():
            field = self._calculated[calculation.name]
            self._texts(field, calculation.name, [calculation.expression], [], circles.get(calculation.name))
        for element in report.elements:
            ordinal += 1
            fields.add(element.name)
            self._element(element, ordinal)
        catalogue.fields_gone(self._dataset, fields, "elements gone")

    def _field(self, name: str, kind: str, ordinal: int, note: str | None) -> Field:
        catalogue = self._work.catalogue
        field = catalogue.field(self._dataset, name, kind)
        catalogue.update(
            field,
            "elements changed",
            kind=kind,
            ordinal=ordinal,
            description=note,
            placeholder=False,
            gone_since=None,
        )
        return field

    def _element(self, element: Element, ordinal: int) -> None:
        if element.name in self._calculated:
            message = f"an element and a calculated field are both called “{element.name}”; the element is left out"
            self._work.log.note("warning", "same_name", message, self._report.title)
            return
        if element.name in self._elements:
            message = f"two elements are called “{element.name}”; the second is left out"
            self._work.log.note("warning", "same_name", message, self._report.title)
            return
        self._elements.add(element.name)
        field = self._field(element.name, element.kind, ordinal, None)
        self._texts(field, element.name, element.fields, element.filters)

    def _texts(
        self, field: Field, name: str, shown: list[str], filters: list[str], circle: list[str] | None = None
    ) -> None:
        """Read the expressions of a calculated field or an element; together they are its definition.

        circle: the way on which it is calculated from itself, if it is.
        """
        body = "\n".join([*shown, *(f"filter: {one}" for one in filters)]) + "\n"
        place = f"{self._report.title} › {name}"
        key = f"calculation:{self._report.id}:{name}"
        definition = self._all.define(key, DefinitionKind.CALCULATION, place, body, self._dataset, field)
        statement = self._work.definitions.statements(definition, [("calculation", (0, len(body)))])[0]
        wanted: set[NewLink] = set()
        problems: set[NewDiagnostic] = set()
        if circle is not None:
            message = f"this is calculated from itself: {' ← '.join(circle)}"
            problems.add(_problem("circular_calculation", message, (0, len(body) - 1)))
        offset = 0
        for text_, reader in [(one, read_calculation) for one in shown] + [(one, read_filter) for one in filters]:
            offset += len("filter: ") if reader is read_filter else 0
            try:
                for named in reader(text_):
                    wanted |= self._links(field, named, statement, (offset, offset + len(text_)), problems)
            except CalculationError as error:
                problems.add(_problem("syntax_error", str(error), (error.span[0] + offset, error.span[1] + offset)))
            offset += len(text_) + 1
        self._work.definitions.links(definition, "parsed", wanted)
        self._work.definitions.diagnostics(definition, problems)
        unread = sum(problem.code == "syntax_error" for problem in problems)
        unsure = 0 if unread else min(1, len(problems))
        definition.coverage = Coverage(
            full=1 - min(1, unread) - unsure,
            part=unsure,
            none=min(1, unread),
            columns=1,
            resolved=int(not problems),
        ).model_dump()

    def _links(
        self,
        field: Field,
        named: Named,
        statement: int,
        expression: tuple[int, int],
        problems: set[NewDiagnostic],
    ) -> set[NewLink]:
        start = expression[0]
        spans = tuple((a + start, b + start) for a, b in named.spans)
        calculated = self._calculated.get(named.name)
        sources = [calculated] if calculated is not None else self._columns.get(named.name, [])
        if not sources:
            near = nearest(named.name, [*self._calculated, *self._columns])
            problems.add(_problem("unknown_column", f"there is no field “{named.name}”{near}", spans[0]))
        if len(sources) > 1:
            message = f"“{named.name}” is in {len(sources)} extracts; qualify it with the extract's name"
            problems.add(_problem("ambiguous_column", message, spans[0]))
        return {
            NewLink(
                source.id,
                self._dataset.id,
                field.id,
                named.kind,
                named.how,
                statement,
                spans,
                expression,
                possible=len(sources) > 1,
            )
            for source in sources
        }


def _names_in(expression: str) -> list[str]:
    try:
        return [named.name for named in read_calculation(expression)]
    except CalculationError:
        return []  # told where the expression is read


def circular(uses: Mapping[str, Sequence[str]]) -> dict[str, list[str]]:
    """Return for each name that uses itself, over others or at once, a way round; of a long one the first steps.

    >>> circular({"a": ["b"], "b": ["a", "c"], "c": []})
    {'a': ['a', 'b', 'a'], 'b': ['b', 'a', 'b']}
    """
    number = {name: n for n, name in enumerate(uses)}
    pairs = [(number[name], number[used]) for name, all_ in uses.items() for used in all_ if used in number]
    ends = np.array(pairs, dtype=np.int64).reshape(-1, 2)
    graph = csr_array((np.ones(len(pairs)), (ends[:, 0], ends[:, 1])), shape=(len(uses), len(uses)))
    # Names are circular that reach one another; only among them a way is looked for, and only so often.
    _, group = connected_components(graph, directed=True, connection="strong")
    inside: dict[str, list[str]] = {
        name: [used for used in all_ if used in number and group[number[used]] == group[number[name]]]
        for name, all_ in uses.items()
    }
    found: dict[str, list[str]] = {}
    for name in uses:
        if inside[name]:
            found[name] = _way_round(name, inside) if len(found) < _MOST_WAYS else [name, "…", name]
    return found


def _way_round(name: str, inside: Mapping[str, Sequence[str]]) -> list[str]:
    """Return the shortest way from a name to itself, where there is one."""
    before: dict[str, str] = {}
    waiting = deque([name])
    while name not in before:
        at = waiting.popleft()
        for used in inside[at]:
            if used not in before:
                before[used] = at
                waiting.append(used)
    way = [name]
    while len(way) == 1 or way[-1] != name:
        way.append(before[way[-1]])
    way.reverse()
    return way if len(way) <= _LONGEST_WAY else [*way[:_LONGEST_WAY], "…", name]


def _problem(code: str, message: str, span: tuple[int, int]) -> NewDiagnostic:
    return NewDiagnostic(code, "error" if code == "syntax_error" else "warning", message, _HINTS[code], *span)


def preview(config: ReportsConfig, allowed: Allowed) -> Preview:
    """Connect to a service, and say what it has. Raises SourceError, Invalid."""
    with _service(config, allowed) as service:
        reports = service.pages("/api/reports", ReportHead)
        extracts = service.pages("/api/extracts", Extract)
        users = service.pages("/api/users", User)
    databases = sorted({extract.database for extract in extracts})
    return Preview(
        facts=[f"{config.url} answers"],
        parts=[
            PreviewPart(what="reports", count=len(reports), examples=[report.id for report in reports[:8]]),
            PreviewPart(what="extracts", count=len(extracts), examples=[extract.name for extract in extracts[:8]]),
            PreviewPart(what="databases", count=len(databases), examples=databases),
            PreviewPart(what="users", count=len(users)),
        ],
        warnings=[f"{place}: {message}" for place, message in service.problems[:8]],
    )
