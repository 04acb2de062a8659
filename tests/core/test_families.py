"""Which finds belong together, and finds made to fit the pocket."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from grainpocket.core.chop.kin import cuts_of
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.family import JoinFamily, LeaveFamily
from grainpocket.core.edits.pocket_wide import AddSource, RemoveSource, SetKey
from grainpocket.core.listen.harmony.chords import Key as FoundKey
from grainpocket.core.listen.measures.alignment import align
from grainpocket.core.pocket import Grid, Key, Kin, Pocket, Source
from grainpocket.core.shape.fit import Fit, fit_of, fitted
from tests.core.test_rebuild import Bench
from tests.records import band, beats_of
from tests.signals import RATE, drum_loop


@pytest.fixture(scope="module")
def stems() -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """(mix, drums, the rest) of twelve seconds."""
    beats = beats_of(100.0, 20, 0.1)
    rest = band(beats, weak=True).out[: 12 * RATE]
    drums = (band(beats, seed=9).out - band(beats, drums_from=99, seed=9).out)[: 12 * RATE]
    return tuple(np.asarray(0.4 * x, np.float32) for x in (rest + drums, drums, rest))  # type: ignore[return-value]


@settings(max_examples=10)
@given(st.integers(-2 * RATE, 3 * RATE), st.booleans())
def test_a_stem_is_found_in_its_mix_to_the_sample(stems: tuple, offset: int, drums: bool) -> None:
    mix, part = stems[0], stems[1 if drums else 2]
    # The stem's file begins `offset` samples after the mix's (or before it, in silence).
    piece = part[offset:] if offset >= 0 else np.concatenate((np.zeros(-offset, np.float32), part))
    found = align(mix, piece, RATE)
    assert found is not None
    assert found.offset == offset
    assert found.related


def test_other_music_is_not_family(stems: tuple) -> None:
    rng = np.random.default_rng(2)
    noise = (0.1 * rng.standard_normal(8 * RATE)).astype(np.float32)
    found = align(stems[0], noise, RATE)
    assert found is not None
    assert not found.related
    assert align(stems[0], np.zeros(RATE * 3, np.float32), RATE) is None
    assert align(stems[0], stems[1][:100], RATE) is None


def three(bench: Bench) -> None:
    for _ in range(2):
        bench.make(AddSource(name="Loop", audio="loop", frames=bench.pocket.sources["s1"].frames, channels=2))


def ids(bench: Bench) -> list[str]:
    return list(bench.pocket.sources)


def test_joining_and_leaving() -> None:
    bench = Bench(drum_loop())
    three(bench)
    a, b, c = ids(bench)
    bench.make(JoinFamily(source=c, root=b, offset=100, likeness=0.5))
    bench.make(JoinFamily(source=b, root=a, offset=-30))
    kin = {k: s.kin for k, s in bench.pocket.sources.items()}
    assert kin[a] is None
    assert kin[b] == Kin(root=a, kind="stem", offset=-30)
    assert kin[c] == Kin(root=a, kind="stem", offset=70, likeness=0.5), "the stem of a stem comes along"
    with pytest.raises(Refusal, match="already"):
        bench.make(JoinFamily(source=a, root=b, offset=0))
    with pytest.raises(Refusal, match="outside"):
        bench.make(JoinFamily(source=b, root=a, offset=10**9))
    bench.make(LeaveFamily(source=c))
    assert bench.pocket.sources[c].kin is None
    with pytest.raises(Refusal, match="belongs to no other"):
        bench.make(LeaveFamily(source=c))
    bench.make(RemoveSource(source=a))
    assert bench.pocket.sources[b].kin is None, "nothing points to what is gone"


def test_what_joins_the_copy_of_a_stem_joins_the_mix() -> None:
    bench = Bench(drum_loop())
    three(bench)
    mix, stem, other = ids(bench)
    bench.make(JoinFamily(source=stem, root=mix, offset=40))
    frames = bench.pocket.sources[stem].frames
    bench.make(AddSource(name="Stem, cleaned", audio="loop", frames=frames, channels=2, kin=Kin(root=stem, kind="cleaned")))
    copy = ids(bench)[-1]
    bench.make(JoinFamily(source=other, root=copy, offset=5))
    assert bench.pocket.sources[other].kin == Kin(root=mix, kind="stem", offset=45)
    with pytest.raises(Refusal, match="already"):
        bench.make(JoinFamily(source=mix, root=copy, offset=0))


def test_a_print_takes_on_the_time_line_of_its_record() -> None:
    bench = Bench(drum_loop())
    first = bench.pocket.sources["s1"]
    bench.make(AddSource(name="Loop, cleaned", audio="loop", frames=first.frames, channels=2, kin=Kin(root="s1", kind="cleaned")))
    made = bench.pocket.sources[ids(bench)[-1]]
    assert not made.cuts
    assert cuts_of(bench.pocket, made) == first.cuts, "one time line for both"
    assert made.grid == first.grid
    assert made.kin == Kin(root="s1", kind="cleaned")
    bench.make(AddSource(name="Late", audio="loop", frames=first.frames, channels=2, kin=Kin(root="s99", kind="cleaned")))
    assert bench.pocket.sources[ids(bench)[-1]].kin is None, "the record went while it was printed"


def source(bpm: float) -> Source:
    return Source(id="s1", name="A", audio="a", frames=RATE, channels=2, grid=Grid(bpm=bpm))


@pytest.mark.parametrize(
    ("bpm", "tempo", "speed"), [(88, 88, 1.0), (88, 100, 100 / 88), (176, 90, 180 / 176), (60, 125, 62.5 / 60), (90, 130, 65 / 90)]
)
def test_the_nearest_octave_of_the_tempo(bpm: float, tempo: float, speed: float) -> None:
    fit = fit_of(source(bpm), (), None, Pocket(name="P", tempo=tempo), True, True)
    assert fit.speed == pytest.approx(speed)
    assert fit.semitones is None


@pytest.mark.parametrize(
    ("found", "wanted", "steps"),
    [
        ((9, "minor"), (9, "minor"), 0.0),
        ((9, "minor"), (0, "major"), 0.0),
        ((0, "major"), (2, "major"), 2.0),
        ((2, "minor"), (9, "minor"), -5.0),
        ((0, "major"), (6, "major"), 6.0),
        ((4, "minor"), (0, "major"), 5.0),
    ],
)
def test_the_nearest_way_to_the_key(found: tuple[int, str], wanted: tuple[int, str], steps: float) -> None:
    pocket = Pocket(name="P", key=Key(tonic=wanted[0], mode=wanted[1]))  # type: ignore[arg-type]
    key = FoundKey(found[0], found[1], 0.8)
    assert fit_of(source(90), (key,), None, pocket, False, True) == Fit(None, steps)
    assert fit_of(source(90), (key,), 20.0, pocket, False, True).semitones == pytest.approx(steps - 0.2)
    assert fit_of(source(90), (FoundKey(found[0], found[1], 0.1),), None, pocket, False, True).semitones is None


def test_fitting_keeps_the_beat_and_moves_the_pitch() -> None:
    t = np.arange(4 * RATE) / RATE
    tone = np.repeat((0.3 * np.sin(2 * np.pi * 440 * t))[:, None], 2, axis=1).astype(np.float32)
    out = fitted(tone, RATE, Fit(1.25, 3.0))
    assert len(out) == round(len(tone) / 1.25)
    assert np.isfinite(out).all()
    spectrum = np.abs(np.fft.rfft(out[RATE : 2 * RATE, 0] * np.hanning(RATE)))
    assert abs(1200 * np.log2(np.argmax(spectrum) / (440 * 2**0.25))) < 5
    assert abs(np.sqrt(np.mean(out[RATE : 2 * RATE] ** 2)) / np.sqrt(np.mean(tone**2)) - 1) < 0.1
    loop = drum_loop(bpm=100, bars=2)
    slower = fitted(loop.samples, RATE, Fit(0.8, None))
    for at in loop.at[1:]:
        place = round(at / 0.8)
        near = np.abs(slower[max(0, place - 1500) : place + 2500, 0])
        before = np.abs(slower[max(0, place - 4000) : max(1, place - 2000), 0])
        assert near.max() > 1.2 * before.max(initial=1e-6), "each hit is where the slower beat has it"
    assert fitted(tone, RATE, Fit(None, None)) is tone


def test_the_key_of_a_pocket_is_set_and_taken_away() -> None:
    bench = Bench(drum_loop())
    bench.make(SetKey(key=Key(tonic=2, mode="minor")))
    assert bench.pocket.key == Key(tonic=2, mode="minor")
    bench.make(SetKey(key=None))
    assert bench.pocket.key is None
