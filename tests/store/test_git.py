"""A real git repository with a long past."""

import os
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.service.ingest import sources
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.sources.git import Repository
from jalan.store.schema import Definition, Revision
from tests.store.state import content

COMMITS = 200
FILES = 10


class Past:
    """A repository whose commits are made by hand: fast, because git is asked once for all of them."""

    def __init__(self, place: Path) -> None:
        self.place = place
        self.place.mkdir()
        self.git("init", "--quiet", "--initial-branch", "main")

    def git(self, *arguments: str, given: str | None = None) -> str:
        command = [
            "git",
            "-C",
            str(self.place),
            "-c",
            "user.name=T",
            "-c",
            "user.email=t@ferry.example",
            *arguments,
        ]
        done = subprocess.run(command, input=given, capture_output=True, text=True, check=True)
        return done.stdout.strip()

    def commits(self, changes: list[tuple[str, str, str | None]], begin: int = 0, onto: str | None = None) -> None:
        """Each change is (author, path, text); no text removes the file."""
        lines = []
        for n, (author, path, text) in enumerate(changes):
            at = 1_770_000_000 + 3600 * (begin + n)
            message = f"change {begin + n} of {path}"
            lines.append(f"commit refs/heads/main\nauthor {author} <a@ferry.example> {at} +0000")
            lines.append(f"committer T <t@ferry.example> {at} +0000\ndata {len(message)}\n{message}")
            if n == 0 and onto is not None:
                lines.append(f"from {onto}")
            lines.append(f"D {path}" if text is None else f"M 644 inline {path}\ndata {len(text)}\n{text}")
        self.git("fast-import", "--quiet", "--force", given="\n".join(lines) + "\n")

    @property
    def head(self) -> str:
        return self.git("rev-parse", "main")


SETTINGS = (
    "server: islands:5432\ndatabase: strait\npipeline: nightly\nfiles:\n  core/*.sql: {job: core, owner: Desk}\n"
)


def _text(n: int) -> str:
    return f"insert into core.t{n % FILES} select fare_cents / {n}.0 as fare from landing.tickets;\n"


@pytest.fixture
def past(tmp_path: Path) -> Past:
    found = Past(tmp_path / "repo")
    changes: list[tuple[str, str, str | None]] = [("Ana Quay", "sql/jalan.yaml", SETTINGS)]
    changes += [(f"Author {n % 3}", f"sql/core/t{n % FILES}.sql", _text(n)) for n in range(1, COMMITS)]
    found.commits(changes)
    return found


def _load(store: Engine, past: Past, **values: object) -> sources.Outcome:
    config = parse_config(
        {"kind": "repository", "location": str(past.place), "revision": "main", "folder": "sql", **values}
    )
    return sources.ingest(
        Context(store, "test"), sources.ensure(Context(store, "test"), "repo", config), config=config
    )


def _points(store: Engine, path: str) -> list[Revision]:
    with Session(store) as session:
        query = select(Revision).where(Revision.path == path).order_by(Revision.authored_at)
        return list(session.scalars(query))


def test_every_commit_is_a_point_and_each_file_knows_the_one_that_gave_it_its_text(
    store: Engine, past: Past
) -> None:
    outcome = _load(store, past)
    assert outcome.totals["commits"] == COMMITS
    assert outcome.counts["revisions"] == COMMITS
    points = _points(store, "core/t3.sql")
    assert len(points) == COMMITS // FILES
    assert [p.change for p in points[:2]] == ["added", "changed"]
    assert [p.text for p in points] == [_text(n) for n in range(3, COMMITS, FILES)]
    with Session(store) as session:
        found = session.scalars(select(Definition).where(Definition.place == "core/t3.sql")).one()
        expected = past.git("log", "-1", "--format=%H|%an|%at", "main", "--", "sql/core/t3.sql").split("|")
        assert found.authored_at is not None
        assert [found.revision, found.author, str(int(found.authored_at.timestamp()))] == expected


def test_the_second_load_changes_nothing(store: Engine, past: Past) -> None:
    _load(store, past)
    before = content(store)
    assert _load(store, past).counts == {}
    assert content(store) == before


