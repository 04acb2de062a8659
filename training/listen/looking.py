"""What the fits of the later looks have in common: many recordings, and whether each drum is there at each onset."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.networks.attention import load
from training.listen.encoder import Rows, fit

WATCHED = 12


def fit_look(
    out: Path, files: list[Path], outputs: tuple[str, ...], shape: tuple[int, int], epochs: int, absent: slice = slice(0, 0)
) -> None:
    """Fit to arrays x, y, seconds and record, as `seconds.save` writes them: the first columns of x are what the look before
    said of `outputs`. shape: width and blocks. Every twelfth recording is watched, not learnt."""
    kept = [np.load(f) for f in files]
    x, truth, seconds = (np.concatenate([f[name] for f in kept]) for name in ("x", "y", "seconds"))
    record = np.concatenate([f["record"] + 100_000 * i for i, f in enumerate(kept)])
    rows: Rows = np.split(np.arange(len(x)), np.flatnonzero(np.diff(record)) + 1)
    watched = [r for i, r in enumerate(rows) if i % WATCHED == 0]
    learnt = [r for i, r in enumerate(rows) if i % WATCHED]
    known, target = torch.from_numpy((truth >= 0).astype(np.float32)), torch.from_numpy(np.maximum(truth, 0).astype(np.float32))

    def loss_of(guess: torch.Tensor, padding: torch.Tensor, some: Rows) -> torch.Tensor:
        index = np.concatenate(some)
        loss = nn.functional.binary_cross_entropy_with_logits(guess[~padding], target[index], reduction="none")
        return (loss * known[index]).sum() / known[index].sum()

    fit(x, seconds, learnt, watched, loss_of, (*shape, len(outputs)), epochs, out, absent=absent)
    net = load(str(out))
    guess = np.concatenate([net(x[r].astype(np.float32), seconds[r]) for r in watched])
    index = np.concatenate(watched)
    likely = np.log(0.4 / 0.6)
    for i, role in enumerate(outputs):
        sure = truth[index, i] >= 0
        is_one = truth[index, i][sure] == 1
        for name, said in (("before", x[index, i][sure] > likely), ("now", guess[sure, i] > likely)):
            print(role, name, "F", round(2 * float((is_one & said).sum()) / float(is_one.sum() + said.sum()), 4))
