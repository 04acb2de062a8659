"""From what sounds in half bars to passages: runs, edges, silence; and several networks as one."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.listen.networks.dense import Layers, mean_of
from grainpocket.core.listen.passages import passages
from grainpocket.core.listen.passages.passages import Kind, Passage, bar_edges, half_bars
from grainpocket.core.listen.spectra.bands import analyse
from tests.signals import RATE

HALF_S = 1.0
SOUNDS = {
    "drums": (1.0, 0.0, 0.0),
    "music": (0.0, 1.0, 0.0),
    "both": (1.0, 1.0, 0.0),
    "song": (1.0, 1.0, 1.0),
    "voice": (0.0, 0.0, 1.0),
}


def found(halves: list[str], in_bars: bool = True, silent: frozenset[int] = frozenset()) -> list[Passage]:
    """Of a record of half bars of a second, each of one kind."""
    heard = np.array([k not in silent for k in range(len(halves))])
    likely = np.array([SOUNDS[half] for half in halves], np.float32)
    return passages.passages(likely, heard, np.arange(len(halves) + 1) * HALF_S, RATE, in_bars)


def spans(some: list[Passage], kind: Kind) -> list[tuple[float, float, int]]:
    return [(p.start / RATE, p.end / RATE, p.bars) for p in some if p.kind == kind]


def test_runs_of_one_kind_are_passages_in_order() -> None:
    some = found(["drums"] * 4 + ["both"] * 4 + ["music"] * 2 + ["song"] * 2)
    assert spans(some, "bare drums") == [(0, 4, 2)]
    assert spans(some, "no drums") == [(8, 10, 1)]
    assert spans(some, "voice") == [(10, 12, 1)]
    assert [p.start for p in some] == sorted(p.start for p in some)


def test_half_a_bar_is_no_passage_unless_there_are_no_bars() -> None:
    halves = ["both", "drums", "both", "both"]
    assert spans(found(halves), "bare drums") == []
    assert spans(found(halves, in_bars=False), "bare drums") == [(1, 2, 0)]


def test_silence_is_neither_drums_nor_without_them() -> None:
    some = found(["drums"] * 2 + ["voice"] * 2 + ["music"] * 2, silent=frozenset({0, 1, 2, 3}))
    assert spans(some, "bare drums") == spans(some, "voice") == []
    assert spans(some, "no drums") == [(4, 6, 1)]


def test_four_taps_in_a_bar_are_heard_and_hiss_is_not() -> None:
    rng = np.random.default_rng(1)
    sound = 1e-4 * rng.standard_normal(8 * RATE)
    for k in range(4):
        at = round((2 + k / 2) * RATE)
        sound[at : at + 400] += 0.1 * rng.standard_normal(400)
    sound[4 * RATE : 8 * RATE] += 0.5 * np.sin(2 * np.pi * 220 * np.arange(4 * RATE) / RATE)
    bands = analyse(sound.astype(np.float32), RATE, float(np.abs(sound).max()))
    assert passages.audible(bands, np.array([0.0, 1.0, 1.9, 3.9, 8.0])).tolist() == [False, False, True, True]
    # Edges that share a frame, or lie past the end.
    assert passages.audible(bands, np.array([7.0, 7.001, 9.0])).tolist() == [True, True]


@given(st.lists(st.sampled_from(sorted(SOUNDS)), min_size=2, max_size=24))
def test_passages_of_a_kind_lie_apart_and_hold_only_it(halves: list[str]) -> None:
    some = found(halves)
    wanted: dict[Kind, set[str]] = {"bare drums": {"drums"}, "no drums": {"music", "voice"}, "voice": {"song", "voice"}}
    for kind, names in wanted.items():
        mine = spans(some, kind)
        assert all(b < c for (_, b, _), (c, _, _) in itertools.pairwise(mine))
        told = {k for a, b, _ in mine for k in range(round(a), round(b))}
        assert {halves[k] for k in told} <= names
        # Whatever lasts a bar is in one.
        for k, (one, two) in enumerate(itertools.pairwise(halves)):
            if one in names and two in names:
                assert {k, k + 1} <= told


@given(st.floats(0.3, 5), st.integers(2, 40), st.floats(0, 3))
def test_edges_begin_and_end_with_the_record_and_leave_room(bar_s: float, count: int, first: float) -> None:
    lines = first + np.arange(count) * bar_s
    seconds = float(lines[-1] + bar_s / 2)
    edges = bar_edges(half_bars(lines), seconds)
    assert (edges[0], edges[-1]) == (0.0, seconds)
    assert edges[1] - edges[0] >= min(passages.SHORTEST_S, seconds)
    assert (np.diff(edges) > 0).all()
    # Every second of the half bars' lines is a bar line.
    np.testing.assert_allclose(half_bars(lines)[::2], lines)


def test_a_record_without_lines_is_told_in_plain_stretches() -> None:
    edges = bar_edges(np.zeros(0), 7.0)
    np.testing.assert_allclose(edges, [0, 2, 4, 6, 7])
    assert bar_edges(np.zeros(0), 0.3).tolist() == [0.0, 0.3]


def layers(seed: int) -> Layers:
    rng = np.random.default_rng(seed)
    shapes = ((5, 4), (4, 3))
    weights = tuple(rng.standard_normal(s).astype(np.float32) for s in shapes)
    biases = tuple(rng.standard_normal(s[1]).astype(np.float32) for s in shapes)
    return Layers(weights, biases, rng.standard_normal(5).astype(np.float32), np.full(5, 2, np.float32))


def test_networks_together_say_the_mean_of_what_each_says() -> None:
    x = np.random.default_rng(9).standard_normal((7, 5)).astype(np.float32)
    some = [layers(k) for k in range(3)]
    np.testing.assert_allclose(mean_of(some, x), sum(one(x) for one in some) / 3, rtol=1e-5, atol=1e-6)
    np.testing.assert_array_equal(mean_of(some[:1], x), some[0](x))
    assert mean_of(some, x[:0]).shape == (0, 3)
    hidden = np.maximum((x - some[0].mean) / 2 @ some[0].weights[0] + some[0].biases[0], 0)
    np.testing.assert_allclose(some[0](x), hidden @ some[0].weights[1] + some[0].biases[1], rtol=1e-5, atol=1e-6)


def test_a_bar_as_a_whole_does_not_overrule_its_moments(monkeypatch: pytest.MonkeyPatch) -> None:
    sure = np.array([[19.0, 0.0, 0.0], [-19.0, 0.0, 0.0]], np.float32)
    monkeypatch.setattr(passages, "by_bar", lambda table: sure[: len(table)].copy())
    moments = np.array([[-4.0, 0.0, 0.0], [4.0, 0.0, 0.0]], np.float32)
    assert np.sign(passages.told(np.zeros((2, 1), np.float32), moments)[:, 0]).tolist() == [-1, 1]
    assert np.sign(passages.told(np.zeros((2, 1), np.float32), moments * 0)[:, 0]).tolist() == [1, -1], "alone, it decides"


def test_moments_say_of_a_bar_that_there_is_a_voice_and_have_a_say_in_the_drums_and_the_music() -> None:
    x = np.random.default_rng(3).random((5, passages.FEATURES)).astype(np.float32)
    none = np.zeros((5, 3), np.float32)
    usual = passages.told(x, none)
    for column, share in enumerate((1 - passages.DRUMS_BY_BAR, passages.AGREED * (1 - passages.BY_BAR), 1.0)):
        more = none.copy()
        more[:, column] = 3
        change = passages.told(x, more) - usual
        np.testing.assert_allclose(change[:, column], 3 * share, atol=1e-5)
        np.testing.assert_allclose(np.delete(change, column, axis=1), 0, atol=1e-6)
