"""What is saved is what was entered, and nothing over full scale goes out unsaid."""

from __future__ import annotations

import io

import numpy as np
import soundfile as sf
from playwright.sync_api import Route, expect

from tests.signals import RATE
from tests.ui.conftest import Ui
from tests.ui.steps import HITS, onsets, put, rhythm, spot  # noqa: F401


def test_a_step_and_a_tempo_that_are_still_on_their_way_are_in_the_file(rhythm: Ui) -> None:  # noqa: F811
    """The server takes its time over both; Export is pressed at once."""
    ui, held = rhythm, list[Route]()

    def hold(route: Route) -> None:
        held.append(route)

    ui.intercept("**/api/pockets/*/edits", hold)
    tempo = ui.page.get_by_role("spinbutton", name="Tempo", exact=True)
    tempo.fill("120")
    tempo.press("Enter")
    ui.page.mouse.click(*spot(ui, 0, 3.0))
    ui.button("Export").click()
    with ui.page.expect_download() as download:
        ui.button("Save WAV").click()
        expect(ui.button("Waiting for your edits")).to_be_visible()
        assert len(held) == 1, "edits go one after another"
        held[0].continue_()
        while len(held) < 2:
            ui.look("gp.idle()")  # Requests are told between two looks at the page.
        held[1].continue_()
    sound, _ = sf.read(io.BytesIO(download.value.path().read_bytes()), always_2d=True)
    assert len(sound) == 8 * RATE // 2
    assert onsets(sound, [3.0 * RATE / 2])[0] > 20
    expect(ui.page.get_by_text("As the pocket was after", exact=False)).to_be_visible()


def test_what_goes_over_full_scale_is_said_before_it_is_saved(rhythm: Ui) -> None:  # noqa: F811
    ui = rhythm
    put(ui, {"pad": 0, "beat": 1.0, "velocity": 127})
    ui.live.edit({"type": "set_pocket", "level": 12})
    ui.wait("pocket.level === 12")
    ui.button("Export").click()
    ui.button("Save WAV").click()
    expect(ui.page.get_by_role("alert").filter(has_text="Nothing is saved yet")).to_be_visible()
    with ui.page.expect_download() as download:
        ui.page.get_by_role("button", name="Turn down by").click()
    sound, _ = sf.read(io.BytesIO(download.value.path().read_bytes()), always_2d=True)
    peak = 20 * np.log10(np.abs(sound).max())
    assert -0.11 < peak <= 0, "turned down by no more than it was over"
    assert ui.look("pocket.level") < 12, "in the tune too: what is heard is what is saved"
    ui.page.keyboard.press("Escape")
    ui.page.keyboard.press("Control+z")
    ui.wait("pocket.level === 12")
    assert ui.look(f"{HITS}.length") == 1
