"""Scales and chords as semitones from their root."""

from __future__ import annotations

from collections.abc import Mapping

Steps = tuple[int, ...]
SCALES: Mapping[str, Steps] = {"major": (0, 2, 4, 5, 7, 9, 11), "minor": (0, 2, 3, 5, 7, 8, 10)}
CHORDS: Mapping[str, Steps] = {
    "major": (0, 4, 7), "minor": (0, 3, 7), "sus2": (0, 2, 7), "sus4": (0, 5, 7), "diminished": (0, 3, 6), "major 7": (0, 4, 7, 11),
    "minor 7": (0, 3, 7, 10), "7": (0, 4, 7, 10), "fifth": (0, 7), "octave": (0, 12), "fourths": (0, 5, 10),
}  # fmt: skip
