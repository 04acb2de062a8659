"""The network: bands of a spectrum, followed along time and laid against each other, to a mask for each part.

Bands and the two directions after Luo & Yu, "Music source separation with band-split RNN" (IEEE/ACM TASLP 31, 2023), much smaller;
across the bands it mixes by weights, as in Tolstikhin et al., "MLP-Mixer" (NeurIPS 2021), because their places do not change. Masks
are real and add up to one everywhere, so that the parts add up to what was heard. Towards the top several bins share a mask: what
is wrong with it then follows from sums over them, which need no gradient.
"""

from __future__ import annotations

import torch
from torch import Tensor, nn

FFT, HOP, RATE = 4096, 1024, 44100
BINS = FFT // 2 + 1
PATCH = 2
# (first bin, end, bins that share a mask); over the last, the last mask.
SHARED = ((0, 192, 1), (192, 384, 2), (384, 768, 4), (768, 1536, 8))
TOP = SHARED[-1][1]
# (masks in all up to here, masks in a band)
_BANDS = ((96, 4), (192, 12), (288, 12), (384, 16), (480, 24))


def edges() -> list[int]:
    """First masks of the bands, and how many masks there are."""
    out = [0]
    for limit, wide in _BANDS:
        while out[-1] < limit:
            out.append(out[-1] + wide)
    return out


def pooled(values: Tensor) -> Tensor:
    """(…, bins, frames) to (…, masks, frames): the sum over the bins that share a mask, without those over TOP."""
    parts = [values[..., a:b, :].unflatten(-2, ((b - a) // n, n)).sum(-2) for a, b, n in SHARED]
    return torch.cat(parts, dim=-2)


def spread(masks: Tensor) -> Tensor:
    """(batch, parts, 2, masks, frames) to (batch, parts, 2, BINS, frames)."""
    parts, at = [], 0
    for a, b, n in SHARED:
        count = (b - a) // n
        part = masks[:, :, :, at : at + count]
        parts.append(part.unsqueeze(4).expand(-1, -1, -1, -1, n, -1).flatten(3, 4) if n > 1 else part)
        at += count
    parts.append(masks[:, :, :, -1:].expand(-1, -1, -1, BINS - TOP, -1))
    return torch.cat(parts, dim=3)


class Layer(nn.Module):
    """(batch, frames, bands, width) to the same: each band along time, then all bands of a frame together."""

    def __init__(self, bands: int, width: int, dropout: float) -> None:
        super().__init__()
        self.first, self.second = nn.LayerNorm(width), nn.LayerNorm(width)
        self.along = nn.LSTM(width, width // 2, batch_first=True, bidirectional=True)
        self.across = nn.Sequential(nn.Linear(bands, 2 * bands), nn.GELU(), nn.Linear(2 * bands, bands))
        self.dropout = nn.Dropout(dropout)

    def forward(self, state: Tensor) -> Tensor:
        batch, _, bands, width = state.shape
        rows = self.first(state).transpose(1, 2).reshape(batch * bands, -1, width)
        state = state + self.along(rows)[0].reshape(batch, bands, -1, width).transpose(1, 2)
        mixed: Tensor = self.across(self.second(state).transpose(2, 3)).transpose(2, 3)
        return state + self.dropout(mixed)


class Splitter(nn.Module):
    """(batch, 2, BINS, frames, 2), real and imaginary, to masks (batch, parts, 2, BINS, frames); frames: a multiple of PATCH."""

    def __init__(self, parts: int = 4, width: int = 80, layers: int = 3, dropout: float = 0.1) -> None:
        super().__init__()
        self.parts, self.edges = parts, edges()
        bands = [b - a for a, b in zip(self.edges, self.edges[1:], strict=False)]
        rows = 3 * PATCH
        self.into = nn.ModuleList([nn.Sequential(nn.LayerNorm(rows * n), nn.Linear(rows * n, width)) for n in bands])
        self.layers = nn.ModuleList([Layer(len(bands), width, dropout) for _ in range(layers)])
        self.out = nn.ModuleList([self._head(width, parts * 2 * PATCH * n) for n in bands])

    @staticmethod
    def _head(width: int, out: int) -> nn.Module:
        return nn.Sequential(nn.LayerNorm(width), nn.Linear(width, 2 * width), nn.GELU(), nn.Linear(2 * width, out))

    def forward(self, spectrum: Tensor) -> Tensor:
        both = torch.cat((spectrum, spectrum[:, :1] - spectrum[:, 1:]), dim=1)
        return spread(self.masks(pooled(both.square().sum(-1))))

    def masks(self, power: Tensor) -> Tensor:
        """(batch, 3, masks, frames) power of left, right and their difference to (batch, parts, 2, masks, frames)."""
        batch, _, count, _ = power.shape
        level = power[:, :2].mean(dim=(1, 2, 3), keepdim=True) + 1e-12
        size = (power / level + 1e-9) ** 0.15
        # (batch, patches, 3, masks, PATCH)
        patches = size.reshape(batch, 3, count, -1, PATCH).permute(0, 3, 1, 2, 4)
        spans = list(zip(self.edges, self.edges[1:], strict=False))
        state = torch.stack([f(patches[:, :, :, a:b].flatten(2)) for f, (a, b) in zip(self.into, spans, strict=True)], dim=2)
        for layer in self.layers:
            state = layer(state)
        made = []
        for k, (f, (a, b)) in enumerate(zip(self.out, spans, strict=True)):
            made.append(f(state[:, :, k]).reshape(batch, -1, self.parts, 2, b - a, PATCH))
        scores = torch.cat(made, dim=4).permute(0, 2, 3, 4, 1, 5).reshape(batch, self.parts, 2, count, -1)
        return torch.softmax(scores, dim=1)
