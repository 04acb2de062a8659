"""Where bare drums begin and end, by how loud the music is there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.listen.hearing import hear
from grainpocket.core.listen.passages import passages
from grainpocket.core.listen.passages.passages import ABSENT_DB, RINGS_DB, at_the_ends, bareness
from tests.records import band, beats_of
from tests.signals import DRUMS, RATE

EDGES = np.arange(13.0)
LOUD, BETWEEN, GONE = RINGS_DB + 5, (RINGS_DB + ABSENT_DB) / 2, ABSENT_DB - 5


def record(music: Sequence[float]) -> np.ndarray:
    """Drums everywhere, no voice, this much music."""
    return np.array([(0.99, much, 0.01) for much in music], np.float32)


def settled(likely: np.ndarray, db: Sequence[float], heard: np.ndarray | None = None) -> tuple[np.ndarray, list[int]]:
    """(which half bars are bare drums, which were measured)."""
    asked: list[int] = []

    def music(spans: Sequence[tuple[float, float]]) -> np.ndarray:
        asked.extend(int(a) for a, _ in spans)
        assert all(int(a) < a < b < int(a) + 1 for a, b in spans), "not quite from line to line"
        return np.array([db[int(a)] for a, _ in spans], np.float32)

    before = likely.copy()
    out = at_the_ends(likely, np.ones(len(likely), bool) if heard is None else heard, EDGES, 0.4, music)
    assert np.array_equal(likely, before)
    assert np.array_equal(out[:, [0, 2]], likely[:, [0, 2]])
    return bareness(out) >= 0.4, asked


SURE = [1.0, 1.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 1.0, 1.0, 1.0]


def test_what_rings_on_loudly_is_music_until_it_has_died() -> None:
    db = [0.0] * 4 + [LOUD, LOUD, GONE, GONE] + [0.0] * 4
    found, asked = settled(record(SURE), db)
    assert found.nonzero()[0].tolist() == [5, 6, 7]
    assert asked == [4], "only where it begins"
    quiet, _ = settled(record(SURE), [0.0] * 4 + [BETWEEN] * 4 + [0.0] * 4)
    assert quiet.nonzero()[0].tolist() == [4, 5, 6, 7]


def test_music_that_only_seems_to_sound_beside_bare_drums_is_none() -> None:
    seems = [1.0, 1.0, 0.9, 0.95, 0.0, 0.0, 0.0, 0.8, 0.9, 0.9, 1.0, 1.0]
    db = [0.0, 0.0, GONE, GONE, GONE, GONE, GONE, GONE, GONE, GONE, GONE, GONE]
    found, asked = settled(record(seems), db)
    # What is surely music is not asked about, and no passage grows by more than two half bars.
    assert found.nonzero()[0].tolist() == [2, 3, 4, 5, 6, 7, 8]
    assert set(asked) == {2, 3, 7, 8}
    still, _ = settled(record(seems), [BETWEEN] * 12)
    assert still.nonzero()[0].tolist() == [4, 5, 6]


@pytest.mark.parametrize(("column", "much"), [(0, 0.5), (2, 0.7)])
def test_where_drums_are_doubtful_or_a_voice_sounds_nothing_is_measured(column: int, much: float) -> None:
    likely = record([1.0, 1.0, 1.0, 0.8, 0.0, 0.0, 0.0, 0.0, 0.8, 1.0, 1.0, 1.0])
    likely[[3, 8], column] = much
    found, asked = settled(likely, [GONE] * 12)
    assert found.nonzero()[0].tolist() == [4, 5, 6, 7]
    assert asked == [4]


def test_nothing_rings_into_the_start_or_out_of_silence() -> None:
    likely = record([0.0] * 4 + [1.0] * 4 + [0.0] * 4)
    heard = np.ones(12, bool)
    heard[4:8] = False
    found, asked = settled(likely, [LOUD] * 12, heard)
    assert found[heard].all()
    assert asked == []
    nothing, asked = settled(record([1.0] * 12), [LOUD] * 12)
    assert not nothing.any()
    assert asked == []


@given(
    st.lists(
        st.tuples(st.floats(0, 1), st.floats(0, 1), st.floats(0, 1), st.booleans(), st.floats(-60, 0)), min_size=1, max_size=12
    )
)
def test_whatever_sounds_passages_change_only_at_their_ends(rows: list[tuple[float, float, float, bool, float]]) -> None:
    likely = np.array([row[:3] for row in rows], np.float32)
    heard = np.array([row[3] for row in rows])
    asked: list[int] = []

    def music(spans: Sequence[tuple[float, float]]) -> np.ndarray:
        asked.extend(int(a) for a, _ in spans)
        return np.array([rows[int(a)][4] for a, _ in spans], np.float32)

    out = at_the_ends(likely, heard, np.arange(len(rows) + 1.0), 0.4, music)
    before, after = heard & (bareness(likely) >= 0.4), heard & (bareness(out) >= 0.4)
    assert np.array_equal(out[:, [0, 2]], likely[:, [0, 2]])
    assert heard[asked].all()
    for k in np.flatnonzero(after & ~before):
        assert rows[k][4] < ABSENT_DB
        assert before[max(0, k - passages.FARTHEST) : k + passages.FARTHEST + 1].any()
    for k in np.flatnonzero(before & ~after):
        assert rows[k][4] > RINGS_DB
        assert k > 0
        assert heard[k - 1]
        assert not after[k - 1]


HALF_S = 1.2


@pytest.fixture(scope="module")
def tapes() -> tuple[np.ndarray, np.ndarray]:
    """Eight bars of a band, then four of its drums; in the first a chord is struck as they begin and rings half a bar."""
    beats = beats_of(120 / HALF_S, 48, 0.0)
    first = band(beats).out
    rng, cut = np.random.default_rng(1), round(beats[32] * RATE)
    alone = np.zeros(len(first) - cut)
    for i, at in enumerate(beats[32:]):
        for name, when, gain in (("kick" if i % 2 == 0 else "snare", 0.0, 0.7), ("hat", 0.0, 0.25), ("hat", 0.3, 0.25)):
            start = round((at + when) * RATE) - cut
            sound = DRUMS[name](rng)[: max(0, len(alone) - start)] * gain
            alone[start : start + len(sound)] += sound
    t = np.arange(len(alone)) / RATE
    chord = 0.25 * np.exp(-t / 0.25) * sum(np.sin(2 * np.pi * hz * t) for hz in (110.0, 220.0, 277.2, 329.6, 440.0))
    rung, plain = (np.concatenate((first[:cut], some)).astype(np.float32) for some in (alone + chord, alone))
    return rung * np.float32(0.7 / np.abs(rung).max()), plain * np.float32(0.7 / np.abs(plain).max())


def begins(tape: np.ndarray) -> float:
    """The half bar at which the last passage of bare drums begins."""
    return float([p.start for p in hear(tape, RATE).worth.passages if p.kind == "bare drums"][-1] / RATE / HALF_S)


def test_a_passage_begins_at_the_half_bar_where_the_last_chord_has_died(tapes: tuple[np.ndarray, np.ndarray]) -> None:
    rung, plain = tapes
    assert begins(rung) == pytest.approx(17, abs=0.05)
    assert begins(plain) == pytest.approx(16, abs=0.05)


def test_what_is_measured_counts(tapes: tuple[np.ndarray, np.ndarray], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(passages, "RINGS_DB", -200.0)
    assert begins(tapes[1]) == pytest.approx(17, abs=0.05)