def test_only_new_commits_are_read(store: Engine, past: Past) -> None:
    _load(store, past)
    past.commits(
        [("Ana Quay", "sql/core/t3.sql", "insert into core.t3 select port from landing.tickets;\n"),
         ("Ana Quay", "sql/core/t4.sql", None), ("Ana Quay", "README.md", "no SQL\n")],
        begin=COMMITS, onto=past.head,
    )  # fmt: skip
    outcome = _load(store, past)
    assert outcome.totals["commits"] == 2, "the third changed no file that is read"
    assert (outcome.counts["definitions changed"], outcome.counts["definitions closed"]) == (1, 1)
    with Session(store) as session:
        rows = session.scalars(select(Definition).where(Definition.place.in_(["core/t3.sql", "core/t5.sql"])))
        authors = {(d.place, d.version): d.author for d in rows}
    assert authors[("core/t3.sql", 2)] == "Ana Quay"
    assert authors[("core/t5.sql", 1)] is not None, "what did not change keeps where it is from"
    assert _points(store, "core/t4.sql")[-1].change == "removed"


def test_a_past_that_was_rewritten_is_read_anew(store: Engine, past: Past) -> None:
    _load(store, past)
    past.commits([("Ana Quay", "sql/jalan.yaml", SETTINGS), ("Ana Quay", "sql/core/t3.sql", "select 1;\n")])
    assert _load(store, past).totals["commits"] == 2
    assert len(_points(store, "core/t3.sql")) == COMMITS // FILES + 1


def test_a_branch_a_tag_and_a_commit_can_be_read(past: Past, tmp_path: Path) -> None:
    first = past.git("rev-list", "--max-parents=0", "main")
    past.git("tag", "before", first)
    repository = Repository(str(past.place))
    assert repository.resolve("before") == repository.resolve(first[:10]) == first
    assert list(repository.tree(first, "", (".yaml",))) == ["sql/jalan.yaml"]
    assert repository.contains(past.head, first)
    assert not repository.contains(first, past.head)
    with pytest.raises(SourceError, match=r"there is no revision “nowhere”; branches are main"):
        repository.resolve("nowhere")
    with pytest.raises(SourceError, match="is no revision"):
        repository.resolve("--upload-pack=x")


def test_a_remote_is_mirrored_and_brought_up_to_date(past: Past, tmp_path: Path) -> None:
    mirrors = tmp_path / "mirrors"
    with serving(past.place.parent) as address:
        place = f"{address}/{past.place.name}"
        assert Repository(place, mirrors, ["git"]).resolve("main") == past.head
        past.commits([("Ana Quay", "sql/core/new.sql", "select 1;\n")], begin=COMMITS, onto=past.head)
        assert Repository(place, mirrors, ["git"]).resolve("main") == past.head
        with pytest.raises(SourceError, match="transport 'git' not allowed"):
            Repository(place, tmp_path / "others")
        with pytest.raises(SourceError, match="access denied or repository not exported"):
            Repository(f"{address}/nothing", mirrors, ["git"])


