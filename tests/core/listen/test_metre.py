"""Tempo, metre and bar one from onsets alone: written rhythms, whose truth is known, without any sound."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from grainpocket.core.listen.tempo import metre
from grainpocket.core.listen.tempo.bar_profile import METRES, Evidence
from grainpocket.core.listen.tempo.candidates import candidates
from grainpocket.core.listen.tempo.metre import Hypothesis, hypotheses

KICK, SNARE, HAT = 1, 2, 3
# (sixteenth of the bar, channel): what a drummer plays in each metre.
FOUR = [(0, KICK), (4, SNARE), (7, KICK), (8, KICK), (10, KICK), (12, SNARE), *((s, HAT) for s in range(0, 16, 2))]
FIVE = [(0, KICK), (6, KICK), (8, SNARE), (12, KICK), (16, SNARE), *((s, HAT) for s in range(0, 20, 2))]
SEVEN = [(0, KICK), (4, SNARE), (8, KICK), (12, SNARE), (16, KICK), (20, KICK), (24, SNARE), *((s, HAT) for s in range(0, 28, 4))]
WALTZ = [(0, KICK), (4, SNARE), (8, SNARE), *((s, HAT) for s in range(0, 12, 4))]


def written(
    bars: list[list[tuple[int, int]]], bpm: float, steps: int, first: float = 0.3, loose: float = 0.002, tail: float = 1.0
) -> Evidence:
    """Bars of hits, each of `steps` sixteenths, from `first` seconds on; harmony changes with every bar."""
    rng = np.random.default_rng(1)
    step = 15 / bpm
    rows: dict[int, np.ndarray] = {}
    for b, bar in enumerate(bars):
        for s, channel in bar:
            row = rows.setdefault(b * steps + s, np.zeros(5))
            row[0], row[channel] = 0.95, 0.95
    places = np.array(sorted(rows))
    t = first + places * step + rng.normal(0, loose, len(places))
    seconds = first + len(bars) * steps * step + tail
    at = np.arange(0.5, seconds - 0.5, 0.1)
    lines = first + np.arange(len(bars)) * steps * step
    moved = np.exp(-((at[:, None] - lines[None]) ** 2).min(axis=1) / 0.02)
    return Evidence(t, np.full(len(t), 0.95), np.stack([rows[p] for p in places]), moved, at, seconds)


def best(seen: Evidence) -> Hypothesis:
    found = hypotheses(seen)
    assert found
    assert sum(h.likely for h in found) == pytest.approx(1)
    assert [h.likely for h in found] == sorted((h.likely for h in found), reverse=True)
    return found[0]


def missed(found: Hypothesis, line: float) -> float:
    """Beats between a true bar line, at `line` seconds, and the nearest one that was found."""
    away = float(found.reading.beat.at(np.array([line]))[0]) - found.bar_one
    return abs(away - round(away / found.quarters) * found.quarters)


@pytest.mark.parametrize("bpm", [78.0, 92.5, 104.0, 121.3, 140.0])
@pytest.mark.parametrize("first", [0.0, 0.3, 1.7])
def test_a_plain_beat_is_told_to_a_thousandth_with_its_bar_line(bpm: float, first: float) -> None:
    found = best(written([FOUR] * 16, bpm, 16, first))
    assert found.reading.beat.bpm == pytest.approx(bpm, rel=1e-3)
    assert (found.metre, found.quarters) == ("4/4", 4)
    assert missed(found, first) < 0.15


@pytest.mark.parametrize("bpm", [96.0, 120.0, 150.0])
def test_three_in_the_bar_is_told_from_four(bpm: float) -> None:
    found = best(written([WALTZ] * 20, bpm, 12))
    assert found.reading.beat.bpm == pytest.approx(bpm, rel=1e-3)
    assert found.quarters == 3
    assert missed(found, 0.3) < 0.15


@pytest.mark.parametrize(("bar", "steps", "name"), [(FIVE, 20, "5/4"), (SEVEN, 28, "7/4")])
@pytest.mark.parametrize("first", [0.0, 1.1])
def test_five_and_seven_are_told_by_what_comes_back(bar: list[tuple[int, int]], steps: int, name: str, first: float) -> None:
    seen = written([bar] * 12, 112.0, steps, first)
    found = metre.retold(seen, best(seen))
    assert (found.metre, found.quarters) == (name, steps // 4)
    assert found.reading.beat.bpm == pytest.approx(112, rel=1e-3)
    assert missed(found, first) < 0.15
    told = candidates(seen, 44100)[0]
    assert (told.metre, told.quarters) == (name, steps // 4)
    bar_s = steps * 15 / 112
    assert (told.bar_one / 44100 - first + bar_s / 2) % bar_s - bar_s / 2 == pytest.approx(0, abs=0.02)


@pytest.mark.parametrize("seed", range(12))
def test_no_song_of_fours_or_threes_is_told_in_five_or_seven(seed: int) -> None:
    rng = np.random.default_rng(seed)
    bar, steps = ((FOUR, 16), (WALTZ, 12))[seed % 2]
    two = [[h for h in bar if rng.random() < 0.9] + [(int(rng.integers(steps)), int(rng.integers(1, 4)))] for _ in range(2)]
    bars = [[h for h in two[b % 2] if rng.random() < 0.85] for b in range(24)]
    seen = written(bars, float(rng.uniform(80, 150)), steps, loose=0.008)
    found = best(seen)
    assert metre.retold(seen, found) is found


def test_what_is_short_or_a_trimmed_loop_keeps_its_bars() -> None:
    short = written([FIVE] * 3, 112.0, 20)
    assert metre.retold(short, best(short)).metre in {name for name, _ in METRES}
    loop = written([FOUR] * 4, 112.0, 16, first=0.0, tail=0.0)
    found = best(loop)
    assert found.reading.loop_quarters
    assert metre.retold(loop, found) is found


@pytest.mark.parametrize(("bar", "steps", "name"), [(FIVE, 20, "5/4"), (SEVEN, 28, "7/4")])
@pytest.mark.parametrize("bars", [4, 8])
def test_a_trimmed_loop_of_odd_bars_has_its_tempo_from_its_length(
    bar: list[tuple[int, int]], steps: int, name: str, bars: int
) -> None:
    seen = written([bar] * bars, 112.0, steps, first=0.0, tail=0.0)
    told = candidates(seen, 44100)[0]
    assert (told.metre, told.bars, told.bar_one) == (name, bars, 0)
    assert told.bpm == pytest.approx(bars * steps / 4 * 60 / seen.seconds, rel=1e-9)


def test_likeness_is_one_for_the_same_and_highest_a_bar_away() -> None:
    seen = written([FIVE] * 10, 112.0, 20)
    alike = metre.likeness(seen, best(seen).reading.beat)
    assert alike[0] == pytest.approx(1)
    assert len(alike) == metre.LONGEST + 1
    assert set(np.argsort(-alike)[1:4].tolist()) == {5, 10, 15}


@pytest.mark.parametrize("lost", [0.1, 0.3])
def test_a_third_of_the_hits_unheard_changes_nothing(lost: float) -> None:
    rng = np.random.default_rng(5)
    whole = written([FOUR] * 16, 100.0, 16)
    keep = rng.random(len(whole.t)) >= lost
    found = best(Evidence(whole.t[keep], whole.w[keep], whole.kinds[keep], whole.moved, whole.at, whole.seconds))
    assert found.reading.beat.bpm == pytest.approx(100, rel=1e-3)
    assert missed(found, 0.3) < 0.15


def test_a_drummer_whose_bars_differ_is_followed() -> None:
    rng = np.random.default_rng(8)
    bars = [[h for h in FOUR if h[0] in (0, 4, 12) or rng.random() < 0.8] + [(int(rng.integers(16)), SNARE)] for _ in range(16)]
    found = best(written(bars, 96.0, 16, loose=0.008))
    assert found.reading.beat.bpm == pytest.approx(96, rel=2e-3)
    assert missed(found, 0.3) < 0.15


def test_what_comes_before_the_drums_moves_no_line() -> None:
    late = written([FOUR] * 12, 110.0, 16, first=9.0)
    found = best(late)
    assert found.reading.beat.bpm == pytest.approx(110, rel=1e-3)
    assert missed(found, 9.0) < 0.15


@pytest.mark.parametrize("ratio", [0.93, 1.04, 1.1])
def test_a_record_run_faster_is_the_same_music_faster(ratio: float) -> None:
    plain, run = (best(written([FOUR] * 16, bpm, 16)) for bpm in (105.0, 105.0 * ratio))
    assert run.reading.beat.bpm / plain.reading.beat.bpm == pytest.approx(ratio, rel=1e-3)
    assert run.metre == plain.metre


def test_each_octave_off_the_pace_of_tapping_counts_the_same_both_ways() -> None:
    readings = [h.reading for h in hypotheses(written([FOUR] * 16, metre.TAPPED_BPM, 16))]
    near = {round(np.log2(r.beat.bpm / metre.TAPPED_BPM), 2): metre._of_pace(r) for r in readings}
    assert near[0.0] == pytest.approx(0, abs=1e-3)
    assert near[-1.0] == pytest.approx(-metre.AWAY, rel=1e-2)
    assert all(value <= 0 for value in near.values())


def test_too_few_onsets_have_no_tempo() -> None:
    seen = written([FOUR] * 4, 100.0, 16)
    few = slice(0, 3)
    assert hypotheses(Evidence(seen.t[few], seen.w[few], seen.kinds[few], seen.moved, seen.at, seen.seconds)) == []


def test_the_networks_are_fitted_apart_and_read_the_same_features() -> None:
    nets = metre.networks()
    assert len(nets) == len(metre.NETWORKS)
    x = np.random.default_rng(1).uniform(0, 1, (20, metre.FEATURES)).astype(np.float32)
    said = [net(x)[:, 0] for net in nets]
    assert all(np.isfinite(s).all() for s in said)
    assert all(np.abs(a - b).max() > 0.1 for a, b in itertools.pairwise(said))


def test_a_bar_of_every_metre_is_considered() -> None:
    names = {h.metre for h in hypotheses(written([FOUR] * 16, 100.0, 16))}
    assert names == {name for name, _ in METRES}
