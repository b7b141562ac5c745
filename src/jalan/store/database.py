"""Opening the store: its engine, and its schema at the newest version."""

from pathlib import Path

import orjson
import psycopg
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ProgrammingError

# What is asked is short, and finds now a little, now much. To compile a query takes longer than to run it; one plan
# for all that may be looked for is a bad one for most; what is asked for lies in memory, or on a quick disk.
_PLANNING = "-c jit=off -c plan_cache_mode=force_custom_plan -c random_page_cost=1.1"
_MIGRATIONS = Path(__file__).parent / "migrations"


def open_store(url: str) -> Engine:
    """Return an engine on the store; nothing is connected yet."""
    options = f"{make_url(url).query.get('options', '')} {_PLANNING}".lstrip()
    return create_engine(
        url,
        connect_args={"options": options},
        pool_pre_ping=True,
        json_deserializer=orjson.loads,
        hide_parameters=True,  # what is written may be anybody's secret: it is in no message of an error
    )


def plain_address(engine: Engine) -> str:
    """Return the address of an engine's store as PostgreSQL's own drivers read it, with the password."""
    return engine.url.set(drivername="postgresql").render_as_string(hide_password=False)


def create_database(url: str) -> None:
    """Make the database that the address names if the server does not have it."""
    parsed = make_url(url)
    maintenance = parsed.set(drivername="postgresql", database="postgres").render_as_string(hide_password=False)
    with psycopg.connect(maintenance, autocommit=True) as connection:
        name = parsed.database or ""
        known = connection.execute("select 1 from pg_database where datname = %s", (name,)).fetchone()
        if known is None:
            connection.execute(psycopg.sql.SQL("create database {}").format(psycopg.sql.Identifier(name)))


def alembic_config(connection: Connection) -> Config:
    """Return Alembic's configuration for a connection to the store."""
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS))
    config.attributes["connection"] = connection
    return config


def check_version(engine: Engine) -> None:
    """Raise ProgrammingError where the store is not at the newest version, OperationalError where it is away."""
    newest = ScriptDirectory(str(_MIGRATIONS)).get_current_head()
    with engine.connect() as connection:
        (found,) = connection.execute(text("select version_num from alembic_version")).one()
    if found != newest:
        raise ProgrammingError("the store is at another version", {"found": found, "newest": newest}, ValueError())


def migrate(engine: Engine) -> None:
    """Bring the schema of the store to the newest version."""
    with engine.begin() as connection:
        command.upgrade(alembic_config(connection), "head")
