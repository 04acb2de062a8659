"""How loud all else is beside a hit, and how loud the music in a stretch, from the share that each drum and the music have of what
sounds, band by band and moment by moment.

Convolutional networks give every cell of the spectrum to kick, snare, hat, other drums or music, as is done to part sources
(Jansson et al., "Singing voice separation with deep U-Net convolutional networks", ISMIR 2017; ours are small, and part
nothing: only the sums count). They see the spectrum beside what the hits of each drum have in common, laid down wherever that
drum plays. They were fitted on songs whose parts we know, with the drums of one under the music of another (see training/listen).
"""

from __future__ import annotations

import functools
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.chroma import RATE as LOW_RATE
from grainpocket.core.listen.harmony.chroma import lowered
from grainpocket.core.listen.networks.convolution import spread
from grainpocket.core.listen.networks.dense import arrays
from grainpocket.core.listen.spectra.windows import hann, magnitudes
from grainpocket.core.sound.audio import Samples, peak_of

# Two looks: a long one that tells notes of the low end apart, a short one for all above it.
HOP = 128
HOP_S = HOP / LOW_RATE
LOW_WINDOW, HIGH_WINDOW_S = 1024, 1024 / 44100
# Steps of the long look: single ones where kick and bass lie, then pairs.
LOW_EDGES = np.array([*range(3, 19), *range(20, 39, 2)])
HIGH_EDGES_HZ = np.geomspace(409.1, 16000, 24)
LOW, BANDS = len(LOW_EDGES) - 1, len(LOW_EDGES) + len(HIGH_EDGES_HZ) - 2
# log10 of power beside the peak's; less is silence.
FLOOR = -8.5
# Bands that carry kick, snare and hat; frames before and after a hit in which the drum's hits are compared, and after it
# in which they are weighed.
CARRIED = (slice(0, 14), slice(10, 34), slice(40, BANDS))
BEFORE, AFTER, WEIGHED, COMMON = 4, 16, 8, 0.15
# Frames that a cover is summed over; how far the networks see on either side, and how many frames they are shown at once.
RING, APART = 13, (1, 2, 4)
REACH = 2 + 2 * sum(APART)
LONGEST = 600
DRUMS = len(CARRIED)
# Kick, snare, hat, other drums, music.
PARTS = DRUMS + 2
MUSIC, LEAST = PARTS - 1, 1e-9
NETWORKS = ("masks1.npz", "masks2.npz")
Table = NDArray[np.float32]
Frames = NDArray[np.int64]


