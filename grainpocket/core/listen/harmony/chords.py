"""Chords along the time line, and the key.

The notes that sound between two beats (see `chroma`) are turned so that each of the twelve roots in turn comes first; one
small network scores the chord qualities over any root alike. Chords last: the best row of them pays for every change
(Viterbi, as in Sheh & Ellis, "Chord segmentation and recognition using EM-trained hidden Markov models", ISMIR 2003). The
key is scored in the same manner from all notes and chords of the recording.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.chroma import Chroma
from grainpocket.core.listen.networks.dense import Layers, load

QUALITIES = ("", "m", "7", "maj7", "m7", "sus4", "sus2")
ROOTS = ("C", "Db", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B")
MODES = ("major", "minor")
NONE = "none"
WIDTH = 27
CHANGE_COST, MOST_KEYS = 3.0, 4
KEY_SHARPNESS, MOST_NONE = 1.0, 0.7
_PLAIN_S = 0.4
Table = NDArray[np.float32]


@dataclass(frozen=True)
class Chord:
    """start, end: seconds; label: root and quality, or "none"."""

    start: float
    end: float
    label: str


@dataclass(frozen=True)
class Key:
    """tonic: 0 is C; mode: of MODES; likely: 0..1."""

    tonic: int
    mode: str
    likely: float

    @property
    def name(self) -> str:
        return f"{ROOTS[self.tonic]} {self.mode}"


@functools.cache
def chord_network() -> Layers:
    """The network that tells chords."""
    return load("chords.npz")


@functools.cache
def key_network() -> Layers:
    """The network that tells keys."""
    return load("key.npz")


def between(notes: Chroma, edges: NDArray[np.float64]) -> Table:
    """(k - 1, WIDTH) of edges (k,): mean treble and bass chroma between the edges (seconds), each scaled to a largest of 1; how
    much sounds in tune at all, relative to the recording's usual; and how few notes it is, and how long they are held."""
    both = np.hstack((notes.treble, notes.bass, notes.focus[:, None], notes.held[:, None])).astype(np.float64)
    total = np.vstack((np.zeros((1, both.shape[1])), np.cumsum(both, axis=0)))
    hop = notes.seconds[1] - notes.seconds[0] if len(notes.seconds) > 1 else 1.0
    # A window belongs to where its middle lies; those that straddle a change tell least.
    place = np.clip(edges / hop + 0.5, 0, len(both))
    low = np.minimum(place.astype(int), len(both) - 1)
    at = total[low] + (place - low)[:, None] * both[low]
    out = np.zeros((len(edges) - 1, WIDTH))
    mean = np.diff(at, axis=0) / np.maximum(np.diff(place), 1e-6)[:, None]
    usual = float(np.median(mean[:, :12].max(axis=1))) + 1e-9
    out[:, 24] = np.clip(np.log10(mean[:, :12].max(axis=1) / usual + 1e-3), -3, 1)
    out[:, 25:] = mean[:, 24:]
    for part in (slice(0, 12), slice(12, 24)):
        out[:, part] = mean[:, part] / np.maximum(mean[:, part].max(axis=1, keepdims=True), 1e-6 * usual)
    return np.asarray(out, np.float32)


def turned(rows: Table) -> Table:
    """(k, 12, 24 + extra): the first 24 columns seen from each root."""
    turns = (np.arange(12)[None] + np.arange(12)[:, None]) % 12
    treble, bass = rows[:, :12][:, turns], rows[:, 12:24][:, turns]
    rest = np.repeat(rows[:, None, 24:], 12, axis=1)
    return np.concatenate((treble, bass, rest), axis=2)


def chord_scores(rows: Table) -> Table:
    """(k, 12 * len(QUALITIES) + 1) log probabilities; the last is "none"."""
    seen = turned(rows)
    raw = chord_network()(seen.reshape(-1, seen.shape[2])).reshape(len(rows), 12, len(QUALITIES) + 1)
    # What each root says for "none" is averaged: no root is in it.
    scores = np.concatenate((raw[:, :, :-1].reshape(len(rows), -1), raw[:, :, -1].mean(axis=1, keepdims=True)), axis=1)
    top = scores.max(axis=1, keepdims=True)
    return np.asarray(scores - top - np.log(np.exp(scores - top).sum(axis=1, keepdims=True)), np.float32)


def chords(notes: Chroma, edges: NDArray[np.float64]) -> tuple[list[Chord], Table]:
    """Chords that change only at edges (seconds, rising), and the scores they were chosen by."""
    if len(edges) < 2 or not len(notes.seconds):
        return [], np.zeros((0, 12 * len(QUALITIES) + 1), np.float32)
    scores = chord_scores(between(notes, edges))
    total = scores[0].astype(np.float64)
    back = np.zeros(scores.shape, np.int64)
    for i in range(1, len(scores)):
        best = int(np.argmax(total))
        stay = total >= total[best] - CHANGE_COST
        back[i] = np.where(stay, np.arange(len(total)), best)
        total = np.where(stay, total, total[best] - CHANGE_COST) + scores[i]
    state = int(np.argmax(total))
    path = [state]
    for i in range(len(scores) - 1, 0, -1):
        state = int(back[i, state])
        path.append(state)
    path.reverse()
    out: list[Chord] = []
    for i, state in enumerate(path):
        name = label(state)
        if out and out[-1].label == name:
            out[-1] = Chord(out[-1].start, float(edges[i + 1]), name)
        else:
            out.append(Chord(float(edges[i]), float(edges[i + 1]), name))
    return out, scores


def label(state: int) -> str:
    """A state of the chord model as a chord is written, or NONE."""
    if state == 12 * len(QUALITIES):
        return NONE
    return ROOTS[state // len(QUALITIES)] + QUALITIES[state % len(QUALITIES)]


def key_features(rows: Table, scores: Table) -> Table:
    """(1, 24 + 12 * qualities): mean notes, and how often each chord is likely, over the whole recording."""
    share = np.exp(scores[:, :-1]).reshape(len(scores), 12, len(QUALITIES)).mean(axis=0)
    share = share / max(float(share.sum()), 1e-6)
    weight = np.exp(rows[:, 24:25])
    mean = (rows[:, :24] * weight).sum(axis=0) / max(float(weight.sum()), 1e-6)
    return np.concatenate((mean, share.T.ravel()))[None].astype(np.float32)


def key_turned(seen: Table) -> Table:
    """(k, 12, features): seen from each tonic."""
    turns = (np.arange(12)[None] + np.arange(12)[:, None]) % 12
    blocks = seen.reshape(len(seen), -1, 12)
    return np.asarray(blocks[:, :, turns].transpose(0, 2, 1, 3).reshape(len(seen), 12, -1))


def keys(notes: Chroma, edges: NDArray[np.float64], scores: Table) -> list[Key]:
    """The likeliest keys between edges (k,) in seconds, best first; empty when nothing is in tune with anything."""
    if len(edges) < 3 or float(np.exp(scores[:, -1]).mean()) > MOST_NONE:
        return []
    raw = key_network()(key_turned(key_features(between(notes, edges), scores))[0]).astype(np.float64).ravel()
    share = np.exp(KEY_SHARPNESS * (raw - raw.max()))
    share /= share.sum()
    best = np.argsort(-share)[:MOST_KEYS]
    return [Key(int(i) // 2, MODES[int(i) % 2], float(round(share[i], 4))) for i in best]


def plain_edges(seconds: float) -> NDArray[np.float64]:
    """(k,) seconds at which chords may change when there is no pulse to go by."""
    return np.arange(0.0, seconds + _PLAIN_S, _PLAIN_S)
