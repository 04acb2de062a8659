"""Patterns as Standard MIDI Files (format 1, SMF 1.0), out and in.

Out: a track for each pad, named as it is called; its swing and feel are in the timing. A pad that plays no notes sends one key: 36
and up by its place, as pad controllers do. One that plays notes sends them from its root. In: our own files come back as they were,
by a text event that names the pad; of others, what is on the drum channel or around key 36 goes to pads by place, and what is
melodic to the pad that is named.
"""

from __future__ import annotations

import io
import math
from dataclasses import dataclass

import mido

from grainpocket.core.pocket import MOST_BARS, MOST_PADS, PAGE, Hit, Pattern, Pocket
from grainpocket.core.rhythm.lanes import passes_of
from grainpocket.core.rhythm.schedule import performed
from grainpocket.core.text import readable

TICKS = 960  # of a quarter note
LOWEST, DRUMS = 36, 9
OURS = "grain-pocket pad "
USUAL_LENGTH = 0.25  # beats, of a hit that rings to its end
MOST_BYTES, MOST_NOTES = 4_000_000, 20_000


class BadMidi(ValueError):
    """No MIDI file, or one that cannot be used; the message says why."""


def midi_of(pocket: Pocket, pattern: Pattern) -> bytes:
    """A file with tempo, metre and a track for each pad that is hit."""
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS)
    head = mido.MidiTrack()
    head.append(mido.MetaMessage("track_name", name=_latin(pattern.name)))
    head.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(pocket.tempo)))
    head.append(mido.MetaMessage("time_signature", numerator=pattern.beats_per_bar, denominator=4))
    file.tracks.append(head)
    heard = [
        (hit, max(0.0, beat + turn * pattern.beats))
        for turn in range(passes_of(pattern))
        for hit, beat in zip(*performed(pocket, pattern, turn), strict=True)
        if hit.pad in pocket.pads and hit.beat < pattern.beats
    ]
    for pad in sorted({hit.pad for hit, _ in heard}):
        mine = [hit for hit, _ in heard if hit.pad == pad]
        tuned = any(hit.note for hit in mine)
        root = round(pocket.pads[pad].sound.root) if tuned else LOWEST + pad % 92
        at = [beat for hit, beat in heard if hit.pad == pad]
        events: list[tuple[int, int, mido.Message]] = []
        for hit, beat in zip(mine, at, strict=True):
            key = max(0, min(127, root + hit.note))
            begin = round(beat * TICKS)
            end = max(begin + 1, round((beat + (hit.length or USUAL_LENGTH)) * TICKS))
            channel = 0 if tuned else DRUMS
            events.append((begin, 1, mido.Message("note_on", channel=channel, note=key, velocity=hit.velocity)))
            events.append((end, 0, mido.Message("note_off", channel=channel, note=key)))
        track = mido.MidiTrack()
        track.append(mido.MetaMessage("track_name", name=_latin(pocket.pads[pad].called or f"Pad {pad + 1}")))
        track.append(mido.MetaMessage("text", text=f"{OURS}{pad} {root}"))
        last = 0
        for tick, _, message in sorted(events, key=lambda event: event[:2]):
            track.append(message.copy(time=tick - last))
            last = tick
        file.tracks.append(track)
    for track in file.tracks:
        track.append(mido.MetaMessage("end_of_track", time=0))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


@dataclass(frozen=True)
class FromMidi:
    """What a file holds: hits at exact beats, as many bars as they need, its tempo if it tells one."""

    name: str
    bars: int
    beats_per_bar: int
    tempo: float | None
    hits: tuple[Hit, ...]


