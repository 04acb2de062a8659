"""When a policy has nothing to cut, or too much, it says why and what to do; nothing is cut meanwhile."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.chop.policies import MOST_CUTS, NoCuts, propose
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.cutting import DeleteCuts, Recut
from grainpocket.core.edits.family import JoinFamily
from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.pocket import Cutting
from tests.core.test_policies import Records
from tests.core.test_rebuild import Bench
from tests.signals import RATE, drum_loop


@pytest.fixture
def bench() -> Bench:
    """A loop; beside it a noise without pulse, chords or breath."""
    bench = Bench(drum_loop())
    noise = np.repeat(0.05 * np.random.default_rng(5).standard_normal((RATE * 2, 1)), 2, axis=1).astype(np.float32)
    bench.library = Records(a=bench.loop.samples, noise=noise)
    bench.make(AddSource(name="Sea", audio="noise", frames=len(noise), channels=2))
    return bench


def sea(bench: Bench) -> str:
    return list(bench.pocket.sources)[-1]


@pytest.mark.parametrize(
    ("cutting", "words"),
    [
        (Cutting(by="grid"), "has no tempo yet. Set one in Listen"),
        (Cutting(by="chords"), "No chord changes"),
        (Cutting(by="phrases"), "no pause to cut at"),
        (Cutting(by="copied"), "Choose the find"),
        (Cutting(by="copied", other="s99"), "Choose the find"),
        (Cutting(by="copied", other="s1", align="beats"), "has no tempo to align by"),
    ],
)
def test_a_record_that_has_no_such_places(bench: Bench, cutting: Cutting, words: str) -> None:
    before = bench.pocket
    with pytest.raises(Refusal, match=words):
        bench.make(Recut(source=sea(bench), cutting=cutting))
    assert bench.pocket is before


def test_nothing_is_copied_from_a_find_without_cuts_or_of_the_same_family(bench: Bench) -> None:
    other = sea(bench)
    bench.make(DeleteCuts(source=other, cuts=tuple(c.id for c in bench.pocket.sources[other].cuts)))
    with pytest.raises(Refusal, match="has no cuts to copy"):
        bench.make(Recut(source="s1", cutting=Cutting(by="copied", other=other, align="offset")))
    bench.make(JoinFamily(source=other, root="s1", offset=100))
    with pytest.raises(Refusal, match="Both belong to Loop"):
        bench.make(Recut(source=other, cutting=Cutting(by="copied", other="s1", align="offset")))


def test_parts_too_short_to_play_and_slices_too_many_to_hold(bench: Bench) -> None:
    source = bench.pocket.sources["s1"]
    with pytest.raises(NoCuts, match="too short to play"):
        propose(bench.pocket, source, Cutting(by="parts", parts=64), bench.library, start=1000, end=1000 + 64 * 20)
    minutes = source.model_copy(update={"frames": 40 * 60 * RATE})
    with pytest.raises(NoCuts, match="Choose longer ones, or select a part"):
        propose(bench.pocket.with_source(minutes), minutes, Cutting(by="grid", step=0.25), bench.library)
    assert len(propose(bench.pocket, source, Cutting(by="grid", step=0.25), bench.library)) <= MOST_CUTS
