"""What the networks of passages and of clean hits see of rendered songs, with what is true.

    python -m training.listen.parts OUT.npz --seed 1 --songs 60

Songs have known mutes and known parts; a voice that speaks or sings comes and goes over half of them.
"""

from __future__ import annotations

import argparse
import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from bench.truth import colour, cover, grooves
from bench.truth.kits import Kit
from bench.truth.synth import RATE, Wave
from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.drums import clean_hits, templates
from grainpocket.core.listen.harmony.chroma import chroma
from grainpocket.core.listen.onsets.classifier import looks
from grainpocket.core.listen.passages import passages
from grainpocket.core.listen.spectra.bands import analyse
from grainpocket.demo.author.singer import VOWELS, Syllable, sing
from training.listen import people
from training.listen.sources import all_kits, speech

MATCH_S, FADE_S = 0.025, 0.01
# The share of the sections, in songs that are mixed by part, in which one part plays alone, and how often that is the bass.
LONE, LONE_BASS = 0.35, 0.7
Span = tuple[float, float]


@dataclass(frozen=True)
class Mix:
    """sound: what is heard; groups: drums, music and voice in it, apart: the drums by role, all as they were before it was
    mastered; covers: of its hits, empty when not to be learnt; bare, drumless: spans of mutes."""

    sound: Wave
    groups: tuple[Wave, Wave, Wave]
    apart: dict[str, Wave]
    covers: dict[str, list[tuple[float, float]]]
    bare: list[Span]
    drumless: list[Span]


def drawn(kits: list[Kit], rng: np.random.Generator, patterns: float) -> grooves.Song:
    """A song; patterns: how likely it is one of our own arranger."""
    bars, drift, font = int(rng.choice([16, 24])), float(rng.choice([0, 0.01])), str(rng.choice(["fluid", "score"]))
    if rng.random() < patterns:
        return grooves.make_pattern_song(kits, rng, bars, font, drift, together=False)
    return grooves.make_song(kits, rng, bars, font, drift, varied=True)


def voice(song: grooves.Song, frames: int, rng: np.random.Generator) -> Wave:
    """Phrases over some of the bars, silence over others."""
    if rng.random() < 0.4:
        sound, _ = speech(rng, frames)
    else:
        scale = people.scale(grooves.KEYS.index(song.key.split()[0]), "minor" in song.key)
        keys = [k for k in range(48, 77) if k % 12 in scale]
        at, place, out = float(rng.uniform(0, 1)), int(rng.integers(4, len(keys) - 4)), []
        while at < frames / RATE - 2:
            place = int(np.clip(place + rng.integers(-2, 3), 0, len(keys) - 1))
            length = float(rng.choice([0.2, 0.3, 0.5, 0.9]))
            out.append(Syllable(at, length, keys[place], str(rng.choice(list(VOWELS))), hard=bool(rng.random() < 0.4)))
            at += length + float(rng.choice([0.02, 0.02, 0.1, 0.6]))
        sound = sing(out, frames / RATE, int(rng.integers(1 << 30)), float(rng.uniform(0, 0.5)), float(rng.uniform(0.01, 0.05)))
    sound = sound[:frames].copy()
    # Verses of a few bars.
    edges = [0, *np.cumsum(rng.integers(2, 7, 20)).tolist()]
    for k, (a, b) in enumerate(itertools.pairwise(edges)):
        if k % 2 == int(rng.integers(2)) and a < len(song.bars):
            first, last = round(song.bars[a] * RATE), round((song.bars[b] if b < len(song.bars) else frames / RATE) * RATE)
            sound[first:last] = 0
    return np.asarray(sound, np.float32)