def from_midi(data: bytes, page: int, melodic: int, root: int) -> FromMidi:
    """Read a file. page: whose pads the drums go to; melodic: the pad that plays its melody, from key `root`. Raises BadMidi."""
    if len(data) > MOST_BYTES:
        raise BadMidi("That MIDI file is larger than 4 MB.")
    try:
        file = mido.MidiFile(file=io.BytesIO(data), clip=True)
    except (OSError, EOFError, ValueError, KeyError, IndexError, AttributeError) as error:
        raise BadMidi("That is no MIDI file, or it is damaged.") from error
    if file.type == 2 or not 0 < file.ticks_per_beat < 32768:
        raise BadMidi("That kind of MIDI file (format 2, or in frames of film) cannot be used.")
    name, per_bar = "", 4
    tempo: float | None = None
    hits: list[Hit] = []
    for track in file.tracks:
        found = _Track(file.ticks_per_beat)
        for message in track:
            found.take(message)
        tempo, per_bar = tempo or found.tempo, found.per_bar or per_bar
        name = name or found.name
        hits += found.hits(page, melodic, root)
    if not hits:
        raise BadMidi("There are no notes in that MIDI file.")
    if len(hits) > MOST_NOTES:
        raise BadMidi(f"There are more than {MOST_NOTES:,} notes in that MIDI file.")
    first = {hit.place: hit for hit in sorted(hits, key=lambda hit: hit.velocity)}
    beats = max(hit.beat for hit in hits)
    bars = max(1, math.floor(beats / per_bar + 1e-9) + 1)
    if bars > MOST_BARS:
        raise BadMidi(f"It is {bars} bars long; a pattern holds {MOST_BARS}. Cut it before.")
    kept = tuple(sorted(first.values(), key=lambda hit: (hit.beat, hit.pad, hit.note)))
    return FromMidi(readable(name)[:80] or "From MIDI", bars, per_bar, tempo, kept)


class _Track:
    """The notes of a track as they pass by."""

    def __init__(self, ticks: int) -> None:
        self.name, self.per_bar = "", 0
        self.tempo: float | None = None
        self._ticks, self._now = ticks, 0
        self._down: dict[tuple[int, int], list[tuple[int, int]]] = {}
        self._notes: list[tuple[int, int, int, int, int]] = []
        self._pad: tuple[int, int] | None = None

    def take(self, message: mido.Message | mido.MetaMessage) -> None:
        self._now += message.time
        if message.type == "note_on" and message.velocity > 0:
            self._down.setdefault((message.channel, message.note), []).append((self._now, message.velocity))
        elif message.type in ("note_off", "note_on"):
            down = self._down.get((message.channel, message.note))
            if down:
                begin, velocity = down.pop(0)
                self._notes.append((begin, self._now, message.channel, message.note, velocity))
        elif message.type == "set_tempo" and self.tempo is None:
            self.tempo = round(60_000_000 / max(1, message.tempo), 3)
        elif message.type == "time_signature" and not self.per_bar:
            self.per_bar = max(1, min(16, round(message.numerator * 4 / message.denominator)))
        elif message.type == "track_name" and not self.name:
            self.name = message.name
        elif message.type == "text" and message.text.startswith(OURS):
            words = message.text[len(OURS) :].split()
            if len(words) == 2 and all(word.isdecimal() for word in words) and int(words[0]) < MOST_PADS:
                self._pad = int(words[0]), int(words[1])

    def hits(self, page: int, melodic: int, root: int) -> list[Hit]:
        # What was never let go of ends with the track.
        for (channel, note), down in self._down.items():
            self._notes += [(begin, max(self._now, begin + 1), channel, note, velocity) for begin, velocity in down]
        drums = self._drums()
        out = []
        for begin, end, channel, note, velocity in self._notes:
            if self._pad is not None:
                pad, by = self._pad[0], note - self._pad[1]
            elif channel == DRUMS or drums:
                pad, by = page * PAGE + (note - LOWEST) % PAGE, 0
            else:
                pad, by = melodic, note - root
            if -60 <= by <= 60:
                length = max(1, end - begin) / self._ticks
                out.append(Hit(pad=pad, beat=begin / self._ticks, velocity=max(1, velocity), note=by, length=length))
        return out

    def _drums(self) -> bool:
        """Notes of a pad controller: all within its sixteen keys."""
        notes = {note for _, _, _, note, _ in self._notes}
        return bool(notes) and max(notes) < LOWEST + PAGE and min(notes) >= LOWEST


def _latin(text: str) -> str:
    """What the standard's text events hold in every reader."""
    return text.encode("latin-1", "replace").decode("latin-1")