class SoftMasks:
    """What the networks say of one recording, where they are asked.

    samples: (n,) float32 mono; hits: of kick, snare and hat, samples of all that are clearly it.
    """

    def __init__(self, samples: Samples, rate: int, hits: Sequence[NDArray[np.int64]]) -> None:
        self._samples, self._rate, self._hits = samples, rate, hits

    @functools.cached_property
    def _picture(self) -> Picture:
        level = levels(self._samples, self._rate)
        return Picture(level, [frames_of(at, self._rate, len(level)) for at in self._hits])

    def interference_db(self, asked: Sequence[NDArray[np.int64]]) -> list[Table]:
        """Decibels of all else over the drum itself, in the next RING frames, of the hits that are asked for: of each drum, the
        samples at which they are."""
        out = [np.zeros(len(at), np.float32) for at in asked]
        if not any(len(at) for at in asked):
            return out
        count = len(self._picture.level)
        frames = [np.minimum(frames_of(at, self._rate, count), max(0, count - RING)) for at in asked]
        spans = _stretches(np.concatenate(frames), count)
        for (first, last), power, share in self._told(spans):
            for d, some in enumerate(frames):
                within = (np.maximum(0, some - REACH) >= first) & (np.minimum(count, some + RING + REACH) <= last)
                for k in np.flatnonzero(within).tolist():
                    ring = slice(some[k] - first, some[k] - first + RING)
                    out[d][k] = _beside(power[ring], share[ring, :, d])
        return out

    def music(self, spans: Sequence[tuple[float, float]]) -> Table:
        """Decibels of the music over all that sounds, in each of these spans of seconds."""
        out = np.zeros(len(spans), np.float32)
        if not len(spans):
            return out
        count = len(self._picture.level)
        first, last = np.clip(np.round(np.array(spans).T / HOP_S).astype(int), 0, count)
        for k, (a, b) in enumerate(zip(first.tolist(), last.tolist(), strict=True)):
            own = whole = LEAST
            # A long span is looked at piece by piece.
            for at in range(a, b, LONGEST):
                end = min(b, at + LONGEST)
                for (seen, _), power, share in self._told([(max(0, at - REACH), min(count, end + REACH))]):
                    here = slice(at - seen, end - seen)
                    own += float((power[here] * share[here, :, MUSIC]).sum())
                    whole += float(power[here].sum())
            out[k] = 10 * np.log10(own / whole)
        return out

    def _told(self, spans: Sequence[tuple[int, int]]) -> Iterator[tuple[tuple[int, int], NDArray[np.float64], Table]]:
        """Of spans of frames, each with (frames, BANDS) power and (frames, BANDS, PARTS) shares."""
        for (first, last), seen in zip(spans, self._picture.planes(spans), strict=True):
            yield (first, last), np.power(10.0, self._picture.level[first:last].astype(np.float64)), _together(seen)


def _beside(power: NDArray[np.float64], share: Table) -> float:
    """Decibels of all but this share over it."""
    own = float((power * share).sum())
    return float(10 * np.log10((power.sum() - own + 1e-10) / (own + 1e-10)))


def frames_of(at: NDArray[np.int64], rate: int, count: int) -> Frames:
    """(n,) frames, 0 to count - 1, in which samples (n,) lie."""
    return np.clip(np.round(at / (rate * HOP_S)).astype(np.int64), 0, count - 1)


def levels(samples: Samples, rate: int) -> Table:
    """(frames, BANDS): log10 of the power beside that of the peak, FLOOR at the least. Frame i is centred on i * HOP_S."""
    return np.asarray(np.maximum(np.log10(powers(samples, rate) / max(peak_of(samples), 1e-9) ** 2 + 1e-10), FLOOR), np.float32)


def powers(samples: Samples, rate: int) -> Table:
    """(frames, BANDS): mean power. samples: (n,) float32 mono."""
    size = 2 ** round(np.log2(HIGH_WINDOW_S * rate))
    edges = np.round(HIGH_EDGES_HZ * size / rate).astype(int)
    edges = np.maximum.accumulate(np.maximum(edges, edges[0] + np.arange(len(edges))))
    count = int(len(samples) / (rate * HOP_S)) + 1
    middle = np.arange(count)
    return np.hstack((
        _bands(lowered(samples, rate), middle * HOP, LOW_WINDOW, LOW_EDGES),
        _bands(samples, np.round(middle * (rate * HOP_S)).astype(int), size, edges),
    ))  # fmt: skip


