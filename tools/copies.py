"""Copies of the project, in which something can be changed and tried."""

import shutil
from pathlib import Path

ROOT = Path(__file__).parents[1]
_FOLDERS = ("src", "tests", "tools", "docs", "frontend")
_FILES = ("pyproject.toml", "README.md", "LICENSE", "CONTRIBUTING.md", "CHANGELOG.md")
_LEFT_OUT = shutil.ignore_patterns("node_modules", "__pycache__")


def copy_of_project(folder: Path) -> None:
    """Copy what is read, tested and linted into a folder; the front end's packages are those installed here."""
    for name in _FOLDERS:
        shutil.copytree(ROOT / name, folder / name, ignore=_LEFT_OUT)
    for name in _FILES:
        shutil.copy(ROOT / name, folder / name)
    (folder / "frontend" / "node_modules").symlink_to(ROOT / "frontend" / "node_modules")
