"""A pad under the hand in Shape: keys that are held and let go, and settings that are dragged while it sounds."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Route, expect

from tests.ui.conftest import Ui
from tests.ui.shaping import card, shape, sound

__all__ = ["shape"]


def test_one_voice_belongs_to_the_highest_key_that_is_held(shape: Ui) -> None:
    ui = shape
    ui.live.edit({"type": "set_pads", "pads": [4], "sound": {"voices": "high", "play": "held"}})
    ui.wait(f"{sound(ui)}.voices === 'high'")
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().here > 3")
    struck = "gp.timings.filter(m => m.what === 'voice start').length"
    before = ui.look(struck)
    ui.page.keyboard.down("d")
    ui.wait(f"{struck} === arg", before + 1)
    first = before + 1
    # A lower key is down, and says nothing; let go of, the higher one sounds on; then the lower one alone.
    ui.page.keyboard.down("a")
    ui.wait("gp.useNotes.getState().down.size === 2")
    assert ui.look(struck) == first
    ui.page.keyboard.up("d")
    ui.wait(f"{struck} === arg", first + 1)
    ui.page.keyboard.up("a")
    ui.wait("!gp.voices.sounds()")


def test_a_held_note_that_was_let_go_before_its_voice_came_stays_silent(shape: Ui) -> None:
    ui = shape
    ui.live.edit({"type": "set_pads", "pads": [4], "sound": {"play": "held"}})
    ui.wait(f"{sound(ui)}.play === 'held'")
    ui.ready()
    held: list[Route] = []
    ui.intercept("**/api/sound/**", lambda route: held.append(route))  # noqa: PLW0108 -- the library marks the function
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().all > 3")
    before = ui.look("gp.timings.filter(m => m.what === 'voice start').length")
    ui.page.keyboard.press("d")
    ui.page.keyboard.down("f")
    ui.wait("gp.useNotes.getState().down.size === 1")
    ui.page.unroute("**/api/sound/**")
    for route in held:
        route.continue_()
    # The one that is still down sounds; the one before it, whose key is up again, never does.
    ui.wait("gp.useNotes.getState().here > 7")
    assert ui.look("gp.timings.filter(m => m.what === 'voice start').length") == before + 1
    ui.page.keyboard.up("f")
    ui.wait("!gp.voices.sounds()")


def test_what_rings_follows_the_hand_that_turns_a_setting(shape: Ui) -> None:
    """Held, a sound is swept; it is struck but once, and one undo takes the sweep back."""
    ui = shape
    ui.live.edit({"type": "set_pads", "pads": [4], "sound": {"play": "loop", "loop_from": 100, "loop_to": 800}})
    ui.wait(f"{sound(ui)}.play === 'loop'")
    ui.ready()
    card(ui, "Filter")
    ui.page.get_by_role("radio", name="low pass").click()
    ui.wait(f"{sound(ui)}.filter === 'low'")
    ui.ready()
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().here > 5")
    slider = ui.page.get_by_role("tabpanel").get_by_role("slider", name="Cutoff", exact=True)
    slider.scroll_into_view_if_needed()
    box = slider.bounding_box()
    assert box is not None
    count = "gp.timings.filter(m => m.what === arg).length"
    struck = ui.look(count, "voice start")
    ui.page.keyboard.down("d")
    ui.wait(f"{count} > {struck}", "voice start")
    steps = "gp.usePocket.getState().open.version"
    before = ui.look(steps)
    ui.page.mouse.move(box["x"] + box["width"] * 0.8, box["y"] + box["height"] / 2)
    ui.page.mouse.down()
    for share in (0.7, 0.6, 0.5, 0.4, 0.3):
        # The hand rests on the way, by the page's clock; it is one drag all the same.
        ui.look("void (performance.now = ((now) => () => now() + 2000)(performance.now.bind(performance)))")
        tried = ui.look(count, "tried")
        ui.page.mouse.move(box["x"] + box["width"] * share, box["y"] + box["height"] / 2)
        ui.wait(f"{count} > {tried}", "tried")
    assert ui.look("gp.voices.sounds()")
    assert ui.look(count, "voice start") == struck + 1
    ui.page.mouse.up()
    ui.wait(f"{sound(ui)}.cutoff < 2000")
    ui.page.keyboard.up("d")
    ui.wait("!gp.voices.sounds()")
    ui.wait(f"{steps} > arg", before)
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{sound(ui)}.cutoff === undefined")


def test_under_the_hand_a_pad_sounds_through_its_bus(shape: Ui) -> None:
    """Struck, turned down by its slider while it rings, and struck again: always with what its bus does to it."""
    ui = shape
    ui.live.edit({"type": "add_bus", "name": "Hall", "pads": [4], "effects": ["reverb"]})
    voice = "gp.usePocket.getState().open.sounds.voices[4]"
    ui.wait(f"{voice}.through")
    key = ui.look(f"{voice}.through")
    heard: list[dict[str, Any]] = []
    ui.page.on("request", lambda r: heard.append(r.post_data_json) if r.url.endswith("/pads/4/voice") else None)
    fetched = "performance.getEntriesByType('resource').some((one) => one.name.endsWith(`/api/sound/${arg}`))"
    ui.page.keyboard.press("i")
    ui.page.keyboard.press("i")
    ui.page.locator("[data-pad='4']").click()
    ui.wait(fetched, key)
    slider = ui.page.get_by_test_id("pad-settings").get_by_role("slider", name="Level", exact=True)
    box = slider.bounding_box()
    assert box is not None
    count = "gp.timings.filter(m => m.what === arg).length"
    ui.page.mouse.move(box["x"] + box["width"] * 0.8, box["y"] + box["height"] / 2)
    ui.page.mouse.down()
    for share in (0.6, 0.5, 0.4):
        tried = ui.look(count, "tried")
        ui.page.mouse.move(box["x"] + box["width"] * share, box["y"] + box["height"] / 2)
        ui.wait(f"{count} > {tried}", "tried")
    struck = ui.look(count, "voice start")
    ui.page.keyboard.press("q")
    ui.wait(f"{count} > {struck}", "voice start")
    ui.page.mouse.up()
    ui.wait(f"{sound(ui)}.level < 0")
    assert heard
    assert all(asked["through"] for asked in heard)
    # What it is then, through its bus, is asked for at once and not when the hand has rested.
    ui.wait(f"{voice}.through !== arg", key)
    ui.wait(fetched, ui.look(f"{voice}.through"))
    ui.page.keyboard.press("Control+z")
    ui.wait(f"!{sound(ui)}.level")


def test_of_several_pads_the_one_that_is_played_is_heard_under_the_hand(shape: Ui) -> None:
    """Levels of three moved by as much: before any of it is written, the one that was struck sounds by its own."""
    ui = shape
    ui.live.edit({"type": "set_pads", "pads": [1], "sound": {"level": -10.0}})
    ui.wait(f"{sound(ui, 1)}.level === -10")
    ui.ready()
    ui.page.locator("[data-pad='0']").click()
    ui.page.locator("[data-pad='1']").click(modifiers=["Control"])
    ui.page.locator("[data-pad='4']").click(modifiers=["Control"])
    settings = ui.page.get_by_test_id("pad-settings")
    expect(settings).to_contain_text("3 pads")
    heard: list[tuple[str, dict[str, Any]]] = []
    ui.page.on("request", lambda r: heard.append((r.url, r.post_data_json)) if r.url.endswith("/voice") else None)
    slider = settings.get_by_role("slider", name="Level", exact=True)
    box = slider.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    ui.page.mouse.move(x, y)
    ui.page.mouse.down()
    count = "gp.timings.filter(m => m.what === 'tried').length"
    for left in (20, 40):
        before = ui.look(count)
        ui.page.mouse.move(x - left, y)
        ui.wait(f"{count} > arg", before)
    ui.page.mouse.up()
    ui.wait(f"{sound(ui, 0)}.level < -1 && {sound(ui, 4)}.level === {sound(ui, 0)}.level")
    first, second = ui.look("[0, 1].map((pad) => pocket.pads[pad].sound.level)")
    assert second == pytest.approx(first - 10, abs=0.05)
    url, asked = heard[-1]
    assert "/pads/4/" in url, "it was struck last, when it was chosen"
    assert asked["sound"].keys() == {"level"}
    assert asked["sound"]["level"] < 0
    ui.page.keyboard.press("Control+z")
    ui.wait(f"!{sound(ui, 0)}.level && {sound(ui, 1)}.level === -10")
