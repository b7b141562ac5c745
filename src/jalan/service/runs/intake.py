"""Receives events: nothing is acknowledged that is not committed, and commits are shared by whoever waits.

While one batch is being committed, the next one gathers. So one connection takes many requests, and none waits
longer than for two commits.
"""

import asyncio
import json
import zlib
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field

import psycopg
from sqlalchemy import Engine

from jalan.runs.events import BadEvent, Event, read_event, read_json
from jalan.store.database import plain_address
from jalan.store.repositories import events as store

_MOST_WAITING = 20_000  # events
_MOST_BYTES = 200_000_000
_MOST_TOGETHER = 2_000
_PATIENCE = 30  # seconds that a commit may take

Received = tuple[Event, str]
"""An event with its text."""


class TooBusy(Exception):
    """More events wait than are taken on; whoever sends should try again."""


class TooLarge(Exception):
    """A body is larger than what is read."""


@dataclass(slots=True)
class _Waiting:
    events: Sequence[Received]
    bytes: int
    done: "asyncio.Future[None]" = field(default_factory=lambda: asyncio.get_running_loop().create_future())


class Intake:
    """Writes events in shared transactions. One for a process; used from its event loop alone."""

    def __init__(self, engine: Engine) -> None:
        self._address = plain_address(engine)
        self._connection: psycopg.AsyncConnection | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._queue: list[_Waiting] = []
        self._size = self._bytes = 0
        self._worker: asyncio.Task[None] | None = None

    async def write(self, events: Sequence[Received]) -> None:
        """Return when events are committed. Raises TooBusy, psycopg.Error."""
        mine = _Waiting(events, sum(len(raw) for _, raw in events))
        full = self._size + len(events) > _MOST_WAITING or self._bytes + mine.bytes > _MOST_BYTES
        if self._size and full:
            raise TooBusy
        self._queue.append(mine)
        self._size += len(events)
        self._bytes += mine.bytes
        if self._worker is None or self._worker.done():
            self._worker = asyncio.create_task(self._work())
        # Who goes away gives up waiting, not the commit.
        await mine.done

    async def _work(self) -> None:
        while self._queue:
            batch = self._next()
            try:
                await self._commit([one for waiting in batch for one in waiting.events])
            except psycopg.DataError:
                # Something cannot be stored: whoever sent something else is not refused for it.
                for one in batch:
                    self._end([one], await self._tried(one))
            except Exception as error:
                self._end(batch, error)
            else:
                self._end(batch, None)

    async def _tried(self, waiting: _Waiting) -> Exception | None:
        try:
            await self._commit(waiting.events)
        except Exception as error:
            return error
        return None

    def _next(self) -> list[_Waiting]:
        size, count = 0, 0
        for waiting in self._queue:
            if count and size + len(waiting.events) > _MOST_TOGETHER:
                break
            size += len(waiting.events)
            count += 1
        batch, self._queue = self._queue[:count], self._queue[count:]
        return batch

    def _end(self, batch: list[_Waiting], error: Exception | None) -> None:
        for waiting in batch:
            self._size -= len(waiting.events)
            self._bytes -= waiting.bytes
            if waiting.done.cancelled():
                continue
            if error is None:
                waiting.done.set_result(None)
            else:
                waiting.done.set_exception(error)
                waiting.done.exception()  # nobody may be waiting for it any more

    async def _commit(self, events: Sequence[Received]) -> None:
        known = self._connection is not None and self._loop is asyncio.get_running_loop()
        try:
            await store.write_from_loop(await self._connected(), events)
        except psycopg.OperationalError:
            await self._disconnect()
            if not known:
                raise
            # The store may have been begun anew since. To write the same events again changes nothing.
            await store.write_from_loop(await self._connected(), events)

    async def _connected(self) -> psycopg.AsyncConnection:
        loop = asyncio.get_running_loop()
        if self._connection is None or self._loop is not loop:
            self._connection = await psycopg.AsyncConnection.connect(
                self._address, autocommit=True, options=f"-c statement_timeout={_PATIENCE * 1000}"
            )
            self._loop = loop
        return self._connection

    async def _disconnect(self) -> None:
        if self._connection is not None:
            with suppress(psycopg.Error):
                await self._connection.close()
            self._connection = None

    async def close(self) -> None:
        """Write what still waits."""
        if self._worker is not None:
            await self._worker
        await self._disconnect()


# --- bodies ----------------------------------------------------------------------------------------------


def unpacked(body: bytes, encoding: str, most: int) -> bytes:
    """Return a body as it was before it was packed. Raises TooLarge, BadEvent."""
    encoding = encoding.strip().lower()
    if encoding in ("", "identity"):
        return body
    if encoding not in ("gzip", "x-gzip"):
        raise BadEvent("Content-Encoding", f"“{encoding[:40]}” is not known; send gzip, or none")
    unpacker = zlib.decompressobj(wbits=31)
    try:
        found = unpacker.decompress(body, most + 1)
    except zlib.error as error:
        raise BadEvent("Content-Encoding", f"the body is no gzip ({error})") from error
    if len(found) > most:
        raise TooLarge
    if not unpacker.eof:
        raise BadEvent("Content-Encoding", "the gzip ends too early")
    if unpacker.unused_data:
        raise BadEvent("Content-Encoding", "something follows after the end of the gzip")
    return found


def one_event(raw: bytes) -> Received:
    """Read the body of a request with one event. Raises BadEvent."""
    return read_event(read_json(raw)), raw.decode()


def several_events(raw: bytes, most: int) -> list[Received | BadEvent]:
    """Read the body of a request with an array of events; of each, what is wrong with it. Raises BadEvent where it
    is no array, or has more than ``most`` events."""
    try:
        text = raw.decode()
    except UnicodeDecodeError as error:
        raise BadEvent("$", f"this is not UTF-8 (byte {error.start})") from error
    found: list[Received | BadEvent] = []
    for number, piece in enumerate(_pieces(text)):
        if number == most:
            raise BadEvent("$", f"more than {most} events at once; send them in several requests")
        try:
            found.append((read_event(read_json(piece.encode("utf-8", "surrogatepass"))), piece))
        except BadEvent as error:
            found.append(BadEvent(error.path.replace("$", f"$[{number}]", 1), error.message))
    return found


def _pieces(text: str) -> list[str]:
    """The texts of the elements of an array."""
    decoder = json.JSONDecoder()
    at = _skip(text, 0)
    if text[at : at + 1] != "[":
        raise BadEvent("$", "a list of events is expected here")
    at = _skip(text, at + 1)
    found: list[str] = []
    if text[at:].rstrip(" \t\r\n") == "]":
        return found
    while True:
        try:
            _, end = decoder.raw_decode(text, at)
        except json.JSONDecodeError as error:
            told = f"line {error.lineno}, column {error.colno}: {error.msg}"
            raise BadEvent(f"$[{len(found)}]", f"this is not JSON: {told}") from error
        except (RecursionError, ValueError) as error:
            raise BadEvent(
                f"$[{len(found)}]", "this cannot be read: too many brackets, or too many digits"
            ) from error
        found.append(text[at:end])
        at = _skip(text, end)
        if text[at : at + 1] == "]" and not text[_skip(text, at + 1) :]:
            return found
        if text[at : at + 1] != ",":
            raise BadEvent("$", f"after event {len(found) - 1} a comma or the end is expected")
        at = _skip(text, at + 1)


def _skip(text: str, at: int) -> int:
    while at < len(text) and text[at] in " \t\r\n":
        at += 1
    return at
