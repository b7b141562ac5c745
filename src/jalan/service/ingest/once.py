"""A scan or a load that is asked for once, without adding a source first: its secrets are not kept."""

from collections.abc import Callable, Mapping
from pathlib import Path

from pydantic import SecretStr

from jalan.service.context import Context
from jalan.service.ingest import sources
from jalan.service.ingest.configuration import PostgresqlConfig, RepositoryConfig
from jalan.service.ingest.kinds.postgresql import namespace_of
from jalan.service.ingest.log import Outcome
from jalan.service.ingest.registry import parse_config
from jalan.sources.allowed import EVERYTHING
from jalan.sources.postgres import parse_url

Progress = Callable[[str, int, int], None]


def scan(
    context: Context,
    url: str,
    *,
    known_as: str | None = None,
    aliases: Mapping[str, str] | None = None,
    progress: Progress | None = None,
) -> Outcome:
    """Read the catalogue of a PostgreSQL database into the store.

    known_as: ``host:port`` by which the server shall be known, whatever its address.
    aliases: the same for other servers that foreign tables point to. Raises SourceError, Invalid.
    """
    parsed = parse_url(url)
    config = PostgresqlConfig(
        host=parsed.host or "127.0.0.1",
        port=parsed.port or 5432,
        database=parsed.database or "",
        user=parsed.username or "postgres",
        password=SecretStr(str(parsed.password)) if parsed.password is not None else None,
        known_as=known_as,
        aliases=dict(aliases or {}),
    )
    name = f"{namespace_of(config).removeprefix('postgres://').replace(':', ' ')}/{config.database}"
    source_id = sources.ensure(context, name, config)
    return sources.ingest(context, source_id, config=config, listener=progress, allowed=EVERYTHING)


def load(
    context: Context,
    folder: Path,
    *,
    name: str | None = None,
    server: str | None = None,
    revision: str | None = None,
    progress: Progress | None = None,
) -> Outcome:
    """Read the SQL files and reports of a folder into the store.

    name: what the folder is known by, so that a file that is no longer in it can be told (default: its own name).
    server: ``host:port`` of the database server where the files do not say.
    revision: branch or commit, where the folder is a git repository. Raises SourceError, Invalid.
    """
    known_by = name or folder.resolve().name
    config = parse_config(
        {
            "kind": "repository",
            "location": str(folder),
            "server": server,
            "revision": revision,
            "known_as": known_by,
        }
    )
    assert isinstance(config, RepositoryConfig)
    source_id = sources.ensure(context, known_by, config)
    return sources.ingest(context, source_id, config=config, listener=progress, allowed=EVERYTHING)
