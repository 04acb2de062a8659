"""What was worked out, kept in memory by key: the longest unused is thrown out first, and each is made once at a time."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from typing import Generic, TypeVar

from cachetools import LRUCache

K = TypeVar("K", bound=Hashable)
T = TypeVar("T")


class Kept(Generic[K, T]):
    """Safe for many threads."""

    def __init__(self, room: float, size: Callable[[T], float] | None = None) -> None:
        """room: how many values, or, with `size`, how much of them in its unit. One that is larger than all of it is kept alone;
        with no room, nothing is."""
        self._room, self._size = room, size
        self._values: LRUCache[K, tuple[T, float]] = LRUCache(room, lambda held: held[1])
        self._making: dict[K, Future[T]] = {}
        self._lock = threading.Lock()
        self.hits = self.misses = 0

    def __contains__(self, key: K) -> bool:
        with self._lock:
            return key in self._values

    def get(self, key: K) -> T | None:
        with self._lock:
            held = self._values.get(key)
            self.hits, self.misses = self.hits + (held is not None), self.misses + (held is None)
            return None if held is None else held[0]

    def put(self, key: K, value: T) -> T:
        """Keep a value, and give it back."""
        if self._room:
            size = 1.0 if self._size is None else min(self._size(value), self._room)
            with self._lock:
                self._values[key] = value, size
        return value

    def made(self, key: K, make: Callable[[], T]) -> T:
        """The value under `key`, made where it is not there: once, while other threads that ask for it wait.

        What `make` raises is raised in all of them, and nothing is kept."""
        with self._lock:
            held = self._values.get(key)
            if held is not None:
                self.hits += 1
                return held[0]
            mine = key not in self._making
            self.misses += mine
            coming = self._making.setdefault(key, Future())
        if not mine:
            return coming.result()
        try:
            value = self.put(key, make())
        except BaseException as error:
            coming.set_exception(error)
            raise
        else:
            coming.set_result(value)
            return value
        finally:
            with self._lock:
                del self._making[key]

    @property
    def filled(self) -> float:
        """How much of the room is taken."""
        with self._lock:
            return float(self._values.currsize)
