"""One hit to sound: pitch, reverse, level, fades, edges."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.document.sound import Sound
from grainpocket.core.shape.voice import VoiceSpec, render
from tests.files import tone
from tests.signals import RATE, ArrayReader, drum_loop

LOOP = drum_loop()
READER = ArrayReader(loop=LOOP.samples, tone=tone(2.0, channels=2), mono=tone(1.0), constant=np.full((RATE, 2), 0.25, np.float32))
PLAIN = VoiceSpec("loop", 20000, 30000)


def solid(spec: VoiceSpec) -> np.ndarray:
    return render(spec, READER, RATE)[spec.lead(RATE) :]


def test_a_plain_voice_is_the_record_between_its_fades() -> None:
    np.testing.assert_array_equal(solid(PLAIN)[: 10000 - 221], LOOP.samples[20000 : 30000 - 221])


def test_the_fade_in_lies_before_the_hit() -> None:
    spec = VoiceSpec("constant", 20000, 30000)
    lead = spec.lead(RATE)
    assert lead == 31
    ratio = render(spec, READER, RATE)[:lead, 0] / 0.25
    assert (np.diff(ratio) > 0).all()
    assert ratio[0] < 0.01
    assert ratio[-1] > 0.99


def test_joined_edges_are_bare() -> None:
    spec = replace(PLAIN, joined_before=True, joined_after=True)
    out = render(spec, READER, RATE)
    assert not out[:31].any()
    np.testing.assert_array_equal(out[31:], LOOP.samples[20000:30000])


def test_reverse_is_the_mirror() -> None:
    forward = solid(replace(PLAIN, fade_in_edge=0, fade_out_edge=0))
    backward = solid(replace(PLAIN, fade_in_edge=0, fade_out_edge=0, sound=Sound(reverse=True)))
    # Without a fade in, the first samples are ramped on both.
    np.testing.assert_array_equal(backward[8:-8], forward[::-1][8:-8])


@pytest.mark.parametrize("pitch", [-24.0, -7.0, -0.5, 0.31, 5.0, 12.0, 24.0])
def test_pitch_is_in_tune_and_as_long_as_it_should_be(pitch: float) -> None:
    spec = VoiceSpec("tone", 0, 2 * RATE, Sound(pitch=pitch))
    out = solid(spec)
    ratio = 2 ** (pitch / 12)
    assert len(out) == spec.length == round(2 * RATE / ratio)
    part = out[len(out) // 8 : len(out) // 8 + 20000, 0] if len(out) > 27000 else out[2000:-2000, 0]
    spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part)), 1 << 20))
    cents = 1200 * np.log2(np.argmax(spectrum) * RATE / (1 << 20) / (330 * ratio))
    assert abs(cents) < 2
    assert abs(np.abs(part).max() - 0.5) < 0.01


def test_pitched_up_nothing_folds_back() -> None:
    rng = np.random.default_rng(3)
    noise = rng.standard_normal((RATE, 2)).astype(np.float32) * 0.1
    spectrum = np.fft.rfft(noise, axis=0)
    spectrum[: int(len(spectrum) * 0.6)] = 0
    high = np.fft.irfft(spectrum, axis=0).astype(np.float32)
    out = render(VoiceSpec("high", 0, RATE, Sound(pitch=12), fade_in_edge=0, fade_out_edge=0), ArrayReader(high=high), RATE)
    # All of it lies over half the band and would come out over the top: hardly anything may be left.
    middle = out[500:-500]
    assert 20 * np.log10(np.abs(middle).max() / np.abs(high).max()) < -70


def test_level_and_fade() -> None:
    quiet = solid(replace(PLAIN, sound=Sound(level=-6.0)))
    np.testing.assert_allclose(quiet, solid(PLAIN) * 10 ** (-6 / 20), rtol=1e-6)
    faded = solid(replace(PLAIN, sound=Sound(fade_out=100)))
    np.testing.assert_array_equal(faded[: 10000 - 4411], solid(PLAIN)[: 10000 - 4411])
    assert np.abs(faded[-50:]).max() < 0.001


def test_mono_is_given_to_both_sides() -> None:
    out = solid(VoiceSpec("mono", 100, 5000))
    assert out.shape == (4900, 2)
    np.testing.assert_array_equal(out[:, 0], out[:, 1])


@settings(max_examples=120)
@given(
    start=st.integers(0, len(LOOP.samples) - 200),
    length=st.integers(64, 30000),
    pitch=st.floats(-24, 24),
    level=st.floats(-60, 12),
    reverse=st.booleans(),
    fade_out=st.floats(0, 900),
)
def test_no_setting_clicks_or_breaks(start: int, length: int, pitch: float, level: float, reverse: bool, fade_out: float) -> None:
    end = min(len(LOOP.samples), start + length)
    spec = VoiceSpec("loop", start, end, Sound(level=level, pitch=pitch, reverse=reverse, fade_out=fade_out))
    out = render(spec, READER, RATE)
    assert out.shape == (31 + spec.length, 2)
    assert np.isfinite(out).all()
    gain = 10 ** (level / 20)
    assert np.abs(out).max() <= 0.8 * gain * 1.35
    # From silence into the voice and out of it, no step is larger than the record's own (faster when pitched up).
    own = np.abs(np.diff(LOOP.samples, axis=0)).max() * gain * max(1, spec.ratio) * 1.05
    edges = np.concatenate((np.zeros((1, 2)), out, np.zeros((1, 2))))
    assert np.abs(np.diff(edges, axis=0)).max() <= own


def test_the_same_voice_twice_is_the_same_bytes() -> None:
    spec = replace(PLAIN, sound=Sound(pitch=3.7, reverse=True))
    assert render(spec, READER, RATE).tobytes() == render(spec, READER, RATE).tobytes()
    assert spec.key(RATE) == replace(spec).key(RATE)
    assert len({replace(spec, sound=Sound(level=float(level))).key(RATE) for level in range(-20, 0)}) == 20
