"""Spectra round chosen samples, against those of the same stretches cut out by hand."""

from __future__ import annotations

import numpy as np

from grainpocket.core.listen.spectra.windows import hann, magnitudes


def test_each_is_the_spectrum_of_its_stretch_and_outside_is_silence() -> None:
    rng = np.random.default_rng(1)
    samples, size = rng.standard_normal(5000).astype(np.float32), 256
    middle = np.sort(rng.integers(0, 5000, 700))
    middle[0], middle[-1] = 0, 4999
    padded = np.pad(samples, size)
    seen = 0
    for rows, found in magnitudes(samples, middle, size):
        assert rows.start == seen
        seen = rows.stop
        for place, one in zip(middle[rows].tolist(), found, strict=True):
            stretch = padded[place + size // 2 : place + size // 2 + size] * hann(size)
            np.testing.assert_allclose(one, np.abs(np.fft.rfft(stretch)), atol=1e-3)
    assert seen == len(middle)


def test_of_no_places_there_is_nothing() -> None:
    assert not list(magnitudes(np.ones(100, np.float32), np.zeros(0, np.int64), 64))
