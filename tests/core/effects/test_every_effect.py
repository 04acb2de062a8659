"""What holds of every effect: blocks do not matter, any settings are safe, jumps of a control do not click."""

from __future__ import annotations

import copy

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy import signal

from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import AMOUNT, Controls, Curve, run, start_state
from grainpocket.core.params import BadValue, Choice, Parameter, Setting, Switch, Value, checked
from grainpocket.core.sound.audio import Samples
from tests.core.effects.desk import BEAT, both, controls, db, through
from tests.signals import RATE, drum_loop

KINDS = sorted(EFFECTS)
CALM = settings(max_examples=20, derandomize=True, suppress_health_check=[HealthCheck.too_slow])


@pytest.fixture(scope="module")
def sound() -> Samples:
    return np.asarray(drum_loop(bpm=120, bars=1, seed=2).samples[: RATE // 2], np.float32)


def values(setting: Setting) -> st.SearchStrategy[Value]:
    if isinstance(setting, Switch):
        return st.booleans()
    if isinstance(setting, Choice):
        return st.sampled_from(setting.values)
    return st.sampled_from([setting.low, setting.high, setting.default]) | st.floats(setting.low, setting.high)


def any_settings(kind: str) -> st.SearchStrategy[dict[str, Value]]:
    return st.fixed_dictionaries({s.name: values(s) for s in (*EFFECTS[kind].settings, AMOUNT)})


def any_curves(kind: str, frames: int) -> st.SearchStrategy[dict[str, Curve]]:
    numbers = [s for s in (*EFFECTS[kind].settings, AMOUNT) if isinstance(s, Parameter)]

    def curve(setting: Parameter) -> st.SearchStrategy[Curve]:
        points = st.lists(st.tuples(st.integers(0, frames), st.floats(setting.low, setting.high)), min_size=1, max_size=4)
        return points.map(lambda some: Curve(*np.array(sorted(some), np.float64).T))

    return st.lists(st.sampled_from(numbers), max_size=3, unique_by=lambda s: s.name).flatmap(
        lambda some: st.fixed_dictionaries({s.name: curve(s) for s in some})
    )


@pytest.mark.parametrize("kind", KINDS)
@CALM
@given(data=st.data())
def test_any_split_into_blocks_gives_the_same_samples(kind: str, data: st.DataObject) -> None:
    loop = np.asarray(drum_loop(bpm=120, bars=1, seed=2).samples[:9000], np.float32)
    how = Controls(data.draw(any_settings(kind)), RATE, BEAT, data.draw(any_curves(kind, len(loop))))
    splits = sorted(set(data.draw(st.lists(st.integers(1, len(loop) - 1), max_size=6))))
    key = loop[::-1].copy()
    np.testing.assert_array_equal(through(kind, loop, how, splits, key), through(kind, loop, how, (), key))


@pytest.mark.parametrize("kind", KINDS)
@CALM
@given(data=st.data())
def test_a_copied_state_goes_on_as_the_first_one(kind: str, data: st.DataObject) -> None:
    loop = np.asarray(drum_loop(bpm=120, bars=1, seed=2).samples[:6000], np.float32)
    how = Controls(data.draw(any_settings(kind)), RATE, BEAT)
    state = start_state(EFFECTS[kind], RATE, how)
    run(EFFECTS[kind], loop[:4000], how, state)
    kept = copy.deepcopy(state)
    first = run(EFFECTS[kind], loop[4000:], how, state)
    np.testing.assert_array_equal(run(EFFECTS[kind], loop[4000:], how, kept), first)


@pytest.mark.parametrize("kind", KINDS)
@settings(max_examples=60, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(data=st.data())
def test_no_settings_make_noise_of_their_own_or_run_away(kind: str, data: st.DataObject) -> None:
    loop = np.asarray(drum_loop(bpm=120, bars=1, seed=2).samples[:12000], np.float32)
    how = Controls(data.draw(any_settings(kind)), RATE, BEAT, data.draw(any_curves(kind, len(loop))))
    out = through(kind, np.concatenate((loop, np.zeros((RATE // 2, 2), np.float32))), how, key=None)
    assert np.isfinite(out).all()
    # Three peaks, two shelves and a level after them can lift by so much and no more.
    assert np.abs(out).max() < 10 ** ((5 * 24 + 24) / 20)
    assert not np.any((np.abs(out) > 0) & (np.abs(out) < np.finfo(np.float32).tiny)), "a denormal number came out"


@pytest.mark.parametrize("kind", KINDS)
def test_silence_stays_silence(kind: str) -> None:
    assert not through(kind, np.zeros((5000, 2), np.float32), key=np.zeros((5000, 2), np.float32)).any()


@pytest.mark.parametrize("kind", KINDS)
def test_dry_is_the_sound_itself_later_by_the_latency(kind: str, sound: Samples) -> None:
    late = EFFECTS[kind].latency
    out = through(kind, sound, controls(kind, amount=0.0), key=sound)
    np.testing.assert_array_equal(out[late:], sound[: len(sound) - late])
    assert not out[:late].any()


@pytest.mark.parametrize("kind", ["eq", "compressor", "saturation", "limiter", "width"])
def test_dry_and_wet_lie_on_each_other(kind: str, sound: Samples) -> None:
    """With nothing asked of it, half of each is all of it: there is no comb."""
    neutral: dict[str, dict[str, Value]] = {"compressor": {"ratio": 1.0}, "saturation": {"drive": 0.0}, "limiter": {"ceiling": 0.0}}
    # Under 16 kHz: oversampling lets go of the very highest.
    low = signal.sosfiltfilt(signal.butter(8, 16000, output="sos", fs=RATE), sound, axis=0)
    quiet = np.asarray(low * 0.05, np.float32)
    out = through(kind, quiet, controls(kind, amount=50.0, **neutral.get(kind, {})))
    late = EFFECTS[kind].latency
    assert db(out[late:] - quiet[: len(quiet) - late]) < db(quiet) - (40 if kind == "saturation" else 90)


@pytest.mark.parametrize("kind", [k for k in KINDS if k not in ("echo", "crush")])
def test_jumps_of_controls_do_not_click(kind: str) -> None:
    """A low tone has no steps: whatever jumps, what comes out has none either beside those of its own level."""
    tone = both(0.25 * np.sin(2 * np.pi * 110 * np.arange(RATE) / RATE))
    for setting in (*EFFECTS[kind].settings, AMOUNT):
        # A string that is tuned anew slides to its note, and what rings in it along with it: that is heard, and is no click.
        if not isinstance(setting, Parameter) or (kind, setting.name) == ("resonator", "note"):
            continue
        low, high = setting.low, setting.high
        if setting.name.endswith("_db") or setting.name in ("makeup", "input", "output"):
            low, high = -6.0, 6.0
        places = np.array([0, RATE // 2, RATE // 2, RATE], np.float64)
        curve = Curve(places, np.array([low, low, high, high]))
        out = through(kind, tone, controls(kind, {setting.name: curve}), key=tone)
        around = slice(RATE // 2 - 2000, RATE // 2 + 6000)
        step = np.abs(np.diff(out[around, 0])).max()
        usual = max(np.abs(np.diff(out[RATE // 4 : RATE // 2 - 3000, 0])).max(), np.abs(np.diff(out[-8000:, 0])).max(), 0.004)
        assert step < 4 * usual, setting.name


@pytest.mark.parametrize("kind", KINDS)
def test_every_setting_says_what_it_takes(kind: str) -> None:
    for setting in EFFECTS[kind].settings:
        assert checked(setting, setting.default) == setting.default
        assert setting.help
        if isinstance(setting, Parameter):
            assert setting.low <= setting.default <= setting.high
            with pytest.raises(BadValue, match="goes from"):
                checked(setting, setting.high * 2 + 1)
            assert setting.curve == "linear" or setting.low > 0
        else:
            with pytest.raises(BadValue):
                checked(setting, "neither")
