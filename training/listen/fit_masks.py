"""Fit the weights of core/listen/masks.py.

    python -m training.listen.fit_masks masks1.npz masks9?.npz --seed 1

Every eighth song is watched, not learnt. Three mixes in five are made anew: the drums of one song with the music of another,
each part at another level and of another colour. Needs torch (2.13, CPU).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from scipy.stats import rankdata
from torch import nn

from bench.truth import cover
from grainpocket.core.listen.drums import masks
from training.listen.asking import asking, begun

CHANNELS, SMALL, STRETCH, PER_MIX, MIXES = 24, 12, 192, 3, 3
RATE, DECAY, WARM, ANEW = 2e-3, 1e-3, 100, 0.6
WATCHED, PER_SONG = 8, 4
# Hits nearer to an end of a stretch are not learnt; so many of a drum are its cleaner ones.
MARGIN, CLEANER = 8, 0.15
LIMITS_DB, SHARP_DB, RANK, HEARD = (-40.0, 25.0), 3.0, 0.3, 0.5
SILENT_DB, NEAR_DB, LEAST = -30.0, 1.0, 1e-6
# Bins in each band: how much two parts that share it may add up or cancel.
BINS = np.concatenate((np.diff(masks.LOW_EDGES), np.maximum(1, np.diff(masks.HIGH_EDGES_HZ / 43.07)))).astype(np.float32)
GATE_DB, GATE_FRAMES = (0, 0, 0, 3, 6, 10, 20, 90, 90), (90, 170, 340, 700)
# How loud the music is, is asked of stretches of so many frames.
SPAN, ABSENT_DB = 64, -45.0
Table = NDArray[np.float32]


@dataclass(frozen=True)
class Song:
    """A mix: level (frames, BANDS); parts (frames, 5, BANDS) power; at, drum, cover (k,) of its hits."""

    level: Table
    parts: Table
    at: NDArray[np.int64]
    drum: NDArray[np.int8]
    cover: Table

    def seen(self) -> Table:
        picture = masks.Picture(self.level, [self.at[self.drum == d] for d in range(masks.DRUMS)])
        return next(picture.planes([(0, len(self.level))]))


class Block(nn.Module):
    def __init__(self, apart: int) -> None:
        super().__init__()
        self.near = nn.Conv2d(CHANNELS, CHANNELS, (5, 3), padding=(2 * apart, 1), dilation=(apart, 1))
        self.bias = nn.Parameter(torch.zeros(1, CHANNELS, 1, masks.BANDS))
        self.down, self.up = nn.Linear(masks.BANDS, SMALL), nn.Linear(SMALL, masks.BANDS)

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        y = torch.relu(self.near(x) + self.bias)
        return x + y + torch.relu(self.up(torch.relu(self.down(y))))


class Network(nn.Module):
    """(batch, planes, frames, BANDS) to log shares (batch, masks.PARTS, frames, BANDS)."""

    def __init__(self) -> None:
        super().__init__()
        self.first = nn.Conv2d(2 + masks.DRUMS, CHANNELS, 5, padding=2)
        self.bias = nn.Parameter(torch.zeros(1, CHANNELS, 1, masks.BANDS))
        self.blocks = nn.ModuleList([Block(apart) for apart in masks.APART])
        self.last = nn.Conv2d(CHANNELS, masks.PARTS, 1)
        self.last_bias = nn.Parameter(torch.zeros(1, masks.PARTS, 1, masks.BANDS))

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        y = torch.relu(self.first(x.contiguous(memory_format=torch.channels_last)) + self.bias)
        for block in self.blocks:
            y = block(y)
        return torch.log_softmax(self.last(y) + self.last_bias, 1)

    def arrays(self) -> dict[str, np.ndarray]:
        """As core/listen/masks.py names them."""
        across = lambda conv, bias: (conv.weight.permute(2, 3, 1, 0), conv.bias[None] + bias[0, :, 0].T)  # noqa: E731
        out: dict[str, torch.Tensor] = {}
        out["in.weight"], out["in.bias"] = across(self.first, self.bias)
        for i, block in enumerate(self.blocks):
            out[f"{i}.weight"], out[f"{i}.bias"] = across(block.near, block.bias)
            for name, step in (("down", block.down), ("up", block.up)):
                out[f"{i}.{name}"], out[f"{i}.{name}_bias"] = step.weight.T, step.bias
        weight, out["out.bias"] = across(self.last, self.last_bias)
        out["out.weight"] = weight[0, 0]
        return {name: value.detach().numpy().astype(np.float16) for name, value in out.items()}


def restored(file: Path) -> Network:
    """A network with weights that `Network.arrays` wrote."""
    given = {name: torch.from_numpy(value.astype(np.float32)) for name, value in np.load(file).items()}
    net = Network()
    convs = [("in", net.first, net.bias), *((str(i), block.near, block.bias) for i, block in enumerate(net.blocks))]
    for name, conv, bias in convs:
        conv.weight.data = given[f"{name}.weight"].permute(3, 2, 0, 1).contiguous()
        # What is added to every band alike is in the bias of each.
        conv.bias.data.zero_()
        bias.data[0, :, 0] = given[f"{name}.bias"].T
    for i, block in enumerate(net.blocks):
        for name, step in (("down", block.down), ("up", block.up)):
            step.weight.data, step.bias.data = given[f"{i}.{name}"].T.contiguous(), given[f"{i}.{name}_bias"]
    net.last.weight.data = given["out.weight"].T[:, :, None, None].contiguous()
    net.last.bias.data.zero_()
    net.last_bias.data[0, :, 0] = given["out.bias"].T
    return net


def songs(file: Path) -> list[Song]:
    data = np.load(file)
    ends = np.cumsum(data["count"])[:-1]
    levels, parts = np.split(data["level"], ends), np.split(data["parts"], ends)
    out = []
    for i, (level, power) in enumerate(zip(levels, parts, strict=True)):
        mine = data["of"] == i
        out.append(Song(level, power, data["at"][mine], data["drum"][mine], data["cover"][mine]))
    return out


def read(song: Song) -> Song:
    """From what is kept, which is half as large."""
    power = np.power(np.float32(10), song.parts.astype(np.float32))
    return replace(
        song, level=np.maximum(song.level.astype(np.float32), masks.FLOOR), parts=power, cover=song.cover.astype(np.float32)
    )


def anew(song: Song, other: Song, rng: np.random.Generator) -> Song:
    """The drums of one with the music of another, as someone else might have mixed them; `song` where one of them is silent."""
    frames, parts = len(song.level), song.parts.copy()
    drums, music = (
        parts[:, :4].sum(),
        np.resize(np.roll(other.parts[:, 4], int(rng.integers(len(other.level))), axis=0), parts[:, 4].shape),
    )
    if drums < 1e-3 or music.sum() < 1e-3:
        return song
    # As loud as what was there before, if there was any.
    there = float(parts[:, 4].sum())
    parts[:, 4] = music * ((there if there > 1e-3 * drums else 0.5 * drums) / max(float(music.sum()), 1e-9))
    place = np.arange(masks.BANDS)
    slope = np.linspace(-1, 1, masks.BANDS)
    for i in range(5):
        bump = 4 * rng.normal() * np.exp(-(((place - rng.integers(masks.BANDS)) / 6) ** 2))
        parts[:, i] *= 10 ** ((rng.normal(0, 4 if i < 4 else 5) + slope * rng.normal(0, 3) + bump) / 10)
    at = 0
    while at < frames:
        length = int(rng.choice(GATE_FRAMES))
        parts[at : at + length, 4] *= 10 ** (-rng.choice(GATE_DB) / 10)
        at += length
    whole = parts.sum(axis=1)
    # Two parts in one band add up or cancel, as their phases fall.
    cross = np.sqrt(np.maximum(whole**2 - (parts**2).sum(axis=1), 0)) * rng.standard_normal(whole.shape, dtype=np.float32)
    mix = np.maximum(whole + cross / np.sqrt(BINS), 0.05 * whole)
    loudest = np.power(np.float32(10), song.level).sum(axis=1).max()
    mix = mix * (loudest / max(float(mix.sum(axis=1).max()), 1e-9)) + 10 ** (rng.uniform(-9, -6.5) + 0.3 * slope)
    level = np.asarray(np.maximum(np.log10(mix), masks.FLOOR), np.float32)
    return replace(song, level=level, parts=parts, cover=_covers(song, parts))


def _covers(song: Song, parts: Table) -> Table:
    ring = np.minimum(song.at, len(parts) - masks.RING)[:, None] + np.arange(masks.RING)
    power = parts.sum(axis=2)
    own = power[ring, song.drum[:, None]].sum(axis=1)
    # Where a drum is all there is, the difference may fall below nought by its last digit.
    rest = np.maximum(power[ring].sum(axis=(1, 2)) - own, 0)
    told = np.clip(10 * np.log10((rest + 1e-9) / (own + 1e-9)), cover.CLEANEST_DB, cover.DIRTIEST_DB)
    return np.asarray(np.where(song.cover >= cover.DIRTIEST_DB, cover.DIRTIEST_DB, told), np.float32)


@dataclass
class Batch:
    """seen, power, share: of stretches; music: decibels of it over all, of each SPAN of them; of the hits in them, of: which
    stretch, at: frame in it, drum, cover, and group: hits of one drum of one mix."""

    seen: torch.Tensor
    power: torch.Tensor
    share: torch.Tensor
    music: torch.Tensor
    of: torch.Tensor
    at: torch.Tensor
    drum: torch.Tensor
    cover: torch.Tensor
    group: torch.Tensor


def batch(some: list[Song], rng: np.random.Generator) -> Batch:
    seen, power, share, music, rows = [], [], [], [], []
    for i, song in enumerate(some):
        planes = song.seen()
        planes[..., 0] += rng.normal(0, 0.15) + rng.normal(0, 0.1) * np.linspace(-1, 1, masks.BANDS, dtype=np.float32)
        for k in range(PER_MIX):
            first = _clean(song, rng) if k % 2 else int(rng.integers(len(song.level) - STRETCH))
            span = slice(first, first + STRETCH)
            true = song.parts[span]
            inside = (song.at >= first + MARGIN) & (song.at < first + STRETCH - masks.RING - MARGIN)
            count = int(inside.sum())
            drum = song.drum[inside].astype(float)
            rows.append(
                np.column_stack((np.full(count, len(seen)), song.at[inside] - first, drum, song.cover[inside], drum + 10 * i))
            )
            seen.append(planes[span].transpose(2, 0, 1))
            power.append(np.power(np.float32(10), song.level[span]))
            share.append((true / (true.sum(axis=1, keepdims=True) + 1e-9)).transpose(1, 0, 2))
            loud = true.sum(axis=2).reshape(-1, SPAN, masks.PARTS).sum(axis=1)
            music.append(10 * np.log10(loud[:, masks.MUSIC] / (loud.sum(axis=1) + 1e-9) + 1e-9))
    of, at, drum_of, told, group = torch.from_numpy(np.concatenate(rows)).T
    stacked = (torch.from_numpy(np.stack(x).astype(np.float32)) for x in (seen, power, share, music))
    return Batch(*stacked, of.long(), at.long(), drum_of.long(), told.float().clamp(*LIMITS_DB), group)


def _clean(song: Song, rng: np.random.Generator) -> int:
    """Where a stretch begins that holds one of the cleaner hits: it is among those that the list is made."""
    wanted = rng.choice(song.drum) if len(song.drum) else -1
    mine = np.flatnonzero(song.drum == wanted)
    best = mine[np.argsort(song.cover[mine])][: 1 + int(CLEANER * len(mine))]
    at = int(song.at[rng.choice(best)]) if len(best) else 0
    return int(np.clip(at - rng.integers(MARGIN, STRETCH - masks.RING - MARGIN), 0, len(song.level) - STRETCH - 1))


def covers(log_share: torch.Tensor, power: torch.Tensor, some: Batch) -> torch.Tensor:
    """Decibels of all else over the drum, of the hits of a batch."""
    ring = some.at[:, None] + torch.arange(masks.RING)
    share = log_share[some.of[:, None], some.drum[:, None], ring]
    here = power[some.of[:, None], ring]
    # Never quite nothing, or the slope of its logarithm has no bounds.
    own, rest = (here * share.exp()).sum((1, 2)), (here * (-torch.expm1(share)).clamp(min=LEAST)).sum((1, 2))
    return 10 * torch.log10((rest + 1e-10) / (own + 1e-10))


def music_in(log_share: torch.Tensor, power: torch.Tensor) -> torch.Tensor:
    """(batch, k) decibels of the music over all that sounds, of each SPAN of frames."""
    loud = (power * log_share[:, masks.MUSIC].exp()).sum(2).unflatten(1, (-1, SPAN)).sum(2)
    return 10 * torch.log10(loud / (power.sum(2).unflatten(1, (-1, SPAN)).sum(2) + 1e-10) + 1e-7)


def loss_of(net: Network, some: Batch) -> torch.Tensor:
    share = net(some.seen)
    # What is 60 dB down matters to nobody.
    weight = torch.clamp((torch.log10(some.power + 1e-10) + 6) / 3, 0, 1)
    cells = (-(some.share * share).sum(1) * weight).sum() / weight.sum()
    told = covers(share, some.power, some)
    level = nn.functional.smooth_l1_loss(told.clamp(-45, 28) / 10, some.cover / 10, beta=0.2)
    floored = some.cover.clamp(min=SILENT_DB)
    cleaner = (some.group[:, None] == some.group[None]) & (floored[:, None] < floored[None] - NEAR_DB)
    order = nn.functional.softplus((told[:, None] - told[None]) / SHARP_DB)[cleaner]
    heard = music_in(share, some.power).clamp(min=ABSENT_DB) / 10
    music = nn.functional.smooth_l1_loss(heard, some.music.clamp(min=ABSENT_DB) / 10, beta=0.2)
    # A mean of nothing is no number.
    return cells + HEARD * music + (level if len(told) else 0) + (RANK * order.mean() if len(order) else 0)


def watched(net: Network, some: list[Song]) -> str:
    """How often, among the watched, the hit that is said to be the cleanest has at most 1 dB more than the best there is; how far
    off covers are; and how well stretches with music are told from those without."""
    right, error, music = [], [], []
    net.eval()
    for song in map(read, some):
        share = net(torch.from_numpy(np.ascontiguousarray(song.seen().transpose(2, 0, 1)))[None]).detach()
        power = torch.from_numpy(np.power(np.float32(10), song.level))[None]
        at = torch.from_numpy(np.minimum(song.at, len(song.level) - masks.RING))
        nil = torch.zeros(len(at), dtype=torch.long)
        hits = Batch(nil, nil, nil, nil, nil, at, torch.from_numpy(song.drum).long(), nil, nil)
        told, true = covers(share, power, hits).numpy(), np.clip(song.cover, *LIMITS_DB)
        error.append(np.abs(np.clip(told, *LIMITS_DB) - true))
        whole = len(song.level) // SPAN * SPAN
        loud = song.parts[:whole].sum(axis=2).reshape(-1, SPAN, masks.PARTS).sum(axis=1)
        known = 10 * np.log10(loud[:, masks.MUSIC] / (loud.sum(axis=1) + 1e-9) + 1e-9)
        music.append(np.stack((known, music_in(share[:, :, :whole], power[:, :whole])[0].numpy())))
        for d in range(masks.DRUMS):
            mine = np.flatnonzero(song.drum == d)
            if len(mine) >= 4:
                known = np.maximum(song.cover[mine], SILENT_DB)
                right.append(known[told[mine].argmin()] - known.min() <= 1)
    net.train()
    area = _area(*np.concatenate(music, axis=1))
    return f"{np.mean(right):.3f} of {len(right)}; {np.concatenate(error).mean():.2f} dB; music {area:.4f}"


def _area(known: Table, told: Table) -> float:
    """Under the curve of stretches with music (decibels that are known) against those without."""
    clear = (known > cover.PRESENT_DB) | (known < cover.ABSENT_DB)
    there, rank = known[clear] > cover.PRESENT_DB, rankdata(told[clear])
    return float((rank[there].mean() - (there.sum() + 1) / 2) / max(1, int((~there).sum())))


def main() -> None:
    ask = asking(__doc__, epochs=1)
    ask.add_argument("--steps", type=int, default=5500)
    ask.add_argument("--going-on", type=Path, help="weights to begin with")
    asked = begun(ask)
    every = [song for file in asked.files for song in songs(file) if len(song.level) > STRETCH]
    number = np.arange(len(every)) // PER_SONG
    learnt, seen = ([s for s, n in zip(every, number, strict=True) if (n % WATCHED == 0) == w] for w in (False, True))
    rng, net = np.random.default_rng(asked.seed), restored(asked.going_on) if asked.going_on else Network()
    net = net.to(memory_format=torch.channels_last)
    optimiser = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    for step in range(asked.steps):
        pace = min(1.0, (step + 1) / WARM) * (1 - step / asked.steps) ** 0.7
        for group in optimiser.param_groups:
            group["lr"] = RATE * pace
        mixed = []
        for k, other in rng.integers(len(learnt), size=(MIXES, 2)).tolist():
            song = read(learnt[k])
            mixed.append(anew(song, read(learnt[other]), rng) if rng.random() < ANEW else song)
        loss = loss_of(net, batch(mixed, rng))
        optimiser.zero_grad()
        loss.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 1.0)
        optimiser.step()
        if step % 1000 == 999 or step == asked.steps - 1:
            np.savez_compressed(asked.out, **net.arrays())
            print(step + 1, watched(net, seen), flush=True)


if __name__ == "__main__":
    main()
