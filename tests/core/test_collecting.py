"""Garbage is looked for seldom while much is made, and as often as before afterwards."""

import gc
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import pytest

from jalan import extract
from jalan.collecting import seldom_collecting


@pytest.fixture(autouse=True)
def usual(monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[int, int, int]]:
    # What runs the tests may have threads of its own: only those that a test starts count.
    others = threading.active_count() - 1
    count = threading.active_count
    monkeypatch.setattr(threading, "active_count", lambda: count() - others)
    before = gc.get_threshold()
    yield before
    gc.set_threshold(*before)


def test_it_is_as_before_when_the_last_one_has_left(usual: tuple[int, int, int]) -> None:
    with seldom_collecting:
        with seldom_collecting:
            assert gc.get_threshold()[0] > usual[0]
        assert gc.get_threshold()[0] > usual[0]
    assert gc.get_threshold() == usual
    with pytest.raises(ZeroDivisionError), seldom_collecting:
        _ = 1 / 0
    assert gc.get_threshold() == usual


def test_it_is_as_before_after_many_threads(usual: tuple[int, int, int]) -> None:
    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(lambda n: extract(f"select c{n} from t").statements[0].uses, range(400)))
    assert found == [{("t", f"c{n}")} for n in range(400)]
    assert gc.get_threshold() == usual


@pytest.mark.parametrize("meant", [(0, 10, 10), (1_000_000, 10, 10)])
def test_who_has_set_it_for_himself_keeps_it(meant: tuple[int, int, int]) -> None:
    gc.set_threshold(*meant)
    with seldom_collecting:
        assert gc.get_threshold() == meant
    assert gc.get_threshold() == meant


def test_with_another_thread_in_the_process_the_setting_is_left_alone(usual: tuple[int, int, int]) -> None:
    go = threading.Event()
    other = threading.Thread(target=go.wait)
    other.start()
    try:
        with seldom_collecting:
            assert gc.get_threshold() == usual
    finally:
        go.set()
        other.join()
    with seldom_collecting:
        assert gc.get_threshold()[0] > usual[0]
