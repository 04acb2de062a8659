"""Rhythm, plainly: notes of a pad, and what is played on the pads recorded into the pattern."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.ui.conftest import Opener, Ui


@pytest.fixture
def rhythm(opened: Opener) -> Ui:
    ui = opened()
    drums = ui.borrow("Dockside break")
    cuts = [cut["id"] for cut in ui.live.state["pocket"]["sources"][drums]["cuts"][:8]]
    ui.live.edit({"type": "slices_to_pads", "source": drums, "cuts": cuts})
    ui.live.edit({"type": "add_pattern", "name": "Empty", "bars": 1})
    ui.wait("Object.keys(pocket.patterns).length === 1")
    ui.station("Rhythm")
    ui.wait("gp.loopPlayer.loop()?.segments.length > 0")
    ui.ready()
    return ui


HITS = "Object.values(pocket.patterns).find(p => p.name === 'Empty').hits"


def test_what_is_played_is_recorded_where_it_was_played(rhythm: Ui) -> None:
    ui = rhythm
    ui.page.keyboard.press("F9")
    expect(ui.page.get_by_role("button", name="Count-in")).to_be_visible()
    ui.wait("gp.useLoop.getState().playing")
    for key in ("1", "2"):
        ui.page.keyboard.down(key)
        ui.page.keyboard.up(key)
    expect(ui.page.get_by_role("button", name="Recording, 2 hits")).to_be_visible()
    ui.page.keyboard.press("F9")
    ui.wait(f"{HITS}.length === 2")
    hits = ui.look(HITS)
    assert [hit["pad"] for hit in sorted(hits, key=lambda hit: hit["pad"])] == [0, 1]
    assert all(0 <= hit["beat"] < 4 and hit["length"] > 0 and hit["velocity"] == 127 and hit["id"] for hit in hits)
    assert any(abs(hit["beat"] * 4 - round(hit["beat"] * 4)) > 1e-4 for hit in hits), "nothing is put on the grid"
    assert ui.look("gp.useLoop.getState().playing"), "the take ends, the music does not"
    # The whole take is one step.
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{HITS}.length === 0")
    ui.page.keyboard.press("Space")
    ui.wait("!gp.useLoop.getState().playing")


def test_chords_and_melodies_in_rows_of_notes(rhythm: Ui) -> None:
    ui = rhythm
    ui.page.get_by_role("button", name="Notes ▾").click()
    ui.page.get_by_role("menuitem").first.click()
    names = ui.page.get_by_role("button", name="semitones")
    expect(names).to_have_count(14)

    def row(note: int) -> float:
        box = ui.page.get_by_role("button", name=f"+{note} semitones").bounding_box()
        assert box is not None
        return box["y"] + box["height"] / 2

    grid = ui.grid()
    step = grid["width"] / 16
    for note in (4, 7):
        ui.page.mouse.click(grid["x"] + 4.5 * step, row(note))
    ui.wait(f"{HITS}.length === 2")
    assert {(h["beat"], h["note"]) for h in ui.look(HITS)} == {(1.0, 4), (1.0, 7)}
    assert ui.look(f"new Set({HITS}.map(h => h.id)).size") == 2
    # Moved two rows down and four steps on, as a whole and back again.
    ui.page.mouse.move(grid["x"] + 4.4 * step, row(7))
    ui.page.mouse.down()
    ui.page.mouse.move(grid["x"] + 8.4 * step, row(5), steps=4)
    ui.page.mouse.up()
    ui.wait(f"{HITS}.some(h => h.note === 5 && h.beat === 2)")
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{HITS}.some(h => h.note === 7 && h.beat === 1)")
    # Its end taken hold of: longer.
    ui.page.mouse.move(grid["x"] + 5 * step - 2, row(7))
    ui.page.mouse.down()
    ui.page.mouse.move(grid["x"] + 7 * step, row(7), steps=4)
    ui.page.mouse.up()
    ui.wait(f"{HITS}.some(h => h.note === 7 && h.length > 0.4)")
    # A click takes one away; the sound has followed all along.
    ui.page.mouse.click(grid["x"] + 4.4 * step, row(4))
    ui.wait(f"{HITS}.length === 1")
    ui.page.keyboard.press("Space")
    ui.wait("gp.useLoop.getState().playing")


def test_hits_by_rule_on_the_grid_and_turned_about(rhythm: Ui) -> None:
    ui = rhythm
    ui.page.locator("[data-pad='1']").click()
    sentence = ui.page.get_by_role("group", name="Place hits")
    for name, value in (("Every so many beats", "0.75"), ("Velocity of placed hits", "70")):
        sentence.get_by_role("spinbutton", name=name).fill(value)
        sentence.get_by_role("spinbutton", name=name).press("Enter")
    sentence.get_by_role("button", name="Place").click()
    ui.wait(f"{HITS}.length === 6")
    assert [hit["beat"] for hit in ui.look(HITS)] == [0, 0.75, 1.5, 2.25, 3, 3.75]
    assert all(hit["velocity"] == 70 and hit["pad"] == 1 for hit in ui.look(HITS))
    # To quarters, half of the way; Space still plays, and one step back is one move.
    ui.page.get_by_role("radio", name="Quantise").click()
    ui.page.get_by_role("button", name="16ths ▾").click()
    ui.page.get_by_role("menuitem", name="quarters").click()
    strength = ui.page.get_by_role("spinbutton", name="Strength of quantise")
    strength.fill("50")
    strength.press("Enter")
    ui.page.get_by_role("button", name="Quantise", exact=True).click()
    ui.wait(f"{HITS}.some(h => h.beat === 0.875)")
    ui.page.keyboard.press("Space")
    ui.wait("gp.useLoop.getState().playing")
    ui.page.keyboard.press("Space")
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{HITS}.some(h => h.beat === 0.75)")
    ui.page.get_by_role("button", name="Moves ▾").click()
    ui.page.get_by_role("menuitem", name="Stutter the last beat, 4 times").click()
    ui.wait(f"{HITS}.filter(h => h.beat >= 3).length === 4")


def test_a_pattern_goes_out_and_comes_in_as_midi(rhythm: Ui) -> None:
    ui = rhythm
    pattern = next(iter(ui.live.state["pocket"]["patterns"]))
    ui.live.edit(
        {"type": "put_hits", "pattern": pattern, "hits": [{"pad": 2, "beat": 1.5, "velocity": 90}, {"pad": 0, "beat": 0.26}]}
    )
    ui.wait(f"{HITS}.length === 2")
    ui.page.get_by_role("button", name="Patterns ▾").click()
    with ui.page.expect_download() as download:
        ui.page.get_by_role("menuitem", name="Save as MIDI").click()
    assert download.value.suggested_filename == "Empty.mid"
    ui.page.get_by_label("MIDI file").set_input_files(download.value.path())
    ui.wait("Object.keys(pocket.patterns).length === 2")
    came = ui.look("Object.values(pocket.patterns).at(-1)")
    assert [(hit["pad"], hit["velocity"]) for hit in came["hits"]] == [(0, 100), (2, 90)]
    assert abs(came["hits"][0]["beat"] - 0.26) < 0.001
    # Undo takes it back in one step.
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.keys(pocket.patterns).length === 1")


def test_a_quick_stroke_paints_every_step_and_a_hit_rolls(rhythm: Ui) -> None:
    ui = rhythm
    grid = ui.grid()
    y = grid["y"] + 22 + 11
    step = grid["width"] / 16
    ui.page.mouse.move(grid["x"] + 0.5 * step, y)
    ui.page.mouse.down()
    # In one jump from the first step to the tenth.
    ui.page.mouse.move(grid["x"] + 9.5 * step, y, steps=1)
    ui.page.mouse.up()
    ui.wait(f"{HITS}.length === 10")
    assert [hit["beat"] for hit in ui.look(HITS)] == [i * 0.25 for i in range(10)]
    ui.page.mouse.click(grid["x"] + 2.5 * step, y, button="right")
    ui.page.get_by_role("menuitem", name="Roll of 4").click()
    ui.wait(f"{HITS}.some(h => h.roll?.times === 4 && h.beat === 0.5)")
    ui.page.mouse.click(grid["x"] + 2.5 * step, y, button="right")
    ui.page.get_by_role("menuitem", name="Roll fades").click()
    ui.wait(f"{HITS}.some(h => h.roll?.velocity === -70)")
    ui.wait("gp.loopPlayer.loop()?.hits.length === 26")


def test_a_pattern_of_seven_quarters(rhythm: Ui) -> None:
    ui = rhythm
    ui.page.get_by_role("button", name="4/4, metre of the pattern").click()
    ui.page.get_by_role("menuitem", name="7/4").click()
    ui.wait("Object.values(pocket.patterns).find(p => p.name === 'Empty').beats_per_bar === 7")
    beat = 60 / ui.look("pocket.tempo") * 44100
    ui.wait("Math.abs(gp.loopPlayer.loop().length - arg) < 3", 7 * beat)
