"""What a page of another site can reach, and what every answer carries."""

import asyncio

import pytest
from httpx import ASGITransport, AsyncClient, Response
from typer.testing import CliRunner

from jalan.cli.main import app as commands
from jalan.web.app import create_app
from tests.conftest import Demo


def ask(demo: Demo, method: str, path: str, **options: object) -> Response:
    hosts = options.pop("hosts", ())

    async def asking() -> Response:
        transport = ASGITransport(app=create_app(demo.engine, hosts=hosts))  # type: ignore[arg-type]
        async with AsyncClient(transport=transport, base_url="http://localhost:8400") as client:
            return await client.request(method, path, **options)  # type: ignore[arg-type]

    return asyncio.run(asking())


@pytest.mark.parametrize("host", ["evil.example", "localhost.evil.example", "127.0.0.1.evil.example:8400", ""])
def test_a_name_that_somebody_else_points_here_is_refused(demo: Demo, host: str) -> None:
    answer = ask(demo, "GET", "/api/v1/overview", headers={"Host": host})
    assert answer.status_code == 400
    assert answer.headers["content-type"] == "application/problem+json"
    assert "JALAN_HOSTS" in answer.json()["detail"]


@pytest.mark.parametrize("host", ["localhost:8400", "127.0.0.1", "[::1]:8400", "TIDE.internal"])
def test_our_own_names_are_answered(demo: Demo, host: str) -> None:
    answer = ask(demo, "GET", "/api/v1/overview", headers={"Host": host}, hosts=["tide.internal"])
    assert answer.status_code == 200


@pytest.mark.parametrize(
    "headers",
    [
        {"Origin": "http://evil.example"},
        {"Origin": "null"},
        {"Origin": "http://localhost:9999"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Sec-Fetch-Site": "same-site"},
    ],
)
def test_other_sites_change_nothing(demo: Demo, headers: dict[str, str]) -> None:
    answer = ask(demo, "POST", "/api/v1/sources/1/ingestions", headers=headers)
    assert answer.status_code == 403
    assert ask(demo, "GET", "/api/v1/overview", headers=headers).status_code == 200


def test_our_own_pages_and_programs_may_write(demo: Demo) -> None:
    for headers in ({}, {"Origin": "http://localhost:8400", "Sec-Fetch-Site": "same-origin"}):
        assert ask(demo, "POST", "/api/v1/sources/99999/ingestions", headers=headers).status_code == 404


def test_every_answer_says_what_a_browser_may_do_with_it(demo: Demo) -> None:
    for path in ("/api/v1/overview", "/api/nothing"):
        headers = ask(demo, "GET", path).headers
        assert "script" not in headers["content-security-policy"], "scripts only from here, none in the page"
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["referrer-policy"] == "same-origin"


def test_bodies_have_a_limit(demo: Demo) -> None:
    assert ask(demo, "POST", "/api/v1/sources", content=b"x" * 16_000_001).status_code == 413

    async def pieces():  # type: ignore[no-untyped-def]
        for _ in range(17):
            yield b" " * 1_000_000

    streamed = ask(demo, "POST", "/api/v1/sources", content=pieces(), headers={"Content-Type": "application/json"})
    assert streamed.status_code == 413


def test_serving_to_others_must_be_meant() -> None:
    refused = CliRunner().invoke(commands, ["serve", "--host", "0.0.0.0", "--frontend", "."])
    assert refused.exit_code == 2
    assert "there are no accounts yet" in refused.output
