"""All that analysis found in one source, as one value that can be stored."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, astuple, dataclass
from typing import Any

import numpy as np

from grainpocket.core.listen.detection import detect, detect_in
from grainpocket.core.listen.drums.clean_hits import CleanHit
from grainpocket.core.listen.harmony.chords import Chord, Key, chords, keys, plain_edges
from grainpocket.core.listen.harmony.chroma import RATE as LOW
from grainpocket.core.listen.harmony.chroma import chroma, lowered
from grainpocket.core.listen.measures.loudness import Loudness
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.onsets.onset import Onsets, nothing
from grainpocket.core.listen.passages.activity import Moments, moments
from grainpocket.core.listen.passages.loops import GoodLoop
from grainpocket.core.listen.passages.passages import Passage
from grainpocket.core.listen.spectra.bands import Progress, analyse, no_progress
from grainpocket.core.listen.suggestions import NOTHING, Worth, found_lines, grid_lines, worth_taking
from grainpocket.core.listen.tempo.bar_profile import evidence
from grainpocket.core.listen.tempo.candidates import Tempo, beat_times, candidates
from grainpocket.core.pocket import Grid
from grainpocket.core.sound.audio import Samples, db_of, peak_of
from grainpocket.core.sound.sharpening import sharpen

VERSION = "16"
BEGIN_SHARE = 0.01
# The strength that a transient needs at the least, the middle and the most sensitive.
LEAST_SENSITIVE, CLEAR, MOST_SENSITIVE = 0.97, 0.5, 0.03
# Under this there is no harmony to speak of, and the tuning of noise means nothing.
LEAST_TUNED_S = 1.0
# Quieter or shorter than this, there is nothing to listen to.
SILENT, SHORTEST_S = 1e-5, 0.01
_PIECE = 1 << 16


@dataclass(frozen=True)
class Hearing:
    """frames, rate: of the source; onsets: every transient worth a look; tempi: ranked; peak_db: dBFS of the largest
    sample (None for silence); begin: where sound first rises over -40 dB of the peak (0 for silence); keys: ranked;
    cents: tuning over A = 440 Hz, None when nothing is tuned; chords: along the time line; loudness: None in hearings
    that were made from mono samples alone; worth: what is worth taking, by the bars of the first tempo; moments: what sounds
    from moment to moment, whatever the bars are (None for silence)."""

    frames: int
    rate: int
    onsets: Onsets
    tempi: tuple[Tempo, ...]
    peak_db: float | None
    begin: int = 0
    keys: tuple[Key, ...] = ()
    cents: float | None = None
    chords: tuple[Chord, ...] = ()
    loudness: Loudness | None = None
    worth: Worth = NOTHING
    moments: Moments | None = None

    def to_json(self) -> dict[str, Any]:
        return {
            "version": VERSION,
            "frames": self.frames,
            "rate": self.rate,
            "at": self.onsets.at.tolist(),
            "attack": self.onsets.attack.tolist(),
            "likely": [round(float(s), 4) for s in self.onsets.likely],
            "hard": [round(float(s), 3) for s in self.onsets.hard],
            "roles": np.round(self.onsets.roles * 255).astype(int).tolist(),
            "tempi": [asdict(t) for t in self.tempi],
            "peak_db": self.peak_db,
            "begin": self.begin,
            "keys": [asdict(k) for k in self.keys],
            "cents": self.cents,
            "chords": [[round(c.start, 4), round(c.end, 4), c.label] for c in self.chords],
            "loudness": asdict(self.loudness) if self.loudness else None,
            "passages": [astuple(p) for p in self.worth.passages],
            "hits": [astuple(h) for h in self.worth.hits],
            "loops": [astuple(one) for one in self.worth.loops],
            "moments": {"odds": self.moments.odds.round(3).tolist(), "seconds": self.moments.seconds} if self.moments else None,
        }

    @staticmethod
    def from_json(data: dict[str, Any]) -> Hearing:
        roles = np.array(data["roles"], np.float32).reshape(len(data["at"]), len(ROLES)) / np.float32(255)
        onsets = Onsets(
            np.array(data["at"], np.int64),
            np.array(data["likely"], np.float32),
            data["rate"],
            roles,
            np.array(data["hard"], np.float32),
            np.array(data["attack"], np.int64),
        )
        loud, told = data["loudness"], data["moments"]
        return Hearing(
            frames=data["frames"],
            rate=data["rate"],
            onsets=onsets,
            tempi=tuple(Tempo(**{**t, "beats": tuple(t["beats"])}) for t in data["tempi"]),
            peak_db=data["peak_db"],
            begin=data["begin"],
            keys=tuple(Key(**k) for k in data["keys"]),
            cents=data["cents"],
            chords=tuple(Chord(*c) for c in data["chords"]),
            loudness=Loudness(**{**loud, "clipped_at": tuple(loud["clipped_at"])}) if loud else None,
            worth=Worth(
                tuple(Passage(*p) for p in data["passages"]),
                tuple(CleanHit(*h) for h in data["hits"]),
                tuple(GoodLoop(*one) for one in data["loops"]),
            ),
            moments=Moments(np.array(told["odds"], np.float32), told["seconds"]) if told else None,
        )


def hear(samples: Samples, rate: int, progress: Progress = no_progress, loudness: Loudness | None = None) -> Hearing:
    """Analyse (n,) float32 mono. progress(share 0..1) is called as it goes, each step as long as it takes; what it raises ends the
    analysis. loudness: of all channels, measured where they were at hand."""
    loudest = peak_of(samples)
    begin = _begin(samples, BEGIN_SHARE * loudest) if loudest else 0
    seconds = len(samples) / rate
    bands = None
    if loudest > SILENT and seconds >= SHORTEST_S:
        bands = analyse(samples, rate, loudest, lambda share: progress(share * 0.06))
    onsets = detect_in(bands, samples, lambda share: progress(0.06 + share * 0.42)) if bands else nothing(rate)
    low = lowered(samples, rate)
    notes = chroma(low, LOW) if loudest > SILENT and seconds >= LEAST_TUNED_S else None
    progress(0.53)
    told = moments(bands, low) if bands else None
    del low
    progress(0.61)
    tempi = candidates(evidence(onsets, notes, seconds), rate)
    progress(0.67)
    found_chords: list[Chord] = []
    found_keys: list[Key] = []
    if notes is not None:
        edges = beat_times(tempi[0], len(samples), rate) if tempi else plain_edges(seconds)
        edges = np.concatenate(([0.0], edges[(edges > 0.1) & (edges < seconds - 0.1)], [seconds]))
        found_chords, scores = chords(notes, edges)
        found_keys = keys(notes, edges, scores)
    lines, trimmed = found_lines(tempi, len(samples), rate)
    progress(0.7)
    found = NOTHING
    if bands and told:
        found = worth_taking(bands, notes, onsets, told, lines, trimmed, samples, lambda share: progress(0.7 + 0.3 * share))
    progress(1.0)
    return Hearing(
        frames=len(samples),
        rate=rate,
        onsets=onsets,
        tempi=tuple(tempi),
        # Of all channels, where they were at hand: their mean can be 6 dB lower, or silence.
        peak_db=loudness.peak_db if loudness else round(db_of(loudest), 2) if loudest else None,
        begin=begin,
        keys=tuple(found_keys),
        cents=notes.cents if notes is not None and found_keys else None,
        chords=tuple(found_chords),
        loudness=loudness,
        worth=found,
        moments=told,
    )


def _begin(samples: Samples, level: float) -> int:
    """First sample over a level, looked for piece by piece."""
    for first in range(0, len(samples), _PIECE):
        over = np.abs(samples[first : first + _PIECE]) > level
        if over.any():
            return first + int(np.argmax(over))
    return 0


def listen_to(samples: Samples, rate: int, sharper: bool = False) -> tuple[Tempo, ...]:
    """The tempi of a stretch alone: (n,) float32 mono, times from its start. sharper: attacks up and sustain down first."""
    if not len(samples):
        return ()
    onsets = detect(sharpen(samples, rate) if sharper else samples, rate)
    notes = chroma(samples, rate) if peak_of(samples) > 1e-5 and len(samples) >= rate * LEAST_TUNED_S else None
    return tuple(candidates(evidence(onsets, notes, len(samples) / rate), rate))


def threshold(sensitivity: float) -> float:
    """The strength a transient needs at a sensitivity of 0 (only the hardest hits) by 0.5 (all that are likely real) to 1
    (everything that might be one)."""
    return float(np.interp(sensitivity, (0.0, 0.5, 1.0), (LEAST_SENSITIVE, CLEAR, MOST_SENSITIVE)))


def worth_by_grid(heard: Hearing, grid: Grid | None, samples: Callable[[], Samples]) -> Worth:
    """What in a source is worth taking by the bars of a grid that may be other than the one that was found: bars that a hand
    has moved are the bars. What `heard` says of the same bars already is not worked out again; else samples is asked for
    (n,) float32 mono."""
    (lines, trimmed), known = grid_lines(grid, heard.frames, heard.rate), found_lines(heard.tempi, heard.frames, heard.rate)
    if heard.moments is None or (trimmed == known[1] and np.array_equal(lines, known[0])):
        return heard.worth
    sound = samples()
    if peak_of(sound) <= SILENT:
        return heard.worth
    notes = chroma(sound, heard.rate) if len(sound) >= LEAST_TUNED_S * heard.rate else None
    bands = analyse(sound, heard.rate, peak_of(sound))
    return worth_taking(bands, notes, heard.onsets, heard.moments, lines, trimmed, sound)
