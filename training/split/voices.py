"""Voices to be told from all else: speech of synthesisers, spoken in rhythm or sung again on notes, alone, doubled and in choirs.

    apt-get install espeak-ng flite
    pip install pyworld==0.3.5 "setuptools<80"
    python -m training.split.voices OUT_DIR --seed 1 --voices 100

No recording of a person is in them beyond what the synthesisers are built of. Each file is int16 (frames, 2), its silences as sung.
"""

from __future__ import annotations

import argparse
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import pedalboard as pb
import soundfile as sf
import soxr
from numpy.typing import NDArray

from bench.truth import colour
from bench.truth.synth import RATE, Wave
from grainpocket.demo.author.singer import VOWELS, Syllable, sing
from training.listen import people
from training.split.songs import SECONDS, to_disk

Mono = NDArray[np.float32]
_SPEAKERS = ("awb", "rms", "slt")
# Never learnt, only watched.
_WATCHED_SPEAKER, _WATCHED_THROATS = "kal16", ("klatt4", "belinda", "max")
_THROATS = (
    "m1", "m2", "m3", "m4", "m5", "m6", "m7", "m8", "f1", "f2", "f3", "f4", "f5", "croak", "whisper", "klatt", "klatt2", "klatt3",
    "Andy", "Annie", "Alicia", "aunty", "david", "edward", "grandma", "iven", "linda", "paul", "steph", "travis", "victor", "zac",
)  # fmt: skip
_TONGUES = ("en-us", "en-gb", "de", "fr", "es", "it", "pt", "nl", "sv", "pl", "fi", "ro", "hr", "id", "sw", "tr")
_WORDS = [
    "night",
    "ferry",
    "lantern",
    "rain",
    "hold",
    "on",
    "to",
    "me",
    "now",
    "slow",
    "river",
    "take",
    "it",
    "back",
    "home",
    "lights",
    "are",
    "low",
    "and",
    "the",
    "water",
    "keeps",
    "moving",
    "one",
    "more",
    "time",
    "oh",
    "come",
    "down",
    "walk",
    "away",
    "never",
    "say",
    "what",
    "you",
    "want",
    "from",
    "here",
    "stay",
    "with",
    "a",
    "little",
    "fire",
    "under",
    "blue",
    "paper",
    "street",
    "every",
    "morning",
    "sun",
    "gone",
    "too",
    "far",
    "shine",
    "over",
    "shadows",
    "give",
    "us",
    "love",
    "dream",
    "fall",
    "again",
    "heart",
    "lonely",
    "dance",
    "turn",
    "around",
    "wait",
    "for",
    "tomorrow",
]
_SOUNDS = ("ka", "lo", "mi", "tu", "re", "ba", "sho", "na", "vi", "pe", "gra", "dun", "ste", "fro", "la", "yo", "he", "chi")


def said(rng: np.random.Generator, watched: bool, voice: tuple[str, str]) -> Mono:
    """Some words by one voice, their peak at 1 and no silence round them; empty when it said nothing."""
    if rng.random() < 0.6:
        words = " ".join(rng.choice(_WORDS, int(rng.integers(1, 8))))
    else:
        words = " ".join("".join(rng.choice(_SOUNDS, int(rng.integers(1, 4)))) for _ in range(int(rng.integers(1, 6))))
    with tempfile.TemporaryDirectory() as folder:
        file, text = str(Path(folder) / "v.wav"), Path(folder) / "t.txt"
        text.write_text(words)
        if voice[0] == "flite":
            stretch = f"duration_stretch={rng.uniform(0.7, 1.5):.2f}"
            command = ["flite", "-voice", voice[1], "--setf", stretch, "-f", str(text), "-o", file]
        else:
            command = ["espeak-ng", "-v", voice[1], "-p", str(rng.integers(15, 85)), "-s", str(rng.integers(90, 200)), "-w", file]
            command += ["-f", str(text)]
        subprocess.run(command, check=True, capture_output=True)
        data, rate = sf.read(file, dtype="float32", always_2d=True)
    mono = np.asarray(soxr.resample(data.mean(axis=1), rate, RATE), np.float32)
    peak = float(np.abs(mono).max(initial=0))
    loud = np.flatnonzero(np.abs(mono) > 0.02 * peak)
    return mono[loud[0] : loud[-1] + 1] / np.float32(peak) if peak > 1e-3 and len(loud) > RATE // 5 else np.zeros(0, np.float32)


