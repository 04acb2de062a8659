"""Passages, clean hits and loops: on records whose mutes and parts are known."""

from __future__ import annotations

import json

import numpy as np
import pytest
import soundfile as sf

from grainpocket.core.listen import hearing
from grainpocket.core.listen.hearing import Hearing, hear, worth_by_grid
from grainpocket.core.listen.suggestions import NOTHING
from grainpocket.core.listen.tempo.grids import found_grid, moved
from grainpocket.core.pocket import Grid
from grainpocket.demo.author.singer import VOWELS, Syllable, sing
from grainpocket.demo.pocket import AUDIO
from tests.records import band, beats_of
from tests.signals import DRUMS, RATE


@pytest.fixture(scope="module")
def song() -> tuple[Hearing, dict]:
    sound, _ = sf.read(AUDIO / "Lantern street.flac", dtype="float32", always_2d=True)
    return hear(np.ascontiguousarray(sound.mean(axis=1)), RATE), json.loads((AUDIO / "truth.json").read_text())["Lantern street"]


def _bars(hearing: Hearing, kind: str, bar_s: float, count: int) -> set[int]:
    spans = [(p.start / RATE, p.end / RATE) for p in hearing.worth.passages if p.kind == kind]
    return {k for k in range(count) if any(a <= (k + 0.5) * bar_s < b for a, b in spans)}


def test_bare_drums_of_the_demo_song_to_the_bar(song: tuple[Hearing, dict]) -> None:
    heard, truth = song
    bar_s = 240 / truth["bpm"]
    assert _bars(heard, "bare drums", bar_s, truth["bars"]) == set(truth["bare drum bars"])
    assert _bars(heard, "no drums", bar_s, truth["bars"]) == set()
    for passage in heard.worth.passages:
        if passage.kind == "bare drums":
            assert passage.bars == round((passage.end - passage.start) / RATE / bar_s)
            assert abs(passage.start / RATE / bar_s - round(passage.start / RATE / bar_s)) < 0.02


def test_clean_hits_of_the_demo_song_are_where_nothing_else_plays(song: tuple[Hearing, dict]) -> None:
    heard, truth = song
    bare, bar_s = set(truth["bare drum bars"]), 240 / truth["bpm"]
    onsets = np.array([t for t, _, _ in truth["hits"]])
    for role in ("kick", "snare", "hat"):
        mine = [h for h in heard.worth.hits if h.role == role]
        assert len(mine) > 10
        # The first are cleaner than the rest.
        assert np.mean([h.cover_db for h in mine[:4]]) < np.mean([h.cover_db for h in mine]) - 3
        for hit in mine[:4]:
            assert int(hit.at / RATE / bar_s) in bare, role
            near = [r for t, r, _ in truth["hits"] if abs(t - hit.at / RATE) < 0.02]
            assert role in near
            # The span ends before anything else begins.
            later = onsets[onsets > hit.at / RATE + 0.06]
            assert hit.end / RATE < later.min(initial=1e9) + 0.002
            assert 0.06 <= (hit.end - hit.at) / RATE <= 0.7


def test_without_drums_and_with_drums_alone() -> None:
    beats = beats_of(100.0, 32, 0.0)
    quiet = band(beats, drums_from=16)
    rng = np.random.default_rng(1)
    only = np.zeros(len(quiet.out))
    for i, at in enumerate(beats[:16]):
        sound = DRUMS["kick" if i % 2 == 0 else "snare"](rng) * 0.7
        start = round(at * RATE)
        only[start : start + len(sound)] += sound
        for half in (0.0, 0.3):
            hat = DRUMS["hat"](rng) * 0.25
            start = round((at + half) * RATE)
            only[start : start + len(hat)] += hat
    # Four bars of drums, then four bars of everything else, then all of it.
    whole = np.concatenate((only[: 16 * 26460], quiet.out)).astype(np.float32)
    heard = hear((whole * 0.5 / np.abs(whole).max()).astype(np.float32), RATE)
    bars = 240 / 100.0
    assert _bars(heard, "bare drums", bars, 12) == {0, 1, 2, 3}
    assert _bars(heard, "no drums", bars, 12) == {4, 5, 6, 7}


