"""What the networks of moments are taught: songs mixed in known ways, and what is said to sound in them."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from scipy import signal

from bench.truth.grooves import Song
from bench.truth.synth import RATE
from grainpocket.core.listen.passages.activity import PER_MOMENT
from training.listen import activity, parts, people

BARS, BAR_S = 8, 0.75
HERTZ = {"bass": 110.0, "keys": 440.0}
SIZE = 882


def steady(level: float, seconds: float = 4.0) -> np.ndarray:
    """(n, 2) of noise whose mean power is so many decibels."""
    noise = np.random.default_rng(round(-level)).standard_normal((round(seconds * RATE), 2)) * 10 ** (level / 20)
    return np.asarray(noise, np.float32)


@pytest.fixture(scope="module")
def song() -> Song:
    """Drums of three roles, a bass and keys that never pause."""
    rng, frames = np.random.default_rng(1), round(BARS * BAR_S * RATE)
    t = np.arange(frames) / RATE
    apart, hits = {}, []
    for role, note, place in (("kick", 36, 0.0), ("snare", 38, 0.25), ("hat", 42, 0.5), ("perc", 61, 0.6)):
        sound = np.zeros((frames, 2), np.float32)
        for k in range(BARS):
            at = k * BAR_S + place
            first = round(at * RATE)
            sound[first : first + 4000] += 0.3 * rng.standard_normal((4000, 1)) * np.exp(-np.arange(4000) / 900)[:, None]
            hits.append((at, note, 100))
        apart[role] = sound
    music = {n: np.repeat(0.1 * np.sin(2 * np.pi * hz * t)[:, None], 2, axis=1).astype(np.float32) for n, hz in HERTZ.items()}
    drums = np.asarray(sum(apart.values()), np.float32)
    bars = [k * BAR_S for k in range(BARS)]
    return Song({"drums": drums, **music}, apart, sorted(hits), [], bars, bars, [], "C major", 80.0, (1, 4), "test")


def test_of_songs_mixed_by_part_the_bass_often_plays_alone() -> None:
    alone, silent = [], []
    for seed in range(40):
        play = {name: np.ones(64, bool) for name in ("drums", "bass", "keys", "lead")}
        parts._by_part(play, np.random.default_rng(seed))
        assert play["drums"].all()
        music = np.stack([play[name] for name in ("bass", "keys", "lead")])
        alone.append((music[0] & ~music[1:].any(axis=0)).mean())
        silent.append((~music.any(axis=0)).mean())
    assert 0.2 < np.mean(alone) < 0.5, "by chance it would be a tenth"
    assert 0.02 < np.mean(silent) < 0.15
    play = {"drums": np.ones(8, bool), "other": np.ones(8, bool)}
    parts._by_part(play, np.random.default_rng(0))
    assert play["drums"].all(), "a song without a bass has other parts"


@pytest.mark.parametrize("seed", range(12))
def test_what_is_said_to_be_muted_is_silent_and_all_else_sounds(song: Song, seed: int) -> None:
    mix = parts.remixed(song, np.random.default_rng(seed), by_part=seed % 2 == 1)
    drums, music, voice = mix.groups
    assert not voice.any()
    assert len(mix.sound) == len(song.mix)
    assert np.isfinite(mix.sound).all()
    for k in range(BARS):
        a, b = k * BAR_S + 0.05, (k + 1) * BAR_S - 0.05
        inside = slice(round(a * RATE), round(b * RATE))
        for group, mutes in ((music, mix.bare), (drums, mix.drumless)):
            muted = any(first <= a and b <= last for first, last in mutes)
            assert (np.abs(group[inside]).max() < 1e-6) == muted
    # Of what is under a hit, nothing is said where the drums are muted.
    for told in mix.covers.values():
        assert not any(a <= at < b for at, _ in told for a, b in mix.drumless)


def test_what_is_bent_stays_near_its_note_and_drums_are_left_alone(song: Song) -> None:
    bent = 0
    for seed in range(6):
        other = activity.bent(song, np.random.default_rng(seed))
        np.testing.assert_array_equal(other.parts["drums"], song.parts["drums"])
        for name, hertz in HERTZ.items():
            made = other.parts[name][RATE // 4 : -RATE // 4, 0]
            phase = np.unwrap(np.angle(signal.hilbert(made)))
            # A tenth of a period of the slowest vibrato at a time.
            pace = (phase[1000:-1000][1100:] - phase[1000:-1000][:-1100]) / 1100 * RATE / (2 * np.pi)
            cents = 1200 * np.log2(pace / hertz)
            assert np.abs(cents).max() < 75
            assert abs(cents.mean()) < 3
            bent += np.abs(cents).max() > 4
    assert 0 < bent < 12, "some, not all"


def test_half_of_the_mixes_have_a_voice_or_there_are_half_as_many(song: Song, monkeypatch: pytest.MonkeyPatch) -> None:
    sung = steady(-10.0, len(song.mix) / RATE)[: len(song.mix)]
    monkeypatch.setattr(activity, "somebody", lambda *_: sung)
    some = list(activity.mixes(song, np.random.default_rng(3), True, False))
    assert [bool(voice.any()) for _, (_, _, voice) in some] == [False] * 5 + [True] * 5
    for heard, groups in some:
        assert heard.shape == song.mix.shape
        assert np.isfinite(heard).all()
        assert all(g.shape == heard.shape for g in groups)
    unsung = list(activity.mixes(song, np.random.default_rng(3), False, False))
    assert len(unsung) == activity.MIXES // 2
    assert not any(voice.any() for _, (_, _, voice) in unsung)


def test_drums_alone_music_alone_and_voices_alone_are_among_the_mixes(song: Song, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(activity, "somebody", lambda *_: steady(-10.0, len(song.mix) / RATE)[: len(song.mix)])
    seen = set()
    for seed in range(8):
        for _, groups in activity.mixes(song, np.random.default_rng(seed), True, False):
            seen.add(tuple(bool(g.any()) for g in groups))
    assert {(True, True, True), (True, True, False), (True, False, False), (False, True, True)} <= seen


def test_levels_are_of_each_group_against_the_loudest_of_all() -> None:
    count = 4 * RATE // SIZE
    both = activity.level_db((steady(-20.0), steady(-26.0), steady(-300.0)), count, SIZE)
    assert both.shape == (count, 3)
    np.testing.assert_allclose(both[:, 0] - both[:, 1], 6.0, atol=1.5)
    assert both[:, 0].max() < 0
    assert (both[:, 2] == activity.SILENT_DB).all()
    alone = activity.level_db((steady(-20.0), steady(-300.0), steady(-300.0)), count + 2, SIZE)
    assert alone[:, 0].max() == pytest.approx(0, abs=1e-3)
    assert alone[-1, 0] == activity.SILENT_DB, "past the end of the sound"


def test_a_group_sounds_is_absent_or_nobody_can_say() -> None:
    length = 40 * PER_MOMENT
    for group, (sounds, absent) in enumerate(zip(activity.SOUNDS_DB, activity.ABSENT_DB, strict=True)):
        for under, expected in ((0.0, 1), (sounds + 3, 1), ((sounds + absent) / 2, -1), (absent - 3, 0)):
            level = np.full((length, 3), -10.0)
            level[:, group] += under
            # One other group alone beside it, the third is silent.
            level[:, (group + 1) % 3] = activity.SILENT_DB
            told = activity.truth(level)
            assert told.shape == (3, 40)
            assert (told[group] == expected).all(), (group, under)
            assert (told[(group + 1) % 3] == 0).all()


def test_the_edge_of_a_phrase_is_told_on_neither_side() -> None:
    level = np.full((60 * PER_MOMENT, 3), activity.SILENT_DB)
    level[:, 1] = -10
    level[30 * PER_MOMENT :, 2] = -12
    told = activity.truth(level)[2]
    assert (told[:27] == 0).all()
    assert (told[33:] == 1).all()
    turns = [(a, b) for a, b in itertools.pairwise(told[told >= 0]) if a != b]
    assert turns == [(0, 1)]


def test_scales() -> None:
    assert people.scale(0, minor=False) == {0, 2, 4, 5, 7, 9, 11}
    assert people.scale(9, minor=True) == people.scale(0, minor=False), "the relative minor"
    assert all(len(people.scale(k, minor)) == 7 for k in range(12) for minor in (False, True))
