"""Tempo, metre and bar one of whole records, and no tempo where there is none."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np
import pytest
from scipy import signal

from grainpocket.core.listen.hearing import Hearing, hear, listen_to
from grainpocket.core.listen.tempo import grids
from grainpocket.core.listen.tempo.candidates import Tempo, calibrated
from grainpocket.core.sound.audio import mono
from tests import records
from tests.records import Record
from tests.signals import RATE, drum_loop, kick

RECORDS: dict[str, Callable[[], Record]] = {
    "straight": records.straight,
    "no drums at first": records.no_drums_at_first,
    "bar one late": records.bar_one_late,
    "weak": records.weak,
    "drifting": records.drifting,
    "waltz": records.waltz,
    "fast": records.fast,
}


def heard(record: Record) -> Hearing:
    return hear(mono(record.sound), RATE)


@pytest.mark.parametrize("name", RECORDS)
def test_the_true_tempo_is_among_the_candidates_and_its_lines_on_the_beats(name: str) -> None:
    record = RECORDS[name]()
    tempi = heard(record).tempi
    near = [t for t in tempi if abs(t.bpm / record.bpm - 1) < 0.01]
    assert near, [round(t.bpm, 2) for t in tempi]
    assert near[0].steady == (name != "drifting")
    if name != "drifting":
        assert abs(near[0].bpm / record.bpm - 1) < 0.001
    beats, _ = grids.beat_places(grids.found_grid(near[0]), len(record.sound), RATE)
    misses = np.abs(beats[:, None] / RATE - record.beats[None]).min(axis=0)
    # Half a beat off is a choice that a musician puts right in one move; anything else is a miss.
    half = np.abs(beats[:, None] / RATE - (record.beats[:-1] + np.diff(record.beats) / 2)[None]).min(axis=0)
    assert min(np.quantile(misses, 0.98), np.quantile(half, 0.98)) < 0.010


@pytest.mark.parametrize("bpm", [52.0, 75.0, 93.7, 120.0, 148.3, 196.0])
def test_tempi_from_slow_to_fast(bpm: float) -> None:
    loop = drum_loop(bpm=bpm, bars=4, swing=0.54)
    twice = np.concatenate((np.zeros((RATE, 2), np.float32), loop.samples, loop.samples))
    found = hear(mono(twice), RATE).tempi
    assert any(abs(t.bpm / loop.bpm / k - 1) < 0.002 for t in found[:1] for k in (0.5, 1, 2))
    assert any(abs(t.bpm / loop.bpm - 1) < 0.002 for t in found)


def test_what_is_shown_beside_the_first_says_how_it_relates() -> None:
    found = heard(records.straight()).tempi
    assert found[0].relation == ""
    for other in found[1:]:
        assert other.relation or min(abs(np.log2(other.bpm / found[0].bpm) - k) for k in (-1, 1)) > 0.03
    assert sum(t.confidence for t in found) <= 1.001
    assert all(abs(np.log(a.bpm / b.bpm)) > 0.014 for a, b in itertools.combinations(found, 2)), "one tempo twice"


def bursts(seed: int) -> np.ndarray:
    """Like someone talking: soft bursts of filtered noise and tone, never twice as long."""
    rng = np.random.default_rng(seed)
    out = np.zeros(RATE * 12)
    at = 0.3
    while at < 11:
        length = rng.uniform(0.08, 0.35)
        t = np.arange(int(length * RATE)) / RATE
        pulse = signal.sawtooth(2 * np.pi * np.cumsum(rng.uniform(100, 180) + 20 * np.sin(4 * t)) / RATE)
        sos = signal.butter(2, (rng.uniform(300, 600), rng.uniform(1500, 3000)), "bandpass", fs=RATE, output="sos")
        sound = signal.sosfilt(sos, pulse) * np.sin(np.pi * t / length) ** 2
        out[int(at * RATE) : int(at * RATE) + len(sound)] += sound * rng.uniform(0.2, 0.5)
        at += length + rng.uniform(0.02, 0.5)
    return out


def noise() -> np.ndarray:
    return 0.3 * np.random.default_rng(1).standard_normal(RATE * 8)


def one_hit() -> np.ndarray:
    return np.concatenate((np.zeros(RATE), kick(np.random.default_rng(1)), np.zeros(RATE)))


def tone() -> np.ndarray:
    return 0.3 * np.sin(2 * np.pi * 220 * np.arange(RATE * 6) / RATE)


@pytest.mark.parametrize("sound", [lambda: np.zeros(RATE * 3), noise, one_hit, tone], ids=["silence", "noise", "one hit", "tone"])
def test_no_steady_pulse_is_said_so(sound: Callable[[], np.ndarray]) -> None:
    assert hear(sound().astype(np.float32), RATE).tempi == ()


@pytest.mark.parametrize("seed", range(3))
def test_a_voice_has_no_sure_tempo(seed: int) -> None:
    found = hear(bursts(seed).astype(np.float32), RATE).tempi
    assert not found or found[0].confidence < 0.9


def worn(samples: np.ndarray) -> np.ndarray:
    sos = signal.butter(4, 5000, "lowpass", fs=RATE, output="sos")
    hiss = 0.004 * np.random.default_rng(3).standard_normal(samples.shape)
    return np.asarray(np.tanh(3 * signal.sosfilt(sos, samples, axis=0)) * 0.5 + hiss)


@pytest.mark.parametrize(
    "change",
    [worn, lambda x: x[::-1], lambda x: np.repeat(x, 2, axis=0), lambda x: 0.01 * x],
    ids=["worn", "reversed", "an octave down", "quiet"],
)
def test_changed_loops_give_sane_answers(change: Callable[[np.ndarray], np.ndarray]) -> None:
    loop = drum_loop(bpm=104, bars=4)
    sound = change(loop.samples).astype(np.float32)
    found = hear(mono(sound), RATE).tempi
    seconds = len(sound) / RATE
    ratios = [t.bpm * seconds / 240 / n for t in found[:3] for n in (1, 2, 4, 8, 16)]
    assert any(abs(r - 1) < 0.005 for r in ratios), [t.bpm for t in found]


def test_a_stretch_is_heard_alone_and_sharpened() -> None:
    record = records.no_drums_at_first()
    start, end = (int(record.beats[i] * RATE) for i in (32, 64))
    stretch = mono(record.sound)[start:end]
    for sharper in (False, True):
        tempi = listen_to(stretch, RATE, sharper)
        assert any(abs(t.bpm / record.bpm - 1) < 0.003 for t in tempi[:3])
    assert listen_to(stretch[:0], RATE) == ()


def reading(confidence: float, relation: str = "", metre: str = "4/4") -> Tempo:
    return Tempo(100.0, confidence, relation=relation, metre=metre)


def test_percentages_are_what_they_are_worth() -> None:
    sure = calibrated([reading(0.9997), reading(0.0003, "double")])
    assert 0.9 < sure[0] < 0.96, "no more than is right of what was called as sure"
    assert sure[0] + sure[1] <= 1.0001
    assert calibrated([reading(0.7), reading(0.3)])[0] < 0.7
    assert calibrated([reading(0.6), reading(0.4)]) == sorted(calibrated([reading(0.6), reading(0.4)]), reverse=True)
    assert calibrated([]) == []
    assert calibrated([reading(0.2)]) == [0.2], "alone it says how likely a pulse is at all"


def test_bars_of_dotted_quarters_are_never_called_hopeless() -> None:
    shown = calibrated([reading(1.0), reading(0.0, "double"), reading(0.0, "two thirds", "6/8"), reading(0.0, "two thirds")])
    assert shown[2] >= 0.0195
    assert shown[1] < 0.01
    assert shown[3] < 0.01
    assert sum(shown) <= 1.0001
