"""What the third look sees of rendered breaks and songs, with which drums truly sound.

python -m training.listen.thirds OUT.npz --seed 82 --breaks 1500 --songs 0 --sampled 0.7
"""

from __future__ import annotations

from itertools import chain

import numpy as np

from grainpocket.core.listen import third
from grainpocket.core.listen.bands import analyse
from grainpocket.core.listen.onsets import detect_in
from grainpocket.core.sound.audio import Samples
from training.listen.examples import all_kits, from_breaks, from_songs
from training.listen.seconds import Seen, asking, collect


def main() -> None:
    ask = asking(__doc__)
    ask.add_argument("--sampled", type=float, default=0.7, help="share of breaks in which a drum is the same take each time")
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 9000)
    kits = all_kits(rng)
    source = chain(from_breaks(kits, rng, asked.breaks, asked.sampled), from_songs(kits, rng, asked.songs))
    collect(asked.out, source, seen)


def seen(mono: Samples, rate: int, peak: float) -> Seen | None:
    found = detect_in(analyse(mono, rate, peak), mono, looks=2)
    found = found.only(found.likely > third.WORTH_IT)
    ready = third.prepared(mono, rate, found.at)
    table = third.inputs(*ready, found.likely, found.roles) if ready else None
    return None if table is None else (table, found.seconds)


if __name__ == "__main__":
    main()
