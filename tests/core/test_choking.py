"""Which pads cut each other off by themselves: those of one record, and nothing that is to ring on."""

from __future__ import annotations

import pytest

from grainpocket.core.edits.base import Library
from grainpocket.core.edits.choking import choke_of, record_group
from grainpocket.core.edits.padding import SetPads, SlicesToPads
from grainpocket.core.pocket import CHOKE_OF, MOST_CHOKE, Chop, Cut, Kin, Pad, Pocket, Role, Source

RATE = 44100
ROLES: tuple[Role | None, ...] = ("kick", "snare", "hat", "perc", None, "tonal", "vocal")


def record(key: str, first: int) -> Source:
    """Seven slices of half a second, one of each role, and one of four seconds."""
    cuts = [Cut(id=f"c{first + n}", at=n * RATE // 2, role=role) for n, role in enumerate(ROLES)]
    cuts.append(Cut(id=f"c{first + 7}", at=7 * RATE // 2, role="kick"))
    return Source(id=key, name=key, audio=key, frames=7 * RATE // 2 + 4 * RATE, channels=1, cuts=tuple(cuts))


@pytest.fixture
def pocket() -> Pocket:
    stem = Source(id="s3", name="Stem", audio="c", frames=RATE * 7, channels=1, kin=Kin(root="s1", kind="stem"))
    return Pocket(name="Chokes", sources={"s1": record("s1", 1), "s2": record("s2", 101), "s3": stem}, next_id=500)


def to_pads(pocket: Pocket, source: str) -> Pocket:
    library: Library = None  # type: ignore[assignment]  # This edit looks nothing up.
    return SlicesToPads(source=source).apply(pocket, library)


def groups(pocket: Pocket, source: str) -> list[int]:
    return [pad.choke for pad in pocket.pads.values() if pad.chop.source == source]


def test_each_record_has_a_group_and_what_is_to_ring_has_none(pocket: Pocket) -> None:
    both = to_pads(to_pads(pocket, "s1"), "s2")
    one, other = groups(both, "s1"), groups(both, "s2")
    assert [bool(group) for group in one] == [True] * 5 + [False] * 3
    assert len(set(one[:5])) == 1
    assert len(set(other[:5])) == 1
    assert one[0] != other[0]
    assert not {one[0], other[0]} & set(CHOKE_OF.values()), "no drum that is laid out by role is cut off by them"


def test_kin_share_the_group_of_their_record(pocket: Pocket) -> None:
    made = to_pads(pocket, "s1")
    assert record_group(made, made.sources["s3"]) == groups(made, "s1")[0]


def test_a_find_that_is_one_sound_rings_on(pocket: Pocket) -> None:
    source = pocket.sources["s2"]
    assert choke_of(pocket, source, Chop(source="s2", start=0, end=9000), "kick") > 0
    short = source.model_copy(update={"frames": 9000})
    assert choke_of(pocket, short, Chop(source="s2", start=0, end=9000), "kick") == 0


def test_when_all_groups_are_taken_a_record_rings_on(pocket: Pocket) -> None:
    chop = Chop(source="s2", start=0, end=9000)
    pads = {n: Pad(chop=chop, choke=n) for n in range(1, MOST_CHOKE + 1) if n not in CHOKE_OF.values()}
    full = pocket.model_copy(update={"pads": pads})
    assert record_group(full, full.sources["s1"]) == 0


def test_an_older_pocket_is_sorted_when_it_is_asked_for(pocket: Pocket) -> None:
    made = to_pads(to_pads(pocket, "s1"), "s2")
    old = made.model_copy(update={"pads": {k: p.model_copy(update={"choke": 1}) for k, p in made.pads.items()}})
    library: Library = None  # type: ignore[assignment]
    again = SetPads(pads=tuple(old.pads), choke_by_itself=True)
    assert again.label(old) == "pad choke"
    assert [pad.choke for pad in again.apply(old, library).pads.values()] == [pad.choke for pad in made.pads.values()]
