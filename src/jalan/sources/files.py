"""Files that sources may read: below given folders, regular ones, none too large."""

import glob
import os
import re
import stat
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from jalan.sources.errors import FileError, SourceError

MOST_BYTES = 500_000_000  # of a file that is read whole
MOST_TEXT = 20_000_000  # of a file that people write: SQL, YAML
_MOST_FILES = 200_000
_HIDDEN = ".git"
_UNSHOWN = re.compile("[\x00-\x1f\x7f\ud800-\udfff]")


@dataclass(frozen=True, slots=True)
class Files:
    """The files that may be read. roots: folders below which they lie; none lets all be read that the process can.

    most_bytes: of a file that is read whole. A file that may not be read is refused in the same words whether it
    is there or not.
    """

    roots: tuple[Path, ...] | None = None
    most_bytes: int = MOST_BYTES
    resolved: tuple[Path, ...] = field(init=False, default=())

    def __post_init__(self) -> None:
        object.__setattr__(self, "resolved", tuple(root.expanduser().resolve() for root in self.roots or ()))

    def place(self, location: str | Path) -> Path:
        """Return where a file or folder really lies, links followed. Raises SourceError where that is elsewhere."""
        if "\0" in str(location):
            raise SourceError("the name of a file has no NUL in it")
        try:
            found = Path(location).expanduser().resolve()
        except (OSError, RuntimeError, ValueError) as error:
            raise SourceError(f"{location}: this is no path ({type(error).__name__})") from error
        if self.roots is not None and not any(found.is_relative_to(root) for root in self.resolved):
            allowed = ", ".join(map(str, self.resolved)) or "none"
            raise SourceError(
                f"{location}: this lies outside of the folders that sources may read ({allowed}); JALAN_FILES "
                "names those folders"
            )
        return found

    def open(self, location: str | Path) -> BinaryIO:
        """Open a file for reading. Raises SourceError."""
        place = self.place(location)
        try:
            # Opening a pipe would wait for a writer, and a device may never end.
            number = os.open(place, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOFOLLOW)
        except FileNotFoundError as error:
            raise SourceError(f"there is no file {location}") from error
        except OSError as error:
            raise SourceError(f"cannot read {location}: {error.strerror}") from error
        if not stat.S_ISREG(os.fstat(number).st_mode):
            os.close(number)
            raise SourceError(f"cannot read {location}: this is no regular file")
        return os.fdopen(number, "rb")

    def sized(self, location: str | Path) -> Path:
        """Return where a file lies that another library will read whole. Raises SourceError."""
        with self.open(location) as file:
            self._check_size(location, os.fstat(file.fileno()).st_size, self.most_bytes)
        return self.place(location)

    def read(self, location: str | Path, most_bytes: int | None = None) -> bytes:
        """Return what is in a file. Raises SourceError, also where it is larger than allowed."""
        most = min(most_bytes or self.most_bytes, self.most_bytes)
        with self.open(location) as file:
            self._check_size(location, os.fstat(file.fileno()).st_size, most)
            try:
                found = file.read(most + 1)
            except OSError as error:
                raise SourceError(f"cannot read {location}: {error.strerror}") from error
        self._check_size(location, len(found), most)
        return found

    @staticmethod
    def _check_size(location: str | Path, size: int, most: int) -> None:
        if size > most:
            raise SourceError(
                f"{location} has {size:,} bytes; at most {most:,} are read"
                if size > most + 1
                else f"{location} has more than {most:,} bytes, which is the most that is read"
            )

    def matching(self, pattern: str) -> list[Path]:
        """Return the regular files that a pattern names, those that may be read. Raises SourceError."""
        written = str(Path(pattern).expanduser())
        fixed = Path(written)
        while glob.has_magic(str(fixed)):
            fixed = fixed.parent
        self.place(fixed)  # before looking: what is elsewhere is not even listed
        found = []
        for name in sorted(glob.iglob(written, recursive=True)):
            path = Path(name)
            if path.is_file() and self._is_inside(path):
                found.append(path)
        if not found:
            raise SourceError(f"no file matches {pattern}")
        return found

    def _is_inside(self, path: Path) -> bool:
        try:
            self.place(path)
        except SourceError:
            return False
        return True

    def below(self, folder: str | Path, suffixes: tuple[str, ...]) -> list[Path]:
        """Return the files of a folder that end so, with those of the folders inside, in order of their paths.

        Links to folders are not followed. Raises SourceError.
        """
        place = self.place(folder)
        if not place.is_dir():
            raise SourceError(f"{folder} is no folder")
        found: list[Path] = []
        for above, folders, names in os.walk(place):
            folders[:] = sorted(name for name in folders if name != _HIDDEN)
            found += [Path(above) / name for name in sorted(names) if name.endswith(suffixes)]
            if len(found) > _MOST_FILES:
                raise SourceError(f"{folder} has more than {_MOST_FILES:,} files")
        return sorted(found)


ANY_FILE = Files()
"""For a person at the command line, who could read the files without us."""


def decoded(shown: str, data: bytes) -> str:
    """Return bytes as text. Raises FileError with the line at which they are not UTF-8."""
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise FileError(shown, line, f"this is not UTF-8: byte {data[error.start]:#04x}") from error


def text_of(shown: str, data: bytes) -> str:
    """Return the text of a file that people write. Raises FileError with the line at which it is none."""
    text = decoded(shown, data)
    if "\0" in text:
        raise FileError(shown, text.count("\n", 0, text.index("\0")) + 1, "there is a NUL in it: this is no text")
    return text


def shown_name(name: str) -> str:
    """Return a file's name as it can be shown and stored: what cannot be is escaped.

    >>> print(shown_name("core/ports.sql"), shown_name("a" + chr(10) + "b.sql"))
    core/ports.sql a\\nb.sql
    """
    return _UNSHOWN.sub(lambda found: ascii(found[0])[1:-1], name)


def roots_of(setting: str, further: Iterable[Path]) -> tuple[Path, ...]:
    """Return the folders that a setting names, with ``:`` between; where it is empty, the working folder."""
    named = [Path(part) for part in setting.split(os.pathsep) if part.strip()]
    return (*(named or [Path.cwd()]), *further)
