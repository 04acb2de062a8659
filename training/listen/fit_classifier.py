"""Fit the weights of core/listen/onsets/classifier.py.

    python -m training.listen.fit_classifier classifier2.npz examples1.npz ... --watched examples9.npz --seed 1

Needs torch (2.13, CPU). Loss: binary cross-entropy of every output, unknown labels left out.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.onsets.classifier import FEATURES, OUTPUTS
from training.listen.asking import asking, begun
from training.listen.perceptron import arrays_of

BATCH, RATE, DECAY, DROP = 1024, 2.5e-3, 1e-4, 0.12
# Of the candidates, so many at once when their mean and spread are measured.
_PART = 20_000


def main() -> None:
    ask = asking(__doc__, epochs=18)
    ask.add_argument("--watched", type=Path, nargs="+", required=True, help="looked at, not learnt")
    ask.add_argument("--hidden", type=int, nargs=2, default=(256, 96))
    asked = begun(ask)
    rng = np.random.default_rng(asked.seed)
    (x, y), (seen, truth) = (_read(files) for files in (asked.files, asked.watched))
    mean, scale = _spread(x)
    watch, known = torch.from_numpy((seen.astype(np.float32) - mean) / scale), torch.from_numpy(truth.astype(np.float32))
    first, second = asked.hidden
    net = nn.Sequential(
        nn.Linear(FEATURES, first), nn.ReLU(), nn.Dropout(DROP), nn.Linear(first, second), nn.ReLU(),
        nn.Dropout(DROP), nn.Linear(second, len(OUTPUTS)),
    )  # fmt: skip
    per = len(x) // BATCH
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=RATE, total_steps=asked.epochs * per + 1)
    for epoch in range(asked.epochs):
        net.train()
        order = rng.permutation(len(x))
        for rows in np.split(order[: per * BATCH], per):
            batch = torch.from_numpy((x[rows].astype(np.float32) - mean) / scale)
            # Records differ in level and tone: shift all bands together, and blur them.
            batch = batch + 0.05 * torch.randn_like(batch) + 0.15 * torch.randn(BATCH, 1)
            loss = _loss(net(batch), torch.from_numpy(y[rows].astype(np.float32)))
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
        if epoch % 3 == 2:
            net.eval()
            with torch.no_grad():
                guess = torch.cat([net(part) for part in torch.split(watch, _PART)])
            print(epoch + 1, round(float(_loss(guess, known)), 4), _scores(guess.numpy() > 0, truth), flush=True)
    np.savez_compressed(asked.out, mean=mean.astype(np.float16), scale=scale.astype(np.float16), **arrays_of(net))


def _read(files: list[Path]) -> tuple[np.ndarray, np.ndarray]:
    kept = [np.load(file) for file in files]
    return np.concatenate([f["x"] for f in kept]), np.concatenate([f["y"] for f in kept])


def _spread(x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Mean and spread of each column, a part of the rows at a time: they are kept in half the bits."""
    total, square = np.zeros(x.shape[1]), np.zeros(x.shape[1])
    for first in range(0, len(x), _PART):
        some = x[first : first + _PART].astype(np.float64)
        total, square = total + some.sum(axis=0), square + (some**2).sum(axis=0)
    mean = total / len(x)
    scale = np.sqrt(np.maximum(square / len(x) - mean**2, 0))
    return mean.astype(np.float32), np.maximum(scale, 0.02).astype(np.float32)


def _loss(guess: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    known = (truth >= 0).float()
    each = nn.functional.binary_cross_entropy_with_logits(guess, truth.clamp(min=0), reduction="none")
    return (each * known).sum() / known.sum()


def _scores(guess: np.ndarray, truth: np.ndarray) -> dict[str, float]:
    out = {}
    for i, name in enumerate(OUTPUTS):
        known = truth[:, i] >= 0
        hit = (guess[known, i] & (truth[known, i] == 1)).sum()
        out[name] = round(float(2 * hit / max(1, guess[known, i].sum() + (truth[known, i] == 1).sum())), 3)
    return out


if __name__ == "__main__":
    main()
