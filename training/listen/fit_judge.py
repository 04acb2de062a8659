"""Fit the weights of core/listen/judge.py.

    python -m training.listen.fit_judge judge.npz examples1.npz examples2.npz ...

Needs torch (2.13, CPU). Loss: binary cross-entropy of every output, unknown labels left out.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.judge import FEATURES, OUTPUTS

HIDDEN, EPOCHS, BATCH, RATE, DECAY, DROP = (224, 64), 50, 1024, 3e-3, 1e-4, 0.15


def main() -> None:
    out, files = Path(sys.argv[1]), sys.argv[2:]
    torch.manual_seed(1)
    torch.set_num_threads(1)
    loaded = [np.load(f) for f in files]
    x = np.concatenate([d["x"] for d in loaded]).astype(np.float32)
    y = np.concatenate([d["y"] for d in loaded]).astype(np.float32)
    mean, scale = x.mean(axis=0), np.maximum(x.std(axis=0), 0.02)
    # The last tenth of each file was rendered by other draws than the rest: kept to watch, not to learn from.
    held = np.zeros(len(x), bool)
    at = 0
    for d in loaded:
        held[at + int(len(d["x"]) * 0.93) : at + len(d["x"])] = True
        at += len(d["x"])
    net = nn.Sequential(
        nn.Linear(FEATURES, HIDDEN[0]), nn.ReLU(), nn.Dropout(DROP), nn.Linear(HIDDEN[0], HIDDEN[1]), nn.ReLU(),
        nn.Dropout(DROP), nn.Linear(HIDDEN[1], len(OUTPUTS)),
    )  # fmt: skip
    xs, ys = torch.from_numpy((x - mean) / scale), torch.from_numpy(y)
    learn, watch = torch.from_numpy(np.flatnonzero(~held)), torch.from_numpy(np.flatnonzero(held))
    steps = EPOCHS * (len(learn) // BATCH)
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=RATE, total_steps=steps + 1)
    for epoch in range(EPOCHS):
        net.train()
        for part in torch.split(learn[torch.randperm(len(learn))], BATCH)[: len(learn) // BATCH]:
            seen = xs[part]
            # Records differ in level and tone: shift all bands together, and tilt them.
            seen = seen + 0.05 * torch.randn_like(seen) + 0.15 * torch.randn(len(part), 1)
            loss = _loss(net(seen), ys[part])
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
        if epoch % 5 == 4:
            net.eval()
            with torch.no_grad():
                guess = net(xs[watch])
            print(epoch + 1, round(float(_loss(guess, ys[watch])), 4), _scores(guess.numpy() > 0, ys[watch].numpy()), flush=True)
    layers = [m for m in net if isinstance(m, nn.Linear)]
    table = {f"w{i}": m.weight.detach().numpy().T.astype(np.float16) for i, m in enumerate(layers)}
    table |= {f"b{i}": m.bias.detach().numpy().astype(np.float16) for i, m in enumerate(layers)}
    np.savez_compressed(out, mean=mean.astype(np.float16), scale=scale.astype(np.float16), **table)


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
