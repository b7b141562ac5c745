"""Links and consumers that people declare: in files, or one by one on the screen."""

from collections.abc import Collection, Iterator
from contextlib import contextmanager

from sqlalchemy import select

from jalan.catalog.kinds import DefinitionKind, FieldKind, How, LinkKind, LinkOrigin
from jalan.catalog.names import title_of
from jalan.service.ingest.configuration import DeclaredConfig
from jalan.service.ingest.coverage import Coverage
from jalan.service.ingest.preview import Preview, PreviewPart
from jalan.service.ingest.references import References
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed
from jalan.sources.declared import (
    Consumer,
    Declarations,
    DeclaredLink,
    Reference,
    parse_declarations,
    read_all_declarations,
)
from jalan.sources.errors import FileError
from jalan.store.repositories.definitions import NewLink
from jalan.store.schema import Dataset, Declaration, Definition, Field, Link

CONSUMERS = "consumers"


def declare(config: DeclaredConfig, work: UnitOfWork) -> None:
    """Read declarations into the store. Raises SourceError, Cancelled."""
    problems: list[FileError] = []
    if config.location is not None:
        found, problems = read_all_declarations(config.location, work.allowed.files)
        if not found:
            raise problems[0]
    for problem in problems:
        work.log.note_file("unreadable_file", problem)
    with work.writing():
        write_declarations(
            work,
            on_the_screen(work) if config.location is None else found,
            f"declared:{work.source.name}:",
            {problem.path for problem in problems},
        )


def on_the_screen(work: UnitOfWork) -> list[Declarations]:
    """Return what was declared on the screen and was not taken back."""
    query = select(Declaration).where(Declaration.source_id == work.source.id, Declaration.taken_back_at.is_(None))
    rows = work.session.scalars(query.order_by(Declaration.id))
    return [parse_declarations(row.text, f"on the screen, {row.id}") for row in rows]


def write_declarations(
    work: UnitOfWork, found: list[Declarations], prefix: str, unread: Collection[str] = ()
) -> None:
    """Write what files declare, and close what is no longer in them. unread: files of which nothing is known now;
    what they declared before stays. Raises FileError where nothing of it all can be used."""
    work.totals |= {
        "declared links": sum(len(one.links) for one in found),
        "consumers": sum(len(one.consumers) for one in found),
    }
    described: dict[str, Consumer] = {}
    writers = [_DeclarationWriter(work, one, prefix, described) for one in found]
    keys = [writer.write() for writer in writers]
    problems = [problem for writer in writers for problem in writer.problems]
    for problem in problems:
        work.log.note_file("unusable_declaration", problem)
    if problems and not any(writer.used for writer in writers):
        raise problems[0]
    work.definitions.close_missing(prefix, [*keys, *(f"{prefix}{path}" for path in unread)])
    _mark_gone(work)


def _mark_gone(work: UnitOfWork) -> None:
    """Consumers of which no declaration tells any more are gone, and so are those of their parts."""
    work.definitions.flush()
    catalogue = work.catalogue
    system = catalogue.system(CONSUMERS, "consumers")
    query = select(Link.target_dataset_id, Link.target_field_id).join(Dataset, Dataset.id == Link.target_dataset_id)
    rows = work.session.execute(query.where(Dataset.system_id == system.id, Link.valid_to.is_(None))).all()
    told = {dataset for dataset, _ in rows}
    parts = {field for _, field in rows}
    for dataset in catalogue.datasets(system).values():
        if dataset.id not in told and dataset.gone_since is None:
            catalogue.update(dataset, "consumers gone", gone_since=catalogue.now)
        kept = {name for name, field in catalogue.fields(dataset).items() if field.id in parts}
        catalogue.fields_gone(dataset, kept, "elements gone")


