"""What is worth taking in an audio, kept by the grid it was told in: working it out takes a second or two of a long record."""

from __future__ import annotations

import threading
from collections import OrderedDict

from grainpocket.core.listen.hearing import worth_by_grid
from grainpocket.core.listen.suggestions import Worth
from grainpocket.core.pocket import Grid
from grainpocket.store.audio import AudioStore

_MOST = 64
Key = tuple[str, str]


class WorthKeeper:
    def __init__(self, audio: AudioStore) -> None:
        self._audio = audio
        self._known: OrderedDict[Key, Worth] = OrderedDict()
        # One at a time: the memory that a long record takes is taken once.
        self._working, self._lock = threading.Lock(), threading.Lock()

    def get(self, audio: str, grid: Grid | None) -> Worth:
        """Raises KeyError for an unknown audio."""
        key = (audio, grid.model_dump_json(exclude={"by"}) if grid else "")
        found = self._kept(key)
        if found is None:
            with self._working:
                found = self._kept(key) or self._keep(key, self._worked_out(audio, grid))
        return found

    def _kept(self, key: Key) -> Worth | None:
        with self._lock:
            if key in self._known:
                self._known.move_to_end(key)
            return self._known.get(key)

    def _keep(self, key: Key, found: Worth) -> Worth:
        with self._lock:
            self._known[key] = found
            while len(self._known) > _MOST:
                self._known.popitem(last=False)
        return found

    def _worked_out(self, audio: str, grid: Grid | None) -> Worth:
        return worth_by_grid(self._audio.hearing(audio), grid, lambda: self._audio.read_mono(audio))
