"""Trying a configuration: in a process of its own, which may end in any way."""

import os
from pathlib import Path

import pytest

from jalan.service.errors import Conflict, Invalid
from jalan.service.ingest import trial
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError


def _declared(path: Path) -> dict[str, str]:
    path.write_text("by: Quay\nlinks:\n  - {from: a.b, to: c.d, because: so}\n")
    return {"kind": "declared", "location": str(path)}


def test_it_says_what_a_run_would_bring(tmp_path: Path) -> None:
    found = trial.try_config(parse_config(_declared(tmp_path / "a.yaml")))
    assert [(part.what, part.count) for part in found.parts] == [("declared links", 1), ("consumers", 0)]


def test_what_is_wrong_is_said_as_the_server_would_say_it(tmp_path: Path) -> None:
    with pytest.raises(SourceError, match="there is no file"):
        trial.try_config(parse_config({"kind": "events", "file": str(tmp_path / "x.json")}))
    config = {"kind": "reports", "url": "http://127.0.0.1:1", "token": "env:JALAN_SOURCE_NONE", "known_as": "x"}
    with pytest.raises(Invalid, match="JALAN_SOURCE_NONE is not set"):
        trial.try_config(parse_config({**config, "server": "a:1"}))


def test_a_trial_that_takes_too_long_or_too_much_is_ended(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    config = parse_config(_declared(tmp_path / "a.yaml"))
    monkeypatch.setenv("JALAN_PREVIEW_SECONDS", "0.01")
    with pytest.raises(SourceError, match=r"nothing was found out within 0\.01 s"):
        trial.try_config(config)
    monkeypatch.setenv("JALAN_PREVIEW_SECONDS", "60")
    monkeypatch.setenv("JALAN_PREVIEW_MEGABYTES", "300")
    (tmp_path / "big.json").write_text("[" + "[1]," * 20_000_000 + "1]")
    with pytest.raises(SourceError, match="more than 300 MB of memory"):
        trial.try_config(parse_config({"kind": "events", "file": str(tmp_path / "big.json")}))


def test_only_so_many_are_tried_at_once(tmp_path: Path) -> None:
    config = parse_config(_declared(tmp_path / "a.yaml"))
    taken = 0
    while trial._free.acquire(blocking=False):
        taken += 1
    try:
        with pytest.raises(Conflict, match="being tried already"):
            trial.try_config(config)
    finally:
        for _ in range(taken):
            trial._free.release()


def test_the_process_knows_neither_store_nor_key(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    program = tmp_path / "python"
    program.write_text('#!/bin/sh\nenv > "$(dirname "$0")/environment"\necho \'{"preview": {}}\'\n')
    program.chmod(0o755)
    monkeypatch.setenv("JALAN_STORE", "postgresql://secret-store")
    monkeypatch.setenv("JALAN_SECRET_KEY", "secret-key")
    monkeypatch.setattr("sys.executable", str(program))
    assert trial.try_config(parse_config(_declared(tmp_path / "a.yaml"))).parts == []
    seen = (tmp_path / "environment").read_text()
    assert os.environ["JALAN_REACH"] in seen
    assert "secret-store" not in seen
    assert "secret-key" not in seen
