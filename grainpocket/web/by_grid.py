"""What is worth taking in an audio, kept by the grid it was told in: working it out takes a second or two of a long record."""

from __future__ import annotations

import threading
from collections import OrderedDict

from grainpocket.core.listen.hearing import worth_by_grid
from grainpocket.core.listen.worth import Worth
from grainpocket.core.pocket import Grid
from grainpocket.store.audio import AudioStore

_MOST = 64


class WorthKeeper:
    def __init__(self, audio: AudioStore) -> None:
        self._audio = audio
        self._known: OrderedDict[tuple[str, str], Worth] = OrderedDict()
        # One at a time: the memory that a long record takes is taken once.
        self._working, self._lock = threading.Lock(), threading.Lock()

    def get(self, audio: str, grid: Grid | None) -> Worth:
        """Raises KeyError for an unknown audio."""
        key = (audio, grid.model_dump_json(exclude={"by"}) if grid else "")
        with self._working:
            with self._lock:
                if key in self._known:
                    self._known.move_to_end(key)
                    return self._known[key]
            heard = self._audio.hearing(audio)
            found = worth_by_grid(heard, grid, lambda: self._audio.read_mono(audio))
            with self._lock:
                self._known[key] = found
                while len(self._known) > _MOST:
                    self._known.popitem(last=False)
        return found
