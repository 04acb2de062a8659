"""Models of one's own: what keeps the contract is an engine like any other, what does not is told why."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from grainpocket.core.sound.audio import Samples
from grainpocket.core.split.base import separate
from grainpocket.core.split.contract import Misfit, checked
from grainpocket.core.split.networks import Network
from grainpocket.core.split.spectra import sound_of, spectra
from tests.models import STEMS, spectrogram, waveform
from tests.signals import RATE

Made = Callable[..., Path]


def sound(seconds: float, rate: int = RATE) -> Samples:
    rng = np.random.default_rng(3)
    t = np.arange(round(seconds * rate)) / rate
    tone = np.sin(2 * np.pi * 330 * t) * 0.3
    return (np.stack((tone, 0.5 * tone), axis=1) + 0.05 * rng.standard_normal((len(t), 2))).astype(np.float32)


def engine(path: Path) -> Network:
    return Network("own x", path, checked(path))


@pytest.mark.parametrize("make", [waveform, spectrogram])
@pytest.mark.parametrize("quality", ["draft", "normal", "best"])
def test_what_a_network_takes_apart_adds_up(make: Made, quality: str, tmp_path: Path) -> None:
    x = sound(3.3)
    made = separate(engine(make(tmp_path / "m.onnx", segment=60 if make is spectrogram else 20000)), x, RATE, quality=quality)
    assert tuple(made) == STEMS
    assert np.abs(sum(made.values()) - x).max() < 1e-4
    assert max(np.abs(part).max() for part in made.values()) > 0.05


def test_segments_do_not_matter_to_a_network_that_looks_no_further(tmp_path: Path) -> None:
    x = sound(2.0)
    whole = separate(engine(waveform(tmp_path / "a.onnx", segment=10_000_000)), x, RATE)
    for quality in ("draft", "normal", "best"):
        pieces = separate(engine(waveform(tmp_path / "b.onnx", segment=9_000)), x, RATE, quality=quality)
        # At its ends a segment is padded: four samples of each, faded out.
        np.testing.assert_allclose(pieces["voice"][8:-8], whole["voice"][8:-8], atol=1e-4)


def test_masks_are_laid_on_the_bins_that_they_are_of(tmp_path: Path) -> None:
    """By hand: the same masks, from the file's own weights."""
    path = spectrogram(tmp_path / "m.onnx")
    x = sound(0.6)
    spectrum = spectra(x, 1024, root=False)
    rng = np.random.default_rng(6)
    weights, bias = rng.normal(0, 1, (6, 2, 1, 1))[:, :, 0, 0], rng.normal(0, 1, 6)
    power = np.abs(spectrum) ** 2
    scores = (np.einsum("oc,ctf->otf", weights, power) + bias[:, None, None]).reshape(3, 2, *power.shape[1:])
    masks = np.exp(scores - scores.max(axis=0))
    masks /= masks.sum(axis=0)
    made = separate(engine(path), x, RATE)
    for k, stem in enumerate(STEMS[:2]):
        np.testing.assert_allclose(made[stem], sound_of(spectrum * masks[k], len(x), 1024, root=False), atol=2e-4)


def test_a_network_of_another_rate_keeps_length_and_place(tmp_path: Path) -> None:
    made = separate(engine(waveform(tmp_path / "m.onnx", sample_rate=32000)), sound(1.01), RATE)
    assert {len(part) for part in made.values()} == {round(1.01 * RATE)}
    # Its parts and what they leave are still all of it.
    assert np.abs(sum(made.values()) - sound(1.01)).max() < 1e-4


def test_a_network_of_one_length_gets_that_length(tmp_path: Path) -> None:
    made = separate(engine(waveform(tmp_path / "m.onnx", frames=8192)), sound(0.7), RATE)
    assert np.abs(sum(made.values()) - sound(0.7)).max() < 1e-4


@pytest.mark.parametrize(
    ("make", "said", "why"),
    [
        (waveform, {"stems": None}, "does not say stems"),
        (waveform, {"stems": "drums,drums"}, "different names"),
        (waveform, {"stems": "drums,voice"}, r"\(1, 2, 2,"),
        (waveform, {"takes": "spectrogram"}, "has 3 axes"),
        (waveform, {"takes": "pictures"}, "axes"),
        (waveform, {"sample_rate": "fast"}, "cannot be"),
        (spectrogram, {"n_fft": 2048}, "stops"),
        (spectrogram, {"window": "square"}, "window"),
    ],
)
def test_what_does_not_fit_is_told_why(make: Made, said: dict[str, str | None], why: str, tmp_path: Path) -> None:
    with pytest.raises(Misfit, match=why):
        checked(make(tmp_path / "m.onnx", **said))


def test_what_is_no_model_is_told_so(tmp_path: Path) -> None:
    path = tmp_path / "m.onnx"
    path.write_bytes(b"not a network at all")
    with pytest.raises(Misfit, match="cannot be read"):
        checked(path)
