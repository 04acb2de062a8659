"""Chords by name and by ear, and notes by chords: placed, turned over, broken up, snapped, taken along."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.document.sound import Sound
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.chords import BreakChords, PlaceChord, SetChords, SnapNotes, TakeChords, TurnChords
from grainpocket.core.edits.moving import CopyRhythm, PlaceHits, StretchHits
from grainpocket.core.notes import CHORDS, chord_name, chord_of
from grainpocket.core.pocket import Chop, ChordAt, Hit, Key, Pad, Pattern, Pocket, Source
from grainpocket.core.rhythm import melody
from grainpocket.core.rhythm.chord_fit import chord_fits
from grainpocket.core.sound.audio import Samples
from tests.signals import RATE

BARS = 4


def pocket(*hits: Hit, chords: tuple[ChordAt, ...] = (), key: Key | None = None) -> Pocket:
    source = Source(id="s1", name="Tone", audio="a", frames=20 * RATE, channels=2)
    pads = {i: Pad(name=f"Pad {i}", chop=Chop(source="s1", start=0, end=8 * RATE), sound=Sound(root=60)) for i in range(3)}
    named = tuple(hit.model_copy(update={"id": f"h{i}"}) for i, hit in enumerate(hits))
    pattern = Pattern(id="p1", name="P", bars=BARS, hits=named, chords=chords)
    return Pocket(name="p", tempo=120, key=key, sources={"s1": source}, pads=pads, patterns={"p1": pattern}, next_id=100)


def after(start: Pocket, edit: object) -> Pattern:
    return edit.apply(start, None).patterns["p1"]  # type: ignore[attr-defined, no-any-return]


def notes(pattern: Pattern, pad: int = 0) -> list[tuple[float, int]]:
    return [(hit.beat, hit.note) for hit in pattern.hits if hit.pad == pad]


def in_words(pattern: Pattern) -> str:
    bars = [[one for one in pattern.chords if one.beat // 4 == bar] for bar in range(pattern.bars)]
    return " | ".join(" ".join(chord_name(one.tonic, one.kind) for one in bar) or "%" for bar in bars)


def test_names_of_chords_come_back() -> None:
    for kind in CHORDS:
        for tonic in range(12):
            assert chord_of(chord_name(tonic, kind)) == (tonic, kind)
    assert chord_of("C#m7") == chord_of("dbm7") == (1, "minor 7")
    assert chord_of("H") is None
    assert chord_of("Cxyz") is None


def test_chords_are_typed_bar_by_bar() -> None:
    typed = after(pocket(), SetChords(pattern="p1", typed="Dm Bb | C | %"))
    assert [(one.beat, chord_name(one.tonic, one.kind)) for one in typed.chords] == [
        (0, "Dm"),
        (2, "Bb"),
        (4, "C"),
        (12, "Dm"),
        (14, "Bb"),
    ]
    assert in_words(typed) == "Dm Bb | C | % | Dm Bb"
    by_spaces = after(pocket(), SetChords(pattern="p1", typed="Dm7 G7"))
    assert [one.beat for one in by_spaces.chords] == [0, 4, 8, 12]
    assert after(pocket(chords=typed.chords), SetChords(pattern="p1", typed="")).chords == ()
    with pytest.raises(Refusal, match="Xm is no chord"):
        after(pocket(), SetChords(pattern="p1", typed="Xm"))


def test_a_chord_is_placed_by_name_or_by_the_line() -> None:
    start = pocket(chords=(ChordAt(beat=0, tonic=9, kind="minor"), ChordAt(beat=8, tonic=5, kind="major")))
    line = after(start, PlaceChord(pattern="p1", pad=0, beat=2))
    assert notes(line) == [(2, -3), (2, 0), (2, 4)]
    turned = after(start, PlaceChord(pattern="p1", pad=0, beat=8, inversion=1, length=100))
    assert notes(turned) == [(8, 9), (8, 12), (8, 17)]
    assert {hit.length for hit in turned.hits} == {8}
    assert notes(after(pocket(), PlaceChord(pattern="p1", pad=0, beat=0, name="Csus4"))) == [(0, 0), (0, 5), (0, 7)]
    with pytest.raises(Refusal, match="No chord holds"):
        after(pocket(), PlaceChord(pattern="p1", pad=0, beat=0))


def chord(beat: float, *of: int, length: float = 1.0) -> tuple[Hit, ...]:
    return tuple(Hit(pad=0, beat=beat, note=note, length=length) for note in of)


def test_turned_over_up_and_down_again() -> None:
    start = pocket(*chord(0, 0, 4, 7), *chord(4, 2, 5, 9))
    up = after(start, TurnChords(pattern="p1"))
    assert notes(up) == [(0, 4), (0, 7), (0, 12), (4, 5), (4, 9), (4, 14)]
    down = after(start.with_pattern(up), TurnChords(pattern="p1", up=False))
    assert notes(down) == notes(start.patterns["p1"])


def test_a_chord_is_broken_up_for_as_long_as_it_lasts() -> None:
    start = pocket(*chord(0, 0, 4, 7, length=2), *chord(4, 2, 5, length=0.25))
    up = after(start, BreakChords(pattern="p1", step=0.5))
    assert notes(up)[:4] == [(0, 0), (0.5, 4), (1, 7), (1.5, 0)]
    assert [beat for beat, _ in notes(up)[4:]] == [4 + 0.5 * i for i in range(24)]
    assert {hit.length for hit in up.hits} == {0.5}
    assert len({hit.id for hit in up.hits}) == len(up.hits)
    both = after(start, BreakChords(pattern="p1", step=0.5, order="up and down", hits=("h0", "h1", "h2")))
    assert [note for beat, note in notes(both) if beat < 2] == [0, 4, 7, 4]


def test_notes_go_to_the_nearest_that_fits() -> None:
    chords = (ChordAt(beat=0, tonic=0, kind="major"), ChordAt(beat=4, tonic=9, kind="minor"))
    start = pocket(
        *(Hit(pad=0, beat=b, note=n) for b, n in ((0, 1), (1, 5), (4, 1), (5, -2))), chords=chords, key=Key(tonic=0, mode="major")
    )
    assert [note for _, note in notes(after(start, SnapNotes(pattern="p1")))] == [0, 4, 0, -3]
    assert [note for _, note in notes(after(start, SnapNotes(pattern="p1", to="key")))] == [0, 5, 0, -3]
    with pytest.raises(Refusal, match="no key"):
        after(pocket(Hit(pad=0, beat=0)), SnapNotes(pattern="p1", to="key"))


@given(st.lists(st.integers(-24, 24), min_size=1, max_size=12), st.sampled_from(sorted(CHORDS)), st.integers(0, 11))
def test_what_is_snapped_lies_in_the_chord_and_no_further_off_than_it_must(played: list[int], kind: str, tonic: int) -> None:
    one = ChordAt(beat=0, tonic=tonic, kind=kind)
    hits = [Hit(pad=0, beat=float(i), note=note) for i, note in enumerate(played)]
    classes = melody.classes_of(one)
    for before, now in zip(hits, melody.snapped(hits, 60, lambda beat: classes), strict=True):
        assert (60 + now.note) % 12 in classes
        assert abs(now.note - before.note) == min(abs(n - before.note) for n in range(-40, 40) if (60 + n) % 12 in classes)


def test_the_same_with_other_chords() -> None:
    before = (ChordAt(beat=0, tonic=0, kind="major"), ChordAt(beat=4, tonic=7, kind="7"))
    tune = [*chord(0, 0, 4, 7), *chord(4, -5, -1, 2, 5), Hit(pad=1, beat=0, velocity=90), Hit(pad=0, beat=1, note=2)]
    start = pocket(*tune, chords=before)
    other = after(start, SetChords(pattern="p1", typed="Am | F7 | F7 | F7", follow=True))
    assert [(60 + n) % 12 for b, n in notes(other) if b == 0] == [9, 0, 4]
    assert sorted((60 + n) % 12 for b, n in notes(other) if b == 4) == sorted([5, 9, 0, 3])
    # What was a second over the tonic still is; a drum is none of its business.
    assert [(60 + n) % 12 for b, n in notes(other) if b == 1] == [11]
    assert notes(other, pad=1) == [(0, 0)]
    back = after(start.with_pattern(other), SetChords(pattern="p1", typed="C | G7 | G7 | G7", follow=True))
    classes = lambda pattern: sorted((beat, (60 + note) % 12) for beat, note in notes(pattern))  # noqa: E731
    assert classes(back) == classes(start.patterns["p1"])


def test_chords_that_are_played_are_known() -> None:
    start = pocket(*chord(0, 0, 4, 7, length=4), *chord(4, 2, 5, 9), *chord(8, -5, -1, 2, 5), *chord(12, 0, 4, 7))
    found = after(start, TakeChords(pattern="p1", pad=0))
    assert in_words(found) == "C | Dm | G7 | C"
    with pytest.raises(Refusal, match="plays nothing"):
        after(start, TakeChords(pattern="p1", pad=1))


def _sung(*keys: int) -> Samples:
    """Two seconds of each note, with overtones."""
    t = np.arange(2 * RATE) / RATE
    each = [sum(np.sin(2 * np.pi * 440 * 2 ** ((key - 69) / 12) * k * t) / k for k in range(1, 6)) for key in keys]
    return np.asarray(0.2 * np.concatenate(each)[:, None].repeat(2, axis=1), np.float32)


def test_a_sung_chop_is_held_against_the_chords_bar_by_bar() -> None:
    # E, E, E flat, B over four bars of C, C, Cm, G: all fit; over C, C, C, F the third lies a semitone under, the last between.
    sound = _sung(64, 64, 63, 71)
    start = pocket(Hit(pad=0, beat=0))

    def fits(typed: str) -> list[tuple[str, int]]:
        line = after(start, SetChords(pattern="p1", typed=typed))
        found = chord_fits(start.with_pattern(line), line, 0, lambda audio, a, b: sound[a:b])
        assert all(one.hits == ("h0",) and one.shifted >= one.fit for one in found)
        return [(one.chord, one.shift) for one in found]

    assert fits("C C Cm G") == [("C", 0), ("C", 0), ("Cm", 0), ("G", 0)]
    assert fits("C C C F") == [("C", 0), ("C", 0), ("C", 1), ("F", 1)]


def test_a_rhythm_is_copied_to_another_lane() -> None:
    start = pocket(Hit(pad=0, beat=0, note=3, velocity=90), Hit(pad=0, beat=1.37, note=7, length=2), Hit(pad=1, beat=3))
    made = after(start, CopyRhythm(pattern="p1", pad=0, to=(1,), velocity=70))
    assert notes(made, 1) == [(0, 3), (1.37, 7)]
    assert {hit.velocity for hit in made.hits if hit.pad == 1} == {70}
    plain = after(start, CopyRhythm(pattern="p1", pad=0, to=(1, 2), notes=False, replace=False))
    assert notes(plain, 1) == [(0, 0), (1.37, 0), (3, 0)]


def test_hits_are_stretched_about_a_beat() -> None:
    start = pocket(*(Hit(pad=0, beat=b, length=0.5) for b in (4, 5, 6)), Hit(pad=1, beat=5))
    made = after(start, StretchHits(pattern="p1", pads=(0,), factor=2, about=4))
    assert [(h.beat, h.length) for h in made.hits if h.pad == 0] == [(4, 1), (6, 1), (8, 1)]
    assert notes(made, 1) == [(5, 0)]


def test_one_chop_so_many_times_at_the_end() -> None:
    start = pocket(*(Hit(pad=1, beat=b) for b in (0, 11.75, 12, 14)))
    made = after(start, PlaceHits(pattern="p1", pad=0, rule="end", count=4, every=4))
    assert [(hit.pad, hit.beat) for hit in made.hits] == [(1, 0), (1, 11.75), (0, 12), (0, 13), (0, 14), (0, 15)]
