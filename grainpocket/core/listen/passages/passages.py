"""What sounds in each bar: drums, other music, a voice; and the passages that bars of one kind make.

A small network looks at how loud each band is at its quietest, middle and loudest in a bar (music fills the gaps between
drums), how it compares with the rest of the record, how note-like the spectrum is and what begins there. Two more look
from moment to moment (see `activity`), and alone tell voices. They were fitted on songs that we rendered with known mutes
(see training/listen).

At its ends, a passage of bare drums is mixed up with the music beside it, since each moment is judged by a second and more round
it. There the level of the music is measured in the half bar itself (see drums/masks): music that is not there is none, and the last
chord may ring on loudly though nothing more is played.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.chroma import Chroma
from grainpocket.core.listen.networks.dense import Layers, load
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.onsets.onset import Onsets
from grainpocket.core.listen.passages.activity import Moments
from grainpocket.core.listen.spectra.bands import COARSE, Bands

Kind = Literal["bare drums", "no drums", "voice"]
OUTPUTS = ("drums", "music", "voice")
QUANTILES = (0.1, 0.5, 0.9)
FEATURES = COARSE * (len(QUANTILES) + 3) + 6 + len(ROLES)
PLAIN_S, SHORTEST_S = 2.0, 0.4
# What half a bar says for itself, beside what its bar says.
OWN = 0.5
# Drums and music are told by what a bar shows as a whole and by its moments: the share of the former, and what is added to the
# odds of the latter. What a bar shows of drums may be far too sure.
DRUMS_BY_BAR, DRUMS_LEAN, SUREST = 0.3, 0.7, 6.0
BY_BAR, MUSIC_LEAN, VOICE_LEAN = 0.4, 0.5, -0.5
# Two that agree are surer than each.
AGREED = 2.0
FLOOR_DB, AUDIBLE_DB = -80.0, -50.0
SURE: dict[Kind, float] = {"bare drums": 0.4, "no drums": 0.5, "voice": 0.5}
# Of music over all that sounds: under the first, there is none; over the second, it rings on.
ABSENT_DB, RINGS_DB = -30.0, -18.0
# Bar lines are some hundredths of a second off, and windows reach over them: at its ends, a half bar is not listened to.
EDGE_S, SHORTEST_S = 0.06, 0.1
# What music this sure is called is not measured again, nor where drums or no voice are less sure.
SURE_OF_MUSIC, DRUMS, VOICE = 0.99, 0.6, 0.6
# What is said of music where it was measured, and how many half bars a passage may grow at an end.
THERE, NOT_THERE, FARTHEST = 0.9, 0.1, 2
Table = NDArray[np.float32]
Edges = NDArray[np.float64]
Measure = Callable[[Sequence[tuple[float, float]]], Table]


@dataclass(frozen=True)
class Passage:
    """start, end: samples; kind: what it is; bars: how many, 0 where there are none; likely: 0..1, the least sure of its bars."""

    start: int
    end: int
    kind: Kind
    bars: int
    likely: float


def features(bands: Bands, notes: Chroma | None, onsets: Onsets, edges: Edges) -> Table:
    """(k, FEATURES) of the k stretches between edges (k + 1 rising seconds), each at least a few frames long."""
    step = bands.hop / bands.rate
    frame = np.clip(np.round(edges / step).astype(int), 0, len(bands.coarse))
    count = len(edges) - 1
    out = np.zeros((count, FEATURES), np.float32)
    wide = COARSE * len(QUANTILES)
    for i in range(count):
        part = bands.coarse[frame[i] : max(frame[i] + 2, frame[i + 1])]
        level = np.maximum(20 * np.log10(part + 1e-9), FLOOR_DB) / -FLOOR_DB + 1
        if len(level) < 2:
            continue
        ordered = np.sort(level, axis=0)
        places = (np.array(QUANTILES) * (len(level) - 1)).round().astype(int)
        out[i, :wide] = ordered[places].ravel()
        out[i, wide : wide + COARSE] = 20 * np.maximum(np.diff(level, axis=0), 0).mean(axis=0)
    # Beside the same record's other bars: what is missing here?
    usual = np.median(out[:, : 2 * COARSE], axis=0)
    out[:, wide + COARSE : wide + 3 * COARSE] = out[:, : 2 * COARSE] - usual
    at = wide + 3 * COARSE
    if notes is not None:
        out[:, at : at + 6] = _note_features(notes, edges)
    out[:, at + 6 :] = _beginnings(onsets, edges)
    return out


def _note_features(notes: Chroma, edges: Edges) -> Table:
    columns = (notes.focus, notes.held, notes.treble.sum(axis=1), notes.bass.sum(axis=1), notes.focus * notes.held)
    rows = np.stack((*columns, np.minimum(notes.held, notes.focus)), axis=1).astype(np.float64)
    total = np.vstack((np.zeros((1, rows.shape[1])), np.cumsum(rows, axis=0)))
    place = np.clip(np.searchsorted(notes.seconds, edges), 0, len(rows))
    first, last = np.minimum(place[:-1], len(rows) - 1), np.maximum(place[1:], np.minimum(place[:-1], len(rows) - 1) + 1)
    return np.asarray((total[last] - total[first]) / (last - first)[:, None], np.float32)


def _beginnings(onsets: Onsets, edges: Edges) -> Table:
    """(k, roles): how much of each role begins there, a second."""
    place = np.searchsorted(onsets.seconds, edges - 0.02)
    amounts = (onsets.roles * onsets.likely[:, None]).astype(np.float64)
    total = np.vstack((np.zeros((1, len(ROLES))), np.cumsum(amounts, axis=0)))
    per_second = (total[place[1:]] - total[place[:-1]]) / np.maximum(np.diff(edges), 0.05)[:, None]
    return np.asarray(np.minimum(per_second, 8.0) / 4, np.float32)


@functools.cache
def network() -> Layers:
    """The network that is asked of a bar as a whole."""
    return load("passages.npz")


def by_bar(table: Table) -> Table:
    """(k, 3) log odds that drums, music and a voice sound in stretches of which (k, FEATURES) were seen."""
    return network()(table)


def told(table: Table, moments: Table) -> Table:
    """The same from both: what bars show as a whole, and their moments (k, 3)."""
    score = by_bar(table)
    drums = np.clip(score[:, 0], -SUREST, SUREST)
    score[:, 0] = DRUMS_BY_BAR * drums + (1 - DRUMS_BY_BAR) * (moments[:, 0] + DRUMS_LEAN)
    score[:, 1] = AGREED * (BY_BAR * score[:, 1] + (1 - BY_BAR) * (moments[:, 1] + MUSIC_LEAN))
    score[:, 2] = moments[:, 2] + VOICE_LEAN
    return score


def present(bands: Bands, notes: Chroma | None, onsets: Onsets, moments: Moments, edges: Edges, bars: Edges) -> Table:
    """(k, 3) probabilities that drums, other music and a voice sound in stretches of half a bar. Each is looked at by itself and
    as a part of its bar. edges, bars: seconds of the half bars, of the bars."""
    score = told(features(bands, notes, onsets, edges), moments.within(edges))
    if len(bars) > 2:
        whole = told(features(bands, notes, onsets, bars), moments.within(bars))
        bar = np.clip(np.searchsorted(bars, (edges[1:] + edges[:-1]) / 2, "right") - 1, 0, len(whole) - 1)
        score = OWN * score + (1 - OWN) * whole[bar]
    return np.asarray(1 / (1 + np.exp(-np.clip(score, -30, 30))), np.float32)


def half_bars(lines: Edges) -> Edges:
    """(2 k - 1,) seconds: the bar lines (k,) and the middles between them."""
    return np.sort(np.concatenate((lines, (lines[1:] + lines[:-1]) / 2)))


def bar_edges(lines: Edges, seconds: float) -> Edges:
    """Seconds of bar lines with the record's start and end, none closer than SHORTEST_S; plain stretches without lines."""
    if len(lines) < 2:
        lines = np.arange(PLAIN_S, seconds, PLAIN_S)
    inside = lines[(lines > SHORTEST_S) & (lines < seconds - SHORTEST_S)]
    return np.concatenate(([0.0], inside, [seconds]))


