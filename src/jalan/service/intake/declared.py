"""Links and consumers that people declare: in files, or one by one on the screen."""

from pathlib import Path

from jalan.service.intake.configuration import DeclaredConfig
from jalan.service.intake.preview import Preview, PreviewPart
from jalan.service.intake.references import References
from jalan.service.intake.work import Work
from jalan.sources.declared import (
    Consumer,
    Declarations,
    DeclaredLink,
    Reference,
    parse_declarations,
    read_all_declarations,
)
from jalan.store.definitions import NewLink
from jalan.store.models import Dataset, Definition, Field

CONSUMERS = "consumers"


def declare(config: DeclaredConfig, work: Work) -> None:
    """Read declarations into the store. Raises SourceError, Cancelled."""
    found = _found(config, work.state.get("entries", {}))
    with work.writing():
        write_declarations(work, found, f"declared:{work.source.name}:")


def _found(config: DeclaredConfig, entries: dict[str, str]) -> list[Declarations]:
    if config.location is not None:
        return read_all_declarations(Path(config.location).expanduser())
    return [parse_declarations(text, f"on the screen, {name}") for name, text in entries.items()]


def write_declarations(work: Work, found: list[Declarations], prefix: str) -> None:
    """Write what files declare, and close what is no longer in them. Raises FileError."""
    work.totals |= {
        "declared links": sum(len(one.links) for one in found),
        "consumers": sum(len(one.consumers) for one in found),
    }
    keys = [_DeclarationWriter(work, one, prefix).write() for one in found]
    kept = {consumer.name for one in found for consumer in one.consumers}
    before = set(work.state.get("consumers", []))
    system = work.catalogue.system(CONSUMERS, "consumers")
    for name in before - kept:
        gone = work.catalogue.datasets(system).get(name)
        if gone is not None:
            work.catalogue.update(gone, "consumers gone", gone_since=work.catalogue.now)
    work.state["consumers"] = sorted(kept)
    work.definitions.close_missing(prefix, keys)


class _DeclarationWriter:
    def __init__(self, work: Work, found: Declarations, prefix: str) -> None:
        self._catalogue, self._definitions = work.catalogue, work.definitions
        self._found = found
        self._references = References(work.catalogue, found.path, found.server)
        self._key = f"{prefix}{found.path}"
        self._lines = [0]
        for line in found.text.splitlines(keepends=True):
            self._lines.append(self._lines[-1] + len(line))

    def write(self) -> str:
        found = self._found
        system = self._catalogue.system(CONSUMERS, "consumers")
        definition = self._definitions.define(
            self._key, kind="declaration", place=found.path, first_line=1, dialect="yaml", search_path=[],
            system_id=system.id, database="", text=found.text,
        )  # fmt: skip
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
            wanted |= self._link(link, statement[link.line], span[link.line])
        for consumer in found.consumers:
            wanted |= self._consumer(consumer, definition, statement[consumer.line], span[consumer.line])
        self._definitions.links(definition, "declared", wanted)
        definition.coverage = {"full": len(entries), "part": 0, "none": 0, "columns": 0, "resolved": 0}
        return self._key

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
        if link.kind == "condition" and target_field is None:
            target_id = None
        else:
            target_id = (target_field or self._catalogue.field(target, "*")).id
        how = "transformation" if link.kind == "value" else "filter"
        return {
            NewLink(field.id, target.id, target_id, link.kind, how, statement, spans, reason) for field in sources
        }

    def _consumer(
        self, consumer: Consumer, definition: Definition, statement: int, span: tuple[int, int]
    ) -> set[NewLink]:
        catalogue = self._catalogue
        system = catalogue.system(CONSUMERS, "consumers")
        dataset = catalogue.report(system, "Declared", consumer.name)
        catalogue.update(
            dataset, "consumers changed", title=consumer.name, owner=consumer.owner,
            description=consumer.description, gone_since=None,
            facts={"declared by": consumer.by, "declared on": consumer.on},
        )  # fmt: skip
        wanted = set()
        for reference in consumer.reads:
            source, column = self._references.find(reference, consumer.line)
            target = catalogue.field(dataset, str(reference), "table")
            catalogue.update(target, "elements changed", placeholder=False, gone_since=None)
            place = self._place(_word(reference), span)
            for field in [column] if column is not None else self._all_columns(source):
                wanted.add(
                    NewLink(field.id, dataset.id, target.id, "value", "identity", statement, (place,), place)
                )
        names = {str(reference) for reference in consumer.reads}
        for name, field in catalogue.fields(dataset).items():
            if name not in names and field.gone_since is None:
                catalogue.update(field, "elements gone", gone_since=catalogue.now)
        return wanted

    def _all_columns(self, dataset: Dataset) -> list[Field]:
        """The columns of a dataset that is read whole; a star where nobody knows them."""
        fields = [
            f for f in self._catalogue.fields(dataset).values() if f.gone_since is None and f.kind == "column"
        ]
        return fields if fields and not dataset.placeholder else [self._catalogue.field(dataset, "*")]


def _word(reference: Reference) -> str:
    return reference.written or reference.column or reference.name or ""


def preview(config: DeclaredConfig) -> Preview:
    """Say what files declare. Raises SourceError."""
    found = _found(config, {})
    links = [f"{link.source} → {link.target}" for one in found for link in one.links]
    consumers = [consumer.name for one in found for consumer in one.consumers]
    return Preview(
        facts=[f"{len(found)} files"],
        parts=[
            PreviewPart(what="declared links", count=len(links), examples=links[:8]),
            PreviewPart(what="consumers", count=len(consumers), examples=consumers[:8]),
        ],
    )
