"""Fit the weights of core/listen/harmony/chords.py: chords first, then keys from what the chords say.

    python -m training.listen.fit_harmony chords.npz key.npz pulses1.npz pulses2.npz ...

Needs torch (2.13, CPU).
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.harmony.chords import QUALITIES, WIDTH, key_features, key_turned, turned

STATES = 12 * len(QUALITIES) + 1


def main() -> None:
    chord_file, key_file, files = Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3:]
    torch.manual_seed(1)
    loaded = [np.load(f) for f in files]
    rows, truth = np.concatenate([d["rows"] for d in loaded]), np.concatenate([d["chords"] for d in loaded])
    lengths, keys = np.concatenate([d["lengths"] for d in loaded]), np.concatenate([d["keys"] for d in loaded])
    song = np.repeat(np.arange(len(lengths)), lengths)
    held = song % 10 == 9
    seen = torch.from_numpy(turned(rows))
    target = torch.from_numpy(truth)
    net = nn.Sequential(nn.Linear(WIDTH, 48), nn.ReLU(), nn.Dropout(0.1), nn.Linear(48, len(QUALITIES) + 1))
    optimiser = torch.optim.AdamW(net.parameters(), lr=3e-3, weight_decay=1e-3)
    learn = torch.from_numpy(np.flatnonzero(~held))
    watch = torch.from_numpy(np.flatnonzero(held))
    for epoch in range(60):
        net.train()
        for part in torch.split(learn[torch.randperm(len(learn))], 256):
            x = seen[part]
            loss = nn.functional.cross_entropy(_chords(net, (x + 0.03 * torch.randn_like(x)).clamp(-3, 1.2)), target[part])
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
        if epoch % 20 == 19:
            net.eval()
            with torch.no_grad():
                guess = _chords(net, seen[watch]).argmax(1)
            right = (guess == target[watch]).float().mean()
            root = (guess // len(QUALITIES) == target[watch] // len(QUALITIES)).float().mean()
            print("chords", epoch + 1, round(float(right), 3), "root", round(float(root), 3), flush=True)
    _save(chord_file, net)
    net.eval()
    with torch.no_grad():
        scores = torch.log_softmax(_chords(net, seen), 1).numpy()
    _fit_keys(key_file, rows, scores, song, keys)


def _chords(net: nn.Module, x: torch.Tensor) -> torch.Tensor:
    raw = net(x)
    return torch.cat((raw[:, :, :-1].reshape(len(x), -1), raw[:, :, -1].mean(1, keepdim=True)), 1)


def _fit_keys(file: Path, rows: np.ndarray, scores: np.ndarray, song: np.ndarray, keys: np.ndarray) -> None:
    rng = np.random.default_rng(1)
    features, target, group = [], [], []
    for k, key in enumerate(keys):
        if key < 0:
            continue
        index = np.flatnonzero(song == k)
        for piece in range(6):
            # Whole, and as pieces of a dozen bars or so.
            length = len(index) if piece == 0 else int(rng.integers(min(24, len(index)), len(index) + 1))
            start = int(rng.integers(0, len(index) - length + 1))
            part = index[start : start + length]
            features.append(key_turned(key_features(rows[part], scores[part]))[0])
            target.append(key)
            group.append(k)
    x, y, held = torch.from_numpy(np.array(features)), torch.tensor(target), np.array(group) % 10 == 9
    net = nn.Sequential(nn.Linear(x.shape[2], 16), nn.ReLU(), nn.Dropout(0.2), nn.Linear(16, 2))
    optimiser = torch.optim.AdamW(net.parameters(), lr=3e-3, weight_decay=1e-2)
    learn, watch = torch.from_numpy(np.flatnonzero(~held)), torch.from_numpy(np.flatnonzero(held))
    for _ in range(120):
        net.train()
        for part in torch.split(learn[torch.randperm(len(learn))], 64):
            seen = x[part]
            loss = nn.functional.cross_entropy(net(seen + 0.03 * torch.randn_like(seen)).reshape(len(part), -1), y[part])
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
    net.eval()
    with torch.no_grad():
        guess = net(x[watch]).reshape(len(watch), -1).argmax(1)
    print("keys", round(float((guess == y[watch]).float().mean()), 3), flush=True)
    _save(file, net)


def _save(file: Path, net: nn.Sequential) -> None:
    layers = [m for m in net if isinstance(m, nn.Linear)]
    arrays = {f"w{i}": m.weight.detach().numpy().T.astype(np.float32) for i, m in enumerate(layers)}
    arrays |= {f"b{i}": m.bias.detach().numpy().astype(np.float32) for i, m in enumerate(layers)}
    width = layers[0].in_features
    np.savez_compressed(file, mean=np.zeros(width, np.float32), scale=np.ones(width, np.float32), **arrays)


if __name__ == "__main__":
    main()
