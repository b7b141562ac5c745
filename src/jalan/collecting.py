"""Seldom looking for garbage where very many objects are made that stay for a while.

Python looks through the young objects whenever 700 have come to be, and each time finds nearly all of them in use
while a text is parsed or a graph is read: a quarter to a third of the time goes there.
"""

import gc
import threading

_YOUNG = 20_000  # objects, a few MB: so much garbage may wait


class _Seldom:
    """A context in which young objects are looked through less often, if no other thread runs in this process: how
    often is a setting of the whole process, and other threads may rely on it."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._inside = 0
        self._usual = gc.get_threshold()

    def __enter__(self) -> None:
        with self._lock:
            self._inside += 1
            if self._inside == 1:
                self._usual = gc.get_threshold()
                # Who has switched it off, or made it rarer still, meant it.
                if threading.active_count() == 1 and 0 < self._usual[0] < _YOUNG:
                    gc.set_threshold(_YOUNG, *self._usual[1:])

    def __exit__(self, *_: object) -> None:
        with self._lock:
            self._inside -= 1
            if self._inside == 0 and gc.get_threshold()[0] == _YOUNG:
                gc.set_threshold(*self._usual)


seldom_collecting = _Seldom()
