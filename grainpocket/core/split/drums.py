"""Drums apart: kick, snare and toms, hats and cymbals, out of a drum stem or a break.

What each drum looks like is learnt from this very record, beginning with its hits that sound by themselves; every hit is told as a
sum of those pictures, and each bin of the spectrum goes to the drums by how much of it their pictures explain (Wiener masks).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.onsets.onset import nothing
from grainpocket.core.listen.spectra.bands import analyse
from grainpocket.core.sound.audio import Samples, mono, peak_of
from grainpocket.core.split.base import Quality
from grainpocket.core.split.spectra import Mask, frame_at, frequencies, sound_of, spectra

SIZE = 2048
LASTS_S, ATTACK_FRAMES, BEFORE = 0.6, 5, 2
CLEAR, LIKELY, ALONE = 0.5, 0.4, 0.25
APART_S = 0.07  # to the next onset, of a hit that a picture is taken from
ROUNDS = 10
LOOKS = {"draft": 1, "normal": 3}
SILENT = 1e-5
# Which roles make which part.
PARTS: Mapping[str, tuple[str, ...]] = {"kick": ("kick",), "snare": ("snare", "perc"), "hats": ("hat",)}
# Where no hit of a drum sounds by itself: where its sound mostly lies (Hz), and by when it has gone (s).
USUAL = {"kick": (30.0, 160.0, 0.16), "snare": (160.0, 7000.0, 0.14), "hats": (5000.0, 18000.0, 0.06)}
FLOOR, TINY = 1e-4, 1e-20
Power = NDArray[np.floating]


class DrumParts:
    name, label = "drum parts", "Drums apart"
    parts: tuple[str, ...] = ("kick", "snare", "hats")
    qualities: tuple[Quality, ...] = (Quality("draft", "Draft", 20.0), Quality("normal", "Normal", 12.0))
    context_s, light = 1.0, False

    def window(self, sound: Samples, rate: int, quality: str) -> Mapping[str, Samples]:
        spectrum = spectra(sound, SIZE)
        power = np.mean(np.abs(spectrum).astype(np.float64) ** 2, axis=0)
        masks = self.masks(power, mono(sound), rate, LOOKS[quality])
        return {part: sound_of(spectrum * masks[part][None], len(sound), SIZE) for part in self.parts[:-1]}

    def masks(self, power: Power, sound: Samples, rate: int, looks: int) -> dict[str, Mask]:
        """(frames, bins) of each part, 0..1, their sum one. power: (frames, bins); sound: (n,); looks: how often it is listened to
        which drums sound."""
        at, roles = _hits(sound, rate, looks)
        hz = frequencies(rate, SIZE)
        lasts = max(ATTACK_FRAMES, int(LASTS_S * rate / (SIZE // 4)))
        pictures = {part: _picture(power, at, roles, number, lasts, rate) for number, part in enumerate(PARTS)}
        for part, picture in pictures.items():
            if picture is None:
                pictures[part] = _usual(part, hz, lasts, rate)
        level = np.sqrt(power)
        model = _learnt(level, at, roles, [np.sqrt(p) for p in pictures.values() if p is not None]) ** 2
        # What nothing explains goes by where it lies.
        prior = np.stack([_usual(part, hz, 1, rate)[0] for part in PARTS]) + FLOOR
        model += (FLOOR * power.mean() + TINY) * prior[:, None]
        total = model.sum(axis=0)
        return {part: (model[number] / total).astype(np.float32) for number, part in enumerate(PARTS)}


def _hits(sound: Samples, rate: int, looks: int) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """((k,) frames in which hits begin, (k, parts) which drums they may be)."""
    sound = np.ascontiguousarray(sound, np.float32)
    peak = peak_of(sound)
    quiet = peak < SILENT or len(sound) < int(rate * 0.01)
    found = nothing(rate) if quiet else detect_in(analyse(sound, rate, peak), sound, looks=looks)
    found = found.only(found.strength >= CLEAR)
    odds = np.zeros((len(found.at), len(PARTS)))
    for number, roles in enumerate(PARTS.values()):
        for role in roles:
            odds[:, number] = np.maximum(odds[:, number], found.roles[:, ROLES.index(role)])
    likely = odds >= LIKELY
    # One that is none of them for sure is what it is most like.
    for i in np.flatnonzero(~likely.any(axis=1)):
        likely[i, int(odds[i].argmax())] = True
    sure = odds >= ALONE
    frames = np.array([frame_at(int(place), SIZE) for place in found.at], np.int64)
    return frames, np.stack((likely, sure), axis=2)


def _picture(power: Power, at: NDArray[np.int64], roles: NDArray[np.bool_], part: int, lasts: int, rate: int) -> Power | None:
    """(lasts, bins): how a drum sounds from just before its attack on, of its hits that sound by themselves: the median of those,
    each as loud as the others. None where there is none."""
    gap = int(APART_S * rate / (SIZE // 4))
    seen = []
    for i, frame in enumerate(at.tolist()):
        after = int(at[i + 1]) - frame if i + 1 < len(at) else len(power) - frame
        alone = roles[i, part, 0] and not np.delete(roles[i, :, 1], part).any()
        if not alone or after < gap or frame < BEFORE:
            continue
        piece = np.full((lasts, power.shape[1]), np.nan)
        count = min(lasts, after + BEFORE - 1, len(power) - frame + BEFORE)
        piece[:count] = power[frame - BEFORE : frame - BEFORE + count]
        energy = float(np.nansum(piece[: ATTACK_FRAMES + BEFORE]))
        if energy > 0:
            seen.append(piece / energy)
    if not seen:
        return None
    stack = np.stack(seen)
    with np.errstate(all="ignore"):
        here = np.isfinite(stack[:, :, 0]).sum(axis=0)
        out = np.zeros(stack.shape[1:])
        known = here > 0
        out[known] = np.nanmedian(stack[:, known], axis=0)
    # Where none lasts, it goes on falling as it fell.
    last = int(np.flatnonzero(known).max())
    if last + 1 < lasts and last > 8:
        fall = float(np.clip((out[last - 3 : last + 1].sum() / max(out[last - 7 : last - 3].sum(), 1e-30)) ** 0.25, 0.5, 0.98))
        out[last + 1 :] = out[last] * fall ** np.arange(1, lasts - last)[:, None]
    return out


def _usual(part: str, hz: NDArray[np.float32], lasts: int, rate: int) -> Power:
    """(lasts, bins): a drum as it mostly is."""
    low, high, gone = USUAL[part]
    shape = 1 / (1 + (low / np.maximum(hz, 1)) ** 4) / (1 + (hz / high) ** 4)
    fall = 10 ** (-6 * np.arange(lasts) * (SIZE // 4) / rate / gone / 2)
    out = fall[:, None] * shape[None].astype(np.float64)
    return np.asarray(out / out[: ATTACK_FRAMES + BEFORE].sum())


def _learnt(level: Power, at: NDArray[np.int64], roles: NDArray[np.bool_], pictures: list[Power]) -> Power:
    """(parts, frames, bins): what each drum's hits put where, after pictures and strengths of hits were fitted to what is there
    (non-negative matrix factor deconvolution with the hits known: P. Smaragdis, ICA 2004; multiplicative updates for the
    Kullback-Leibler divergence)."""
    lasts = len(pictures[0])
    strokes = [(i, part) for i in range(len(at)) for part in range(len(pictures)) if roles[i, part, 1]]
    spans = [(max(0, int(f) - BEFORE), max(0, BEFORE - int(f))) for f in at.tolist()]
    pictures = [picture.astype(np.float32) for picture in pictures]
    level = level.astype(np.float32)
    little = np.float32(FLOOR * level.mean() + 1e-12)
    amount = {}
    for i, part in strokes:
        first, skip = spans[i]
        piece = level[first : first + ATTACK_FRAMES + BEFORE - skip]
        there = pictures[part][skip : skip + len(piece)]
        amount[i, part] = float(np.sum(piece * there) / max(float(np.sum(there * there)), 1e-30)) * (
            1.0 if roles[i, part, 0] else 0.3
        )

    def put(into: Callable[[int], Power]) -> None:
        for i, part in strokes:
            first, skip = spans[i]
            count = min(lasts - skip, len(level) - first)
            into(part)[first : first + count] += np.float32(amount[i, part]) * pictures[part][skip : skip + count]

    def ratio() -> Power:
        total = np.full_like(level, little)
        put(lambda part: total)
        return level / total

    for _ in range(ROUNDS):
        off = ratio()
        for part in range(len(pictures)):
            over, under = np.zeros_like(pictures[part]), np.full(lasts, 1e-12, np.float32)
            for i in [i for i, other in strokes if other == part]:
                first, skip = spans[i]
                count = min(lasts - skip, len(level) - first)
                over[skip : skip + count] += np.float32(amount[i, part]) * off[first : first + count]
                under[skip : skip + count] += np.float32(amount[i, part])
            if any(other == part for _, other in strokes):
                pictures[part] = pictures[part] * over / under[:, None]
        off = ratio()
        for i, part in strokes:
            first, skip = spans[i]
            count = min(lasts - skip, len(level) - first)
            there = pictures[part][skip : skip + count]
            amount[i, part] *= float(np.vdot(there, off[first : first + count]) / max(float(there.sum()), 1e-30))
    out = np.zeros((len(pictures), *level.shape), np.float32)
    put(lambda part: out[part])
    return out.astype(np.float64)


DRUM_PARTS = DrumParts()
