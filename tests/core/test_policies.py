"""Every way to cut: where the places are, and that nothing of the sound is lost between them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.chop.kin import cuts_of, slices
from grainpocket.core.chop.phrases import phrases
from grainpocket.core.chop.policies import SLIVER_S, NoCuts, propose
from grainpocket.core.chop.snap import Snapper
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.cutting import LEAST_MOVED_S, AddCut, DeleteCuts, MoveCut, NameSlice, Recut, StepCut
from grainpocket.core.edits.gridding import SetGrid
from grainpocket.core.edits.pocket_wide import AddSource, SetPocket
from grainpocket.core.listen.hearing import Hearing, hear
from grainpocket.core.listen.tempo.grids import beat_of, lines, place_of
from grainpocket.core.mix.loop import Renderer
from grainpocket.core.pocket import Cutting, Grid, Pad, Pocket
from grainpocket.core.shape.voice import spec_of
from grainpocket.core.sound.audio import mono
from grainpocket.demo.author.singer import Syllable, sing
from tests.core.test_rebuild import Bench, OneRecord
from tests.signals import RATE, ArrayReader, drum_loop


class Records(OneRecord):
    """A library of several."""

    def __init__(self, **sounds: np.ndarray) -> None:
        self._reader = ArrayReader(**sounds)
        self._heard = {name: hear(mono(samples), RATE) for name, samples in sounds.items()}

    def hearing(self, audio: str) -> Hearing:
        return self._heard[audio]

    def read(self, audio: str, start: int, end: int) -> np.ndarray:
        return self._reader.read(audio, start, end)


@pytest.fixture
def bench() -> Bench:
    return Bench(drum_loop())


def places(bench: Bench, cutting: Cutting, **stretch: int) -> list[int]:
    source = bench.pocket.sources["s1"]
    return [p.at for p in propose(bench.pocket, source, cutting, bench.library, **stretch)]


def test_the_grid_cuts_where_the_beats_are(bench: Bench) -> None:
    frames, beats = bench.pocket.sources["s1"].frames, 8
    assert np.abs(np.array(places(bench, Cutting(by="grid", step=1.0))) - np.arange(8) * frames / beats).max() <= 2
    assert np.abs(np.array(places(bench, Cutting(by="grid", step=1 / 3))) - np.arange(24) * frames / 24).max() <= 2
    bars = places(bench, Cutting(by="grid", step=4.0))
    assert len(bars) == 2
    source = bench.pocket.sources["s1"].model_copy(update={"grid": None})
    with pytest.raises(NoCuts, match="no tempo"):
        propose(bench.pocket, source, Cutting(by="grid"), bench.library)


@settings(max_examples=40)
@given(st.integers(2, 60), st.integers(0, 10**6), st.lists(st.floats(-6, 70), min_size=1, max_size=8))
def test_beats_and_samples_of_a_drifting_grid_are_each_others_inverse(count: int, seed: int, beats: list[float]) -> None:
    rng = np.random.default_rng(seed)
    known = tuple(int(b) for b in 5000 + np.cumsum(rng.integers(15_000, 30_000, count)))
    for grid in (Grid(bpm=100, bar_one=4000), Grid(bpm=100, beats=known, bar_one=known[0])):
        at = np.array(beats)
        assert np.allclose(beat_of(grid, RATE, place_of(grid, RATE, at)), at, atol=1e-6)
    inside = lines(Grid(bpm=100, beats=known, bar_one=known[0]), known[-1] + 100, RATE, 1.0)
    assert set(known) <= set(inside.tolist()), "every beat of the performance is a line"


def test_equal_parts_of_a_find_and_of_a_stretch(bench: Bench) -> None:
    frames = bench.pocket.sources["s1"].frames
    assert places(bench, Cutting(by="parts", parts=7)) == [round(frames * k / 7) for k in range(7)]
    assert places(bench, Cutting(by="parts", parts=4), start=1000, end=41_000) == [1000, 11_000, 21_000, 31_000]
    with pytest.raises(NoCuts, match="too short"):
        places(bench, Cutting(by="parts", parts=256), start=0, end=5000)


def test_transients_of_some_drums_and_no_shorter_than_asked(bench: Bench) -> None:
    kicks = places(bench, Cutting(roles=("kick",)))
    truth = [at for at, name in zip(bench.loop.at, bench.loop.names, strict=True) if name == "kick"]
    assert len(kicks) == len(truth)
    assert np.abs(np.array(kicks) - np.array(truth)).max() < 0.006 * RATE
    apart = places(bench, Cutting(shortest=250))
    assert np.diff(apart).min() >= 0.25 * RATE
    assert len(apart) < len(places(bench, Cutting()))
    with pytest.raises(NoCuts, match="Raise the sensitivity"):
        places(bench, Cutting(roles=("vocal",)))


def test_chords_are_cut_where_they_change() -> None:
    t = np.arange(2 * RATE) / RATE
    chords = [(60, 64, 67), (65, 69, 72), (67, 71, 74), (60, 64, 67)]
    # Struck on every beat, so that there is one.
    since = t % 0.5
    envelope = np.minimum(1, since * 200) * np.exp(-since * 3)
    parts = [sum(np.sin(2 * np.pi * 440 * 2 ** ((k - 69) / 12) * h * t) / h for k in keys for h in (1, 2, 3)) for keys in chords]
    sound = np.concatenate([np.asarray(p) * envelope for p in parts]) * 0.1
    bench = Bench.__new__(Bench)
    record = np.repeat(sound[:, None], 2, axis=1).astype(np.float32)
    bench.library = OneRecord(record)
    bench.pocket = AddSource(name="Keys", audio="a", frames=len(record), channels=2).apply(Pocket(name="p"), bench.library)
    found = places(bench, Cutting(by="chords"))
    assert len(found) == 4
    assert np.abs(np.array(found) - np.arange(4) * 2 * RATE).max() < 0.02 * RATE, "each at the attack that begins it"


def test_phrases_go_from_breath_to_breath_and_have_endings() -> None:
    notes = [(0.3, 0.4), (0.75, 0.5), (2.1, 0.3), (2.45, 0.3), (2.8, 0.8), (4.6, 1.0)]
    syllables = [Syllable(at, length, 57 + 2 * (i % 3), "ah", hard=True) for i, (at, length) in enumerate(notes)]
    voice = sing(syllables, 6.5, 3, vibrato=0.1, breath=0.02)
    one = np.ascontiguousarray(voice.mean(axis=1)) if voice.ndim == 2 else voice
    one = np.asarray(one + 1e-4 * np.random.default_rng(1).standard_normal(len(one)), np.float32)
    found = phrases(one, RATE, hear(one, RATE).onsets.above(0.5))
    assert len(found) == 3
    for phrase, (start, ending) in zip(found, ((0.3, 0.75), (2.1, 2.8), (4.6, 4.6)), strict=True):
        assert abs(phrase.start / RATE - start) < 0.06
        assert abs(phrase.ending / RATE - ending) < 0.09, "where the last syllable begins"
        assert phrase.start <= phrase.ending < phrase.end
    steady = np.asarray(0.1 * np.random.default_rng(2).standard_normal(RATE * 2), np.float32)
    assert phrases(steady, RATE, np.zeros(0, np.int64)) == [], "nothing that never pauses"


def test_cuts_are_copied_by_beats_and_by_offset(bench: Bench) -> None:
    other = drum_loop(bpm=120.0, seed=4)
    bench.library = Records(a=bench.loop.samples, b=other.samples)
    bench.make(AddSource(name="Other", audio="b", frames=len(other.samples), channels=2))
    second = list(bench.pocket.sources)[-1]
    bench.make(SetGrid(source=second, bars=2))
    bench.make(NameSlice(source="s1", cut=bench.pocket.sources["s1"].cuts[3].id, name="Fourth"))
    ratio = len(other.samples) / bench.pocket.sources["s1"].frames
    by_beats = Cutting(by="copied", other="s1", align="beats")
    bench.make(Recut(source=second, cutting=by_beats))
    made = bench.pocket.sources[second].cuts
    assert np.abs(np.array([c.at for c in made]) - bench.cuts * ratio).max() <= 3
    assert made[3].name == "Fourth"
    bench.make(Recut(source=second, cutting=Cutting(by="copied", other="s1", align="offset", offset=500)))
    expected = [c - 500 for c in bench.cuts.tolist() if 0 <= c - 500 < len(other.samples) - SLIVER_S * RATE]
    assert [c.at for c in bench.pocket.sources[second].cuts] == sorted({0, *expected}), "the copied name does not hold its cut"
    with pytest.raises(Refusal, match="Choose the find"):
        bench.make(Recut(source=second, cutting=Cutting(by="copied")))


def test_a_stretch_alone_is_cut_anew_and_what_is_yours_stays(bench: Bench) -> None:
    before = [c.at for c in bench.pocket.sources["s1"].cuts]
    own = bench.pocket.sources["s1"].cuts[4]
    bench.make(MoveCut(source="s1", cut=own.id, at=own.at + 300))
    bench.make(Recut(source="s1", cutting=Cutting(by="parts", parts=5), start=0, end=60_000))
    after = bench.pocket.sources["s1"].cuts
    outside = [at for at in before if at >= 60_000 and at != own.at]
    assert [c.at for c in after if c.at > 60_064] == outside, "behind the stretch nothing changed"
    assert {0, 12_000, 24_000, 36_000, 48_000, 60_000} <= {c.at for c in after}
    assert own.id in {c.id for c in after}, "the cut moved by hand stayed"
    bench.make(Recut(source="s1", cutting=Cutting(by="parts", parts=5), keep_hand=False))
    assert own.id not in {c.id for c in bench.pocket.sources["s1"].cuts}


@pytest.mark.parametrize("by", ["transients", "grid", "parts"])
@pytest.mark.parametrize("snap", ["off", "attack", "quiet"])
def test_slices_laid_end_to_end_are_the_record(bench: Bench, by: str, snap: str) -> None:
    cutting = Cutting.model_validate({"by": by, "snap": snap, "step": 0.5, "parts": 11})
    bench.make(Recut(source="s1", cutting=cutting, keep_hand=False))
    record, chops = bench.loop.samples, slices(bench.pocket, bench.pocket.sources["s1"])
    assert chops[0].start == 0
    assert np.array_equal(np.concatenate([record[c.start : c.end] for c in chops]), record)
    # With the default fades, as hits one after the other: what is lost lies 60 dB down, and no join jumps.
    bench.make(SetPocket(fade_in_edge=0.0, fade_out_edge=0.0))
    renderer = Renderer(ArrayReader(a=record), RATE)
    bare = np.concatenate([renderer.voice(spec_of(bench.pocket, Pad(name="x", chop=c))) for c in chops])
    inside = np.ones(len(record), bool)
    for c in chops:
        inside[c.start : c.start + 8] = False
    assert np.array_equal(bare[inside], record[inside]), "bit for bit but for the ramp of what starts in the open"


def test_a_cut_by_hand_snaps_to_attacks_quiet_points_and_lines(bench: Bench) -> None:
    source, attack = bench.pocket.sources["s1"], int(bench.cuts[3])
    snapper = Snapper(bench.library.hearing("a"), source, RATE, bench.library)
    assert abs(snapper.snap(attack + 900, "attack") - attack) <= 1
    assert snapper.snap(attack + 2500, "attack") == attack + 2500, "too far to be meant"
    for at in (attack + 3000, attack - 700):
        quiet = snapper.snap(at, "quiet")
        size = np.abs(bench.loop.samples).sum(axis=1)
        assert abs(quiet - at) <= 0.002 * RATE + 1
        assert size[quiet] <= size[at]
    assert snapper.snap(attack - 20, "quiet") <= attack, "never behind the attack's start"
    beat = source.frames / 8
    assert abs(snapper.snap(round(3 * beat) + 4000, "grid", 1.0) - 3 * beat) <= 1
    there = min(source.cuts, key=lambda c: abs(c.at - 3 * beat))
    bench.make(DeleteCuts(source="s1", cuts=(there.id,)))
    bench.make(AddCut(source="s1", at=round(2.5 * beat) + 800, snap="grid"))
    assert any(abs(c.at - 3 * beat) <= 1 for c in cuts_of(bench.pocket, bench.pocket.sources["s1"]))


def test_an_edge_goes_from_transient_to_transient_and_stops_short_of_its_neighbours(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    gone = cuts[5]
    bench.make(DeleteCuts(source="s1", cuts=(gone.id,)))
    bench.make(StepCut(source="s1", cut=cuts[4].id, way=1))
    at = {c.id: c.at for c in bench.pocket.sources["s1"].cuts}
    assert abs(at[cuts[4].id] - gone.at) <= 1
    bench.make(StepCut(source="s1", cut=cuts[4].id, way=1))
    assert next(c.at for c in bench.pocket.sources["s1"].cuts if c.id == cuts[4].id) == cuts[6].at - round(LEAST_MOVED_S * RATE)
    bench.make(StepCut(source="s1", cut=cuts[4].id, way=-1))
    assert abs(next(c.at for c in bench.pocket.sources["s1"].cuts if c.id == cuts[4].id) - gone.at) <= 1
    with pytest.raises(Refusal, match="no transient"):
        bench.make(StepCut(source="s1", cut=cuts[0].id, way=-1))
