"""What the third look sees of rendered breaks and songs, with which drums truly sound.

python -m training.listen.refinement OUT.npz --seed 82 --breaks 1500 --songs 0 --sampled 0.7
"""

from __future__ import annotations

from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.drums import refinement
from grainpocket.core.listen.spectra.bands import analyse
from grainpocket.core.sound.audio import Samples
from training.listen.templates import Seen, asking, collect, heard


def main() -> None:
    asked = asking(__doc__).parse_args()
    collect(asked.out, heard(asked), seen)


def seen(mono: Samples, rate: int, peak: float) -> Seen | None:
    found = detect_in(analyse(mono, rate, peak), mono, looks=2)
    found = found.only(found.likely > refinement.WORTH_IT)
    ready = refinement.prepared(mono, rate, found.at)
    table = refinement.inputs(*ready, found.likely, found.roles) if ready else None
    return None if table is None else (table, found.seconds)


if __name__ == "__main__":
    main()
