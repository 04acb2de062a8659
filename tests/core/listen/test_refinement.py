"""The third look: roles again, by what a loop's own sounds leave unexplained."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from grainpocket.core.listen.detection import detect
from grainpocket.core.listen.drums import refinement
from grainpocket.core.listen.drums.roles import LIKELY
from grainpocket.core.listen.onsets.classifier import ROLES
from tests.machine import NAMES, Hit, roles_of, tape
from tests.signals import RATE

SNARE, HAT = ROLES.index("snare"), ROLES.index("hat")
# Two bars: kick and snare on the beats, hats on all eighths and on some sixteenths.
STEP = 0.14
BEAT: list[Hit] = sorted(
    [(0.1 + STEP * s, "kick" if s % 8 == 0 else "snare", 0.8) for s in range(0, 32, 4)]
    + [(0.1 + STEP * s, "hat", 0.3 + 0.05 * (s % 3)) for s in range(0, 32, 2)]
)
# Ghost notes 18 dB under the snare, each on a hat.
GHOSTS = [2, 10, 14, 26]
WITH_GHOSTS: list[Hit] = sorted([*BEAT, *((0.1 + STEP * s, "snare", 0.1) for s in GHOSTS)])
Looked = tuple[NDArray[np.float32], NDArray[np.int64], NDArray[np.float32], NDArray[np.float32]]


def looked(hits: list[Hit], unsure: float) -> Looked:
    """(samples, places, likely, roles), with hats alone of which it was doubtful whether a snare lies under them."""
    samples, at = tape(hits)
    roles = np.full((len(at), len(ROLES)), 0.02, np.float32)
    for i, place in enumerate(at.tolist()):
        for time, name, gain in hits:
            if round(time * RATE) == place and gain > 0.2:
                roles[i, ROLES.index(name)] = 0.97
    alone = (roles[:, HAT] > 0.5) & (roles[:, :2].max(axis=1) < 0.5)
    roles[alone, SNARE] = unsure
    return samples, at, np.full(len(at), 0.97, np.float32), roles


@pytest.mark.parametrize("unsure", [0.15, 0.35])
def test_a_ghost_note_is_told_from_the_hat_that_it_lies_under(unsure: float) -> None:
    samples, at, likely, roles = looked(WITH_GHOSTS, unsure)
    real, found = refinement.by_dictionary(samples, RATE, at, likely, roles)
    step = np.round((at / RATE - 0.1) / STEP).astype(int)
    ghosts, hats = np.isin(step, GHOSTS), ~np.isin(step, GHOSTS) & (step % 4 > 0)
    assert found[ghosts, SNARE].min() > LIKELY > unsure > found[hats, SNARE].max()
    assert found[hats | ghosts, HAT].min() > LIKELY
    assert real.min() > 0.5


def test_a_loop_without_ghosts_gets_none() -> None:
    samples, at, likely, roles = looked(BEAT, 0.35)
    found = refinement.by_dictionary(samples, RATE, at, likely, roles)[1]
    step = np.round((at / RATE - 0.1) / STEP).astype(int)
    assert found[step % 4 > 0, SNARE].max() < LIKELY
    assert found[step % 8 == 4, SNARE].min() > 0.9


def test_it_is_heard_from_the_sound_alone() -> None:
    samples, _ = tape(WITH_GHOSTS)
    found = detect(samples, RATE)
    step = np.round((found.seconds - 0.1) / STEP).astype(int)
    snares = set(step[(found.roles[:, SNARE] >= LIKELY) & (found.likely >= 0.5)].tolist())
    assert snares == {*GHOSTS, 4, 12, 20, 28}


def test_loudness_does_not_matter() -> None:
    samples, at, likely, roles = looked(WITH_GHOSTS, 0.2)
    loud = refinement.by_dictionary(samples, RATE, at, likely, roles)[1]
    soft = refinement.by_dictionary(samples * np.float32(0.05), RATE, at, likely, roles)[1]
    assert np.abs(loud - soft).max() < 0.1


def test_what_is_hardly_likely_stays_as_it_was() -> None:
    samples, at, likely, roles = looked(WITH_GHOSTS, 0.2)
    likely[5] = refinement.WORTH_IT / 2
    real, found = refinement.by_dictionary(samples, RATE, at, likely, roles)
    assert real[5] == likely[5]
    assert (found[5] == roles[5]).all()
    # Tonal, vocal and other roles are not this look's to tell.
    assert (found[:, len(NAMES) :] == roles[:, len(NAMES) :]).all()


@pytest.mark.parametrize("case", ["many", "long", "none", "unsure"])
def test_what_cannot_be_taken_apart_stays_as_it_was(case: str, monkeypatch: pytest.MonkeyPatch) -> None:
    samples, at, likely, roles = looked(WITH_GHOSTS, 0.2)
    if case == "many":
        monkeypatch.setattr(refinement, "MOST", len(at) - 1)
    if case == "long":
        monkeypatch.setattr(refinement, "LONGEST_S", 1.0)
    if case == "none":
        at, likely, roles = at[:0], likely[:0], roles[:0]
    if case == "unsure":
        roles[:] = 0.2
    real, found = refinement.by_dictionary(samples, RATE, at, likely, roles)
    assert (real == likely).all()
    assert (found == roles).all()


def test_it_says_how_far_it_is_and_can_be_ended() -> None:
    samples, at, likely, roles = looked(WITH_GHOSTS, 0.2)
    said: list[float] = []
    refinement.by_dictionary(samples, RATE, at, likely, roles, said.append)
    assert len(said) > 4
    assert said == sorted(said)
    assert said[-1] == 1

    def enough(share: float) -> None:
        raise InterruptedError(share)

    with pytest.raises(InterruptedError):
        refinement.by_dictionary(samples, RATE, at, likely, roles, enough)


@pytest.mark.parametrize("count", [1, 2, 5])
def test_inputs_are_finite_of_few_onsets_and_of_silence(count: int) -> None:
    samples, at = tape(BEAT)
    roles, likely = roles_of("kick", "hat", "snare", "hat", "kick")[:count], np.full(count, 0.9, np.float32)
    for sound in (samples, np.zeros_like(samples)):
        ready = refinement.prepared(sound, RATE, at[:count])
        assert ready is not None
        table = refinement.inputs(*ready, likely, roles)
        assert table is not None
        assert table.shape == (count, refinement.INPUTS)
        assert np.isfinite(table).all()
