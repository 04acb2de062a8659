"""Cleaning as a whole: what is wrong with a recording, and the recording without it.

It is cleaned in pieces that begin at fixed places, each with a margin of the recording on either side; so a stretch that is
listened to beforehand is to the sample what the print will hold.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from grainpocket.core.params import of
from grainpocket.core.pocket import Frozen
from grainpocket.core.restore.clicks import declick, find_clicks
from grainpocket.core.restore.hiss import Power, dehiss, noise_of
from grainpocket.core.restore.hum import Hum, dehum, find_hum
from grainpocket.core.sound.audio import Samples

PIECE_S, MARGIN_S, SURVEY_S, SURVEYED_CLICKS = 20, 5, 40, 50.0
AUDIBLE_HISS_DB = -84.0


class Read(Protocol):
    def __call__(self, start: int, end: int) -> Samples:
        """(end - start, channels) float32; outside the recording is silence."""


class Cleaning(Frozen):
    """What to take out, and how much of it."""

    clicks: float = of("clean", "clicks").field()
    hum: bool = False
    hiss: float = of("clean", "hiss").field()

    @property
    def nothing(self) -> bool:
        return not self.clicks and not self.hum and not self.hiss


@dataclass(frozen=True)
class Survey:
    """What is wrong with a recording: clicks a minute; hum, if there is one; hiss_db: its level, dBFS, None when it cannot be
    heard; noise: power of the hiss by channel."""

    clicks: float
    hum: Hum | None
    hiss_db: float | None
    noise: tuple[Power, ...]


def survey(read: Read, frames: int, rate: int) -> Survey:
    """Listen to up to a minute out of the middle of the recording; the hiss is learnt from all of that too."""
    length = min(frames, SURVEY_S * rate)
    start = (frames - length) // 2
    stretch = read(start, start + length)
    noise = tuple(noise_of(stretch[:, c], rate) for c in range(stretch.shape[1]))
    one = np.ascontiguousarray(stretch.mean(axis=1))
    clicks = find_clicks(one, SURVEYED_CLICKS)
    # Power of a windowed spectrum to the level of what made it.
    power = float(np.mean([p.sum() for p in noise])) * 2 / (2048 * 1024)
    level = 10 * float(np.log10(power + 1e-20))
    return Survey(
        clicks=round(len(clicks) / (length / rate) * 60, 1),
        hum=find_hum(one, rate),
        hiss_db=round(level, 1) if level > AUDIBLE_HISS_DB else None,
        noise=noise,
    )


def pieces(frames: int, rate: int) -> Iterator[tuple[int, int]]:
    """(start, end) of the pieces that a recording is cleaned in."""
    step = PIECE_S * rate
    for start in range(0, frames, step):
        yield start, min(frames, start + step)


def clean(read: Read, start: int, end: int, frames: int, rate: int, found: Survey, asked: Cleaning) -> Samples:
    """(end - start, channels) float32 of a recording without what was asked to be taken out."""
    out = []
    for first, last in pieces(frames, rate):
        if last <= start or first >= end:
            continue
        done = _piece(read, first, last, frames, rate, found, asked)
        out.append(done[max(0, start - first) : end - first])
    return np.concatenate(out)


def _piece(read: Read, first: int, last: int, frames: int, rate: int, found: Survey, asked: Cleaning) -> Samples:
    lead = max(0, first - MARGIN_S * rate)
    sound = read(lead, min(frames, last + MARGIN_S * rate))
    channels = []
    for c in range(sound.shape[1]):
        one = np.ascontiguousarray(sound[:, c])
        if asked.clicks:
            one, _ = declick(one, asked.clicks)
        if asked.hum and found.hum is not None:
            one = dehum(one, rate, found.hum, lead)
        if asked.hiss:
            one = dehiss(one, found.noise[c], asked.hiss)
        channels.append(one[first - lead : last - lead])
    return np.stack(channels, axis=1)
