"""Split: a record is taken apart, its stems are balanced and printed, and what is chopped from one is the record's."""

from __future__ import annotations

import json
import re
import zipfile
from pathlib import Path
from urllib.parse import parse_qs, quote, urlsplit

import numpy as np
from playwright.sync_api import expect

from tests.models import waveform
from tests.signals import RATE
from tests.ui.conftest import Opener, Ui


def hear_as_set(ui: Ui, root: str) -> None:
    # Heard together as they are set; the slider is heard a moment later.
    ui.button("Solo bass").click()
    ui.button("▶ Play stems").click()
    ui.wait("gp.usePreview.getState().preview?.url.includes('balanced') && !gp.usePreview.getState().preview.coming")
    first = ui.look("gp.usePreview.getState().preview.url")
    ui.page.get_by_role("tabpanel").get_by_role("spinbutton", name="Level of bass").fill("-6")
    ui.page.keyboard.press("Enter")
    ui.wait("gp.usePreview.getState().preview?.url !== arg && !gp.usePreview.getState().preview.coming", first)
    strip = ui.page.get_by_role("region", name="Stem bass")
    for control, value in (("Pan of bass", "-30"), ("low of bass", "3")):
        strip.get_by_role("spinbutton", name=control).fill(value)
        ui.page.keyboard.press("Enter")
    ui.wait("""decodeURIComponent(gp.usePreview.getState().preview?.url ?? '').includes('"pan":-30,"low":3')""")
    ui.button("The record").click()
    ui.wait("decodeURIComponent(gp.usePreview.getState().preview?.url ?? '').includes('[{\"source\":\"' + arg + '\"}]')", root)
    ui.page.keyboard.press("Space")
    ui.wait("gp.usePreview.getState().preview === null")


def all_or_a_stretch(ui: Ui) -> None:
    """What is selected on the wave is what is taken apart; let go of, it is all of the record."""
    box = ui.wave()
    ui.page.mouse.move(box["x"] + 40, box["y"] + 80)
    ui.page.mouse.down()
    ui.page.mouse.move(box["x"] + 300, box["y"] + 80, steps=4)
    ui.page.mouse.up()
    expect(ui.button("Take the selection apart")).to_be_visible()
    ui.page.keyboard.press("Escape")
    expect(ui.button("Take apart")).to_be_visible()


def test_a_record_is_taken_apart_balanced_and_chopped(opened: Opener) -> None:
    ui = opened()
    root = ui.borrow("Galley keys")
    ui.page.get_by_role("button", name="Open Galley keys", exact=True).click()
    ui.station("Split")
    all_or_a_stretch(ui)
    # A part is heard before anything is made of it.
    ui.page.get_by_role("button", name="Hear a part ▾").click()
    ui.page.get_by_role("menuitem", name="bass").click()
    ui.wait("gp.usePreview.getState().preview?.coming === false")
    ui.page.keyboard.press("Escape")
    ui.wait("gp.usePreview.getState().preview === null")
    ui.page.get_by_role("group", name="Parts").get_by_role("button", name="vocals").click()
    # At a chosen quality: each says how long it would take.
    ui.page.get_by_role("button", name=re.compile("^Normal, about")).click()
    ui.page.get_by_role("menuitem", name=re.compile("^Draft, about")).click()
    ui.button("Take apart").click()
    stems = "Object.values(pocket.sources).filter(s => s.kin?.root === arg)"
    ui.wait(f"{stems}.length === 3", root)
    assert sorted(ui.look(f"{stems}.map(s => s.name)", root)) == [f"Galley keys, {part}" for part in ("bass", "drums", "other")]
    hear_as_set(ui, root)
    # What was set outlives a reload.
    ui.page.reload()
    ui.page.wait_for_selector("[data-testid=pad-grid]")
    expect(ui.page.get_by_role("tabpanel").get_by_role("spinbutton", name="Level of bass")).to_have_attribute("aria-valuenow", "-6")
    # Printed together they are the record less what was left out.
    ui.button("Solo bass").click()
    ui.button("Mute other").click()
    ui.button("Print this balance").click()
    ui.wait("Object.values(pocket.sources).some(s => s.name === 'Galley keys, drums and bass')")
    # A stem has the record's cuts and grid at once; what is cut on it is cut on the record.
    ui.page.get_by_role("region", name="Stem bass").get_by_role("button", name="bass", exact=True).click()
    ui.station("Chop")
    grid = f"pocket.sources['{root}'].grid"
    assert ui.look(f"JSON.stringify(pocket.sources[gp.useView.getState().source].grid) === JSON.stringify({grid})")
    expect(ui.page.locator("tbody tr[data-slice]").first).to_be_visible()
    # Its slices go onto pads; the pads change to the record and back without moving.
    ui.button("All to pads").click()
    ui.wait("Object.values(pocket.pads).length > 3 && Object.values(pocket.pads).every(p => p.chop.source !== arg)", root)
    places = "JSON.stringify(Object.values(pocket.pads).map(p => [p.chop.start, p.chop.end]))"
    before = ui.look(places)
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Choose all its pads").click()
    ui.button("Galley keys, bass ▾").click()
    ui.page.get_by_role("menuitem", name="Galley keys", exact=True).click()
    ui.wait("Object.values(pocket.pads).every(p => p.chop.source === arg)", root)
    assert ui.look(places) == before
    levels = [{"source": key} for key in ui.look(f"{stems}.filter(s => !s.name.includes(' and ')).map(s => s.id)", root)]

    def heard(asked: list[dict[str, str]]) -> np.ndarray:

        path = f"/api/pockets/{ui.live.id}/sources/{root}/balanced/0/88200?stems={quote(json.dumps(asked))}"
        return np.frombuffer(ui.live.ask("GET", path)[1], "<f4")

    assert np.abs(heard(levels) - heard([{"source": root}])).max() < 1e-4
    assert ui.errors == []


