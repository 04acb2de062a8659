"""Recordings that are kept and chosen from, and variants that go along with their original."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.edits import EditModel, Refusal
from grainpocket.core.edits.hitting import MoveHits, PutHits, RemoveHits, SetHits, SetVelocities
from grainpocket.core.edits.lanes import SetLanes
from grainpocket.core.edits.patterns import RemovePattern, SetPattern
from grainpocket.core.edits.recordings import DropRecordings, KeepRecording, UseRecordings
from grainpocket.core.edits.variants import AddVariant, UnlinkPattern
from grainpocket.core.pocket import Condition, Hit, Pattern, Pocket


class Nothing:
    def hearing(self, audio: str) -> object:
        raise KeyError(audio)


def start() -> Pocket:
    hits = tuple(Hit(id=f"h{i}", pad=0, beat=float(i)) for i in range(4))
    return Pocket(name="p", patterns={"p1": Pattern(id="p1", name="P", bars=2, hits=hits)}, next_id=10)


def made(pocket: Pocket, *edits: EditModel) -> Pocket:
    for edit in edits:
        pocket = edit.made(pocket, Nothing())  # type: ignore[arg-type]
    return pocket


def beats(pocket: Pocket, pattern: str = "p1") -> list[float]:
    return [hit.beat for hit in pocket.patterns[pattern].hits]


def played(*at: float) -> tuple[Hit, ...]:
    return tuple(Hit(pad=1, beat=beat) for beat in at)


def test_takes_are_kept_and_chosen_from() -> None:
    pocket = made(
        start(), KeepRecording(pattern="p1", hits=played(0.5, 1.5)), KeepRecording(pattern="p1", hits=played(2.5), alone=True)
    )
    first, second = pocket.patterns["p1"].recordings
    assert (first.name, first.on, second.name, second.on) == ("Take 1", False, "Take 2", True)
    assert beats(pocket) == [0, 1, 2, 2.5, 3]
    both = made(pocket, UseRecordings(pattern="p1", recordings=(first.id, second.id)))
    assert beats(both) == [0, 0.5, 1, 1.5, 2, 2.5, 3]
    none = made(both, UseRecordings(pattern="p1", recordings=()))
    assert beats(none) == [0, 1, 2, 3]
    # The rest of the pattern is not touched, and what is forgotten while it is in use stays as its own.
    kept = made(both, DropRecordings(pattern="p1", recordings=(first.id,)), UseRecordings(pattern="p1", recordings=()))
    assert beats(kept) == [0, 0.5, 1, 1.5, 2, 3]


def test_a_take_comes_back_as_it_was_left() -> None:
    pocket = made(start(), KeepRecording(pattern="p1", hits=played(0.5, 1.6)))
    (take,) = pocket.patterns["p1"].recordings
    moved = made(
        pocket, MoveHits(pattern="p1", hits=(take.hits[1].id,), beats=-0.1), RemoveHits(pattern="p1", hits=(take.hits[0].id,))
    )
    again = made(moved, UseRecordings(pattern="p1", recordings=()), UseRecordings(pattern="p1", recordings=(take.id,)))
    assert beats(again) == [0, 1, 1.5, 2, 3]


def test_hits_that_are_in_already_become_a_take() -> None:
    pocket = made(start(), PutHits(pattern="p1", hits=played(0.25)))
    (new,) = [hit.id for hit in pocket.patterns["p1"].hits if hit.pad == 1]
    kept = made(pocket, KeepRecording(pattern="p1", ids=(new,)))
    assert beats(made(kept, UseRecordings(pattern="p1", recordings=()))) == [0, 1, 2, 3]
    with pytest.raises(Refusal, match="Nothing was played"):
        made(start(), KeepRecording(pattern="p1", hits=played(99)))


def test_a_variant_goes_along_but_for_what_differs() -> None:
    pocket = made(start(), AddVariant(pattern="p1", name="P, fill"))
    (key,) = [k for k in pocket.patterns if k != "p1"]
    pocket = made(
        pocket,
        RemoveHits(pattern=key, hits=("h3",)),
        SetHits(pattern=key, hits=("h1",), velocity=30),
        PutHits(pattern=key, hits=played(3.5)),
    )
    pocket = made(
        pocket,
        SetHits(pattern="p1", hits=("h0", "h1", "h3"), velocity=120), RemoveHits(pattern="p1", hits=("h2",)),
        PutHits(pattern="p1", hits=played(0.75, 3.5)), SetPattern(pattern="p1", swing=60),
        SetLanes(pattern="p1", pads=(1,), level=-6),
    )  # fmt: skip
    mine = pocket.patterns[key]
    assert [(hit.beat, hit.velocity) for hit in mine.hits] == [(0, 120), (0.75, 100), (1, 30), (3.5, 100)]
    assert mine.swing == 60
    assert mine.lanes[1].level == -6
    alone = made(pocket, UnlinkPattern(pattern=key), SetPattern(pattern="p1", swing=70), RemoveHits(pattern="p1", hits=("h0",)))
    assert alone.patterns[key].swing == 60
    assert beats(alone, key) == [0, 0.75, 1, 3.5]


def test_a_variant_of_a_variant_follows_and_outlives_its_original() -> None:
    pocket = made(start(), AddVariant(pattern="p1", name="B"))
    second = next(k for k in pocket.patterns if k != "p1")
    pocket = made(pocket, AddVariant(pattern=second, name="C"))
    third = next(k for k in pocket.patterns if k not in ("p1", second))
    pocket = made(pocket, PutHits(pattern="p1", hits=played(0.5)))
    assert beats(pocket, third) == beats(pocket, second) == [0, 0.5, 1, 2, 3]
    gone = made(pocket, RemovePattern(pattern=second), PutHits(pattern="p1", hits=played(1.5)))
    assert gone.patterns[third].variant_of is None
    assert beats(gone, third) == [0, 0.5, 1, 2, 3]


@settings(max_examples=60, derandomize=True)
@given(st.lists(st.tuples(st.sampled_from(["put", "remove", "move", "louder"]), st.integers(0, 30)), max_size=12))
def test_a_variant_that_changes_nothing_is_its_original(steps: list[tuple[str, int]]) -> None:
    pocket = made(start(), AddVariant(pattern="p1", name="B"))
    key = next(k for k in pocket.patterns if k != "p1")
    for what, number in steps:
        hits = pocket.patterns["p1"].hits
        one = hits[number % len(hits)].id if hits else ""
        edit: EditModel = PutHits(pattern="p1", hits=played(number / 4))
        if one and what != "put":
            edit = {
                "remove": RemoveHits(pattern="p1", hits=(one,)), "move": MoveHits(pattern="p1", hits=(one,), pad=number % 3),
                "louder": SetVelocities(pattern="p1", velocities={one: 1 + number}),
            }[what]  # fmt: skip
        pocket = made(pocket, edit)
        assert pocket.patterns[key].hits == pocket.patterns["p1"].hits


def test_conditions_of_hits_are_set_and_cleared() -> None:
    pocket = made(start(), SetHits(pattern="p1", hits=("h0",), when=Condition(every=4, on=4), turn=2))
    assert pocket.patterns["p1"].hits[0].when == Condition(every=4, on=4)
    assert pocket.patterns["p1"].hits[0].turn == 2
    clear = made(pocket, SetHits(pattern="p1", hits=("h0",), when=Condition(), turn=None))
    assert clear.patterns["p1"].hits[0].when is None
    assert clear.patterns["p1"].hits[0].turn is None
