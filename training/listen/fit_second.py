"""Fit the weights of core/listen/second.py.

    python -m training.listen.fit_second second1.npz seconds71.npz seconds72.npz

Needs torch (2.13, CPU). Every twelfth recording is watched, not learnt.
"""

from __future__ import annotations

from grainpocket.core.listen import pursuit, second
from training.listen.asking import asking, begun
from training.listen.looking import fit_look


def main() -> None:
    asked = begun(asking(__doc__, epochs=32))
    apart = slice(second.FEATURES, second.FEATURES + pursuit.FEATURES)
    fit_look(asked.out.resolve(), asked.files, second.OUTPUTS, (96, 2), asked.epochs, absent=apart)


if __name__ == "__main__":
    main()