@pytest.mark.parametrize("alone", [False, True])
def test_a_voice_is_marked_where_it_sings(alone: bool) -> None:
    """Over a band, or over nothing."""
    bpm, bars = 100.0, 12
    bar_s = 240 / bpm
    tape = band(beats_of(bpm, bars * 4, 0.0)).out * (0.0 if alone else 1.0)
    rng, at = np.random.default_rng(6), 4 * bar_s
    syllables = []
    while at < 8 * bar_s - 0.5:
        length = float(rng.choice([0.15, 0.25, 0.4]))
        syllables.append(Syllable(at, length, 55 + int(rng.choice([0, 2, 4, 7, 9])), str(rng.choice(list(VOWELS))), hard=True))
        at += length + 0.05
    sung = sing(syllables, len(tape) / RATE, 3)[: len(tape), 0]
    level = np.abs(tape).max() or 1.0
    mix = tape + 0.6 * level * np.pad(sung, (0, len(tape) - len(sung))) / np.abs(sung).max()
    heard = hear((0.5 * mix / np.abs(mix).max()).astype(np.float32), RATE)
    spans = [(p.start / RATE, p.end / RATE) for p in heard.worth.passages if p.kind == "voice"]
    marked = [k for k in range(bars) if any(a <= (k + 0.5) * bar_s < b for a, b in spans)]
    assert set(marked) >= {5, 6} if alone else {4, 5, 6, 7}
    assert set(marked) <= {4, 5, 6, 7}


@pytest.mark.parametrize("sound", [np.zeros(RATE * 5, np.float32), np.zeros(20, np.float32), np.zeros(0, np.float32)])
def test_nothing_is_found_in_nothing(sound: np.ndarray) -> None:
    heard = hear(sound, RATE)
    assert heard.worth == NOTHING


