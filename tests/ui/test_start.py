"""A stranger's first minute: from an empty pocket to a loop of their own file."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
import soundfile
from playwright.sync_api import expect

from tests.files import wav
from tests.signals import drum_loop
from tests.ui.conftest import Opener, Ui

PLAYS = "gp.usePreview.getState().preview !== null && !gp.usePreview.getState().preview.coming"


def done(ui: Ui) -> list[str]:
    return [
        str(step) for step in ui.page.locator("[data-step][data-done]").evaluate_all("all => all.map((one) => one.dataset.step)")
    ]


def test_from_nothing_to_an_exported_loop_in_under_twelve_actions(opened: Opener) -> None:
    ui = opened()
    page = ui.page
    card = page.get_by_role("region", name="First beat")
    expect(card).to_have_count(0)
    actions = 0

    def act(do: Callable[[], Any]) -> None:
        nonlocal actions
        actions += 1
        do()

    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "My own break.wav"
        file.write_bytes(wav(drum_loop(bpm=100, bars=2, seed=4).samples))
        with page.expect_file_chooser() as chooser:
            act(lambda: page.get_by_role("button", name="Choose a file").click())
        act(lambda: chooser.value.set_files(file))
        # It opens by itself, cut and ready.
        expect(page.locator("tr[data-slice]").first).to_be_visible()
    assert ui.look("gp.useView.getState().source") == "s1"
    expect(card).to_be_visible()
    assert done(ui) == []
    act(lambda: page.keyboard.press("Space"))
    expect(card.locator("[data-step=hear][data-done]")).to_have_count(1)
    act(lambda: page.keyboard.press("Space"))
    act(lambda: card.get_by_role("button", name="Do it: Slices to pads").click())
    expect(card.locator("[data-step=pads][data-done]")).to_have_count(1)
    ui.ready()
    act(lambda: page.keyboard.press("q"))
    expect(card.locator("[data-step=play][data-done]")).to_have_count(1)
    act(lambda: card.get_by_role("button", name="Do it: Take its rhythm").click())
    expect(card.locator("[data-step=rhythm][data-done]")).to_have_count(1)
    page.get_by_test_id("pattern-grid").first.wait_for()
    box = ui.grid()
    hits = ui.look("Object.values(pocket.patterns)[0].hits.length")
    act(lambda: page.mouse.click(box["x"] + box["width"] * 0.47, box["y"] + 26))
    ui.wait("Object.values(pocket.patterns)[0].hits.length !== arg", hits)
    expect(card.locator("[data-step=change][data-done]")).to_have_count(1)
    act(lambda: page.get_by_role("button", name="Export", exact=True).click())
    with page.expect_download() as download:
        act(lambda: page.get_by_role("button", name="Save WAV").click())
    sound, rate = soundfile.read(download.value.path())
    assert actions < 12
    assert rate == 44100
    assert abs(sound).max() > 0.05
    page.keyboard.press("Escape")
    assert done(ui) == ["hear", "pads", "play", "rhythm", "change", "export"]
    expect(page.get_by_text("That is a beat.")).to_be_visible()
    # Put away, it is gone for good, in this pocket and in the next.
    page.get_by_role("button", name="Put First beat away for good").click()
    expect(card).to_have_count(0)
    page.reload()
    page.wait_for_selector("[data-find]")
    expect(card).to_have_count(0)


@pytest.mark.parametrize("name", ["Tin roof rain", "Marlo hum"])
def test_a_record_of_ours_is_heard_and_taken(opened: Opener, name: str) -> None:
    ui = opened()
    page = ui.page
    begin = page.get_by_role("region", name="Begin")
    expect(begin.get_by_role("listitem")).to_have_count(5)
    begin.get_by_role("button", name=f"Hear {name}").click()
    ui.wait(PLAYS)
    page.keyboard.press("Space")
    ui.wait("gp.usePreview.getState().preview === null")
    begin.get_by_role("button", name=f"Take {name}").click()
    expect(page.get_by_role("button", name=f"Open {name}", exact=True)).to_be_visible()
    expect(begin).to_have_count(0)
    expect(page.locator("tr[data-slice]").first).to_be_visible()
    assert ui.look("pocket.sources.s1.origin.file") == f"{name}.flac"


@pytest.mark.parametrize("station", ["Listen", "Shape"])
def test_recording_begins_from_the_empty_pocket_too(opened: Opener, station: str) -> None:
    ui = opened()
    ui.station(station)
    ui.page.get_by_role("region", name="Begin").get_by_role("button", name="Record something").click()
    expect(ui.page.get_by_role("region", name="Record", exact=True)).to_be_visible()


def test_the_demo_has_no_card(opened: Opener) -> None:
    ui = opened(demo=True)
    expect(ui.page.locator("[data-find]").first).to_be_visible()
    expect(ui.page.get_by_role("region", name="First beat")).to_have_count(0)
