"""Rendered pieces by key, as many as fit into a budget of bytes; the ones least used go first. Safe to share between threads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Generic, TypeVar

T = TypeVar("T")


class PieceCache(Generic[T]):
    def __init__(self, max_bytes: int) -> None:
        self._max_bytes, self._bytes = max_bytes, 0
        self._kept: OrderedDict[str, tuple[T, int]] = OrderedDict()
        self._lock = threading.Lock()
        self.misses = 0

    def get(self, key: str) -> T | None:
        with self._lock:
            found = self._kept.get(key)
            if found is None:
                self.misses += 1
                return None
            self._kept.move_to_end(key)
            return found[0]

    def put(self, key: str, value: T, size: int) -> None:
        """Keep a value of so many bytes; one that is larger than the whole budget is not kept."""
        if size > self._max_bytes:
            return
        with self._lock:
            before = self._kept.pop(key, None)
            self._bytes += size - (before[1] if before else 0)
            self._kept[key] = value, size
            while self._bytes > self._max_bytes:
                _, (_, gone) = self._kept.popitem(last=False)
                self._bytes -= gone

    @property
    def bytes(self) -> int:
        return self._bytes
