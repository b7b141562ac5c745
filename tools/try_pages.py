"""Follow the pages in docs/contributing by the letter, each in a copy of the project, and see whether it works.

    python -m tools.try_pages [dialect statement source format screen consequence]

A page has blocks that say what they are behind the language: ``file=PATH`` is a whole new file, ``edit=PATH`` is a
change of one (lines with ``+`` come, with ``-`` go, the others say where), ``run`` is what must then pass.
"""

import argparse
import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

from tools.copies import ROOT, copy_of_project

PAGES = ROOT / "docs" / "contributing"
_BLOCK = re.compile(r"^( *)```(\w+) (file|edit|run)(?:=(\S+))?\n(.*?)^\1```$", re.S | re.M)


class PageError(Exception):
    """A page cannot be followed."""


def edited(text: str, edit: str, place: str) -> str:
    """Return a file with the change of an ``edit`` block. Raises PageError where the page no longer fits."""
    lines = [(line[:1] or " ", line[1:]) for line in edit.splitlines()]
    before = "".join(f"{line}\n" for sign, line in lines if sign != "+")
    after = "".join(f"{line}\n" for sign, line in lines if sign != "-")
    if text.count(before) != 1:
        raise PageError(f"{place} has these lines {text.count(before)} times:\n{before}")
    return text.replace(before, after)


def blocks(page: Path) -> list[tuple[str, str, str]]:
    """Return the blocks of a page: kind, place, body. Raises PageError where it has no ``run``."""
    found = [
        (kind, place, "".join(line.removeprefix(indent) for line in body.splitlines(keepends=True)))
        for indent, _, kind, place, body in _BLOCK.findall(page.read_text())
    ]
    if not any(kind == "run" for kind, _, _ in found):
        raise PageError(f"{page.name} does not say how to see that it worked")
    return found


def written(page: Path, root: Path = ROOT) -> dict[str, str]:
    """Return the files that a page makes and changes, as they are then. Raises PageError where it fits no more."""
    found: dict[str, str] = {}
    for kind, place, body in blocks(page):
        if kind == "file":
            if (root / place).exists():
                raise PageError(f"{place} is there already")
            found[place] = body
        elif kind == "edit":
            found[place] = edited(found.get(place) or (root / place).read_text(), body, place)
    return found


def follow(page: Path, copy: Path) -> None:
    """Do what a page says in a copy of the project. Raises PageError."""
    for place, text in written(page, copy).items():
        (copy / place).parent.mkdir(parents=True, exist_ok=True)
        (copy / place).write_text(text)
    environment = {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHON": sys.executable}
    for kind, _, body in blocks(page):
        if kind != "run":
            continue
        command = ["bash", "-euo", "pipefail", "-c", body]
        ran = subprocess.run(command, cwd=copy, env=environment, capture_output=True, text=True, check=False)
        if ran.returncode:
            raise PageError(f"this failed:\n{body}\n{ran.stdout[-3000:]}\n{ran.stderr[-3000:]}")


def main() -> None:
    """Try all pages, or those that are named."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("pages", nargs="*")
    wanted = arguments.parse_args().pages or sorted(path.stem for path in PAGES.glob("*.md"))
    failed = False
    for name in wanted:
        with tempfile.TemporaryDirectory() as folder:
            copy = Path(folder)
            copy_of_project(copy)
            try:
                follow(PAGES / f"{name}.md", copy)
                print(f"{name}: followed, and it works", flush=True)
            except PageError as error:
                failed = True
                print(f"{name}: {error}", flush=True)
    sys.exit(failed)


if __name__ == "__main__":
    main()
