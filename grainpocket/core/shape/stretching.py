"""Time apart from pitch, the size of a voice apart from both, and one part of a chop with a pitch, level and time of its own.

The tone goes through a phase-locked spectral stretcher (the Signalsmith library; Laroche & Dolson, "Improved phase vocoder
time-scale modification of audio", IEEE SAP 7, 1999). It smears attacks; so those are taken from the sound as it was and laid over
it where they belong, to the sample, with the stretched tone going on under their end (as in Grofit & Lavner, "Time-scale
modification of audio signals using enhanced WSOLA with management of transients", IEEE ASLP 16(1), 2008). Formants: the spectral
envelope by cepstral smoothing (Roebel & Rodet, "Efficient spectral envelope estimation", DAFx 2005).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import soxr

from grainpocket.core.shape.curves import Row
from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import exact_hann, spectra_of

ATTACK_S = {"attack": 0.070, "both": 0.035, "tone": 0.0}
INTO_S, OUT_S = 0.0015, 0.015  # crossfades into an attack that is laid over, and out of it
JOIN_S = 0.008
FAR, LONG_BLOCK, CLEAN = 1.8, 8192, 1.9
WINDOW, HOP, LIFTED = 2048, 512, 60  # of the spectral envelope; quefrencies that are kept


def stretched(sound: Samples, rate: int, frames: int, semitones: float, marks: Sequence[int], protect: str) -> Samples:
    """(frames, channels) of (n, channels): so many samples long, so many semitones up. marks: samples at which attacks begin."""
    count = len(sound)
    if not count or frames < 1:
        return np.zeros((max(0, frames), sound.shape[1]), np.float32)
    if frames == count and not semitones:
        return sound
    out = _tone(sound, rate, frames, semitones)
    length = int(ATTACK_S[protect] * rate)
    if not length:
        return out
    # At this pitch, but at its own speed: what the attacks are taken from.
    turned = 2.0 ** (semitones / 12)
    own = np.asarray(soxr.resample(sound, turned, 1.0, quality="VHQ"), np.float32) if semitones else sound
    at = sorted({0, *(mark for mark in marks if 0 < mark < count)})
    for number, mark in enumerate(at):
        # Whole from the mark on: it comes in over what lies before.
        into = min(int(INTO_S * rate), int(round(mark / turned)), int(round(mark * frames / count)))
        begins = int(round(mark * frames / count)) - into
        until = int(round(at[number + 1] * frames / count)) if number + 1 < len(at) else frames
        from_own = int(round(mark / turned)) - into
        room = at[number + 1] / turned - from_own if number + 1 < len(at) else len(own) - from_own
        size = int(min(length, until - begins, room))
        if size > 4:
            _lay(out, own[from_own : from_own + size], begins, into, rate)
    return out


def _lay(out: Samples, attack: Samples, begins: int, into: int, rate: int) -> None:
    """Lay an attack over a stretched tone, which goes out under its beginning and comes back in under its end."""
    size = len(attack)
    into = min(into, size // 2)
    away = min(int(OUT_S * rate), size // 2)
    share = np.ones(size)
    if into:
        share[:into] = 0.5 - 0.5 * np.cos(np.pi * (np.arange(into) + 0.5) / into)
    share[size - away :] *= 0.5 + 0.5 * np.cos(np.pi * (np.arange(away) + 0.5) / away)
    here = out[begins : begins + size]
    here[:] = here * (1 - share[:, None]) + attack[: len(here)] * share[:, None]


def _tone(sound: Samples, rate: int, frames: int, semitones: float) -> Samples:
    """Longer first and then read faster, or the other way round: so the pitch is the resampler's, which is exact."""
    turned = 2.0 ** (semitones / 12)
    long = max(1, round(frames * turned))
    out = _longer(sound, rate, long)
    if semitones:
        out = np.asarray(soxr.resample(np.ascontiguousarray(out), turned, 1.0, quality="VHQ"), np.float32)
    fitted = np.zeros((frames, sound.shape[1]), np.float32)
    fitted[: min(frames, len(out))] = out[:frames]
    return fitted