def test_only_the_voice_of_a_stretch_under_the_same_hands(opened: Opener) -> None:
    """Chopped live while the record plays; then the pads change to the voice alone of the same bars, where they are."""
    ui = opened()
    root = ui.borrow("Lantern street")
    bar = round(4 * 60 / 88.4 * RATE)
    first, last = 5 * bar, 12 * bar
    ui.page.get_by_role("button", name="Open Lantern street", exact=True).click()
    ui.station("Chop")
    selection = "gp.useView.getState().look({ selection: { source: arg[0], start: arg[1], end: arg[2] }, cursor: arg[1] })"
    ui.look(selection, [root, 9 * bar, last])
    ui.page.keyboard.press("j")
    expect(ui.button("Cut live")).to_have_attribute("aria-pressed", "true")
    ui.page.keyboard.press("Space")
    for count, key in enumerate("1234", 1):
        ui.wait("gp.useTape.getState().playing !== null && gp.tapePlayer.place() > arg", (9 + 0.4 * count) * bar)
        ui.page.keyboard.press(key)
    ui.wait("Object.keys(pocket.pads).length === 4")
    ui.page.keyboard.press("j")
    ui.page.keyboard.press("Space")
    ui.wait("gp.useTape.getState().playing === null")
    ui.look(selection, [root, first, last])
    ui.station("Split")
    parts = ui.page.get_by_role("group", name="Parts")
    for other in ("drums", "bass", "other"):
        parts.get_by_role("button", name=other).click()
    ui.page.get_by_role("button", name=re.compile("^Normal, about")).click()
    ui.page.get_by_role("menuitem", name=re.compile("^Draft, about")).click()
    ui.button("Take the selection apart").click()
    ui.wait("Object.values(pocket.sources).some((s) => s.kin?.root === arg)", root)
    (stem,) = ui.look("Object.values(pocket.sources).filter((s) => s.kin?.root === arg)", root)
    assert (stem["name"], stem["kin"]["offset"], stem["frames"]) == ("Lantern street, vocals", first, last - first)
    # Where nobody sings there is as good as nothing in it, which what was heard of the whole record knows.
    path = f"/api/audio/{stem['audio']}/slice"
    silent, sung = (np.frombuffer(ui.live.ask("GET", f"{path}/{at}/{at + 2 * bar}")[1], "<f4") for at in (0, 4 * bar))
    assert np.square(sung).mean() > 20 * np.square(silent).mean()
    # In samples of the record, wherever the stem begins in it.
    chops = "Object.values(pocket.pads).map((p) => p.chop.start + (pocket.sources[p.chop.source].kin?.offset ?? 0))"
    before = ui.look(chops)
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Choose all its pads").click()
    ui.button("Lantern street ▾").click()
    ui.page.get_by_role("menuitem", name="Lantern street, vocals").click()
    ui.wait("Object.values(pocket.pads).every((p) => p.chop.source === arg)", stem["id"])
    ui.ready()
    assert ui.look(chops) == before
    # The same key is the same place, of the voice.
    ui.page.keyboard.press("2")
    expect(ui.page.locator("[data-pad='1'][data-sounding]")).to_have_count(1)
    assert ui.errors == []