def mixes(song: grooves.Song, rng: np.random.Generator, number: int) -> Iterator[Mix]:
    """A song as several people might have mixed it, with a voice and without, and with other bars muted."""
    frames = len(song.mix)
    music, drums = np.asarray(song.mix - song.parts["drums"], np.float32), song.parts["drums"]
    nothing = np.zeros((frames, 2), np.float32)
    known = cover.cover(song.hits, song.apart, cover.all_else(song.apart, song.mix))
    finished = grooves.finished(song, rng) if rng.random() < 0.7 else colour.dirty(song.mix, rng)
    yield Mix(finished, (drums, music, nothing), song.apart, known, song.bare, song.drumless)
    for turn in range(3):
        yield remixed(song, rng, turn > 0)
    if number % 2:
        sung = voice(song, frames, rng)
        sung = sung * np.float32(rng.uniform(0.25, 1.0) * np.abs(song.mix).max() / max(1e-6, float(np.abs(sung).max())))
        yield Mix(colour.mastered(song.mix + sung, rng), (drums, music, sung), song.apart, {}, song.bare, song.drumless)
    if number % 4 == 1:
        yield Mix(colour.level(sung), (nothing, nothing, sung), {}, {}, [], [])
        yield Mix(colour.level(music + sung), (nothing, music, sung), {}, {}, [], [])
        yield Mix(colour.level(drums + sung), (drums, nothing, sung), {}, {}, [], [])
    if number % 3 == 0:
        yield Mix(colour.mastered(drums, rng), (drums, nothing, nothing), {}, {}, [], [])
        yield Mix(colour.level(music), (nothing, music, nothing), {}, {}, [], [])


def remixed(song: grooves.Song, rng: np.random.Generator, by_part: bool) -> Mix:
    """Other levels of the drums and of each part, and all the music muted in some bars, the drums in others. by_part: and in
    each section of the song only some of the parts."""
    level = {role: _gain(rng, 4) for role in song.apart}
    play = {name: np.ones(len(song.bars), bool) for name in song.parts}
    if by_part:
        _by_part(play, rng)
    for names in (["drums"], [name for name in play if name != "drums"]):
        for _ in range(int(rng.integers(0, 3))):
            first, count = int(rng.integers(0, len(song.bars))), int(rng.choice([1, 1, 2, 4]))
            for name in names:
                play[name][first : first + count] = False
    gain = {name: _gate(song, plays) for name, plays in play.items()}
    apart = {role: np.asarray(part * level[role] * gain["drums"], np.float32) for role, part in song.apart.items()}
    drums = np.asarray(sum(apart.values()), np.float32)
    all_music = _gain(rng, 5)
    other = np.asarray(
        sum(part * gain[name] * _gain(rng, 4) for name, part in song.parts.items() if name != "drums") * all_music, np.float32
    )
    mix = drums + other
    silent = {
        "drums": _spans(song, ~play["drums"]),
        "music": _spans(song, ~np.any([p for n, p in play.items() if n != "drums"], axis=0)),
    }
    hits = [h for h in song.hits if not any(a - 0.05 <= h[0] < b for a, b in silent["drums"])]
    sound = colour.mastered(mix, rng) if rng.random() < 0.7 else colour.level(mix)
    known = cover.cover(hits, apart, cover.all_else(apart, mix))
    nothing = np.zeros_like(mix)
    return Mix(sound, (drums, other, nothing), apart, known, song.bare + silent["music"], song.drumless + silent["drums"])


def _gain(rng: np.random.Generator, spread_db: float) -> np.float32:
    return np.float32(10 ** (rng.normal(0, spread_db) / 20))


def _by_part(play: dict[str, NDArray[np.bool_]], rng: np.random.Generator) -> None:
    """Which parts of the music play in each bar, section by section. What is most like bare drums is one part alone beside them,
    the bass more than any."""
    music = [name for name in play if name != "drums"]
    for name in music:
        play[name][:] = _sections(len(play[name]), rng, 0.55)
    lone = _sections(len(play["drums"]), rng, LONE)
    alone = "bass" if "bass" in music and rng.random() < LONE_BASS else str(rng.choice(music))
    for name in music:
        play[name][lone] = name == alone


def _sections(bars: int, rng: np.random.Generator, share: float) -> NDArray[np.bool_]:
    """(bars,) whether a part plays, section by section."""
    out, at = np.zeros(bars, bool), 0
    while at < bars:
        length = int(rng.choice([1, 2, 4, 4, 8]))
        out[at : at + length] = rng.random() < share
        at += length
    return out


def _gate(song: grooves.Song, plays: NDArray[np.bool_]) -> Wave:
    """(n, 1): open in the bars that play."""
    gate = np.ones(len(song.mix), np.float32)
    for a, b in _spans(song, ~plays):
        gate[round(a * RATE) : round(b * RATE)] = 0
    return np.asarray(uniform_filter1d(gate, round(FADE_S * RATE), mode="nearest")[:, None])


