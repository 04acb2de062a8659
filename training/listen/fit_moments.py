"""Fit the weights of core/listen/moments.py.

    python -m training.listen.fit_moments moments1.npz moments31.npz moments32.npz moments34.npz moments36.npz
    python -m training.listen.fit_moments moments2.npz moments31.npz ... --seed 2 --epochs 8

Needs torch (2.13, CPU). The last songs of each file are watched, not learnt.
"""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

from grainpocket.core.listen import moments, passages
from training.listen.asking import asking, begun
from training.listen.moments import STEPS, truth

# Frames learnt at once, how many such stretches, and how many recordings at the end of a file are watched.
STRETCH, BATCH, WATCHED, RATE, DECAY, DROP = 960, 8, 12, 2e-3, 1e-2, 0.3
Table = NDArray[np.float32]


class Song(NamedTuple):
    """wide, lines: as kept; truth: (3, moments) 1, 0 or -1; means: of both, in decibels."""

    wide: NDArray[np.uint8]
    lines: NDArray[np.uint8]
    truth: Table
    means: tuple[Table, Table]


class Network(nn.Module):
    def __init__(self, channels: tuple[int, int, int] = (12, 24, 32), size: int = 48, width: int = 64) -> None:
        super().__init__()
        a, b, c = channels
        self.lines = _pictures(((1, a, (5, 7)), (a, b, (3, 3)), (b, c, (3, 3))), moments.LINES)
        self.wide = _pictures(((1, 12, (5, 5)), (12, 24, (3, 3)), (24, 24, (3, 3))), moments.WIDE)
        self.read_lines, self.read_wide = nn.LazyLinear(size), nn.LazyLinear(size)
        self.near, self.far = (
            nn.Conv1d(2 * size, width, 5, padding=2),
            nn.Conv1d(width, width, 5, padding=6, dilation=moments.APART),
        )
        self.out, self.drop = nn.Linear(width, len(passages.OUTPUTS)), nn.Dropout(DROP)

    def forward(self, lines: torch.Tensor, wide: torch.Tensor) -> torch.Tensor:
        """(batch, time, bands) each to (batch, moments, 3)."""
        seen = [
            read(part(x[:, None]).permute(0, 2, 3, 1).flatten(2))
            for part, read, x in ((self.lines, self.read_lines, lines), (self.wide, self.read_wide, wide))
        ]
        h = self.drop(torch.relu(torch.cat(seen, -1))).transpose(1, 2)
        for step in (self.near, self.far):
            h = self.drop(torch.relu(step(h)))
        return self.out(h.transpose(1, 2))

    def arrays(self) -> dict[str, np.ndarray]:
        """As core/listen/moments.py names them; each convolution with what its normalisation does to it."""
        out: dict[str, torch.Tensor] = {}
        for name, part, read in (("lines", self.lines, self.read_lines), ("wide", self.wide, self.read_wide)):
            for i in range(0, len(part), 3):
                scale = part[i + 1].weight / torch.sqrt(part[i + 1].running_var + part[i + 1].eps)
                out[f"{name}{i // 3}.weight"] = (part[i].weight * scale[:, None, None, None]).permute(2, 3, 1, 0)
                out[f"{name}{i // 3}.bias"] = part[i + 1].bias - part[i + 1].running_mean * scale
            out[f"{name}.weight"], out[f"{name}.bias"] = read.weight.T, read.bias
        for name, step in (("near", self.near), ("far", self.far)):
            out[f"{name}.weight"], out[f"{name}.bias"] = step.weight.permute(2, 1, 0), step.bias
        out["out.weight"], out["out.bias"] = self.out.weight.T, self.out.bias
        return {name: value.detach().numpy().astype(np.float16) for name, value in out.items()}


