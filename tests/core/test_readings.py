"""Nothing is read in another way than when it was last looked at."""

from tests.core.readings import RECORD, row, texts


def test_readings_are_those_of_the_record() -> None:
    now = [row(*text) for text in texts()]
    record = RECORD.read_text().splitlines()
    changed = sorted(set(now) ^ set(record))
    assert changed == [], "readings changed: look with `python -m tools.readings`, then take them in with --take"
