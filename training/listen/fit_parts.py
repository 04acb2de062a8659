"""Fit the weights of core/listen/passages.py and core/listen/hits.py.

    python -m training.listen.fit_parts passages.npz hits.npz parts1.npz parts2.npz ...

Needs torch (2.13, CPU). The last tenth of each file is watched, not learnt.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen import hits, passages
from grainpocket.core.listen.layers import Layers

PASSAGES, HITS, DECAY, DROP, BATCH = (64, 32), (64, 32), 1e-3, 0.25, 256


def main() -> None:
    out_passages, out_hits, files = Path(sys.argv[1]), Path(sys.argv[2]), [np.load(f) for f in sys.argv[3:]]
    torch.manual_seed(1)
    torch.set_num_threads(1)
    bars, truth = np.concatenate([f["bars"] for f in files]), np.concatenate([f["bar_truth"] for f in files])
    watch = np.concatenate([np.arange(len(f["bars"])) > 0.9 * len(f["bars"]) for f in files])
    known = torch.from_numpy((truth >= 0).astype(np.float32))
    target = torch.from_numpy(np.maximum(truth, 0).astype(np.float32))

    def bar_loss(guess: torch.Tensor, rows: torch.Tensor) -> torch.Tensor:
        loss = nn.functional.binary_cross_entropy_with_logits(guess, target[rows], reduction="none")
        return (loss * known[rows]).sum() / known[rows].sum()

    net = fit(bars.astype(np.float32), watch, PASSAGES, 3, bar_loss, 14)
    save(out_passages, *net)
    guess = _run(net, bars.astype(np.float32))[watch]
    for i, name in enumerate(passages.OUTPUTS):
        sure = truth[watch, i] >= 0
        print(name, "right", round(float(((guess[sure, i] > 0) == (truth[watch, i][sure] == 1)).mean()), 4))
    bare, sure = truth[watch], (truth[watch] >= 0).all(axis=1)
    is_bare = (bare == (1, 0, 0)).all(axis=1)[sure]
    said = ((guess[:, 0] > 0) & (guess[:, 1] < 0) & (guess[:, 2] < 0))[sure]
    print("bare F", round(2 * float((is_bare & said).sum()) / max(1, float(is_bare.sum() + said.sum())), 4), int(is_bare.sum()))

    rows = np.concatenate([f["hits"] for f in files]).astype(np.float32)
    sounding = 1 / (1 + np.exp(-np.clip(_run(net, rows[:, hits.FEATURES :]), -30, 30)))
    x = np.hstack((rows[:, : hits.FEATURES], sounding)).astype(np.float32)
    cover, groups = np.concatenate([f["cover"] for f in files]).astype(np.float32), np.concatenate([f["groups"] for f in files])
    held = np.concatenate([np.arange(len(f["hits"])) > 0.9 * len(f["hits"]) for f in files])
    goal = torch.from_numpy(np.clip(cover, -40, 25)[:, None] / hits.SCALE_DB)

    def hit_loss(guess: torch.Tensor, rows: torch.Tensor) -> torch.Tensor:
        return nn.functional.smooth_l1_loss(guess, goal[rows], beta=0.15)

    second = fit(x, held, HITS, 1, hit_loss, 14)
    save(out_hits, *second)
    guess = _run(second, x)[held, 0] * hits.SCALE_DB
    print("cover: mean error", round(float(np.abs(guess - cover[held]).mean()), 2), "dB")
    lost = []
    for group in np.unique(groups[held]):
        mine = groups[held] == group
        lost.append((group % 4, cover[held][mine][guess[mine].argmin()] - cover[held][mine].min()))
    for i, role in enumerate(hits.DRUMS):
        d = np.array([v for g, v in lost if g == i])
        if len(d):
            print(
                role,
                len(d),
                "first within 1 dB of the best",
                round(float((d <= 1).mean()), 3),
                "median",
                round(float(np.median(d)), 2),
            )


def fit(x, watch, hidden, outputs, loss_of, epochs):  # type: ignore[no-untyped-def]
    mean, scale = x.mean(axis=0), np.maximum(x.std(axis=0), 0.05)
    data = torch.from_numpy((x - mean) / scale)
    net = nn.Sequential(
        nn.Linear(x.shape[1], hidden[0]), nn.ReLU(), nn.Dropout(DROP), nn.Linear(hidden[0], hidden[1]), nn.ReLU(),
        nn.Linear(hidden[1], outputs),
    )  # fmt: skip
    learn, seen = np.flatnonzero(~watch), torch.from_numpy(np.flatnonzero(watch))
    optimiser = torch.optim.AdamW(net.parameters(), lr=2e-3, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=2e-3, total_steps=epochs * (len(learn) // BATCH + 1))
    rng = np.random.default_rng(1)
    for epoch in range(epochs):
        net.train()
        order = torch.from_numpy(rng.permutation(learn))
        for i in range(0, len(order), BATCH):
            rows = order[i : i + BATCH]
            some = data[rows]
            loss = loss_of(net(some + 0.1 * torch.randn_like(some)), rows)
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
        net.eval()
        with torch.no_grad():
            print(epoch + 1, round(float(loss_of(net(data[seen]), seen)), 4), flush=True)
    return net, mean, scale


def arrays_of(net: nn.Sequential) -> dict[str, np.ndarray]:
    layers = [m for m in net if isinstance(m, nn.Linear)]
    arrays = {f"w{i}": m.weight.detach().numpy().T.astype(np.float16) for i, m in enumerate(layers)}
    return arrays | {f"b{i}": m.bias.detach().numpy().astype(np.float16) for i, m in enumerate(layers)}


def _run(fitted, x):  # type: ignore[no-untyped-def]
    net, mean, scale = fitted
    a = {k: v.astype(np.float32) for k, v in arrays_of(net).items()}
    count = len(a) // 2
    return Layers(tuple(a[f"w{i}"] for i in range(count)), tuple(a[f"b{i}"] for i in range(count)), mean, scale)(x)


def save(out: Path, net: nn.Sequential, mean: np.ndarray, scale: np.ndarray) -> None:
    np.savez_compressed(out, mean=mean.astype(np.float16), scale=scale.astype(np.float16), **arrays_of(net))


if __name__ == "__main__":
    main()
