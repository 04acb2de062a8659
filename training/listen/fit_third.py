"""Fit the weights of core/listen/third.py.

    python -m training.listen.fit_third third.npz thirds81.npz ...

Needs torch (2.13, CPU). Every twelfth recording is watched, not learnt.
"""

from __future__ import annotations

import sys
from pathlib import Path

from grainpocket.core.listen import third
from training.listen.looking import fit_look


def main() -> None:
    fit_look(Path(sys.argv[1]).resolve(), sys.argv[2:], third.OUTPUTS, (96, 2), 32)


if __name__ == "__main__":
    main()
