"""FluidSynth as a function: MIDI in, samples out."""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
import soundfile as sf
from numpy.typing import NDArray

RATE = 44100
TICKS = 19200  # a second, at the tempo and resolution below
Wave = NDArray[np.float32]
FONTS = {
    "fluid": "/usr/share/sounds/sf2/FluidR3_GM.sf2",
    "score": "/usr/share/sounds/sf3/MuseScore_General_Lite.sf3",
    "pearl": "/usr/share/sounds/sf2/Black_Pearl_4_LV2.sf2",
}
# These kits keep their drums in a melodic bank.
MELODIC_KITS = {"pearl"}


@dataclass(frozen=True)
class Note:
    """at, length: seconds; key, velocity: as in MIDI; a channel of 9 is the drums."""

    at: float
    channel: int
    key: int
    velocity: int
    length: float = 0.3


def render(file: mido.MidiFile, font: str, reverb: bool = False, gain: float = 0.5) -> Wave:
    """(n, 2) at RATE."""
    with tempfile.TemporaryDirectory() as folder:
        midi, out = Path(folder) / "in.mid", Path(folder) / "out.wav"
        file.save(midi)
        command = ["fluidsynth", "-ni", "-q", "-F", str(out), "-r", str(RATE), "-g", str(gain), "-O", "float"]
        command += ["-R", str(int(reverb)), "-C", "0", "-o", "synth.dynamic-sample-loading=1", FONTS[font], str(midi)]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        samples, _ = sf.read(out, dtype="float32", always_2d=True)
    return np.asarray(samples, np.float32)


def midi(notes: Iterable[Note], programs: dict[int, int]) -> mido.MidiFile:
    file = mido.MidiFile(ticks_per_beat=9600)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=500000))
    for channel, program in programs.items():
        track.append(mido.Message("program_change", channel=channel, program=program))
    events: list[tuple[float, int, mido.Message]] = []
    for n in notes:
        events.append((n.at, 1, mido.Message("note_on", channel=n.channel, note=n.key, velocity=n.velocity)))
        events.append((n.at + n.length, 0, mido.Message("note_off", channel=n.channel, note=n.key)))
    last = 0
    for at, _, message in sorted(events, key=lambda e: (e[0], e[1])):
        tick = round(at * TICKS)
        track.append(message.copy(time=max(0, tick - last)))
        last = max(last, tick)
    return file


def fit(sound: Wave, frames: int) -> Wave:
    """Exactly `frames` long."""
    return np.pad(sound, ((0, max(0, frames - len(sound))), (0, 0)))[:frames]
