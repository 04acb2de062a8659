"""Patterns to events to loops: swing, velocity, chokes, gates, wrap-around, passes."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.document.sound import Sound
from grainpocket.core.export.wav import wav24
from grainpocket.core.mix.loop import Renderer, plan
from grainpocket.core.pocket import Chop, Hit, Pad, Pattern, Pocket, Source
from grainpocket.core.rhythm.schedule import Schedule, schedule
from grainpocket.core.rhythm.strokes import velocity_place, velocity_step
from grainpocket.core.rhythm.timing import Timeline, swung
from grainpocket.core.shape.voice import VELOCITY_STEP, VELOCITY_STEPS
from grainpocket.core.sound.audio import Audio
from tests.files import tone
from tests.signals import RATE, ArrayReader

READER = ArrayReader(a=tone(2.0, channels=2))
BEAT = RATE // 2  # at 120 BPM


def pocket(*pads: Pad, hits: tuple[Hit, ...], swing: float = 50, bars: int = 1) -> tuple[Pocket, Pattern]:
    source = Source(id="s1", name="Tone", audio="a", frames=2 * RATE, channels=2)
    pattern = Pattern(id="p1", name="P", bars=bars, swing=swing, hits=hits)
    made = Pocket(name="p", tempo=120, sources={"s1": source}, pads=dict(enumerate(pads)), patterns={"p1": pattern})
    return made, pattern


def pad(length: int = 8000, start: int = 1000, **settings: object) -> Pad:
    return Pad(name="Pad", chop=Chop(source="s1", start=start, end=start + length), **settings)  # type: ignore[arg-type]


def rendered(made: Pocket, pattern: Pattern) -> np.ndarray:
    return Renderer(READER, RATE).loop(plan(schedule(made, pattern)))


def events(*pads: Pad, hits: tuple[Hit, ...], **more: float) -> Schedule:
    return schedule(*pocket(*pads, hits=hits, **more))  # type: ignore[arg-type]


def test_beats_are_not_rounded_to_ticks() -> None:
    made = events(pad(), hits=tuple(Hit(pad=0, beat=b) for b in (0, 1 / 3, 1.2345678, 3.99)))
    assert [e.frame for e in made.events] == [round(b * BEAT) for b in (0, 1 / 3, 1.2345678, 3.99)]


@pytest.mark.parametrize(("beat", "wanted"), [(0, 0), (0.25, 0.29), (0.5, 0.5), (0.75, 0.79), (0.26, 0.26), (1 / 3, 1 / 3)])
def test_swing_moves_off_sixteenths_and_nothing_else(beat: float, wanted: float) -> None:
    assert swung(np.array([beat]), 58) == pytest.approx([wanted])
    assert swung(np.array([beat]), 50) == [beat]


def test_a_beat_comes_back_from_its_sample() -> None:
    time = Timeline(93.98765, RATE)
    for frame in (0, 1, 77, 123457, 9999999):
        assert time.frame(time.beat(frame)) == frame


def test_velocity_is_loudness() -> None:
    made, pattern = pocket(pad(choke=1), hits=(Hit(pad=0, beat=0, velocity=127), Hit(pad=0, beat=2, velocity=64)))
    out = rendered(made, pattern)
    ratio = np.abs(out[2 * BEAT + 200 : 2 * BEAT + 5000]).max() / np.abs(out[200:5000]).max()
    assert ratio == pytest.approx((64 / 127) ** 2, rel=1e-3)


def test_choke_cuts_off_at_the_next_hit_of_the_group() -> None:
    long, other = pad(40000, choke=1), pad(3000, start=50000, choke=1)
    made, pattern = pocket(long, other, hits=(Hit(pad=0, beat=0, velocity=127), Hit(pad=1, beat=1, velocity=1)))
    out = rendered(made, pattern)
    assert np.abs(out[BEAT - 500 : BEAT]).max() > 0.4
    assert np.abs(out[BEAT + 200 : BEAT + 4000]).max() < 0.01
    # Without a group it rings on.
    made, pattern = pocket(pad(40000), other, hits=pattern.hits)
    assert np.abs(rendered(made, pattern)[BEAT + 200 : BEAT + 4000]).max() > 0.4


def test_chokes_reach_over_the_loops_end() -> None:
    made, pattern = pocket(pad(40000, choke=2), hits=(Hit(pad=0, beat=0.5), Hit(pad=0, beat=3.5)))
    last = schedule(made, pattern).events[-1]
    assert last.stop == BEAT
    assert schedule(made, pattern, cyclic=False).events[-1].stop is None


def test_held_pads_are_gated_by_the_hits_length() -> None:
    hits = (Hit(pad=0, beat=0, length=0.25, velocity=127),)
    made, pattern = pocket(pad(40000, sound=Sound(play="held")), hits=hits)
    out = rendered(made, pattern)
    assert np.abs(out[: BEAT // 4]).max() > 0.4
    assert not out[BEAT // 4 + 600 : -31].any(), "but for the fade in of the next pass"
    made, pattern = pocket(pad(40000), hits=hits)
    assert np.abs(rendered(made, pattern)[BEAT:30000]).max() > 0.4


def test_tails_ring_into_the_loops_start() -> None:
    made, pattern = pocket(pad(40000), hits=(Hit(pad=0, beat=3.75, velocity=127),))
    out = rendered(made, pattern)
    assert len(out) == 4 * BEAT
    assert np.abs(out[:20000]).max() > 0.4
    own = np.abs(np.diff(READER.sounds["a"], axis=0)).max()
    assert np.abs(np.diff(np.concatenate((out, out)), axis=0)).max() <= own * 1.001


def test_passes_are_the_loop_and_then_the_tail() -> None:
    made, pattern = pocket(pad(40000), hits=(Hit(pad=0, beat=0), Hit(pad=0, beat=3.75)))
    renderer = Renderer(READER, RATE)
    again = schedule(made, pattern)
    out = renderer.passes(again, schedule(made, pattern, cyclic=False), 3)
    loop = renderer.loop(plan(again))
    length = len(loop)
    np.testing.assert_array_equal(out[length : 2 * length], loop)
    assert not out[20000 + 40000 : 3 * BEAT].any(), "the first pass starts from silence"
    assert len(out) > 3 * length
    assert np.abs(out[-1]).max() < 1e-3


@pytest.mark.parametrize("seed", range(12))
def test_the_loop_is_what_a_long_run_of_passes_settles_on(seed: int) -> None:
    rng = np.random.default_rng(seed)
    pads = [
        pad(int(rng.integers(500, 60000)), choke=int(rng.integers(0, 3)), sound=Sound(play=str(rng.choice(["held", "one-shot"]))))
        for _ in range(6)
    ]
    hits = tuple(
        Hit(
            pad=int(rng.integers(0, 6)),
            beat=float(rng.choice([rng.integers(0, 16) / 4, rng.uniform(0, 4)])),
            velocity=int(rng.integers(1, 128)),
            length=float(rng.uniform(0.05, 2)),
        )
        for _ in range(20)
    )
    made, pattern = pocket(*pads, hits=hits, swing=float(rng.uniform(50, 75)))
    renderer = Renderer(READER, RATE)
    again = plan(schedule(made, pattern))
    out = renderer.passes(again.schedule, schedule(made, pattern, cyclic=False), 4)
    loop = renderer.loop(again)
    assert len(loop) == again.length == 4 * BEAT
    np.testing.assert_array_equal(out[2 * again.length : 3 * again.length], loop)
    joined = [(s.start, s.start + s.frames) for s in again.segments]
    assert [start for start, _ in joined[1:]] == [end for _, end in joined[:-1]]


def test_empty_pads_and_hits_behind_the_end_are_silent() -> None:
    made, pattern = pocket(pad(), hits=(Hit(pad=9, beat=0), Hit(pad=0, beat=40)))
    assert not rendered(made, pattern).any()


def test_segments_change_only_where_hits_do() -> None:
    hits = tuple(Hit(pad=0, beat=b, velocity=90) for b in range(16))
    made, pattern = pocket(pad(2000), hits=hits, bars=4)
    before = plan(schedule(made, pattern))
    moved = pattern.model_copy(update={"hits": (*hits[:9], hits[9].model_copy(update={"velocity": 91}), *hits[10:])})
    after = plan(schedule(made, moved))
    assert [a.key != b.key for a, b in zip(before.segments, after.segments, strict=True)] == [i == 9 for i in range(16)]


def test_24_bit_wav_is_exact_and_always_the_same() -> None:
    import io

    import soundfile as sf

    samples = np.random.default_rng(1).uniform(-1, 1, (1001, 2)).astype(np.float32)
    samples[0] = 1.7, -1.7
    data = wav24(Audio(samples, RATE))
    assert data == wav24(Audio(samples.copy(), RATE))
    back, rate = sf.read(io.BytesIO(data), dtype="int32", always_2d=True)
    assert rate == RATE
    assert sf.info(io.BytesIO(data)).subtype == "PCM_24"
    np.testing.assert_array_equal(back[0] >> 8, [8388607, -8388608])
    assert np.abs((back[1:] >> 8) - samples[1:].astype(np.float64) * 8388607).max() <= 0.5 + 1e-6


@pytest.mark.parametrize("bpm", [60.0, 93.0, 103.0, 130.0, 140.0, 174.0])
@pytest.mark.parametrize("swing", [50.0, 63.0])
def test_hits_stand_on_their_samples_at_any_tempo(bpm: float, swing: float) -> None:
    made, pattern = pocket(pad(length=2000), hits=tuple(Hit(pad=0, beat=k / 4) for k in range(16)), swing=swing)
    events = schedule(made.model_copy(update={"tempo": bpm}), pattern).events
    late = (2 * swing / 100 - 1) / 4
    wanted = [(k / 4 + (late if k % 2 else 0)) * 60 / bpm * RATE for k in range(16)]
    assert [event.frame for event in events] == pytest.approx(wanted, abs=0.5)


def test_every_velocity_plays_a_voice_of_nearly_its_own() -> None:
    steps = [velocity_step(velocity) for velocity in range(1, 128)]
    assert steps == sorted(steps)
    assert all(velocity <= step < velocity + VELOCITY_STEP for velocity, step in enumerate(steps, 1))
    assert [VELOCITY_STEPS[velocity_place(velocity)] for velocity in range(1, 128)] == steps
    assert velocity_place(0) == 0