def test_a_phrase_that_comes_back_loops_best() -> None:
    """Four bars that come twice in a row, then other music: looping the first four is what the record itself does."""
    rng = np.random.default_rng(4)
    bpm, bar = 96.0, round(240 / 96.0 * RATE)
    out = np.zeros(12 * bar)
    steps = [
        [(0, "kick"), (4, "snare"), (10, "kick"), (12, "snare")],
        [(0, "kick"), (3, "kick"), (4, "snare"), (12, "snare"), (14, "snare")],
    ]
    for k in range(12):
        pattern = steps[(k // 2) % 2] if k < 8 else [(0, "kick"), (6, "kick"), (8, "snare")]
        for s in range(0, 16, 2):
            hat = DRUMS["hat"](rng) * 0.2
            start = k * bar + s * bar // 16
            out[start : start + len(hat)] += hat[: len(out) - start]
        for s, name in pattern:
            sound = DRUMS[name](rng) * 0.7
            start = k * bar + s * bar // 16
            out[start : start + len(sound)] += sound[: len(out) - start]
        t = np.arange(bar) / RATE
        pitch = (110, 98, 130.8, 87.3)[k % 4] if k < 8 else (73.4, 61.7, 73.4, 82.4)[k % 4]
        out[k * bar : (k + 1) * bar] += (
            0.1 * np.sin(2 * np.pi * pitch * t) * np.minimum(1, (t[-1] - t) / 0.02) * np.minimum(1, t / 0.01)
        )
    heard = hear((out * 0.6 / np.abs(out).max()).astype(np.float32), RATE)
    assert abs(heard.tempi[0].bpm / bpm - 1) < 1e-3
    best = next(one for one in heard.worth.loops if one.bars == 4)
    assert abs(best.start - 0) < 500
    assert abs(best.end - 4 * bar) < 500
    assert best.score > 0.7
    # A loop whose end runs into other music joins badly.
    assert all(one.score <= best.score for one in heard.worth.loops if one.bars == 4)
    spans = [(one.start, one.end) for one in heard.worth.loops]
    assert len(spans) == len(set(spans))


def test_a_trimmed_loop_is_a_loop_as_a_whole() -> None:
    sound, _ = sf.read(AUDIO / "Dockside break.flac", dtype="float32", always_2d=True)
    heard = hear(np.ascontiguousarray(sound.mean(axis=1)), RATE)
    first = heard.worth.loops[0]
    assert (first.start, first.end, first.bars) == (0, len(sound), 4)
    assert [p.kind for p in heard.worth.passages] == ["bare drums"]


def test_it_is_all_there_after_being_stored(song: tuple[Hearing, dict]) -> None:
    heard, _ = song
    again = Hearing.from_json(json.loads(json.dumps(heard.to_json())))
    assert again.worth == heard.worth
    assert again.moments is not None
    assert heard.moments is not None
    assert again.moments.seconds == heard.moments.seconds
    np.testing.assert_allclose(again.moments.odds, heard.moments.odds, atol=0.001)


def test_bars_that_a_hand_has_moved_are_the_bars(song: tuple[Hearing, dict], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(hearing, "moments", lambda *_: pytest.fail("what sounds when does not depend on the bars"))
    heard, truth = song
    sound, _ = sf.read(AUDIO / "Lantern street.flac", dtype="float32", always_2d=True)
    mono, asked = np.ascontiguousarray(sound.mean(axis=1)), []

    def samples() -> np.ndarray:
        asked.append(1)
        return mono

    found = found_grid(heard.tempi[0])
    assert worth_by_grid(heard, found, samples) is heard.worth
    assert worth_by_grid(heard, found.model_copy(update={"by": "hand"}), samples) is heard.worth
    assert not asked
    beat = round(60 / truth["bpm"] * RATE)
    later = moved(found, beat, heard.frames, RATE)
    worth = worth_by_grid(heard, later, samples)
    assert asked == [1]
    for span in [*worth.loops, *(p for p in worth.passages if p.start > 0)]:
        away = (span.start - later.bar_one) / (4 * beat)
        assert abs(away - round(away * 2) / 2) < 0.01
    assert worth.loops != heard.worth.loops
    # The same hits are there, whatever their bars are called.
    assert {h.at for h in worth.hits} == {h.at for h in heard.worth.hits}
    bare = worth_by_grid(heard, None, samples)
    assert bare.loops == ()
    assert all(p.bars == 0 for p in bare.passages)


def test_nothing_stays_nothing_whatever_its_grid() -> None:
    heard = hear(np.zeros(RATE * 3, np.float32), RATE)
    assert worth_by_grid(heard, Grid(bpm=100.0), lambda: pytest.fail("there is nothing to read")) == NOTHING


def test_a_record_without_a_pulse_has_loops_once_a_hand_has_laid_bars() -> None:
    rng = np.random.default_rng(6)
    t = np.arange(RATE * 16) / RATE
    # A chord that swells and falls and never strikes: nothing to find a tempo by, and the same again every four seconds.
    swell = 0.5 - 0.5 * np.cos(2 * np.pi * t / 4)
    sound = (0.1 * swell * sum(np.sin(2 * np.pi * hz * t) for hz in (220.0, 277.2, 329.6))).astype(np.float32)
    sound += (1e-4 * rng.standard_normal(len(sound))).astype(np.float32)
    heard = hear(sound, RATE)
    assert heard.tempi == ()
    assert heard.worth.loops == ()
    worth = worth_by_grid(heard, Grid(bpm=60.0, by="hand"), lambda: sound)
    assert worth.loops
    assert worth.loops[0].score > 0.8
    assert all(loop.start % (4 * RATE) == 0 and (loop.end - loop.start) == loop.bars * 4 * RATE for loop in worth.loops)
