"""Lanes with a length and rate of their own, steps left out, mute and solo, hits that do not come each time."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.edits import Refusal
from grainpocket.core.edits.lanes import SetLanes, WriteIn
from grainpocket.core.mix.loop import Renderer, plan
from grainpocket.core.pocket import Chop, Condition, Hit, Lane, Pad, Pattern, Pocket, Source
from grainpocket.core.rhythm.lanes import cycle_of, pass_of, passes_of
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.song.layout import song_schedule
from tests.files import tone
from tests.signals import RATE, ArrayReader

READER = ArrayReader(a=tone(2.0, channels=2))
BEAT = RATE // 2  # at 120 BPM


def made(*hits: Hit, bars: int = 1, **more: object) -> Pattern:
    named = tuple(hit.model_copy(update={"id": f"h{i}"}) for i, hit in enumerate(hits))
    return Pattern(id="p1", name="P", bars=bars, hits=named, **more)  # type: ignore[arg-type]


def pocket(pattern: Pattern) -> Pocket:
    source = Source(id="s1", name="Tone", audio="a", frames=2 * RATE, channels=2)
    pads = {i: Pad(name=f"Pad {i}", chop=Chop(source="s1", start=1000 * i, end=1000 * i + 4000)) for i in range(3)}
    return Pocket(name="p", tempo=120, sources={"s1": source}, pads=pads, patterns={"p1": pattern})


def struck(pattern: Pattern, passes: int, pad: int = 0) -> list[float]:
    return [turn * pattern.beats + hit.beat for turn in range(passes) for hit in pass_of(pattern, turn) if hit.pad == pad]


def test_a_lane_of_three_steps_runs_on_over_the_bar() -> None:
    pattern = made(Hit(pad=0, beat=0), Hit(pad=1, beat=0), lanes={0: Lane(steps=3)})
    assert passes_of(pattern) == 3
    assert struck(pattern, 3) == pytest.approx(np.arange(0, 12, 0.75))
    assert struck(pattern, 3, pad=1) == [0, 4, 8]
    # After that all is the same again.
    assert [h.beat for h in pass_of(pattern, 3)] == [h.beat for h in pass_of(pattern, 0)]


@pytest.mark.parametrize(
    ("step", "steps", "cycle", "passes"), [(1 / 3, 4, 4 / 3, 1), (0.75, 5, 3.75, 15), (1 / 6, 9, 1.5, 3), (0.5, 8, 4, 1)]
)
def test_rates_that_are_no_sixteenths(step: float, steps: int, cycle: float, passes: int) -> None:
    pattern = made(Hit(pad=0, beat=step), lanes={0: Lane(step=step, steps=steps)})
    assert cycle_of(pattern, pattern.lanes[0]) == pytest.approx(cycle)
    assert passes_of(pattern) == passes
    places = struck(pattern, passes)
    assert places == pytest.approx(np.arange(len(places)) * cycle + step)
    assert len(places) == round(passes * 4 / cycle)


def test_left_out_steps_are_not_waited_for() -> None:
    steps = [Hit(pad=0, beat=i * 0.5, velocity=10 * (i + 1)) for i in range(8)]
    pattern = made(*steps, lanes={0: Lane(step=0.5, skipped=(2, 5))})
    first = [(hit.beat, hit.velocity) for hit in pass_of(pattern, 0)]
    assert first == [(0, 10), (0.5, 20), (1, 40), (1.5, 50), (2, 70), (2.5, 80), (3, 10), (3.5, 20)]
    assert [hit.velocity for hit in pass_of(pattern, 1)] == [40, 50, 70, 80, 10, 20, 40, 50]
    assert passes_of(pattern) == 3


@settings(max_examples=60, derandomize=True)
@given(st.sampled_from([1 / 6, 0.25, 1 / 3, 0.375, 0.5]), st.integers(1, 12), st.sets(st.integers(0, 11), max_size=6))
def test_every_step_that_is_left_comes_in_its_turn(step: float, steps: int, skipped: set[int]) -> None:
    left = [i for i in range(steps) if i not in skipped]
    if not left:
        return
    pattern = made(
        *(Hit(pad=0, beat=i * step, velocity=i + 1) for i in range(steps)), bars=16,
        lanes={0: Lane(step=step, steps=steps, skipped=tuple(sorted(skipped)))},
    )  # fmt: skip
    hits = pass_of(pattern, 0)
    assert [hit.velocity - 1 for hit in hits] == [left[i % len(left)] for i in range(len(hits))]
    assert [hit.beat for hit in hits] == pytest.approx(np.arange(len(hits)) * step)
    assert len(hits) == np.ceil(64 / step - 1e-9)


def test_mute_and_solo() -> None:
    hits = [Hit(pad=pad, beat=0) for pad in range(3)]
    heard = lambda **lanes: {hit.pad for hit in pass_of(made(*hits, lanes={int(k[1]): v for k, v in lanes.items()}), 0)}  # noqa: E731
    assert heard(p1=Lane(muted=True)) == {0, 2}
    assert heard(p1=Lane(solo=True)) == {1}
    assert heard(p1=Lane(solo=True), p2=Lane(solo=True, muted=True)) == {1}


def test_a_lanes_level_is_heard_and_nothing_else_is() -> None:
    pattern = made(Hit(pad=0, beat=0, velocity=127), Hit(pad=1, beat=2, velocity=127))
    quiet = pattern.model_copy(update={"lanes": {0: Lane(level=-6.0)}})
    loud, soft = (Renderer(READER, RATE).loop(plan(schedule(pocket(p), p))) for p in (pattern, quiet))
    half = 2 * BEAT - 500
    assert soft[1000:3500] == pytest.approx(loud[1000:3500] * 10 ** (-6 / 20), abs=1e-6)
    assert np.array_equal(soft[half:], loud[half:])


def test_every_fourth_time() -> None:
    pattern = made(Hit(pad=0, beat=0, when=Condition(every=4, on=4)), Hit(pad=1, beat=1))
    assert passes_of(pattern) == 4
    assert struck(pattern, 8) == [12, 28]
    timed = schedule(pocket(pattern), pattern)
    assert timed.length == 16 * BEAT
    assert [event.frame for event in timed.events if event.pad == 0] == [12 * BEAT]


def test_chance_is_the_same_each_time_and_about_as_often_as_asked() -> None:
    pattern = made(*(Hit(pad=0, beat=i / 4, when=Condition(chance=30)) for i in range(16)), bars=1)
    passes = [len(pass_of(pattern, turn)) for turn in range(200)]
    assert [len(pass_of(pattern, turn)) for turn in range(200)] == passes
    assert 0.26 < sum(passes) / (200 * 16) < 0.34
    other = pattern.model_copy(update={"seed": 2})
    assert [len(pass_of(other, turn)) for turn in range(200)] != passes
    assert passes_of(pattern) == 4


def test_a_song_counts_the_rounds() -> None:
    from grainpocket.core.document.song import Section

    pattern = made(Hit(pad=0, beat=0, when=Condition(every=2, on=2)), Hit(pad=1, beat=0))
    section = Section(id="n1", name="A", bars=3, repeats=2, patterns=("p1",))
    song = pocket(pattern).model_copy(update={"sections": {"n1": section}, "song": ("n1",)})
    events = song_schedule(song).events
    assert [event.frame // (4 * BEAT) for event in events if event.pad == 0] == [1, 3, 5]
    assert len([event for event in events if event.pad == 1]) == 6


def test_setting_lanes() -> None:
    start = pocket(made(Hit(pad=0, beat=0)))
    after = SetLanes(pattern="p1", pads=(0, 1), steps=6, skipped=(1, 9)).apply(start, None)  # type: ignore[arg-type]
    assert after.patterns["p1"].lanes == {pad: Lane(steps=6, skipped=(1,)) for pad in (0, 1)}
    after = SetLanes(pattern="p1", pads=(0,), level=-3, steps=None).apply(after, None)  # type: ignore[arg-type]
    assert after.patterns["p1"].lanes[0] == Lane(level=-3, skipped=(1,))
    # What is as all lanes are is not written down.
    after = SetLanes(pattern="p1", pads=(0, 1), level=0, steps=None, skipped=()).apply(after, None)  # type: ignore[arg-type]
    assert after.patterns["p1"].lanes == {}
    with pytest.raises(Refusal, match="One step"):
        SetLanes(pattern="p1", pads=(0,), steps=2, skipped=(0, 1)).apply(start, None)  # type: ignore[arg-type]


def test_lanes_written_out_sound_the_same() -> None:
    pattern = made(
        Hit(pad=0, beat=0), Hit(pad=0, beat=0.5, velocity=60), Hit(pad=1, beat=1, when=Condition(every=3, on=2)),
        lanes={0: Lane(steps=3, level=-2.0)}, swing=60.0,
    )  # fmt: skip
    start = pocket(pattern)
    before = schedule(start, pattern)
    after = WriteIn(pattern="p1", lanes=True).apply(start, None).patterns["p1"]  # type: ignore[arg-type]
    written = schedule(start.with_pattern(after), after)
    assert before.passes == 3
    assert written.passes == 1
    assert after.bars == 3
    assert written.length == before.length
    assert [e[:3] for e in written.events] == [e[:3] for e in before.events]
    assert after.swing == 50
    assert after.lanes == {0: Lane(level=-2.0)}
    assert len({hit.id for hit in after.hits}) == len(after.hits)
