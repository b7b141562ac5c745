"""The application in one of several processes that serve a store; what it needs stands in the environment."""

import os
from pathlib import Path

from fastapi import FastAPI

from jalan.service.logs import configure
from jalan.service.settings import Settings
from jalan.store.database import open_store
from jalan.web.app import create_app

FRONTEND, HOST = "JALAN_SERVE_FRONTEND", "JALAN_SERVE_HOST"


def environment(store: str, frontend: Path, host: str) -> dict[str, str]:
    """Return what ``application`` is to find; the store's address has a password, which others must not see."""
    return {"JALAN_STORE": store, FRONTEND: str(frontend.resolve()), HOST: host}


def application() -> FastAPI:
    """Return the application as the environment has it."""
    configure()
    return create_app(open_store(Settings().store), Path(os.environ[FRONTEND]), [os.environ[HOST]])