def _pictures(shapes: tuple[tuple[int, int, tuple[int, int]], ...], strides: tuple[tuple[int, int], ...]) -> nn.Sequential:
    steps: list[nn.Module] = []
    for (into, out, size), stride in zip(shapes, strides, strict=True):
        steps += [nn.Conv2d(into, out, size, stride, (size[0] // 2, size[1] // 2), bias=False), nn.BatchNorm2d(out), nn.ReLU()]
    return nn.Sequential(*steps)


def songs(file: Path) -> list[Song]:
    data = np.load(file)
    ends = np.cumsum(data["count"])[:-1]
    out = []
    for wide, lines, level in zip(*(np.split(data[name], ends) for name in ("wide", "lines", "level")), strict=True):
        out.append(Song(wide, lines, truth(level), (_decibels(wide).mean(axis=0), _decibels(lines).mean(axis=0))))
    return [song for song in out if len(song.wide) >= STRETCH]


def _decibels(kept: NDArray[np.uint8]) -> Table:
    return kept.astype(np.float32) / -STEPS


def stretch(song: Song, rng: np.random.Generator) -> tuple[Table, Table, Table]:
    """(lines, wide, truth) of a stretch as another mix might have it: other pitch, other colour, no top, a gap."""
    at = moments.PER_MOMENT * int(rng.integers((len(song.wide) - STRETCH) // moments.PER_MOMENT + 1))
    wide, lines = (
        (_decibels(kept[at : at + STRETCH : step]) - mean) / moments.SPREAD_DB
        for kept, mean, step in zip((song.wide, song.lines), song.means, (1, moments.PER_LINE), strict=True)
    )
    lines = np.roll(lines, int(rng.integers(-3, 4)), axis=1)
    for table, bends in ((wide, 5), (lines, 6)):
        bands = table.shape[1]
        table += np.interp(np.arange(bands), np.linspace(0, bands - 1, bends), rng.normal(0, 0.3, bends)).astype(np.float32)
    if rng.random() < 0.3:
        wide[:, int(rng.integers(18, 24)) :] = 0
    if rng.random() < 0.3:
        gap = int(rng.integers(0, 100))
        lines[:, gap : gap + int(rng.integers(4, 20))] = 0
    first = at // moments.PER_MOMENT
    return lines, wide, song.truth[:, first : first + STRETCH // moments.PER_MOMENT].T


def learn(learnt: list[Song], epochs: int, seed: int) -> Network:
    rng, net = np.random.default_rng(seed), Network()
    net(torch.zeros(1, 16, learnt[0].lines.shape[1]), torch.zeros(1, 32, learnt[0].wide.shape[1]))
    length = np.array([len(song.wide) for song in learnt], float)
    steps = int(epochs * length.sum() / STRETCH / BATCH)
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, RATE, total_steps=steps + 1)
    told: list[float] = []
    for step in range(steps):
        some = [stretch(learnt[k], rng) for k in rng.choice(len(learnt), BATCH, p=length / length.sum())]
        lines, wide, target = (torch.from_numpy(np.stack(part)) for part in zip(*some, strict=True))
        net.train()
        known = (target >= 0).float()
        loss = nn.functional.binary_cross_entropy_with_logits(net(lines, wide), target.clamp(min=0), reduction="none")
        mean = (loss * known).sum() / known.sum()
        optimiser.zero_grad()
        mean.backward()
        optimiser.step()
        schedule.step()
        told.append(mean.item())
        if len(told) == max(1, steps // 8):
            print(step + 1, steps, round(float(np.mean(told)), 4), flush=True)
            told.clear()
    return net.eval()


@torch.no_grad()
def watch(net: Network, watched: list[Song]) -> None:
    """How well each is told apart: of a moment with it and one without it, how often the former has the higher odds."""
    guesses: list[Table] = []
    for song in watched:
        wide, lines = ((_decibels(k) - m) / moments.SPREAD_DB for k, m in zip((song.wide, song.lines), song.means, strict=True))
        whole = song.truth.shape[1] * moments.PER_MOMENT
        lines, wide = torch.from_numpy(lines[: whole : moments.PER_LINE]), torch.from_numpy(wide[:whole])
        guesses.append(net(lines[None], wide[None])[0].numpy().T)
    guess, true = np.hstack(guesses), np.hstack([song.truth for song in watched])
    for i, name in enumerate(passages.OUTPUTS):
        there, absent = guess[i][true[i] == 1], np.sort(guess[i][true[i] == 0])
        print(name, "told apart", round(float(np.searchsorted(absent, there).mean() / max(1, len(absent))), 4))


def main() -> None:
    asked = begun(asking(__doc__, epochs=10))
    kept = [songs(file) for file in asked.files]
    net = learn([song for some in kept for song in some[:-WATCHED]], asked.epochs, asked.seed)
    watch(net, [song for some in kept for song in some[-WATCHED:]])
    np.savez_compressed(asked.out, **net.arrays())


if __name__ == "__main__":
    main()
