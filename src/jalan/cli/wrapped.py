"""``jalan run``: any command, told to Jalan as a run.

The command's own outcome is its own: what it prints, its exit code and the signals it gets are as they would be
without us. Events that cannot be delivered wait in a file and are sent before the next ones.
"""

import fcntl
import json
import os
import re
import signal
import subprocess
import sys
import threading
from collections import deque
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Annotated, Any
from uuid import UUID, uuid4, uuid5

import httpx
import orjson
import typer

from jalan import extract
from jalan.catalog.names import full_table_name, server_namespace
from jalan.cli.common import messages
from jalan.formats.openlineage_run import Teller
from jalan.lineage.read_and_written import read_and_written

_TELLER = Teller("urn:jalan:run")
_PATIENCE = 3.0  # seconds that telling may take
_LAST_LINES = 40
_MOST_WAITING = 20_000_000  # bytes of events that wait
_MOST_SQL = 1_000_000
_AT_ONCE = 500
_PIPELINES = UUID("5f0c8d52-7c0e-5d1b-9c36-9a1f0b0f3f11")
_FILE = re.compile(r"(?:-f|--file=)?(.+\.sql)")


def run_command(
    command: Annotated[
        list[str], typer.Argument(help="The command with its arguments, after --.", metavar="-- COMMAND…")
    ],
    job: Annotated[str, typer.Option(help="What the job is called.")],
    pipeline: Annotated[str | None, typer.Option(help="The pipeline that it belongs to.")] = None,
    namespace: Annotated[str, typer.Option(help="The namespace of job and pipeline.")] = "commands",
    to: Annotated[
        str, typer.Option("--to", metavar="URL", envvar="JALAN_URL", help="Where Jalan listens.")
    ] = "http://127.0.0.1:8400",
    server: Annotated[
        str | None, typer.Option(metavar="HOST:PORT", help="The server that the SQL files named run on.")
    ] = None,
    database: Annotated[str | None, typer.Option(help="The database that they run in.")] = None,
    dialect: Annotated[str, typer.Option(help="Their dialect.")] = "postgresql",
    spool: Annotated[
        Path, typer.Option(envvar="JALAN_SPOOL", help="Where events wait while Jalan cannot be reached.")
    ] = Path("~/.local/state/jalan/events.jsonl"),
) -> None:
    """Run a command and tell Jalan of it: how long it took, how it ended, its last lines, the SQL that it names.

    Example: `jalan run --job tides --server islands:5432 --database strait -- psql -f tides.sql strait`
    """
    teller = _Teller(to, spool.expanduser())
    told = _Told(job, pipeline, namespace, command)
    with _harmless():
        told.read_sql(server, database, dialect)
    with _harmless():
        teller.tell([told.event("START", {})])
    outcome = _run(command)
    with _harmless():
        teller.tell([told.end(outcome)])
    if outcome.signal:
        # As the shell would see it. Some signals are what they are.
        with suppress(OSError):
            signal.signal(outcome.signal, signal.SIG_DFL)
        os.kill(os.getpid(), outcome.signal)
    raise typer.Exit(outcome.code)


@contextmanager
def _harmless() -> Iterator[None]:
    """Whatever goes wrong in telling of a command, the command goes on."""
    try:
        yield
    except Exception as error:
        messages.print(f"jalan: the run is not told in full ({error})", markup=False, highlight=False)


# --- running ---------------------------------------------------------------------------------------------


class _Outcome:
    """How a command ended. code: as the shell would have it. signal: that ended it, 0 where none did."""

    def __init__(self, code: int, signal_: int, lines: Sequence[str], reason: str = "") -> None:
        self.code = code
        self.signal = signal_
        self.lines = lines
        self.reason = reason


