"""Fit the weights of core/listen/passages.py and core/listen/hits.py.

    python -m training.listen.fit_parts passages.npz hits.npz parts1.npz parts2.npz ...

Needs torch (2.13, CPU). The last tenth of each file is watched, not learnt.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen import hits, passages
from grainpocket.core.listen.layers import Layers

PASSAGES, HITS, DECAY, DROP, BATCH = (64, 32), (64, 32), 1e-3, 0.25, 256
LIMITS, SILENT_DB, SHARP_DB, RANK, GROUPS, HIT_EPOCHS = (-40.0, 25.0), -30.0, 2.0, 0.1, 8, 12
Fitted = tuple[nn.Sequential, np.ndarray, np.ndarray]


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
    guess = run(net, bars.astype(np.float32))[watch]
    for i, name in enumerate(passages.OUTPUTS):
        sure = truth[watch, i] >= 0
        print(name, "right", round(float(((guess[sure, i] > 0) == (truth[watch, i][sure] == 1)).mean()), 4))
    bare, sure = truth[watch], (truth[watch] >= 0).all(axis=1)
    is_bare = (bare == (1, 0, 0)).all(axis=1)[sure]
    said = ((guess[:, 0] > 0) & (guess[:, 1] < 0) & (guess[:, 2] < 0))[sure]
    print("bare F", round(2 * float((is_bare & said).sum()) / max(1, float(is_bare.sum() + said.sum())), 4), int(is_bare.sum()))

    fit_hits(out_hits, files, net)


def fit_hits(out: Path, files: list[np.lib.npyio.NpzFile], bars: Fitted) -> None:
    """Learn decibels of cover, and above all which hit of a record is the cleanest."""
    # Bars may be learnt of what an older look at the hits collected too.
    files = [f for f in files if f["hits"].shape[1] == hits.FEATURES + passages.FEATURES]
    rows = np.concatenate([f["hits"] for f in files]).astype(np.float32)
    cover, groups = np.concatenate([f["cover"] for f in files]).astype(np.float32), np.concatenate([f["groups"] for f in files])
    sounding = 1 / (1 + np.exp(-np.clip(run(bars, rows[:, hits.FEATURES :]), -30, 30)))
    x = np.zeros((len(rows), hits.INPUTS), np.float32)
    all_groups = [np.flatnonzero(groups == g) for g in np.unique(groups)]
    for mine in all_groups:
        x[mine] = hits.inputs(rows[mine, : hits.FEATURES], sounding[mine].astype(np.float32))
    watched = [g for i, g in enumerate(all_groups) if i % 12 == 0]
    learnt = [g for i, g in enumerate(all_groups) if i % 12]
    goal = torch.from_numpy(np.clip(cover, *LIMITS) / hits.SCALE_DB)

    def loss_of(guess: torch.Tensor, some: list[np.ndarray]) -> torch.Tensor:
        truth = torch.cat([goal[g] for g in some])
        loss = nn.functional.smooth_l1_loss(guess, truth, beta=0.15)
        first, order = 0, []
        for g in some:
            mine, true = guess[first : first + len(g)] * hits.SCALE_DB, goal[g] * hits.SCALE_DB
            wanted = torch.softmax(-torch.clamp(true, min=SILENT_DB) / SHARP_DB, 0)
            order.append(-(wanted * torch.log_softmax(-mine / SHARP_DB, 0)).sum())
            first += len(g)
        return loss + RANK * torch.stack(order).mean()

    fitted = fit_groups(x, learnt, HITS, loss_of)
    save(out, *fitted)
    guess = run(fitted, x)[:, 0] * hits.SCALE_DB
    print("cover: mean error", round(float(np.abs(guess - np.clip(cover, *LIMITS))[np.concatenate(watched)].mean()), 2), "dB")
    for i, role in enumerate(hits.DRUMS):
        mine = [g for g in watched if groups[g[0]] % 4 == i and cover[g].min() < 20]
        lost = np.array([max(cover[g][guess[g].argmin()], SILENT_DB) - max(cover[g].min(), SILENT_DB) for g in mine])
        print(
            role, len(mine), "first within 1 dB of the best", round(float((lost <= 1).mean()), 3), round(float(np.median(lost)), 2)
        )


def fit_groups(x: np.ndarray, groups: list[np.ndarray], hidden: tuple[int, int], loss_of: Callable[..., torch.Tensor]) -> Fitted:
    mean, scale = x.mean(axis=0), np.maximum(x.std(axis=0), 0.05)
    data, net = torch.from_numpy((x - mean) / scale), network(x.shape[1], hidden, 1)
    optimiser = torch.optim.AdamW(net.parameters(), lr=2e-3, weight_decay=DECAY)
    steps = HIT_EPOCHS * (len(groups) // GROUPS + 1)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=2e-3, total_steps=steps)
    rng = np.random.default_rng(1)
    for _ in range(HIT_EPOCHS):
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


def network(inputs: int, hidden: tuple[int, int], outputs: int) -> nn.Sequential:
    return nn.Sequential(
        nn.Linear(inputs, hidden[0]), nn.ReLU(), nn.Dropout(DROP), nn.Linear(hidden[0], hidden[1]), nn.ReLU(),
        nn.Linear(hidden[1], outputs),
    )  # fmt: skip


def fit(x, watch, hidden, outputs, loss_of, epochs) -> Fitted:  # type: ignore[no-untyped-def]
    mean, scale = x.mean(axis=0), np.maximum(x.std(axis=0), 0.05)
    data = torch.from_numpy((x - mean) / scale)
    net = network(x.shape[1], hidden, outputs)
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


def run(fitted, x):  # type: ignore[no-untyped-def]
    net, mean, scale = fitted
    a = {k: v.astype(np.float32) for k, v in arrays_of(net).items()}
    count = len(a) // 2
    return Layers(tuple(a[f"w{i}"] for i in range(count)), tuple(a[f"b{i}"] for i in range(count)), mean, scale)(x)


def save(out: Path, net: nn.Sequential, mean: np.ndarray, scale: np.ndarray) -> None:
    np.savez_compressed(out, mean=mean.astype(np.float16), scale=scale.astype(np.float16), **arrays_of(net))


if __name__ == "__main__":
    main()
