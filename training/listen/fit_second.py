"""Fit the weights of core/listen/second.py.

    python -m training.listen.fit_second second.npz seconds1.npz ...

Needs torch (2.13, CPU). Every twelfth recording is watched, not learnt.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen import pursuit, second
from grainpocket.core.listen.attention import load
from training.listen.encoder import Rows, fit

SHAPE, EPOCHS = (96, 2, len(second.OUTPUTS)), 32


def main() -> None:
    out, files = Path(sys.argv[1]).resolve(), [np.load(f) for f in sys.argv[2:]]
    x, truth, seconds = (np.concatenate([f[name] for f in files]) for name in ("x", "y", "seconds"))
    record = np.concatenate([f["record"] + 100_000 * i for i, f in enumerate(files)])
    rows: Rows = np.split(np.arange(len(x)), np.flatnonzero(np.diff(record)) + 1)
    watched = [r for i, r in enumerate(rows) if i % 12 == 0]
    learnt = [r for i, r in enumerate(rows) if i % 12]
    known, target = torch.from_numpy((truth >= 0).astype(np.float32)), torch.from_numpy(np.maximum(truth, 0).astype(np.float32))

    def loss_of(guess: torch.Tensor, padding: torch.Tensor, some: Rows) -> torch.Tensor:
        index = np.concatenate(some)
        loss = nn.functional.binary_cross_entropy_with_logits(guess[~padding], target[index], reduction="none")
        return (loss * known[index]).sum() / known[index].sum()

    apart = slice(second.FEATURES, second.FEATURES + pursuit.FEATURES)
    fit(x, seconds, learnt, watched, loss_of, SHAPE, EPOCHS, out, absent=apart)
    net = load(str(out))
    guess = np.concatenate([net(x[r].astype(np.float32), seconds[r]) for r in watched])
    index = np.concatenate(watched)
    for i, role in enumerate(second.OUTPUTS):
        sure = truth[index, i] >= 0
        is_one = truth[index, i][sure] == 1
        for name, said in (("judge", x[index, i][sure] > np.log(0.4 / 0.6)), ("second", guess[sure, i] > np.log(0.4 / 0.6))):
            print(role, name, "F", round(2 * float((is_one & said).sum()) / float(is_one.sum() + said.sum()), 4))


if __name__ == "__main__":
    main()
