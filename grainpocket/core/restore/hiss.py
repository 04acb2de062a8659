"""Hiss: steady noise, known from the faintest cells of the spectrum, turned down where nothing stands above it.

In: (n,) float32 of one channel. Noise: in every band of half an octave, the faintest cells of a fine spectrum hold noise alone,
and the power of noise follows an exponential law, so that two of its quantiles tell its mean whatever share of the cells the
music takes (after Martin, "Noise power spectral density estimation based on optimal smoothing and minimum statistics", IEEE SAP
9, 2001, here over the whole recording at once, as hiss does not change). Low bands, where the music leaves no gap, are held to
what the higher ones say: hiss is smooth. Gain: log-spectral amplitude estimator with decision-directed a-priori SNR (Ephraim &
Malah, IEEE ASSP 33, 1985).
"""

from __future__ import annotations

import functools
import itertools

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import exact_hann, framed, spectra_of

SIZE, HOP, SMOOTH = 2048, 512, 0.9
SILENT = 1e-9  # summed power of a frame of digital silence
CLEAR = 8.0  # times the noise: what stands this far over it is there at once
FINE = 8192  # samples of a frame that noise is measured in: partials leave gaps between them
LOWEST_HZ, BANDS_AN_OCTAVE = 150.0, 2
QUANTILES = (0.1, 0.2)  # faintest shares of the cells; the lower of both readings counts
SLOPE_DB = 0.75  # an octave: by how much noise may rise towards the low end
CUT_DB = 12.0  # a fall like this from one band to the next is where a coder or a filter ends the record
SURE_HZ = 3000.0  # bands from here on are measured, those below held to them
Power = NDArray[np.float64]


def spectra(samples: Samples) -> NDArray[np.complex128]:
    """(frames, SIZE / 2 + 1), of frames a HOP apart, from before the first sample on: each sample lies in four of them."""
    padded = np.pad(samples.astype(np.float64), SIZE)
    return spectra_of(framed(padded[HOP:], SIZE, HOP), exact_hann(SIZE, root=True))


def noise_of(samples: Samples, rate: int) -> Power:
    """(SIZE / 2 + 1,) power of the hiss in (n,) samples, as it is in a frame of `spectra`; zeros where none is heard."""
    at = np.fft.rfftfreq(SIZE, 1 / rate)
    from scipy import signal

    window = signal.windows.blackmanharris(FINE)
    window /= np.sqrt(np.sum(window**2))
    if len(samples) < 4 * FINE:
        return np.zeros(len(at))
    powers = np.abs(spectra_of(framed(np.asarray(samples, np.float64), FINE, FINE // 2), window)) ** 2
    powers = powers[powers.sum(axis=1) > SILENT]
    if not len(powers):
        return np.zeros(len(at))
    hz = np.fft.rfftfreq(FINE, 1 / rate)
    edges = LOWEST_HZ * 2 ** (np.arange(1 + int(BANDS_AN_OCTAVE * np.log2(rate / 2.2 / LOWEST_HZ))) / BANDS_AN_OCTAVE)
    spans = list(itertools.pairwise([0.0, *edges, rate / 2.0]))
    found = np.array([_mean_of_noise(powers[:, (hz >= low) & (hz < high)]) for low, high in spans])
    centres = np.array([np.sqrt(max(low, 20.0) * high) for low, high in spans])
    level = 10 * np.log10(np.maximum(found, 1e-20))
    sure = centres >= SURE_HZ
    falls = np.flatnonzero(sure[1:] & (np.diff(level) < -CUT_DB))
    end = int(falls[0]) + 1 if len(falls) else len(level)
    for i in range(end - 2, -1, -1):
        level[i] = min(level[i], level[i + 1] + SLOPE_DB * np.log2(centres[i + 1] / centres[i]))
    level[end:] = np.minimum(level[end:], level[end - 1])
    # From the power of a unit window to that of a frame: its window's squares add up to half its length.
    return np.asarray(10 ** (np.interp(np.log(np.maximum(at, 20.0)), np.log(centres), level) / 10) * (SIZE / 2))


def _mean_of_noise(cells: Power) -> float:
    """The mean of the exponential law that the faintest cells follow. F(x) = c (1 - exp(-x / mean)), so F(2x) / F(x) - 1 is
    exp(-x / mean) whatever c is."""
    ordered = np.sort(cells, axis=None)
    readings = []
    for share in QUANTILES:
        x = ordered[int(len(ordered) * share)]
        ratio = np.searchsorted(ordered, 2 * x) / (len(ordered) * share) - 1
        if 0 < ratio < 1 and x > 0:
            readings.append(float(-x / np.log(ratio)))
        else:
            # Too few cells to tell: at most what they would be if all of them were noise.
            readings.append(float(x / -np.log1p(-share)))
    return min(readings)


def dehiss(samples: Samples, noise: Power, amount_db: float) -> Samples:
    """(n,) float32 with the hiss turned down by up to amount_db."""
    if amount_db <= 0 or not noise.any():
        return samples
    all_of_it = spectra(samples)
    least = 10 ** (-amount_db / 20)
    floor = np.maximum(noise, 1e-16)
    before = np.ones(all_of_it.shape[1])
    out = np.zeros(len(samples) + 2 * SIZE)
    window = exact_hann(SIZE, root=True)
    for i, spectrum in enumerate(all_of_it):
        post = np.minimum((spectrum.real**2 + spectrum.imag**2) / floor, 1e4)
        prior = SMOOTH * before + (1 - SMOOTH) * np.maximum(post - 1, 0)
        # An attack is at once all there: what is far over the noise needs no smoothing.
        prior = np.where(post > CLEAR, np.maximum(prior, post - 1), np.maximum(prior, 1e-3))
        gain = np.maximum(_gain(prior, post), least)
        before = gain**2 * post
        at = HOP + i * HOP
        piece = np.fft.irfft(spectrum * gain) * window
        out[at : at + SIZE] += piece[: len(out) - at]
    # Squared root windows a quarter apart add up to two.
    return np.asarray(out[SIZE : SIZE + len(samples)] / 2, np.float32)


def _gain(prior: Power, post: Power) -> Power:
    share = prior / (1 + prior)
    at, lift = _lift()
    return np.asarray(share * np.interp(np.sqrt(share * post), at, lift))


@functools.cache
def _lift() -> tuple[Power, Power]:
    """exp(E1(v) / 2) over the square root of v: the integral is the dear part of the estimator, and smooth."""
    from scipy.special import exp1

    at = np.linspace(0.01, 4, 2000)
    return at, np.exp(0.5 * exp1(at**2))
