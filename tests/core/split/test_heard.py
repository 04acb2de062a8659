"""What Listen knows steers any engine: nobody sings, no voice; nothing but drums, all of it drums; and all still adds up."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from grainpocket.core.listen.passages.activity import Moments
from grainpocket.core.sound.audio import Samples
from grainpocket.core.split.base import Quality, separate
from grainpocket.core.split.heard import Heard
from tests.core.split.test_split import noise
from tests.signals import RATE

STEP, SECONDS = 0.25, 12
SURE, NEVER = 8.0, -12.0


class Shares:
    """An engine that gives each part a share of everything."""

    name, label = "shares", "Shares"
    parts: tuple[str, ...] = ("drums", "bass", "vocals", "other")
    qualities: tuple[Quality, ...] = (Quality("only", "Only", 1.0),)
    context_s, light = 0.5, True

    def window(self, sound: Samples, rate: int, quality: str) -> Mapping[str, Samples]:
        return {part: sound * np.float32(share) for part, share in (("drums", 0.4), ("bass", 0.2), ("vocals", 0.3))}


def moments(**silent: tuple[float, float]) -> Moments:
    """All sounds, but for what is silent between two seconds."""
    odds = np.full((round(SECONDS / STEP), 3), SURE, np.float32)
    for part, (start, end) in silent.items():
        odds[round(start / STEP) : round(end / STEP), ("drums", "music", "voice").index(part)] = NEVER
    return Moments(odds, STEP)


def parted(heard: Moments | None, start: int = 0, parts: tuple[str, ...] = ()) -> tuple[Samples, dict[str, Samples]]:
    x = noise(SECONDS * RATE - start)
    return x, separate(Shares(), x, RATE, parts, heard=Heard(heard, start) if heard is not None else None)


def share(part: Samples, whole: Samples, start: float, end: float) -> float:
    """Of what sounds between two seconds, how much lies in the part."""
    a, b = round(start * RATE), round(end * RATE)
    return float(np.sqrt(np.square(part[a:b]).sum() / np.square(whole[a:b]).sum()))


def test_where_all_sounds_the_engine_is_left_alone() -> None:
    _, plain = parted(None)
    _, steered = parted(moments())
    for part in plain:
        np.testing.assert_allclose(steered[part], plain[part], atol=1e-4)


def test_where_surely_nobody_sings_there_is_no_voice() -> None:
    x, made = parted(moments(voice=(0, 6)))
    assert share(made["vocals"], x, 0, 4.2) < 0.002
    assert abs(share(made["vocals"], x, 7, 12) - 0.3) < 1e-3
    # Where a voice may begin any moment it is not cut short.
    assert abs(share(made["vocals"], x, 5.6, 6) - 0.3) < 0.02
    assert np.abs(sum(made.values()) - x).max() < 1e-5


def test_a_voice_that_pauses_for_breath_is_not_cut_up() -> None:
    x, made = parted(moments(voice=(5, 6.5)))
    assert abs(share(made["vocals"], x, 5, 6.5) - 0.3) < 0.01


def test_bare_drums_are_drums_whole() -> None:
    x, made = parted(moments(music=(4, 9), voice=(0, 12)))
    assert abs(share(made["drums"], x, 5, 8) - 1) < 0.01
    assert max(share(made[part], x, 5, 8) for part in ("bass", "other", "vocals")) < 0.06
    assert abs(share(made["drums"], x, 0, 3) - 0.4) < 1e-3
    assert np.abs(sum(made.values()) - x).max() < 1e-5


def test_a_voice_over_bare_drums_stays_a_voice() -> None:
    x, made = parted(moments(music=(4, 9)))
    assert abs(share(made["vocals"], x, 5, 8) - 0.3) < 0.01
    assert abs(share(made["drums"], x, 5, 8) - 0.7) < 0.02


def test_a_stretch_is_steered_by_where_it_lies_in_its_record() -> None:
    start = 5 * RATE
    x, made = parted(moments(voice=(8, 12)), start)
    assert abs(share(made["vocals"], x, 0, 2) - 0.3) < 1e-3
    assert share(made["vocals"], x, 5, 7) < 0.002


def test_one_part_alone_is_steered_too() -> None:
    x, made = parted(moments(voice=(0, 12)), parts=("vocals",))
    assert not made.keys() - {"vocals"}
    assert share(made["vocals"], x, 0, 12) < 0.002
