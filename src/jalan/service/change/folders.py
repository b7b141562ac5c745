"""A folder of SQL as it would be, held against the texts that are known of it: what is edited, added, deleted."""

from dataclasses import dataclass, field

from jalan.service.change.world import DatabaseWorld, world_of
from jalan.service.context import Context
from jalan.service.errors import Invalid
from jalan.sources.errors import FileError
from jalan.sources.folder import Folder


@dataclass(slots=True)
class FolderEdits:
    """What a folder has otherwise.

    edits: places with their new texts, also of new files, and of elements of reports. stopped: places of texts that
    are not in it. left_out: templates, and files that cannot be read: nobody knows what they do.
    """

    edits: dict[str, str] = field(default_factory=dict)
    stopped: list[str] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)


def folder_edits(context: Context, database: str | None, folder: Folder) -> FolderEdits:
    """Return what a folder has otherwise than what was read of the same source. Raises Invalid, NotFound."""
    here = world_of(context, database)
    found = FolderEdits(left_out=sorted(map(_shown, folder.problems)))
    files = {one.path: one for one in folder.files}
    sources = {_source(here, path) for path in files} - {None}
    if not files and found.left_out:
        raise Invalid(f"folder: {found.left_out[0]}")
    if not sources:
        known = ", ".join(here.run_places()[:3]) or "none"
        raise Invalid(f"folder: nothing in it is known by its path; texts that are run are {known}")
    for path, one in sorted(files.items()):
        row = here.texts.get(path)
        if row is None and path not in here.not_run and one.database != here.database:
            continue
        if one.template is not None or path in here.not_run:
            found.left_out.append(path)
        elif row is None or row.text != one.text:
            found.edits[path] = one.text
    for report in folder.reports:
        for element in report.elements:
            place = f"{report.path}: {element.name}"
            row = here.texts.get(place)
            if row is not None and row.text != element.sql:
                found.edits[place] = element.sql
    for place in here.run_places():
        if place not in files and place not in folder.unread and _source(here, place) in sources:
            found.stopped.append(place)
    return found


def _source(here: DatabaseWorld, place: str) -> str | None:
    """What the key of a file's text says of where it comes from; none of what comes from no folder."""
    row = here.texts.get(place)
    return None if row is None or not row.key.endswith(f":{place}") else str(row.key).removesuffix(f":{place}")


def _shown(problem: FileError) -> str:
    return str(problem)
