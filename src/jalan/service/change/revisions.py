"""Revisions of repositories as states of the texts: what a branch or commit has otherwise than what was read."""

from dataclasses import replace
from zlib import crc32

from sqlalchemy import select

from jalan.service.change.answers import RepositoryFact
from jalan.service.change.folders import folder_edits
from jalan.service.change.sides import Side, TakenText
from jalan.service.change.world import chosen_database, world_of
from jalan.service.context import Context
from jalan.service.errors import Invalid, NotFound
from jalan.service.ingest import sources
from jalan.service.ingest.configuration import RepositoryConfig
from jalan.service.ingest.kinds.repository import opened
from jalan.service.ingest.permissions import allowed_by_settings
from jalan.sources.errors import SourceError
from jalan.sources.folder import SUFFIXES, read_tree
from jalan.store.schema import Source

_BRANCHES = 100


def repositories(context: Context) -> list[RepositoryFact]:
    """Return the sources that are git repositories, with their branches as far as they can be reached."""
    found = []
    query = select(Source).where(Source.removed_at.is_(None), Source.kind == "repository").order_by(Source.name)
    for source in context.session.scalars(query):
        config = sources.configuration(source)
        if not isinstance(config, RepositoryConfig) or config.revision is None:
            continue
        try:
            branches, problem = opened(config, allowed_by_settings()).branches()[:_BRANCHES], None
        except SourceError as error:
            branches, problem = [], str(error)
        found.append(
            RepositoryFact(
                id=source.id, name=source.name, revision=config.revision, branches=branches, problem=problem
            )
        )
    return found


def side_of_revision(context: Context, source_id: int, revision: str, database: str | None) -> Side:
    """Return the state that the texts of a database would have at a revision of a repository. Raises Invalid,
    NotFound, SourceError.

    Cost: reading the repository at that revision.
    """
    source = context.session.get(Source, source_id)
    config = sources.configuration(source) if source is not None and source.removed_at is None else None
    if source is None or not isinstance(config, RepositoryConfig):
        raise NotFound(f"there is no repository {source_id}")
    if config.revision is None:
        raise Invalid(f"“{source.name}” is a folder, not a git repository: it has no revisions")
    repository = opened(config, allowed_by_settings())
    commit = repository.resolve(revision)
    folder = read_tree(repository.tree(commit, config.folder, SUFFIXES), f"{config.location} at {revision}")
    here = world_of(context, database)
    edits = folder_edits(context, database, folder)
    keys = {place: row.key for place, row in here.texts.items()}
    taken = {keys.get(place, place): TakenText(place, text) for place, text in edits.edits.items()}
    taken |= {keys.get(place, place): TakenText(place, None) for place in edits.stopped}
    system, name = chosen_database(context, database)
    # Numbers below zero are those of revisions; baselines have theirs above.
    side = Side(f"{source.name} at {revision}", -1 - crc32(f"{source_id} {commit}".encode()), system.id, name)
    return replace(side, taken=taken)
