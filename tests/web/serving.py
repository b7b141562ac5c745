"""The application over real HTTP, for tests of who talks to it."""

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import uvicorn
from sqlalchemy import Engine

from jalan.web.app import create_app


@contextmanager
def serving(engine: Engine) -> Iterator[str]:
    """The application over real HTTP; yields its address."""
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        config = uvicorn.Config(create_app(engine), log_level="critical", timeout_graceful_shutdown=1)
        server = uvicorn.Server(config)
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]})
        thread.start()
        while not server.started:
            time.sleep(0.01)
        try:
            yield f"http://127.0.0.1:{listener.getsockname()[1]}"
        finally:
            server.should_exit = True
            thread.join()