def _bands(samples: Samples, middle: NDArray[np.int64], size: int, edges: NDArray[np.int64]) -> Table:
    """(k, len(edges) - 1): mean power between bins, 0 above the highest, through windows of that size around samples."""
    edges = np.minimum(edges, size // 2 + 1)
    scale = 2 / (size * (hann(size) ** 2).sum())
    out = np.empty((len(middle), len(edges) - 1), np.float32)
    for rows, found in magnitudes(samples, middle, size):
        total = np.pad(np.cumsum(found[:, edges[0] : edges[-1]] ** 2, axis=1, dtype=np.float64), ((0, 0), (1, 0)))
        out[rows] = np.diff(total[:, edges - edges[0]], axis=1) * scale
    return np.maximum(out, 0, out=out)


class Picture:
    """What the networks are shown of a recording. level: (frames, BANDS), as `levels` finds it; hits: frames of the hits of each
    drum."""

    def __init__(self, level: Table, hits: Sequence[Frames]) -> None:
        self.level = level
        self._usual = np.median(level, axis=0)
        power = np.pad(np.power(np.float32(10), level), ((BEFORE, AFTER), (0, 0)), constant_values=1e-9)
        self._alone = [_activations(power, some, carried) for some, carried in zip(hits, CARRIED, strict=True)]

    def planes(self, spans: Sequence[tuple[int, int]]) -> Iterator[Table]:
        """Of each span of frames (first, last), (frames, BANDS, 2 + DRUMS): the level, the level beside the usual, and what each
        drum is alone beside the level."""
        for first, last in spans:
            here = self.level[first:last]
            seen = np.empty((len(here), BANDS, 2 + DRUMS), np.float32)
            seen[..., 0], seen[..., 1] = (here + 5) / 2, (here - self._usual) / 2
            for d, laid in enumerate(self._alone):
                seen[..., 2 + d] = np.clip(np.log10(laid[BEFORE + first : BEFORE + last] + 1e-12) - here, -4, 1) / 2
            yield seen


def _activations(power: Table, hits: Frames, carried: slice) -> Table:
    """What a drum's hits have in common, as loud as each is, wherever it plays. power: with BEFORE frames more in front and AFTER
    at the end."""
    laid = np.full_like(power, 1e-12)
    if len(hits):
        near = power[hits[:, None] + np.arange(BEFORE + AFTER)]
        own = np.maximum(near[:, BEFORE : BEFORE + WEIGHED, carried].sum(axis=(1, 2)), 1e-9)
        near /= own[:, None, None]
        k = int(COMMON * (len(hits) - 1) + 0.5)
        near.partition(k, axis=0)
        for first, much in zip(hits.tolist(), own, strict=True):
            here = laid[first : first + BEFORE + AFTER]
            np.maximum(here, near[k] * much, out=here)
    return laid


@functools.cache
def networks() -> tuple[dict[str, Table], ...]:
    """The arrays (any shape) of each network, by name."""
    return tuple(arrays(name) for name in NETWORKS)


def _together(seen: Table) -> Table:
    return np.asarray(np.mean([_shares(network, seen) for network in networks()], axis=0), np.float32)


def _stretches(frames: Frames, count: int) -> list[tuple[int, int]]:
    """What the networks have to see of `count` frames, in order, to tell of those: (first, last)."""
    out: list[tuple[int, int]] = []
    for frame in np.unique(frames).tolist():
        first, last = max(0, frame - REACH), min(count, frame + RING + REACH)
        # Long ones would take much memory; what two have in common is seen twice.
        if out and first <= out[-1][1] and last - out[-1][0] <= LONGEST:
            first = out.pop()[0]
        out.append((first, last))
    return out


def _shares(a: dict[str, Table], seen: Table) -> Table:
    """(frames, BANDS, PARTS): what each has of a cell, all of it together."""
    h = spread(seen, a["in.weight"], a["in.bias"])
    for i, apart in enumerate(APART):
        more = spread(h, a[f"{i}.weight"], a[f"{i}.bias"], apart)
        # All bands together, channel by channel.
        flat = np.ascontiguousarray(more.transpose(0, 2, 1)).reshape(-1, BANDS)
        small = np.maximum(flat @ a[f"{i}.down"] + a[f"{i}.down_bias"], 0)
        wide = np.maximum(small @ a[f"{i}.up"] + a[f"{i}.up_bias"], 0)
        more += wide.reshape(len(more), -1, BANDS).transpose(0, 2, 1)
        h = h + more
    logits = h @ a["out.weight"] + a["out.bias"]
    logits = np.exp(logits - logits.max(axis=2, keepdims=True))
    return np.asarray(logits / logits.sum(axis=2, keepdims=True), np.float32)
