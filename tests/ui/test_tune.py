"""From a break to a tune: buses, effects, sends, a song with automation, and its file."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Locator, expect

from tests.core.effects.desk import db
from tests.signals import RATE
from tests.ui.conftest import Opener, Ui
from tests.ui.sound import exported, floats


def bus(ui: Ui, name: str) -> Locator:
    return ui.page.get_by_role("region", name=name, exact=True)


def choose(ui: Ui, button: Locator, *path: str) -> None:
    button.click()
    for item in path:
        ui.page.get_by_role("menuitem", name=item, exact=True).click()


def item(ui: Ui, button: Locator, name: Any) -> None:
    button.click()
    ui.page.get_by_role("menuitem").filter(has_text=name).first.click()


@pytest.fixture
def start(opened: Opener) -> Ui:
    """A break on the pads with its rhythm, a low hum on a pad of its own, and a pattern of each."""
    ui = opened()
    drums, hum = ui.borrow("Dockside break"), ui.borrow("Marlo hum")
    ui.live.edit({"type": "original_rhythm", "source": drums, "bars": 1})
    stretch = {"start": 2000, "end": RATE, "name": "Low", "role": "tonal"}
    ui.live.edit({"type": "stretches_to_pads", "source": hum, "stretches": [stretch], "first": 30})
    ui.live.edit({"type": "set_pads", "pads": [30], "sound": {"pitch": -12}})
    ui.live.edit({"type": "add_pattern", "name": "Low line", "bars": 2})
    pattern = list(ui.live.state["pocket"]["patterns"])[-1]
    hits = [{"pad": 30, "beat": float(beat), "velocity": 127} for beat in range(0, 8, 2)]
    ui.live.edit({"type": "put_hits", "pattern": pattern, "hits": hits})
    ui.wait("Object.keys(pocket.patterns).length === 2")
    return ui


def test_a_tune_from_two_patterns(start: Ui) -> None:
    ui = start
    mixed(ui)
    # Space still plays, wherever was clicked; what is heard settles into what is written.
    ui.page.keyboard.press("Space")
    ui.wait("gp.loopPlayer.place() > 3000")
    ui.wait("gp.loopPlayer.loop().settled")
    ui.page.keyboard.press("Space")
    written = exported(ui)
    heard = floats(ui, "gp.loopPlayer.scheduled()")
    assert np.abs(written - heard).max() <= 0.51 / 8388607
    composed(ui)
    written = exported(ui)
    bar = int(4 * 60 / ui.look("pocket.tempo") * RATE)
    assert len(written) >= 6 * bar - 8
    assert np.isfinite(written).all()
    # The low tone alone at first; under the kicks of the second section it is turned down.
    assert db(written[:bar]) > -36
    ui.page.keyboard.press("Space")
    ui.wait("gp.useSong.getState().playing && gp.songPlayer.place() > 2000")
    expect(ui.page.get_by_test_id("sounding")).to_have_text("the song")
    ui.page.keyboard.press("Escape")
    ui.wait("!gp.useSong.getState().playing")


def mixed(ui: Ui) -> None:
    """Drums on a bus with a compressor and a reverb, an echo on the snare only, the low end ducked under the kick."""
    ui.station("Mix")
    add, back = ui.page.get_by_role("button", name="+ Bus"), ui.page.get_by_role("button", name="+ Return")
    choose(ui, add, "Drums: kick, snare, hat, perc")
    choose(ui, add, "Snares alone")
    choose(ui, add, "Keys: all that is tonal")
    choose(ui, back, "Reverb")
    choose(ui, back, "Echo")
    drums, snares, keys = bus(ui, "Bus Drums"), bus(ui, "Bus Snares"), bus(ui, "Bus Keys")
    expect(drums.get_by_role("button", name="What is on Drums")).not_to_contain_text("empty")
    # A compressor on the drums, a share of them to the reverb; an echo for the snare only.
    choose(ui, drums.get_by_role("button", name="Add an effect to Drums"), "Compressor")
    ui.page.get_by_test_id("effect-panel").get_by_role("spinbutton", name="Threshold").fill("-30")
    ui.page.keyboard.press("Enter")
    ui.wait("Object.values(pocket.buses).some(b => b.chain.some(e => e.settings.threshold === -30))")
    for ribbon, name in ((drums, "Send of Drums to Reverb"), (snares, "Send of Snares to Echo")):
        slider = ribbon.get_by_role("slider", name=name)
        slider.focus()
        for _ in range(3):
            slider.press("PageUp")
    ui.wait("Object.values(pocket.buses).filter(b => b.sends.length).length === 2")
    # Every round of the echo goes through what lies in its loop, and on through the chain.
    echo = bus(ui, "Return Echo")
    choose(ui, echo.get_by_role("button", name="Add an effect to the loop of the echo of Echo"), "Saturation")
    looped = echo.get_by_role("group", name="In the loop of the echo of Echo")
    expect(looped.get_by_role("button", name="Saturation", exact=True)).to_have_attribute("aria-expanded", "true")
    looped.get_by_role("button", name="Saturation", exact=True).click(button="right")
    ui.page.get_by_role("menuitem", name="Take out of the loop").click()
    expect(looped.get_by_role("button", name="Saturation", exact=True)).to_have_count(0)
    ui.page.keyboard.press("Control+z")
    expect(looped.get_by_role("button", name="Saturation", exact=True)).to_be_visible()
    # The low end goes down under the kick.
    choose(ui, keys.get_by_role("button", name="Add an effect to Keys"), "Duck")
    panel = keys.get_by_test_id("effect-panel")
    kick = next(p["called"] for p in ui.live.state["pocket"]["pads"].values() if p["role"] == "kick")
    item(ui, panel.get_by_role("button", name="nothing yet"), kick)
    expect(panel.get_by_role("button", name=kick)).to_be_visible()
    choose(ui, ui.page.get_by_role("button", name="Add an effect to the master"), "Limiter")


def composed(ui: Ui) -> None:
    """Three sections from the two patterns, and the reverb's send that moves."""
    ui.station("Song")
    for _ in range(3):
        ui.page.get_by_role("button", name="+ Section").click()
    ui.wait("pocket.song.length === 3")
    first, second, third = (ui.page.locator("[data-section]").nth(i) for i in range(3))
    names = {p["id"]: p["name"] for p in ui.live.state["pocket"]["patterns"].values()}
    played = next(name for name in names.values() if name != "Low line")
    item(ui, second.get_by_role("button", name="Patterns"), played)
    item(ui, third.get_by_role("button", name="Patterns"), "Low line")
    item(ui, third.get_by_role("button", name="Patterns"), played)
    for section in (first, second, third):
        bars = section.get_by_role("spinbutton", name="Bars of")
        bars.fill("2")
        bars.press("Enter")
    ui.wait("pocket.song.every(key => pocket.sections[key].bars === 2)")
    # The reverb's send moves: nothing at first, much at the end.
    choose(ui, ui.page.get_by_role("button", name="New thread"), "Send to Reverb")
    expect(ui.page.get_by_role("button", name="Thread: Drums, Send to Reverb")).to_be_visible()
    for count, section, share in ((1, second, 0.98), (2, third, 0.3)):
        line = section.locator("[data-line]")
        box = line.bounding_box()
        assert box is not None
        ui.page.mouse.click(box["x"] + box["width"] * 0.02, box["y"] + box["height"] - 6 - 38 * (1 - share))
        ui.wait("Object.values(pocket.threads)[0]?.points.length === arg", count)


