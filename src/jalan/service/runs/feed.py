"""Tells those who watch that runs have changed, as the store says so."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import suppress

import psycopg
from sqlalchemy import Engine

from jalan.store.database import plain_address

_CHANNEL = "jalan_runs"
_AGAIN_AFTER = 2.0
_QUIET = 15.0  # seconds until a sign of life


class Feed:
    """One connection that listens, for all who watch a process. Used from its event loop alone."""

    def __init__(self, engine: Engine) -> None:
        self._address = plain_address(engine)
        self._watching: set[asyncio.Event] = set()
        self._task: asyncio.Task[None] | None = None

    async def changes(self) -> AsyncIterator[bool]:
        """Yield whether runs have changed: at once when they have, and False now and then while they have not."""
        mine = asyncio.Event()
        self._watching.add(mine)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._listen())
        try:
            while True:
                try:
                    await asyncio.wait_for(mine.wait(), _QUIET)
                    mine.clear()
                    yield True
                except TimeoutError:
                    yield False
        finally:
            self._watching.discard(mine)

    async def _listen(self) -> None:
        while self._watching:
            # A store that is away comes back.
            with suppress(psycopg.Error):
                connection = await psycopg.AsyncConnection.connect(self._address, autocommit=True)
                async with connection:
                    await connection.execute(f"listen {_CHANNEL}")
                    while self._watching:
                        async for _ in connection.notifies(timeout=_QUIET, stop_after=1):
                            for one in self._watching:
                                one.set()
                    return
            await asyncio.sleep(_AGAIN_AFTER)

    async def close(self) -> None:
        """Stop listening."""
        self._watching.clear()
        if self._task is not None:
            self._task.cancel()
            with suppress(asyncio.CancelledError):
                await self._task
