"""From a loop to its own rhythm and back: cuts, pads, pattern, voices, bars, sum."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from grainpocket.core.edits import EditModel
from grainpocket.core.edits.cutting import DeleteCuts, MoveCut
from grainpocket.core.edits.padding import SetPads
from grainpocket.core.edits.patterns import OriginalRhythm
from grainpocket.core.edits.pocket_wide import AddSource, SetPocket
from grainpocket.core.listen.hearing import Hearing, hear
from grainpocket.core.mix.loop import Renderer, plan
from grainpocket.core.pocket import Pocket
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.sound.audio import Samples, mono
from tests.signals import RATE, ArrayReader, Loop, drum_loop


class OneRecord:
    """A library that knows one record, whatever it is asked for."""

    def __init__(self, samples: Samples) -> None:
        self._samples, self._hearing = samples, hear(mono(samples), RATE)

    def hearing(self, audio: str) -> Hearing:
        return self._hearing

    def read(self, audio: str, start: int, end: int) -> Samples:
        return ArrayReader(a=self._samples).read("a", start, end)


class Bench:
    """A pocket with one loop in it, its rhythm rebuilt."""

    def __init__(self, loop: Loop) -> None:
        self.loop = loop
        self.library = OneRecord(loop.samples)
        self.renderer = Renderer(ArrayReader(a=loop.samples), RATE)
        self.pocket = Pocket(name="p")
        self.make(AddSource(name="Loop", audio="a", frames=len(loop.samples), channels=2))

    def make(self, edit: EditModel) -> None:
        self.pocket = edit.made(self.pocket, self.library)

    @property
    def cuts(self) -> np.ndarray:
        return np.array([c.at for c in next(iter(self.pocket.sources.values())).cuts])

    def render(self, cyclic: bool = True) -> np.ndarray:
        pattern = list(self.pocket.patterns.values())[-1]
        return self.renderer.loop(plan(schedule(self.pocket, pattern, cyclic)))


def rebuilt(**kwargs: float) -> Bench:
    bench = Bench(drum_loop(**kwargs))  # type: ignore[arg-type]
    bench.make(OriginalRhythm(source="s1"))
    return bench


def residue_db(a: np.ndarray, b: np.ndarray) -> float:
    return float(10 * np.log10(((a - b) ** 2).sum() / (b**2).sum() + 1e-20))


@pytest.mark.parametrize(("bpm", "bars", "seed"), [(97.3, 2, 1), (171.9, 4, 2), (74.2, 1, 3), (120.0, 2, 4)])
def test_cuts_stand_on_the_hits(bpm: float, bars: int, seed: int) -> None:
    bench = rebuilt(bpm=bpm, bars=bars, seed=seed)
    assert len(bench.cuts) == len(bench.loop.at)
    assert np.abs(bench.cuts - bench.loop.at).max() < 0.005 * RATE
    assert (bench.cuts <= bench.loop.at + 0.002 * RATE).all(), "a cut in an attack"


@pytest.mark.parametrize(("bpm", "bars", "seed"), [(97.3, 2, 1), (171.9, 4, 2), (88.0, 3, 5)])
def test_its_own_rhythm_cancels_against_the_loop(bpm: float, bars: int, seed: int) -> None:
    bench = rebuilt(bpm=bpm, bars=bars, seed=seed)
    out = bench.render()
    assert out.shape == bench.loop.samples.shape
    assert residue_db(out, bench.loop.samples) < -60


def test_without_fades_it_is_the_loop_to_the_last_bit() -> None:
    bench = rebuilt()
    bench.make(SetPocket(fade_in_edge=0, fade_out_edge=0))
    np.testing.assert_array_equal(bench.render(), bench.loop.samples)


def test_a_missing_slice_is_heard_in_the_residue() -> None:
    bench = rebuilt()
    pattern = list(bench.pocket.patterns.values())[-1]
    fewer = pattern.model_copy(update={"hits": pattern.hits[:3] + pattern.hits[4:]})
    bench.pocket = bench.pocket.with_pattern(fewer)
    assert residue_db(bench.render(), bench.loop.samples) > -30


def test_at_another_tempo_hits_stand_where_the_beat_says() -> None:
    bench = rebuilt()
    for factor in (0.7, 1.37):
        bench.make(SetPocket(tempo=bench.loop.bpm * factor))
        pattern = list(bench.pocket.patterns.values())[-1]
        events = schedule(bench.pocket, pattern).events
        wanted = bench.cuts / factor
        assert np.abs(np.array([e.frame for e in events]) - wanted).max() <= 1
        # Each event sounds as its pad does, from the hit to where the next one chokes it or its own fade begins.
        out = bench.render()
        for event, following in itertools.pairwise(events):
            voice = bench.renderer.voice(event.spec)[event.spec.lead(RATE) :]
            solid = min(len(voice) - int(0.005 * RATE), following.frame - event.frame - 40, bench.loop.samples.shape[0])
            fade_over = int(0.003 * RATE) + 2
            if solid > fade_over:
                np.testing.assert_allclose(out[event.frame + fade_over : event.frame + solid], voice[fade_over:solid], atol=1e-6)


def test_joins_do_not_click_at_a_slower_tempo() -> None:
    bench = rebuilt()
    bench.make(SetPocket(tempo=bench.loop.bpm * 0.8))
    own = np.abs(np.diff(bench.loop.samples, axis=0)).max()
    assert np.abs(np.diff(bench.render(), axis=0)).max() <= own * 1.0001


def test_rendering_twice_gives_the_same_bytes() -> None:
    assert rebuilt().render().tobytes() == rebuilt().render().tobytes()


def test_a_pad_follows_its_slice_until_the_slice_is_gone() -> None:
    bench = rebuilt()
    second = bench.pocket.sources["s1"].cuts[1]
    bench.make(MoveCut(source="s1", cut=second.id, at=second.at - 300))
    assert bench.pocket.pads[0].chop.end == bench.pocket.pads[1].chop.start == second.at - 300
    bench.make(DeleteCuts(source="s1", cuts=(second.id,)))
    third = bench.pocket.sources["s1"].cuts[1]
    assert bench.pocket.pads[0].chop.end == third.at
    assert bench.pocket.pads[1].chop.cut is None
    assert bench.pocket.pads[1].chop.start == second.at - 300


def test_one_pads_settings_are_its_own() -> None:
    bench = rebuilt()
    before = dict(bench.pocket.pads)
    bench.make(SetPads(pads=(1,), sound={"pitch": -3, "level": -6}))
    assert all(bench.pocket.pads[i] is before[i] for i in before if i != 1)


def test_only_what_sounds_different_is_rendered_again() -> None:
    bench = rebuilt()
    pattern = list(bench.pocket.patterns.values())[-1]
    first = plan(schedule(bench.pocket, pattern))
    bench.make(SetPads(pads=(4,), sound={"fade_out": 20}))
    second = plan(schedule(bench.pocket, pattern))
    changed = [b for a, b in zip(first.segments, second.segments, strict=True) if a.key != b.key]
    start, end = (bench.cuts[3], bench.cuts[6])
    # The pad itself, and its neighbours, whose joins with it are no longer bare.
    assert 1 <= len(changed) <= 3
    assert all(s.start < end and s.start + s.frames > start for s in changed)
