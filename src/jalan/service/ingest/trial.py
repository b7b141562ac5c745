"""Tries a configuration in a process of its own, with limits of time and memory: whatever a file or a server
answers, it can neither hold nor take down the server.

The process is this module: it reads a configuration on its standard input and writes what an ingestion would bring.
"""

import os
import resource
import subprocess
import sys
import threading
from typing import Any

import orjson
from pydantic import BaseModel

from jalan.service.context import Context
from jalan.service.errors import Conflict, Invalid
from jalan.service.ingest.configuration import secrets_of, with_secrets, without_secrets
from jalan.service.ingest.preview import Preview
from jalan.service.ingest.registry import parse_config
from jalan.service.ingest.sources import completed, preview
from jalan.service.settings import Settings
from jalan.sources.errors import SourceError

_AT_ONCE = 4
_MOST_BYTES = 5_000_000  # of what it says
_NOT_ITS_OWN = ("JALAN_STORE", "JALAN_SECRET_KEY", "JALAN_NEW_SECRET_KEY")
_free = threading.BoundedSemaphore(_AT_ONCE)


def try_source(context: Context, config: dict[str, Any], source_id: int | None = None) -> Preview:
    """Return what an ingestion with a configuration would bring. Raises as ``try_config`` does, and NotFound.

    source_id: of one whose kept secrets may be used.
    """
    if source_id is not None:
        config = completed(context.session, source_id, config)
    return try_config(parse_config(config))


def try_config(config: BaseModel) -> Preview:
    """Return what an ingestion would bring. Raises SourceError, Invalid, and Conflict where too many are tried
    at once."""
    if not _free.acquire(blocking=False):
        raise Conflict(f"{_AT_ONCE} configurations are being tried already; wait for one of them")
    try:
        return _answer(_run(config))
    finally:
        _free.release()


def _run(config: BaseModel) -> bytes:
    settings = Settings()
    given = orjson.dumps(with_secrets(without_secrets(config), secrets_of(config)))
    environment = {name: value for name, value in os.environ.items() if name not in _NOT_ITS_OWN}
    process = subprocess.Popen(
        [sys.executable, "-m", "jalan.service.ingest.trial"],
        env=environment,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    try:
        out, _ = process.communicate(given, timeout=settings.preview_seconds)
    except subprocess.TimeoutExpired as error:
        raise SourceError(f"nothing was found out within {settings.preview_seconds} s") from error
    finally:
        if process.poll() is None:
            process.kill()
            process.communicate()
    if not out:
        raise SourceError(
            f"the trial ended without a word ({process.returncode}); it may need more than "
            f"{settings.preview_megabytes} MB of memory"
        )
    return out


def _answer(out: bytes) -> Preview:
    found = orjson.loads(out)
    if "preview" in found:
        return Preview.model_validate(found["preview"])
    raise (Invalid if found["error"] == "invalid" else SourceError)(found["message"])


def _tried(given: bytes) -> dict[str, Any]:
    try:
        return {"preview": preview(parse_config(orjson.loads(given))).model_dump(mode="json")}
    except Invalid as error:
        return {"error": "invalid", "message": str(error)}
    except SourceError as error:
        return {"error": "source", "message": str(error)}
    except MemoryError:
        return {"error": "source", "message": f"this needs more than {Settings().preview_megabytes} MB of memory"}
    except Exception as error:  # a fault of ours, or a file that no reader of ours foresaw
        return {"error": "source", "message": f"this cannot be read: {type(error).__name__}"}


def main() -> None:
    """Answer what stands on standard input."""
    settings = Settings()
    most = settings.preview_megabytes * 1_000_000
    resource.setrlimit(resource.RLIMIT_DATA, (most, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    out = orjson.dumps(_tried(sys.stdin.buffer.read()))
    if len(out) > _MOST_BYTES:
        out = orjson.dumps({"error": "source", "message": "there is too much to be shown"})
    sys.stdout.buffer.write(out)


if __name__ == "__main__":
    main()