def test_the_song_plays_the_samples_of_its_file(opened: Opener) -> None:
    ui = opened(demo=True)
    ui.station("Song")
    ui.page.evaluate("window.grainpocket.songPlayer.keeps = true")
    ui.page.keyboard.press("Space")
    ui.wait("gp.songPlayer.scheduled().length > 12 && gp.useSong.getState().playing")
    joined = "[0, 1].map(side => Float32Array.from(gp.songPlayer.scheduled().flatMap(([, sound]) => Array.from(sound[side]))))"
    heard = floats(ui, joined)
    ui.page.keyboard.press("Space")
    ui.wait("!gp.useSong.getState().playing")
    written = exported(ui)
    assert np.abs(heard).max() > 0.05
    assert np.abs(written[: len(heard)] - heard).max() <= 0.51 / 8388607
    # From a bar in the middle: the place that was clicked, not the beginning.
    line = ui.page.locator("[data-section]").nth(2).locator("[data-line]").first
    box = line.bounding_box()
    assert box is not None
    ui.page.mouse.click(box["x"] + box["width"] * 0.3, box["y"] + 8)
    ui.page.keyboard.press("Space")
    ui.wait("gp.useSong.getState().playing")
    assert ui.look("gp.songPlayer.place() / 44100") > 60
    assert ui.look("gp.songPlayer.held()") < 40_000_000
    ui.page.keyboard.press("Escape")


def test_a_control_that_is_turned_is_heard_and_undone(start: Ui) -> None:
    ui = start
    ui.station("Mix")
    choose(ui, ui.page.get_by_role("button", name="+ Bus"), "Drums: kick, snare, hat, perc")
    choose(ui, bus(ui, "Bus Drums").get_by_role("button", name="Add an effect to Drums"), "EQ")
    ui.page.keyboard.press("Space")
    ui.wait("gp.loopPlayer.place() > 1000")
    before = ui.look("gp.loopPlayer.loop().segments.map(({key}) => key)")
    slider = ui.page.get_by_test_id("effect-panel").get_by_role("slider", name="Peak 2", exact=True)
    slider.focus()
    slider.press("ArrowUp")
    ui.wait("gp.loopPlayer.loop().segments.every(({key}) => !arg.includes(key))", before)
    ui.wait("Object.values(pocket.buses)[0].chain[0].settings.peak2_db === 0.5")
    ui.page.keyboard.press("Control+z")
    ui.wait("!('peak2_db' in Object.values(pocket.buses)[0].chain[0].settings)")
    # Removed, it is gone with its panel, and comes back.
    ui.page.get_by_test_id("effect-panel").get_by_role("button", name="Remove").click()
    ui.wait("Object.values(pocket.buses)[0].chain.length === 0")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.values(pocket.buses)[0].chain.length === 1")
    # A pad goes to the bus by its menu, and out again.
    ui.page.keyboard.press("Escape")
    ui.page.locator("[data-pad]").first.click()
    settings = ui.page.get_by_test_id("pad-settings")
    item(ui, settings.get_by_role("button", name="Drums ▾"), "Straight to the master")
    ui.wait("Object.values(pocket.pads).some(pad => pad.bus === 'master')")
