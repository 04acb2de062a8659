"""Tempo, beats and bar lines of pieces that neither we nor our arranger wrote: `python -m bench.composed DIR`.

The music of three free games, by dozens of composers, comes as MIDI files in Debian packages; we render the first seventy
seconds of each. It is for measuring and for choosing between fits only: nothing is fitted on it and none of it ships. Left
out are pieces without one tempo, and those played in freely, whose notes lie on no grid of the tempo that the file states.
"""

from __future__ import annotations

import hashlib
import json
import struct
import subprocess
import sys
from pathlib import Path
from typing import Any

import mido
import mir_eval
import numpy as np
import soundfile as sf
from mido.midifiles.meta import KeySignatureError

from bench import engine
from bench.listening import RATIOS, mono, say
from bench.truth import build
from bench.truth.synth import RATE, render

PACKAGES = ("freedoom", "simutrans-data", "planetblupi-music-midi")
SECONDS, SHORTEST_S, FEWEST, TIGHT = 70.0, 25.0, 60, 0.4
Row = dict[str, Any]


def unpack(out: Path, packages: tuple[str, ...]) -> Path:
    """The folder of what is in some Debian packages, which are unpacked and not installed."""
    out.mkdir(parents=True, exist_ok=True)
    subprocess.run(["apt-get", "download", "-qq", "-o", "APT::Sandbox::User=root", *packages], check=True, cwd=out)
    for package in out.glob("*.deb"):
        subprocess.run(["dpkg-deb", "-x", str(package), str(out / "all")], check=True)
    return out / "all"


def fetch(out: Path) -> list[Path]:
    """MIDI files out of the packages."""
    known: dict[str, Path] = {}
    for path in sorted(unpack(out, PACKAGES).rglob("*")):
        if path.suffix.lower() == ".mid":
            known.setdefault(hashlib.sha1(path.read_bytes()).hexdigest(), path)
        elif path.suffix.lower() == ".wad":
            for name, lump in lumps(path.read_bytes()):
                if lump[:4] == b"MThd" and hashlib.sha1(lump).hexdigest() not in known:
                    file = out / f"{path.stem}_{name.lower()}.mid"
                    file.write_bytes(lump)
                    known[hashlib.sha1(lump).hexdigest()] = file
    return list(known.values())


def lumps(data: bytes) -> list[tuple[str, bytes]]:
    """(name, bytes) of what an archive of the id Software WAD format holds."""
    count, directory = struct.unpack("<ii", data[4:12])
    out: list[tuple[str, bytes]] = []
    for i in range(count):
        first, size, name = struct.unpack("<ii8s", data[directory + 16 * i : directory + 16 * i + 16])
        out.append((name.rstrip(b"\0").decode("ascii", "replace"), data[first : first + size]))
    return out


def shortened(file: mido.MidiFile, per_tick: float) -> mido.MidiFile:
    """Its first SECONDS; nothing sounds on after them."""
    end = SECONDS / per_tick
    out = mido.MidiFile(type=file.type, ticks_per_beat=file.ticks_per_beat)
    for track in file.tracks:
        made, now, last = mido.MidiTrack(), 0, 0
        sounding: set[tuple[int, int]] = set()
        for message in track:
            now += message.time
            if now >= end:
                break
            made.append(message.copy(time=now - last))
            last = now
            if message.type == "note_on" and message.velocity:
                sounding.add((message.channel, message.note))
            elif message.type in ("note_on", "note_off"):
                sounding.discard((message.channel, message.note))
        channels = sorted({m.channel for m in made if m.type == "note_on"})
        made += [mido.Message("note_off", channel=c, note=n) for c, n in sorted(sounding)]
        made += [mido.Message("control_change", channel=c, control=64, value=0) for c in channels]
        out.tracks.append(made)
    return out


def truth(path: Path) -> tuple[Row, mido.MidiFile] | None:
    """(what the file says, its beginning), or None where it has no one tempo or too little in it."""
    try:
        file = mido.MidiFile(path)
    except (OSError, ValueError, EOFError, KeySignatureError):
        return None
    tempi = {m.tempo for t in file.tracks for m in t if m.type == "set_tempo"}
    signatures = {(m.numerator, m.denominator) for t in file.tracks for m in t if m.type == "time_signature"}
    if len(tempi) != 1 or file.length < SHORTEST_S:
        return None
    per_beat = tempi.pop() / 1e6
    per_tick = per_beat / file.ticks_per_beat
    onsets: list[float] = []
    for track in file.tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity and now * per_tick < SECONDS:
                onsets.append(now * per_tick)
    gathered = max((float(np.abs(np.exp(2j * np.pi * np.array(onsets) / per_beat * d).mean())) for d in (1, 2, 3, 4)), default=0.0)
    if len(onsets) < FEWEST or gathered < TIGHT:
        return None
    metre = signatures.pop() if len(signatures) == 1 else None
    bars = np.arange(0, SECONDS, per_beat * 4 * metre[0] / metre[1]).tolist() if metre else None
    row = {"bpm": 60 / per_beat, "beats": np.arange(0, SECONDS, per_beat).tolist(), "bars": bars}
    return row, shortened(file, per_tick)


def make(out: Path) -> None:
    rows: list[Row] = []
    for path in fetch(out):
        known = truth(path)
        if known is None:
            continue
        row, file = known
        sound = render(file, "fluid", reverb=True)[: int(SECONDS * RATE)]
        name = hashlib.sha1(path.read_bytes()).hexdigest()[:8] + "_" + path.stem
        sf.write(out / f"{name}.wav", sound / np.abs(sound).max() * 0.9, RATE, subtype="PCM_16")
        rows.append({"name": name, **row})
        print(len(rows), name, round(row["bpm"], 2), flush=True)
    (out / "index.json").write_text(json.dumps(rows))


def score(root: Path, rows: list[Row]) -> None:
    figures: list[list[float]] = []
    trim = mir_eval.beat.trim_beats
    for row in rows:
        y = mono(root / f"{row['name']}.wav")
        bpm, beats, bars = engine.tempo(y, RATE)
        r, end = bpm / row["bpm"], len(y) / RATE
        near = [any(abs(r / k - 1) < width for k in RATIOS) for width in (0.04, 0.003)]
        beat_f = mir_eval.beat.f_measure(trim(np.array([b for b in row["beats"] if b < end])), trim(beats))
        bar_f = np.nan
        if row["bars"]:
            bar_f = mir_eval.beat.f_measure(trim(np.array([b for b in row["bars"] if b < end])), trim(bars))
        right = np.nan if np.isnan(bar_f) else float(bar_f > 0.8)
        figures.append([abs(r - 1) < 0.04, *near, beat_f, right])
        print(f"    {row['name'][:40]:40s} {row['bpm']:7.2f} {bpm:7.2f}  beatF {beat_f:.2f}", flush=True)
    means = np.nanmean(np.array(figures, float), axis=0)
    say(f"composed n={len(figures)}", **dict(zip(("acc1", "acc2", "tight", "beatF", "bar one right"), means, strict=True)))


def main() -> None:
    build.install()
    root = Path(sys.argv[1])
    if not (root / "index.json").is_file():
        make(root)
    score(root, json.loads((root / "index.json").read_text()))


if __name__ == "__main__":
    main()
