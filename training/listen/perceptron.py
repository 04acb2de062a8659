"""Perceptrons of two hidden layers in torch, to fit the weights of core/listen/networks/dense.py; and how they are written.

Needs torch (2.13, CPU).
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.networks.dense import Layers

DECAY, DROP, BATCH = 1e-3, 0.25, 256
Fitted = tuple[nn.Sequential, np.ndarray, np.ndarray]


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
