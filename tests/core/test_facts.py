"""What is said of a slice by looking at it alone, and how its print is compared with others."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.chop.facts import PRINT, clear_pitch, completion, likeness, tone
from grainpocket.core.sound.audio import Audio, mono, peak_of, stereo
from tests.files import tone as sine
from tests.signals import DRUMS, RATE


def drum(name: str, gain: float = 0.5) -> np.ndarray:
    sound = DRUMS[name](np.random.default_rng(4))
    return np.asarray(gain * sound / np.abs(sound).max(), np.float32)[:, None]


def prints() -> st.SearchStrategy[np.ndarray]:
    return st.integers(0, 1 << 30).map(lambda seed: np.random.default_rng(seed).random(PRINT).astype(np.float32))


def test_level_is_that_of_the_largest_sample() -> None:
    for gain in (1.0, 0.5, 0.01):
        assert tone(drum("kick", gain), RATE).level_db == pytest.approx(20 * np.log10(gain), abs=0.06)


def test_a_hat_is_brighter_than_a_snare_and_a_snare_than_a_kick() -> None:
    hat, snare, kick = (tone(drum(name), RATE).bright_hz for name in ("hat", "snare", "kick"))
    assert hat > 1.3 * snare
    assert snare > 2 * kick


def test_loudness_leaves_brightness_and_print_as_they_are() -> None:
    loud, quiet = tone(drum("snare", 0.9), RATE), tone(drum("snare", 0.09), RATE)
    assert quiet.bright_hz == pytest.approx(loud.bright_hz, rel=0.02)
    assert likeness(loud.print, quiet.print[None])[0] > 0.97


@pytest.mark.parametrize(
    "nothing", [np.zeros((4000, 2), np.float32), np.zeros((0, 1), np.float32), np.full((20, 1), 0.5, np.float32)]
)
def test_silence_and_crumbs_have_no_level_and_an_empty_print(nothing: np.ndarray) -> None:
    told = tone(nothing, RATE)
    assert (told.level_db, told.bright_hz) == (None, 0.0)
    assert not told.print.any()


def test_only_a_clear_pitch_is_told() -> None:
    found = clear_pitch(sine(0.6, hertz=220.0), RATE)
    assert found is not None
    assert found.hz == pytest.approx(220, rel=0.003)
    noise = 0.3 * np.random.default_rng(1).standard_normal((RATE // 2, 1)).astype(np.float32)
    assert clear_pitch(noise, RATE) is None


@given(prints(), prints())
def test_likeness_is_whole_for_the_same_and_the_same_both_ways(one: np.ndarray, other: np.ndarray) -> None:
    assert likeness(one, one[None])[0] == pytest.approx(1, abs=1e-6)
    there, back = likeness(one, other[None])[0], likeness(other, one[None])[0]
    assert there == pytest.approx(back, abs=1e-5)
    assert 0 <= there <= 1


@given(prints(), prints())
def test_completion_is_a_share(one: np.ndarray, other: np.ndarray) -> None:
    assert 0 <= completion(one, other[None])[0] <= 1


def test_nothing_to_compare_with_is_an_empty_answer() -> None:
    none = np.zeros((0, PRINT), np.float32)
    assert likeness(np.ones(PRINT, np.float32), none).shape == (0,)
    assert completion(np.ones(PRINT, np.float32), none).shape == (0,)


def test_a_hat_completes_a_kick_better_than_another_kick_does() -> None:
    kick, hat = tone(drum("kick"), RATE).print, tone(drum("hat"), RATE).print
    with_hat, with_kick = completion(kick, np.stack((hat, kick)))
    assert with_hat > with_kick + 0.1


def test_samples_keep_their_shape_and_what_is_none_is_refused() -> None:
    both = np.stack((np.full(9, 0.5), np.full(9, -1.0)), axis=1).astype(np.float32)
    three = np.concatenate((both, both[:, :1]), axis=1)
    assert mono(both).tolist() == [-0.25] * 9
    assert mono(three) == pytest.approx(np.zeros(9))
    assert (stereo(both) is both, stereo(both[:, :1]).shape) == (True, (9, 2))
    assert (peak_of(both), peak_of(both[:0])) == (1.0, 0.0)
    sound = Audio(both, 3)
    assert (sound.frames, sound.seconds) == (9, 3.0)
    for samples, rate in ((both[:, 0], RATE), (both.astype(np.float64), RATE), (both, 0)):
        with pytest.raises(ValueError, match=r"float32|positive"):
            Audio(samples, rate)
