"""Where somebody speaks over a full band, in pieces that others wrote: `python -m bench.spoken DIR MUTED`.

The pieces of `bench.muted` (in MUTED, or made there), over some bars of which people speak: recordings of ten speakers, none of
whom any network has heard, out of a Debian package that is unpacked and not installed.
"""

from __future__ import annotations

import itertools
import json
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pedalboard as pb
import soundfile as sf
import soxr

from bench import composed, muted
from bench.listening import marked, mono, say
from bench.truth.synth import RATE, Wave
from grainpocket.core.listen.hearing import hear

PACKAGES = ("hedgewars-data",)
FOLDER = Path("usr/share/games/hedgewars/Data/Sounds/voices")
SPEAKERS = ("British", "Default_pl", "Default_ru", "Default_uk", "Mobster", "Pirate", "Russian", "Russian_pl", "Singer", "Surfer")
# A bar in which the voice has this share of all that sounds has one; over how many bars somebody speaks, and pauses.
PRESENT_DB, VERSE = -15.0, (2, 6)
Row = dict[str, Any]


def speech(files: list[Path], frames: int, rng: np.random.Generator) -> Wave:
    """(frames, 2) of phrases with short breaths between them."""
    out, at = np.zeros((frames, 2), np.float32), 0
    while at < frames:
        data, rate = sf.read(files[int(rng.integers(len(files)))], dtype="float32", always_2d=True)
        some = np.asarray(soxr.resample(data.mean(axis=1), rate, RATE), np.float32)[: frames - at]
        out[at : at + len(some)] += some[:, None] / np.float32(np.abs(some).max(initial=1e-6))
        at += len(some) + round(rng.uniform(0.05, 0.8) * RATE)
    room = pb.Reverb(room_size=0.3, wet_level=0.12, dry_level=0.9)
    board = pb.Pedalboard([pb.HighpassFilter(90), pb.Compressor(-22, 3, 3, 80), room])
    return np.asarray(board(np.ascontiguousarray(out.T), RATE).T, np.float32)[:frames]


def over(piece: Row, folder: Path, out: Path, speaker: list[Path], rng: np.random.Generator) -> Row:
    """Write the piece with somebody over some of its bars; which of them, as 1, 0 or, where one can't say, -1."""
    band, _ = sf.read(folder / f"{piece['name']}.wav", dtype="float32", always_2d=True)
    edges = np.append(piece["bars"], len(band) / RATE)
    place = np.round(edges * RATE).astype(int)
    words, speaks, at = speech(speaker, len(band), rng), False, 0
    while at < len(place) - 1:
        last = min(at + int(rng.integers(*VERSE)), len(place) - 1)
        if not speaks:
            words[place[at] : place[last]] = 0
        speaks, at = not speaks, last
    words *= np.float32(_rms(band) / _rms(words[np.abs(words).max(axis=1) > 0]) * 10 ** (rng.uniform(-4, 4) / 20))
    both = band + words
    sf.write(out / f"{piece['name']}.wav", both / np.abs(both).max() * 0.9, RATE, subtype="PCM_16")
    shares = [_rms(words[a:b]) / (_rms(both[a:b]) + 1e-6) for a, b in itertools.pairwise(place)]
    told = [1 if s > 10 ** (PRESENT_DB / 20) else 0 if s < 1e-4 else -1 for s in shares]
    return {"name": piece["name"], "edges": edges.tolist(), "speaks": told}


def _rms(sound: Wave) -> float:
    return float(np.sqrt((sound.astype(np.float64) ** 2).mean())) if len(sound) else 0.0


def score(root: Path, rows: list[Row]) -> None:
    """found: share of bars with a voice that are marked; of_marked: share of marked bars with one; false: of bars without."""
    true, said = [], []
    for row in rows:
        heard = hear(mono(root / f"{row['name']}.wav"), RATE)
        edges, known = np.array(row["edges"]), np.array(row["speaks"]) >= 0
        said.append(marked(heard, edges, "voice")[known])
        true.append(np.array(row["speaks"])[known] == 1)
    t, s = np.concatenate(true), np.concatenate(said)
    right = int((t & s).sum())
    figures = {"found": right / t.sum(), "of_marked": right / max(1, s.sum()), "F": 2 * right / (t.sum() + s.sum())}
    say(f"voice n={len(rows)}", **figures, false=float(s[~t].mean()))


def main() -> None:
    out, pieces = Path(sys.argv[1]), Path(sys.argv[2])
    if not (out / "index.json").is_file():
        rng, folder = np.random.default_rng(1), composed.unpack(out, PACKAGES) / FOLDER
        known = muted.made(pieces)
        speakers = [sorted((folder / name).glob("*.ogg")) for name in SPEAKERS]
        rows = [over(piece, pieces, out, speakers[i % len(speakers)], rng) for i, piece in enumerate(known)]
        (out / "index.json").write_text(json.dumps(rows))
    score(out, json.loads((out / "index.json").read_text()))


if __name__ == "__main__":
    main()
