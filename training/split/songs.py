"""Songs in stems: arranged by `bench.truth`, each part on an instrument, in a room and through a chain drawn for it alone.

    python -m training.split.songs OUT_DIR --seed 1 --songs 100

What one song lacks in difference another has: sampled fonts mixed within a song, instruments of our own sums, accompaniment as
low as a bass, kits gathered from several. Each song is one file, int16 (STEMS, frames, 2), every stem as loud as it can be.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np
import pedalboard as pb

from bench.truth import colour, grooves, patterns
from bench.truth.kits import Gathered, Kit, Sampler, Varied, perform
from bench.truth.synth import FONTS, RATE, Note, Wave, fit, midi, render
from training.listen.sources import all_kits
from training.split import synths

STEMS = ("drums", "bass", "other", "more")
SECONDS = 32
# Fonts that are learnt, and the one that is only watched: chosen by nothing but their names before anything was heard.
LEARNT, WATCHED = ("fluid", "score", "fm"), "csound"
FONTS.setdefault("fm", "/usr/share/sounds/sf2/OPL-3_FM_128M.sf2")
FONTS.setdefault("csound", "/usr/share/sounds/sf2/sf_GMbank.sf2")
_BASS_PROGRAMS = tuple(range(32, 40))
_LOW_PROGRAMS = (0, 4, 16, 19, 24, 30, 42, 43, 57, 58, 60, 68, 70, 81)


def compose(rng: np.random.Generator) -> tuple[list[Note], dict[int, int]]:
    """(notes, programs by channel) of a song of about SECONDS, its drums on channel 9."""
    while True:
        bars = int(rng.choice([12, 16, 20]))
        key, chords = grooves.progression(rng, bars)
        if rng.random() < 0.6:
            file, bpm = patterns.compose(str(rng.choice(["4/4", "3/4", "6/8"], p=[0.86, 0.08, 0.06])), chords, rng)
        else:
            known = grooves.styles()
            bpm = float(rng.uniform(68, 165))
            try:
                file = grooves.arrange(known[rng.integers(len(known))][1], bpm, chords, int(rng.integers(1 << 31)))
            except ValueError:
                continue
        beat = 60 / bpm
        wander = grooves.warped(float(rng.choice([0, 0.01])), bars * 4.0, rng)
        notes, programs = grooves.notes_of(file, lambda tick, f=file, w=wander, b=beat: w(tick / f.ticks_per_beat) * b)
        notes = [n for n in notes if n.at < SECONDS - 0.5]
        if sum(n.channel == 9 for n in notes) < 16 or len(notes) < 60:
            continue
        if rng.random() < 0.7:
            per_bar = beat * 4
            edges = [k * per_bar for k in range(int(SECONDS / per_bar) + 1)]
            lead, program = grooves.lead_over(key, chords[: len(edges) - 1], edges, rng)
            notes += [n for n in lead if n.at < SECONDS - 0.5]
            programs[15] = program
        human = float(rng.choice([0.0, 0.004, 0.01]))
        return [Note(max(0.0, n.at + float(rng.normal(0, human))), n.channel, n.key, n.velocity, n.length) for n in notes], programs


def kit_for(kits: list[Kit], rng: np.random.Generator) -> Kit:
    able = [k for k in kits if all(k.has(n) for n in (36, 38, 42))]
    kit = able[rng.integers(len(able))]
    turn = rng.random()
    if turn < 0.35:
        kit = Gathered([able[k] for k in rng.integers(len(able), size=3)], rng)
    kit = Varied(kit, rng) if rng.random() < 0.8 else kit
    return Sampler(kit, rng) if rng.random() < 0.3 and not isinstance(kit, Varied) else kit


def make(kits: list[Kit], rng: np.random.Generator, fonts: tuple[str, ...] = LEARNT) -> dict[str, Wave]:
    """Each of STEMS, (SECONDS * RATE, 2), with a peak of 0.9 or silent."""
    frames = SECONDS * RATE
    notes, programs = compose(rng)
    kit = kit_for(kits, rng)
    hits = sorted((n.at, grooves.nearest(kit, n.key), n.velocity) for n in notes if n.channel == 9)
    stems = {name: np.zeros((frames, 2), np.float32) for name in STEMS}
    stems["drums"] = treated(perform(kit, hits, frames, rng), rng, "drums")
    channels = sorted({n.channel for n in notes} - {9})
    low = rng.choice(channels) if channels and rng.random() < 0.4 else None
    for turn, channel in enumerate(channels):
        own = [n for n in notes if n.channel == channel]
        program = programs.get(channel, 0)
        bass = program in _BASS_PROGRAMS
        if bass and rng.random() < 0.4:
            # In the register of keys and guitars, an octave up, for as many as an octave down.
            up = 1 if rng.random() < 0.6 else -1
            own = [
                Note(n.at, n.channel, n.key + 12 * (up if 28 <= n.key + 12 * up <= 64 else -up), n.velocity, n.length) for n in own
            ]
        if not bass and channel == low:
            own = [Note(n.at, n.channel, max(28, n.key - 12 * (1 + (n.key > 60))), n.velocity, n.length) for n in own]
            program = int(rng.choice(_LOW_PROGRAMS))
        elif rng.random() < 0.5:
            program = int(rng.choice(_BASS_PROGRAMS)) if bass else _melodic(rng)
        if rng.random() < (0.3 if bass else 0.2):
            sound = synths.play(own, frames, rng)
        else:
            sound = fit(render(midi(own, {channel: program}), str(rng.choice(fonts)), reverb=bool(rng.random() < 0.5)), frames)
        name = "bass" if bass else STEMS[2 + (turn % 2)]
        loud = float(np.abs(sound).max())
        if loud > 1e-4:
            gain = 10 ** (rng.normal(0, 3) / 20) / loud
            stems[name] += treated(np.asarray(sound * np.float32(gain), np.float32), rng, "bass" if bass else "other")
    return {name: colour.level(stem) if np.abs(stem).max() > 1e-4 else stem for name, stem in stems.items()}


def _melodic(rng: np.random.Generator) -> int:
    """An instrument of General MIDI that is neither a bass nor an effect."""
    return int(rng.choice([p for p in range(grooves.LAST_INSTRUMENT + 1) if p not in _BASS_PROGRAMS]))


def treated(sound: Wave, rng: np.random.Generator, role: str) -> Wave:
    """As an engineer might have put it on a record: tone, level, drive, a room, and where it stands between the speakers."""
    u, board = rng.uniform, pb.Pedalboard()
    if rng.random() < 0.6:
        board.append(pb.LowShelfFilter(u(80, 300), u(-6, 6)))
        board.append(pb.HighShelfFilter(u(2500, 9000), u(-9, 6)))
    if rng.random() < 0.4:
        board.append(pb.PeakFilter(float(np.exp(u(np.log(120), np.log(5000)))), u(-8, 8), u(0.5, 2.5)))
    if rng.random() < (0.6 if role == "drums" else 0.35):
        board.append(pb.Compressor(u(-30, -12), u(2, 8), u(1, 25), u(40, 250)))
    if rng.random() < (0.4 if role == "bass" else 0.25):
        board.append(pb.Distortion(u(2, 28 if role == "bass" else 20)))
    if role == "bass" and rng.random() < 0.2:
        # A bass without its low end, as small speakers and thin records have it.
        board.append(pb.HighpassFilter(u(90, 260)))
    if rng.random() < 0.2:
        board.append(pb.LowpassFilter(float(np.exp(u(np.log(1500 if role == "bass" else 3500), np.log(14000))))))
    if role == "other" and rng.random() < 0.25:
        board.append(pb.Chorus(u(0.3, 2), u(0.1, 0.4), u(5, 12), 0.0, u(0.2, 0.5)))
    if role == "other" and rng.random() < 0.2:
        board.append(pb.Delay(u(0.1, 0.5), u(0, 0.5), u(0.05, 0.35)))
    if role != "bass" and rng.random() < 0.5:
        board.append(pb.Reverb(u(0.1, 0.8), wet_level=u(0.02, 0.35), dry_level=u(0.5, 0.9), width=u(0, 1)))
    out = np.asarray(board(np.ascontiguousarray(sound.T), RATE).T, np.float32)[: len(sound)]
    peak = float(np.abs(out).max())
    if peak > 1e-6:
        out *= np.float32(np.abs(sound).max() / peak)
    middle = out.mean(axis=1, keepdims=True)
    if role == "bass" or rng.random() < 0.3:
        out = np.repeat(middle, 2, axis=1)
    elif rng.random() < 0.5:
        out = middle + (out - middle) * np.float32(u(0.2, 1.6))
    if role == "other" and rng.random() < 0.6:
        place = u(0.15, 0.85)
        out = out * np.sqrt(2 * np.array([1 - place, place], np.float32))
    return np.asarray(out, np.float32)


def to_disk(sound: Wave) -> np.ndarray:
    return np.asarray(np.clip(np.round(sound * 32767), -32768, 32767), np.int16)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("out", type=Path)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--songs", type=int, default=100)
    parser.add_argument("--watched", action="store_true", help="on the font that is not learnt")
    asked = parser.parse_args()
    asked.out.mkdir(parents=True, exist_ok=True)
    kits = watched_kits() if asked.watched else all_kits(np.random.default_rng(asked.seed))
    for number in range(asked.songs):
        path = asked.out / f"{'watched-song' if asked.watched else 'song'}-{asked.seed}-{number:04d}.npy"
        if path.is_file():
            continue  # What an interrupted run has made stays.
        rng = np.random.default_rng((asked.seed, number))
        made = make(kits, rng, (WATCHED,) if asked.watched else LEARNT)
        part = path.with_suffix(".part")
        with part.open("wb") as file:
            np.save(file, np.stack([to_disk(made[name]) for name in STEMS]))
        part.rename(path)


def watched_kits() -> list[Kit]:
    """Kits that training never hears: those of the watched font, and sums of other seeds."""
    from bench.truth.kits import from_font, from_sums

    return [from_font(WATCHED, 0), from_font(WATCHED, 8), *(from_sums(900000 + k) for k in range(4))]


if __name__ == "__main__":
    main()
