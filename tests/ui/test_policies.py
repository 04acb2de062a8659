"""Every way to cut, tried and cut through the interface, and checked by its sound."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.signals import RATE, drum_loop
from tests.ui.chopping import TRUTH, bring_in_record, cut, null_total, policy
from tests.ui.conftest import Opener, Ui


@pytest.fixture
def ui(opened: Opener) -> Ui:
    tab = opened()
    bring_in_record(tab, "Dockside break")
    return tab


@pytest.mark.parametrize(
    ("record", "name", "expected"),
    [
        ("Dockside break", "Transients", None),
        ("Dockside break", "Grid", [round(k * 16 * 60 / 94.02 / 16 * RATE) for k in range(16)]),
        ("Galley keys", "Equal parts", None),
        ("Galley keys", "Chords", [round(at * RATE) for at, _ in TRUTH["Galley keys"]["chords"]]),
    ],
)
def test_a_policy_is_seen_then_cut_and_its_slices_are_the_record(
    opened: Opener, record: str, name: str, expected: list[int] | None
) -> None:
    ui = opened()
    bring_in_record(ui, record)
    if name == "Transients":
        ui.reach(ui.page.get_by_role("slider", name="Sensitivity"))
        ui.page.keyboard.press("ArrowRight")
        expect(ui.page.locator("[data-would]")).to_be_visible()
    else:
        policy(ui, name)
    cuts = cut(ui)
    if expected:
        assert len(cuts) == len(expected)
        assert np.abs(np.array(cuts) - np.array(expected)).max() < 0.15 * RATE
    ui.button("Original rhythm").click()
    ui.wait("Object.keys(pocket.patterns).length === 1 && gp.useView.getState().station === 'rhythm'")
    ui.station("Chop")
    assert "nothing at all" in null_total(ui), "the rebuilt loop less the record is silence, with the default fades"
    live = ui.live
    record_hash = ui.look("pocket.sources.s1.audio")
    frames = ui.look("pocket.sources.s1.frames")
    chunks = [live.ask("GET", f"/api/audio/{record_hash}/pcm/{k}")[1] for k in range(-(-frames // 65536))]
    whole = np.concatenate([np.frombuffer(chunk, "<f4").reshape(2, -1) for chunk in chunks], axis=1)
    # Alone, no slice jumps further than the record itself does, not at its edges either.
    for start, end in itertools.pairwise([*cuts, frames]):
        voice = np.frombuffer(live.ask("GET", f"/api/audio/{record_hash}/slice/{start}/{end}")[1], "<f4").reshape(2, -1)
        edges = np.pad(voice, ((0, 0), (1, 1)))
        assert np.abs(np.diff(edges)).max() <= np.abs(np.diff(whole)).max() + 1e-6
        assert np.isfinite(voice).all()


def test_the_chords_of_a_song_are_cut_where_they_change(opened: Opener) -> None:
    ui = opened(demo=True)
    song = ui.look("Object.values(pocket.sources).find((s) => s.name === 'Lantern street')")
    path = f"/api/pockets/night-ferry-set/finds/{song['id']}/cuts"
    status, would = ui.live.ask("POST", path, {"cutting": {"by": "chords"}})
    assert status == 200
    sixteenth = 60 / TRUTH["Lantern street"]["bpm"] / 4
    found = np.array(would["at"]) / RATE
    near = [np.abs(found - at).min() <= sixteenth for at, _ in TRUTH["Lantern street"]["chords"]]
    assert np.mean(near) >= 0.9


def test_phrases_of_a_voice(opened: Opener) -> None:
    ui = opened()
    bring_in_record(ui, "Marlo hum")
    policy(ui, "Phrases")
    assert len(cut(ui)) >= 2
    ui.page.get_by_role("radio", name="Grid", exact=True).click()
    expect(ui.page.get_by_text("has no tempo yet")).to_be_visible()
    ui.page.keyboard.press("Escape")
    expect(ui.page.get_by_text("has no tempo yet")).to_have_count(0)


def test_a_step_is_said_as_a_fraction_of_a_beat(ui: Ui) -> None:
    policy(ui, "Grid")
    beats = ui.page.get_by_role("spinbutton", name="Beats of a slice")
    beats.click()
    beats.fill("3/4")
    beats.press("Enter")
    expect(ui.page.locator("[data-would]")).to_contain_text("22 slices")
    cuts = cut(ui)
    assert np.abs(np.diff(cuts)[:-1] - 0.75 * 60 / 94.02 * RATE).max() < 3


def test_cuts_made_in_two_places_are_one_history(opened: Opener) -> None:
    """A copy of the tests' own: an edit by another tab shows in what is being tried here."""
    ui = opened()
    ui.bring_in_loop(drum_loop(bpm=96, bars=2, seed=4))
    ui.station("Chop")
    policy(ui, "Grid")
    expect(ui.page.locator("[data-would]")).to_contain_text("8 slices if cut")
    ui.live.edit({"type": "add_cut", "source": "s1", "at": 20_000})
    expect(ui.page.locator("[data-would]")).to_contain_text("9 slices if cut, 1 of yours kept")
