"""Fit the weights of core/listen/refinement.py.

    python -m training.listen.fit_refinement refinement.npz refinement81.npz ...

Needs torch (2.13, CPU). Every twelfth recording is watched, not learnt.
"""

from __future__ import annotations

from grainpocket.core.listen.drums import refinement
from training.listen.asking import asking, begun
from training.listen.looking import fit_look


def main() -> None:
    asked = begun(asking(__doc__, epochs=32))
    fit_look(asked.out.resolve(), asked.files, refinement.OUTPUTS, (96, 2), asked.epochs)


if __name__ == "__main__":
    main()
