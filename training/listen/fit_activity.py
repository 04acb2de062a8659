"""Fit the weights of core/listen/activity.py.

    python -m training.listen.fit_activity activity.npz activity3?.npz --pictures wide lines --seed 1 --epochs 10
    python -m training.listen.fit_activity music.npz activity52.npz --seed 1 --epochs 8

Needs torch (2.13, CPU). The last songs of each file are watched, not learnt.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

from grainpocket.core.listen.passages import activity, passages
from training.listen.activity import STEPS, truth
from training.listen.asking import asking, begun

# Frames learnt at once, how many such stretches, and how many recordings at the end of a file are watched.
STRETCH, BATCH, WATCHED, RATE, DECAY, DROP = 960, 8, 12, 2e-3, 1e-2, 0.3
# Of each picture: channels and sides of its convolutions, how many frames make a row, at how many places its colour is bent.
SHAPES = {
    "lines": ((1, 12, (5, 7)), (12, 24, (3, 3)), (24, 32, (3, 3))),
    "wide": ((1, 12, (5, 5)), (12, 24, (3, 3)), (24, 24, (3, 3))),
    "low": ((1, 12, (5, 5)), (12, 24, (3, 3)), (24, 24, (3, 3))),
}
PER_FRAMES = {"wide": 1, "lines": activity.PER_LINE, "low": activity.PER_LINE}
BENDS = {"wide": 5, "lines": 6, "low": 4}
Table = NDArray[np.float32]


@dataclass(frozen=True)
class Song:
    """kept: by picture, as it is kept; truth: (3, moments) 1, 0 or -1; means: by picture, in decibels."""

    kept: dict[str, NDArray[np.uint8]]
    truth: Table
    means: dict[str, Table]

    def __len__(self) -> int:
        return self.truth.shape[1] * activity.PER_MOMENT


class Network(nn.Module):
    def __init__(self, names: Iterable[str], size: int = 48, width: int = 64) -> None:
        super().__init__()
        self.pictures = nn.ModuleDict({name: _pictures(SHAPES[name], activity.STRIDES[name]) for name in names})
        self.read = nn.ModuleDict({name: nn.LazyLinear(size) for name in self.pictures})
        self.near, self.far = (
            nn.Conv1d(len(self.read) * size, width, 5, padding=2),
            nn.Conv1d(width, width, 5, padding=6, dilation=activity.APART),
        )
        self.out, self.drop = nn.Linear(width, len(passages.OUTPUTS)), nn.Dropout(DROP)

    def forward(self, seen: dict[str, torch.Tensor]) -> torch.Tensor:
        """(batch, time, bands) of each picture to (batch, moments, 3)."""
        made = [self.read[name](part(seen[name][:, None]).permute(0, 2, 3, 1).flatten(2)) for name, part in self.pictures.items()]
        h = self.drop(torch.relu(torch.cat(made, -1))).transpose(1, 2)
        for step in (self.near, self.far):
            h = self.drop(torch.relu(step(h)))
        return self.out(h.transpose(1, 2))

    def arrays(self) -> dict[str, np.ndarray]:
        """As core/listen/activity.py names them; each convolution with what its normalisation does to it."""
        out: dict[str, torch.Tensor] = {}
        for name, part in self.pictures.items():
            read = self.read[name]
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


def songs(file: Path, names: Iterable[str]) -> list[Song]:
    data = np.load(file)
    ends = np.cumsum(data["count"])[:-1]
    parts = {name: np.split(data[name], ends // PER_FRAMES[name]) for name in names}
    out = []
    for i, level in enumerate(np.split(data["level"], ends)):
        kept = {name: some[i] for name, some in parts.items()}
        out.append(Song(kept, truth(level), {name: _decibels(table).mean(axis=0) for name, table in kept.items()}))
    return [song for song in out if len(song) >= STRETCH]


def _decibels(kept: NDArray[np.uint8]) -> Table:
    return kept.astype(np.float32) / -STEPS


def part(song: Song, at: int, frames: int) -> dict[str, Table]:
    """The pictures of a stretch, against their means."""
    return {
        name: (_decibels(kept[at // PER_FRAMES[name] : (at + frames) // PER_FRAMES[name]]) - song.means[name]) / activity.SPREAD_DB
        for name, kept in song.kept.items()
    }


def stretch(song: Song, rng: np.random.Generator) -> tuple[dict[str, Table], Table]:
    """(pictures, truth) of a stretch as another mix might have it: other pitch, other colour, no top, no bottom, a gap."""
    at = activity.PER_MOMENT * int(rng.integers((len(song) - STRETCH) // activity.PER_MOMENT + 1))
    seen = part(song, at, STRETCH)
    seen["lines"] = np.roll(seen["lines"], int(rng.integers(-3, 4)), axis=1)
    for name in seen:
        bends, bands = BENDS[name], seen[name].shape[1]
        seen[name] += np.interp(np.arange(bands), np.linspace(0, bands - 1, bends), rng.normal(0, 0.3, bends)).astype(np.float32)
    if rng.random() < 0.3:
        seen["wide"][:, int(rng.integers(18, 24)) :] = 0
    if "low" in seen and rng.random() < 0.15:
        seen["low"][:, : int(rng.integers(2, 16))] = 0
    if rng.random() < 0.3:
        gap = int(rng.integers(0, 100))
        seen["lines"][:, gap : gap + int(rng.integers(4, 20))] = 0
    first = at // activity.PER_MOMENT
    return seen, song.truth[:, first : first + STRETCH // activity.PER_MOMENT].T


def tensors(some: list[dict[str, Table]]) -> dict[str, torch.Tensor]:
    return {name: torch.from_numpy(np.stack([seen[name] for seen in some])) for name in some[0]}


def learn(learnt: list[Song], epochs: int, seed: int) -> Network:
    rng, net = np.random.default_rng(seed), Network(learnt[0].kept)
    net(tensors([part(learnt[0], 0, STRETCH)]))
    length = np.array([len(song) for song in learnt], float)
    steps = int(epochs * length.sum() / STRETCH / BATCH)
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, RATE, total_steps=steps + 1)
    told: list[float] = []
    for step in range(steps):
        some = [stretch(learnt[k], rng) for k in rng.choice(len(learnt), BATCH, p=length / length.sum())]
        target = torch.from_numpy(np.stack([true for _, true in some]))
        net.train()
        known = (target >= 0).float()
        loss = nn.functional.binary_cross_entropy_with_logits(
            net(tensors([seen for seen, _ in some])), target.clamp(min=0), reduction="none"
        )
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
    guesses = [net(tensors([part(song, 0, len(song))]))[0].numpy().T for song in watched]
    guess, true = np.hstack(guesses), np.hstack([song.truth for song in watched])
    for i, name in enumerate(passages.OUTPUTS):
        there, absent = guess[i][true[i] == 1], np.sort(guess[i][true[i] == 0])
        print(name, "told apart", round(float(np.searchsorted(absent, there).mean() / max(1, len(absent))), 4))


def main() -> None:
    ask = asking(__doc__, epochs=10)
    ask.add_argument("--pictures", nargs="+", choices=activity.STRIDES, default=list(activity.STRIDES))
    asked = begun(ask)
    kept = [songs(file, asked.pictures) for file in asked.files]
    net = learn([song for some in kept for song in some[:-WATCHED]], asked.epochs, asked.seed)
    watch(net, [song for some in kept for song in some[-WATCHED:]])
    np.savez_compressed(asked.out, **net.arrays())


if __name__ == "__main__":
    main()
