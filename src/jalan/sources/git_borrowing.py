"""A repository of our own over the objects of a foreign one, whose settings and hooks no git that we run sees.

Objects are borrowed (``objects/info/alternates``), the names of branches and tags are copied. Nothing of the
foreign repository is written, and none of its configuration is read.
"""

import re
from collections.abc import Iterator
from pathlib import Path

from jalan.sources.errors import SourceError

_ID = re.compile(r"[0-9a-f]{40}(?:[0-9a-f]{24})?")
_NAME = re.compile(r"refs/[^\x00-\x20~^:?*\[\\\x7f]+")
_MOST_REFS = 200_000
_MOST_BORROWED = 20
_MOST_BYTES = 64_000_000  # of a file of names


def find_repository(place: Path) -> Path | None:
    """Return the git directory of the folder or of one above it, none where there is none."""
    for folder in [place, *place.parents]:
        inside = folder / ".git"
        if inside.is_file():  # of a work tree or a submodule
            named = _first_line(inside).removeprefix("gitdir: ")
            inside = folder / named
        for found in (inside, folder):
            if (found / "HEAD").is_file() and _common(found).joinpath("objects").is_dir():
                return found
    return None


def borrow(foreign: Path, own: Path) -> None:
    """Let an empty bare repository see what a foreign git directory has. Raises SourceError."""
    common = _common(foreign)
    objects = str((common / "objects").resolve())
    if "\n" in objects or objects.startswith('"'):
        raise SourceError(f"{foreign}: the name of this folder cannot be read")
    (own / "objects" / "info").mkdir(parents=True, exist_ok=True)
    (own / "objects" / "info" / "alternates").write_text(f"{objects}\n")
    refs = dict(_refs(common))
    (own / "packed-refs").write_text("".join(f"{refs[name]} {name}\n" for name in sorted(refs)))
    head = _first_line(foreign / "HEAD")
    if _ID.fullmatch(head) or _is_name(head.removeprefix("ref: ")):
        (own / "HEAD").write_text(f"{head}\n")
    shallow = common / "shallow"
    if shallow.is_file():
        kept = [line for line in _text(shallow).split() if _ID.fullmatch(line)]
        (own / "shallow").write_text("".join(f"{line}\n" for line in kept))


def places_of_objects(foreign: Path) -> list[Path]:
    """Return the folders that a git directory takes its objects from, also those of others."""
    found: list[Path] = [foreign]
    waiting = [_common(foreign) / "objects"]
    while waiting:
        place = waiting.pop()
        if len(found) > _MOST_BORROWED:
            raise SourceError(f"{foreign}: borrows objects from more than {_MOST_BORROWED} folders")
        found.append(place)
        borrowed = place / "info" / "alternates"
        if borrowed.is_file():
            lines = [line.strip() for line in _text(borrowed).splitlines()]
            waiting += [place / line for line in lines if line and not line.startswith("#")]
    return found


def object_format(foreign: Path) -> str:
    """Return which hash names the objects of a git directory."""
    longest = max((len(found) for _, found in _refs(_common(foreign))), default=40)
    return "sha256" if longest > 40 else "sha1"


def _common(directory: Path) -> Path:
    named = directory / "commondir"
    return directory / _first_line(named) if named.is_file() else directory


def _refs(common: Path) -> Iterator[tuple[str, str]]:
    packed = common / "packed-refs"
    if packed.is_file():
        for line in _text(packed).splitlines():
            found, _, name = line.partition(" ")
            if _ID.fullmatch(found) and _is_name(name):
                yield name, found
    for count, path in enumerate((common / "refs").rglob("*")):
        if count > _MOST_REFS:
            raise SourceError(f"{common}: more than {_MOST_REFS} branches and tags")
        if path.is_symlink() or not path.is_file():
            continue
        name = path.relative_to(common).as_posix()
        found = _first_line(path)
        if _ID.fullmatch(found) and _is_name(name):
            yield name, found


def _is_name(name: str) -> bool:
    replaced = name.startswith("refs/replace/")  # would show other commits than those that are there
    return bool(_NAME.fullmatch(name)) and ".." not in name and not name.endswith((".lock", "/")) and not replaced


def _text(path: Path) -> str:
    with path.open("rb") as file:
        return file.read(_MOST_BYTES).decode(errors="replace")


def _first_line(path: Path) -> str:
    return _text(path).partition("\n")[0].strip()
