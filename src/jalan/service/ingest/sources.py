"""Sources: added, changed, tested, ingested and removed by people and programs."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import Any

from pydantic import BaseModel
from sqlalchemy import Engine, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.service.errors import Conflict, Invalid, NotFound
from jalan.service.ingest.configuration import (
    check_schedule,
    secret_paths,
    secrets_of,
    with_secrets,
    without_secrets,
)
from jalan.service.ingest.log import Outcome, bump, bury_dead, logged
from jalan.service.ingest.permissions import allowed_by_settings
from jalan.service.ingest.preview import Preview
from jalan.service.ingest.registry import KINDS, parse_config
from jalan.service.ingest.secrets import FROM_ENVIRONMENT, seal, unseal
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed
from jalan.store.schema import Ingestion, Source


def add(context: Context, name: str, config: dict[str, Any], *, schedule: str | None = None) -> int:
    """Add a source; returns its id. Raises Invalid, and Conflict where the name is taken."""
    engine, who = context.engine, context.who
    parsed = parse_config(config)
    name = _checked_name(name)
    with Session(engine) as session, session.begin():
        found = session.scalars(select(Source).where(Source.name == name)).first()
        if found is not None and found.removed_at is None:
            raise Conflict(f"there is a source “{name}” already; take another name, or change that one")
        if found is None:
            found = Source(name=name, state={}, created_at=datetime.now(UTC), created_by=who)
            session.add(found)
        elif found.kind != parsed.kind:  # type: ignore[attr-defined]
            raise Conflict(f"there was a source “{name}” of another kind; take another name")
        found.removed_at = None
        _write(found, parsed, schedule)
        session.flush()
        return found.id


def ensure(context: Context, name: str, config: BaseModel) -> int:
    """Return the id of a source that is ingested when somebody asks; its secrets are not kept.

    One that nobody has added yet is none before its first ingestion has succeeded: ``ingest`` with the
    configuration makes it one, and writes the configuration down.
    """
    engine, who = context.engine, context.who
    with Session(engine) as session, session.begin():
        found = session.scalars(select(Source).where(Source.name == name)).first()
        if found is None:
            # Two may ask for the same one at once: the second finds what the first has made.
            now = datetime.now(UTC)
            new = insert(Source).values(
                kind=config.kind,  # type: ignore[attr-defined]
                name=name,
                state={},
                config=without_secrets(config),
                created_at=now,
                created_by=who,
                removed_at=now,
            )
            session.execute(new.on_conflict_do_nothing())
            found = session.scalars(select(Source).where(Source.name == name)).one()
        if found.kind != config.kind:  # type: ignore[attr-defined]
            raise Conflict(f"“{name}” is the name of a source of another kind already; take another name")
        return found.id


def change(context: Context, source_id: int, config: dict[str, Any], *, schedule: str | None) -> None:
    """Give a source another configuration; secrets that are left out keep. Raises Invalid, NotFound."""
    engine, who = context.engine, context.who
    with Session(engine) as session, session.begin():
        found = get(session, source_id)
        parsed = parse_config(_kept_for_change(config, found))
        if parsed.kind != found.kind:  # type: ignore[attr-defined]
            raise Invalid(f"kind: a source of kind {found.kind} stays one; add another source")
        _write(found, parsed, schedule)
        bump(session, "source", f"{found.name} changed", who)


_PLACES = ("host", "port", "url", "location")


def with_secrets_kept(config: dict[str, Any], before: dict[str, Any], secrets: dict[str, str]) -> dict[str, Any]:
    """Put kept secrets in where a configuration leaves them empty.

    before: the configuration that they were given for. For another address they must be given again: otherwise
    who may change a source could have its secrets sent anywhere. Raises Invalid.
    """
    if not secrets:
        return config
    for inner, known in ((config, before), (config.get("connection") or {}, before.get("connection") or {})):
        moved = [place for place in _PLACES if inner.get(place, known.get(place)) != known.get(place)]
        if moved:
            raise Invalid(f"{moved[0]}: this is another address; give the secrets again for it")
    given = {path: value for path, value in secrets.items() if not _at(config, path)}
    return with_secrets(config, given)


def _kept_for_change(config: dict[str, Any], source: Source) -> dict[str, Any]:
    try:
        secrets = unseal(source.secrets)
    except Invalid:
        # Sealed with another key: whoever gives them anew needs none of the old ones.
        if not any(_at(config, path) for path in secret_paths(KINDS[source.kind].config)):
            raise
        return config
    if all(_at(config, path) for path in secrets):
        return config
    return with_secrets_kept(config, source.config, secrets)


def _at(config: dict[str, Any], path: str) -> Any:
    at: Any = config
    for part in path.split("."):
        at = at.get(part) if isinstance(at, dict) else None
    return at


def _checked_name(name: str) -> str:
    name = name.strip()
    if not name or len(name) > 100 or ":" in name:
        raise Invalid("name: a source needs a name of at most 100 characters, without colon")
    return name


def _write(source: Source, parsed: BaseModel, schedule: str | None) -> None:
    try:
        source.schedule = check_schedule(schedule)
    except ValueError as error:
        raise Invalid(f"schedule: {error}") from error
    source.kind = parsed.kind  # type: ignore[attr-defined]
    source.config = without_secrets(parsed)
    source.secrets = seal(secrets_of(parsed))


def remove(context: Context, source_id: int) -> None:
    """Remove a source. What it brought stays, with its history; it is brought up to date no more."""
    engine, who = context.engine, context.who
    with Session(engine) as session, session.begin():
        found = get(session, source_id)
        found.removed_at = datetime.now(UTC)
        found.schedule = None
        found.secrets = None
        bump(session, "source", f"{found.name} removed", who)


def get(session: Session, source_id: int) -> Source:
    """Return a source. Raises NotFound."""
    found = session.get(Source, source_id)
    if found is None or found.removed_at is not None:
        raise NotFound(f"there is no source {source_id}")
    return found


def find(session: Session, name: str) -> Source:
    """Return a source by its name. Raises NotFound."""
    found = session.scalars(select(Source).where(Source.name == name, Source.removed_at.is_(None))).first()
    if found is None:
        known = ", ".join(session.scalars(select(Source.name).where(Source.removed_at.is_(None))))
        raise NotFound(f"there is no source “{name}”" + (f"; there are {known}" if known else " yet"))
    return found


def configuration(source: Source) -> BaseModel:
    """Return the whole configuration of a source, secrets included. Raises Invalid."""
    return parse_config(with_secrets(source.config, unseal(source.secrets)))


def secret_states(source: Source) -> dict[str, str]:
    """Return where each secret of a source is: the name of its environment variable, “kept”, or “unreadable” where
    another key sealed them."""
    try:
        found = unseal(source.secrets)
    except Invalid:
        paths = secret_paths(KINDS[source.kind].config)
        return {
            path: "unreadable" for path in paths if "." not in path or _at(source.config, path.rpartition(".")[0])
        }
    return {path: value if value.startswith(FROM_ENVIRONMENT) else "kept" for path, value in found.items()}


def preview(config: BaseModel, allowed: Allowed | None = None) -> Preview:
    """Try a configuration, and say what an ingestion would bring. Raises SourceError, Invalid.

    allowed: what may be read and reached (default: what the settings say).
    """
    kind = KINDS[config.kind]  # type: ignore[attr-defined]
    return kind.preview(config, allowed or allowed_by_settings())


def ingest(
    context: Context,
    source_id: int,
    *,
    config: BaseModel | None = None,
    ingestion_id: int | None = None,
    listener: Callable[[str, int, int], None] | None = None,
    allowed: Allowed | None = None,
    at: datetime | None = None,
) -> Outcome:
    """Bring a source up to date. Raises SourceError, Invalid, Conflict, Cancelled.

    config: with the secrets that the store does not keep; it is the source's once the ingestion has succeeded.
    ingestion_id: a run announced before.
    listener: is told how far it is.
    allowed: what may be read and reached (default: what the settings say).
    at: from when on what is told holds (default: now). The past can only be told in the order in which it was.
    """
    with working(
        context, source_id, ingestion_id=ingestion_id, listener=listener, allowed=allowed, config=config, at=at
    ) as work:
        source = work.source
        _refuse_second(context.engine, source, work.log.id)
        KINDS[source.kind].ingest(config or configuration(source), work)
    assert work.outcome is not None
    return work.outcome


@contextmanager
def working(
    context: Context,
    source_id: int,
    *,
    ingestion_id: int | None = None,
    listener: Callable[[str, int, int], None] | None = None,
    allowed: Allowed | None = None,
    config: BaseModel | None = None,
    at: datetime | None = None,
) -> Iterator[UnitOfWork]:
    """Do an ingestion's work on a source, with its log. Raises NotFound."""
    engine, who = context.engine, context.who
    with Session(engine) as session:
        source = get(session, source_id) if config is None else session.get_one(Source, source_id)
        session.expunge(source)
    with logged(
        engine, source.kind, source.name, source_id=source_id, who=who, ingestion_id=ingestion_id, listener=listener
    ) as now:
        work = UnitOfWork(now, source, allowed or allowed_by_settings(), at)
        if config is not None:
            work.settle(without_secrets(config))
        yield work


def _refuse_second(engine: Engine, source: Source, ingestion_id: int) -> None:
    with Session(engine) as session:
        bury_dead(session)
        query = select(func.count()).where(
            Ingestion.source_id == source.id, Ingestion.state == "running", Ingestion.id < ingestion_id
        )
        if session.scalars(query).one():
            raise Conflict(f"“{source.name}” is being ingested already; stop that ingestion, or wait for it")


def completed(session: Session, source_id: int, config: dict[str, Any]) -> dict[str, Any]:
    """Return a configuration with the secrets that a source keeps, to try it. Raises NotFound, Invalid."""
    return _kept_for_change(config, get(session, source_id))
