"""The network of core/listen/networks/attention.py in torch, to fit its weights; and how they are written.

Needs torch (2.13, CPU).
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.networks.attention import HEADS, TIMED, WINDOW, turns

BATCH, RATE, DECAY, ABSENT = 16, 2e-3, 2e-2, 0.125
Rows = list[np.ndarray]
# (guess (batch, k, outputs), padding (batch, k), indices of the recordings) to a loss
Loss = Callable[[torch.Tensor, torch.Tensor, Rows], torch.Tensor]


class Block(nn.Module):
    def __init__(self, width: int, drop: float) -> None:
        super().__init__()
        self.first, self.second = nn.LayerNorm(width), nn.LayerNorm(width)
        self.qkv, self.mix = nn.Linear(width, 3 * width), nn.Linear(width, width)
        self.up, self.down = nn.Linear(width, 2 * width), nn.Linear(2 * width, width)
        self.drop = nn.Dropout(drop)

    def forward(self, h: torch.Tensor, turn: tuple[torch.Tensor, torch.Tensor], hidden: torch.Tensor) -> torch.Tensor:
        batch, count, width = h.shape
        query, key, value = self.qkv(self.first(h)).reshape(batch, count, 3, HEADS, width // HEADS).permute(2, 0, 3, 1, 4)
        query, key = _turned(query, turn), _turned(key, turn)
        seen = nn.functional.scaled_dot_product_attention(query, key, value, attn_mask=hidden)
        h = h + self.drop(self.mix(seen.transpose(1, 2).reshape(batch, count, width)))
        return h + self.drop(self.down(torch.relu(self.up(self.second(h)))))


def _turned(x: torch.Tensor, turn: tuple[torch.Tensor, torch.Tensor]) -> torch.Tensor:
    cosine, sine = (t[:, None] for t in turn)
    timed, half = x[:, :TIMED], x.shape[-1] // 2
    a, b = timed[..., :half], timed[..., half:]
    return torch.cat((torch.cat((a * cosine - b * sine, a * sine + b * cosine), -1), x[:, TIMED:]), 1)


class Encoder(nn.Module):
    def __init__(self, features: int, width: int, blocks: int, outputs: int, drop: float = 0.15) -> None:
        super().__init__()
        self.into, self.lift = nn.Linear(features, width), nn.Linear(width, width)
        self.blocks = nn.ModuleList(Block(width, drop) for _ in range(blocks))
        self.last, self.out, self.drop = nn.LayerNorm(width), nn.Linear(width, outputs), nn.Dropout(drop)
        self.size = width // HEADS

    def forward(self, x: torch.Tensor, seconds: np.ndarray, padding: torch.Tensor) -> torch.Tensor:
        turn = tuple(torch.from_numpy(t).reshape(*seconds.shape, -1) for t in turns(seconds.ravel(), self.size))
        hidden = torch.where(padding, -1e9, 0.0)[:, None, None, :]
        h = self.lift(self.drop(torch.relu(self.into(x))))
        for block in self.blocks:
            h = block(h, turn, hidden)
        return self.out(self.last(h))

    def arrays(self) -> dict[str, np.ndarray]:
        """Names of core/listen/networks/attention.py: weights stand the other way round there."""
        out = {}
        for name, value in self.state_dict().items():
            short = name.removeprefix("blocks.").replace("into.", "in.")
            out[short] = (value.T if value.ndim == 2 else value).numpy()
        return out


def padded(x: np.ndarray, seconds: np.ndarray, rows: Rows) -> tuple[torch.Tensor, np.ndarray, torch.Tensor]:
    """(features (batch, k, f), seconds (batch, k), padding (batch, k)) of recordings, given the rows of each."""
    longest = max(len(r) for r in rows)
    table = np.zeros((len(rows), longest, x.shape[1]), np.float32)
    times, padding = np.zeros((len(rows), longest)), np.ones((len(rows), longest), bool)
    for i, r in enumerate(rows):
        table[i, : len(r)], padding[i, : len(r)] = x[r], False
        times[i, : len(r)] = seconds[r] - seconds[r[0]]
    return torch.from_numpy(table), times, torch.from_numpy(padding)


def fit(
    x: np.ndarray, seconds: np.ndarray, learn: Rows, watch: Rows, loss_of: Loss, shape: tuple[int, int, int], epochs: int,
    out: Path, noise: float = 0.1, absent: slice = slice(0, 0),
) -> Encoder:  # fmt: skip
    """Fit an encoder of shape (width, blocks, outputs) to recordings; the best on those watched is written to `out`.

    absent: columns that are all zero in one recording of eight, as they may be for want of time.
    """
    torch.manual_seed(1)
    torch.set_num_threads(1)
    everything = np.concatenate(learn)
    mean, scale = x[everything].astype(np.float32).mean(axis=0), np.maximum(x[everything].astype(np.float32).std(axis=0), 0.05)
    x = ((x - mean) / scale).astype(np.float32)
    nothing = torch.from_numpy((-mean / scale).astype(np.float32)[absent])
    width, blocks, outputs = shape
    net = Encoder(x.shape[1], width, blocks, outputs)
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    per = (len(learn) + BATCH - 1) // BATCH
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, max_lr=RATE, total_steps=epochs * per + 1)
    rng, best = np.random.default_rng(1), np.inf
    for epoch in range(epochs):
        net.train()
        # Recordings of about one length go together; which comes when is left to chance.
        order = np.argsort([len(r) + rng.integers(0, 20) for r in learn])
        batches = [order[i : i + BATCH] for i in range(0, len(order), BATCH)]
        for k in rng.permutation(len(batches)):
            rows = [_some(learn[i], rng) for i in batches[k]]
            table, times, padding = padded(x, seconds, rows)
            table[torch.from_numpy(rng.random(len(rows)) < ABSENT), :, absent] = nothing
            table = table + noise * torch.randn_like(table) + noise * torch.randn(len(rows), 1, table.shape[2])
            loss = loss_of(net(table, times * rng.uniform(0.85, 1.18), padding), padding, rows)
            optimiser.zero_grad()
            loss.backward()
            nn.utils.clip_grad_norm_(net.parameters(), 1.0)
            optimiser.step()
            schedule.step()
        net.eval()
        with torch.no_grad():
            losses = []
            for i in range(0, len(watch), BATCH):
                rows = [r[:WINDOW] for r in watch[i : i + BATCH]]
                table, times, padding = padded(x, seconds, rows)
                losses.append(float(loss_of(net(table, times, padding), padding, rows)))
        now = float(np.mean(losses))
        print(epoch + 1, round(now, 4), "kept" if now < best else "", flush=True)
        if now < best:
            best = now
            table = net.arrays() | {"mean": mean, "scale": scale}
            np.savez_compressed(out, **{k: v.astype(np.float16) for k, v in table.items()})
    return net


def _some(rows: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """At most a window of a recording."""
    if len(rows) <= WINDOW:
        return rows
    first = int(rng.integers(0, len(rows) - WINDOW))
    return rows[first : first + WINDOW]
