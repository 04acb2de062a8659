"""What the separation network learns from: instruments that play the notes they are given, and mixes that are what they say."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from bench.truth.synth import RATE, Note
from training.split import mixing, synths
from training.split.songs import STEMS, to_disk, treated

SECONDS = 4


@pytest.fixture
def bank(tmp_path: Path) -> mixing.Bank:
    t = np.arange(SECONDS * RATE) / RATE
    for number in range(3):
        stems = [
            np.sin(2 * np.pi * (60 + 100 * k + number) * t) * (0 if number == 2 and k == 1 else 0.5) for k in range(len(STEMS))
        ]
        np.save(tmp_path / f"song-{number}.npy", np.stack([to_disk(np.repeat(s[:, None], 2, axis=1)) for s in stems]))
    np.save(tmp_path / "voice-1.npy", to_disk(np.repeat(0.4 * np.sin(2 * np.pi * 900 * t)[:, None], 2, axis=1)))
    return mixing.Bank.of(tmp_path)


@pytest.mark.parametrize("kind", sorted(set(synths.KINDS)))
@pytest.mark.parametrize("key", [33, 57, 76])
def test_an_instrument_plays_its_note_when_it_is_asked(kind: str, key: int) -> None:
    for seed in range(4):
        sound = synths.play([Note(0.5, 0, key, 100, 0.8)], 2 * RATE, np.random.default_rng(seed), (kind,))
        assert np.isfinite(sound).all()
        assert np.abs(sound[: RATE // 2]).max() == 0
        assert np.abs(sound).max() > 0.02
        if kind == "sines":
            continue  # Their side bands need not lie on its harmonics.
        mono = sound[round(0.55 * RATE) : round(1.1 * RATE)].sum(axis=1)
        size = np.abs(np.fft.rfft(mono * np.hanning(len(mono)), 1 << 17))
        hz = np.arange(len(size)) * RATE / (1 << 17)
        true = 440 * 2 ** ((key - 69) / 12)
        loudest = hz[size.argmax()]
        assert abs(loudest / true - round(loudest / true)) < 0.03 * round(loudest / true), (seed, loudest, true)


def test_mixes_are_drawn_anew_and_never_too_loud(bank: mixing.Bank) -> None:
    absent, alone = dict.fromkeys(mixing.PARTS, 0), 0
    for seed in range(150):
        rng = np.random.default_rng(seed)
        parts = mixing.drawn(bank, rng, RATE)
        assert parts.shape == (len(mixing.PARTS), RATE, 2)
        assert np.abs(parts.sum(axis=0)).max() <= 1.0 + 1e-5
        sounding = [np.abs(part).max() > 1e-5 for part in parts]
        alone += sum(sounding) == 1
        for name, sounds in zip(mixing.PARTS, sounding, strict=True):
            absent[name] += not sounds
    # One song in three has no bass.
    assert absent["bass"] > absent["drums"] > 5
    assert absent["vocals"] > 2 * absent["drums"]
    assert 3 <= alone <= 40
    np.testing.assert_array_equal(
        mixing.drawn(bank, np.random.default_rng(7), RATE), mixing.drawn(bank, np.random.default_rng(7), RATE)
    )


def test_a_bank_without_voices_is_told(tmp_path: Path) -> None:
    with pytest.raises(ValueError, match="no songs or no voices"):
        mixing.Bank.of(tmp_path)


@pytest.mark.parametrize("role", ["drums", "bass", "other"])
def test_what_is_treated_keeps_its_length_and_peak(role: str) -> None:
    sound = (np.random.default_rng(1).standard_normal((RATE, 2)) * 0.1).astype(np.float32)
    for seed in range(6):
        made = treated(sound, np.random.default_rng(seed), role)
        assert made.shape == sound.shape
        assert np.isfinite(made).all()
        assert 0.2 < np.abs(made).max() / np.abs(sound).max() < 2.5
        if role == "bass":
            np.testing.assert_array_equal(made[:, 0], made[:, 1])
