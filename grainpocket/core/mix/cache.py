"""Rendered sound kept in memory by key, the longest unused thrown out first. Safe for many threads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future

from grainpocket.core.sound.audio import Samples


class Cache:
    def __init__(self, room: int) -> None:
        """room: bytes."""
        self._room = room
        self._held: OrderedDict[str, Samples] = OrderedDict()
        self._making: dict[str, Future[Samples]] = {}
        self._bytes = 0
        self._lock = threading.Lock()
        self.hits = self.misses = 0

    def __contains__(self, key: str) -> bool:
        with self._lock:
            return key in self._held

    def get(self, key: str, make: Callable[[], Samples]) -> Samples:
        """The array under `key`, made if it is not there. It is shared: it cannot be written to."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                self.hits += 1
                return self._held[key]
            mine = key not in self._making
            coming = self._making.setdefault(key, Future())
        if not mine:
            # Another thread is at it already.
            return coming.result()
        try:
            value = make()
            value.flags.writeable = False
        except BaseException as error:
            with self._lock:
                del self._making[key]
            coming.set_exception(error)
            raise
        coming.set_result(value)
        with self._lock:
            del self._making[key]
            self.misses += 1
            if key not in self._held:
                self._held[key] = value
                self._bytes += value.nbytes
                while self._bytes > self._room and len(self._held) > 1:
                    _, old = self._held.popitem(last=False)
                    self._bytes -= old.nbytes
        return value
