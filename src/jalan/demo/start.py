"""``python -m jalan.demo.start``: everything the demo needs, from an empty folder to a served address."""

import argparse
import logging
import os
import signal
import sys
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import FrameType
from urllib.parse import urlsplit

import uvicorn
from sqlalchemy import Engine, func, select

from jalan.demo import past, pipeline, scenario, traffic
from jalan.demo.cluster import Cluster, ClusterError, free_port
from jalan.demo.nights import DAYS, write_past
from jalan.demo.report_desk import create_desk, read_content, served
from jalan.demo.runner import Runner, all_counts
from jalan.demo.sources import DESK_TOKEN, WHO, DemoSource, add_all, demo_sources
from jalan.service.context import Context
from jalan.service.ingest import sources
from jalan.service.logs import configure
from jalan.service.runs import worker
from jalan.store.database import create_database, migrate, open_store
from jalan.store.schema import Ingestion
from jalan.web.app import GRACE, create_app

WANTED_PORT = 8400
DESK_PORT = 8410


def fill_store(cluster: Cluster, databases: tuple[str, ...], store: str, desk: str) -> Engine:
    """Make the store in the cluster, add the demo's sources, and bring in what each of them has.

    desk: the address of the stand-in for reports.
    """
    os.environ.setdefault("JALAN_SECRET_KEY_FILE", str(cluster.directory / "secret.key"))
    # The demo's own servers are on this machine, and its files beside its databases: it may read and reach those.
    places = (Path.cwd(), cluster.directory, cluster.logs)
    os.environ.setdefault("JALAN_FILES", os.pathsep.join(map(str, places)))
    os.environ.setdefault("JALAN_REACH", f"* 127.0.0.1:{cluster.port} {urlsplit(desk).netloc}")
    create_database(store)
    engine = open_store(store)
    migrate(engine)
    found = demo_sources(cluster, databases, desk)
    ids = add_all(engine, found)
    with engine.connect() as connection:
        fresh = connection.execute(select(func.count()).where(Ingestion.state == "done")).scalar_one() == 0
    if fresh:
        _tell_past(engine, cluster, dict(zip((one.name for one in found), ids, strict=True)), found)
        # Of what was told for the past only the databases, which come first, say when they were last looked at.
        ids = ids[: len(databases)]
    for source in ids:
        sources.ingest(Context(engine, WHO), source)
    return engine


def _tell_past(engine: Engine, cluster: Cluster, ids: dict[str, int], found: list[DemoSource]) -> None:
    """Bring in what there was before the first of the past nights; then, at its time, the last commit's change."""
    context = Context(engine, WHO)
    began = datetime.now(UTC) - timedelta(days=DAYS + 1)
    committed, before, after = past.latest()
    released = max(committed + timedelta(hours=1), began + timedelta(days=1))
    (ferry,) = [one for one in found if one.config["kind"] == "repository"]
    (warehouse,) = [one for one in found if one.config.get("database") == scenario.WAREHOUSE]
    with scenario.connect(cluster, scenario.WAREHOUSE) as connection:
        # What nobody asked for is no part of the history of queries.
        connection.execute("set log_min_duration_statement = -1")
        connection.execute(before.encode())
        for name, source in ids.items():
            if name == ferry.name:
                sources.change(context, source, {**ferry.config, "revision": f"{past.BRANCH}~1"}, schedule=None)
            sources.ingest(context, source, at=began)
        sources.change(context, ids[ferry.name], ferry.config, schedule=ferry.schedule)
        connection.execute(after.encode())
    for one in (warehouse, ferry):
        sources.ingest(context, ids[one.name], at=released)


def serve(engine: Engine, frontend: Path, port: int, runner: Runner | None = None) -> None:
    """Serve until told to stop (Ctrl-C or SIGTERM). runner: begins when there is somebody to tell."""
    config = uvicorn.Config(
        create_app(engine, frontend),
        host="127.0.0.1",
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=GRACE,
    )
    server = uvicorn.Server(config)

    def stop(number: int, frame: FrameType | None) -> None:
        server.should_exit = True

    thread = threading.Thread(target=server.run)
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, stop)
    thread.start()
    address = engine.url.render_as_string(hide_password=False)
    with worker.beside(address, logging.WARNING):
        if runner is not None:
            runner.open()
        while thread.is_alive():
            thread.join(0.2)
        if runner is not None:
            runner.close()


def main() -> int:
    """Start the demo; returns the exit code."""
    parser = argparse.ArgumentParser(description="Start the demo: databases, pipeline, store and server.")
    parser.add_argument("--directory", type=Path, default=Path(".jalan/demo"), help="where its databases live")
    parser.add_argument("--frontend", type=Path, default=Path("frontend/dist"), help="the built front end")
    parser.add_argument("--port", type=int, default=WANTED_PORT, help="the port wanted (another one if taken)")
    arguments = parser.parse_args()

    configure(logging.WARNING)

    def say(message: str) -> None:
        print(f"demo: {message}", flush=True)

    try:
        cluster = Cluster(arguments.directory)
        cluster.start()
    except ClusterError as error:
        print(f"demo: {error}", file=sys.stderr)
        return 1
    try:
        say(f"PostgreSQL runs on 127.0.0.1:{cluster.port}, its data in {cluster.place}")
        databases = scenario.build(cluster, say=say)
        pipeline.mend(cluster, say)
        traffic.make_readers(cluster)
        traffic.ask(cluster)
        with served(create_desk(read_content(), DESK_TOKEN), DESK_PORT) as desk:
            say(f"a stand-in for a service of reports is at {desk}")
            engine = fill_store(cluster, databases, cluster.url("jalan"), desk)
            if written := write_past(engine, all_counts(cluster)):
                say(f"wrote {written:,} events of the last {DAYS} nights; they are taken in while it serves")
            port = free_port(arguments.port)
            say(f"Jalan is at http://127.0.0.1:{port} (Ctrl-C stops it and PostgreSQL)")
            serve(engine, arguments.frontend, port, Runner(cluster, f"http://127.0.0.1:{port}"))
    except KeyboardInterrupt:
        pass
    finally:
        say("stopping")
        cluster.stop()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
