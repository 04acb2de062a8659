"""The bench's own truth set: `python -m bench.truth.build DIR --seed 7`.

It is played on kits that the weights of core/listen were not fitted on, by other draws than theirs.
"""

from __future__ import annotations

import argparse
import json
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import soundfile as sf

from bench.truth import breaks, cover, grooves
from bench.truth.kits import Kit, from_font, from_sums
from bench.truth.synth import RATE, Note, Wave, midi, render

PACKAGES = ("fluidsynth", "fluid-soundfont-gm", "avldrums.lv2-soundfont", "mma")
# Instruments of General MIDI with the keys that a player of each would use: bass to soprano.
RANGES = {
    0: (28, 90), 4: (36, 84), 11: (53, 89), 12: (45, 90), 24: (40, 80), 25: (40, 80), 27: (40, 80), 33: (28, 55), 34: (28, 55),
    38: (28, 55), 40: (55, 88), 42: (36, 72), 53: (55, 76), 56: (55, 82), 57: (40, 68), 60: (41, 72), 65: (52, 78), 71: (50, 86),
    73: (60, 90), 80: (40, 88), 81: (40, 88),
}  # fmt: skip


def held_out_kits() -> list[Kit]:
    return [from_font("pearl", 0), from_sums(20261125), from_sums(20261127)]


def build(out: Path, seed: int, break_count: int, song_count: int, say: Callable[[str], None] = print) -> None:
    """Write WAV files and index.json: rows with name, kind and what is true of each."""
    out.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed)
    kits = held_out_kits()
    rows: list[dict[str, Any]] = []
    for i in range(break_count):
        one = breaks.make_break(kits, rng, breaks.FLAVOURS[i % 3], plain=True)
        name = f"break_{i:02d}_{one.flavour}"
        _write(out / f"{name}.wav", one.sound)
        rows.append({"name": name, "kind": "break", "flavour": one.flavour, "bpm": one.bpm, "bars": one.bars, "drums": one.hits})
    say(f"{break_count} breaks")
    for i in range(song_count):
        song = grooves.make_song(kits, rng, bars=32, drift=0.012 if i % 4 == 3 else 0.0)
        rows.append(_song(out, f"song_{i:02d}", song, rng, drifting=i % 4 == 3))
        say(f"song {i + 1} of {song_count}: {song.groove}, {song.metre[0]}/{song.metre[1]}, {song.bpm:g}")
    (out / "index.json").write_text(json.dumps(rows))


def _song(out: Path, name: str, song: grooves.Song, rng: np.random.Generator, drifting: bool) -> dict[str, Any]:
    mix = grooves.finished(song, rng)
    _write(out / f"{name}.wav", mix)
    (out / name).mkdir(exist_ok=True)
    gain = np.float32(0.9 / max(1e-6, float(np.abs(song.parts["drums"]).max())))
    _write(out / name / "drums.wav", song.parts["drums"] * gain)
    music = np.asarray(song.mix - song.parts["drums"], np.float32)
    edges = np.append(song.bars, len(song.mix) / RATE)
    sounding = cover.sounding((song.parts["drums"], music), edges, (song.drumless, song.bare))
    return {
        "name": name, "kind": "song", "bpm": song.bpm, "beats": song.beats, "bars": song.bars,
        "metre": "/".join(map(str, song.metre)),
        "drums": song.hits, "chords": song.chords, "key": song.key, "drifting": drifting, "bare": song.bare,
        "drumless": song.drumless, "groove": song.groove,
        "cover": cover.cover(song.hits, song.apart, cover.all_else(song.apart, song.mix)),
        "music_cover": cover.cover(song.hits, song.apart, dict.fromkeys(song.apart, music)),
        "sounding": sounding.tolist(),
    }  # fmt: skip


def single_notes(step: int = 4) -> list[tuple[int, int, Wave]]:
    """(program, key, (n,) samples) of single notes across instruments."""
    out: list[tuple[int, int, Wave]] = []
    for program, (low, high) in RANGES.items():
        keys = range(low, high + 1, step)
        sound = render(midi([Note(0.05 + 1.5 * i, 0, k, 90, 1.0) for i, k in enumerate(keys)], {0: program}), "fluid").mean(axis=1)
        for i, key in enumerate(keys):
            out.append((program, key, sound[int((0.05 + 1.5 * i) * RATE) : int((1.25 + 1.5 * i) * RATE)]))
    return out


def _write(path: Path, sound: Wave) -> None:
    sf.write(path, sound, RATE, subtype="PCM_24")


def install() -> None:
    """The sound fonts, kits and programs that the set is made with, from Debian's packages."""
    missing = [p for p in PACKAGES if subprocess.run(["dpkg", "-s", p], capture_output=True, check=False).returncode]
    if missing:
        subprocess.run(["apt-get", "update", "-qq"], check=True)
        command = ["apt-get", "-o", "DPkg::Lock::Timeout=300", "install", "-y", "-qq", "--no-install-recommends", *missing]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=7)
    ask.add_argument("--breaks", type=int, default=24)
    ask.add_argument("--songs", type=int, default=12)
    asked = ask.parse_args()
    install()
    build(asked.out, asked.seed, asked.breaks, asked.songs)


if __name__ == "__main__":
    main()
