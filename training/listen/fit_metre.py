"""Fit the weights of core/listen/metre.py.

    python -m training.listen.fit_metre metre.npz pulses1.npz pulses2.npz ...

Needs torch (2.13, CPU). Loss: the probability that a softmax over all hypotheses of a case gives to the true ones.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.metre import FEATURES

HIDDEN, EPOCHS, BATCH, RATE, DECAY, DROP = (96, 32), 18, 16, 2e-3, 3e-4, 0.2


def main() -> None:
    out, files = Path(sys.argv[1]), sys.argv[2:]
    torch.manual_seed(1)
    torch.set_num_threads(1)
    x, true, sizes, stands_for, held = [], [], [], [], []
    for file in files:
        d = np.load(file)
        x.append(d["x"])
        true.append(d["true"])
        sizes.append(d["sizes"])
        stands_for.append(d["stands_for"])
        # Pieces of one song stay together: the end of each part is watched, not learnt.
        count = len(d["sizes"])
        held.append(np.arange(count) % 100 >= 90)
    table, right = np.concatenate(x), np.concatenate(true)
    size, weight, watch = np.concatenate(sizes), np.concatenate(stands_for), np.concatenate(held)
    starts = np.concatenate(([0], np.cumsum(size)))
    mean = table[:: max(1, len(table) // 200000)].astype(np.float32).mean(axis=0)
    scale = np.maximum(table[:: max(1, len(table) // 200000)].astype(np.float32).std(axis=0), 0.05)
    net = nn.Sequential(
        nn.Linear(FEATURES, HIDDEN[0]), nn.ReLU(), nn.Dropout(DROP), nn.Linear(HIDDEN[0], HIDDEN[1]), nn.ReLU(),
        nn.Linear(HIDDEN[1], 1),
    )  # fmt: skip
    learn, seen = np.flatnonzero(~watch), np.flatnonzero(watch)
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=RATE, total_steps=EPOCHS * (len(learn) // BATCH + 1))
    rng = np.random.default_rng(1)

    def of(cases: np.ndarray) -> tuple[torch.Tensor, list[tuple[int, np.ndarray, float]]]:
        parts, index, first = [], [], 0
        for c in cases:
            rows = slice(starts[c], starts[c + 1])
            parts.append((table[rows].astype(np.float32) - mean) / scale)
            index.append((first, right[rows], float(weight[c])))
            first += len(parts[-1])
        return torch.from_numpy(np.vstack(parts)), index

    for epoch in range(EPOCHS):
        net.train()
        order = rng.permutation(learn)
        for i in range(0, len(order), BATCH):
            rows, index = of(order[i : i + BATCH])
            rows = rows + 0.1 * torch.randn_like(rows)
            loss = _loss(net(rows)[:, 0], index)
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
        net.eval()
        with torch.no_grad():
            score, total = 0, 0.0
            for i in range(0, len(seen), 64):
                rows, index = of(seen[i : i + 64])
                guess = net(rows)[:, 0]
                total += float(_loss(guess, index)) * len(index)
                score += sum(bool(truth[int(guess[at : at + len(truth)].argmax())]) for at, truth, _ in index)
        print(epoch + 1, "loss", round(total / len(seen), 3), "right", round(score / len(seen), 3), flush=True)
    layers = [m for m in net if isinstance(m, nn.Linear)]
    arrays = {f"w{i}": m.weight.detach().numpy().T.astype(np.float16) for i, m in enumerate(layers)}
    arrays |= {f"b{i}": m.bias.detach().numpy().astype(np.float16) for i, m in enumerate(layers)}
    np.savez_compressed(out, mean=mean.astype(np.float16), scale=scale.astype(np.float16), **arrays)


def _loss(guess: torch.Tensor, index: list[tuple[int, np.ndarray, float]]) -> torch.Tensor:
    total = []
    for first, truth, weight in index:
        mine = guess[first : first + len(truth)]
        known = torch.from_numpy(truth)
        all_of_them = torch.logsumexp(mine + torch.log(torch.where(known, 1.0, weight)), 0)
        total.append(all_of_them - torch.logsumexp(mine[known], 0))
    return torch.stack(total).mean()


if __name__ == "__main__":
    main()
