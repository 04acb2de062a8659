"""Recordings that are kept to learn from, what is true of their onsets, and through which networks they are seen."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from bench.truth.breaks import make_break
from bench.truth.kits import Gathered
from grainpocket.core.listen.onsets import classifier
from grainpocket.core.listen.onsets.candidates import candidates
from grainpocket.core.listen.onsets.classifier import OUTPUTS
from grainpocket.core.listen.spectra.bands import analyse
from tests.bench.test_sampler import kit
from training.listen import recordings, templates
from training.listen.examples import NEAR_S, label
from training.listen.sources import QUIET, Example, drum_events


def a_break(seed: int, flavour: str = "clean") -> Example:
    one = make_break([kit()], np.random.default_rng(seed), flavour, plain=True)
    return one.sound, 44100, drum_events(one.hits), [(0.5, 0.75)]


def places(sound: np.ndarray, rate: int) -> np.ndarray:
    """Seconds of the candidates."""
    mono = sound.mean(axis=1)
    bands = analyse(mono, rate, float(np.abs(mono).max()))
    return candidates(bands, len(mono))[0] * bands.hop / rate


def test_what_is_kept_is_read_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(recordings, "PER_FILE", 2)
    given = [a_break(seed) for seed in range(5)]
    recordings.keep(tmp_path, "7", given)
    files = sorted(tmp_path.glob("7-*.pickle"))
    assert [file.name for file in files] == ["7-000.pickle", "7-001.pickle", "7-002.pickle"]
    again = list(recordings.read(files))
    assert len(again) == 5
    for (sound, rate, events, spans), (kept, *others) in zip(given, again, strict=True):
        assert np.abs(kept[:, 0] - sound.mean(axis=1)).max() < 1 / 32767
        assert others == [rate, events, spans]


def test_half_of_the_kits_are_gathered_and_all_of_those_have_kick_snare_and_hat() -> None:
    rng, all_kits = np.random.default_rng(1), [kit() for _ in range(4)]
    some = [recordings.some_kit(all_kits, rng) for _ in range(30)]
    gathered = [one for one in some if isinstance(one, Gathered)]
    assert 8 < len(gathered) < 22
    assert all(one.has(36, 38, 42) for one in gathered)


@pytest.mark.parametrize("seed", range(4))
def test_every_hit_that_is_not_too_soft_makes_one_candidate_true_and_gives_it_its_drum(seed: int) -> None:
    sound, rate, events, _ = a_break(seed)
    table = label(sound, rate, events, [])
    assert table is not None
    _, truth = table
    at = places(sound, rate)
    assert len(truth) == len(at)
    asked = np.array([t for t, role in events if role >= 0])
    soft = np.array([t for t, role in events if role < 0])
    found = 0
    for time, role in events:
        near = np.abs(at - time) < NEAR_S
        if role < 0 or not near.any():
            continue
        found += 1
        assert (truth[near, role] == 1).all(), OUTPUTS[role]
        assert (truth[near, 0] == 1).any()
        assert set(truth[near, 0].tolist()) <= {1, -1}, "beside a true one, none is false"
    assert found > 0.8 * len(asked)
    far = np.abs(at[:, None] - np.concatenate((asked, soft))[None]).min(axis=1) >= NEAR_S
    assert (truth[far, 0] == 0).all()
    assert np.sum(truth[:, 0] == 1) <= len(asked)
    if len(soft):
        alone = [t for t in soft if np.abs(asked - t).min() > 2 * NEAR_S]
        for t in alone:
            assert (truth[np.abs(at - t) < NEAR_S, 0] == -1).all(), f"softer than {QUIET}: nothing is to be learnt"


def test_nothing_is_learnt_where_it_is_unknown_what_begins() -> None:
    sound, rate, _, spans = a_break(1)
    table = label(sound, rate, [], spans)
    assert table is not None
    at = places(sound, rate)
    inside = (at > spans[0][0]) & (at < spans[0][1])
    assert inside.any()
    assert (table[1][inside, 0] == -1).all()
    assert (table[1][~inside] == 0).all()
    assert label(np.zeros((4410, 2), np.float32), rate, [], []) is None, "silence"


def test_a_look_sees_what_the_judge_says_that_was_asked_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(classifier, "networks", classifier.networks)
    recordings.keep(tmp_path, "7", [a_break(3)])
    weights = Path(classifier.__file__).parents[1] / "weights" / "classifier1.npz"
    # A classifier that is sure of nothing: all of its weights are nought.
    unsure = tmp_path / "unsure.npz"
    with np.load(weights) as data:
        kept = dict(data)
    np.savez(unsure, **{k: v if k in ("mean", "scale") else np.zeros_like(v) for k, v in kept.items()})
    seen = {}
    for name, judges in (("shipped", []), ("unsure", ["--judges", str(unsure)])):
        asked = templates.asking(None).parse_args(["out.npz", "--recordings", str(tmp_path / "7-000.pickle"), *judges])
        ((sound, rate, _, _),) = templates.heard(asked)
        mono = np.ascontiguousarray(sound[:, 0])
        one = templates.seen(mono, rate, float(np.abs(mono).max()))
        assert one is not None
        seen[name] = one[0]
    # The first columns are the classifier's log odds.
    assert np.abs(seen["unsure"][:, : len(OUTPUTS)]).max() < 1e-3
    assert np.abs(seen["shipped"][:, : len(OUTPUTS)]).max() > 2
