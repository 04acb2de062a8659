"""Fit the weights of core/listen/clean_hits.py: decibels of cover, and above all which hit of a record is the cleanest.

    python -m training.listen.fit_clean_hits clean_hits1.npz parts*.npz --seed 2

Of parts16, 17, 20, 21, 22 and 23; clean_hits2.npz to clean_hits4.npz likewise with seeds 3, 4 and 5.

Needs torch (2.13, CPU). One group in twelve (the hits of a drum of a song) is watched, not learnt.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.drums import clean_hits
from grainpocket.core.listen.passages import passages
from training.listen.asking import asking, begun
from training.listen.perceptron import DECAY, Fitted, network, run, save

HIDDEN = (128, 48)
LIMITS, SILENT_DB, SHARP_DB, RANK, GROUPS = (-40.0, 25.0), -30.0, 2.0, 0.1, 8


def main() -> None:
    asked = begun(asking(__doc__, epochs=16))
    files = [np.load(f) for f in asked.files]
    rows = np.concatenate([f["hits"] for f in files]).astype(np.float32)
    cover, groups = np.concatenate([f["cover"] for f in files]).astype(np.float32), np.concatenate([f["groups"] for f in files])
    sounding = 1 / (1 + np.exp(-np.clip(passages.by_bar(rows[:, clean_hits.FEATURES :]), -30, 30)))
    x = np.zeros((len(rows), clean_hits.INPUTS), np.float32)
    all_groups = [np.flatnonzero(groups == g) for g in np.unique(groups)]
    for mine in all_groups:
        x[mine] = clean_hits.inputs(rows[mine, : clean_hits.FEATURES], sounding[mine].astype(np.float32))
    watched = [g for i, g in enumerate(all_groups) if i % 12 == 0]
    learnt = [g for i, g in enumerate(all_groups) if i % 12]
    goal = torch.from_numpy(np.clip(cover, *LIMITS) / clean_hits.SCALE_DB)

    def loss_of(guess: torch.Tensor, some: list[np.ndarray]) -> torch.Tensor:
        truth = torch.cat([goal[g] for g in some])
        loss = nn.functional.smooth_l1_loss(guess, truth, beta=0.15)
        first, order = 0, []
        for g in some:
            mine, true = guess[first : first + len(g)] * clean_hits.SCALE_DB, goal[g] * clean_hits.SCALE_DB
            wanted = torch.softmax(-torch.clamp(true, min=SILENT_DB) / SHARP_DB, 0)
            order.append(-(wanted * torch.log_softmax(-mine / SHARP_DB, 0)).sum())
            first += len(g)
        return loss + RANK * torch.stack(order).mean()

    fitted = fit_groups(x, learnt, asked.epochs, loss_of)
    save(asked.out, *fitted)
    guess = run(fitted, x)[:, 0] * clean_hits.SCALE_DB
    print("cover: mean error", round(float(np.abs(guess - np.clip(cover, *LIMITS))[np.concatenate(watched)].mean()), 2), "dB")
    for i, role in enumerate(clean_hits.DRUMS):
        mine = [g for g in watched if groups[g[0]] % 4 == i and cover[g].min() < 20]
        lost = np.array([max(cover[g][guess[g].argmin()], SILENT_DB) - max(cover[g].min(), SILENT_DB) for g in mine])
        print(
            role, len(mine), "first within 1 dB of the best", round(float((lost <= 1).mean()), 3), round(float(np.median(lost)), 2)
        )


def fit_groups(x: np.ndarray, groups: list[np.ndarray], epochs: int, loss_of: Callable[..., torch.Tensor]) -> Fitted:
    mean, scale = x.mean(axis=0), np.maximum(x.std(axis=0), 0.05)
    data, net = torch.from_numpy((x - mean) / scale), network(x.shape[1], HIDDEN, 1)
    optimiser = torch.optim.AdamW(net.parameters(), lr=2e-3, weight_decay=DECAY)
    steps = epochs * (len(groups) // GROUPS + 1)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=2e-3, total_steps=steps)
    rng = np.random.default_rng(1)
    for _ in range(epochs):
        order = rng.permutation(len(groups))
        for i in range(0, len(order), GROUPS):
            some = [groups[k] for k in order[i : i + GROUPS]]
            rows = data[np.concatenate(some)]
            loss = loss_of(net(rows + 0.1 * torch.randn_like(rows))[:, 0], some)
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
    net.eval()
    return net, mean, scale


if __name__ == "__main__":
    main()
