"""Effects that give a sound another character, against formulas: steps, attacks, strings, sway, noise."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.effects import aged
from tests.core.effects.desk import both, controls, db, sine, through
from tests.signals import RATE, drum_loop


@pytest.mark.parametrize("bits", [1.0, 4.0, 8.0])
def test_so_many_bits_are_so_many_steps(bits: float) -> None:
    out = through("crush", sine(100.0, level=0.999), controls("crush", bits=bits, rate=44100.0))
    assert len(np.unique(out)) == 2**bits + 1
    assert np.abs(out[:, 0] - sine(100.0, level=0.999)[:, 0]).max() <= 0.5 / 2 ** (bits - 1) + 1e-6


def test_a_lower_rate_holds_and_folds() -> None:
    out = through("crush", sine(3000.0), controls("crush", bits=16.0, rate=11025.0))[:, 0]
    assert np.count_nonzero(np.diff(out)) == pytest.approx(len(out) / 4, rel=0.05)
    spectrum = np.abs(np.fft.rfft(out * np.hanning(len(out))))
    hz = np.fft.rfftfreq(len(out), 1 / RATE)
    image = spectrum[np.abs(hz - (11025 - 3000)) < 20].max()
    assert image > 0.1 * spectrum.max()


@pytest.mark.parametrize("quieter", [1.0, 0.05])
def test_attack_and_sustain_are_told_apart_at_any_level(quieter: float) -> None:
    t = np.arange(RATE) / RATE
    stroke = both(quieter * 0.5 * np.sin(2 * np.pi * 200 * t) * np.exp(-t * 8))
    head, tail = slice(0, 1300), slice(9000, 16000)
    plain = through("transient", stroke)
    np.testing.assert_allclose(plain, stroke, atol=1e-6)
    up = through("transient", stroke, controls("transient", attack=12.0))
    assert db(up[head]) - db(stroke[head]) > 4
    assert abs(db(up[tail]) - db(stroke[tail])) < 0.5
    short = through("transient", stroke, controls("transient", sustain=-18.0))
    assert db(short[tail]) - db(stroke[tail]) < -6
    assert db(short[head]) - db(stroke[head]) > -2


def test_strings_ring_at_their_notes_for_their_time() -> None:
    click = np.zeros((3 * RATE, 2), np.float32)
    click[0] = 1
    out = through("resonator", click, controls("resonator", note=57.0, chord="fifth", decay=1.0, bright=20000.0))[:, 0]
    spectrum = np.abs(np.fft.rfft(out[: 2 * RATE] * np.hanning(2 * RATE)))
    hz = np.fft.rfftfreq(2 * RATE, 1 / RATE)
    for wanted in (220.0, 220.0 * 2 ** (7 / 12)):
        near = (hz > wanted * 0.97) & (hz < wanted * 1.03)
        assert hz[near][np.argmax(spectrum[near])] == pytest.approx(wanted, rel=0.003)
    low = through("resonator", click, controls("resonator", note=45.0, chord="note", decay=1.0, bright=20000.0))[:, 0]
    # The highest partials are gone sooner: between two samples they are read a little softer.
    early, late = db(low[8000:12000]), db(low[8000 + RATE // 2 : 12000 + RATE // 2])
    assert early - late == pytest.approx(30, abs=4)


def test_wow_sways_the_pitch_and_rests_where_it_is_asked_for_nothing() -> None:
    plain = controls("aged", wow=0.0, flutter=0.0, low_cut=20.0, high_cut=20000.0)
    late = aged.LATENCY
    out = through("aged", sine(1000.0), plain)
    assert db(out[late + 4000 :] - sine(1000.0)[4000:-late]) < db(out) - 20
    swaying = through("aged", sine(1000.0, seconds=4.0), controls("aged", wow=60.0, flutter=0.0))[:, 0]
    crossings = np.flatnonzero((swaying[:-1] <= 0) & (swaying[1:] > 0))
    periods = np.diff(crossings[50:-50])
    smooth = np.convolve(periods, np.ones(40) / 40, "valid")
    assert (smooth.max() - smooth.min()) / smooth.mean() > 0.005


def test_noise_of_age_is_the_same_each_time_and_only_where_it_is_set() -> None:
    loop = np.asarray(drum_loop(bpm=120, bars=1, seed=2).samples[:20000], np.float32)
    how = controls("aged", wow=0.0, flutter=0.0, hiss=50.0, crackle=100.0, dust=100.0)
    np.testing.assert_array_equal(through("aged", loop, how), through("aged", loop, how))
    quiet = np.full((20000, 2), 1e-6, np.float32)
    heard = through("aged", quiet, how)
    assert -60 < db(heard) < -20
    assert db(through("aged", quiet, controls("aged"))) < -100
