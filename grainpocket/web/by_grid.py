"""What is worth taking in an audio, kept by the grid it was told in: working it out takes a second or two of a long record."""

from __future__ import annotations

import threading

from grainpocket.core.kept import Kept
from grainpocket.core.listen.hearing import worth_by_grid
from grainpocket.core.listen.suggestions import Worth
from grainpocket.core.pocket import Grid
from grainpocket.store.audio import AudioStore

Key = tuple[str, str]


class WorthKeeper:
    def __init__(self, audio: AudioStore, most: int = 64) -> None:
        """most: answers that are kept."""
        self._audio = audio
        self._known: Kept[Key, Worth] = Kept(most)
        # One at a time: the memory that a long record takes is taken once.
        self._working = threading.Lock()

    def get(self, audio: str, grid: Grid | None) -> Worth:
        """Raises KeyError for an unknown audio."""
        key = (audio, grid.model_dump_json(exclude={"by"}) if grid else "")
        return self._known.made(key, lambda: self._worked_out(audio, grid))

    def _worked_out(self, audio: str, grid: Grid | None) -> Worth:
        with self._working:
            return worth_by_grid(self._audio.hearing(audio), grid, lambda: self._audio.read_mono(audio))
