"""Fit the weights of core/listen/passages/passages.py.

    python -m training.listen.fit_passages passages.npz parts*.npz --seed 5

Of parts16, 17, 20, 21, 22 and 23.

Needs torch (2.13, CPU). The last tenth of each file is watched, not learnt.
"""

from __future__ import annotations

import numpy as np
import torch
from torch import nn

from grainpocket.core.listen.passages import passages
from training.listen.asking import asking, begun
from training.listen.perceptron import fit, run, save

HIDDEN = (128, 48)


def main() -> None:
    asked = begun(asking(__doc__, epochs=18))
    files = [np.load(f) for f in asked.files]
    bars, truth = np.concatenate([f["bars"] for f in files]), np.concatenate([f["bar_truth"] for f in files])
    watch = np.concatenate([np.arange(len(f["bars"])) > 0.9 * len(f["bars"]) for f in files])
    known = torch.from_numpy((truth >= 0).astype(np.float32))
    target = torch.from_numpy(np.maximum(truth, 0).astype(np.float32))

    def bar_loss(guess: torch.Tensor, rows: torch.Tensor) -> torch.Tensor:
        loss = nn.functional.binary_cross_entropy_with_logits(guess, target[rows], reduction="none")
        return (loss * known[rows]).sum() / known[rows].sum()

    net = fit(bars.astype(np.float32), watch, HIDDEN, len(passages.OUTPUTS), bar_loss, asked.epochs)
    save(asked.out, *net)
    guess = run(net, bars.astype(np.float32))[watch]
    for i, name in enumerate(passages.OUTPUTS):
        sure = truth[watch, i] >= 0
        print(name, "right", round(float(((guess[sure, i] > 0) == (truth[watch, i][sure] == 1)).mean()), 4))
    bare, sure = truth[watch], (truth[watch] >= 0).all(axis=1)
    is_bare = (bare == (1, 0, 0)).all(axis=1)[sure]
    said = ((guess[:, 0] > 0) & (guess[:, 1] < 0) & (guess[:, 2] < 0))[sure]
    print("bare F", round(2 * float((is_bare & said).sum()) / max(1, float(is_bare.sum() + said.sum())), 4), int(is_bare.sum()))


if __name__ == "__main__":
    main()
