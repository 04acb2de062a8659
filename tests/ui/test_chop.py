"""Cutting by mouse and by keyboard, listening to slices, sensitivity, zoom."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.signals import RATE, drum_loop
from tests.ui.conftest import Opener, Ui

LOOP = drum_loop(bpm=96, bars=2, seed=4)
# Under the numbers of the bars.
FLAGS = 21
CUTS = "pocket.sources.s1.cuts"


@pytest.fixture
def ui(opened: Opener) -> Ui:
    tab = opened()
    tab.bring_in_loop(LOOP)
    tab.station("Chop")
    return tab


def x_of(ui: Ui, sample: float) -> float:
    box, span = ui.wave(), ui.look("gp.useView.getState().windows.s1 ?? {start: 0, end: pocket.sources.s1.frames}")
    return float(box["x"] + 1.5 + (sample - span["start"]) / (span["end"] - span["start"]) * (box["width"] - 3))


def test_a_cut_is_dragged_in_one_step_of_undo(ui: Ui) -> None:
    before = ui.look(f"{CUTS}.map((c) => c.at)")
    y = ui.wave()["y"] + FLAGS
    ui.page.mouse.move(x_of(ui, before[3]) + 2, y)
    ui.page.mouse.down()
    for step in range(1, 9):
        ui.page.mouse.move(x_of(ui, before[3]) + 2 + 2 * step, y)
    ui.page.mouse.up()
    # A drag goes out as several edits: wait for where it ends, to the pixel.
    wanted = 16 * LOOP.samples.shape[0] / (ui.wave()["width"] - 3)
    ui.wait(f"Math.abs({CUTS}[3].at - arg[0]) < arg[1]", [before[3] + wanted, wanted / 15])
    ui.wait("gp.usePocket.getState().open.undo === 'move cut'")
    moved = ui.look(f"{CUTS}[3].at")
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{CUTS}[3].at === arg", before[3])
    ui.page.keyboard.press("Control+Shift+z")
    ui.wait(f"{CUTS}[3].at === arg", moved)


def test_cuts_by_double_click_and_delete_key(ui: Ui) -> None:
    count = len(LOOP.at)
    ui.page.mouse.dblclick(x_of(ui, (LOOP.at[1] + LOOP.at[2]) / 2), ui.wave()["y"] + 100)
    ui.wait(f"{CUTS}.length === arg", count + 1)
    at = ui.look(f"{CUTS}[2].at")
    assert abs(at - (LOOP.at[1] + LOOP.at[2]) / 2) < 300
    ui.page.mouse.click(x_of(ui, at) + 3, ui.wave()["y"] + FLAGS)
    ui.wait(f"gp.useView.getState().cuts[0] === {CUTS}[2].id")
    ui.page.keyboard.press("Delete")
    ui.wait(f"{CUTS}.length === arg", count)


def test_cuts_by_keyboard_alone(ui: Ui) -> None:
    ui.page.locator("[data-wave]:visible").focus()
    for _ in range(3):
        ui.page.keyboard.press(".")
    ui.wait(f"gp.useView.getState().cuts[0] === {CUTS}[2].id")
    at = ui.look(f"{CUTS}[2].at")
    for keys, moved in (("ArrowRight", 44), ("Shift+ArrowLeft", -441), ("Alt+ArrowRight", 1)):
        ui.page.keyboard.press(keys)
        at += moved
        ui.wait(f"{CUTS}[2].at === arg", at)
    # The slice is heard as it was moved, a moment after: what sounds is stopped first, then what is chosen is let go of.
    ui.wait("gp.timings.findLastIndex((m) => m.what === 'slice start') > gp.timings.findLastIndex((m) => m.what === 'edit taken')")
    ui.page.keyboard.press("n")
    ui.page.keyboard.press("Escape")
    ui.page.keyboard.press("Escape")
    expect(ui.page.locator("tr[aria-selected=true]")).to_have_count(0)


def test_clicking_a_slice_plays_it(ui: Ui) -> None:
    box = ui.wave()
    ui.page.mouse.click(x_of(ui, LOOP.at[4] + 1200), box["y"] + 100)
    ui.wait("gp.timings.some((m) => m.what === 'slice start')")
    ui.wait(f"gp.useView.getState().cuts[0] === {CUTS}[4].id")
    row = ui.page.locator("tr[aria-selected=true]")
    expect(row).to_have_count(1)
    expect(row.locator("td").first).to_have_text("5")
    ui.page.locator("tbody tr").nth(7).click()
    ui.wait(f"gp.useView.getState().cuts[0] === {CUTS}[7].id")


def test_sensitivity_is_seen_before_it_is_cut(ui: Ui) -> None:
    count = len(LOOP.at)
    thumb = ui.page.get_by_role("slider", name="Sensitivity")
    ui.page.locator("[data-wave]:visible").focus()
    ui.page.keyboard.press(".")
    ui.page.keyboard.press(".")
    ui.page.keyboard.press("Shift+ArrowRight")
    ui.wait(f"{CUTS}[1].by === 'hand'")
    mine = ui.look(f"{CUTS}[1]")
    ui.reach(thumb)
    ui.page.keyboard.press("Home")
    would = ui.page.locator("[data-would]")
    expect(would).to_contain_text("1 of yours kept")
    assert ui.look(f"{CUTS}.length") == count, "nothing is cut yet"
    shown = int((would.text_content() or "").split()[0])
    assert shown < count
    ui.page.keyboard.press("Shift+Enter")
    ui.wait(f"{CUTS}.length === arg", shown)
    assert mine in ui.look(CUTS)
    ui.wait("pocket.sources.s1.cutting.sensitivity === 0")
    ui.reach(thumb)
    ui.page.keyboard.press("End")
    expect(would).to_be_visible()
    # A slice may sound still: silence comes first.
    ui.page.keyboard.press("Escape")
    ui.page.keyboard.press("Escape")
    expect(would).to_have_count(0)
    assert ui.look(f"{CUTS}.length") == shown, "left as it was"
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{CUTS}.length === arg", count)


def test_zoom_to_single_samples_and_back(ui: Ui) -> None:
    box = ui.wave()
    ui.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 100)
    for _ in range(60):
        ui.page.mouse.wheel(0, -400)
    ui.wait("gp.useView.getState().windows.s1.end - gp.useView.getState().windows.s1.start <= 24.5")
    middle = ui.look("(gp.useView.getState().windows.s1.start + gp.useView.getState().windows.s1.end) / 2")
    assert abs(middle - LOOP.samples.shape[0] / 2) < 2000
    ui.page.keyboard.press("0")
    ui.wait("gp.useView.getState().windows.s1.end - gp.useView.getState().windows.s1.start === pocket.sources.s1.frames")
    for _ in range(3):
        ui.page.keyboard.press("+")
    ui.wait("gp.useView.getState().windows.s1.end < pocket.sources.s1.frames")


def test_play_from_anywhere_and_loop_a_selection(ui: Ui) -> None:
    box = ui.wave()
    ui.page.mouse.click(x_of(ui, 60000), box["y"] + 100)
    ui.page.keyboard.press("Space")
    ui.wait("gp.tapePlayer.place() > 62000")
    ui.page.keyboard.press("Space")
    # With Alt its edges go where the hand does, to no beat.
    ui.page.keyboard.down("Alt")
    ui.page.mouse.move(x_of(ui, 30000), box["y"] + 90)
    ui.page.mouse.down()
    ui.page.mouse.move(x_of(ui, 36000), box["y"] + 90)
    ui.page.mouse.move(x_of(ui, 40000), box["y"] + 90)
    ui.page.mouse.up()
    ui.page.keyboard.up("Alt")
    ui.wait("gp.useView.getState().selection?.end > 39000")
    selection = ui.look("gp.useView.getState().selection")
    assert abs(selection["start"] - 30000) < 500
    assert abs(selection["end"] - 40000) < 500
    ui.page.keyboard.press("l")
    started = ui.look("gp.audio().currentTime")
    ui.page.keyboard.press("Space")
    # It goes round more than twice and never leaves the selection.
    ui.wait("gp.audio().currentTime > arg", started + 0.7)
    place = ui.look("gp.tapePlayer.place()")
    assert selection["start"] - 50 <= place <= selection["end"] + 50
    ui.page.keyboard.press("Space")


def test_chosen_slices_go_to_pads(ui: Ui) -> None:
    rows = ui.page.locator("tbody tr")
    rows.nth(0).click()
    # Shift takes all up to there, Ctrl one more, or one less.
    rows.nth(2).click(modifiers=["Shift"])
    rows.nth(4).click(modifiers=["Control"])
    rows.nth(1).click(modifiers=["Control"])
    ui.button("3 to pads").click()
    ui.wait("Object.keys(pocket.pads).length === 3")
    expect(rows.nth(2).locator("td").last).to_have_text("2")
    assert ui.look("Object.values(pocket.pads).map((p) => p.chop.start)") == [ui.look(f"{CUTS}[{i}].at") for i in (0, 2, 4)]
    assert ui.look("pocket.rate") == RATE