def test_a_leak_is_moved_heard_saved_and_taken_back(opened: Opener, tmp_path: Path) -> None:
    ui = opened()
    root = ui.borrow("Galley keys")
    ui.page.get_by_role("button", name="Open Galley keys", exact=True).click()
    ui.station("Split")
    # A model of one's own: one that is none is refused with its reason, one that is becomes an engine.
    odd = tmp_path / "odd.onnx"
    odd.write_bytes(b"nothing")
    ui.page.get_by_label("Add a model").set_input_files(odd)
    expect(ui.page.get_by_text("It cannot be read as an ONNX model").first).to_be_visible()
    ui.page.get_by_label("Add a model").set_input_files(waveform(tmp_path / "mine.onnx", label="Two bands"))
    expect(ui.page.get_by_role("group", name="Parts").get_by_role("button", name="voice")).to_be_visible()
    ui.button("Take apart").click()
    members = f"Object.values(pocket.sources).filter(s => s.kin?.root === '{root}')"
    ui.wait(f"{members}.length === 3")
    ui.button("Two bands ▾").click()
    ui.page.get_by_role("menuitem", name="Take Two bands away").click()
    expect(ui.button("Two bands ▾")).to_have_count(0)
    # What the record is without a stem, as loud as the record.
    ui.page.get_by_role("button", name="Menu of voice").click()
    ui.page.get_by_role("menuitem", name="Hear the record without voice").click()
    ui.button("▶ Play stems").click()
    ui.wait("gp.usePreview.getState().preview?.url.includes('even=true') && !gp.usePreview.getState().preview.coming")
    assert len(json.loads(parse_qs(urlsplit(ui.look("gp.usePreview.getState().preview.url")).query)["stems"][0])) == 2
    ui.page.keyboard.press("Space")
    ui.wait("gp.usePreview.getState().preview === null")
    # A box drawn on the picture is heard alone and moved; both stems are others then, and undo brings them back.
    ui.page.get_by_role("button", name="Menu of drums").click()
    ui.page.get_by_role("menuitem", name="Move a leak…").click()
    box = ui.page.get_by_role("img", name="What is where in drums").bounding_box()
    assert box is not None
    ui.page.mouse.move(box["x"] + 60, box["y"] + 30)
    ui.page.mouse.down()
    ui.page.mouse.move(box["x"] + 160, box["y"] + 140, steps=3)
    ui.page.mouse.up()
    ui.button("Hear the box").click()
    ui.wait("gp.usePreview.getState().preview?.url.includes('/lifted?') && !gp.usePreview.getState().preview.coming")
    sounds = f"{members}.map(s => s.audio)"
    before = ui.look(sounds)
    ui.button("Move it to ▾").click()
    ui.page.get_by_role("menuitem", name="voice").click()
    ui.wait(f"{sounds}.filter((audio, k) => audio !== arg[k]).length === 2", before)
    ui.page.keyboard.press("Escape")
    ui.button("Undo").click()
    ui.wait(f"{sounds}.every((audio, k) => audio === arg[k])", before)
    with ui.page.expect_download() as saved:
        ui.button("Save all").click()
    with zipfile.ZipFile(saved.value.path()) as archive:
        assert sorted(archive.namelist()) == [f"Galley keys, {part}.wav" for part in ("drums", "rest", "voice")]
    assert ui.errors == []