def singer(rng: np.random.Generator, watched: bool) -> tuple[str, str]:
    if rng.random() < 0.4:
        return "flite", _WATCHED_SPEAKER if watched else str(rng.choice(_SPEAKERS))
    return "espeak", f"{rng.choice(_TONGUES)}+{rng.choice(_WATCHED_THROATS if watched else _THROATS)}"


def voice(rng: np.random.Generator, watched: bool = False) -> Wave:
    """(SECONDS * RATE, 2) of phrases with rests between them, as a studio would treat them."""
    frames, who = SECONDS * RATE, singer(rng, watched)
    tonic, minor = int(rng.integers(12)), bool(rng.random() < 0.5)
    way = str(rng.choice(["spoken", "sung", "sung", "sung", "vowels"]))
    if way == "vowels":
        return people.treated(_vowels(rng, frames, tonic, minor), rng)
    formants = float(2 ** rng.normal(0, 0.12))
    choir: tuple[float, ...] = ()
    if rng.random() < 0.35:
        choir = tuple(float(x) for x in rng.choice([0.0, 0.1, -12, 3, 4, 7, 12], int(rng.integers(1, 4))))
    rest, out, at = float(rng.uniform(0.1, 2.5)), np.zeros(frames, np.float32), round(rng.uniform(0, 1) * RATE)
    higher = float(rng.normal(0, 2.5))
    while at < frames - RATE:
        phrase = said(rng, watched, who)
        if not len(phrase):
            continue
        if way == "sung":
            phrase = people.sung(phrase, rng, tonic, minor, formants, choir)
        some = phrase[: frames - at]
        out[at : at + len(some)] += some * np.float32(10 ** (rng.normal(0, 2) / 20))
        at += len(phrase) + round(float(rng.uniform(0.02, rest)) * RATE)
    if way == "spoken" and abs(higher) > 0.5:
        out = np.asarray(pb.Pedalboard([pb.PitchShift(higher)])(out[None], RATE)[0], np.float32)[:frames]
    return people.treated(np.repeat(np.pad(out, (0, frames - len(out)))[:, None], 2, axis=1), rng)


def _vowels(rng: np.random.Generator, frames: int, tonic: int, minor: bool) -> Wave:
    keys = [k for k in range(43, 79) if k % 12 in people.scale(tonic, minor)]
    at, place, out = float(rng.uniform(0, 1)), int(rng.integers(4, len(keys) - 4)), []
    while at < frames / RATE - 2:
        place = int(np.clip(place + rng.integers(-2, 3), 0, len(keys) - 1))
        length = float(rng.choice([0.2, 0.3, 0.5, 0.9]))
        out.append(Syllable(at, length, keys[place], str(rng.choice(list(VOWELS))), hard=bool(rng.random() < 0.4)))
        at += length + float(rng.choice([0.02, 0.02, 0.1, 0.6]))
    sound = sing(out, frames / RATE, int(rng.integers(1 << 30)), float(rng.uniform(0, 0.5)), float(rng.uniform(0.01, 0.05)))
    return np.asarray(sound[:frames], np.float32)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("out", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--voices", type=int, default=100)
    parser.add_argument("--watched", action="store_true", help="voices that are not learnt")
    asked = parser.parse_args()
    asked.out.mkdir(parents=True, exist_ok=True)
    for number in range(asked.voices):
        path = asked.out / f"{'watched-voice' if asked.watched else 'voice'}-{asked.seed}-{number:04d}.npy"
        if path.is_file():
            continue
        sound = voice(np.random.default_rng((asked.seed, number, 7)), asked.watched)
        part = path.with_suffix(".part")
        with part.open("wb") as file:
            np.save(file, to_disk(colour.level(sound)))
        part.rename(path)


if __name__ == "__main__":
    main()
