"""Fuzz extraction, guided by coverage; not part of the normal run.

    .venv/bin/python -m pip install atheris
    .venv/bin/python -m tools.fuzz -max_total_time=60

Further arguments are libFuzzer's. The corpora are the seeds.
"""

import sys
import tempfile
from pathlib import Path

import atheris

CORPUS = Path(__file__).parents[1] / "tests" / "corpus"

with atheris.instrument_imports(include=["jalan"]):
    from jalan import extract, fingerprint, redact
    from jalan.sql.dialects import DIALECTS

NAMES = sorted(DIALECTS)


def try_one(data: bytes) -> None:
    """The first byte chooses the dialect, the rest is the text; the second one, whether it is a template."""
    if len(data) < 2:
        return
    dialect = NAMES[data[0] % len(NAMES)]
    text = data[2:].decode("utf-8", "surrogateescape")
    found = extract(text, dialect=dialect, variables={"a": "b"} if data[1] % 2 else None, detail=data[1] % 3 == 0)
    for diagnostic in found.diagnostics:
        start, end = diagnostic.span
        if not 0 <= start <= end <= len(text):
            raise AssertionError(f"{diagnostic.code} at {diagnostic.span} of {len(text)}")
    fingerprint(text, dialect)
    redact(text, dialect)


def main() -> None:
    """Seed with the corpora and fuzz."""
    with tempfile.TemporaryDirectory() as folder:
        for number, path in enumerate(sorted(CORPUS.glob("*.sql"))):
            for case, block in enumerate(path.read_text().split("\n\n")):
                place = NAMES.index(path.stem)
                (Path(folder) / f"{number}-{case}").write_bytes(bytes([place, 0]) + block.encode())
        atheris.Setup([*sys.argv, folder, "-max_len=2000", "-timeout=20"], try_one)
        atheris.Fuzz()


if __name__ == "__main__":
    main()
