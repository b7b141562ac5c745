"""Lets the catalogue know what received events tell: an ingestion of the source that stands for them."""

from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.service.ingest import sources
from jalan.service.ingest.configuration import EventsConfig
from jalan.service.ingest.kinds.received import settle, tell_received

NAME = "received events"


def tell_catalogue(context: Context) -> bool:
    """Bring what is not told yet into the catalogue; returns whether there was anything.

    What tells of nothing new leaves no mark in the log of ingestions.
    """
    with Session(context.engine) as session, session.begin():
        if not settle(session):
            return False
    config = EventsConfig()
    source = sources.ensure(context, NAME, config)
    with sources.working(context, source, config=config) as work, work.writing():
        tell_received(work)
    context.see_changes()
    return True
