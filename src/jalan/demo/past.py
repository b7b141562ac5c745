"""The demo's repository as a real git repository: who wrote what when, up to what stands in this folder now."""

import os
import shutil
import subprocess
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from jalan.demo.scenario import REPOSITORY

BRANCH = "main"


@dataclass(frozen=True, slots=True)
class _Commit:
    """A commit: the files that it brings, as patterns; earlier: (file, now, then) where it was different then."""

    day: str
    author: str
    message: str
    patterns: tuple[str, ...]
    earlier: tuple[tuple[str, str, str], ...] = ()


_BOARD = "pipelines/mart/sailing_board.sql"
_CREW = "pipelines/core/crew_hours.sql"
_LATEST = (_BOARD, "v.gross as revenue", "v.net as revenue")
_COMMITS = (
    _Commit("2026-02-03", "Data platform", "Landing: copies of the source tables", ("pipelines/landing/*",)),
    _Commit("2026-02-10", "Data platform", "Tidy: one clean row a thing", ("pipelines/tidy/*",)),
    _Commit(
        "2026-03-02",
        "Revenue data",
        "Facts for revenue, crew and disruptions",
        ("pipelines/core/*",),
        ((_CREW, "r.hours / 8 * r.day_rate", "r.hours / 7.5 * r.day_rate"),),
    ),
    _Commit(
        "2026-03-16",
        "Reporting",
        "Marts and the nightly order",
        ("pipelines/mart/*", "pipelines/jalan.yaml"),
        (
            _LATEST,
            (_CREW, "r.hours / 8 * r.day_rate", "r.hours / 7.5 * r.day_rate"),
        ),
    ),
    _Commit(
        "2026-04-01",
        "Reporting",
        "Reports of the desks",
        ("reports/*",),
        (_LATEST,),
    ),
    _Commit(
        "2026-06-22",
        "Crew planning",
        "A duty is eight hours",
        (_CREW,),
        (_LATEST,),
    ),
    _Commit("2026-09-14", "Revenue desk", "The board shows fares before refunds, as the quay wants it", (_BOARD,)),
)


def make_repository(place: Path) -> Path:
    """Make the repository at a place, anew if what it is made of has changed; returns the place."""
    files = {str(path.relative_to(REPOSITORY)): path.read_text() for path in _files()}
    if place.exists() and (place / ".git").exists() and _is_current(place, files):
        return place
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir(parents=True)
    _git(place, "init", "--quiet", "--initial-branch", BRANCH)
    for commit in _COMMITS:
        then = dict(files)
        for name, now, before in commit.earlier:
            assert now in then[name], f"{name} no longer has {now}"
            then[name] = then[name].replace(now, before)
        for name, text in then.items():
            if any(Path(name).match(pattern) for pattern in commit.patterns):
                target = place / name
                target.parent.mkdir(parents=True, exist_ok=True)
                target.write_text(text)
        _git(place, "add", "--all")
        _git(place, "commit", "--quiet", "--message", commit.message, commit=commit)
    return place


def latest() -> tuple[datetime, str, str]:
    """Return when the last commit was made, and the text of the one file that it changed, before and after."""
    name, now, before = _LATEST
    text = (REPOSITORY / name).read_text()
    day = datetime.fromisoformat(f"{_COMMITS[-1].day}T09:30:00+00:00")
    return day, text.replace(now, before), text


def _files() -> list[Path]:
    return sorted(p for p in REPOSITORY.rglob("*") if p.is_file() and p.suffix in (".sql", ".yaml"))


def _is_current(place: Path, files: dict[str, str]) -> bool:
    there = {
        str(path.relative_to(place)): path.read_text()
        for path in place.rglob("*")
        if path.is_file() and ".git" not in path.relative_to(place).parts
    }
    return there == files


def _git(place: Path, *arguments: str, commit: _Commit | None = None) -> None:
    environment = {**os.environ, "GIT_CONFIG_GLOBAL": os.devnull, "GIT_CONFIG_NOSYSTEM": "1"}
    author, day = ("Data platform", "2026-02-01") if commit is None else (commit.author, commit.day)
    mail = f"{author.lower().replace(' ', '.')}@ferry.example"
    for role in ("AUTHOR", "COMMITTER"):
        environment |= {
            f"GIT_{role}_NAME": author,
            f"GIT_{role}_EMAIL": mail,
            f"GIT_{role}_DATE": f"{day}T09:30:00+00:00",
        }
    subprocess.run(["git", "-C", str(place), *arguments], env=environment, check=True, capture_output=True)