class _DeclarationWriter:
    """Writes one file. described: the consumers that the files before it have told of, by name.

    used: how many entries were written; problems: what was wrong with the others.
    """

    def __init__(self, work: UnitOfWork, found: Declarations, prefix: str, described: dict[str, Consumer]) -> None:
        self._work = work
        self._catalogue, self._definitions = work.catalogue, work.definitions
        self._found = found
        self._described = described
        self.used = 0
        self.problems: list[FileError] = []
        self._references = References(work.catalogue, found.path, found.server)
        self._key = f"{prefix}{found.path}"
        self._lines = [0]
        for line in found.text.splitlines(keepends=True):
            self._lines.append(self._lines[-1] + len(line))

    def write(self) -> str:
        found = self._found
        system = self._catalogue.system(CONSUMERS, "consumers")
        definition = self._definitions.define(
            self._key,
            kind=DefinitionKind.DECLARATION,
            place=found.path,
            first_line=1,
            dialect="yaml",
            search_path=[],
            system_id=system.id,
            database="",
            text=found.text,
        )
        entries = [("declared_link", link.line) for link in found.links]
        entries += [("declared_consumer", consumer.line) for consumer in found.consumers]
        entries.sort(key=lambda entry: entry[1])
        ends = [line for _, line in entries[1:]] + [len(self._lines)]
        spans = [
            (kind, (self._lines[line - 1], self._lines[min(end, len(self._lines)) - 1]))
            for (kind, line), end in zip(entries, ends, strict=True)
        ]
        ids = self._definitions.statements(definition, spans)
        statement = {line: id_ for (_, line), id_ in zip(entries, ids, strict=True)}
        span = {line: place for (_, line), (_, place) in zip(entries, spans, strict=True)}
        wanted: set[NewLink] = set()
        for link in found.links:
            with self._told():
                wanted |= self._link(link, statement[link.line], span[link.line])
        for consumer in found.consumers:
            with self._told():
                wanted |= self._consumer(consumer, definition, statement[consumer.line], span[consumer.line])
        self._definitions.links(definition, LinkOrigin.DECLARED, wanted)
        definition.coverage = Coverage(full=len(entries)).model_dump()
        return self._key

    @contextmanager
    def _told(self) -> Iterator[None]:
        """An entry that names what nobody knows is told, and the others are written."""
        try:
            yield
            self.used += 1
        except FileError as error:
            self.problems.append(error)

    def _place(self, word: str, span: tuple[int, int]) -> tuple[int, int]:
        at = self._found.text.find(word, *span)
        return (at, at + len(word)) if at >= 0 else span

    def _link(self, link: DeclaredLink, statement: int, span: tuple[int, int]) -> set[NewLink]:
        source, source_field = self._references.find(link.source, link.line)
        target, target_field = self._references.find(link.target, link.line)
        spans = (self._place(_word(link.source), span),)
        reason = self._place(" ".join(link.because.split()), span)
        # Between whole datasets nothing is said about columns: a star stands for them all.
        sources = [source_field or self._catalogue.field(source, "*")]
        if link.kind == LinkKind.CONDITION and target_field is None:
            target_id = None
        else:
            target_id = (target_field or self._catalogue.field(target, "*")).id
        how = How.TRANSFORMATION if link.kind == LinkKind.VALUE else How.FILTER
        return {
            NewLink(field.id, target.id, target_id, link.kind, how, statement, spans, reason) for field in sources
        }

    def _consumer(
        self, consumer: Consumer, definition: Definition, statement: int, span: tuple[int, int]
    ) -> set[NewLink]:
        catalogue = self._catalogue
        system = catalogue.system(CONSUMERS, "consumers")
        dataset = catalogue.report(system, "Declared", consumer.name)
        first = self._described.setdefault(consumer.name, consumer)
        if first is consumer:
            catalogue.update(
                dataset,
                "consumers changed",
                title=consumer.name,
                owner=consumer.owner,
                description=consumer.description,
                gone_since=None,
                facts={"declared by": consumer.by, "declared on": consumer.on},
            )
        elif (first.owner, first.description) != (consumer.owner, consumer.description or first.description):
            self._work.log.note(
                "warning",
                "declared_twice",
                f"“{consumer.name}” is declared before with another owner or description, and those are kept",
                f"{self._found.path}:{consumer.line}",
            )
        wanted = set()
        for reference in consumer.reads:
            source, column = self._references.find(reference, consumer.line)
            target = catalogue.field(dataset, _part(source, column), "table")
            catalogue.update(target, "elements changed", placeholder=False, gone_since=None)
            place = self._place(_word(reference), span)
            for field in [column] if column is not None else self._all_columns(source):
                wanted.add(
                    NewLink(
                        field.id, dataset.id, target.id, LinkKind.VALUE, How.IDENTITY, statement, (place,), place
                    )
                )
        return wanted

    def _all_columns(self, dataset: Dataset) -> list[Field]:
        """The columns of a dataset that is read whole; a star where nobody knows them."""
        fields = [
            f
            for f in self._catalogue.fields(dataset).values()
            if f.gone_since is None and f.kind == FieldKind.COLUMN
        ]
        return fields if fields and not dataset.placeholder else [self._catalogue.field(dataset, "*")]


def _part(source: Dataset, column: Field | None) -> str:
    """The name of the part of a consumer that reads this: the column first, however little of it is shown."""
    name = source.title or title_of(source.name)
    return name if column is None else f"{column.name} of {name}"


def _word(reference: Reference) -> str:
    return reference.written or reference.column or reference.name or ""


def preview(config: DeclaredConfig, allowed: Allowed) -> Preview:
    """Say what files declare. Raises SourceError."""
    found, problems = ([], []) if config.location is None else read_all_declarations(config.location, allowed.files)
    links = [f"{link.source} → {link.target}" for one in found for link in one.links]
    consumers = [consumer.name for one in found for consumer in one.consumers]
    return Preview(
        facts=[f"{len(found)} files"],
        parts=[
            PreviewPart(what="declared links", count=len(links), examples=links[:8]),
            PreviewPart(what="consumers", count=len(consumers), examples=consumers[:8]),
        ],
        warnings=[str(problem) for problem in problems[:8]],
    )
