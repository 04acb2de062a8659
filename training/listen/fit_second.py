"""Fit the weights of core/listen/second.py.

    python -m training.listen.fit_second second.npz seconds1.npz ...

Needs torch (2.13, CPU). The last tenth of each file is watched, not learnt.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen import second
from training.listen.fit_parts import fit, run, save

HIDDEN, EPOCHS = (64, 32), 12


def main() -> None:
    out, files = Path(sys.argv[1]), [np.load(f) for f in sys.argv[2:]]
    torch.manual_seed(1)
    torch.set_num_threads(1)
    x, truth = np.concatenate([f["x"] for f in files]).astype(np.float32), np.concatenate([f["y"] for f in files])
    watch = np.concatenate([np.arange(len(f["x"])) > 0.9 * len(f["x"]) for f in files])
    known, target = torch.from_numpy((truth >= 0).astype(np.float32)), torch.from_numpy(np.maximum(truth, 0).astype(np.float32))

    def loss_of(guess: torch.Tensor, rows: torch.Tensor) -> torch.Tensor:
        loss = nn.functional.binary_cross_entropy_with_logits(guess, target[rows], reduction="none")
        return (loss * known[rows]).sum() / known[rows].sum()

    fitted = fit(x, watch, HIDDEN, len(second.DRUMS), loss_of, EPOCHS)
    save(out, *fitted)
    guess = run(fitted, x)[watch]
    for i, role in enumerate(second.DRUMS):
        sure = truth[watch, i] >= 0
        is_one = truth[watch, i][sure] == 1
        for name, said in (("judge", x[watch, 1 + i][sure] > np.log(0.4 / 0.6)), ("second", guess[sure, i] > np.log(0.4 / 0.6))):
            print(role, name, "F", round(2 * float((is_one & said).sum()) / float(is_one.sum() + said.sum()), 4))


if __name__ == "__main__":
    main()
