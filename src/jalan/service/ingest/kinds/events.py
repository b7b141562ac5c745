"""OpenLineage events: datasets, jobs and links as producers send them."""

from typing import Any

from jalan.formats.graph import DatasetRecord, DefinitionRecord
from jalan.formats.openlineage_graph import BROKEN_FACET, broken_facet, read_event
from jalan.service.ingest.configuration import EventsConfig
from jalan.service.ingest.event_writer import EventWriter
from jalan.service.ingest.kinds.received import tell_received
from jalan.service.ingest.preview import Preview, PreviewPart
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed
from jalan.sources.errors import FileError
from jalan.sources.event_file import read_event_file
from jalan.sources.files import Files


def load_events(config: EventsConfig, work: UnitOfWork) -> None:
    """Read a file of events into the store, or what is received. Raises SourceError, Cancelled."""
    if config.file is None:
        with work.writing():
            tell_received(work)
        return
    datasets, definitions, problems = _read(config.file, work.allowed.files, work.tell)
    work.totals = {"datasets": len(datasets), "jobs": len(definitions)}
    if problems:
        work.totals["events not read"] = len(problems)
    for problem in problems:
        work.log.note_file("unreadable_event", problem)
    with work.writing():
        EventWriter(work).write(datasets, definitions, whole=not problems)


def _read(
    file: str, files: Files, tell: Any = None
) -> tuple[list[DatasetRecord], list[DefinitionRecord], list[FileError]]:
    """Return what the events tell, and which could not be read. Raises the first problem where none could."""
    datasets: list[DatasetRecord] = []
    definitions: list[DefinitionRecord] = []
    problems: list[FileError] = []
    read = 0
    for number, event in read_event_file(file, files):
        try:
            if isinstance(event, FileError):
                raise event
            found, definition = read_event(event)
        except FileError as error:
            problems.append(error)
            continue
        except BROKEN_FACET as error:
            problems.append(FileError(file, number, broken_facet(error)))
            continue
        read += 1
        datasets += found
        if definition is not None:
            definitions.append(definition)
        if tell is not None and number % 200 == 0:
            tell("events", number, 0)
    if problems and not read:
        raise problems[0]
    return datasets, definitions, problems


def preview(config: EventsConfig, allowed: Allowed) -> Preview:
    """Read a file of events, and say what they tell. Raises SourceError."""
    if config.file is None:
        return Preview(parts=[], warnings=["events are received at /api/v1/lineage; there is nothing to try"])
    datasets, definitions, problems = _read(config.file, allowed.files)
    names = dict.fromkeys(record.name for record in datasets)
    return Preview(
        parts=[
            PreviewPart(what="datasets", count=len(names), examples=list(names)[:8]),
            PreviewPart(what="jobs", count=len(definitions), examples=[d.job or d.place for d in definitions][:8]),
            PreviewPart(what="links", count=sum(len(d.links) for d in definitions)),
        ],
        warnings=[str(problem) for problem in problems[:8]],
    )
