"""Passages, loops and hits that were found; finds that fit; cleaning; families: in the browser."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Route, expect

from grainpocket.demo.pocket import AUDIO
from tests.files import wav
from tests.records import band, beats_of
from tests.signals import RATE, drum_loop
from tests.ui.conftest import Opener, Ui


def song() -> bytes:
    return (AUDIO / "Lantern street.flac").read_bytes()


@pytest.fixture
def listening(opened: Opener) -> Ui:
    ui = opened()
    ui.bring_in("Street.flac", song())
    ui.button("Open Street").click()
    ui.station("Listen")
    ui.page.get_by_role("group", name="Passages").wait_for()
    return ui


def test_a_passage_is_shown_and_selected_with_a_click(listening: Ui) -> None:
    ui = listening
    bare = ui.page.get_by_role("button", name="bare drums, 4 bars, from 0.0 s")
    bare.click()
    ui.wait("gp.useView.getState().selection?.source === 's1'")
    selection = ui.look("gp.useView.getState().selection")
    assert selection["start"] == 0
    assert abs(selection["end"] / RATE - 4 * 240 / 88.4) < 0.02
    shown = ui.look("gp.useView.getState().windows.s1")
    assert shown["start"] <= selection["start"]
    assert selection["end"] <= shown["end"] < 15 * RATE


def test_one_key_plays_what_was_found_one_after_the_other(listening: Ui) -> None:
    ui = listening
    ui.page.get_by_role("tab", name="Worth taking").click()
    ui.page.keyboard.press(".")
    ui.wait("gp.useView.getState().found?.kind === 'loop' && gp.tapePlayer.place() > 0")
    expect(ui.page.get_by_role("option", selected=True)).to_have_count(1)
    loops = ui.page.get_by_role("listbox", name="Loops, best first").get_by_role("option").count()
    for _ in range(loops):
        ui.page.keyboard.press(".")
    ui.wait("gp.useView.getState().found?.kind === 'kick' && gp.useView.getState().found.index === 0")
    # The loop gave way to the hit, which the wave shows.
    selection = ui.look("gp.useView.getState().selection")
    assert 0.05 < (selection["end"] - selection["start"]) / RATE < 0.8
    ui.page.keyboard.press(",")
    ui.wait("gp.useView.getState().found?.kind === 'loop'")
    ui.page.keyboard.press("Escape")


def test_hits_go_to_pads_and_to_chop_and_back_with_undo(listening: Ui) -> None:
    ui = listening
    ui.page.get_by_role("tab", name="Worth taking").click()
    kicks = ui.page.get_by_role("listbox", name="Kicks, cleanest first")
    kicks.get_by_role("option").first.click()
    ui.page.keyboard.press("p")
    ui.wait("pocket.pads[0]?.role === 'kick'")
    pad = ui.look("pocket.pads[0]")
    assert pad["called"] == "Kick 1"
    # The cleanest kick comes from a bar of bare drums.
    bar = int(pad["chop"]["start"] / RATE / (240 / 88.4))
    assert bar in {0, 1, 2, 3, 14, 15}
    ui.page.get_by_role("button", name="Top 4").nth(1).click()
    ui.wait("Object.keys(pocket.pads).length === 5")
    assert [ui.look("pocket.pads[arg].role", i) for i in range(1, 5)] == ["snare"] * 4
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.keys(pocket.pads).length === 1")
    count = ui.look("pocket.sources.s1.cuts.length")
    kicks.get_by_role("option").nth(1).click()
    chosen = ui.look("gp.useView.getState().selection")
    ui.page.keyboard.press("n")
    ui.wait("gp.useView.getState().station === 'chop' && gp.useView.getState().cuts.length === 1")
    cut = ui.look("pocket.sources.s1.cuts.find((c) => c.id === gp.useView.getState().cuts[0])")
    assert abs(cut["at"] - chosen["start"]) < 64
    assert (cut["name"], cut["role"]) == (None, "kick")
    assert re.fullmatch(r"Kick \d+", cut["called"])
    assert ui.look("pocket.sources.s1.cuts.length") <= count + 2


def test_bars_moved_by_hand_are_the_bars_of_loops_and_passages(listening: Ui) -> None:
    ui = listening
    ui.page.get_by_role("tab", name="Worth taking").click()
    loops = ui.page.get_by_role("listbox", name="Loops, best first").get_by_role("option")
    loops.first.click()
    ui.wait("gp.useView.getState().found?.kind === 'loop'")
    # While it plays, the place is where it plays.
    ui.page.keyboard.press("Escape")
    ui.page.keyboard.press("Escape")
    ui.wait("gp.useView.getState().selection === null")
    beat = 60 / 88.4 * RATE
    ui.look("gp.useView.getState().look({ cursor: arg })", round(beat))
    with ui.page.expect_response(lambda r: r.url.endswith("/sources/s1/worth")) as answer:
        ui.button("Bar one here").click()
    found = answer.value.json()
    one = ui.look("pocket.sources.s1.grid.bar_one")
    assert abs(one - beat) < 0.02 * beat
    for loop in found["loops"]:
        bars = (loop["start"] - one) / (4 * beat)
        assert abs(bars - round(bars)) < 0.01
    # What was chosen is no longer in the lists; the first of the new ones is what its row says.
    ui.wait("gp.useView.getState().found === null")
    expect(ui.page.get_by_role("option", selected=True)).to_have_count(0)
    expect(loops).to_have_text([re.compile(f"^{one['bars']} bars? at .*{round(one['score'] * 100)} %$") for one in found["loops"]])
    loops.first.click()
    ui.wait("gp.useView.getState().selection.start === arg", found["loops"][0]["start"])
    ui.page.keyboard.press("Escape")
    bare = next(p for p in found["passages"] if p["kind"] == "bare drums" and p["start"] > 0)
    name = f"bare drums, {bare['bars']} {'bar' if bare['bars'] == 1 else 'bars'}, from {bare['start'] / RATE:.1f} s"
    expect(ui.button(name)).to_be_visible()
    # Undone, they are the bars of before.
    ui.page.keyboard.press("Control+z")
    expect(ui.button("bare drums, 4 bars, from 0.0 s")).to_be_visible()


def test_lists_by_other_bars_say_so_until_the_last_grid_has_its_own(listening: Ui) -> None:
    ui = listening
    ui.page.get_by_role("tab", name="Worth taking").click()
    panel = ui.page.get_by_role("region", name="Worth taking")
    strip = ui.page.get_by_role("group", name="Passages")
    expect(panel).to_have_attribute("aria-busy", "false")
    held: list[Route] = []

    def hold_the_first(route: Route) -> None:
        if held:
            route.continue_()
        else:
            held.append(route)

    ui.intercept("**/sources/s1/worth", hold_the_first)
    ui.look("gp.useView.getState().look({ cursor: arg })", round(60 / 88.4 * RATE))
    with ui.page.expect_request("**/sources/s1/worth"):
        ui.button("Bar one here").click()
    for element in (panel, strip):
        expect(element).to_have_attribute("aria-busy", "true")
    # While the answer is on its way, the grid moves on.
    for _ in range(3):
        ui.button("Move the grid 10 ms later").click()
    held[0].continue_()
    expect(panel).to_have_attribute("aria-busy", "false")
    one = ui.look("pocket.sources.s1.grid.bar_one")
    told = ui.page.evaluate(
        "() => fetch(`/api/pockets/${window.grainpocket.usePocket.getState().open.id}/sources/s1/worth`).then((r) => r.json())"
    )
    assert told["loops"]
    bar = 4 * 60 / 88.4 * RATE
    for loop in told["loops"]:
        assert abs((loop["start"] - one) / bar - round((loop["start"] - one) / bar)) < 0.005
    ui.page.get_by_role("listbox", name="Loops, best first").get_by_role("option").first.click()
    ui.wait("gp.useView.getState().selection.start === arg", told["loops"][0]["start"])


def test_a_find_is_heard_in_the_tempo_and_key_of_the_pocket(listening: Ui) -> None:
    ui = listening
    ui.page.get_by_role("tab", name="Worth taking").click()
    ui.page.get_by_role("button", name="Key of the pocket: none").click()
    ui.page.get_by_role("menuitem", name="E minor").click()
    ui.wait("pocket.key?.tonic === 4")
    ui.page.get_by_role("button", name="At 94 BPM").click()
    ui.page.get_by_role("button", name="In E minor").click()
    with ui.page.expect_response(lambda r: "/fitted/" in r.url) as answer:
        ui.page.get_by_role("listbox", name="Loops, best first").get_by_role("option").first.click()
    query = dict(pair.split("=") for pair in answer.value.url.split("?")[1].split("&"))
    assert abs(float(query["speed"]) - 94 / 88.4) < 1e-3
    assert abs(float(query["semitones"]) - 2) < 0.3
    ui.wait("gp.previewPlayer.place() > gp.useView.getState().selection.start")
    # The whole stretch is heard, faster: its sound is as much shorter.
    selection = ui.look("gp.useView.getState().selection")
    frames = len(answer.value.body()) / 8
    assert abs(frames - (selection["end"] - selection["start"]) / float(query["speed"])) < 2
    ui.page.get_by_role("button", name="Stop find").click()
    ui.wait("gp.usePreview.getState().preview === null")


def test_what_is_selected_later_is_what_is_taken(listening: Ui) -> None:
    """A hit was chosen from the list, then a stretch of the wave: the pad gets the stretch."""
    ui = listening
    ui.page.get_by_role("tab", name="Worth taking").click()
    ui.page.get_by_role("listbox", name="Kicks, cleanest first").get_by_role("option").first.click()
    expect(ui.page.get_by_role("option", selected=True)).to_have_count(1)
    box = ui.wave()
    ui.page.mouse.move(box["x"] + 300, box["y"] + 80)
    ui.page.mouse.down()
    ui.page.mouse.move(box["x"] + 340, box["y"] + 80, steps=4)
    ui.page.mouse.up()
    expect(ui.page.get_by_role("option", selected=True)).to_have_count(0)
    selection = ui.look("gp.useView.getState().selection")
    ui.page.keyboard.press("p")
    ui.wait("pocket.pads[0] !== undefined")
    pad = ui.look("pocket.pads[0]")
    assert (pad["chop"]["start"], pad["chop"]["end"]) == (round(selection["start"]), round(selection["end"]))
    assert pad["role"] is None


def test_a_find_that_has_nothing_to_fit_plays_plainly(opened: Opener) -> None:
    ui = opened()
    ui.bring_in("Beat.wav", wav(drum_loop(bpm=94.0, bars=2).samples))
    ui.button("Open Beat").click()
    ui.station("Listen")
    # The key is asked for while the pocket has one, which is then taken away.
    ui.page.get_by_role("button", name="Key of the pocket: none").click()
    ui.page.get_by_role("menuitem", name="E minor").click()
    ui.page.get_by_role("button", name="In E minor").click()
    ui.page.get_by_role("button", name="Key of the pocket: E minor").click()
    ui.page.get_by_role("menuitem", name="none").click()
    ui.wait("pocket.key === null")
    asked: list[str] = []
    ui.page.on("request", lambda request: asked.append(request.url))
    ui.button("▶ Play find").click()
    ui.wait("gp.tapePlayer.place() > 4000")
    assert not any("/fit" in url for url in asked)
    ui.button("■ Stop find").click()


def test_cleaning_is_compared_then_printed_then_taken_back(opened: Opener) -> None:
    rng = np.random.default_rng(1)
    loop = drum_loop(bpm=97.3, bars=4)
    dirty = (0.8 * loop.samples + 0.003 * rng.standard_normal(loop.samples.shape)).astype(np.float32)
    ui = opened()
    ui.bring_in("Dusty.wav", wav(dirty))
    ui.button("Open Dusty").click()
    ui.station("Listen")
    ui.page.get_by_role("tab", name="Cleaning").click()
    expect(ui.page.get_by_text("dBFS when all else is quiet")).to_be_visible()
    ui.page.get_by_role("button", name="Hiss").click()
    with ui.page.expect_response(lambda r: "part=removed" in r.url) as answer:
        ui.button("Removed").click()
    removed = np.frombuffer(answer.value.body(), "<f4")
    assert 1e-4 < float(np.sqrt(np.mean(removed**2))) < 0.01
    ui.wait("gp.usePreview.getState().preview && !gp.usePreview.getState().preview.coming")
    # What was asked for is there after another panel was open, and after a reload.
    ui.page.get_by_role("tab", name="Tempo and key").click()
    ui.page.reload()
    ui.page.get_by_role("tab", name="Cleaning").click()
    expect(ui.page.get_by_role("button", name="Hiss")).to_have_attribute("aria-pressed", "true")
    ui.button("Print cleaned").click()
    ui.wait("Object.keys(pocket.sources).length === 2")
    made = ui.look("Object.values(pocket.sources)[1]")
    assert made["kin"]["kind"] == "cleaned"
    assert made["frames"] == len(dirty)
    ui.page.get_by_role("button", name="Open Dusty, cleaned").click()
    expect(ui.page.get_by_role("region", name="Family").or_(ui.page.locator("section[aria-label='Family']"))).to_contain_text(
        "cleaned copy of Dusty"
    )
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.keys(pocket.sources).length === 1")


def test_a_stem_is_joined_to_its_mix(opened: Opener) -> None:
    beats = beats_of(100.0, 16, 0.1)
    rest, drums = band(beats, weak=True).out, band(beats).out
    mix = np.repeat((0.3 * (rest + drums))[:, None], 2, axis=1).astype(np.float32)
    ui = opened()
    ui.bring_in("Mix.wav", wav(mix))
    ui.bring_in("Stem.wav", wav(np.repeat((0.3 * drums)[4410:, None], 2, axis=1).astype(np.float32)))
    ui.bring_in("Other.wav", wav(drum_loop().samples))
    ui.button("Open Stem").click()
    ui.station("Listen")
    family = ui.page.locator("section[aria-label='Family']")
    family.get_by_role("button", name="Belongs to").click()
    ui.page.get_by_role("menuitem", name="Mix").click()
    expect(family).to_contain_text("stem of Mix, 100 ms (4410 samples) in")
    # What the ear found can be put right by hand, and taken back.
    offset = family.get_by_role("spinbutton", name="Begins at")
    offset.click()
    offset.fill("4400")
    offset.press("Enter")
    ui.wait("Object.values(pocket.sources).find((s) => s.name === 'Stem').kin.offset === 4400")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.values(pocket.sources).find((s) => s.name === 'Stem').kin.offset === 4410")
    family.get_by_role("button", name="Mix", exact=True).click()
    expect(family).to_contain_text("stem: Stem")


def test_what_is_chosen_is_shown_with_a_bar_on_both_sides(listening: Ui) -> None:
    ui = listening
    ui.page.get_by_role("tab", name="Worth taking").click()
    ui.page.get_by_role("listbox", name="Loops, best first").get_by_role("option").first.click()
    window = "gp.useView.getState().windows.s1"
    chosen = ui.look("gp.useView.getState().selection")
    bar = 4 * 60 / ui.look("pocket.sources.s1.grid.bpm") * 44100
    frames = ui.look("pocket.sources.s1.frames")
    seen = ui.look(window)
    assert abs(seen["start"] - max(0, chosen["start"] - bar)) < 2
    assert abs(seen["end"] - min(frames, chosen["end"] + bar)) < 2
    # To the selection, and back to all of it.
    ui.page.keyboard.press("0")
    ui.wait(f"{window}.start === arg[0] && {window}.end === arg[1]", [chosen["start"], chosen["end"]])
    ui.page.keyboard.press("0")
    ui.wait(f"{window}.start === 0 && {window}.end === arg", frames)
    # Cut out, it is what Chop opens on.
    ui.page.get_by_role("listbox", name="Loops, best first").get_by_role("option").first.click()
    ui.page.keyboard.press("n")
    ui.wait("gp.useView.getState().station === 'chop'")
    assert abs(ui.look(window)["start"] - seen["start"]) < 2
    ui.page.keyboard.press("Escape")
