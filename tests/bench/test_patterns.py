"""The arranger of our own: what it writes is what it says it is."""

from __future__ import annotations

import mido
import numpy as np
import pytest

from bench.truth import patterns
from bench.truth.patterns import METRES, PER_QUARTER, TICKS, compose

CHORDS = ["C", "Am", "F", "G7"] * 4


def notes(file: mido.MidiFile) -> list[tuple[int, int, int, int]]:
    """(tick, channel, key, length) of every note; fails when one is never let go."""
    out, open_notes, tick = [], {}, 0
    for message in file.tracks[0]:
        tick += message.time
        if message.type == "note_on":
            open_notes.setdefault((message.channel, message.note), []).append(tick)
        elif message.type == "note_off":
            first = open_notes[(message.channel, message.note)].pop(0)
            out.append((first, message.channel, message.note, tick - first))
    assert not any(open_notes.values())
    return sorted(out)


@pytest.mark.parametrize("metre", sorted(METRES))
@pytest.mark.parametrize("seed", range(6))
def test_tempo_metre_and_length_are_as_said(metre: str, seed: int) -> None:
    file, bpm = compose(metre, CHORDS, np.random.default_rng(seed))
    tempi = [m.tempo for m in file.tracks[0] if m.type == "set_tempo"]
    signatures = [(m.numerator, m.denominator) for m in file.tracks[0] if m.type == "time_signature"]
    assert [mido.tempo2bpm(t) for t in tempi] == [pytest.approx(bpm, abs=0.01)]
    assert signatures == [METRES[metre]]
    quarters = 4 if metre == "4/4" else 3
    every = notes(file)
    # Rolls and pads may ring over the end; nothing begins after it.
    assert max(n[0] for n in every) < len(CHORDS) * quarters * TICKS + TICKS // 2
    assert 9 in {n[1] for n in every}
    assert all(n[3] > 0 for n in every)


def test_a_seed_gives_the_same_song_and_another_seed_another() -> None:
    first, second, other = (compose("4/4", CHORDS, np.random.default_rng(s))[0] for s in (3, 3, 4))
    assert notes(first) == notes(second) != notes(other)


@pytest.mark.parametrize("style", patterns._FOURS, ids=lambda s: s.drums.__name__.strip("_"))
def test_every_style_of_four_plays_inside_its_bar_and_most_bars_on_the_one(style: patterns.Style) -> None:
    bars = [style.drums(16, np.random.default_rng(seed)) for seed in range(30)]
    places = np.array([p for bar in bars for p, _, _ in bar])
    assert places.min() >= 0
    assert places.max() < 16.5
    assert all(1 <= v <= 127 for bar in bars for _, _, v in bar)
    assert style.bpm[0] < style.bpm[1]
    # All but those that are known for leaving it out.
    if style.drums is not patterns._one_drop:
        assert np.mean([any(p == 0 for p, _, _ in bar) for bar in bars]) > 0.5


@pytest.mark.parametrize("bpm", [80.0, 130.0])
def test_swing_moves_what_is_off_the_beat_and_nothing_else(bpm: float) -> None:
    moved = []
    for seed in range(40):
        swing = patterns._swing(patterns.Style((80, 150), patterns._shuffle), bpm, np.random.default_rng(seed))
        grid = np.arange(0, 8, 1 / PER_QUARTER)
        swung = np.array([swing(float(at)) for at in grid])
        assert (np.diff(swung) > 0).all()
        assert np.allclose(swung[::PER_QUARTER], grid[::PER_QUARTER])
        moved.append(float((swung - grid)[2]))
    # A shuffle always swings its eighths, up to a triplet and a little more.
    assert 0.03 < min(moved) < max(moved) < 0.2


def test_chords_and_bass_are_of_the_chord() -> None:
    file, _ = compose("4/4", ["Dm7"] * 8, np.random.default_rng(11))
    wrong = [k for _, channel, k, _ in notes(file) if channel != 9 and k % 12 not in {2, 5, 9, 0}]
    assert not wrong