def _longer(sound: Samples, rate: int, frames: int) -> Samples:
    """(frames, channels), in as many passes as keep each of them under twice as long: beyond that the library throws dice."""
    from python_stretch import Signalsmith

    passes = max(1, int(np.ceil(np.log(max(1.0, frames / len(sound))) / np.log(CLEAN))))
    for number in range(passes):
        wanted = frames if number == passes - 1 else round(len(sound) * (frames / len(sound)) ** (1 / (passes - number)))
        stretch = Signalsmith.Stretch()
        if frames > FAR * len(sound) or passes > 1:
            # Far stretched, a tone drifts by some cents unless the windows are longer.
            stretch.configure(sound.shape[1], LONG_BLOCK, LONG_BLOCK // 8)
        else:
            stretch.preset(sound.shape[1], rate)
        stretch.timeFactor = len(sound) / wanted
        made = np.asarray(stretch.process(np.ascontiguousarray(sound.T)), np.float32).T
        sound = np.zeros((wanted, made.shape[1]), np.float32)
        sound[: min(wanted, len(made))] = made[:wanted]
    return sound


def formants_moved(sound: Samples, semitones: float) -> Samples:
    """(n, channels): the same notes from a smaller voice (over 0) or a larger one: the spectral envelope moved by semitones."""
    if not semitones or len(sound) < WINDOW // 4:
        return sound
    count = len(sound)
    padded = np.pad(np.asarray(sound, np.float64), ((WINDOW, 2 * WINDOW), (0, 0)))
    window = exact_hann(WINDOW)
    blocks = 1 + (len(padded) - WINDOW) // HOP
    at = (np.arange(blocks) * HOP)[:, None] + np.arange(WINDOW)
    out = np.zeros_like(padded)
    bins = np.arange(WINDOW // 2 + 1)
    source = np.clip(bins * 2.0 ** (-semitones / 12), 0, WINDOW // 2)
    for channel in range(sound.shape[1]):
        spectra = spectra_of(padded[at, channel], window)
        shape = _envelope(np.abs(spectra))
        low = np.floor(source).astype(int)
        high, share = np.minimum(low + 1, WINDOW // 2), source - low
        moved = shape[:, low] * (1 - share) + shape[:, high] * share
        gain = np.exp(np.clip(moved - shape, -4.6, 4.6))
        back = np.fft.irfft(spectra * gain, axis=1) * window
        np.add.at(out[:, channel], at, back)
    norm = np.zeros(len(padded))
    np.add.at(norm, at, np.broadcast_to(window**2, at.shape))
    out /= np.maximum(norm, 1e-3)[:, None]
    return np.asarray(out[WINDOW : WINDOW + count], np.float32)


def _envelope(size: Row) -> Row:
    """(blocks, bins) natural logarithm of the spectral envelope."""
    floor = np.maximum(size, 1e-6 * max(float(size.max(initial=0)), 1e-9))
    cepstrum = np.fft.irfft(np.log(floor), axis=1)
    keep = np.zeros(WINDOW)
    keep[:LIFTED] = 1
    keep[-LIFTED + 1 :] = 1
    return np.asarray(np.fft.rfft(cepstrum * keep, axis=1).real)


def with_part(sound: Samples, rate: int, first: int, last: int, semitones: float, level_db: float, times: float) -> Samples:
    """(m, channels) of (n, channels): a part of it, between two samples, with a pitch, a level and a length of its own. It is
    cut where it is quietest near its ends, and crossfaded there."""
    first, last = max(0, first), min(last, len(sound))
    if last - first < int(0.01 * rate) or (not semitones and not level_db and times == 1.0):
        return sound
    first, last = quiet_near(sound, first, rate), quiet_near(sound, last, rate)
    join = min(int(JOIN_S * rate), (last - first) // 3, first, len(sound) - last)
    part = sound[first - join : last + join]
    longer = round((last - first) * times) + 2 * join
    made = stretched(part, rate, longer, semitones, (), "tone") if semitones or times != 1.0 else part.copy()
    made = made * np.float32(10 ** (level_db / 20))
    if not join:
        return np.asarray(np.concatenate((sound[:first], made, sound[last:])), np.float32)
    rise = (np.sin(0.5 * np.pi * (np.arange(2 * join) + 0.5) / (2 * join)) ** 2)[:, None]
    out = np.zeros((first - join + len(made) + len(sound) - last - join, sound.shape[1]))
    out[: first + join] = sound[: first + join]
    out[first - join : first + join] *= 1 - rise
    tail = first - join + len(made) - 2 * join
    made[: 2 * join] *= rise
    made[-2 * join :] *= 1 - rise
    out[first - join : first - join + len(made)] += made
    rest = sound[last - join :].astype(np.float64)
    rest[: 2 * join] *= rise
    out[tail : tail + len(rest)] += rest
    return np.asarray(out, np.float32)


def quiet_near(sound: Samples, place: int, rate: int, within_s: float = 0.01) -> int:
    """The sample near a place at which (n, channels) is least, summed over a fifth of a millisecond."""
    reach, wide = int(within_s * rate), max(1, int(0.0002 * rate))
    first, last = max(0, place - reach), min(len(sound), place + reach + wide)
    if last - first <= wide:
        return place
    total = np.cumsum(np.abs(sound[first:last]).sum(axis=1, dtype=np.float64))
    return first + int(np.argmin(total[wide:] - total[:-wide])) + wide // 2
