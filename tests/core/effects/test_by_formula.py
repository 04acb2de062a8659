"""Each effect against its formula."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from grainpocket.core.effects import compressor, duck, echo, eq, limiter, reverb, saturation
from grainpocket.core.effects.base import Curve
from grainpocket.core.params import Value
from tests.core.effects.desk import BEAT, both, controls, db, sine, through
from tests.signals import RATE

CURVES: list[dict[str, Value]] = [
    {"peak2_db": 12.0, "peak2_hz": 1000.0, "peak2_q": 2.0},
    {"low_db": -9.0, "low_hz": 200.0, "high_db": 6.0, "high_hz": 5000.0},
    {"low_cut": "24", "low_cut_hz": 100.0, "high_cut": "12", "high_cut_hz": 8000.0},
    {"peak1_db": -18.0, "peak1_hz": 60.0, "peak1_q": 8.0, "peak3_db": 24.0, "peak3_hz": 15000.0, "peak3_q": 0.3},
]


@pytest.mark.parametrize("settings", CURVES)
def test_eq_is_what_its_picture_says(settings: dict[str, Value]) -> None:
    how = controls("eq", **settings)
    impulse = np.zeros((RATE, 2), np.float32)
    impulse[0] = 1
    measured = np.fft.rfft(through("eq", impulse, how)[:, 0].astype(np.float64))
    hz = np.fft.rfftfreq(RATE, 1 / RATE)
    band = (hz > 20) & (hz < 20000)
    said = eq.response_db(how, hz[band])
    heard = 20 * np.log10(np.abs(measured[band]) + 1e-12)
    loud = said > -60
    assert np.abs(heard - said)[loud].max() < 0.2


def test_eq_meets_the_analogue_curves_it_is_named_after() -> None:
    hz = np.array([250.0, 500.0, 1000.0, 2000.0])
    how = controls("eq", peak2_db=12.0, peak2_hz=1000.0, peak2_q=2.0)
    a, s = 10 ** (12 / 40), 1j * hz / 1000.0
    wanted = 20 * np.log10(np.abs((s**2 + s * a / 2 + 1) / (s**2 + s / a / 2 + 1)))
    assert np.abs(eq.response_db(how, hz) - wanted).max() < 0.2
    cut = controls("eq", low_cut="24", low_cut_hz=200.0)
    b, a_ = signal.butter(4, 200, "highpass", fs=RATE)
    _, h = signal.freqz(b, a_, [100, 200, 400], fs=RATE)
    assert np.abs(eq.response_db(cut, np.array([100.0, 200.0, 400.0])) - 20 * np.log10(np.abs(h))).max() < 0.2


def test_a_flat_eq_is_a_wire() -> None:
    noise = np.random.default_rng(1).standard_normal((4000, 2)).astype(np.float32)
    np.testing.assert_array_equal(through("eq", noise), noise)


@pytest.mark.parametrize(("ratio", "knee"), [(2.0, 0.0), (4.0, 6.0), (20.0, 12.0)])
def test_compressor_follows_its_curve(ratio: float, knee: float) -> None:
    for level in (-30.0, -20.0, -16.0, -10.0, -3.0):
        how = controls("compressor", threshold=-18.0, ratio=ratio, knee=knee, attack=1.0, release=50.0)
        flat = both(np.full(RATE, 10 ** (level / 20)))
        out = 20 * np.log10(through("compressor", flat, how)[-1, 0])
        over = level + 18
        soft = (1 / ratio - 1) * (over + knee / 2) ** 2 / (2 * max(knee, 1e-9))
        wanted = level + (0 if 2 * over <= -knee else (1 / ratio - 1) * over if 2 * over >= knee else soft)
        assert abs(out - wanted) < 0.2
    assert compressor.reduction_db(*map(np.atleast_1d, (-6.0, -18.0, ratio, knee)))[0] < 0


@pytest.mark.parametrize(("attack", "release"), [(5.0, 100.0), (30.0, 400.0)])
def test_compressor_times(attack: float, release: float) -> None:
    how = controls("compressor", threshold=-30.0, ratio=20.0, knee=0.0, attack=attack, release=release)
    steps = both(np.concatenate([np.full(RATE // 2, 1e-3), np.full(RATE // 2, 0.5), np.full(2 * RATE, 1e-3)]))
    gain = 20 * np.log10(through("compressor", steps, how)[:, 0] / steps[:, 0])
    down = gain[RATE // 2 : RATE]
    at = np.argmax(down < down[-1] * (1 - np.exp(-1)))
    assert at / RATE * 1000 == pytest.approx(attack, rel=0.05)
    back = gain[RATE:]
    at = np.argmax(back > down[-1] * np.exp(-1))
    assert at / RATE * 1000 == pytest.approx(release, rel=0.05)


def test_compressor_listens_to_another_sound() -> None:
    tone, key = sine(300, 0.5, 0.1), np.zeros((RATE // 2, 2), np.float32)
    key[RATE // 4 :] = 0.9
    out = through("compressor", tone, controls("compressor", threshold=-20.0, knee=0.0), key=key)
    assert db(out[: RATE // 5]) == pytest.approx(db(tone[: RATE // 5]), abs=0.01)
    assert db(out[-RATE // 10 :]) < db(tone[-RATE // 10 :]) - 10


@pytest.mark.parametrize("colour", ["soft", "uneven", "hard"])
def test_saturation_does_not_fold_back(colour: str) -> None:
    """All that is not an overtone of the tone is folded: less than -80 dB of it."""
    hz = 4987.0
    out = through("saturation", sine(hz, 1.0, 0.5), controls("saturation", colour=colour, drive=18.0))[:, 0]
    window = signal.windows.blackmanharris(RATE // 2)
    spectrum = np.abs(np.fft.rfft(out[-RATE // 2 :] * window)) ** 2
    bins = np.fft.rfftfreq(RATE // 2, 1 / RATE)
    true = np.zeros(len(bins), bool)
    for k in range(0, 5):
        true |= np.abs(bins - k * hz) < 25
    audible = bins < 20000
    assert 10 * np.log10(spectrum[audible & ~true].max() / spectrum.max()) < -80


def test_saturation_bends_as_its_line_says() -> None:
    for colour in ("soft", "hard"):
        out = through("saturation", sine(100, 0.3, 0.5), controls("saturation", colour=colour, drive=12.0))[:, 0]
        wanted = saturation.line(colour, sine(100, 0.3, 0.5)[:, 0] * 10 ** (12 / 20))
        late = saturation.LATENCY
        assert db(out[late + 500 : -500] - wanted[500 : len(wanted) - late - 500]) < -50


@pytest.mark.parametrize("beats", [0.25, 0.75, 1.0])
def test_echoes_stand_on_the_sample(beats: float) -> None:
    how = controls("echo", beats=beats, feedback=50.0, low_cut=20.0, high_cut=20000.0)
    click = np.zeros((int(beats * BEAT * 3.5), 2), np.float32)
    click[0] = 1
    out = np.abs(through("echo", click, how)[:, 0])
    apart = round(beats * BEAT)
    assert out[:apart].max() == 0
    for k in (1, 2, 3):
        around = out[k * apart - 40 : k * apart + 40]
        assert int(np.argmax(around)) == 40
    assert out[2 * apart] / out[apart] == pytest.approx(0.5 * out[apart], rel=0.02)


def test_echo_goes_from_side_to_side_and_unevenly() -> None:
    click = np.zeros((70000, 2), np.float32)
    click[0, 0] = 1
    out = np.abs(through("echo", click, controls("echo", beats=1.0, path="cross", feedback=80.0, uneven=100.0)))
    first, second = out[19990:20010].max(axis=0), out[39990:40010].max(axis=0)
    assert first[0] > 0.1
    assert first[1] < 0.01
    assert second[1] > 0.05
    assert second[0] < 0.01
    uneven = echo.delays(controls("echo", beats=1.0, uneven=75.0), 0, 1)[0]
    assert uneven.tolist() == [20000, 15000]


def test_echo_sings_and_never_runs_away() -> None:
    rng = np.random.default_rng(3)
    burst = np.zeros((30 * RATE, 2), np.float32)
    burst[: RATE // 4] = rng.standard_normal((RATE // 4, 2)) * 0.5
    out = through("echo", burst, controls("echo", synced=False, ms=120.0, feedback=110.0, low_cut=20.0, high_cut=20000.0))
    assert np.isfinite(out).all()
    assert np.abs(out).max() < 4.5
    assert db(out[-RATE:]) > -40, "it goes on"


@pytest.mark.parametrize("decay", [0.5, 2.0, 6.0])
def test_reverb_falls_by_60_db_in_its_time(decay: float) -> None:
    how = controls("reverb", decay=decay, damping=20000.0, before=0.0, low_cut=20.0)
    click = np.zeros((int(RATE * decay * 1.3), 2), np.float32)
    click[0] = 1
    out = through("reverb", click, how)[:, 0].astype(np.float64)
    # Schroeder's backward integral, from -5 to -35 dB.
    left = 10 * np.log10(np.cumsum(out[::-1] ** 2)[::-1] / np.sum(out**2))
    high, low = np.argmax(left < -5), np.argmax(left < -35)
    assert 2 * (low - high) / RATE == pytest.approx(decay, rel=0.12)
    assert np.abs(out[: int(reverb.LENGTHS.min())]).max() == 0


def kick_and_tone() -> tuple[np.ndarray, np.ndarray]:
    key = np.zeros((2 * RATE, 2), np.float32)
    t = np.arange(RATE // 10) / RATE
    key[RATE // 2 : RATE // 2 + len(t)] = both(0.8 * np.sin(2 * np.pi * 60 * t) * (t < 0.05))
    return sine(440, 2.0, 0.5), key


@pytest.mark.parametrize(("depth", "release"), [(9.0, 200.0), (30.0, 80.0)])
def test_duck_goes_down_by_its_depth_and_comes_back_in_its_time(depth: float, release: float) -> None:
    tone, key = kick_and_tone()
    how = controls("duck", depth=depth, release=release, hold=0.0, attack=2.0)
    out = through("duck", tone, how, key=key)
    gain = 20 * np.log10(np.maximum(np.abs(signal.hilbert(out[:, 0])), 1e-9) / np.abs(signal.hilbert(tone[:, 0])))
    assert abs(gain[RATE // 2 + 1000 : RATE // 2 + 2400].min() + depth) < 1
    assert np.abs(gain[2000 : RATE // 2 - 200]).max() < 0.1
    first = np.argmax(gain[RATE // 2 + 2000 :] > -depth * 0.98) + RATE // 2 + 2000
    last = np.argmax(gain[first:] > -depth * 0.02) + first
    # Of a half cosine, 2 to 98 per cent take 0.82 of its time.
    assert (last - first) / RATE * 1000 == pytest.approx(release * 0.82, abs=5)
    assert np.abs(gain[-RATE // 4 : -2000]).max() < 0.05


def test_duck_hears_only_what_its_key_filter_lets_through() -> None:
    tone, key = kick_and_tone()
    out = through("duck", tone, controls("duck", above=2000.0), key=key)
    assert np.abs(out - tone).max() < 0.05
    assert duck.EFFECT.keyed
    np.testing.assert_array_equal(through("duck", tone, controls("duck")), tone)


def test_width_keeps_the_sum() -> None:
    rng = np.random.default_rng(5)
    sound = (rng.standard_normal((8000, 2)) * 0.2).astype(np.float32)
    for settings in ({"width": 0.0}, {"width": 200.0}, {"width": 150.0, "mono_below": 300.0}):
        out = through("width", sound, controls("width", **settings))
        assert np.abs(out.sum(axis=1) - sound.sum(axis=1)).max() < 1e-6
    assert np.abs(np.diff(through("width", sound, controls("width", width=0.0)), axis=1)).max() < 1e-7
    low = np.stack((sine(50, 0.5)[:, 0], -sine(50, 0.5)[:, 0]), axis=1)
    assert db(through("width", low, controls("width", mono_below=400.0))[4000:]) < db(low) - 30


@pytest.mark.parametrize("ceiling", [-1.0, -6.0])
def test_limiter_holds_its_true_peak(ceiling: float) -> None:
    rng = np.random.default_rng(7)
    hard = rng.standard_normal((RATE, 2)).astype(np.float32)
    hard += both(0.9 * np.sin(2 * np.pi * 11025 * np.arange(RATE) / RATE + 0.7))
    hard[RATE // 3] = 5
    out = through("limiter", hard, controls("limiter", input=12.0, ceiling=ceiling, release=20.0))
    fine = signal.resample_poly(out.astype(np.float64), 16, 1, axis=0)
    assert 20 * np.log10(np.abs(fine).max()) < ceiling + 0.1
    assert db(out) > ceiling - 12, "and it is loud"


def test_limiter_leaves_what_is_under_its_ceiling() -> None:
    tone = sine(440, 0.5, 0.3)
    out = through("limiter", tone)
    late = limiter.LATENCY
    np.testing.assert_allclose(out[late:], tone[: len(tone) - late], atol=1e-6)


def test_a_control_that_jumps_is_there_after_twelve_milliseconds() -> None:
    curve = Curve(np.array([0.0, 10000.0, 10000.0]), np.array([0.0, 0.0, 12.0]))
    how = controls("compressor", {"makeup": curve}, ratio=1.0)
    flat = both(np.full(20000, 0.1))
    gain = 20 * np.log10(through("compressor", flat, how)[:, 0] / 0.1)
    assert np.abs(gain[:9900]).max() < 1e-3
    assert np.abs(gain[10000 + 640 :] - 12).max() < 1e-3
