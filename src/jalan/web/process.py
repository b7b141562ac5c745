"""Several processes that serve one store: each finds what it needs in the environment."""

import os
import socket
from pathlib import Path

import uvicorn
from fastapi import FastAPI
from uvicorn.supervisors.multiprocess import Multiprocess

from jalan.service.logs import configure
from jalan.service.settings import Settings
from jalan.store.database import open_store
from jalan.web.app import GRACE, create_app

FRONTEND, HOST = "JALAN_SERVE_FRONTEND", "JALAN_SERVE_HOST"


def serve(store: str, frontend: Path, host: str, port: int, workers: int) -> None:
    """Serve a store in several processes until told to stop. Raises OSError where the address is taken."""
    # The store's address has a password, so it goes by the environment, which other users cannot see.
    os.environ.update({"JALAN_STORE": store, FRONTEND: str(frontend.resolve()), HOST: host})
    name = f"{application.__module__}:{application.__name__}"
    config = uvicorn.Config(
        name,
        factory=True,
        workers=workers,
        host=host,
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=GRACE,
    )
    with _listening(host, port) as listener:
        Multiprocess(config, sockets=[listener]).run()


def _listening(host: str, port: int) -> socket.socket:
    """A socket whose connections send at once what is written: headers and body are written apart, and the second
    would wait for the first to be acknowledged."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listener = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    listener.bind((host, port))
    listener.set_inheritable(True)
    return listener


def application() -> FastAPI:
    """Return the application as the environment has it."""
    configure()
    return create_app(open_store(Settings().store), Path(os.environ[FRONTEND]), [os.environ[HOST]])
