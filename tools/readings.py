"""Show how texts of the tests are read, or take their readings into the record.

python -m tools.readings             the readings that are not those of the record
python -m tools.readings --all       all of them, to compare those of two commits
python -m tools.readings --take      write the record: what changed was looked at, and is right
"""

import argparse

from tests.core.readings import RECORD, reading, row, texts


def main() -> None:
    """Do what was asked for."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--all", action="store_true", help="print every reading")
    arguments.add_argument("--take", action="store_true", help="write the record")
    given = arguments.parse_args()
    record = set(RECORD.read_text().splitlines()) if RECORD.exists() else set()
    rows = {text: row(*text) for text in texts()}
    for text, line in rows.items():
        if given.all or (not given.take and line not in record):
            print(reading(*text), end="\n\n")
    if given.take:
        RECORD.write_text("".join(f"{line}\n" for line in rows.values()))
        print(f"{len(rows)} readings, {len(set(rows.values()) - record)} of them new")


if __name__ == "__main__":
    main()
