"""``python -m jalan.demo.start``: everything the demo needs, from an empty folder to a served address."""

import argparse
import signal
import sys
import threading
from pathlib import Path
from types import FrameType

import uvicorn
from sqlalchemy import Engine

from jalan.demo import scenario
from jalan.demo.cluster import Cluster, ClusterError, free_port
from jalan.service.ingest import load, scan
from jalan.store.database import create_database, migrate, open_store
from jalan.web.app import create_app

KNOWN_AS = "islands:5432"  # the server's name in the catalogue, whatever port it got today
WANTED_PORT = 8400


def fill_store(cluster: Cluster, databases: tuple[str, ...], store: str) -> Engine:
    """Make the store in the cluster, scan the demo's databases and load its repository."""
    create_database(store)
    engine = open_store(store)
    migrate(engine)
    for database in databases:
        scan(engine, cluster.url(database).replace("+psycopg", ""), known_as=KNOWN_AS)
    load(engine, scenario.REPOSITORY, name="ferry")
    return engine


def serve(engine: Engine, frontend: Path, port: int) -> None:
    """Serve until told to stop (Ctrl-C or SIGTERM)."""
    config = uvicorn.Config(create_app(engine, frontend), host="127.0.0.1", port=port, log_level="warning")
    server = uvicorn.Server(config)

    def stop(number: int, frame: FrameType | None) -> None:
        server.should_exit = True

    thread = threading.Thread(target=server.run)
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, stop)
    thread.start()
    while thread.is_alive():
        thread.join(0.2)


def main() -> int:
    """Start the demo; returns the exit code."""
    parser = argparse.ArgumentParser(description="Start the demo: databases, pipeline, store and server.")
    parser.add_argument("--directory", type=Path, default=Path(".jalan/demo"), help="where its databases live")
    parser.add_argument("--frontend", type=Path, default=Path("frontend/dist"), help="the built front end")
    parser.add_argument("--port", type=int, default=WANTED_PORT, help="the port wanted (another one if taken)")
    arguments = parser.parse_args()

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
        engine = fill_store(cluster, databases, cluster.url("jalan"))
        port = free_port(arguments.port)
        say(f"Jalan is at http://127.0.0.1:{port} (Ctrl-C stops it and PostgreSQL)")
        serve(engine, arguments.frontend, port)
    except KeyboardInterrupt:
        pass
    finally:
        say("stopping")
        cluster.stop()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
