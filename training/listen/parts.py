"""What the networks of passages and of clean hits see of rendered songs, with what is true.

    python -m training.listen.parts OUT.npz --seed 1 --songs 60

Songs have known mutes and known parts; a voice that speaks or sings comes and goes over half of them.
"""

from __future__ import annotations

import argparse
import itertools
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.truth import colour, cover, grooves
from bench.truth.synth import RATE, Wave
from grainpocket.core.listen import hits, passages
from grainpocket.core.listen.bands import analyse
from grainpocket.core.listen.chroma import chroma
from grainpocket.core.listen.onsets import detect_in
from grainpocket.demo.author.singer import VOWELS, Syllable, sing
from training.listen.examples import all_kits, speech

# A part this far under the whole is not there; this near, it is; between, who can say.
ABSENT_DB, PRESENT_DB, MATCH_S = -42.0, -30.0, 0.025
Truth = NDArray[np.int8]


def voice(song: grooves.Song, frames: int, rng: np.random.Generator) -> Wave:
    """Phrases over some of the bars, silence over others."""
    if rng.random() < 0.4:
        sound, _ = speech(rng, frames)
    else:
        tonic = grooves.KEYS.index(song.key.split()[0])
        scale = [(tonic + s) % 12 for s in ((0, 2, 3, 5, 7, 8, 10) if "minor" in song.key else (0, 2, 4, 5, 7, 9, 11))]
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


def energies(part: Wave, edges: NDArray[np.float64]) -> NDArray[np.float64]:
    total = np.concatenate(([0.0], np.cumsum((part.astype(np.float64) ** 2).sum(axis=1))))
    place = np.clip(np.round(edges * RATE).astype(int), 0, len(part))
    return np.asarray(np.diff(total[place]))


def truth(groups: dict[str, Wave], song: grooves.Song, edges: NDArray[np.float64]) -> Truth:
    """(k, 3): 1 there, 0 not, -1 who can say."""
    all_of_it = sum(energies(g, edges) for g in groups.values())
    out = np.full((len(edges) - 1, 3), -1, np.int8)
    for i, name in enumerate(passages.OUTPUTS):
        db = 10 * np.log10((energies(groups[name], edges) + 1e-9) / (all_of_it + 1e-9))
        out[db > PRESENT_DB, i] = 1
        out[db < ABSENT_DB, i] = 0
    middle = (edges[1:] + edges[:-1]) / 2
    # A muted bar is muted though the last note still rings in it.
    for spans, column in ((song.bare, 1), (song.drumless, 0)):
        for a, b in spans:
            inside = (middle > a) & (middle < b)
            settled = inside & (edges[:-1] > a - 0.1) & (edges[1:] < b + 0.1)
            out[inside & ~settled, column] = -1
            out[settled, column] = 0
    return out


class Rows:
    def __init__(self) -> None:
        self.bars: list[NDArray[np.float16]] = []
        self.bar_truth: list[Truth] = []
        self.hits: list[NDArray[np.float16]] = []
        self.cover: list[NDArray[np.float16]] = []
        self.groups: list[int] = []

    def add(self, sound: Wave, groups: dict[str, Wave], song: grooves.Song, covers: dict[str, list[tuple[float, float]]],
            rng: np.random.Generator, tag: int) -> None:  # fmt: skip
        mono = np.ascontiguousarray(sound.mean(axis=1))
        peak = float(np.abs(mono).max())
        if peak < 1e-3:
            return
        bands = analyse(mono, RATE, peak)
        onsets, notes = detect_in(bands, mono), chroma(mono, RATE)
        seconds = len(mono) / RATE
        lines = np.array(song.bars)
        for turn in range(3):
            # Bars, half bars, pairs of bars: and as a listener would place them.
            halves = np.sort(np.concatenate((lines, (lines[1:] + lines[:-1]) / 2)))
            some = (lines, halves, lines[::2])[turn]
            edges = passages.bar_edges(some + rng.normal(0, 0.012), seconds)
            table = passages.features(bands, notes, onsets, edges)
            if turn == 0:
                bar = np.clip(np.searchsorted(edges, onsets.seconds + 0.02, "right") - 1, 0, len(edges) - 2)
                self._hits(bands, onsets, table[bar], covers, tag)
            self.bars.append(table.astype(np.float16))
            self.bar_truth.append(truth(groups, song, edges))

    def _hits(self, bands, onsets, bar_table, covers, tag) -> None:  # type: ignore[no-untyped-def]
        for role, known in covers.items():
            index = hits.of_role(onsets, role)
            if len(index) < 2 or not known:
                continue
            x = np.hstack((hits.features(bands, onsets, role, index), bar_table[index]))
            at, db = np.array([t for t, _ in known]), np.array([d for _, d in known])
            gap = np.abs(onsets.seconds[index][:, None] - at[None])
            best = gap.argmin(axis=1)
            # What is no such drum at all is as unclean as can be.
            y = np.where(gap.min(axis=1) < MATCH_S, db[best], cover.DIRTIEST_DB)
            self.hits.append(x.astype(np.float16))
            self.cover.append(y.astype(np.float16))
            self.groups += [tag * 4 + hits.DRUMS.index(role)] * len(y)

    def save(self, file: Path) -> None:
        some = {"bars": np.vstack(self.bars), "bar_truth": np.vstack(self.bar_truth)}
        if self.hits:
            some |= {"hits": np.vstack(self.hits), "cover": np.concatenate(self.cover), "groups": np.array(self.groups)}
        np.savez(file, **some)


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--songs", type=int, default=60)
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 5000)
    kits, rows = all_kits(rng), Rows()
    for i in range(asked.songs):
        song = grooves.make_song(kits, rng, int(rng.choice([16, 24])), drift=float(rng.choice([0, 0.01])), varied=True)
        frames = len(song.mix)
        music = np.asarray(song.mix - song.parts["drums"], np.float32)
        drums, nothing = song.parts["drums"], np.zeros((frames, 2), np.float32)
        known = cover.cover(song)
        tag = asked.seed * 1000 + i
        mix = song.mix
        if i % 2:
            sung = voice(song, frames, rng)
            sung = sung * np.float32(rng.uniform(0.25, 1.0) * np.abs(mix).max() / max(1e-6, float(np.abs(sung).max())))
            groups = {"drums": drums, "music": music, "voice": sung}
            rows.add(colour.mastered(mix + sung, rng), groups, song, {}, rng, tag)
            if i % 4 == 1:
                rows.add(colour.level(sung), {"drums": nothing, "music": nothing, "voice": sung}, song, {}, rng, tag)
                rows.add(colour.level(music + sung), {"drums": nothing, "music": music, "voice": sung}, song, {}, rng, tag)
                rows.add(colour.level(drums + sung), {"drums": drums, "music": nothing, "voice": sung}, song, {}, rng, tag)
        groups = {"drums": drums, "music": music, "voice": nothing}
        finished = grooves.finished(song, rng) if rng.random() < 0.7 else colour.dirty(mix, rng)
        rows.add(finished, groups, song, known, rng, tag)
        if i % 3 == 0:
            rows.add(colour.mastered(drums, rng), {"drums": drums, "music": nothing, "voice": nothing}, song, {}, rng, tag)
            rows.add(colour.level(music), {"drums": nothing, "music": music, "voice": nothing}, song, {}, rng, tag)
        if i % 10 == 9 or i == asked.songs - 1:
            print(i + 1, len(rows.bars), sum(len(h) for h in rows.hits), flush=True)
            rows.save(asked.out)


if __name__ == "__main__":
    main()