def audible(bands: Bands, edges: Edges) -> NDArray[np.bool_]:
    """(k,) whether anything to speak of sounds in each stretch, be it four taps of a stick."""
    loudest = bands.coarse.max(axis=1)
    first = np.clip(np.round(edges[:-1] * bands.rate / bands.hop).astype(int), 0, len(loudest) - 1)
    return np.asarray(20 * np.log10(np.maximum.reduceat(loudest, first) + 1e-9) > AUDIBLE_DB)


def passages(likely: Table, heard: NDArray[np.bool_], edges: Edges, rate: int, in_bars: bool = True) -> list[Passage]:
    """Runs of at least a bar that are bare drums, without drums, or with a voice; in order of their beginning. Silence is
    none of these. heard: (k,), what is not; edges: of half bars; in_bars: whether they are that, or plain stretches."""
    drums, _, voice = likely.T
    kinds: tuple[tuple[Kind, Table], ...] = (("bare drums", bareness(likely)), ("no drums", 1 - drums), ("voice", voice))
    out: list[Passage] = []
    for kind, sure in kinds:
        on = np.concatenate(([False], heard & (sure >= SURE[kind]), [False]))
        turns = np.flatnonzero(np.diff(on.astype(int)))
        for first, last in zip(turns[::2], turns[1::2], strict=True):
            if in_bars and last - first < 2 and len(sure) > 1:
                continue
            start, end = round(edges[first] * rate), round(edges[last] * rate)
            bars = max(1, int(last - first) // 2) if in_bars else 0
            out.append(Passage(start, end, kind, bars, round(float(sure[first:last].min()), 3)))
    return sorted(out, key=lambda p: (p.start, p.kind))


def bareness(likely: Table) -> Table:
    """(k,) how likely drums sound and nothing else, by what sounds (k, 3)."""
    drums, music, voice = likely.T
    return np.asarray(np.minimum(drums, 1 - np.maximum(music, voice)), np.float32)


def at_the_ends(likely: Table, heard: NDArray[np.bool_], edges: Edges, sure: float, music: Measure) -> Table:
    """What sounds (k, 3) between edges (k + 1 seconds of half bars), with what is known of music at the ends of bare drums.

    heard: (k,) what is not silence; sure: how sure bare drums have to be; music: decibels of it over all that sounds, in spans of
    seconds.
    """
    out = likely.copy()

    def measured(index: NDArray[np.int64]) -> Table:
        spans = np.column_stack((edges[index], edges[index + 1]))
        spans += np.where(np.diff(spans) > 2 * EDGE_S + SHORTEST_S, EDGE_S, 0.0) * (1, -1)
        return music([(first, last) for first, last in spans.tolist()])

    open_to = heard & (likely[:, 0] > DRUMS) & (likely[:, 1] < SURE_OF_MUSIC) & (likely[:, 2] < VOICE)
    for _ in range(FARTHEST):
        bare = heard & (bareness(out) >= sure)
        beside = np.zeros(len(bare), bool)
        beside[1:] |= bare[:-1]
        beside[:-1] |= bare[1:]
        asked = np.flatnonzero(beside & ~bare & open_to)
        found = asked[measured(asked) < ABSENT_DB]
        out[found, 1] = NOT_THERE
        if not len(found):
            break
        open_to[asked] = False
    bare = heard & (bareness(out) >= sure)
    # Where all was silent before, nothing rings.
    first = np.flatnonzero(bare[1:] & ~bare[:-1] & heard[:-1]) + 1
    out[first[measured(first) > RINGS_DB], 1] = THERE
    return out
