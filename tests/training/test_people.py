"""Voices that are laid over songs: words out of recordings, and phrases of them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from bench.truth.synth import RATE
from training.listen import people


def recording(path: Path, before: float, seconds: float, level: float = 0.2, rate: int = RATE) -> Path:
    noise = level * np.random.default_rng(4).uniform(-1, 1, round(seconds * rate))
    quiet = np.zeros(round(before * rate))
    sf.write(path, np.concatenate((quiet, noise, quiet)), rate)
    return path


@pytest.mark.parametrize("rate", [8000, 22050, 44100])
def test_a_word_is_what_sounds_at_full_scale(tmp_path: Path, rate: int) -> None:
    word = people.word(recording(tmp_path / f"{rate}.wav", 0.5, 0.8, rate=rate))
    assert np.abs(word).max() == pytest.approx(1, abs=1e-6)
    assert 0.75 < len(word) / RATE < 0.9


def test_silence_clicks_and_endless_speech(tmp_path: Path) -> None:
    assert not len(people.word(recording(tmp_path / "silent.wav", 0.5, 0.8, level=0.0)))
    assert not len(people.word(recording(tmp_path / "click.wav", 0.5, 0.05)))
    assert len(people.word(recording(tmp_path / "long.wav", 0.0, 9.0))) == round(people.LONGEST_S * RATE)


@pytest.fixture
def two(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> dict[str, list[Path]]:
    """One speaker to learn from and one to watch, told apart by how long their words are."""
    names = {"somebody": 0.4, people.WATCHED[0]: 1.2}
    found = {name: [recording(tmp_path / f"{k}.wav", 0.1, seconds)] for k, (name, seconds) in enumerate(names.items())}
    monkeypatch.setattr(people, "speakers", lambda: found)
    # Notes need a vocoder that only those who fit weights have.
    monkeypatch.setattr(people, "sung", lambda spoken, *_: spoken)
    return found


@pytest.mark.parametrize("watched", [False, True])
def test_who_is_watched_is_never_learnt(two: dict[str, list[Path]], monkeypatch: pytest.MonkeyPatch, watched: bool) -> None:
    asked: list[Path] = []
    word = people.word
    monkeypatch.setattr(people, "word", lambda path: asked.append(path) or word(path))
    for seed in range(4):
        sound = people.voice(np.random.default_rng(seed), 8 * RATE, 0, False, watched)
        assert sound.shape == (8 * RATE, 2)
        assert np.isfinite(sound).all()
        assert np.abs(sound).max() > 0.01
    assert set(asked) == set(two[people.WATCHED[0] if watched else "somebody"])


def test_phrases_have_breaths_between_them(two: dict[str, list[Path]], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(people, "treated", lambda sound, _: sound)
    for seed in range(4):
        sound = people.voice(np.random.default_rng(seed), 20 * RATE, 0, False)
        level = np.abs(sound).max(axis=1)[: 20 * RATE // 441 * 441].reshape(-1, 441).max(axis=1)
        quiet = np.flatnonzero(np.diff(np.concatenate(([0], level < 0.02, [0])).astype(int)))
        breaths = (quiet[1::2] - quiet[::2]) / 100
        assert (level > 0.2).any()
        assert len(breaths) >= 3
        assert breaths.max() < 2.5


def test_what_a_studio_does_keeps_the_place_and_the_length(two: dict[str, list[Path]]) -> None:
    dry = np.zeros((3 * RATE, 2), np.float32)
    dry[RATE : 2 * RATE] = np.sin(2 * np.pi * 300 * np.arange(RATE) / RATE)[:, None]
    for seed in range(12):
        wet = people.treated(dry, np.random.default_rng(seed))
        assert wet.shape == dry.shape
        assert np.isfinite(wet).all()
        assert np.abs(wet[: RATE - 200]).max() < 1e-3, "nothing before it"
        loud = np.abs(wet[RATE : RATE + 4410]).max()
        assert loud > 0.02
