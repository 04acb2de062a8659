"""Fit the weights of core/listen/second.py.

    python -m training.listen.fit_second second.npz seconds1.npz ...

Needs torch (2.13, CPU). Every twelfth recording is watched, not learnt.
"""

from __future__ import annotations

import sys
from pathlib import Path

from grainpocket.core.listen import pursuit, second
from training.listen.looking import fit_look


def main() -> None:
    apart = slice(second.FEATURES, second.FEATURES + pursuit.FEATURES)
    out = Path(sys.argv[1]).resolve()
    fit_look(out, sys.argv[2:], second.OUTPUTS, (96, 2), 32, absent=apart)


if __name__ == "__main__":
    main()
