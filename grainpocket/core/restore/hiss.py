"""Hiss: steady noise, known from the quietest moments of each band, turned down where nothing stands above it.

Noise by minimum statistics (after Martin, "Noise power spectral density estimation based on optimal smoothing and minimum
statistics", IEEE SAP 9, 2001, here over the whole recording at once, as hiss does not change); gain by the log-spectral
amplitude estimator with decision-directed a-priori SNR (Ephraim & Malah, IEEE ASSP 33, 1985).
"""

from __future__ import annotations

import functools

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples

SIZE, HOP, SMOOTH = 2048, 512, 0.97
# The frames that are quieter than all but this share are taken for noise alone.
QUIET, SPREAD_HZ = 0.08, 300.0
Power = NDArray[np.float64]


def spectra(samples: Samples) -> NDArray[np.complex128]:
    """(frames, SIZE / 2 + 1), of frames centred on multiples of HOP."""
    padded = np.pad(samples.astype(np.float64), SIZE)
    view = np.lib.stride_tricks.sliding_window_view(padded, SIZE)[SIZE // 2 :: HOP]
    return np.asarray(np.fft.rfft(view * _window(), axis=1))


def _window() -> NDArray[np.float64]:
    return np.asarray(np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(SIZE) / SIZE)))


def noise_of(powers: Power, rate: int) -> Power:
    """(bins,) the hiss's own power, from (frames, bins) of the recording."""
    audible = powers[powers.sum(axis=1) > 1e-9]
    if not len(audible):
        return np.zeros(powers.shape[1])
    # The power of noise follows an exponential law: its quantiles tell its mean.
    lowest = np.quantile(audible, QUIET, axis=0) / -np.log(1 - QUIET)
    # Hiss has no lines: what is narrow there is a held note.
    reach = max(1, int(SPREAD_HZ * SIZE / rate))
    wide = np.pad(lowest, reach, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(wide, 2 * reach + 1), axis=1))


def dehiss(samples: Samples, noise: Power, amount_db: float) -> Samples:
    """(n,) float32 with the hiss turned down by up to amount_db."""
    if amount_db <= 0 or not noise.any():
        return samples
    all_of_it = spectra(samples)
    least = 10 ** (-amount_db / 20)
    floor = np.maximum(noise, 1e-16)
    before = np.ones(all_of_it.shape[1])
    out = np.zeros(len(samples) + 2 * SIZE)
    window = _window()
    for i, spectrum in enumerate(all_of_it):
        post = np.minimum((spectrum.real**2 + spectrum.imag**2) / floor, 1e4)
        prior = SMOOTH * before + (1 - SMOOTH) * np.maximum(post - 1, 0)
        # An attack is at once all there: what is far over the noise needs no smoothing.
        prior = np.where(post > 20, np.maximum(prior, post - 1), np.maximum(prior, 1e-3))
        gain = np.maximum(_gain(prior, post), least)
        before = gain**2 * post
        at = SIZE // 2 + i * HOP
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
