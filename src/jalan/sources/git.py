"""Reads a git repository through the git command: the files of a revision, and the commits that changed them."""

import hashlib
import os
import re
import subprocess
import tempfile
from base64 import b64encode
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from secrets import token_hex
from urllib.parse import unquote, urlsplit

from jalan.sources.allowed import EVERYTHING, Allowed
from jalan.sources.errors import FileError, SourceError
from jalan.sources.files import MOST_TEXT, Files, shown_name, text_of
from jalan.sources.git_borrowing import borrow, find_repository, object_format, places_of_objects
from jalan.sources.hosts import Hosts

_CHANGES = {"A": "added", "D": "removed"}
_TIMEOUT = 600
_BATCH = 64_000_000  # bytes of files that are held at a time, besides those that are kept
_BATCH_FILES = 20_000
_SETTINGS = [
    part
    for setting in (
        "core.quotePath=false",
        "core.fsmonitor=false",
        "core.hooksPath=/dev/null",
        "log.showSignature=false",
        "transfer.fsckObjects=true",
        "protocol.allow=never",
        "gc.auto=0",
        "maintenance.auto=false",
        "http.followRedirects=false",
    )
    for part in ("-c", setting)
]
# Variables that would let git look elsewhere than it is told.
_ELSEWHERE = frozenset(
    {
        "GIT_DIR",
        "GIT_WORK_TREE",
        "GIT_INDEX_FILE",
        "GIT_COMMON_DIR",
        "GIT_NAMESPACE",
        "GIT_CONFIG",
        "GIT_OBJECT_DIRECTORY",
        "GIT_ALTERNATE_OBJECT_DIRECTORIES",
        "GIT_ALLOW_PROTOCOL",
    }
)
_CONTROL = re.compile(r"[\x00-\x1f\x7f]")
_PORTS = {"https": 443, "http": 80, "ssh": 22, "git": 9418}
_BY_SSH = re.compile(r"^(?:[^/\s@]+@)?([^/\s:@]+):")


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
    Git never runs in a directory that somebody else has made.

    protocols: those by which remotes are reached.
    credentials: ``user:password``, or a token, for a remote reached by https.
    """

    def __init__(
        self,
        location: str,
        mirrors: Path | None = None,
        protocols: Iterable[str] = ("https", "ssh"),
        *,
        allowed: Allowed = EVERYTHING,
        credentials: str | None = None,
    ) -> None:
        self.location = location
        self._settings = [part for name in protocols for part in ("-c", f"protocol.{name}.allow=always")]
        self._secret: dict[str, str] = {}
        if location.startswith("file://"):
            location, mirrors = unquote(location.removeprefix("file://")), None
        if mirrors is None:
            self._borrowed = tempfile.TemporaryDirectory(prefix="jalan-git-")
            self._directory = Path(self._borrowed.name)
            self._borrow(location, allowed.files)
        else:
            self._reach(allowed.hosts, credentials)
            self._directory = mirrors / hashlib.sha256(location.encode()).hexdigest()[:16]
            self._mirror()

    def _reach(self, hosts: Hosts, credentials: str | None) -> None:
        """Check that the server may be reached, and have git go where that was checked."""
        by_ssh = None if "://" in self.location else _BY_SSH.match(self.location)
        try:
            parts = urlsplit(f"ssh://{by_ssh[1]}" if by_ssh else self.location)
            host, port = parts.hostname or "", parts.port or _PORTS.get(parts.scheme, 0)
        except ValueError as error:
            raise SourceError(f"{self.location}: this is no address ({error})") from error
        address = hosts.address(host, port)
        if parts.scheme not in ("https", "http"):
            return
        shown = f"[{address}]" if ":" in address else address
        self._settings += ["-c", f"http.curloptResolve={host}:{port}:{shown}"]
        if credentials:
            # By the environment, which other users cannot see, and for this server alone.
            given = b64encode(credentials.encode()).decode()
            self._secret = {
                "GIT_CONFIG_COUNT": "1",
                "GIT_CONFIG_KEY_0": f"http.{parts.scheme}://{parts.netloc.rpartition('@')[2]}/.extraHeader",
                "GIT_CONFIG_VALUE_0": f"Authorization: Basic {given}",
            }

    def _borrow(self, location: str, files: Files) -> None:
        path = files.place(location)
        if not path.exists():
            raise SourceError(f"{self.location}: there is no such folder")
        foreign = find_repository(path)
        if foreign is None:
            raise SourceError(f"{self.location}: not a git repository, nor is any folder above it")
        for place in places_of_objects(foreign):
            files.place(place)
        kind = f"--object-format={object_format(foreign)}"
        self._git(["init", "--bare", "--quiet", "--template=", kind, "--", str(self._directory)], None)
        borrow(foreign, self._directory)

    def _mirror(self) -> None:
        if (self._directory / "HEAD").exists():
            self._run("fetch", "--prune", "--quiet", "origin")
            return
        self._directory.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._git(["clone", "--mirror", "--quiet", "--", self.location, str(self._directory)], None)

    def _run(self, *arguments: str, given: bytes | None = None) -> bytes:
        return self._git([f"--git-dir={self._directory}", *arguments], given)

    def _git(self, arguments: list[str], given: bytes | None) -> bytes:
        # Nothing may ask a question, and no setting of a repository may have a program of its choice run.
        environment = {name: value for name, value in os.environ.items() if name not in _ELSEWHERE}
        environment |= {
            "GIT_TERMINAL_PROMPT": "0",
            "LC_ALL": "C",
            "GIT_OPTIONAL_LOCKS": "0",
            "GIT_NO_REPLACE_OBJECTS": "1",
            "GIT_NO_LAZY_FETCH": "1",
            **self._secret,
        }
        command = ["git", *_SETTINGS, *self._settings, *arguments]
        try:
            done = subprocess.run(
                command,
                input=given,
                capture_output=True,
                env=environment,
                timeout=_TIMEOUT,
                check=False,
                umask=0o077,
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

    def tree(self, commit: str, folder: str, suffixes: tuple[str, ...]) -> dict[str, bytes | FileError]:
        """Return the files of a commit that have one of these suffixes: path below the folder → content, or why
        it cannot be read. Nothing is written to disk."""
        found: dict[str, bytes | FileError] = {}
        wanted = []
        prefix = f"{folder.strip('/')}/" if folder.strip("/") else ""
        for entry in self._run("ls-tree", "-r", "-z", "--full-tree", commit, "--", prefix or ".").split(b"\0"):
            head, tab, written = entry.partition(b"\t")
            mode, kind, sha = [*head.split(b" "), b"", b"", b""][:3]
            # A link could point outside of the repository; what it points to is there under its own name.
            if not tab or kind != b"blob" or mode == b"120000":
                continue
            name = written.decode(errors="backslashreplace")
            if not name.endswith(suffixes):
                continue
            shown = shown_name(name).removeprefix(prefix)
            if _stays_below(name) and name.encode() == written:
                wanted.append((shown, sha.decode()))
            else:
                found[shown] = FileError(shown, 1, "a file of this name is not read: it would lie elsewhere")
        for (shown, _), content in zip(wanted, self._blobs([sha for _, sha in wanted]), strict=True):
            message = f"this is larger than {MOST_TEXT:,} bytes, or its content is missing"
            found[shown] = FileError(shown, 1, message) if content is None else content
        return found

    def commits(self, commit: str, since: str | None, folder: str, suffixes: tuple[str, ...]) -> list[Commit]:
        """Return the commits up to one, oldest first, that changed files with one of these suffixes.

        since: only those that this ancestor does not have. A merge counts where it differs from all its parents.
        """
        span = commit if since is None else f"{since}..{commit}"
        patterns = [f"{folder.rstrip('/') + '/' if folder else ''}*{suffix}" for suffix in suffixes]
        # Names and messages are anybody's words: what parts them is a word that nobody can know before.
        part = f"\x1e{token_hex(8)}\x1e"
        text = self._run(
            "log",
            "--reverse",
            "--topo-order",
            "--no-renames",
            "--diff-merges=combined",
            "--name-status",
            "-z",
            f"--format={part}%H{part}%at{part}%an{part}%s",
            span,
            "--",
            *patterns,
        ).decode(errors="replace")
        found = []
        words = text.split(part)[1:]
        for revision, authored, author, rest in zip(*(words[n::4] for n in range(4)), strict=True):
            summary, *names = rest.split("\0")
            names = [name for name in (name.lstrip("\n") for name in names) if name]
            files = {
                path: _CHANGES.get(status.strip()[-1:], "changed")
                for status, path in zip(names[::2], names[1::2], strict=False)
            }
            found.append(Commit(revision, _time(authored), author, summary.strip(), files))
        return found

    def texts(self, places: Iterable[tuple[str, str]]) -> Iterator[str | None]:
        """Yield the text of each (commit, path), none where it is not there or is no text."""
        for content in self._blobs([f"{commit}:{path}" for commit, path in places]):
            try:
                yield None if content is None else text_of("", content)
            except FileError:
                yield None

    def _blobs(self, names: Sequence[str]) -> Iterator[bytes | None]:
        """Yield the content of each object, none where it is missing, no file, or larger than a text may be."""
        sizes = self._sizes(names)
        batch: list[tuple[str, int]] = []
        for name, size in zip(names, sizes, strict=True):
            batch.append((name, -1 if size is None or size > MOST_TEXT else size))
            if sum(size for _, size in batch if size > 0) >= _BATCH or len(batch) >= _BATCH_FILES:
                yield from self._contents(batch)
                batch.clear()
        yield from self._contents(batch)

    def _sizes(self, names: Sequence[str]) -> list[int | None]:
        """Return how large each file is; none where there is none of that name."""
        # A line end would be a second question, and a path with dots is taken from a folder that there is not.
        asked = {
            name for name in names if "\n" not in name and not name.partition(":")[2].startswith(("./", "../"))
        }
        given = "".join(f"{name}\n" for name in names if name in asked).encode(errors="replace")
        answer = self._run("cat-file", "--batch-check=%(objecttype) %(objectsize)", given=given) if asked else b""
        told = iter(answer.splitlines())
        found: list[int | None] = []
        for name in names:
            kind, _, size = (next(told, b"") if name in asked else b"").partition(b" ")
            found.append(int(size) if kind == b"blob" and size.isdigit() else None)
        return found

    def _contents(self, batch: list[tuple[str, int]]) -> Iterator[bytes | None]:
        given = "".join(f"{name}\n" for name, size in batch if size >= 0).encode(errors="replace")
        answer = self._run("cat-file", "--batch", given=given) if given else b""
        at = 0
        for _, size in batch:
            if size < 0:
                yield None
                continue
            start = answer.index(b"\n", at) + 1
            yield answer[start : start + size]
            at = start + size + 1


def _time(seconds: str) -> datetime:
    """When a commit was made; one that says no year that there is counts as the beginning of time.

    >>> _time("86400"), _time("99999999999999")
    (datetime.datetime(1970, 1, 2, 0, 0, tzinfo=datetime.timezone.utc), \
datetime.datetime(1970, 1, 1, 0, 0, tzinfo=datetime.timezone.utc))
    """
    try:
        return datetime.fromtimestamp(int(seconds), UTC)
    except (ValueError, OverflowError, OSError):
        return datetime.fromtimestamp(0, UTC)


def _stays_below(name: str) -> bool:
    """Whether a file of this name lies where it says, below the folder in which it is written.

    >>> _stays_below("core/ports.sql"), _stays_below("x/../../out.sql"), _stays_below("/etc/x.sql")
    (True, False, False)
    """
    parts = name.split("/")
    odd = any(part in ("", ".", "..") or part.lower().rstrip(". ") == ".git" for part in parts)
    return not odd and "\\" not in name and _CONTROL.search(name) is None
