"""Reads a git repository through the git command: the files of a revision, and the commits that changed them."""

import hashlib
import os
import subprocess
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from jalan.sources.errors import SourceError

_CHANGES = {"A": "added", "D": "removed"}
_FORMAT = "%x01%H%x1f%aI%x1f%an%x1f%s"
_TIMEOUT = 600
_SETTINGS = [
    part
    for setting in (
        "core.quotePath=false", "safe.directory=*", "core.fsmonitor=false", "core.hooksPath=/dev/null",
        "log.showSignature=false", "protocol.ext.allow=never",
    )
    for part in ("-c", setting)
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Commit:
    """A commit with the files that it changed: path → added, changed or removed."""

    revision: str
    authored_at: datetime
    author: str
    summary: str
    files: dict[str, str]


class Repository:
    """A repository: a local one as it lies there, a remote one as a mirror that is brought up to date."""

    def __init__(self, location: str, mirrors: Path | None = None) -> None:
        self.location = location
        path = Path(location).expanduser()
        if mirrors is None:
            if not path.exists():
                raise SourceError(f"{location}: there is no such folder")
            self._directory = path
            self._run("rev-parse", "--git-dir")
        else:
            self._directory = mirrors / hashlib.sha256(location.encode()).hexdigest()[:16]
            self._mirror()

    def _mirror(self) -> None:
        if (self._directory / "HEAD").exists():
            self._run("fetch", "--prune", "--quiet", "origin")
            return
        self._directory.parent.mkdir(parents=True, exist_ok=True)
        self._git(["clone", "--mirror", "--quiet", "--", self.location, str(self._directory)], None)

    def _run(self, *arguments: str, given: bytes | None = None) -> bytes:
        return self._git(["-C", str(self._directory), *arguments], given)

    def _git(self, arguments: list[str], given: bytes | None) -> bytes:
        # Nothing may ask a question, and no setting of a repository may have a program of its choice run.
        environment = {**os.environ, "GIT_TERMINAL_PROMPT": "0", "LC_ALL": "C", "GIT_OPTIONAL_LOCKS": "0"}
        command = ["git", *_SETTINGS, *arguments]
        try:
            done = subprocess.run(
                command, input=given, capture_output=True, env=environment, timeout=_TIMEOUT, check=False
            )
        except FileNotFoundError as error:
            raise SourceError("git is not installed; on Debian: apt-get install git") from error
        except subprocess.TimeoutExpired as error:
            raise SourceError(f"{self.location}: git did not answer within {_TIMEOUT} s") from error
        if done.returncode != 0:
            lines = done.stderr.decode(errors="replace").strip().splitlines() or ["git failed"]
            reason = next((line for line in lines if line.startswith("fatal: ")), lines[-1])
            raise SourceError(f"{self.location}: {reason.removeprefix('fatal: ')}")
        return done.stdout

    def resolve(self, revision: str) -> str:
        """Return the full name of the commit of a branch, tag or revision. Raises SourceError."""
        if revision.startswith("-"):
            raise SourceError(f"“{revision}” is no revision")
        try:
            return self._run("rev-parse", "--verify", "--quiet", f"{revision}^{{commit}}").decode().strip()
        except SourceError as error:
            known = ", ".join(self.branches()[:10])
            raise SourceError(
                f"{self.location}: there is no revision “{revision}”; branches are {known}"
            ) from error

    def branches(self) -> list[str]:
        """Return the names of the branches."""
        found = self._run("for-each-ref", "--format=%(refname:short)", "refs/heads").decode().splitlines()
        return found or ["(none)"]

    def contains(self, commit: str, ancestor: str) -> bool:
        """Whether a commit has another one among its ancestors."""
        try:
            self._run("merge-base", "--is-ancestor", ancestor, commit)
        except SourceError:
            return False
        return True

    def check_out(self, commit: str, folder: str, into: Path, suffixes: tuple[str, ...]) -> int:
        """Write the files of a commit that have one of these suffixes below a directory; returns how many."""
        wanted = []
        for entry in self._run("ls-tree", "-r", "-z", commit, "--", folder or ".").split(b"\0"):
            head, tab, name = entry.partition(b"\t")
            mode, kind, sha = [*head.split(b" "), b"", b"", b""][:3]
            # A link could point outside of the repository; what it points to is there under its own name.
            if tab and kind == b"blob" and mode != b"120000" and name.decode().endswith(suffixes):
                wanted.append((name.decode(), sha.decode()))
        for (path, _), content in zip(wanted, self._blobs(sha for _, sha in wanted), strict=True):
            target = into / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(content or b"")
        return len(wanted)

    def commits(self, commit: str, since: str | None, folder: str, suffixes: tuple[str, ...]) -> list[Commit]:
        """Return the commits up to one, oldest first, that changed files with one of these suffixes.

        since: only those that this ancestor does not have. A merge counts where it differs from all its parents.
        """
        span = commit if since is None else f"{since}..{commit}"
        patterns = [f"{folder.rstrip('/') + '/' if folder else ''}*{suffix}" for suffix in suffixes]
        text = self._run(
            "log", "--reverse", "--topo-order", "--no-renames", "--diff-merges=combined", "--name-status", "-z",
            f"--format={_FORMAT}", span, "--", *patterns,
        ).decode(errors="replace")  # fmt: skip
        found = []
        for entry in text.split("\x01")[1:]:
            head, _, rest = entry.partition("\0")
            revision, authored, author, summary = head.split("\x1f", 3)
            words = [word for word in rest.lstrip("\n").split("\0") if word.strip()]
            files = {
                path: _CHANGES.get(status.strip()[-1:], "changed")
                for status, path in zip(words[::2], words[1::2], strict=False)
            }
            found.append(Commit(revision, datetime.fromisoformat(authored), author, summary.strip(), files))
        return found

    def texts(self, places: Iterable[tuple[str, str]]) -> Iterator[str | None]:
        """Yield the text of each (commit, path), none where it is not there or not in UTF-8."""
        for content in self._blobs(f"{commit}:{path}" for commit, path in places):
            try:
                yield None if content is None else content.decode()
            except UnicodeDecodeError:
                yield None

    def _blobs(self, names: Iterable[str]) -> Iterator[bytes | None]:
        asked = "".join(f"{name}\n" for name in names)
        if not asked:
            return
        answer = self._run("cat-file", "--batch", given=asked.encode())
        at = 0
        for _ in range(asked.count("\n")):
            end = answer.index(b"\n", at)
            head = answer[at:end].split(b" ")
            at = end + 1
            if head[-1] == b"missing" or len(head) != 3:
                yield None
                continue
            size = int(head[2])
            yield answer[at : at + size]
            at += size + 1