@contextmanager
def serving(folder: Path) -> Iterator[str]:
    """A git server on loopback, that is ended with its children."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = ["git", "daemon", "--export-all", "--reuseaddr", "--listen=127.0.0.1", f"--port={port}"]
    server = subprocess.Popen([*command, f"--base-path={folder}"], start_new_session=True)
    try:
        for _ in range(100):
            try:
                socket.create_connection(("127.0.0.1", port), 1).close()
                break
            except OSError:
                time.sleep(0.05)
        yield f"git://127.0.0.1:{port}"
    finally:
        os.killpg(server.pid, signal.SIGTERM)
        server.wait()


def test_nothing_that_a_repository_configures_is_run(past: Past, tmp_path: Path) -> None:
    mark = tmp_path / "was run"
    program = tmp_path / "program"
    program.write_text(f"#!/bin/sh\ntouch '{mark}'\n")
    program.chmod(0o755)
    for name in (
        "core.sshCommand", "core.fsmonitor", "core.pager", "core.askPass", "core.alternateRefsCommand",
        "uploadpack.packObjectsHook", "gpg.program", "diff.external",
    ):  # fmt: skip
        past.git("config", name, str(program))
    past.git("config", "core.hooksPath", str(tmp_path))
    past.git("config", "log.showSignature", "true")
    past.git("config", "remote.origin.url", "ssh://nowhere.example/x")
    past.git("config", "remote.origin.promisor", "true")
    past.git("config", "extensions.partialClone", "origin")
    head = past.head
    blob = past.git("rev-parse", f"{head}:sql/jalan.yaml")
    for location in (str(past.place), past.place.as_uri()):
        repository = Repository(location)
        assert repository.resolve("main") == head
        assert repository.commits(head, None, "sql", (".sql",))
        assert list(repository.texts([(head, "sql/jalan.yaml"), (head, "nothing.sql")]))[1] is None
    for packed in (past.place / ".git" / "objects").rglob("*.pack"):
        packed.unlink()  # everything is missing now, and would be fetched
    with pytest.raises(SourceError):
        Repository(str(past.place)).tree(head, "sql", (".yaml",))
    assert list(Repository(str(past.place)).texts([(blob, "")])) == [None]
    assert not mark.exists()


def test_names_that_lead_elsewhere_are_left_out_and_told(past: Past, tmp_path: Path) -> None:
    blob = bytes.fromhex(past.git("hash-object", "-w", "--stdin", given="select 1;\n"))
    names = [
        b"../../out.sql",
        b"/etc/out.sql",
        b".git/x.sql",
        b"a\\b.sql",
        b"line\nend.sql",
        b"\xff.sql",
        b"good.sql",
    ]
    tree = b"".join(b"100644 " + name + b"\0" + blob for name in names)
    command = ["git", "-C", str(past.place), "hash-object", "-w", "--literally", "-t", "tree", "--stdin"]
    made = subprocess.run(command, input=tree, capture_output=True, check=True).stdout.decode().strip()
    commit = past.git("commit-tree", "-m", "odd", made)
    repository = Repository(str(past.place))
    found = repository.tree(commit, "", (".sql",))
    assert [name for name, content in found.items() if isinstance(content, bytes)] == ["good.sql"]
    assert len(found) == len(names)
    assert not list(tmp_path.rglob("*.sql"))
    (odd,) = repository.commits(commit, None, "", (".sql",))
    places = [(odd.revision, path) for path in odd.files]
    assert len(list(repository.texts(places))) == len(places) >= len(names)


def test_a_work_tree_and_a_folder_inside_are_read(past: Past, tmp_path: Path) -> None:
    past.git("checkout", "--quiet", "main")
    past.git("worktree", "add", "--quiet", "--detach", str(tmp_path / "beside"))
    for place in (tmp_path / "beside", past.place / "sql", past.place / ".git"):
        assert Repository(str(place)).resolve("main") == past.head
        assert Repository(str(place)).resolve("HEAD") == past.head
    with pytest.raises(SourceError, match="not a git repository"):
        Repository(str(tmp_path))


def test_links_and_odd_names_in_a_repository(past: Past, tmp_path: Path) -> None:
    (past.place / "sql").mkdir(exist_ok=True)
    past.git("checkout", "--quiet", "main")
    (past.place / "sql" / "core" / "naïve name.sql").write_text("select 1;\n")
    (past.place / "sql" / "core" / "outside.sql").symlink_to("/etc/passwd")
    past.git("add", "--all")
    past.git("commit", "--quiet", "--message", "odd")
    found = Repository(str(past.place)).tree(past.head, "sql", (".sql",))
    assert found["core/naïve name.sql"] == b"select 1;\n"
    assert "core/outside.sql" not in found
    (commit,) = Repository(str(past.place)).commits(past.head, past.git("rev-parse", "main~1"), "sql", (".sql",))
    assert "sql/core/naïve name.sql" in commit.files


def test_a_plain_folder_has_no_commits(store: Engine, past: Past) -> None:
    past.git("checkout", "--quiet", "main")
    config = parse_config({"kind": "repository", "location": str(past.place / "sql")})
    outcome = sources.ingest(
        Context(store, "test"), sources.ensure(Context(store, "test"), "plain", config), config=config
    )
    assert outcome.totals == {"files": FILES, "reports": 0, "elements": 0}
    with Session(store) as session:
        assert session.scalars(select(Revision)).all() == []
        job = session.scalars(select(Definition).limit(1)).one().job_id
        assert job is not None