def _run(command: Sequence[str]) -> _Outcome:
    lines: deque[str] = deque(maxlen=_LAST_LINES)
    # What goes to a terminal is left alone: programs write otherwise there.
    watched = {name: subprocess.PIPE for name in ("stdout", "stderr") if not getattr(sys, name).isatty()}
    try:
        process = subprocess.Popen(command, **watched)  # type: ignore[call-overload]
    except OSError as error:
        code = 127 if isinstance(error, FileNotFoundError) else 126
        messages.print(f"jalan: {command[0]}: {error.strerror}", markup=False, highlight=False)
        return _Outcome(code, 0, [], f"{command[0]}: {error.strerror}")
    threads = [
        threading.Thread(target=_copy, args=(getattr(process, name), getattr(sys, name).buffer, lines))
        for name in watched
    ]
    with _forwarding(process):
        for thread in threads:
            thread.start()
        code = process.wait()
        for thread in threads:
            thread.join()
    return _Outcome(code if code >= 0 else 128 - code, max(0, -code), list(lines))


def _copy(source: IO[bytes], target: IO[bytes], lines: "deque[str]") -> None:
    """Pass on what a command prints as it comes, and keep the last lines."""
    rest = b""
    while piece := os.read(source.fileno(), 65_536):
        try:
            target.write(piece)
            target.flush()
        except OSError:
            # Nobody reads any more: the command is to notice, as it would without us.
            source.close()
            return
        *whole, rest = (rest + piece).split(b"\n")
        lines.extend(line.decode(errors="replace") for line in whole[-_LAST_LINES:])
        rest = rest[-10_000:]
    if rest:
        lines.append(rest.decode(errors="replace"))


@contextmanager
def _forwarding(process: "subprocess.Popen[bytes]") -> Iterator[None]:
    """Pass on signals that are meant for the command."""
    wanted = (signal.SIGTERM, signal.SIGHUP, signal.SIGINT)
    before = {one: signal.getsignal(one) for one in wanted}

    def forward(number: int, _: Any) -> None:
        # The terminal sends its signals to the command as well.
        if number != signal.SIGINT or not sys.stdin.isatty():
            process.send_signal(number)

    for one in wanted:
        signal.signal(one, forward)
    try:
        yield
    finally:
        for one, handler in before.items():
            signal.signal(one, handler)


# --- what is told ----------------------------------------------------------------------------------------


class _Told:
    """The events of one run of a command."""

    def __init__(self, job: str, pipeline: str | None, namespace: str, command: Sequence[str]) -> None:
        self._run = str(uuid4())
        self._job, self._pipeline, self._namespace = job, pipeline, namespace
        self._command = command
        self._sql = ""
        self._place = ""
        self._inputs: list[dict[str, Any]] = []
        self._outputs: list[dict[str, Any]] = []

    def read_sql(self, server: str | None, database: str | None, dialect: str) -> None:
        """Read the SQL files that the command names, and what they read and write."""
        texts = []
        for argument in self._command[1:]:
            named = _FILE.fullmatch(argument)
            path = Path(named[1]) if named else None
            if path is not None and path.is_file() and path.stat().st_size < _MOST_SQL:
                texts.append(path.read_text(errors="replace"))
                self._place = self._place or _clean(str(path))
        self._sql = _clean("\n".join(texts))
        self._dialect = dialect
        if not self._sql or server is None or database is None:
            return
        found = extract(self._sql, dialect=dialect)
        reads, written = read_and_written(found)
        namespace = server_namespace(server)
        for names, side in ((reads, self._inputs), (written, self._outputs)):
            side += [
                {"namespace": namespace, "name": full_table_name(name, database, [])} for name in sorted(names)
            ]

    def event(self, kind: str, facets: dict[str, Any]) -> dict[str, Any]:
        """Return an event of this run."""
        user = os.environ.get("USER") or os.environ.get("LOGNAME") or ""
        variables = {"USER": user, "COMMAND": _clean(" ".join(self._command))[:2000]}
        now = datetime.now(UTC)
        of_run = {"environmentVariables": _TELLER.variables(variables), **facets}
        if self._pipeline:
            # One run of the pipeline a day, as nobody tells of it: whoever names it means the same.
            day = uuid5(_PIPELINES, f"{self._namespace} {self._pipeline} {now:%Y-%m-%d}")
            of_run["parent"] = _TELLER.parent(str(day), (self._namespace, self._pipeline))
        of_job = {"jobType": _TELLER.job_type("COMMAND", "COMMAND")}
        if self._sql:
            place = Path(self._place).resolve().as_uri()
            of_job |= _TELLER.code(self._sql, self._dialect, kind="file", url=place, path=self._place)
        return _TELLER.event(
            kind,
            now,
            self._run,
            (self._namespace, self._job),
            of_run=of_run,
            of_job=of_job,
            inputs=self._inputs,
            outputs=self._outputs,
        )

    def end(self, outcome: _Outcome) -> dict[str, Any]:
        """Return the event that tells how it ended."""
        said = _clean("\n".join(outcome.lines))
        tags = [{"key": "exit code", "value": str(outcome.code), "source": "jalan run"}]
        if said:
            tags.append({"key": "last lines", "value": said[-8000:], "source": "jalan run"})
        facets = {"tags": _TELLER.facet("1-0-0/TagsRunFacet.json", tags=tags)}
        if outcome.code == 0:
            return self.event("COMPLETE", facets)
        how = f"ended by signal {outcome.signal}" if outcome.signal else f"exit code {outcome.code}"
        last = next((line for line in reversed(outcome.lines) if line.strip()), outcome.reason)
        message = _clean(f"{how}: {last}" if last else how)
        facets["errorMessage"] = _TELLER.error(message[:2000], said[-8000:], "")
        return self.event("ABORT" if outcome.signal else "FAIL", facets)