def _spans(song: grooves.Song, on: NDArray[np.bool_]) -> list[Span]:
    """Runs of bars as seconds."""
    edges = [*song.bars, len(song.mix) / RATE]
    turns = np.flatnonzero(np.diff(np.concatenate(([False], on, [False])).astype(int)))
    return [(edges[a], edges[b]) for a, b in zip(turns[::2], turns[1::2], strict=True)]


class Rows:
    def __init__(self) -> None:
        self.bars: list[NDArray[np.float16]] = []
        self.bar_truth: list[cover.Truth] = []
        self.bar_groups: list[int] = []
        self.hits: list[NDArray[np.float16]] = []
        self.cover: list[NDArray[np.float16]] = []
        self.groups: list[int] = []
        self.when: list[NDArray[np.float64]] = []

    def add(self, mix: Mix, bars: list[float], rng: np.random.Generator, tag: int) -> None:
        mono = np.ascontiguousarray(mix.sound.mean(axis=1))
        peak = float(np.abs(mono).max())
        if peak < 1e-3:
            return
        bands = analyse(mono, RATE, peak)
        onsets, notes = detect_in(bands, mono), chroma(mono, RATE)
        seconds = len(mono) / RATE
        lines = np.array(bars)
        for turn in range(3):
            # Bars, half bars, pairs of bars: and as a listener would place them.
            halves = np.sort(np.concatenate((lines, (lines[1:] + lines[:-1]) / 2)))
            some = (lines, halves, lines[::2])[turn]
            edges = passages.bar_edges(some + rng.normal(0, 0.012), seconds)
            table = passages.features(bands, notes, onsets, edges)
            if turn == 0:
                bar = np.clip(np.searchsorted(edges, onsets.seconds + 0.02, "right") - 1, 0, len(edges) - 2)
                self._hits(bands, mono, onsets, table[bar], mix.covers, tag)
            self.bars.append(table.astype(np.float16))
            self.bar_truth.append(cover.sounding(mix.groups, edges, (mix.drumless, mix.bare, ())))
            self.bar_groups += [tag * 3 + turn] * len(table)

    def _hits(self, bands, mono, onsets, bar_table, covers, tag) -> None:  # type: ignore[no-untyped-def]
        seen = templates.features(bands, onsets.looks, onsets.likely, onsets.roles)
        looked = looks(bands, np.round(onsets.looks / bands.hop).astype(np.int64))
        for role, known in covers.items():
            index = clean_hits.of_role(onsets, role)
            if len(index) < 2 or not known:
                continue
            x = np.hstack((clean_hits.features(bands, mono, onsets, role, index, seen, looked), bar_table[index]))
            at, db = np.array([t for t, _ in known]), np.array([d for _, d in known])
            gap = np.abs(onsets.seconds[index][:, None] - at[None])
            best = gap.argmin(axis=1)
            # What is no such drum at all is as unclean as can be.
            y = np.where(gap.min(axis=1) < MATCH_S, db[best], cover.DIRTIEST_DB)
            self.hits.append(x.astype(np.float16))
            self.cover.append(y.astype(np.float16))
            self.when.append(onsets.seconds[index])
            self.groups += [tag * 4 + clean_hits.DRUMS.index(role)] * len(y)

    def save(self, file: Path) -> None:
        some = {"bars": np.vstack(self.bars), "bar_truth": np.vstack(self.bar_truth), "bar_groups": np.array(self.bar_groups)}
        if self.hits:
            some |= {"hits": np.vstack(self.hits), "cover": np.concatenate(self.cover), "groups": np.array(self.groups)}
            some["seconds"] = np.concatenate(self.when)
        np.savez(file, **some)


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--songs", type=int, default=60)
    ask.add_argument("--patterns", type=float, default=0.0, help="share of songs of our own arranger")
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 5000)
    kits, rows = all_kits(rng), Rows()
    for i in range(asked.songs):
        song = drawn(kits, rng, asked.patterns)
        for k, mix in enumerate(mixes(song, rng, i)):
            rows.add(mix, song.bars, rng, (asked.seed * 1000 + i) * 8 + k)
        if i % 10 == 9 or i == asked.songs - 1:
            print(i + 1, len(rows.bars), sum(len(h) for h in rows.hits), flush=True)
            rows.save(asked.out)


if __name__ == "__main__":
    main()
