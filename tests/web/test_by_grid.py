"""What is worth taking is worked out once for each grid, however many ask at once."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from typing import cast

import numpy as np
import pytest

from grainpocket.core.listen.hearing import Hearing, hear
from grainpocket.core.listen.tempo.grids import found_grid
from grainpocket.core.pocket import RATE
from grainpocket.store.audio import AudioStore
from grainpocket.web.by_grid import WorthKeeper
from tests.signals import drum_loop


class Shelf:
    """One audio, and how often it was read."""

    def __init__(self) -> None:
        loop = drum_loop(bpm=97.3, bars=8)
        self.sound = np.ascontiguousarray(loop.samples.mean(axis=1))
        self.heard = hear(self.sound, RATE)
        self.read, self.gate = 0, threading.Event()
        self.gate.set()

    def hearing(self, audio: str) -> Hearing:
        if audio != "known":
            raise KeyError(audio)
        return self.heard

    def read_mono(self, audio: str) -> np.ndarray:
        self.read += 1
        assert self.gate.wait(20)
        return self.sound


@pytest.fixture(scope="module")
def shelf() -> Shelf:
    return Shelf()


@pytest.fixture
def keeper(shelf: Shelf) -> WorthKeeper:
    shelf.read = 0
    return WorthKeeper(cast(AudioStore, shelf))


def test_what_was_found_is_not_worked_out_again(shelf: Shelf, keeper: WorthKeeper) -> None:
    grid = found_grid(shelf.heard.tempi[0])
    assert keeper.get("known", grid) is shelf.heard.worth
    assert shelf.read == 0
    with pytest.raises(KeyError):
        keeper.get("unknown", grid)


def test_many_that_ask_at_once_wait_for_one_answer(shelf: Shelf, keeper: WorthKeeper) -> None:
    moved = found_grid(shelf.heard.tempi[0]).model_copy(update={"bar_one": 5000, "bars": None})
    keeper.get("known", found_grid(shelf.heard.tempi[0]))
    shelf.gate.clear()
    with ThreadPoolExecutor(4) as pool:
        asked = [pool.submit(keeper.get, "known", moved) for _ in range(4)]
        # Meanwhile what is known already is had at once.
        assert keeper.get("known", found_grid(shelf.heard.tempi[0])) is shelf.heard.worth
        shelf.gate.set()
        answers = [a.result(20) for a in asked]
    assert shelf.read == 1
    assert all(a is answers[0] for a in answers)
    # Who laid the grid makes no difference to its bars.
    assert keeper.get("known", moved.model_copy(update={"by": "hand"})) is answers[0]


def test_only_so_many_are_kept(shelf: Shelf) -> None:
    shelf.read = 0
    keeper = WorthKeeper(cast(AudioStore, shelf), most=2)
    grids = [found_grid(shelf.heard.tempi[0]).model_copy(update={"bar_one": at, "bars": None}) for at in (4000, 5000, 6000)]
    for grid in grids:
        keeper.get("known", grid)
    assert shelf.read == 3
    keeper.get("known", grids[2])
    assert shelf.read == 3
    keeper.get("known", grids[0])
    assert shelf.read == 4
