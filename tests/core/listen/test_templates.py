"""The second look: an onset is explained by the drums that the recording shows elsewhere."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.drums import templates
from grainpocket.core.listen.networks.dense import logits
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.spectra.bands import Bands, analyse
from tests.signals import DRUMS, RATE


def kit_tape(hits: list[tuple[float, str, float]], seconds: float, seed: int = 1) -> np.ndarray:
    rng = np.random.default_rng(seed)
    out = 1e-5 * rng.standard_normal(int(seconds * RATE))
    for at, name, gain in hits:
        sound = DRUMS[name](rng) * gain
        start = round(at * RATE)
        out[start : start + len(sound)] += sound[: len(out) - start]
    return np.asarray(0.7 * out / np.abs(out).max(), np.float32)


def looked_at(hits: list[tuple[float, str, float]], seconds: float) -> tuple[Bands, np.ndarray, np.ndarray, np.ndarray]:
    sound = kit_tape(hits, seconds)
    bands = analyse(sound, RATE, float(np.abs(sound).max()))
    at = np.round(np.array(sorted({t for t, _, _ in hits})) * RATE).astype(np.int64)
    roles = np.full((len(at), len(ROLES)), 0.02, np.float32)
    for t, name, _ in hits:
        roles[np.argmin(np.abs(at - t * RATE)), ROLES.index(name)] = 0.95
    return bands, at, np.full(len(at), 0.95, np.float32), roles


HITS = [(0.25 + 0.5 * i, ("kick", "snare", "hat", "hat")[i % 4], 0.8 if i % 4 < 2 else 0.35) for i in range(16)]


def test_what_a_ghost_note_adds_to_a_hat_is_seen() -> None:
    plain = [*HITS, (8.5, "hat", 0.35)]
    ghost = [*plain, (8.5, "snare", 0.12)]
    tables = []
    for hits in (plain, ghost):
        bands, at, likely, roles = looked_at(hits, 9.2)
        # The classifier heard a hat both times.
        roles[-1] = 0.02
        roles[-1, ROLES.index("hat")] = 0.95
        tables.append(templates.features(bands, at, likely, roles)[-1])
    snare_share, cost_without = 7 + 1, 7 + 4 + 6 + 1
    assert tables[1][snare_share] * templates.RANGE_DB > tables[0][snare_share] * templates.RANGE_DB + 6
    assert tables[1][cost_without] > tables[0][cost_without]


def test_features_are_finite_whatever_is_looked_at() -> None:
    bands, at, likely, roles = looked_at(HITS, 9.0)
    for some in (slice(0, 0), slice(0, 1), slice(0, 3), slice(None)):
        table = templates.features(bands, at[some], likely[some], roles[some])
        assert table.shape == (len(at[some]), templates.FEATURES)
        assert np.isfinite(table).all()
    unsure = templates.features(bands, at, np.full_like(likely, 0.1), np.full_like(roles, 0.3))
    assert np.isfinite(unsure).all()


def test_loudness_of_the_recording_does_not_matter() -> None:
    sound = kit_tape(HITS, 9.0)
    rows = []
    for gain in (1.0, 0.03):
        quiet = np.asarray(sound * np.float32(gain), np.float32)
        found = detect_in(analyse(quiet, RATE, float(np.abs(quiet).max())), quiet)
        rows.append(found.roles[found.likely > 0.5])
    assert rows[0].shape == rows[1].shape
    assert np.abs(rows[0] - rows[1]).max() < 0.02


@pytest.mark.parametrize("role", ["kick", "snare", "hat"])
def test_clear_drums_stay_what_they_are(role: str) -> None:
    sound = kit_tape(HITS, 9.0)
    found = detect_in(analyse(sound, RATE, float(np.abs(sound).max())), sound)
    for at, name, _ in HITS:
        if name == role:
            near = int(np.argmin(np.abs(found.seconds - at)))
            assert abs(found.seconds[near] - at) < 0.01
            assert found.roles[near, ROLES.index(role)] > 0.5


def test_several_networks_count_as_the_mean_of_their_odds(monkeypatch: pytest.MonkeyPatch) -> None:
    bands, at, likely, roles = looked_at(HITS, 9.0)
    sound = kit_tape(HITS, 9.0)
    networks = templates.networks()
    assert len(networks) == len(templates.NETWORKS) > 1
    monkeypatch.setattr(templates, "TRUST", 1.0)

    def told() -> np.ndarray:
        real, drums = templates.by_templates(bands, sound, at, likely, roles)
        return logits(np.column_stack((real, drums[:, : len(templates.DRUMS)])))

    together, apart = told(), []
    for network in networks:
        monkeypatch.setattr(templates, "networks", lambda network=network: (network,))
        apart.append(told())
    # Where no answer is so sure that its odds are cut off.
    within = (np.abs(np.stack([together, *apart])) < 6).all(axis=0)
    assert within.sum() > 5
    np.testing.assert_allclose(together[within], np.mean(apart, axis=0)[within], atol=0.02)
    assert np.ptp(apart, axis=0)[within].max() > 0.1, "they do not all say the same"
