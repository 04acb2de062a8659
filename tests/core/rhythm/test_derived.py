"""What a record plays, on other pads; the tempo that is tapped; one more round with a variation."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.edits import Refusal
from grainpocket.core.edits.derived import TakeRhythm
from grainpocket.core.edits.moving import MoveLanes
from grainpocket.core.edits.patterns import OriginalRhythm
from grainpocket.core.edits.pocket_wide import TapPocket
from grainpocket.core.listen.hearing import hear
from grainpocket.core.pocket import Chop, Cut, Grid, Hit, Pad, Pattern, Pocket, Source
from grainpocket.core.rhythm.timing import tapped_tempo
from tests.signals import RATE, drum_loop

LOOP = drum_loop(bpm=97.3, bars=2)
HEARING = hear(LOOP.samples.mean(axis=1), RATE)


class Library:
    def hearing(self, audio: str) -> object:
        return HEARING

    def read(self, audio: str, start: int, end: int) -> np.ndarray:
        return LOOP.samples[start:end]


def pocket(bars: int = 2) -> Pocket:
    cuts = tuple(Cut(id=f"c{i}", at=int(at), role=name) for i, (at, name) in enumerate(zip(LOOP.at, LOOP.names, strict=True)))  # type: ignore[arg-type]
    grid = Grid(bpm=LOOP.bpm, bars=2)
    source = Source(id="s1", name="Loop", audio="a", frames=len(LOOP.samples), channels=2, grid=grid, cuts=cuts)
    pads = {i: Pad(name=f"Pad {i}", chop=Chop(source="s1", start=0, end=4000)) for i in range(2)}
    pattern = Pattern(id="p1", name="P", bars=bars, hits=(Hit(id="h1", pad=1, beat=0.5),))
    return Pocket(name="p", tempo=LOOP.bpm, sources={"s1": source}, pads=pads, patterns={"p1": pattern}, next_id=50)


def take(start: Pocket, **more: object) -> tuple[Hit, ...]:
    made = TakeRhythm(pattern="p1", pad=1, source="s1", **more).apply(start, Library())  # type: ignore[arg-type]
    return made.patterns["p1"].hits


def places(name: str) -> np.ndarray:
    return np.array([at for at, drum in zip(LOOP.at, LOOP.names, strict=True) if drum == name]) * LOOP.bpm / 60 / RATE


def test_each_drum_of_a_record_on_a_pad_of_ones_own() -> None:
    for name in ("kick", "snare", "hat"):
        hits = take(pocket(), role=name)
        assert [hit.beat for hit in hits] == pytest.approx(places(name), abs=1e-6)
        assert {hit.pad for hit in hits} == {1}
        assert max(hit.velocity for hit in hits) == 127
    straight = take(pocket(), role="hat", straight=True)
    assert [hit.beat for hit in straight] == pytest.approx(np.rint(places("hat") * 4) / 4)
    with pytest.raises(Refusal, match="no vocal there"):
        take(pocket(), role="vocal")


def test_velocities_are_as_hard_as_it_is_struck_and_ghosts_may_be_left_out() -> None:
    hits = take(pocket(), role="hat")
    levels = np.array([hit.velocity for hit in hits]) ** 2.0
    peaks = []
    for place in [at for at, drum in zip(LOOP.at, LOOP.names, strict=True) if drum == "hat"]:
        peaks.append(np.abs(LOOP.samples[place : place + 1500]).max())
    assert np.corrcoef(levels, peaks)[0, 1] > 0.6
    soft = sorted(hit.velocity for hit in hits)
    fewer = take(pocket(), role="hat", least=soft[len(soft) // 2] + 1)
    assert 0 < len(fewer) < len(hits)
    assert min(hit.velocity for hit in fewer) > soft[len(soft) // 2]


def test_a_shorter_record_goes_round() -> None:
    hits = take(pocket(bars=5), role="kick", replace=False)
    kicks = [hit.beat for hit in hits if hit.id != "h1"]
    once = places("kick")
    assert kicks == pytest.approx(np.concatenate((once, once + 8, once[once < 4] + 16)), abs=1e-6)
    assert any(hit.id == "h1" for hit in hits)


def test_a_rhythm_without_its_micro_timing() -> None:
    made = OriginalRhythm(source="s1", straight=True).apply(pocket(), Library())  # type: ignore[arg-type]
    pattern = list(made.patterns.values())[-1]
    assert pattern.name == "Loop, on the grid"
    assert all(hit.beat * 4 == round(hit.beat * 4) for hit in pattern.hits)
    assert len(pattern.hits) == len(LOOP.at)


def test_one_more_round_with_a_variation() -> None:
    made = MoveLanes(pattern="p1", move="duplicate").apply(pocket(), Library()).patterns["p1"]  # type: ignore[arg-type]
    assert made.bars == 4
    assert [hit.beat for hit in made.hits] == [0.5, 8.5]
    assert 0 <= abs(made.hits[1].velocity - made.hits[0].velocity) <= 12


@pytest.mark.parametrize("bpm", [60, 93, 103, 130, 140, 174])
def test_the_tempo_that_is_tapped(bpm: float) -> None:
    rng = np.random.default_rng(4)
    at = 3 + np.arange(12) * 60 / bpm + rng.uniform(-0.008, 0.008, 12)
    assert tapped_tempo(at.tolist()) == pytest.approx(bpm, rel=0.01)
    missed = np.delete(at, [4, 7])
    assert tapped_tempo(missed.tolist()) == pytest.approx(bpm, rel=0.012)
    made = TapPocket(at=tuple(at.tolist())).apply(pocket(), Library())  # type: ignore[arg-type]
    assert made.tempo == pytest.approx(bpm, rel=0.01)
    with pytest.raises(Refusal, match="no tempo"):
        TapPocket(at=(1.0, 1.001, 1.002)).apply(pocket(), Library())  # type: ignore[arg-type]
