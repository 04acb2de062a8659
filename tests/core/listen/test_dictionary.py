"""A recording taken apart into a few sounds of its own."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from grainpocket.core.listen.drums import dictionary
from grainpocket.core.listen.drums.dictionary import LAG, LENGTH, PLACES, WINDOW, Apart, cut, take_apart
from grainpocket.core.listen.drums.pursuit import RATE as LOW
from grainpocket.core.listen.drums.pursuit import whitened
from tests.machine import NAMES, Hit, roles_of, tape
from tests.signals import RATE

KICK, SNARE, HAT = range(3)
# Closer than the sounds are long: every hit lies in the tail of another.
PLAIN: list[Hit] = [(0.2 + 0.12 * i, NAMES[i % 3], 0.4 + 0.07 * (i * 5 % 7)) for i in range(24)]
END = 0.2 + 0.12 * 24
Samples = NDArray[np.float32]


def taken(hits: list[Hit], called: list[str] | None = None, apart_s: float = 0.0) -> tuple[Apart, Samples, NDArray[np.int64]]:
    samples, at = tape(hits, apart_s=apart_s)
    white = np.pad(whitened(samples, RATE, 24), (LAG, LENGTH + 4 * LAG))
    place = np.round(at * (LOW / RATE)).astype(np.int64) + LAG
    names = called or [name for _, name, _ in sorted(hits)]
    found = take_apart(white, place, np.full(len(at), 0.95, np.float32), roles_of(*names)[:, :3])
    assert found is not None
    return found, white, place


def db(ratio: float) -> float:
    return float(10 * np.log10(ratio + 1e-12))


def gains_of(found: Apart, drum: int) -> NDArray[np.float64]:
    """Of each onset, the loudness of that drum in it; 0 where it has none."""
    out = np.zeros(int(found.onset.max()) + 1)
    mine = found.drum[found.sound] == drum
    out[found.onset[mine]] = found.gain[mine] * np.sqrt(found.size[found.sound[mine]])
    return out


def test_a_machine_is_its_few_sounds_and_nothing_else() -> None:
    found, white, _ = taken(PLAIN)
    assert db(float((found.left**2).sum() / (white**2).sum())) < -26
    assert sorted(set(found.drum.tolist())) == [KICK, SNARE, HAT]
    for drum, name in enumerate(NAMES):
        true = np.array([gain if n == name else 0.0 for _, n, gain in PLAIN])
        seen = gains_of(found, drum)
        assert np.corrcoef(true, seen)[0, 1] > 0.97


def test_sounds_fitted_to_all_hits_leave_less_than_sounds_cut_out_of_some(monkeypatch: pytest.MonkeyPatch) -> None:
    left = []
    for rounds in (1, 2):
        monkeypatch.setattr(dictionary, "ROUNDS", rounds)
        left.append(float((taken(PLAIN)[0].left ** 2).sum()))
    assert left[1] < 0.8 * left[0]


@pytest.mark.parametrize("over", ["kick", "hat"])
@pytest.mark.parametrize("late_ms", [0.0, 4.0])
@pytest.mark.parametrize("under_db", [-14.0, -24.0])
def test_a_ghost_note_under_a_hit_is_seen_in_the_tail_of_another(over: str, late_ms: float, under_db: float) -> None:
    called = [name for _, name, _ in PLAIN] + [over]
    bare: list[Hit] = [*PLAIN, (END, over, 0.6)]
    gain = 0.6 * 10 ** (under_db / 20)
    without = taken(bare)[0]
    ghost = taken([*bare, (END + late_ms / 1000, "snare", gain)], called, apart_s=0.01)[0]
    assert ghost.clear[-1, SNARE] > 6 * without.clear[-1, SNARE]
    assert ghost.clear[-1, SNARE] > 6 * np.median(ghost.clear[[i for i, n in enumerate(called[:-1]) if n != "snare"], SNARE])
    loud = np.sqrt(ghost.taken[-1, SNARE] / ghost.taken[[i for i, n in enumerate(called) if n == "snare"], SNARE].max())
    assert 20 * np.log10(loud) == pytest.approx(20 * np.log10(gain / 0.82), abs=5)


def test_a_sound_that_bore_a_wrong_name_gets_its_own() -> None:
    # The snare never stands alone, and every third hat is taken for one as well.
    bar: list[tuple[str, ...]] = [("kick",), ("hat",), ("snare", "hat"), ("hat",)] * 12
    hits = [(0.2 + 0.15 * i, name, 0.5 + 0.05 * (i % 4)) for i, names in enumerate(bar) for name in names]
    samples, at = tape(hits)
    roles = np.full((len(at), 3), 0.05, np.float32)
    for i, names in enumerate(bar):
        roles[i, [NAMES.index(name) for name in names]] = 0.95
    hats = np.array([i for i, names in enumerate(bar) if names == ("hat",)])
    roles[hats[::3], SNARE] = 0.7
    white = np.pad(whitened(samples, RATE, 24), (LAG, LENGTH + 4 * LAG))
    place = np.round(at * (LOW / RATE)).astype(np.int64) + LAG
    found = take_apart(white, place, np.full(len(at), 0.95, np.float32), roles)
    assert found is not None
    snares = gains_of(found, SNARE)
    true = np.array([names == ("snare", "hat") for names in bar])[: len(snares)]
    assert snares[true].min() > 10 * np.median(snares[hats])
    assert (snares[hats] < 0.1 * np.median(snares[true])).mean() > 0.9


def test_a_hat_with_a_ghost_under_it_is_no_hat_of_its_own() -> None:
    # Always the same ghost under the same hat: alike among themselves, and unlike the hats alone.
    hits = [*PLAIN]
    called = [name for _, name, _ in PLAIN]
    for k in range(4):
        hits += [(END + 0.32 + 0.4 * k, "hat", 0.5), (END + 0.32 + 0.4 * k, "snare", 0.15)]
        called.append("hat")
    found = taken(hits, called)[0]
    assert sorted(found.drum.tolist()) == [KICK, SNARE, HAT]
    assert found.clear[-4:, SNARE].min() > 10


def test_where_no_drum_is_likely_nothing_is_learnt() -> None:
    white = np.random.default_rng(1).standard_normal(8000).astype(np.float32)
    at = np.array([500, 2000, 3500], np.int64)
    assert take_apart(white, at, np.full(3, 0.9, np.float32), np.full((3, 3), 0.1, np.float32)) is None
    assert take_apart(white, at[:0], np.zeros(0, np.float32), np.zeros((0, 3), np.float32)) is None


@pytest.mark.parametrize("count", [1, 2, 3])
def test_silence_and_few_onsets_are_borne(count: int) -> None:
    at = np.array([300, 900, 4000], np.int64)[:count]
    roles = roles_of("kick", "kick", "hat")[:count, :3]
    for white in (np.zeros(9000, np.float32), np.random.default_rng(2).standard_normal(9000).astype(np.float32)):
        found = take_apart(white, at, np.full(count, 0.9, np.float32), roles)
        assert found is not None
        for table in (found.left, found.waves, found.gain, found.clear, found.taken):
            assert np.isfinite(table).all()


def test_laying_down_and_gathering_are_each_others_transpose() -> None:
    rng = np.random.default_rng(3)
    laid = dictionary._Laid(20)
    laid.sound[:, :2] = rng.integers(-1, 4, (20, 2))
    laid.place[:] = rng.integers(0, 20000, (20, dictionary.PICKS))
    laid.gain[:] = rng.random((20, dictionary.PICKS))
    waves, samples = rng.standard_normal((4, LENGTH)).astype(np.float32), rng.standard_normal(20000 + LENGTH).astype(np.float32)
    there = float(dictionary._sum(len(samples), waves, laid).astype(float) @ samples)
    back = float((waves.astype(float) * dictionary._gathered(samples, 4, laid)).sum())
    assert there == pytest.approx(back, rel=1e-4)


def test_products_of_shifted_sounds_are_those_of_the_sounds_themselves() -> None:
    rng = np.random.default_rng(4)
    heads = rng.standard_normal((3, WINDOW)).astype(np.float32)
    like = dictionary._likeness(heads)
    sound, place, gain = np.array([[2, 0]]), np.array([[5, 2 * LAG]]), np.array([[0.7, 0.3]])
    line = np.zeros((2, WINDOW + 2 * LAG), np.float32)
    for row, (one, at) in enumerate(zip(sound[0], place[0], strict=True)):
        line[row, at : at + WINDOW] = heads[one]
    assert np.allclose(dictionary.gram(like, sound, place)[0], line @ line.T, rtol=1e-3, atol=0.1)
    span = (gain @ line)[0]
    direct = np.array([[span[at : at + WINDOW] @ head for at in range(PLACES)] for head in heads])
    assert np.allclose(dictionary.shadow(like, sound, place, gain)[0], direct, atol=0.05)


def test_a_cut_stays_inside_the_recording() -> None:
    line = np.arange(10, dtype=np.float32)
    assert cut(line, np.array([-3, 4, 99]), 4).tolist() == [[0, 1, 2, 3], [4, 5, 6, 7], [6, 7, 8, 9]]


def test_sounds_that_explain_all_of_it_already_stay_as_they_are() -> None:
    laid = dictionary._Laid(1)
    laid.sound[0, 0], laid.gain[0, 0] = 0, 1
    white = np.zeros(2 * LENGTH, np.float32)
    waves = np.zeros((1, LENGTH), np.float32)
    assert (dictionary._fitted(white, waves, laid) == 0).all()
