"""The way back from a sound to the seconds of its records."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.lineage import merged, parts_of_pads, parts_of_stretch
from grainpocket.core.pocket import Chop, Origin, Pad, Part, Pocket, Source, Taken


def source(key: str, frames: int = 1000, **origin: object) -> Source:
    return Source(id=key, name=f"Record {key}", audio=key, frames=frames, channels=2, origin=Origin(**origin))  # type: ignore[arg-type]


def test_a_stretch_of_a_record_is_its_own_seconds() -> None:
    (part,) = parts_of_stretch(source("a"), 100, 300)
    assert (part.record, part.audio, part.start, part.end, part.at) == ("Record a", "a", 100, 300, 0)
    assert parts_of_stretch(source("a"), 1000, 1200) == ()
    assert parts_of_stretch(source("a"), -50, 20)[0].start == 0


def test_what_was_taken_from_a_record_names_that_record() -> None:
    kept = source("b", taken=Taken(record="Old one", start=5000, end=6000))
    (part,) = parts_of_stretch(kept, 10, 20)
    assert (part.record, part.start, part.end) == ("Old one", 5010, 5020)


def test_a_print_leads_to_the_stretches_inside_it() -> None:
    parts = (
        Part(record="A", start=0, end=400, at=0),
        Part(record="B", start=900, end=1500, at=400),
        Part(record="C", start=1, end=9),
    )
    made = source("p", parts=parts)
    found = parts_of_stretch(made, 300, 500)
    assert found == (
        Part(record="A", start=300, end=400, at=0),
        Part(record="B", start=900, end=1000, at=100),
        Part(record="C", start=1, end=9),
    )


def test_pads_name_all_that_they_play_once() -> None:
    pocket = Pocket(name="p", sources={"a": source("a"), "b": source("b")})
    pads = [Pad(name="x", chop=Chop(source="a", start=0, end=500)), Pad(name="y", chop=Chop(source="a", start=400, end=700))]
    pads.append(Pad(name="z", chop=Chop(source="b", start=5, end=6), takes=(Chop(source="gone", start=0, end=1),)))
    assert [(p.record, p.start, p.end) for p in parts_of_pads(pocket, pads)] == [("Record a", 0, 700), ("Record b", 5, 6)]


@given(st.lists(st.tuples(st.sampled_from("AB"), st.integers(0, 90), st.integers(1, 20)), max_size=12))
def test_merging_loses_no_sample_and_invents_none(some: list[tuple[str, int, int]]) -> None:
    parts = [Part(record=name, start=start, end=start + length) for name, start, length in some]
    now = {(p.record, k) for p in merged(parts) for k in range(p.start, p.end)}
    assert now == {(p.record, k) for p in parts for k in range(p.start, p.end)}
