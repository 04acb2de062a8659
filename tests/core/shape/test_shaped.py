"""A voice with all of its settings against known truth: pitch, time, envelopes, filters, bands, loops, edges."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from grainpocket.core.document.mixing import Effect
from grainpocket.core.document.settings import SOUND
from grainpocket.core.document.sound import NEUTRAL, Sound, bends, changed, moved_by
from grainpocket.core.params import Choice, Parameter, Switch
from grainpocket.core.shape.correction import corrected, track
from grainpocket.core.shape.filters import response_db
from grainpocket.core.shape.loops import one_cycle, proposals, unrolled
from grainpocket.core.shape.voice import is_plain, render
from tests.core.effects.desk import db
from tests.core.shape.desk import LOOP, READER, hertz, solid, spec
from tests.signals import RATE

TONE_HZ = 330.0
CALM = settings(
    max_examples=60, derandomize=True, suppress_health_check=[HealthCheck.too_slow], deadline=None, phases=[Phase.generate]
)


def cents(hz: float, wanted: float) -> float:
    return 1200 * np.log2(hz / wanted)


@pytest.mark.parametrize("time", ["repitch", "keep", "fit"])
@pytest.mark.parametrize("pitch", [-24.0, -11.0, -0.37, 3.0, 12.0, 24.0])
def test_pitch_is_within_two_cents_in_each_mode(time: str, pitch: float) -> None:
    one = spec("tone", 4000, 4000 + 2 * RATE, time=time, pitch=pitch, beats=4.0, tempo=120.0, protect="tone")
    out = solid(one)
    middle = out[len(out) // 4 : -len(out) // 4] if len(out) > 40000 else out
    assert abs(cents(hertz(middle), hertz(READER.sounds["tone"]) * 2 ** (pitch / 12))) < 2


@pytest.mark.parametrize("tempo", [60.0, 93.7, 174.0])
@pytest.mark.parametrize("beats", [0.5, 3.0, 4.0])
def test_what_fits_beats_is_as_long_as_they_are(tempo: float, beats: float) -> None:
    one = spec("loop", 0, len(LOOP.samples), time="fit", beats=beats, tempo=tempo)
    assert len(solid(one)) == one.length == round(beats * 60 / tempo * RATE)


@pytest.mark.parametrize(
    "settings", [{"speed": 25.0}, {"pitch": 24.0}, {"pitch": -24.0, "speed": 400.0}, {"pitch": 12.0, "speed": 40.0}]
)
def test_stretching_throws_no_dice(settings: dict[str, float]) -> None:
    one = spec("reed", time="keep", **settings)
    np.testing.assert_array_equal(solid(one), solid(one))


def test_length_goes_with_speed_and_not_with_pitch() -> None:
    assert spec("tone", time="keep", pitch=7.0).length == RATE
    assert spec("tone", time="keep", speed=50.0).length == 2 * RATE
    assert spec("tone", pitch=12.0).length == RATE // 2


def test_a_pitch_that_moves_is_where_it_should_be() -> None:
    """Falls from an octave above into its own pitch, and sways by a semitone about it."""
    fell = solid(spec("tone", 4000, 4000 + 2 * RATE, pitch_amount=12.0, pitch_decay=200.0))
    assert abs(cents(hertz(fell[RATE : RATE + 20000]), TONE_HZ)) < 3
    assert hertz(fell[:20000][:4000]) > 1.2 * TONE_HZ
    swayed = solid(spec("tone", 4000, 4000 + 2 * RATE, lfo1_pitch=1.0, lfo1_hz=0.5, lfo1_shape="square"))
    assert abs(cents(hertz(swayed[8000:40000]), TONE_HZ * 2 ** (1 / 12))) < 3
    assert abs(cents(hertz(swayed[50000:80000]), TONE_HZ * 2 ** (-1 / 12))) < 3


def test_a_pitch_that_moves_folds_nothing_back() -> None:
    """A tone at 9 kHz turned up by 19 semitones lies beyond what there is room for: nothing of it is left."""
    t = np.arange(2 * RATE) / RATE
    READER.sounds["high"] = np.asarray(np.repeat(0.5 * np.sin(2 * np.pi * 9000 * t)[:, None], 2, 1), np.float32)
    out = solid(spec("high", pitch=19.0, lfo1_pitch=0.01))
    assert db(out[500:-500]) < -90


def test_the_envelope_is_what_its_thread_says() -> None:
    out = solid(spec("constant", 0, RATE, attack=100.0, hold=50.0, decay=200.0, decay_bend=0.0, sustain=-6.0))[:, 0] / 0.25
    at = lambda ms: float(out[round(ms * RATE / 1000)])  # noqa: E731
    assert at(50) == pytest.approx(0.5, abs=0.01)
    assert at(125) == pytest.approx(1, abs=0.01)
    low = 10 ** (-6 / 20)
    assert at(250) == pytest.approx((1 + low) / 2, abs=0.01)
    assert at(600) == pytest.approx(low, abs=0.005)


def test_a_voice_ends_where_its_envelope_does() -> None:
    one = spec("constant", 0, RATE, attack=10.0, decay=90.0, sustain=-60.0)
    assert one.length == pytest.approx(0.1 * RATE, abs=2)
    assert abs(solid(one)[-1]).max() < 1e-3


@pytest.mark.parametrize("kind", ["low", "high", "band", "notch"])
@pytest.mark.parametrize("slope", ["12", "24"])
@pytest.mark.parametrize("resonance", [0.0, 12.0])
def test_the_filter_is_what_its_picture_says(kind: str, slope: str, resonance: float) -> None:
    impulse = np.zeros((RATE, 2), np.float32)
    impulse[2000] = 1
    READER.sounds["impulse"] = impulse
    out = solid(spec("impulse", 100, RATE - 100, filter=kind, slope=slope, cutoff=1000.0, resonance=resonance))
    hz = np.fft.rfftfreq(len(out), 1 / RATE)
    band = (hz > 40) & (hz < 18000)
    heard = 20 * np.log10(np.abs(np.fft.rfft(out[:, 0].astype(np.float64)))[band] + 1e-12)
    said = response_db(kind, slope, 1000.0, resonance, RATE, hz[band])
    loud = said > -50
    assert np.abs(heard - said)[loud].max() < 0.5


def test_the_cutoff_moves_with_envelope_key_and_wave() -> None:
    low = {"filter": "low", "slope": "24", "cutoff": 300.0}
    still = db(solid(spec("noise", **low)))
    assert db(solid(spec("noise", filter_amount=60.0, filter_decay=5000.0, **low))) > still + 6
    assert db(solid(spec("noise", filter_key=100.0, note=24, **low))) > still + 6
    turned = solid(spec("noise", lfo1_cutoff=48.0, lfo1_hz=1.0, lfo1_shape="square", **low))
    assert db(turned[2000:20000]) > db(turned[24000:42000]) + 12


def test_bands_add_up_to_what_they_were_cut_from() -> None:
    whole = solid(spec("noise"))
    for edges in ([100.0], [90.0, 1000.0]):
        limits = [0.0, *edges, 0.0]
        bands = [solid(spec("noise", band_from=a, band_to=b)) for a, b in itertools.pairwise(limits)]
        assert db(np.sum(bands, axis=0) - whole) < -90
        assert all(db(one) > -60 for one in bands)
    low = solid(spec("noise", band_to=100.0))
    spectrum = np.abs(np.fft.rfft(low[:, 0]))
    hz = np.fft.rfftfreq(len(low), 1 / RATE)
    assert (spectrum[hz > 500] ** 2).sum() < 1e-3 * (spectrum**2).sum()


@pytest.mark.parametrize("way", ["forth", "both"])
def test_a_loop_has_no_jump_above_its_own(way: str) -> None:
    one = spec("reed", play="loop", held=4 * RATE, loop_from=200.3, loop_to=517.7, loop_fade=20.0, loop_way=way)
    out = solid(one)
    assert len(out) == 4 * RATE
    own = np.abs(np.diff(READER.sounds["reed"][:, 0])).max()
    assert np.abs(np.diff(out[:, 0])).max() <= own * 1.01
    assert db(out[-RATE:]) > db(out[:RATE]) - 3, "it goes on"


def test_proposed_loops_are_better_than_any_others() -> None:
    found = proposals(READER.sounds["reed"][:RATE], RATE)
    assert found
    assert found[0].fit > 0.99
    mono = READER.sounds["reed"][:, 0]
    for one in found[:2]:
        joined = unrolled(READER.sounds["reed"], one.first, one.last, 0, "forth", 3 * RATE)[:, 0]
        assert np.abs(np.diff(joined)).max() < 1.2 * np.abs(np.diff(mono)).max()
    cycle = one_cycle(READER.sounds["reed"], RATE, 196.0, RATE)
    assert cycle is not None
    assert cycle.last - cycle.first == round(RATE / 196.0)


def test_a_part_has_its_own_pitch_level_and_time() -> None:
    one = spec("tone", 4000, 4000 + 2 * RATE, part_from=500.0, part_to=1000.0, part_pitch=7.0, part_level=-6.0, part_time=150.0)
    out = solid(one)
    assert len(out) == 2 * RATE + RATE // 4
    assert abs(cents(hertz(out[:20000]), TONE_HZ)) < 2
    inside = out[int(0.6 * RATE) : int(1.1 * RATE)]
    assert abs(cents(hertz(inside), TONE_HZ * 2 ** (7 / 12))) < 4
    assert db(inside) - db(out[:20000]) == pytest.approx(-6, abs=1)
    assert abs(cents(hertz(out[-30000:]), TONE_HZ)) < 2
    own = np.abs(np.diff(READER.sounds["tone"][:, 0])).max()
    assert np.abs(np.diff(out[:, 0])).max() < 1.6 * own


def test_a_voice_is_pulled_to_its_notes() -> None:
    """Sung a third of a semitone flat and then high, swaying: the median of each note is within five cents of it."""
    t = np.arange(3 * RATE) / RATE
    note = np.where(t < 1.5, 57 - 0.35, 60 + 0.4) + 0.2 * np.sin(2 * np.pi * 5 * t)
    turned = 2 * np.pi * np.cumsum(440 * 2 ** ((note - 69) / 12)) / RATE
    voice = sum(np.sin(k * turned) / k for k in range(1, 12)) * 0.2
    READER.sounds["voice"] = np.asarray(np.stack((voice, voice), 1), np.float32)
    for strength, left in ((100.0, 0.05), (50.0, 0.3)):
        one = spec("voice", 0, 3 * RATE, tune="key", tune_strength=strength, scale=(0, 2, 4, 5, 7, 9, 11))
        out = solid(one)
        assert len(out) == 3 * RATE
        at, hz = track(out.astype(np.float64).mean(axis=1), RATE)
        sung = 69 + 12 * np.log2(np.maximum(hz, 1) / 440)
        for first, last, wanted in ((0.3, 1.4, 57), (1.8, 2.8, 60)):
            here = (at > first * RATE) & (at < last * RATE) & (hz > 0)
            assert abs(np.median(sung[here]) - wanted) < left
    noise = corrected(READER.sounds["noise"], RATE, range(12), 1.0, 0.05)
    np.testing.assert_array_equal(noise, READER.sounds["noise"])


def test_formants_move_and_the_note_stays() -> None:
    out = solid(spec("reed", 4000, 4000 + 2 * RATE, formant=6.0))
    spectrum, before = (np.abs(np.fft.rfft(x[20000:60000, 0] * np.hanning(40000))) for x in (out, READER.sounds["reed"]))
    hz = np.fft.rfftfreq(40000, 1 / RATE)
    centre = lambda s: float((s * hz).sum() / s.sum())  # noqa: E731
    assert centre(spectrum) > 1.1 * centre(before)
    strongest = hz[np.argmax(spectrum)]
    assert abs(strongest / 196.0 - round(strongest / 196.0)) < 0.02, "its partials are those of the note"


def test_stretched_drums_keep_their_attacks() -> None:
    marks = tuple(int(at) for at in LOOP.at)
    for speed in (75.0, 130.0):
        one = spec("loop", 0, len(LOOP.samples), time="keep", speed=speed, protect="attack", marks=marks)
        out = np.abs(solid(one)).max(axis=1)
        for mark in marks:
            wanted = mark / (speed / 100)
            peak = np.abs(LOOP.samples[mark : mark + 900]).max()
            here = out[max(0, int(wanted) - 130) : int(wanted) + 1030]
            if peak > 0.1 and len(here) > 600:
                assert here.max() > 0.9 * peak


def test_level_pan_and_motion() -> None:
    out = solid(spec("constant", 0, RATE, pan=-100.0, level=-6.0))
    assert abs(out[1000:-1000, 1]).max() < 1e-6
    assert out[20000, 0] == pytest.approx(0.25 * 10 ** (-6 / 20), rel=0.01)
    turned = solid(spec("constant", 0, RATE, lfo1_level=100.0, lfo1_hz=1.0))[:, 0] / 0.25
    assert turned[RATE // 4] == pytest.approx(1, abs=0.01)
    assert turned[3 * RATE // 4] == pytest.approx(0, abs=0.01)
    synced = solid(spec("constant", 0, RATE, lfo1_level=100.0, lfo1_synced=True, lfo1_beats=1.0, tempo=60.0))[:, 0] / 0.25
    np.testing.assert_allclose(synced, turned, atol=1e-6)


def test_what_a_pad_goes_through_rings_on_and_is_not_late() -> None:
    limited = spec("loop", 0, 20000, chain=(Effect(id="e1", kind="limiter"),))
    plain = solid(spec("loop", 0, 20000))
    np.testing.assert_allclose(solid(limited)[: len(plain) - 300], plain[:-300], atol=2e-3)
    echoed = spec("loop", 0, 20000, tempo=120.0, chain=(Effect(id="e1", kind="echo", settings={"beats": 1.0}),))
    assert echoed.length > 20000 + RATE // 2
    assert db(solid(echoed)[RATE // 2 : RATE]) > -60


def test_velocity_and_wheel_move_what_they_are_told_to() -> None:
    sound = Sound(cutoff=2000.0, by_velocity={"cutoff": 50.0}, by_wheel={"resonance": 25.0})
    assert moved_by(sound, sound.by_velocity, 0.0) == sound
    softer = moved_by(sound, sound.by_velocity, -1.0)
    assert softer.cutoff == pytest.approx(2000 * (20000 / 20) ** -0.5)
    assert moved_by(sound, sound.by_wheel, 1.0).resonance == 9.0
    assert moved_by(sound, {"cutoff": 100.0}, 5.0).cutoff == 20000


def test_only_what_differs_is_written_down() -> None:
    sound = Sound(pitch=3.0, filter="low")
    assert sound.model_dump() == {"pitch": 3.0, "filter": "low"}
    assert Sound.model_validate_json(sound.model_dump_json()) == sound
    assert changed(sound, {"pitch": None}).model_dump() == {"filter": "low"}
    assert not bends(NEUTRAL)


@pytest.mark.parametrize("setting", SOUND, ids=lambda one: one.name)
def test_a_new_setting_is_never_joined_bare_by_mistake(setting: Parameter | Choice | Switch) -> None:
    """A record simply goes on from one chop to the next only where nothing is set that could be heard."""
    if isinstance(setting, Parameter):
        other: object = setting.low if setting.low != setting.default else setting.high
    else:
        other = (not setting.default) if isinstance(setting, Switch) else next(v for v in setting.values if v != setting.default)
    harmless = setting.name in ("level", "release", "root", "wheel") or (setting.name, other) == ("play", "held")
    assert bends(changed(NEUTRAL, {setting.name: other})) == (not harmless)  # type: ignore[dict-item]


def _value(setting: Parameter | Choice | Switch) -> st.SearchStrategy[object]:
    if isinstance(setting, Switch):
        return st.booleans()
    if isinstance(setting, Choice):
        return st.sampled_from(setting.values)
    # All at once they would make voices of minutes.
    most = {"ms": 900.0, "st": 12.0, "%": 200.0}.get(setting.unit, setting.high)
    low, high = max(setting.low, -most), min(setting.high, most)
    return st.sampled_from([low, high, setting.default]) | st.floats(low, high)


SOME = [setting for setting in SOUND if setting.name not in ("beats", "level", "part_level")]


@CALM
@given(some=st.lists(st.sampled_from(SOME), min_size=1, max_size=12, unique_by=lambda s: s.name), data=st.data())
def test_no_settings_make_noise_of_their_own(some: list[Parameter | Choice | Switch], data: st.DataObject) -> None:
    own = {setting.name: data.draw(_value(setting)) for setting in some}
    one = spec("reed", 9000, 9000 + RATE // 4, tempo=120.0, held=RATE // 2, beats=1.0, **own)
    out = render(one, READER, RATE)
    assert len(out) == one.lead(RATE) + one.length
    assert np.isfinite(out).all()
    resonance = float(one.sound.resonance) if one.sound.filter != "off" else 0.0
    assert np.abs(out).max() < 4 * 10 ** ((resonance + one.sound.drive + max(0.0, one.sound.motion_drive)) / 20)
    assert np.abs(out[-1]).max() < 0.02, "it ends in silence"
    assert np.abs(out[0]).max() < 0.02


def test_plain_is_plain() -> None:
    assert is_plain(spec("loop", pitch=3.0, reverse=True, play="held"))
    assert not is_plain(spec("loop", pan=1.0))
