"""Scales and chords as semitones from their root, and the names of chords as they are written over a melody."""

from __future__ import annotations

import re
from collections.abc import Mapping

Steps = tuple[int, ...]
SCALES: Mapping[str, Steps] = {"major": (0, 2, 4, 5, 7, 9, 11), "minor": (0, 2, 3, 5, 7, 8, 10)}
CHORDS: Mapping[str, Steps] = {
    "major": (0, 4, 7), "minor": (0, 3, 7), "sus2": (0, 2, 7), "sus4": (0, 5, 7), "diminished": (0, 3, 6), "major 7": (0, 4, 7, 11),
    "minor 7": (0, 3, 7, 10), "7": (0, 4, 7, 10), "fifth": (0, 7), "octave": (0, 12), "fourths": (0, 5, 10),
}  # fmt: skip
TONICS = ("C", "Db", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B")
# What is written behind the tonic; the first one of a kind is how it is shown.
_MARKS: Mapping[str, str] = {
    "": "major", "m": "minor", "maj7": "major 7", "m7": "minor 7", "7": "7", "sus2": "sus2", "sus4": "sus4", "dim": "diminished",
    "5": "fifth", "8": "octave", "4": "fourths",
    "maj": "major", "min": "minor", "M7": "major 7", "min7": "minor 7", "sus": "sus4", "o": "diminished",
}  # fmt: skip
_LETTERS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_CHORD = re.compile(r"([A-Ga-g])([#b\u266f\u266d]?)(.*)")


def chord_of(text: str) -> tuple[int, str] | None:
    """(tonic 0..11, kind) of a chord's name, as "Dm7" or "F#"; None when it is none."""
    found = _CHORD.fullmatch(text.strip())
    if found is None or found[3] not in _MARKS:
        return None
    by = {"#": 1, "\u266f": 1, "b": -1, "\u266d": -1}.get(found[2], 0)
    return (_LETTERS[found[1].upper()] + by) % 12, _MARKS[found[3]]


def chord_name(tonic: int, kind: str) -> str:
    """A chord as it is written: its root, then the shortest sign of its kind."""
    mark = next((mark for mark, of in _MARKS.items() if of == kind), None)
    return TONICS[tonic % 12] + (mark if mark is not None else f" {kind}")


def nearest_of(key: float, classes: frozenset[int] | set[int]) -> int:
    """The key (MIDI) nearest to one whose pitch class is among these: of two as near, the lower. All, where there are none."""
    own = round(key)
    return min((n for n in range(own - 11, own + 12) if not classes or n % 12 in classes), key=lambda n: (abs(n - key), n))
