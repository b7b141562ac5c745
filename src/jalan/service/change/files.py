"""Files of databases in which changes are simulated without a store."""

from pathlib import Path

import orjson
from pydantic import TypeAdapter, ValidationError

from jalan.change.described import DescribedDatabase
from jalan.service.change.world import DatabaseWorld, described, world_of_description
from jalan.service.context import Context
from jalan.service.errors import Invalid

_FORMAT, _VERSION = "database of jalan", 1
_DATABASE = TypeAdapter(DescribedDatabase)


def write_database(context: Context, database: str | None) -> bytes:
    """Return the file of a database with all that is run over it; that with most texts where none is named. Raises
    NotFound."""
    found = {"format": _FORMAT, "version": _VERSION, **_DATABASE.dump_python(described(context, database))}
    return orjson.dumps(found, option=orjson.OPT_INDENT_2)


def read_database(file: Path) -> DatabaseWorld:
    """Return the world of a database that a file holds. Raises Invalid, with where in it something is wrong."""
    try:
        held = orjson.loads(file.read_bytes())
    except OSError as error:
        raise Invalid(f"{file}: {error.strerror}") from error
    except orjson.JSONDecodeError as error:
        raise Invalid(f"{file}: line {error.lineno}: {error.msg}") from error
    if not isinstance(held, dict) or held.pop("format", None) != _FORMAT:
        raise Invalid(f"{file}: this is no file that `jalan change --write` has written")
    if (version := held.pop("version", None)) != _VERSION:
        raise Invalid(f"{file}: it is of version {version}; version {_VERSION} is read: write it anew")
    try:
        return world_of_description(_DATABASE.validate_python(held))
    except ValidationError as error:
        first = error.errors()[0]
        raise Invalid(f"{file}: {'.'.join(map(str, first['loc']))}: {first['msg']}") from error
