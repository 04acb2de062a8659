"""Notes played on sampled instruments: FluidSynth renders them, people's timing is put in before."""

from __future__ import annotations

import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path

import mido
import numpy as np
import soundfile as sf
from numpy.typing import NDArray

RATE = 44100
FONT = "/usr/share/sounds/sf2/FluidR3_GM.sf2"
DRUM_CHANNEL = 9
Wave = NDArray[np.float64]


@dataclass(frozen=True)
class Note:
    """at, length: seconds; key, velocity: as in MIDI."""

    at: float
    key: int
    velocity: int
    length: float = 0.3


def play(notes: list[Note], program: int, seconds: float, drums: bool = False, gain: float = 0.6) -> Wave:
    """(n, 2) of `seconds`, one instrument. drums: `program` names a kit."""
    channel = DRUM_CHANNEL if drums else 0
    file = mido.MidiFile(ticks_per_beat=9600)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=500000))
    track.append(mido.Message("program_change", channel=channel, program=program))
    events: list[tuple[float, int, mido.Message]] = []
    for note in notes:
        at = max(0.0, note.at)
        events.append(
            (at, 1, mido.Message("note_on", channel=channel, note=note.key, velocity=int(np.clip(note.velocity, 1, 127))))
        )
        events.append((at + note.length, 0, mido.Message("note_off", channel=channel, note=note.key)))
    last = 0
    for at, _, message in sorted(events, key=lambda e: (e[0], e[1])):
        tick = round(at * 19200)
        track.append(message.copy(time=tick - last))
        last = tick
    with tempfile.TemporaryDirectory() as folder:
        midi, wav = Path(folder) / "a.mid", Path(folder) / "a.wav"
        file.save(midi)
        command = [
            "fluidsynth",
            "-ni",
            "-q",
            "-F",
            str(wav),
            "-r",
            str(RATE),
            "-g",
            str(gain),
            "-R",
            "0",
            "-C",
            "0",
            FONT,
            str(midi),
        ]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        sound, _ = sf.read(wav, dtype="float64", always_2d=True)
    count = round(seconds * RATE)
    return np.pad(sound, ((0, max(0, count - len(sound))), (0, 0)))[:count]


@dataclass(frozen=True)
class Groove:
    """Where steps fall: tempo, swing of the sixteenths (0.5 straight), a drag for each drum, and looseness in seconds."""

    bpm: float
    swing: float
    loose: float
    drag: dict[int, float]

    def at(self, step: float, key: int, rng: np.random.Generator) -> float:
        """Seconds of a sixteenth step for a drum or key."""
        length = 60.0 / self.bpm / 4
        late = (self.swing - 0.5) * 2 * length if round(step) % 2 else 0.0
        return step * length + late + self.drag.get(key, 0.0) + float(rng.normal(0, self.loose))
