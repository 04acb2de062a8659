"""In which order hits are offered, and how far the span to cut reaches."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np
import pytest

from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.drums import clean_hits as module
from grainpocket.core.listen.drums.clean_hits import CleanHit, clean_hits, of_role, soft_masks
from grainpocket.core.listen.onsets.onset import Onsets
from grainpocket.core.listen.spectra.bands import Bands, analyse
from grainpocket.core.sound.audio import Samples, mono
from tests.signals import RATE, drum_loop

Loop = tuple[Bands, Samples, Onsets]
DRUMS_ALONE, WITH_MUSIC = (1.0, 0.0, 0.0), (1.0, 1.0, 0.0)


@pytest.fixture(scope="module")
def loop() -> Loop:
    samples = np.ascontiguousarray(mono(drum_loop(bars=4).samples))
    bands = analyse(samples, RATE, float(np.abs(samples).max()))
    return bands, samples, detect_in(bands, samples)


def offered(loop: Loop, sounding: np.ndarray, role: str) -> list[CleanHit]:
    bands, samples, onsets = loop
    return [
        hit
        for hit in clean_hits(bands, samples, onsets, sounding.astype(np.float32), soft_masks(samples, onsets))
        if hit.role == role
    ]


def everywhere(loop: Loop, kind: tuple[float, float, float]) -> np.ndarray:
    return np.tile(np.array(kind), (len(loop[2].at), 1))


def told(monkeypatch: pytest.MonkeyPatch, cover_db: np.ndarray | float) -> None:
    """Whatever sounds, the networks say this, and a closer look says the same."""
    first = lambda networks, table: np.resize(np.divide(cover_db, module.SCALE_DB), len(table))[:, None]  # noqa: E731
    monkeypatch.setattr(module, "mean_of", first)
    monkeypatch.setattr(module, "CLOSER", 0.0)


def looked_closely(monkeypatch: pytest.MonkeyPatch, say: Callable[[np.ndarray], np.ndarray]) -> None:
    """A closer look alone counts, and says this of the samples it is asked about."""
    monkeypatch.setattr(module, "CLOSER", 1.0)
    closer = lambda _, asked: [say(at).astype(np.float32) for at in asked]  # noqa: E731
    monkeypatch.setattr(module.SoftMasks, "interference_db", closer)


@pytest.mark.parametrize("role", module.DRUMS)
def test_hits_of_bare_drums_come_first(loop: Loop, monkeypatch: pytest.MonkeyPatch, role: str) -> None:
    told(monkeypatch, -3.0)
    at = loop[2].at[of_role(loop[2], role)]
    bare = at >= np.median(at)
    sounding = everywhere(loop, WITH_MUSIC)
    sounding[np.isin(loop[2].at, at[bare])] = DRUMS_ALONE
    found = offered(loop, sounding, role)
    assert sorted(h.at for h in found) == at.tolist()
    first = [h.at for h in found[: int(bare.sum())]]
    assert set(first) == set(at[bare].tolist())
    assert all(h.cover_db == -3.0 for h in found), "what is shown is the estimate, not what it is sorted by"


def test_a_much_cleaner_hit_beats_a_bare_bar(loop: Loop, monkeypatch: pytest.MonkeyPatch) -> None:
    index = of_role(loop[2], "kick")
    sounding = everywhere(loop, WITH_MUSIC)
    sounding[index[0]] = DRUMS_ALONE
    for lead, first in ((module.BARE_DB + module.DOUBT_DB + 2, 1), (module.BARE_DB / 2, 0)):
        cover = np.zeros(len(index))
        cover[1] = -lead
        with monkeypatch.context() as patched:
            told(patched, cover)
            onsets = only_role(loop[2], "kick")
            found = [h for h in clean_hits(*loop[:2], onsets, sounding[index], soft_masks(loop[1], onsets)) if h.role == "kick"]
        assert found[0].at == loop[2].at[index[first]]


def only_role(onsets: Onsets, role: str) -> Onsets:
    mask = np.zeros(len(onsets.at), bool)
    mask[of_role(onsets, role)] = True
    return onsets.only(mask)


def test_of_equals_the_surest_comes_first(loop: Loop, monkeypatch: pytest.MonkeyPatch) -> None:
    told(monkeypatch, 0.0)
    for role in module.DRUMS:
        chances = [h.likely for h in offered(loop, everywhere(loop, DRUMS_ALONE), role)]
        assert len(chances) >= 4
        assert all(a >= b - 1e-3 for a, b in itertools.pairwise(chances))


def test_the_first_ones_are_looked_at_once_more(loop: Loop, monkeypatch: pytest.MonkeyPatch) -> None:
    told(monkeypatch, 0.0)
    sounding = everywhere(loop, WITH_MUSIC)
    before = [h.at for h in offered(loop, sounding, "hat")]
    assert len(before) > 6
    monkeypatch.setattr(module, "CLOSELY", 5)
    # Later is cleaner.
    looked_closely(monkeypatch, lambda at: -at / RATE - 40)
    found = offered(loop, sounding, "hat")
    assert [h.at for h in found[:5]] == sorted(before[:5], reverse=True)
    assert [h.at for h in found[5:]] == before[5:], "what is not looked at again stays where it was"
    assert max(h.cover_db for h in found[:5]) <= -40 < 0 == max(h.cover_db for h in found[5:])


def test_a_closer_look_counts_as_much_as_it_is_said_to(loop: Loop, monkeypatch: pytest.MonkeyPatch) -> None:
    told(monkeypatch, 0.0)
    looked_closely(monkeypatch, lambda at: np.full(len(at), -10.0))
    monkeypatch.setattr(module, "CLOSER", 0.3)
    for role in module.DRUMS:
        found = offered(loop, everywhere(loop, WITH_MUSIC), role)
        assert {h.cover_db for h in found[: module.CLOSELY]} == {-3.0}


def test_among_drums_alone_the_first_look_stands(loop: Loop, monkeypatch: pytest.MonkeyPatch) -> None:
    told(monkeypatch, 0.0)
    looked_closely(monkeypatch, lambda at: np.full(len(at), -10.0))
    assert {h.cover_db for h in offered(loop, everywhere(loop, DRUMS_ALONE), "hat")} == {0.0}


def test_a_span_ends_before_the_next_sound_and_never_outside(loop: Loop) -> None:
    bands, samples, onsets = loop
    clear = onsets.at[onsets.likely >= module.CLEAR]
    for hit in clean_hits(bands, samples, onsets, everywhere(loop, DRUMS_ALONE), soft_masks(samples, onsets)):
        assert 0 <= hit.at < hit.end <= len(samples)
        later = clear[clear >= hit.at + round(module.SHORTEST_S * RATE)]
        assert hit.end <= later.min(initial=len(samples))
        assert hit.end - hit.at <= (module.LONGEST_S + 0.01) * RATE


def test_without_onsets_there_are_no_hits(loop: Loop) -> None:
    bands, samples, onsets = loop
    nothing = onsets.only(np.zeros(len(onsets.at), bool))
    assert clean_hits(bands, samples, nothing, np.zeros((0, 3), np.float32), soft_masks(samples, nothing)) == []
