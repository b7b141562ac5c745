"""What every request must have, and every answer gets: hosts that we are known by, no writes from other sites.

A page of somebody else must not reach a Jalan that runs on loopback: not by a name of its own that points there
(Host), and not by a form or script that writes (Origin, Sec-Fetch-Site; https://www.w3.org/TR/fetch-metadata/).
"""

from collections.abc import Iterable
from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from jalan.web.problems import problem

LOOPBACK = frozenset({"localhost", "127.0.0.1", "::1"})
_READING = frozenset({"GET", "HEAD", "OPTIONS"})
_SAME = frozenset({"same-origin", "none"})
_SAID = {
    "Content-Security-Policy": (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
        "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
_HEADERS = [(name.lower().encode(), value.encode()) for name, value in _SAID.items()]


class Guard:
    """Middleware around the application.

    hosts: names by which it may be asked, besides those of loopback.
    most_bytes: of the body of a request.
    """

    def __init__(self, app: ASGIApp, hosts: Iterable[str] = (), most_bytes: int = 16_000_000) -> None:
        self._app = app
        self._hosts = LOOPBACK | {host.lower() for host in hosts}
        self._most = most_bytes

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a request through, or answer why not."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*message.get("headers", ()), *_HEADERS]
            await send(message)

        headers = Headers(scope=scope)
        refused = self._refused(scope["method"], headers)
        if refused is not None:
            status, detail = refused
            await problem(scope["path"], status, "Refused", detail)(scope, receive, answer)
            return
        await self._app(scope, self._bounded(receive), answer)

    def _refused(self, method: str, headers: Headers) -> tuple[int, str] | None:
        host = headers.get("host", "")
        name = _name(host)
        if name not in self._hosts:
            return 400, f"this server is not known as “{name[:100]}”; name it in JALAN_HOSTS if it is"
        if method not in _READING:
            site, origin = headers.get("sec-fetch-site"), headers.get("origin")
            if (site is not None and site not in _SAME) or (origin is not None and urlsplit(origin).netloc != host):
                return 403, "a page of another site may not change anything here"
        length = headers.get("content-length", "0")
        if not length.isdecimal() or int(length) > self._most:
            return 413, f"a request may have at most {self._most} bytes"
        return None

    def _bounded(self, receive: Receive) -> Receive:
        seen = 0

        async def bounded() -> Message:
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            if seen > self._most:
                raise HTTPException(413, f"a request may have at most {self._most} bytes")
            return message

        return bounded


def _name(host: str) -> str:
    """The host of a Host header, without its port.

    >>> _name("[::1]:8400"), _name("LOCALHOST:8400"), _name("tide.internal")
    ('::1', 'localhost', 'tide.internal')
    """
    if host.startswith("["):
        return host[1:].partition("]")[0].lower()
    return host.partition(":")[0].lower()
