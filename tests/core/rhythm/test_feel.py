"""Feels: lifted from a record, laid over hits, written in; swing of 8ths and by lane; what strays by a seed."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.edits import Refusal
from grainpocket.core.edits.lanes import LiftFeel, RemoveFeel, SetLanes, WriteIn
from grainpocket.core.edits.moving import Quantise
from grainpocket.core.edits.patterns import SetPattern
from grainpocket.core.mix.loop import Renderer, plan, repeated
from grainpocket.core.pocket import Chop, Cut, Feel, FeelUse, Grid, Hit, Lane, Pad, Pattern, Pocket, Source
from grainpocket.core.rhythm.feel import OURS, lifted, lines
from grainpocket.core.rhythm.schedule import performed, schedule
from grainpocket.core.rhythm.timing import swung
from grainpocket.core.sound.audio import Samples

RATE = 44100
TEMPO = 97.3
SWUNG = np.where(np.arange(32) % 2 == 1, 0.5 * (0.58 - 0.5), 0.0) + np.array([0.004, -0.006, 0.009, 0.0] * 8)
LOUD = np.tile([1.0, 0.25, 0.6, 0.3], 8)


class Played:
    """A record that strikes every sixteenth of two bars, each off its line and with its own level."""

    def __init__(self, missing: tuple[int, ...] = ()) -> None:
        beats = np.arange(32) / 4 + SWUNG
        keep = [i for i in range(32) if i not in missing]
        self.at = np.rint(np.maximum(0, beats[keep]) * 60 / TEMPO * RATE).astype(int) + 500
        self.sound = np.zeros((round(8 * 60 / TEMPO * RATE) + 1000, 2), np.float32)
        for place, loud in zip(self.at, LOUD[keep], strict=True):
            self.sound[place : place + 2000] = loud * np.linspace(1, 0, 2000)[:, None]

    def read(self, audio: str, start: int, end: int) -> Samples:
        return self.sound[start:end]

    def hearing(self, audio: str) -> object:
        raise KeyError(audio)

    def pocket(self) -> Pocket:
        cuts = tuple(Cut(id=f"c{i}", at=int(at)) for i, at in enumerate(self.at))
        grid = Grid(bpm=TEMPO, bar_one=500)
        source = Source(id="s1", name="Swung break", audio="a", frames=len(self.sound), channels=2, grid=grid, cuts=cuts)
        straight = Pattern(
            id="p1", name="P", bars=2, hits=tuple(Hit(id=f"h{i}", pad=0, beat=i / 4, velocity=80) for i in range(32))
        )
        pads = {i: Pad(name=f"Pad {i}", chop=Chop(source="s1", start=500, end=4000)) for i in range(2)}
        return Pocket(name="p", tempo=TEMPO, sources={"s1": source}, pads=pads, patterns={"p1": straight})


def lift(record: Played, **more: object) -> Pocket:
    return LiftFeel(source="s1", pattern="p1", end=len(record.sound), **more).apply(record.pocket(), record)  # type: ignore[arg-type]


def with_amounts(pocket: Pocket, place: float, accent: float = 0) -> tuple[Pocket, Pattern]:
    (key,) = pocket.feels
    use = FeelUse(feel=key, place=place, accent=accent)
    made = SetPattern(pattern="p1", feel=use).apply(pocket, None)  # type: ignore[arg-type]
    return made, made.patterns["p1"]


def test_straight_sixteenths_take_on_the_places_of_the_record() -> None:
    record = Played()
    pocket, pattern = with_amounts(lift(record), 100)
    frames = np.array([event.frame for event in schedule(pocket, pattern).events])
    # Within a sample of what was cut, where 2 ms are allowed.
    assert np.abs(frames - (record.at - 500)).max() <= 1
    still, pattern = with_amounts(pocket, 0)
    frames = np.array([event.frame for event in schedule(still, pattern).events])
    assert frames.tolist() == np.rint(np.arange(32) / 4 * 60 / TEMPO * RATE).astype(int).tolist()
    _, half = with_amounts(pocket, 50)
    assert performed(pocket, half)[1] == pytest.approx(np.arange(32) / 4 + SWUNG.clip(0 - np.arange(32)) / 2, abs=1e-4)


def test_what_the_record_does_not_strike_goes_as_its_neighbours_do() -> None:
    record = Played(missing=(5, 6, 7, 21))
    pocket, pattern = with_amounts(lift(record), 100)
    at = performed(pocket, pattern)[1]
    assert at == pytest.approx(np.arange(32) / 4 + SWUNG, abs=2e-3)


def test_accents_are_those_of_the_record() -> None:
    pocket, pattern = with_amounts(lift(Played()), 0, 100)
    hits, _ = performed(pocket, pattern)
    levels = np.array([hit.velocity for hit in hits]) ** 2.0
    assert levels / levels.mean() == pytest.approx(LOUD / LOUD.mean(), rel=0.06)
    pocket, pattern = with_amounts(pocket, 0, 0)
    assert {hit.velocity for hit in performed(pocket, pattern)[0]} == {80}


def test_a_shorter_feel_is_the_mean_of_its_rounds() -> None:
    at = np.array([0, 1.1, 2, 3.3])
    feel = lifted("f1", "F", at, np.ones(4), 4.0, 0.5, 2.0)
    assert len(feel.offsets) == 4
    assert feel.offsets[2] == pytest.approx(0.1)
    record = Played()
    bare = record.pocket()
    bare = bare.with_source(bare.sources["s1"].model_copy(update={"grid": None}))
    with pytest.raises(Refusal, match="tempo"):
        LiftFeel(source="s1").apply(bare, record)  # type: ignore[arg-type]


def test_lanes_have_their_own_feel_and_swing() -> None:
    pocket = Played().pocket()
    hits = tuple(Hit(id=f"h{p}{i}", pad=p, beat=i / 4) for p in range(2) for i in range(8))
    pattern = Pattern(id="p1", name="P", bars=1, swing=54, hits=hits, lanes={1: Lane(swing=66.0)})
    there, at = performed(pocket.with_pattern(pattern), pattern)
    by_pad = {pad: [a for h, a in zip(there, at.tolist(), strict=True) if h.pad == pad] for pad in range(2)}
    assert by_pad[0][1] == pytest.approx(0.27)
    assert by_pad[1][1] == pytest.approx(0.33)
    felt = SetLanes(pattern="p1", pads=(0,), feel=FeelUse(feel="behind")).apply(pocket.with_pattern(pattern), None)  # type: ignore[arg-type]
    assert schedule(felt, felt.patterns["p1"]).events != schedule(pocket.with_pattern(pattern), pattern).events
    with pytest.raises(Refusal, match="no longer"):
        SetLanes(pattern="p1", pads=(0,), feel=FeelUse(feel="nothing")).apply(felt, None)  # type: ignore[arg-type]


def test_8ths_swing_and_the_sixteenth_between_goes_half_of_the_way() -> None:
    at = swung(np.array([0, 0.25, 0.5, 0.75, 1.0, 0.3]), 60, 0.5)
    assert at == pytest.approx([0, 0.3, 0.6, 0.8, 1.0, 0.3])


def test_what_strays_is_the_same_each_time_and_within_its_range() -> None:
    pocket = Played().pocket()
    loose = pocket.patterns["p1"].model_copy(update={"loose": 10.0, "uneven": 20.0, "seed": 5})
    hits, at = performed(pocket.with_pattern(loose), loose)
    off = (at - np.arange(32) / 4) * 60_000 / TEMPO
    assert 3 < np.abs(off).max() <= 10
    assert np.std(off) > 1
    assert all(60 <= hit.velocity <= 100 for hit in hits)
    assert len({hit.velocity for hit in hits}) > 8
    again = performed(pocket.with_pattern(loose), loose.model_copy(update={"name": "Q"}))
    assert np.array_equal(again[1], at)
    assert again[0] == hits
    assert not np.array_equal(performed(pocket, loose.model_copy(update={"seed": 6}))[1], at)


def test_feel_lies_over_the_hits_until_it_is_written_in() -> None:
    pocket, pattern = with_amounts(lift(Played()), 100, 100)
    before = schedule(pocket, pattern)
    assert [hit.beat for hit in pattern.hits] == [i / 4 for i in range(32)]
    written = WriteIn(pattern="p1").apply(pocket, None)  # type: ignore[arg-type]
    after = written.patterns["p1"]
    assert after.feel is None
    assert [hit.id for hit in after.hits] == [hit.id for hit in pattern.hits]
    assert [e[:3] for e in schedule(written, after).events] == [e[:3] for e in before.events]


def test_quantise_to_a_feel_draws_to_its_lines() -> None:
    pocket = lift(Played())
    (key,) = pocket.feels
    off = pocket.patterns["p1"].model_copy(
        update={"feel": None, "hits": tuple(h.model_copy(update={"beat": h.beat + 0.07}) for h in pocket.patterns["p1"].hits)}
    )
    made = Quantise(pattern="p1", feel=key).apply(pocket.with_pattern(off), None)  # type: ignore[arg-type]
    got = np.array(sorted(hit.beat for hit in made.patterns["p1"].hits))
    assert got == pytest.approx(np.arange(32) / 4 + SWUNG, abs=1e-4)


def test_a_feel_that_goes_leaves_what_it_lay_over_straight() -> None:
    pocket = lift(Played())
    (key,) = pocket.feels
    pocket = SetLanes(pattern="p1", pads=(0,), feel=FeelUse(feel=key)).apply(pocket, None)  # type: ignore[arg-type]
    gone = RemoveFeel(feel=key).apply(pocket, None)  # type: ignore[arg-type]
    assert gone.feels == {}
    assert gone.patterns["p1"].feel is None
    assert gone.patterns["p1"].lanes == {}


def test_our_own_feels_move_nothing_far_and_shut_nothing_up() -> None:
    for feel in OURS.values():
        lines_ = np.arange(len(feel.offsets)) * feel.step + feel.offsets
        assert np.diff([*lines_, len(lines_) * feel.step]).min() > feel.step / 4
        assert all(0.3 < accent < 1.5 for accent in feel.accents)


def test_the_lines_that_are_drawn_are_those_that_are_heard() -> None:
    pocket = Played().pocket()
    pattern = pocket.patterns["p1"].model_copy(update={"swing": 62.0})
    assert lines(pocket, pattern)[:4] == pytest.approx([0, 0.31, 0.5, 0.81])


@pytest.mark.parametrize("count", [1, 2, 4])
def test_a_file_holds_what_is_heard_where_feel_reaches_over_the_bar(count: int) -> None:
    """A hit that comes before the beginning is there in every pass, the first and the last too."""
    early = Feel(id="f1", name="Early", step=0.25, offsets=(-0.05, 0.0, 0.0, 0.1))
    hits = tuple(Hit(id=f"h{k}", pad=k % 2, beat=beat, velocity=127) for k, beat in enumerate((0.0, 2.0, 3.75)))
    pattern = Pattern(id="p1", name="P", bars=1, hits=hits, feel=FeelUse(feel="f1", accent=0))
    pocket = Played().pocket().model_copy(update={"feels": {"f1": early}}).with_pattern(pattern)
    again, last = schedule(pocket, pattern), schedule(pocket, pattern, cyclic=False, follows=True)
    assert again.events[0].frame < 0
    renderer = Renderer(_Reader(Played()), RATE)
    heard, written = renderer.loop(plan(again)), renderer.passes(again, last, count)
    length = again.length
    # From silence: its first hit begins with the file.
    assert np.abs(written[:200]).max() > 0.5 * np.abs(heard[-round(0.05 * 60 / TEMPO * RATE) :]).max()
    for turn in range(1, count - 1):
        assert np.array_equal(written[turn * length : (turn + 1) * length], heard)
    wanted = [max(0, event.frame + turn * length) for turn in range(count) for event in again.events]
    assert sorted(event.frame for event in repeated(again, last, count).events) == sorted(wanted)


class _Reader:
    def __init__(self, record: Played) -> None:
        self.record = record

    def read(self, audio: str, start: int, end: int) -> Samples:
        out = np.zeros((end - start, 2), np.float32)
        first, last = max(0, start), min(len(self.record.sound), end)
        out[first - start : last - start] = self.record.sound[first:last]
        return out

    def frames(self, audio: str) -> int:
        return len(self.record.sound)
