"""Reads a git repository through the git command: the files of a revision, and the commits that changed them."""

import hashlib
import os
import re
import subprocess
import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from urllib.parse import unquote

from jalan.sources.errors import SourceError
from jalan.sources.git_borrowing import borrow, find_repository, object_format

_CHANGES = {"A": "added", "D": "removed"}
_FORMAT = "%x01%H%x1f%aI%x1f%an%x1f%s"
_TIMEOUT = 600
_SETTINGS = [
    part
    for setting in (
        "core.quotePath=false", "core.fsmonitor=false", "core.hooksPath=/dev/null", "log.showSignature=false",
        "transfer.fsckObjects=true", "protocol.allow=never", "gc.auto=0", "maintenance.auto=false",
    )
    for part in ("-c", setting)
]  # fmt: skip
# Variables that would let git look elsewhere than it is told.
_ELSEWHERE = frozenset({
    "GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE", "GIT_COMMON_DIR", "GIT_NAMESPACE", "GIT_CONFIG",
    "GIT_OBJECT_DIRECTORY", "GIT_ALTERNATE_OBJECT_DIRECTORIES", "GIT_ALLOW_PROTOCOL",
})  # fmt: skip
_CONTROL = re.compile(r"[\x00-\x1f\x7f]")


@dataclass(frozen=True, slots=True)
class Commit:
    """A commit with the files that it changed: path → added, changed or removed."""

    revision: str
    authored_at: datetime
    author: str
    summary: str
    files: dict[str, str]


class Repository:
    """A repository: of a local one the objects are borrowed, a remote one is a mirror that is brought up to date.
    Git never runs in a directory that somebody else has made. protocols: those by which remotes are reached.

    refused: names of files that ``check_out`` left out, because they would lie elsewhere or cannot be written.
    """

    def __init__(
        self, location: str, mirrors: Path | None = None, protocols: Iterable[str] = ("https", "ssh")
    ) -> None:
        self.location = location
        self.refused: list[str] = []
        self._protocols = [part for name in protocols for part in ("-c", f"protocol.{name}.allow=always")]
        if location.startswith("file://"):
            location, mirrors = unquote(location.removeprefix("file://")), None
        if mirrors is None:
            self._borrowed = tempfile.TemporaryDirectory(prefix="jalan-git-")
            self._directory = Path(self._borrowed.name)
            self._borrow(Path(location).expanduser())
        else:
            self._directory = mirrors / hashlib.sha256(location.encode()).hexdigest()[:16]
            self._mirror()

    def _borrow(self, path: Path) -> None:
        if not path.exists():
            raise SourceError(f"{self.location}: there is no such folder")
        foreign = find_repository(path.absolute())
        if foreign is None:
            raise SourceError(f"{self.location}: not a git repository, nor is any folder above it")
        kind = f"--object-format={object_format(foreign)}"
        self._git(["init", "--bare", "--quiet", "--template=", kind, "--", str(self._directory)], None)
        borrow(foreign, self._directory)

    def _mirror(self) -> None:
        if (self._directory / "HEAD").exists():
            self._run("fetch", "--prune", "--quiet", "origin")
            return
        self._directory.parent.mkdir(parents=True, exist_ok=True)
        self._git(["clone", "--mirror", "--quiet", "--", self.location, str(self._directory)], None)

    def _run(self, *arguments: str, given: bytes | None = None) -> bytes:
        return self._git([f"--git-dir={self._directory}", *arguments], given)

    def _git(self, arguments: list[str], given: bytes | None) -> bytes:
        # Nothing may ask a question, and no setting of a repository may have a program of its choice run.
        environment = {name: value for name, value in os.environ.items() if name not in _ELSEWHERE}
        environment |= {
            "GIT_TERMINAL_PROMPT": "0", "LC_ALL": "C", "GIT_OPTIONAL_LOCKS": "0", "GIT_NO_REPLACE_OBJECTS": "1",
            "GIT_NO_LAZY_FETCH": "1",
        }  # fmt: skip
        command = ["git", *_SETTINGS, *self._protocols, *arguments]
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
        for entry in self._run("ls-tree", "-r", "-z", "--full-tree", commit, "--", folder or ".").split(b"\0"):
            head, tab, written = entry.partition(b"\t")
            mode, kind, sha = [*head.split(b" "), b"", b"", b""][:3]
            # A link could point outside of the repository; what it points to is there under its own name.
            if not tab or kind != b"blob" or mode == b"120000":
                continue
            name = written.decode(errors="backslashreplace")
            if name.endswith(suffixes):
                if _stays_below(name) and name.encode() == written:
                    wanted.append((name, sha.decode()))
                else:
                    self.refused.append(name)
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


def _stays_below(name: str) -> bool:
    """Whether a file of this name lies where it says, below the folder in which it is written.

    >>> _stays_below("core/ports.sql"), _stays_below("x/../../out.sql"), _stays_below("/etc/x.sql")
    (True, False, False)
    """
    parts = name.split("/")
    odd = any(part in ("", ".", "..") or part.lower().rstrip(". ") == ".git" for part in parts)
    return not odd and "\\" not in name and _CONTROL.search(name) is None
