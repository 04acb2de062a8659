"""Shape, as a musician goes through it: each journey ends in a file whose sound is checked."""

from __future__ import annotations

import io
import re
import zipfile

import numpy as np
import pytest
import soundfile as sf
from playwright.sync_api import expect

from grainpocket.core.listen.harmony.pitch import pitch
from tests.core.effects.desk import db
from tests.signals import RATE
from tests.ui.conftest import Opener, Ui
from tests.ui.shaping import card, hits, number, shape, sound
from tests.ui.sound import exported
from tests.ui.test_access import violations

__all__ = ["shape"]


def test_a_sound_becomes_an_instrument(shape: Ui) -> None:
    """Looped middle with crossfade, backwards, slow envelope, filter swept by its envelope, drive, slow pan, a chord of copies."""
    ui = shape
    card(ui, "Chop")
    ui.page.get_by_role("radio", name="round and round").click()
    ui.page.get_by_role("button", name="%").first.click()
    ui.wait(f"{sound(ui)}.loop_to > {sound(ui)}.loop_from")
    ui.button("Reverse").first.click()
    # Its envelope by the beads of the thread.
    bead = ui.page.get_by_role("slider", name="Attack", exact=True)
    box = bead.bounding_box()
    wave = ui.page.get_by_test_id("shape-wave").bounding_box()
    assert box is not None
    assert wave is not None
    ui.page.mouse.move(box["x"] + 7, box["y"] + 7)
    ui.page.mouse.down()
    ui.page.mouse.move(box["x"] + 7 + wave["width"] / 8, box["y"] + 7, steps=5)
    ui.page.mouse.up()
    ui.wait(f"{sound(ui)}.attack > 100")
    card(ui, "Filter")
    ui.page.get_by_role("radio", name="low pass").click()
    number(ui, "Cutoff", 400)
    number(ui, "Envelope", 40)
    number(ui, "Drive before", 6)
    card(ui, "Motion")
    number(ui, "Pan", 60)
    card(ui, "Keys")
    number(ui, "Spread", 12)
    ui.page.get_by_role("button", name="off ▾").click()
    ui.page.get_by_role("menuitem", name="minor", exact=True).click()
    ui.wait(f"{sound(ui)}.chord === 'minor'")
    # Played by letters, then Space plays the pattern: neither takes the other's key.
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().here > 3")
    ui.page.keyboard.down("d")
    ui.wait("gp.voices.sounds()")
    expect(ui.page.get_by_role("button", name="E4", exact=True)).to_have_attribute("aria-pressed", "true")
    ui.page.keyboard.up("d")
    ui.wait("!gp.voices.sounds()")
    ui.page.keyboard.press("i")
    hits(ui, {"beat": 0, "length": 3.0}, {"beat": 4, "length": 3.0, "note": 5})
    ui.page.keyboard.press("Space")
    ui.wait("gp.useLoop.getState().playing")
    ui.page.keyboard.press("Space")
    ui.wait("!gp.useLoop.getState().playing")
    out = exported(ui)
    beat = round(60 / ui.look("pocket.tempo") * RATE)
    assert db(out[: RATE // 50]) < db(out[RATE // 2 : RATE]) - 10, "it comes slowly"
    assert db(out[2 * beat : int(2.9 * beat)]) > -50, "it goes round as long as it is held"
    parts = np.split(out[RATE // 2 : RATE // 2 + 24000], 6)
    sides = [db(part[:, :1]) - db(part[:, 1:]) for part in parts]
    assert max(sides) - min(sides) > 2, "it moves from side to side"
    assert np.isfinite(out).all()


def test_a_lead_of_one_sung_note_is_in_tune(shape: Ui) -> None:
    ui = shape
    card(ui, "Pitch and time")
    ui.page.get_by_role("button", name="Tune to").click()
    ui.wait(f"{sound(ui)}.root !== undefined")
    card(ui, "Keys")
    ui.page.get_by_role("radio", name="one: the last").click()
    ui.wait(f"{sound(ui)}.glide === 100 && {sound(ui)}.release === 150")
    number(ui, "Glide", 0)
    ui.wait(f"{sound(ui)}.glide === undefined")
    # Three octaves are ready before the first press.
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().all > 40 && gp.useNotes.getState().here === gp.useNotes.getState().all")
    root = ui.look(f"{sound(ui)}.root")
    notes = [-17, -12, -5, 0, 7, 12, 19]
    hits(ui, *({"beat": i, "note": note} for i, note in enumerate(notes)))
    out = exported(ui)
    beat = 60 / ui.look("pocket.tempo") * RATE
    for i, note in enumerate(notes):
        found = pitch(out[int((i + 0.15) * beat) : int((i + 0.85) * beat)].mean(axis=1).astype(np.float32), RATE)
        assert found is not None
        assert found.key + found.cents / 100 == pytest.approx(root + note, abs=0.12), "a voice sways about its note"


def test_a_kick_in_three_bands_comes_out_as_one_shots(shape: Ui) -> None:
    ui = shape
    ui.page.locator("[data-pad='0']").click()
    before = ui.page.get_by_test_id("shape-wave")
    expect(before).to_be_visible()
    card(ui, "Layers")
    ui.button("Sub, knock, click").click()
    ui.wait("pocket.pads[0].layers.length === 2")
    knock = ui.page.get_by_role("group", name="Layer knock")
    for name, value in (("Decay of the layer knock", 60), ("Sustain of the layer knock", -60)):
        knock.get_by_role("spinbutton", name=name).fill(str(value))
        knock.get_by_role("spinbutton", name=name).press("Enter")
    ui.wait("pocket.pads[0].layers[0].sound.sustain === -60")
    card(ui, "Chop")
    ui.button("Normalise").first.click()
    ui.wait("pocket.pads[0].sound.normalise")
    # A second pad of the same slice shares nothing with it; pasting is asked for.
    assert ui.look("pocket.pads[1].sound.normalise") is None
    ui.page.get_by_role("button", name="Copy ▾").click()
    ui.page.get_by_role("menuitem", name="Copy the settings of").click()
    ui.page.locator("[data-pad='1']").click()
    ui.page.get_by_role("button", name="Copy ▾").click()
    ui.page.get_by_role("menuitem", name="Paste chop").click()
    ui.wait("pocket.pads[1].sound.normalise && pocket.pads[1].sound.band_to === 90")
    ui.page.keyboard.press("Control+z")
    ui.wait("!pocket.pads[1].sound.normalise")
    ui.page.locator("[data-pad='0']").click(modifiers=["Control"])
    ui.page.locator("[data-pad='0']").click(button="right")
    with ui.page.expect_download() as download:
        ui.page.get_by_role("menuitem", name="Save 2 pads as WAV files").click()
    with zipfile.ZipFile(download.value.path()) as archive:
        assert len(archive.namelist()) == 2
        kick = next(name for name in archive.namelist() if name.startswith("Kick"))
        made, rate = sf.read(io.BytesIO(archive.read(kick)), always_2d=True)
    assert rate == RATE
    late = made[int(0.1 * RATE) :]
    spectrum = np.abs(np.fft.rfft(late[:, 0])) ** 2
    hz = np.fft.rfftfreq(len(late), 1 / RATE)
    low, middle = spectrum[(hz > 30) & (hz < 100)].sum(), spectrum[(hz > 200) & (hz < 800)].sum()
    assert low > 30 * middle, "the knock is over, the low end is still there"


def test_a_loop_fits_tempo_and_key(shape: Ui) -> None:
    ui = shape
    ui.live.edit({"type": "set_key", "key": {"tonic": 1, "mode": "minor"}})
    ui.wait("pocket.key?.tonic === 1")
    card(ui, "Pitch and time")
    ui.page.get_by_role("radio", name="fits beats").click()
    number(ui, "Length", 1)
    ui.wait(f"{sound(ui)}.time === 'fit' && {sound(ui)}.beats === 1")
    ui.page.get_by_role("button", name="Into the key").click()
    ui.wait(f"{sound(ui)}.pitch !== undefined")
    number(ui, "Formants", 3)
    ui.wait(f"{sound(ui)}.formant === 3")
    hits(ui, {"beat": 0}, {"beat": 2, "note": 2})
    out = exported(ui)
    beat = 60 / ui.look("pocket.tempo") * RATE
    assert db(out[int(0.5 * beat) : int(0.9 * beat)]) > -40
    assert db(out[int(1.01 * beat) : int(1.9 * beat)]) < -90, "a beat long, and no longer"
    found = pitch(out[int(0.1 * beat) : int(0.9 * beat)].mean(axis=1).astype(np.float32), RATE)
    assert found is not None
    assert (found.key - 1) % 12 in (0, 2, 3, 5, 7, 8, 10), "in C sharp minor"


def test_a_voice_is_corrected_and_a_knob_moves_what_it_was_tied_to(shape: Ui) -> None:
    ui = shape
    card(ui, "Pitch and time")
    ui.page.get_by_role("radio", name="to any note").click()
    ui.wait(f"{sound(ui)}.tune === 'all'")
    card(ui, "Filter")
    ui.page.get_by_role("radio", name="low pass").click()
    number(ui, "Resonance", 3)
    ui.wait(f"{sound(ui)}.resonance === 3")
    # The setting that was changed last, and the knob that moves next.
    ui.button("Tie").click()
    ui.page.get_by_role("button", name="Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Pad controller").click()
    knob = ui.page.get_by_role("slider", name="Controller knob")
    knob.fill("127")
    ui.wait(f"{sound(ui)}.resonance === 36")
    knob.fill("0")
    ui.wait(f"{sound(ui)}.resonance === undefined")
    expect(ui.button("Tie")).to_be_visible()
    hits(ui, {"beat": 0})
    out = exported(ui)
    beat = 60 / ui.look("pocket.tempo") * RATE
    found = pitch(out[int(0.2 * beat) : int(1.2 * beat)].mean(axis=1).astype(np.float32), RATE)
    assert found is not None
    assert abs(found.cents) < 8, "at a note"


def test_it_is_said_everywhere_while_keys_play_notes(shape: Ui) -> None:
    ui = shape
    ui.page.keyboard.press("i")
    ui.station("Chop")
    said = ui.page.get_by_role("status").filter(has_text="The keys play notes of Hum")
    expect(said).to_be_visible()
    # T is a note now, and sets no slice aside; a press of the button gives the letters back to the pads.
    ui.page.keyboard.press("t")
    ui.wait("gp.useNotes.getState().down.size === 0")
    said.get_by_role("button", name="Pads again").click()
    expect(said).to_have_count(0)
    ui.ready()
    ui.page.keyboard.down("1")
    ui.wait("gp.voices.sounds()")
    ui.page.keyboard.up("1")
    ui.page.keyboard.press("i")
    expect(ui.button("Pads again")).to_be_visible()
    ui.page.reload()
    ui.page.wait_for_selector("[data-testid=pad-grid]")
    expect(ui.page.get_by_role("button", name="Pads again")).to_have_count(0)


def test_something_begins_from_nothing(shape: Ui) -> None:
    ui = shape
    ui.button("Finds").click()
    ui.button("Add a sound of ours").click()
    ui.page.get_by_role("menuitem", name="Low drum").click()
    ui.wait("Object.values(pocket.sources).some(s => s.name === 'Low drum')")
    expect(ui.page.get_by_role("button", name="Open Low drum", exact=True)).to_be_visible()


def test_shape_says_what_it_does_and_is_worked_by_keys(shape: Ui) -> None:
    ui = shape
    expect(ui.page.get_by_role("region", name="Filter", exact=True)).to_contain_text("untouched")
    ui.page.keyboard.press("F4")
    bead = ui.page.get_by_role("slider", name="Decay and sustain")
    bead.focus()
    for key in ("Shift+ArrowRight", "ArrowDown", "ArrowDown"):
        ui.page.keyboard.press(key)
    ui.wait(f"{sound(ui)}.decay > 20 && {sound(ui)}.sustain < -1")
    expect(bead).to_have_attribute("aria-valuetext", re.compile(r"50 ms, .2\.0 dB"))
    # A whole gesture is one step back.
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{sound(ui)}.decay === undefined")
    ui.page.get_by_role("button", name="Preset ▾").click()
    ui.page.get_by_role("menuitem", name="felt pad").click()
    expect(ui.page.get_by_role("region", name="Filter", exact=True)).to_contain_text("low pass 900 Hz")
    card(ui, "Tone")
    ui.page.get_by_role("button", name="Add an effect to Hum").click()
    ui.page.get_by_role("menuitem", name="Saturation", exact=True).click()
    expect(ui.page.get_by_test_id("effect-panel")).to_be_visible()
    expect(ui.page.get_by_role("region", name="Tone", exact=True)).to_contain_text("Saturation")
    assert not ui.errors


def test_every_card_can_be_read_by_all(opened: Opener) -> None:
    ui = opened(demo=True)
    ui.page.locator("[data-pad='1']").click()
    ui.station("Shape")
    expect(ui.page.locator("[data-sounding]")).to_have_count(0)
    for name in ("Chop", "Pitch and time", "Envelope", "Filter", "Motion", "Tone", "Layers", "Keys"):
        card(ui, name)
        assert violations(ui.page) == [], name


def test_a_pad_is_sent_turned_and_printed_note_by_note(shape: Ui) -> None:
    """A share of it to a return; a riser and its notes among the finds; full velocity; what sounds is told by name."""
    ui = shape
    ui.live.edit({"type": "add_bus", "name": "Throw", "is_return": True, "effects": ["echo"]})
    ui.wait("Object.keys(pocket.buses).length === 1")
    card(ui, "Tone")
    ui.reach(ui.page.get_by_role("slider", name="Send to Throw"))
    ui.page.keyboard.press("End")
    ui.wait("pocket.pads[4].sends.length === 1")
    for item, name in (("As a riser", "Hum, riser"), ("Its notes", "Hum, notes")):
        ui.page.get_by_role("button", name="Print ▾").click()
        ui.page.get_by_role("menuitem", name=item).click()
        ui.wait("Object.values(pocket.sources).some(s => s.name === arg)", name)
    cuts = ui.look("Object.values(pocket.sources).find(s => s.name === 'Hum, notes').cuts.map(c => c.called)")
    assert len(cuts) > 10
    assert len(set(cuts)) == len(cuts)
    ui.page.keyboard.press("i")
    ui.page.get_by_role("button", name="Full velocity").click()
    ui.wait("gp.useNotes.getState().here > 3")
    ui.page.keyboard.down("d")
    expect(ui.page.get_by_test_id("tuner")).to_contain_text("sounds E4")
    ui.wait("gp.voices.sounds()")
    ui.page.keyboard.up("d")
    expect(ui.page.get_by_test_id("tuner")).to_contain_text("last E4")
    assert ui.errors == []
