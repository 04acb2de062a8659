"""Fit the weights of core/listen/tempo/metre.py, which are two networks fitted apart.

    python -m training.listen.fit_metre metre1.npz pulses*.npz --seed 2 --epochs 7 --tempi 0.5
    python -m training.listen.fit_metre metre2.npz pulses*.npz --seed 5 --epochs 10 --drop 0.3

Needs torch (2.13, CPU). Loss: the probability that a softmax over all hypotheses of a case gives to the true ones. The second
learns from the songs of our own arranger and a quarter of the others. What was chosen between fits (which two, and how much
the pace of tapping counts) was chosen on the pieces of bench.composed.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

from grainpocket.core.listen.tempo.bar_profile import CHANNELS, LAGS, WIDEST
from grainpocket.core.listen.tempo.metre import FEATURES
from training.listen.asking import asking, begun

WIDTHS, BATCH, RATE, DECAY, KEPT, NOISE = (96, 32), 16, 2e-3, 3e-4, 90, 0.1
# The column that tells the tempo, in octaves; the next one has its square.
TEMPO = len(CHANNELS) * WIDEST + 3 * LAGS + 4
# (first row, which rows are true, how many wrong hypotheses each wrong one stands for) of each case of a batch
Index = list[tuple[int, NDArray[np.bool_], float]]


class Cases:
    """Cases of all files, each with its true hypotheses and KEPT of its wrong ones; one in twelve is watched, not learnt."""

    def __init__(self, files: list[Path], rng: np.random.Generator) -> None:
        tables, rights, watched = [], [], []
        self.size: list[int] = []
        self.weight: list[float] = []
        for file in files:
            with np.load(file) as data:
                x, true, sizes, stands_for = (data[k] for k in ("x", "true", "sizes", "stands_for"))
            first = np.concatenate(([0], np.cumsum(sizes)))
            keep = np.zeros(len(x), bool)
            for c, weight in enumerate(stands_for):
                rows = np.arange(first[c], first[c + 1])
                right, wrong = rows[true[rows]], rows[~true[rows]]
                some = rng.choice(wrong, min(KEPT, len(wrong)), replace=False)
                keep[right] = keep[some] = True
                self.size.append(len(right) + len(some))
                self.weight.append(float(weight) * len(wrong) / max(1, len(some)))
            tables.append(x[keep])
            rights.append(true[keep])
            # Pieces of one song stay together.
            watched.append(np.arange(len(sizes)) % 100 >= 92)
        self.table, self.right, self.watched = np.concatenate(tables), np.concatenate(rights), np.concatenate(watched)
        self.starts = np.concatenate(([0], np.cumsum(self.size)))
        some = self.table[:: max(1, len(self.table) // 200000)].astype(np.float32)
        self.mean, self.scale = some.mean(axis=0), np.maximum(some.std(axis=0), 0.05)

    def batch(self, cases: NDArray[np.int64], tempi: float, rng: np.random.Generator) -> tuple[torch.Tensor, Index]:
        """tempi: standard deviation, in octaves, of what is added to the tempo of a whole case, so that it is not gone by."""
        parts, index, first = [], [], 0
        for c in cases.tolist():
            rows = slice(self.starts[c], self.starts[c + 1])
            x = self.table[rows].astype(np.float32)
            if tempi:
                x[:, TEMPO] += rng.normal(0, tempi)
                x[:, TEMPO + 1] = x[:, TEMPO] ** 2
            parts.append((x - self.mean) / self.scale)
            index.append((first, self.right[rows], self.weight[c]))
            first += len(x)
        return torch.from_numpy(np.vstack(parts)), index


def main() -> None:
    ask = asking(__doc__, epochs=10)
    ask.add_argument("--tempi", type=float, default=0.0)
    ask.add_argument("--drop", type=float, default=0.2)
    asked = begun(ask)
    rng = np.random.default_rng(asked.seed)
    cases = Cases(asked.files, rng)
    net = nn.Sequential(
        nn.Linear(FEATURES, WIDTHS[0]), nn.ReLU(), nn.Dropout(asked.drop), nn.Linear(*WIDTHS), nn.ReLU(), nn.Linear(WIDTHS[1], 1)
    )
    learn, seen = np.flatnonzero(~cases.watched), np.flatnonzero(cases.watched)
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=RATE, total_steps=asked.epochs * (len(learn) // BATCH + 1))
    for epoch in range(asked.epochs):
        net.train()
        order = rng.permutation(learn)
        for i in range(0, len(order), BATCH):
            rows, index = cases.batch(order[i : i + BATCH], asked.tempi, rng)
            loss = _loss(net(rows + NOISE * torch.randn_like(rows))[:, 0], index)
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
        net.eval()
        score, total = 0, 0.0
        with torch.no_grad():
            for i in range(0, len(seen), 64):
                rows, index = cases.batch(seen[i : i + 64], 0.0, rng)
                guess = net(rows)[:, 0]
                total += float(_loss(guess, index)) * len(index)
                score += sum(bool(truth[int(guess[at : at + len(truth)].argmax())]) for at, truth, _ in index)
        print(epoch + 1, "loss", round(total / len(seen), 3), "right", round(score / len(seen), 3), flush=True)
    layers = [m for m in net if isinstance(m, nn.Linear)]
    arrays = {f"w{i}": m.weight.detach().numpy().T.astype(np.float16) for i, m in enumerate(layers)}
    arrays |= {f"b{i}": m.bias.detach().numpy().astype(np.float16) for i, m in enumerate(layers)}
    np.savez_compressed(asked.out, mean=cases.mean.astype(np.float16), scale=cases.scale.astype(np.float16), **arrays)


def _loss(guess: torch.Tensor, index: Index) -> torch.Tensor:
    total = []
    for first, truth, weight in index:
        mine = guess[first : first + len(truth)]
        known = torch.from_numpy(truth)
        all_of_them = torch.logsumexp(mine + torch.log(torch.where(known, 1.0, weight)), 0)
        total.append(all_of_them - torch.logsumexp(mine[known], 0))
    return torch.stack(total).mean()


if __name__ == "__main__":
    main()
