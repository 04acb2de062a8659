"""Passages and clean hits in pieces that neither we nor our arranger wrote: `python -m bench.muted DIR`.

The pieces of `bench.composed` that have drums and known bars, each with the music muted in one to four bars over which the
drums play on; the drums are rendered by role, so that what sounds under each hit is known. Nothing is fitted on them.
"""

from __future__ import annotations

import hashlib
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import mido
import numpy as np
import soundfile as sf
from scipy.ndimage import uniform_filter1d

from bench import composed
from bench.listening import worth_taking
from bench.truth import build, cover
from bench.truth.kits import ROLE
from bench.truth.synth import RATE, Wave, fit, render

FEWEST_HITS, A_BAR, DRUMS, FADE_S, PIECES = 80, 4, 9, 0.01, 40
Row = dict[str, Any]


def only(file: mido.MidiFile, keep: Callable[[int, int], bool]) -> mido.MidiFile:
    """The notes for which keep(channel, key), and all that is no note."""
    out = mido.MidiFile(type=file.type, ticks_per_beat=file.ticks_per_beat)
    for track in file.tracks:
        made, waited = mido.MidiTrack(), 0
        for message in track:
            if message.type in ("note_on", "note_off") and not keep(message.channel, message.note):
                waited += message.time
            else:
                made.append(message.copy(time=message.time + waited))
                waited = 0
        out.tracks.append(made)
    return out


def hits_of(file: mido.MidiFile, per_tick: float) -> list[tuple[float, int, int]]:
    """(seconds, key, velocity) of the drums, in order."""
    out: list[tuple[float, int, int]] = []
    for track in file.tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity and message.channel == DRUMS:
                out.append((now * per_tick, message.note, message.velocity))
    return sorted(out)


def muted(hits: list[tuple[float, int, int]], bars: np.ndarray, rng: np.random.Generator) -> tuple[int, int] | None:
    """(first, last) bar of a stretch in which the drums play in every bar; None where there is none."""
    count = int(rng.choice([1, 2, 2, 4]))
    busy = np.histogram([t for t, _, _ in hits], bars)[0] >= A_BAR
    able = [k for k in range(2, len(busy) - count - 1) if busy[k : k + count].all()]
    if not able:
        return None
    first = int(rng.choice(able))
    return first, first + count


def piece(path: Path, out: Path, rng: np.random.Generator) -> Row | None:
    """Write one as WAV, and say what is true of it; None where it has no bars or too few drums."""
    known = composed.truth(path)
    if known is None or known[0]["bars"] is None:
        return None
    row, file = known
    hits = hits_of(file, 60 / row["bpm"] / file.ticks_per_beat)
    bars = np.array(row["bars"])
    span = muted(hits, bars, rng) if len(hits) >= FEWEST_HITS else None
    if span is None:
        return None
    frames = round(composed.SECONDS * RATE)
    keys = {role: {k for k, r in ROLE.items() if r == role} for role in ("kick", "snare", "hat")}
    keys["perc"] = set(range(128)) - set(ROLE)
    apart = {
        role: fit(render(only(file, lambda c, k, mine=mine: c == DRUMS and k in mine), "fluid", reverb=True), frames)  # type: ignore[misc]
        for role, mine in keys.items()
    }
    gate = np.ones(frames, np.float32)
    gate[round(bars[span[0]] * RATE) : round(bars[span[1]] * RATE)] = 0
    gate = uniform_filter1d(gate, round(FADE_S * RATE), mode="nearest")
    music: Wave = fit(render(only(file, lambda c, _: c != DRUMS), "fluid", reverb=True), frames) * gate[:, None]
    drums = np.asarray(sum(apart.values()), np.float32)
    mix = drums + music
    name = hashlib.sha1(path.read_bytes()).hexdigest()[:8] + "_" + path.stem
    sf.write(out / f"{name}.wav", mix / np.abs(mix).max() * 0.9, RATE, subtype="PCM_16")
    edges = np.append(bars, composed.SECONDS)
    silent = [(bars[span[0]], bars[span[1]])]
    return {
        "name": name, "bars": bars.tolist(), "sounding": cover.sounding((drums, music), edges, ((), silent)).tolist(),
        "cover": cover.cover(hits, apart, cover.all_else(apart, mix)),
        "music_cover": cover.cover(hits, apart, dict.fromkeys(apart, music)),
    }  # fmt: skip


def made(root: Path) -> list[Row]:
    """What is known of the pieces in a folder, which are written there first when they are not."""
    if not (root / "index.json").is_file():
        build.install()
        rng, rows = np.random.default_rng(1), []
        for path in sorted(composed.fetch(root), key=lambda p: hashlib.sha1(p.read_bytes()).hexdigest()):
            row = piece(path, root, rng)
            if row is not None:
                rows.append(row)
                print(len(rows), row["name"], flush=True)
            if len(rows) == PIECES:
                break
        (root / "index.json").write_text(json.dumps(rows))
    return list(json.loads((root / "index.json").read_text()))


def main() -> None:
    root = Path(sys.argv[1])
    worth_taking(root, made(root))


if __name__ == "__main__":
    main()
