"""What the third look sees of rendered breaks and songs, with which drums truly sound.

python -m training.listen.thirds OUT.npz --seed 82 --breaks 1500 --songs 0 --sampled 0.7
"""

from __future__ import annotations

from grainpocket.core.listen import third
from grainpocket.core.listen.bands import analyse
from grainpocket.core.listen.onsets import detect_in
from grainpocket.core.sound.audio import Samples
from training.listen.seconds import Seen, asking, collect, heard


def main() -> None:
    asked = asking(__doc__).parse_args()
    collect(asked.out, heard(asked), seen)


def seen(mono: Samples, rate: int, peak: float) -> Seen | None:
    found = detect_in(analyse(mono, rate, peak), mono, looks=2)
    found = found.only(found.likely > third.WORTH_IT)
    ready = third.prepared(mono, rate, found.at)
    table = third.inputs(*ready, found.likely, found.roles) if ready else None
    return None if table is None else (table, found.seconds)


if __name__ == "__main__":
    main()
