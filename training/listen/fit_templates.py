"""Fit the weights of core/listen/templates.py.

    python -m training.listen.fit_templates templates1.npz templates71.npz templates72.npz

Needs torch (2.13, CPU). Every twelfth recording is watched, not learnt.
"""

from __future__ import annotations

from grainpocket.core.listen.drums import pursuit, templates
from training.listen.asking import asking, begun
from training.listen.looking import fit_look


def main() -> None:
    asked = begun(asking(__doc__, epochs=32))
    apart = slice(templates.FEATURES, templates.FEATURES + pursuit.FEATURES)
    fit_look(asked.out.resolve(), asked.files, templates.OUTPUTS, (96, 2), asked.epochs, absent=apart)


if __name__ == "__main__":
    main()
