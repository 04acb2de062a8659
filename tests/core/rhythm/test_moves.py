"""Moves on hits: what they do by definition, and that none is lost on the way."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.edits import Refusal
from grainpocket.core.edits.moving import MoveLanes, PlaceHits, Quantise
from grainpocket.core.pocket import Chop, Hit, Pad, Pattern, Pocket, Source
from grainpocket.core.rhythm import moves

BEATS = 8.0


def hits(*beats: float, pad: int = 0, velocity: int = 100) -> list[Hit]:
    return [Hit(id=f"h{pad}{i}", pad=pad, beat=beat, velocity=velocity) for i, beat in enumerate(beats)]


def beats(some: list[Hit], pad: int | None = None) -> list[float]:
    return sorted(hit.beat for hit in some if pad is None or hit.pad == pad)


def test_quantise_draws_by_so_much_of_the_way() -> None:
    loose = hits(0.04, 0.93, 1.55, 7.97)
    assert beats(moves.quantised(loose, 0.25, 1.0, 0.5, 1.0, BEATS)) == [0.0, 0.0, 1.0, 1.5]
    half = moves.quantised(loose, 0.25, 0.5, 0.5, 1.0, BEATS)
    assert beats(half) == pytest.approx([0.02, 0.965, 1.525, 7.985])
    assert moves.quantised(loose, 0.25, 0.0, 0.5, 1.0, BEATS) == loose
    # Only what is near enough is drawn at all.
    assert beats(moves.quantised(hits(0.02, 0.37), 0.25, 1.0, 0.5, 0.5, BEATS)) == [0.0, 0.37]
    assert beats(moves.quantised(hits(0.3, 0.52), 0.25, 1.0, 0.66, 1.0, BEATS)) == pytest.approx([0.33, 0.5])


@settings(max_examples=60, derandomize=True)
@given(
    st.lists(st.floats(0, 7.99), min_size=1, max_size=12, unique=True), st.sampled_from([0.125, 0.25, 1 / 3, 0.5]), st.floats(0, 1)
)
def test_quantise_never_moves_a_hit_away(places: list[float], step: float, strength: float) -> None:
    for before, after in zip(hits(*places), moves.quantised(hits(*places), step, strength, 0.5, 1.0, BEATS), strict=True):
        off = lambda beat: abs(beat / step - round(beat / step)) * step  # noqa: E731
        assert off(after.beat) <= off(before.beat) * (1 - strength) + 1e-5
        assert after.id == before.id
        assert 0 <= after.beat < BEATS


def test_shift_and_turning_round_come_back_to_themselves() -> None:
    some = hits(0, 1.5, 7.75)
    assert beats(moves.shifted(moves.shifted(some, 2.5, BEATS), -2.5, BEATS)) == beats(some)
    assert beats(moves.turned_round(some, BEATS, 0.25)) == [0.0, 6.25, 7.75]
    assert beats(moves.turned_round(moves.turned_round(some, BEATS, 0.25), BEATS, 0.25)) == beats(some)


def test_double_halve_thin_accent() -> None:
    some = hits(0, 1, 4, 6)
    assert beats(moves.doubled(some, BEATS)) == [0, 0.5, 2, 3, 4, 4.5, 6, 7]
    assert beats(moves.halved(some, BEATS)) == [0, 2]
    assert beats(moves.halved(moves.doubled(some, BEATS), BEATS)) == beats(some)
    quiet = [*hits(0, 1, 2, 3), *hits(1.5, pad=1)]
    assert beats(moves.thinned(quiet, 2), 0) == [0, 2]
    assert beats(moves.thinned(quiet, 2), 1) == [1.5]
    assert [hit.velocity for hit in moves.accented(hits(0, 1, 2, 3), 2, 20)] == [120, 90, 120, 90]


def test_rules_place_what_they_say() -> None:
    assert beats(moves.placed(3, 1.5, 0.5, 90, BEATS)) == [0.5, 2.0, 3.5, 5.0, 6.5]
    assert beats(moves.spread(3, 3, 0.25, 0, 90, 2.0)) == [0.0, 0.5, 1.25]
    assert len(moves.spread(3, 5, 0.5, 1, 90, BEATS)) == 5
    assert beats(moves.where_silent(3, hits(0, 0.52, 1.0), 0.5, 90, 2.0)) == [1.5]


def test_the_last_beat_stutters() -> None:
    made = moves.stuttered(hits(0, 7.0, 7.6), BEATS, 4)
    assert beats(made) == [0, 7, 7.25, 7.5, 7.75]
    assert len({hit.id for hit in made if hit.id}) == 2
    assert beats(moves.stuttered(hits(0, 5.0), BEATS, 2)) == [0, 5, 7, 7.5]


@pytest.fixture
def pocket() -> Pocket:
    chop = Chop(source="s1", start=0, end=1000)
    source = Source(id="s1", name="S", audio="a", frames=9000, channels=2)
    pattern = Pattern(id="p1", name="One", bars=2, hits=tuple([*hits(0, 1.02, 2, 3), *hits(0.5, 4.5, pad=1)]))
    return Pocket(
        name="P", sources={"s1": source}, pads={i: Pad(chop=chop) for i in range(3)}, patterns={"p1": pattern}, next_id=50
    )


def test_edits_keep_what_is_not_meant(pocket: Pocket) -> None:
    after = Quantise(pattern="p1", pads=(0,)).apply(pocket, None)  # type: ignore[arg-type]
    assert beats(list(after.patterns["p1"].hits), 0) == [0, 1, 2, 3]
    assert beats(list(after.patterns["p1"].hits), 1) == [0.5, 4.5]
    after = MoveLanes(pattern="p1", pads=(1,), move="double").apply(pocket, None)  # type: ignore[arg-type]
    assert beats(list(after.patterns["p1"].hits), 1) == [0.25, 2.25, 4.25, 6.25]
    assert all(hit.id for hit in after.patterns["p1"].hits)
    assert len({hit.id for hit in after.patterns["p1"].hits}) == len(after.patterns["p1"].hits)
    after = MoveLanes(pattern="p1", pads=(0,), other=2, move="alternate").apply(pocket, None)  # type: ignore[arg-type]
    assert beats(list(after.patterns["p1"].hits), 2) == [1.02, 3]
    after = PlaceHits(pattern="p1", pad=2, rule="silent", every=1.0, others=(0,)).apply(pocket, None)  # type: ignore[arg-type]
    assert beats(list(after.patterns["p1"].hits), 2) == [4, 5, 6, 7]
    with pytest.raises(Refusal, match="another lane"):
        MoveLanes(pattern="p1", pads=(2,), move="thin").apply(pocket, None)  # type: ignore[arg-type]
    with pytest.raises(Refusal, match="two lanes"):
        MoveLanes(pattern="p1", pads=(0,), move="alternate").apply(pocket, None)  # type: ignore[arg-type]
    with pytest.raises(Refusal, match="no hit"):
        PlaceHits(pattern="p1", pad=2, rule="every", start=200).apply(pocket, None)  # type: ignore[arg-type]
