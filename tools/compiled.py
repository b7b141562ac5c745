"""Compiles the parser and the resolver to C: an optional build, in a folder of its own.

    make compiled
    PYTHONPATH=.jalan/compiled .venv/bin/jalan extract query.sql

The folder holds the whole package, with compiled modules (mypyc) beside the sources they were made of. Pure Python
stays what is installed and what everything else here runs. What is compiled already is not compiled again.
"""

import hashlib
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PLACE = ROOT / ".jalan" / "compiled"

# These stay Python: a kind of str, classes of Jinja, what goes to callers and other processes, words for people.
_PYTHON = {
    "sql/identifiers.py",
    "sql/templates.py",
    "sql/sandbox.py",
    "lineage/batch.py",
    "lineage/packing.py",
    "lineage/model.py",
    "lineage/words.py",
}
# What each dialect is, is data; what asks for it is compiled.
_DATA = "sql/dialects/"
_OF_DIALECTS = {"sql/dialects/dialect.py", "sql/dialects/detection.py"}
_SETUP = """\
import sys
from mypyc.build import mypycify
from setuptools import setup

modules = mypycify(["--strict", "--ignore-missing-imports", *sys.argv[1:]], opt_level="3", debug_level="0")
setup(name="jalan-compiled", packages=[], ext_modules=modules, script_args=["--quiet", "build_ext", "--inplace"])
"""


def modules(package: Path) -> list[str]:
    """Return the files that are compiled, relative to the folder of the package."""
    found = [*package.glob("sql/**/*.py"), *package.glob("lineage/**/*.py")]
    names = sorted(str(path.relative_to(package)) for path in found if path.name != "__init__.py")
    code = [name for name in names if not name.startswith(_DATA) or name in _OF_DIALECTS]
    return [*[name for name in code if name not in _PYTHON], "sql/tree/__init__.py"]


def _digest(package: Path) -> str:
    found = hashlib.sha256(f"{sys.version} {_SETUP}".encode())
    for path in sorted(package.rglob("*")):
        if path.is_file() and "__pycache__" not in path.parts:
            found.update(f"{path.relative_to(package)}\n".encode() + path.read_bytes())
    return found.hexdigest()


def main() -> None:
    """Build it, if it is not built yet from what the sources are now."""
    package = ROOT / "src" / "jalan"
    wanted, built = _digest(package), PLACE / "built"
    if built.exists() and built.read_text() == wanted:
        print(f"{PLACE.relative_to(ROOT)} is up to date")
        return
    shutil.rmtree(PLACE, ignore_errors=True)
    shutil.copytree(package, PLACE / "jalan", ignore=shutil.ignore_patterns("__pycache__"))
    (PLACE / "setup.py").write_text(_SETUP)
    files = [f"jalan/{name}" for name in modules(package)]
    print(f"compiling {len(files)} modules, this takes some minutes")
    subprocess.run([sys.executable, "setup.py", *files], cwd=PLACE, check=True)
    shutil.rmtree(PLACE / "build")
    built.write_text(wanted)


if __name__ == "__main__":
    main()