def _clean(words: str) -> str:
    """Words of somebody's program, without what no event may hold."""
    return re.sub("[\x00\ud800-\udfff]", "\ufffd", words)


# --- telling ---------------------------------------------------------------------------------------------


class _Teller:
    """Sends events; those that cannot be delivered wait in a file, in order."""

    def __init__(self, address: str, spool: Path) -> None:
        self._address = f"{address.rstrip('/')}/api/v1/lineage/batch"
        self._spool = spool

    def tell(self, events: list[dict[str, Any]]) -> None:
        """Send events after those that wait. Raises OSError where they cannot be kept either."""
        with self._locked() as file:
            waiting = [line for line in file.read().splitlines() if line.strip()]
            lines = [*waiting, *(orjson.dumps(event) for event in events)]
            left = self._send(lines)
            if left == waiting:
                return
            file.seek(0)
            file.truncate()
            kept = b"".join(line + b"\n" for line in left)
            if len(kept) > _MOST_WAITING:
                messages.print(f"jalan: too many events wait in {self._spool}; the oldest are dropped")
                kept = kept[-_MOST_WAITING:].partition(b"\n")[2]
            file.write(kept)

    @contextmanager
    def _locked(self) -> Iterator[IO[bytes]]:
        self._spool.parent.mkdir(parents=True, exist_ok=True)
        with self._spool.open("a+b") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            file.seek(0)
            yield file

    def _send(self, lines: list[bytes]) -> list[bytes]:
        """Send lines, some hundred at once; returns those that could not be delivered."""
        left = list(lines)
        try:
            with httpx.Client(timeout=_PATIENCE) as client:
                while left:
                    some = left[:_AT_ONCE]
                    body = b"[" + b",".join(some) + b"]"
                    answer = client.post(self._address, content=body)
                    if answer.status_code not in (200, 422):
                        messages.print(f"jalan: not told yet: the server answered {answer.status_code}")
                        return left
                    for failed in _failed(answer):
                        messages.print(f"jalan: not told: {failed}", markup=False, highlight=False)
                    left = left[len(some) :]
        except httpx.HTTPError:
            messages.print(f"jalan: {self._address} cannot be reached; {len(left)} events wait in {self._spool}")
        return left


def _failed(answer: httpx.Response) -> list[str]:
    try:
        found = answer.json()
    except json.JSONDecodeError:
        return []
    return [str(one["reason"]) for one in found.get("failed_events", [])] or (
        [str(found.get("detail", ""))] if answer.status_code == 422 else []
    )
