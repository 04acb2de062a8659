"""Effects in an echo's own loop: every round goes through them, on the beat, and however it is cut into blocks."""

from __future__ import annotations

import copy
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy import signal

from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Controls, Curve, run, start_state, turn_rings
from grainpocket.core.mix.graph import Graph
from grainpocket.core.mix.nodes import Insert, Node, Pieces, controls_of, pieces
from grainpocket.core.params import Value
from tests.core.effects.desk import BEAT, controls, db, through
from tests.core.test_graph import Sound, clock, insert, strokes
from tests.signals import RATE, drum_loop

WIDE: dict[str, Value] = {"low_cut": 20.0, "high_cut": 20000.0}


def held(*inside: tuple[str, dict[str, Value]], curves: dict[str, Curve] | None = None, **settings: Value) -> Controls:
    its = tuple((EFFECTS[kind], controls(kind, **some)) for kind, some in inside)
    return replace(controls("echo", curves, **settings), inside=its)


@settings(max_examples=25, derandomize=True, suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(
    kinds=st.lists(st.sampled_from(["eq", "saturation", "reverb", "limiter", "width", "compressor"]), min_size=1, max_size=3),
    ms=st.sampled_from([1.0, 7.3, 40.0, 120.0]), path=st.sampled_from(["straight", "cross"]), moves=st.booleans(),
    splits=st.lists(st.integers(1, 8999), max_size=5, unique=True).map(sorted),
)  # fmt: skip
def test_blocks_do_not_matter_in_the_loop_either(kinds: list[str], ms: float, path: str, moves: bool, splits: list[int]) -> None:
    loop = np.asarray(drum_loop(bpm=120, bars=1, seed=2).samples[:9000], np.float32)
    curves = {"ms": Curve(np.array([0.0, 9000.0]), np.array([ms, ms * 2]))} if moves else {}
    how = held(*((kind, {}) for kind in kinds), curves=curves, synced=False, ms=ms, path=path, feedback=90.0)
    np.testing.assert_array_equal(through("echo", loop, how, splits), through("echo", loop, how))


@pytest.mark.parametrize("kind", ["saturation", "limiter"])
def test_echoes_stand_on_the_sample_whatever_lags_in_the_loop(kind: str) -> None:
    click = np.zeros((int(BEAT * 3.5), 2), np.float32)
    click[0] = 0.1
    out = np.abs(through("echo", click, held((kind, {}), beats=1.0, feedback=90.0, **WIDE))[:, 0])
    assert EFFECTS[kind].latency > 0
    for k in (1, 2, 3):
        around = out[k * 20000 - 60 : k * 20000 + 60]
        assert int(np.argmax(around)) == 60


def test_every_round_loses_what_the_loop_takes() -> None:
    rng = np.random.default_rng(5)
    noise = np.zeros((int(BEAT * 4), 2), np.float32)
    noise[:8000] = 0.1 * rng.standard_normal((8000, 2))
    plain = through("echo", noise, held(("eq", {}), beats=1.0, feedback=100.0, **WIDE))
    dull = through("echo", noise, held(("eq", {"high_db": -12.0, "high_hz": 1000.0}), beats=1.0, feedback=100.0, **WIDE))
    highs = signal.butter(6, 6000, "highpass", output="sos", fs=RATE)
    for k in (1, 2, 3):
        here = slice(int(k * BEAT), int(k * BEAT) + 8000)
        lost = db(signal.sosfilt(highs, plain[here], axis=0)) - db(signal.sosfilt(highs, dull[here], axis=0))
        assert lost == pytest.approx(12 * k, abs=0.6)


def test_what_turns_up_in_the_loop_never_runs_away() -> None:
    loop = np.asarray(drum_loop(bpm=120, bars=2, seed=2).samples, np.float32)
    loud = ("eq", {"peak1_db": 24.0, "peak2_db": 24.0, "low_db": 24.0})
    out = through("echo", np.concatenate((loop, np.zeros((10 * RATE, 2), np.float32))), held(loud, beats=0.25, feedback=110.0))
    assert np.isfinite(out).all()
    assert np.abs(out).max() < 2 * 10 ** (72 / 20)


def test_a_state_is_copied_and_turned_with_all_that_lies_in_it() -> None:
    sound = strokes(0, 1.5, hz=400.0)[:30000]
    how = held(("reverb", {}), ("limiter", {}), beats=0.5, feedback=70.0)
    effect = EFFECTS["echo"]
    state = start_state(effect, RATE, how)
    run(effect, sound[:16384], how, state)
    kept = copy.deepcopy(state)
    first = run(effect, sound[16384:], how, state)
    np.testing.assert_array_equal(run(effect, sound[16384:], how, copy.deepcopy(kept)), first)
    ring = kept["own"]["loop"].copy()
    turn_rings(effect, how, kept, 100)
    np.testing.assert_array_equal(kept["own"]["loop"], np.roll(ring, -100, axis=-1))


def test_a_loop_with_effects_in_its_echo_follows_itself() -> None:
    beats = clock()
    echo = replace(insert("echo", beats=0.75, feedback=40.0), inside=(insert("compressor"), insert("eq", high_db=-6.0)))
    graph = Graph((Node("d", chain=(echo,)),), {"d": Sound(strokes(0, 3, 5.5), beats)}, beats, pieces(0))
    states, lap = graph.steady({"d"})
    again = [pieces["d"].after for pieces in graph.passes(dict(states), {"d"})]
    assert max(float(np.abs(a["d"].after - b).max()) for a, b in zip(lap, again, strict=True)) < 2e-5
    cold = graph.render("d")
    assert np.abs(np.concatenate(cold) - np.concatenate(again)).max() > 1e-3, "the end rings into the beginning"


def test_another_setting_in_the_loop_is_another_sound() -> None:
    beats = clock()

    def sound(drive: float) -> list[np.ndarray]:
        echo = Insert("echo", EFFECTS["echo"].defaults(), inside=(insert("saturation", drive=drive),))
        return Graph((Node("d", chain=(echo,)),), {"d": Sound(strokes(0, 3), beats)}, beats, shared).render("d")

    shared: Pieces = pieces(10**8)
    assert np.abs(np.concatenate(sound(0.0)) - np.concatenate(sound(24.0))).max() > 1e-3


def test_it_is_known_how_long_a_loop_with_effects_rings() -> None:
    one = Insert("echo", {**EFFECTS["echo"].defaults(), "feedback": 10.0})
    two = replace(one, inside=(insert("reverb", decay=4.0),))
    rings = [EFFECTS["echo"].rings(controls_of(i, RATE, BEAT)) for i in (one, two)]
    assert rings[1] > rings[0] + 4 * RATE
