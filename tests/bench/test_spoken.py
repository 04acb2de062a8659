"""People over pieces of others: where they speak, and where not."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from bench import spoken
from bench.listening import marked
from bench.truth.synth import RATE
from grainpocket.core.listen.hearing import Hearing
from grainpocket.core.listen.onsets.onset import nothing
from grainpocket.core.listen.passages.passages import Kind, Passage
from grainpocket.core.listen.suggestions import Worth

BAR_S, BARS = 0.5, 24
PASSAGES: tuple[tuple[float, float, Kind], ...] = ((1.0, 2.9, "voice"), (3.0, 4.0, "bare drums"), (6.6, 8.0, "voice"))


@pytest.fixture
def made(tmp_path: Path) -> tuple[np.ndarray, np.ndarray, spoken.Row]:
    """(the piece, the same with somebody over it, what is known of that)."""
    rng = np.random.default_rng(3)
    t = np.arange(round(BAR_S * BARS * RATE)) / RATE
    band = np.repeat(0.3 * np.sin(2 * np.pi * 220 * t)[:, None], 2, axis=1).astype(np.float32)
    (tmp_path / "pieces").mkdir()
    sf.write(tmp_path / "pieces" / "one.wav", band, RATE, subtype="FLOAT")
    words = [tmp_path / f"{k}.wav" for k in range(3)]
    for word in words:
        sf.write(word, 0.2 * rng.standard_normal(RATE), RATE)
    piece = {"name": "one", "bars": (np.arange(BARS) * BAR_S).tolist()}
    row = spoken.over(piece, tmp_path / "pieces", tmp_path, words, np.random.default_rng(5))
    sound, _ = sf.read(tmp_path / "one.wav", dtype="float32", always_2d=True)
    return band, sound, row


def test_bars_without_a_voice_are_the_piece_alone(made: tuple[np.ndarray, np.ndarray, spoken.Row]) -> None:
    band, sound, row = made
    place = np.round(np.array(row["edges"]) * RATE).astype(int)
    told = np.array(row["speaks"])
    assert (told == 1).any()
    assert (told == 0).any()
    alone = [k for k in range(BARS) if told[k] == 0]
    gain = np.abs(sound[place[alone[0]] : place[alone[0] + 1]]).max() / np.abs(band).max()
    for k in range(BARS):
        rest = sound[place[k] : place[k + 1]] - gain * band[place[k] : place[k + 1]]
        if told[k] == 0:
            assert np.abs(rest).max() < 1e-3
        elif told[k] == 1:
            share = np.sqrt((rest**2).mean() / (sound[place[k] : place[k + 1]] ** 2).mean())
            assert 20 * np.log10(share) > spoken.PRESENT_DB - 0.5


def test_the_same_draw_gives_the_same_words(tmp_path: Path) -> None:
    sf.write(tmp_path / "a.wav", 0.1 * np.random.default_rng(1).standard_normal(RATE // 2), RATE)
    one, again = (spoken.speech([tmp_path / "a.wav"], 3 * RATE, np.random.default_rng(2)) for _ in range(2))
    np.testing.assert_array_equal(one, again)
    assert np.isfinite(one).all()
    assert np.abs(one).max() > 0.05


def test_a_bar_is_marked_when_most_of_it_lies_in_passages_of_that_kind() -> None:
    passages = tuple(Passage(round(a * RATE), round(b * RATE), kind, 1, 0.9) for a, b, kind in PASSAGES)
    heard = Hearing(9 * RATE, RATE, nothing(RATE), (), -1.0, worth=Worth(passages, (), ()))
    edges = np.arange(0.0, 9.1, 1.0)
    assert np.flatnonzero(marked(heard, edges, "voice")).tolist() == [1, 2, 7]
    assert np.flatnonzero(marked(heard, edges, "bare drums")).tolist() == [3]
    assert not marked(heard, edges, "no drums").any()
    # One that begins in the middle of a bar does not mark it.
    assert not marked(heard, np.array([0.0, 2.0, 4.0]), "voice").any()
    assert marked(heard, edges[:1], "voice").shape == (0,)
